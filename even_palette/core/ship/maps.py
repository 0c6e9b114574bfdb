"""Writing maps of a kit as a set of files: bakes."""

from pathlib import Path

from even_palette.core.disk.folders import adding_files
from even_palette.core.disk.gate import reason
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.model import Kit
from even_palette.core.raster.files import write_plane
from even_palette.core.results.sheets import Sheets


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
    wanted = {f"{sheet.key}-{bake.key}{suffix}": (sheet, bake) for sheet in kit.sheets for bake in sheet.bakes}
    if not wanted:
        raise UserError("The kit has no bakes; add some in Regions.")
    try:
        with adding_files(folder, wanted, [Path(file.path) for file in kit.files]) as staging:
            for name, (sheet, bake) in wanted.items():
                plane, _ = sheets.meshes.bake(kit.at(sheet.key), bake, progress, cancel)
                write_plane(staging / name, plane)
            return {name: (staging / name).stat().st_size for name in wanted}
    except OSError as error:
        raise UserError(f"{folder}: the bakes could not be written ({reason(error)}).") from error
