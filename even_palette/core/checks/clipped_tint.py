"""True tints that clip: where the paint is so much lighter than its mean that the result leaves 0..1."""

from collections.abc import Iterator

import numpy as np

from even_palette.core.arrays import Floats
from even_palette.core.checks._finding import Finding, Severity
from even_palette.core.errors import UserError
from even_palette.core.graph import nodes
from even_palette.core.graph.reference import Environment, evaluate
from even_palette.core.kit.commands import Cell, read_cell
from even_palette.core.kit.model import Focus
from even_palette.core.material.build import BASE_SLOT, linear_setting
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import CoatInputs
from even_palette.core.material.variants import MASTER
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import texel_centres
from even_palette.core.results.sheets import Sheets, aligned_bands


def check(at: Focus, sheets: Sheets) -> Iterator[Finding]:
    cells = {
        (index, variant): read_cell(at.kit, region.key, variant)
        for index, region in enumerate(at.sheet.regions)
        if region.coat.kind == "tint" and region.coat.values.get("mode", "plain") != "plain"
        for variant in (MASTER, *(v.name for v in at.kit.variants))
    }
    try:
        shares = {place: clipped_share(at, sheets, place[0], cell) for place, cell in cells.items()}
    except UserError:
        return
    for (index, variant), share in shares.items():
        if share > 0.0005:
            region = at.sheet.regions[index].name
            yield Finding(
                "Recolour", Severity.WARNING, f"{share:.1%} of {region} clips in {variant or 'Master'} (true tint)."
            )


def clipped_share(at: Focus, sheets: Sheets, region_index: int, cell: Cell) -> float:
    """Share of a region's weight, 0..1, where the coat's colour exceeds 1 in a channel before it is clipped."""
    base, weights = sheets.base_colour(at), sheets.weights(at)
    mean = sheets.means(at)[region_index]
    key = ("clipped", base.content_id, weights.content_id, region_index, repr(cell))

    def compute() -> float:
        colour = linear_setting(cell.settings["colour"])
        assert isinstance(colour, tuple)
        paint = nodes.texture(BASE_SLOT, nodes.uv(), linear=False)["xyz"]
        formula = COATS[cell.kind].formula(
            CoatInputs(paint, nodes.constant(*map(float, mean)), {"colour": nodes.constant(*colour)}, cell.choices)
        )
        clipped = total = 0.0
        for colours, levels in aligned_bands(base, weights.levels[region_index : region_index + 1]):
            inside = levels[0] > 0
            if inside.any():
                own = levels[0][inside]
                result = _evaluate(formula, colours[inside][None])[0]
                clipped += float(own[np.any(result > 1 + 1e-6, axis=-1)].sum())
                total += float(own.sum())
        return clipped / total if total else 0.0

    return sheets.cache.get(key, compute)


def _evaluate(formula: nodes.Node, colours: Floats) -> Floats:
    return evaluate(
        formula, Environment(texel_centres(*colours.shape[:2]), {BASE_SLOT: Plane(colours, Encoding.LINEAR)})
    )
