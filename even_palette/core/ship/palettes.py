"""Writing palettes of many pictures: index map, strip, list and figures of each."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from even_palette.core.arrays import Levels
from even_palette.core.colour.swatches import Swatch, write_swatches
from even_palette.core.disk.folders import adding_files
from even_palette.core.disk.gate import reason
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.names import Names, identifier
from even_palette.core.raster.files import read_plane, write_plane
from even_palette.core.raster.plane import Encoding, Plane, rgb_of
from even_palette.core.tones.colours import Colours, count_colours, to_oklab
from even_palette.core.tones.index_map import Dither, index_map, stored_levels
from even_palette.core.tones.palette import colours_of
from even_palette.core.tones.palette_fit import Method, fit_palette

SUFFIXES = ("index.png", "strip.png", "colours.txt", "preview.png")


@dataclass(frozen=True)
class Written:
    """What came of one picture: its files, entries, and the mean and largest OKLab distance x 100."""

    picture: str
    files: tuple[str, ...]
    entries: int
    mean: float
    largest: float


def write_palettes(
    pictures: Sequence[Path],
    folder: Path,
    size: int = 256,
    method: Method = Method.CHAIN,
    shared: bool = False,
    dither: Dither = Dither.NONE,
    progress: Progress = silent,
    cancel: CancelToken | None = None,
) -> list[Written]:
    """For each picture its index map, the picture as it comes back, its alpha where it has one, strip and hex list.

    One palette for all if it is `shared`. All are made before any appears; a file there that was not written here
    before is never replaced. Raises UserError, or Cancelled.
    """
    free = Names(joiner="_")
    names = [free.give(identifier(path.stem)) for path in pictures]
    one = _shared(pictures, size, method, cancel) if shared else None
    suffixes = [(*SUFFIXES, "alpha.png") if _read(path)[1] is not None else SUFFIXES for path in pictures]
    wanted = [f"{name}-{suffix}" for name, own in zip(names, suffixes, strict=True) for suffix in own]
    done = []
    try:
        with adding_files(folder, wanted, list(pictures)) as staging:
            for number, (path, name) in enumerate(zip(pictures, names, strict=True)):
                progress(number / len(pictures), path.name)
                done.append(_write(path, name, staging, one, size, method, dither, cancel))
    except OSError as error:
        raise UserError(f"{folder}: the palettes could not be written ({reason(error)}).") from error
    progress(1.0, "Done")
    return done


def _read(path: Path) -> tuple[Levels, Levels | None]:
    """The colours (H, W, 3) uint8 of a picture and its alpha (H, W, 1), if it has one."""
    levels = read_plane(path, Encoding.SRGB).levels8()
    alpha = levels[..., -1:] if levels.shape[2] in (2, 4) else None
    return np.ascontiguousarray(rgb_of(levels)), alpha


def _shared(pictures: Sequence[Path], size: int, method: Method, cancel: CancelToken | None) -> Levels:
    weights: dict[tuple[int, int, int], float] = {}
    for path in pictures:
        counted = count_colours([_read(path)[0]])
        for colour, weight in zip(colours_of(counted.levels), counted.weights.tolist(), strict=True):
            weights[colour] = weights.get(colour, 0.0) + weight
    levels = np.array(sorted(weights), dtype=np.uint8)
    total = np.array([weights[colour] for colour in colours_of(levels)])
    return fit_palette(Colours(levels, total), size, method, cancel=cancel)


def _write(
    path: Path, name: str, folder: Path, shared: Levels | None, size: int, method: Method, dither: Dither,
    cancel: CancelToken | None,
) -> Written:  # fmt: skip
    rgb, alpha = _read(path)
    entries = shared if shared is not None else fit_palette(count_colours([rgb]), size, method, cancel=cancel)
    indices = index_map(rgb, entries, dither, cancel)
    write_plane(folder / f"{name}-index.png", Plane(stored_levels(len(entries))[indices][..., None], Encoding.DATA))
    write_plane(folder / f"{name}-strip.png", Plane(entries[None].copy(), Encoding.SRGB))
    (folder / f"{name}-colours.txt").write_text(write_swatches(map(Swatch, colours_of(entries))))
    write_plane(folder / f"{name}-preview.png", Plane(entries[indices], Encoding.SRGB))
    if alpha is not None:
        write_plane(folder / f"{name}-alpha.png", Plane(np.ascontiguousarray(alpha), Encoding.DATA))
    apart = np.sqrt(np.square(to_oklab(rgb) - to_oklab(entries)[indices]).sum(axis=-1)) * 100
    files = tuple(sorted(each.name for each in folder.glob(f"{name}-*")))
    return Written(path.name, files, len(entries), float(apart.mean()), float(apart.max()))
