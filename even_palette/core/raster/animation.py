"""Pictures over time in one file: animated WebP."""

from collections.abc import Iterable, Iterator
from pathlib import Path

from even_palette.core.arrays import Levels
from even_palette.core.disk.gate import reason
from even_palette.core.disk.whole import replacing
from even_palette.core.errors import UserError

SUFFIX = ".webp"
MOST_SIDE = 16383
"""Of WebP (its container specification)."""


def write_animation(path: Path, frames: Iterable[Levels], rate: float) -> int:
    """Write frames (height, width, 3) uint8 of encoded sRGB, `rate` a second, for ever, without loss; gives how many.

    Frames are taken one by one. Raises UserError if there is none, one is too large, or the file
    cannot be written.
    """
    from PIL import Image

    count = 0

    def images() -> Iterator[Image.Image]:
        nonlocal count
        for frame in frames:
            if max(frame.shape[:2]) > MOST_SIDE:
                raise UserError(f"{path.name}: WebP holds at most {MOST_SIDE:,} pixels a side.")
            count += 1
            yield Image.fromarray(frame)

    each = images()
    first = next(each, None)
    if first is None:
        raise UserError(f"{path.name}: there is no picture to write.")
    times = _durations_ms(rate)
    how = {"save_all": True, "append_images": each, "duration": times, "loop": 0, "lossless": True}
    try:
        with replacing(path) as unfinished:
            first.save(unfinished, "WEBP", **how)
    except OSError as error:
        raise UserError(f"{path}: cannot be written ({reason(error)}).") from error
    return count


def _durations_ms(rate: float) -> int:
    """How long a frame is seen, in whole milliseconds."""
    return max(1, round(1000 / rate))
