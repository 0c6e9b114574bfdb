"""What is lost at the lowest mip that the artist names: regions that vanish, and padding that is too narrow for it."""

from collections.abc import Iterator

from even_palette.core.checks._finding import Finding, Mend, Severity, place_of
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.model import Focus
from even_palette.core.kit.sheet import Step
from even_palette.core.limits import MOST_PADDING
from even_palette.core.raster.mips import shrunk
from even_palette.core.results.id_map import has_masks
from even_palette.core.results.sheet_mesh import mesh_on_sheet
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.weights import weights_of

HALF = 128


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """Looks at the box-filtered weights of that mip; 0 names none. Raises Cancelled."""
    level = at.sheet.lowest_mip
    if level == 0 or not at.sheet.regions:
        return
    try:
        if not has_masks(at, sheets):
            return
        weights = weights_of(at, sheets, cancel=cancel)
    except UserError:
        return
    side = 1 << level
    for region, levels in zip(at.sheet.regions, weights.levels, strict=True):
        if cancel:
            cancel.check()
        if not levels.any() or min(levels.shape) < side:
            continue
        most = shrunk(levels[..., None], level).max()
        if most < HALF:
            radius = float(min(64, side // 2))
            yield Finding(
                "Masks", Severity.WARNING,
                f"{region.name} vanishes at mip {level}: nowhere does it have more than "
                f"{most / 255:.0%} of a texel there.",
                region.key, "weight", place=place_of(levels > 0, cancel),
                mend=Mend("Grow the region", commands.add_step(region.key, Step("grow", {"radius": radius}))),
            )  # fmt: skip
    if mesh_on_sheet(at, sheets) is not None and at.sheet.padding + 1 < side:
        wanted = min(MOST_PADDING, side)
        yield Finding(
            "Regions", Severity.WARNING,
            f"A padding of {at.sheet.padding} texels does not last to mip {level}; that needs {side - 1}.",
            look="uv_layout", mend=Mend(f"Pad {wanted} texels", commands.set_padding(at.key, wanted)),
        )  # fmt: skip
