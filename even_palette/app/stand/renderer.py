"""One renderer for all views: OpenGL where it is there, else the NumPy reference at view size."""

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from even_palette.core.arrays import Levels
from even_palette.core.errors import UserError
from even_palette.core.looks import Picture, View, on_sheet, render_reference


class Renderer(QObject):
    """Draws pictures. OpenGL is started with the first one, so that the window is there before it.

    `troubled` tells in one line why OpenGL is not used, if it is not.
    """

    troubled = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._draw: Callable[[Picture, View, bool], Levels] | None = None

    def render(self, shown: Picture, view: View, filtered: bool = True) -> Levels:
        """(height, width, 4) uint8, encoded, alpha 0 off the sheet."""
        if self._draw is None:
            self._draw = self._start()
        return self._draw(shown, view, filtered)

    def _start(self) -> Callable[[Picture, View, bool], Levels]:
        try:
            from even_palette.gl.sheet_view import SheetRenderer

            return SheetRenderer().render
        except UserError as error:
            self.troubled.emit(str(error))
            return _by_reference


def _by_reference(shown: Picture, view: View, filtered: bool) -> Levels:
    alpha = np.where(on_sheet(view.uv()), 255, 0).astype(np.uint8)
    return np.concatenate([render_reference(shown, view, filtered), alpha[..., None]], axis=-1)


def to_image(pixels: Levels) -> QImage:
    """A QImage of (h, w, 3 or 4) uint8 that owns its memory."""
    height, width, channels = pixels.shape
    kind = QImage.Format.Format_RGBA8888 if channels == 4 else QImage.Format.Format_RGB888
    return QImage(np.ascontiguousarray(pixels).tobytes(), width, height, width * channels, kind).copy()
