"""Writing what variants look like as full-size maps."""

from collections.abc import Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path

from even_palette.core.arrays import Samples
from even_palette.core.disk.folders import adding_files
from even_palette.core.disk.gate import reason
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import Names, identifier
from even_palette.core.material.outputs import LIGHT
from even_palette.core.material.variants import resolve
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.formats import format_to_write
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.rendering import SheetRender
from even_palette.core.results.sheets import Sheets

QUICK = 1
"""Compression of PNG: of 4096 x 4096 texels level 1 takes half the time of level 6 for 3 % more bytes (measured)."""


def write_renders(
    kit: Kit,
    sheets: Sheets,
    folder: Path,
    variants: Sequence[str],
    of_sheets: Sequence[str],
    outputs: Sequence[str],
    side: int = 0,
    suffix: str = ".png",
    progress: Progress = silent,
    cancel: CancelToken | None = None,
) -> dict[str, int]:
    """Write outputs of sheets in variants, named by sheet, variant and output; the bytes of each file.

    Variants and sheets go by key; `side` is the width in texels, 0 for the sheet's own. EXR holds float values, light
    linear; other formats 8-bit levels, light encoded. One variant is written while the next is made, so that memory
    does not grow with their number. A file there that was not written here before is never replaced. Raises UserError,
    Cancelled.
    """
    wanted, free = dict[tuple[str, str, str], str](), Names(joiner="_")
    for sheet in of_sheets:
        for variant in variants:
            for output in outputs:
                name = identifier(kit.variant_names[variant])
                wanted[sheet, variant, output] = free.give(f"{identifier(kit.sheet(sheet).name)}-{name}-{output}")
    names = {place: file + suffix for place, file in wanted.items()}
    steps, done = max(1, len(of_sheets) * len(variants)), 0
    of_light = format_to_write(f"render{suffix}").of_light
    try:
        with (
            adding_files(folder, list(names.values()), [Path(file.path) for file in kit.files]) as staging,
            ThreadPoolExecutor(2) as pool,
        ):
            writing: list[Future[None]] = []
            for sheet in of_sheets:
                ready = SheetRender(kit.at(sheet), sheets, cancel=cancel)
                width = side or ready.size[0]
                size = width, max(1, round(width * ready.size[1] / ready.size[0]))
                for variant in variants:
                    settings = resolve(kit.parameters, kit.variants, variant)
                    made = ready.render(outputs, settings, size, not of_light, cancel=cancel)
                    for job in writing:
                        job.result()
                    writing = [
                        pool.submit(_write, staging / names[sheet, variant, output], output, samples)
                        for output, samples in made.items()
                    ]
                    done += 1
                    progress(done / steps, "Renders")
            for job in writing:
                job.result()
            return {name: (staging / name).stat().st_size for name in names.values()}
    except OSError as error:
        raise UserError(f"{folder}: the renders could not be written ({reason(error)}).") from error


def _write(path: Path, output: str, samples: Samples) -> None:
    if format_to_write(path.name).of_light:
        encoding = Encoding.LINEAR if output in LIGHT else Encoding.DATA
    else:
        encoding = Encoding.SRGB if output in LIGHT else Encoding.DATA
    write_plane(path, Plane(samples, encoding), QUICK)
