"""Drawings under way: the driver draws while this thread goes on, and pixels are read when they are there."""

from typing import Any

from even_palette.core.arrays import Levels
from even_palette.gl import raw
from even_palette.gl.draw import read


class Flying:
    """What has been drawn into a buffer, (height, width, 4) uint8, row 0 at the top; `upwards` where it is drawn so
    that row 0 of the buffer is below.

    A buffer of several samples is resolved into a plain one of its size first, which drivers do not begin before it is
    drawn, so this is not asked for before that. Whoever draws into the buffers again calls `land` before.
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
