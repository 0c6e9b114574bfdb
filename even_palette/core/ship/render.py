"""Writing what variants look like as full-size maps: outputs as they are, each a file."""

from collections.abc import Sequence
from pathlib import Path

from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.model import Kit
from even_palette.core.kit.output_plan import OutputPlan, PlanFile, output
from even_palette.core.material.drawn import Way
from even_palette.core.material.outputs import COLOUR, OPACITY, OUTPUTS
from even_palette.core.results.sheets import Sheets
from even_palette.core.ship.planned_maps import Wish, write_planned


def write_renders(
    kit: Kit,
    sheets: Sheets,
    folder: Path,
    variants: Sequence[str],
    surfaces: Sequence[str],
    outputs: Sequence[str],
    side: int = 0,
    suffix: str = ".png",
    progress: Progress = silent,
    cancel: CancelToken | None = None,
) -> dict[str, int]:
    """Write outputs of sheets and twins in variants, named by sheet, variant and output; the bytes of each file.

    Variants and surfaces go by key; `side` is the width in texels, 0 for the sheet's own. EXR holds float values, light
    linear; other formats 8-bit levels, light encoded. Colour of a sheet that is not drawn opaque has its opacity as
    alpha, straight. A file there that was not written here before is never replaced. Raises UserError, Cancelled.
    """
    outputs = list(dict.fromkeys(outputs))
    for name in outputs:
        if name not in OUTPUTS:
            raise UserError(f"There is no output “{name}”; there is {', '.join(OUTPUTS)}.")
    opaque = [key for key in surfaces if kit.at_surface(key).sheet.drawing.way == Way.OPAQUE]
    wishes = [
        Wish(_plan(outputs, shines), variants, some, side, suffix)
        for some, shines in ((opaque, False), ([key for key in surfaces if key not in opaque], True))
        if some
    ]
    return write_planned(kit, sheets, wishes, folder, progress, cancel)


def _plan(outputs: Sequence[str], shines: bool) -> OutputPlan:
    files = []
    for name in outputs:
        channels = [output(name, part) for part in range(len(OUTPUTS[name].default))]
        if name == COLOUR and shines:
            channels.append(output(OPACITY))
        files.append(PlanFile(name, tuple(channels)))
    return OutputPlan("render", "Render", tuple(files))
