"""Buffers to draw into, and drawings under way: the driver draws while this thread goes on; pixels are read later."""

from typing import Any

from even_palette.core.arrays import Levels
from even_palette.gl import raw
from even_palette.gl.draw import read

MOST_SIZES = 6


class Flying:
    """What has been drawn into a buffer, (height, width, 4) uint8, row 0 at the top; `upwards` where it is drawn so
    that row 0 of the buffer is below.

    A buffer of several samples is resolved into a plain one of its size first, which drivers do not begin before it is
    drawn, so this is not asked for before that. It is landed before the buffers are drawn into again.
    """

    def __init__(self, context: Any, drawn: Any, plain: Any, upwards: bool = False) -> None:
        self._context, self._drawn, self._plain, self._upwards = context, drawn, plain, upwards
        self._fence = raw.fence()
        self._dropped = False
        self._pixels: Levels | None = None

    def done(self, wait_s: float = 0.0) -> bool:
        """Whether the driver has drawn it; at the most so long is waited for that."""
        if self._pixels is not None:
            return True
        if raw.passed(self._fence, wait_s) and self._drawn is not self._plain:
            self._resolve()
            return False
        return raw.passed(self._fence, 0.0)

    def _resolve(self) -> None:
        raw.remove_fence(self._fence)
        self._context.copy_framebuffer(self._plain, self._drawn)
        self._drawn, self._fence = self._plain, raw.fence()

    def land(self) -> None:
        """Read the pixels, which waits for the driver where it is not done."""
        if self._pixels is not None or self._dropped:
            return
        if self._drawn is not self._plain:
            self._resolve()
        raw.remove_fence(self._fence)
        self._pixels = read(self._plain)[:: -1 if self._upwards else 1]

    def drop(self) -> None:
        """Nobody wants it any more, so nobody has to wait for it."""
        if self._pixels is None and not self._dropped:
            raw.remove_fence(self._fence)
            self._dropped = True

    @property
    def pixels(self) -> Levels:
        """What was drawn; waits where it is not done."""
        self.land()
        assert self._pixels is not None
        return self._pixels


class Buffers:
    """RGBA8 buffers by width, height and samples, each with the plain one that it is resolved to; few are kept."""

    def __init__(self, context: Any) -> None:
        self._context = context
        self._kept: dict[tuple[int, int, int], tuple[Any, Any]] = {}
        self._flying: dict[tuple[int, int, int], Flying] = {}

    def of(self, width: int, height: int, samples: int = 0) -> Any:
        """What to draw into; a drawing that is under way in it is read before."""
        key = (width, height, samples)
        if key in self._flying:
            self._flying.pop(key).land()
        if key not in self._kept:
            if len(self._kept) >= MOST_SIZES:
                for flying in self._flying.values():
                    flying.land()
                self.release()
            plain = self._context.simple_framebuffer((width, height), 4)
            several = self._context.simple_framebuffer((width, height), 4, samples=samples) if samples else plain
            self._kept[key] = (several, plain)
        return self._kept[key][0]

    def fly(self, width: int, height: int, samples: int = 0, upwards: bool = False) -> Flying:
        """What was just drawn into a buffer, as a drawing under way."""
        key = (width, height, samples)
        self._flying[key] = Flying(self._context, *self._kept[key], upwards)
        return self._flying[key]

    def release(self) -> None:
        """Free them all."""
        for old in {id(buffer): buffer for pair in self._kept.values() for buffer in pair}.values():
            old.release()
        for flying in self._flying.values():
            flying.drop()
        self._kept.clear()
        self._flying.clear()
