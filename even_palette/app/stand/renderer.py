"""One renderer for all views: OpenGL where it is there, else the NumPy reference at view size."""

import numpy as np
from PyQt6.QtGui import QImage

from even_palette.core.arrays import Levels
from even_palette.core.errors import UserError
from even_palette.core.looks import Picture, View, on_sheet, render_reference


class Renderer:
    """Draws pictures. `trouble` says in one line why OpenGL is not used, if it is not."""

    def __init__(self) -> None:
        self.trouble = ""
        self._gl = None
        try:
            from even_palette.gl.sheet_view import SheetRenderer

            self._gl = SheetRenderer()
        except UserError as error:
            self.trouble = str(error)

    def render(self, shown: Picture, view: View, filtered: bool = True) -> Levels:
        """(height, width, 4) uint8, encoded, alpha 0 off the sheet."""
        if self._gl is not None:
            return self._gl.render(shown, view, filtered)
        alpha = np.where(on_sheet(view.uv()), 255, 0).astype(np.uint8)
        return np.concatenate([render_reference(shown, view, filtered), alpha[..., None]], axis=-1)


def to_image(pixels: Levels) -> QImage:
    """A QImage of (h, w, 3 or 4) uint8 that owns its memory."""
    height, width, channels = pixels.shape
    kind = QImage.Format.Format_RGBA8888 if channels == 4 else QImage.Format.Format_RGB888
    return QImage(np.ascontiguousarray(pixels).tobytes(), width, height, width * channels, kind).copy()
