"""Writing maps of a kit as a set of files: bakes, and masks."""

from functools import partial
from pathlib import Path

from even_palette.core.disk.folders import adding_files
from even_palette.core.disk.gate import reason
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.model import Focus, Kit
from even_palette.core.kit.output_plan import OutputPlan
from even_palette.core.kit.ready_plans import mask_files
from even_palette.core.kit.sheet import Bake, Sheet
from even_palette.core.material.variants import MASTER
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.plane import Plane
from even_palette.core.results.bakes import bake_of
from even_palette.core.results.id_map import has_masks
from even_palette.core.results.sheets import Sheets
from even_palette.core.ship.planned_maps import Wish, write_planned


def write_bakes(
    kit: Kit,
    sheets: Sheets,
    folder: Path,
    suffix: str = ".png",
    progress: Progress = silent,
    cancel: CancelToken | None = None,
) -> dict[str, int]:
    """Make all bakes of a kit and write them into a folder, named by sheet and bake; gives the bytes of each file.

    All are made before any appears. A file there that was not written here before is never replaced. Raises UserError,
    or Cancelled.
    """

    def baked(at: Focus, bake: Bake) -> Plane:
        return bake_of(at, sheets, bake, progress, cancel)[0]

    wanted = {
        f"{sheet.key}-{bake.key}{suffix}": partial(baked, kit.at(sheet.key), bake)
        for sheet in kit.sheets
        for bake in sheet.bakes
    }
    if not wanted:
        raise UserError("The kit has no bakes; add some in Regions.")
    try:
        with adding_files(folder, list(wanted), [Path(file.path) for file in kit.files]) as staging:
            for name, make in wanted.items():
                write_plane(staging / name, make())
            return {name: (staging / name).stat().st_size for name in wanted}
    except OSError as error:
        raise UserError(f"{folder}: the bakes could not be written ({reason(error)}).") from error


def write_masks(
    kit: Kit,
    sheets: Sheets,
    folder: Path,
    bits: int = 8,
    suffix: str = ".png",
    progress: Progress = silent,
    cancel: CancelToken | None = None,
) -> dict[str, int]:
    """Write the weights of every region, named by sheet and region, and the packed planes; the bytes of each file.

    Weights of 8 bits are those that ship; with 16 bits they are resolved anew from the masks, and with the base they
    add up to 65535. The packed planes hold four regions each. Raises UserError, Cancelled.
    """
    wishes = [
        Wish(_masks(sheet), [MASTER], [sheet.key], 0, suffix, bits, "{sheet}-{map}")
        for sheet in kit.sheets
        if sheet.regions and has_masks(kit.at(sheet.key), sheets)
    ]
    if not wishes:
        raise UserError("The kit has no regions with masks; add some in Regions.")
    return write_planned(kit, sheets, wishes, folder, progress, cancel)


def _masks(sheet: Sheet) -> OutputPlan:
    alone, packed = mask_files([sheet])
    return OutputPlan("masks", "Masks", (*alone, *packed))
