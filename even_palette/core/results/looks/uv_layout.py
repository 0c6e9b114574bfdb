"""How the UVs of a mesh lie on the sheet."""

from even_palette.core.errors import UserError
from even_palette.core.graph import nodes, slots
from even_palette.core.graph.nodes import Node
from even_palette.core.kit.model import Focus
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import SHARP
from even_palette.core.results.footprints import footprint_of
from even_palette.core.results.id_map import mask_size_of
from even_palette.core.results.looks._coverage import COVERED, OVERLAP
from even_palette.core.results.looks._declare import Chosen, Look, LookKind, Offered
from even_palette.core.results.pictures import SHOWN, Picture
from even_palette.core.results.sheet_mesh import mesh_on_sheet
from even_palette.core.results.store import Store


def picture(at: Focus, store: Store, look: Look) -> Picture:
    """How many faces each texel has, in colours."""
    found, size = mesh_on_sheet(at, store), mask_size_of(at, store)
    seen = footprint_of(at, store, *size)
    if found is None or seen is None:
        raise UserError("There is no mesh on this sheet yet; open one in Source.")
    claims = Plane(seen.claims[..., None], Encoding.DATA, f"claims {found.content_id} {size}")
    return Picture({SHOWN: _layout()}, {"claims": slots.of(claims, SHARP)}, {})


def _layout() -> Node:
    """UV layout: dark where no face lies, grey where one does, orange where several overlap."""
    claims = nodes.texture("claims", nodes.uv())["x"] * 255
    one = nodes.mix(
        nodes.constant(0.18, 0.18, 0.18), nodes.constant(COVERED, COVERED, COVERED), nodes.step(0.5, claims)
    )
    return nodes.select(nodes.step(1.5, claims), nodes.constant(*OVERLAP), one)


def offered(at: Focus, chosen: Chosen) -> Offered:
    """Where a mesh lies on the sheet."""
    return [("UV layout", Look("uv_layout"))] if at.kit.meshes_on(at.key) else []


LOOK = LookKind("uv_layout", 10, picture, offered)
