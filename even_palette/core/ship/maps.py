"""Writing maps of a kit as a set of files: bakes, and masks."""

from collections.abc import Callable, Mapping
from functools import partial
from pathlib import Path

import numpy as np

from even_palette.core.arrays import Samples, float32
from even_palette.core.disk.folders import adding_files
from even_palette.core.disk.gate import reason
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.model import Focus, Kit
from even_palette.core.kit.names import Names, identifier
from even_palette.core.kit.sheet import Bake
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.tiles import TILE, TiledPlane
from even_palette.core.regions.weights import quantize_weights, resolve_weights
from even_palette.core.results.bakes import bake_of
from even_palette.core.results.id_map import has_masks
from even_palette.core.results.masks import mask_of
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.weights import weights_of


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
    return _write("bakes", kit, folder, wanted)


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
    add up to 65535. The packed planes are those of the package, 8 bits, four regions each. Raises UserError, Cancelled.
    """
    wanted: dict[str, Callable[[], Plane]] = {}
    names = Names(joiner="_")
    for sheet in kit.sheets:
        at = kit.at(sheet.key)
        if not sheet.regions or not has_masks(at, sheets):
            continue
        weights = weights_of(at, sheets, progress, cancel)
        levels = weights.levels if bits == 8 else fine_weights(at, sheets, cancel)
        for region, level in zip(sheet.regions, levels, strict=True):
            wanted[names.give(f"{sheet.key}-{identifier(region.name)}") + suffix] = partial(
                Plane, level[..., None], Encoding.DATA
            )
        for number, plane in enumerate(weights.packed, 1):
            wanted[names.give(f"{sheet.key}-packed_{number}") + suffix] = partial(_whole, plane)
    if not wanted:
        raise UserError("The kit has no regions with masks; add some in Regions.")
    return _write("masks", kit, folder, wanted)


def _whole(plane: TiledPlane) -> Plane:
    return Plane(plane.samples, Encoding.DATA)


def fine_weights(at: Focus, sheets: Sheets, cancel: CancelToken | None = None) -> list[Samples]:
    """The weights (H, W) uint16 of each region; with the base they add up to 65535 at every texel. Raises Cancelled."""
    grids = [mask_of(at, sheets, region.key).grid for region in at.sheet.regions]
    height, width = grids[0].height, grids[0].width
    locks = [region.locked for region in at.sheet.regions]
    made = [np.empty((height, width), dtype=np.uint16) for _ in grids]
    for top in range(0, height, TILE):
        if cancel:
            cancel.check()
        bottom = min(top + TILE, height)
        masks = np.stack([grid.cut(top, 0, bottom, width)[..., 0] for grid in grids])
        weights = resolve_weights(float32(masks) / np.float32(65535), at.sheet.resolve, locks)
        for whole, band in zip(made, quantize_weights(weights, 65535), strict=True):
            whole[top:bottom] = band
    return made


def _write(what: str, kit: Kit, folder: Path, wanted: Mapping[str, Callable[[], Plane]]) -> dict[str, int]:
    try:
        with adding_files(folder, list(wanted), [Path(file.path) for file in kit.files]) as staging:
            for name, make in wanted.items():
                write_plane(staging / name, make())
            return {name: (staging / name).stat().st_size for name in wanted}
    except OSError as error:
        raise UserError(f"{folder}: the {what} could not be written ({reason(error)}).") from error
