"""The meshes of a sheet in a look, as the model renderer takes them."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from even_palette.app.session import Session
from even_palette.app.stand.time_and_seed import at_moment
from even_palette.core.arrays import Floats
from even_palette.core.errors import NotReady, UserError
from even_palette.core.graph import slots
from even_palette.core.graph.slots import Slot
from even_palette.core.kit.model import Focus
from even_palette.core.raster.guess import Role
from even_palette.core.results.looks import LOOKS, Look, picture
from even_palette.core.results.maps import given_plane
from even_palette.core.results.prepare_views import sheets_seen
from even_palette.core.results.sheet_mesh import mesh_on_sheet, twin_parts

if TYPE_CHECKING:
    from even_palette.gl.model_view import Skin

RELIEF = (Role.NORMAL, Role.ROUGHNESS, Role.METALNESS, Role.OCCLUSION)


def skins_of(session: Session, at: Focus, look: Look) -> list[Skin]:
    """The sheet in front in a look, and the other sheets of the same meshes in their results; twins as they have it.

    Raises NotReady, or UserError if something cannot be read.
    """
    from even_palette.gl.model_view import Skin

    skins = []
    for key in sheets_seen(at):
        part = at.whole.at(key)
        found = mesh_on_sheet(part, session.sheets)
        if found is None:
            continue
        own = look if key == at.key else Look(variant=look.variant)
        relief = tuple(_map(session, part, role) for role in RELIEF)
        data = not LOOKS[own.kind].is_colour(part, own)
        for twin, mesh in twin_parts(part, session.sheets).items():
            of_twin = at.whole.at(key, twin)
            shown = at_moment(of_twin, own, picture(of_twin, session.sheets, own), session.view.state)
            skins.append(Skin(mesh, shown, relief, data, part.sheet.drawing, part.sheet.shaded, found.mesh))  # type: ignore[arg-type]
    return skins


def model_points(skins: list[Skin]) -> Floats:
    """The points that are seen of meshes, (n, 3)."""
    return np.concatenate([skin.mesh.seen_points for skin in skins])


def _map(session: Session, at: Focus, role: Role) -> Slot | None:
    try:
        plane = given_plane(at, role, session.sheets)
        return slots.of(plane) if plane else None
    except NotReady as missing:
        if session.results.make(missing):
            return None
        raise
    except UserError:
        return None
