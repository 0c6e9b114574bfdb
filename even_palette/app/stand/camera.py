"""Which part of a sheet a pane shows: numbers and rules, no widgets."""

from dataclasses import dataclass, replace

from even_palette.core.results.pictures import View

LEAST_ZOOM, MOST_ZOOM = 1 / 64, 64.0
MARGIN = 12


@dataclass(frozen=True)
class Camera:
    """The uv in the middle of the pane, and pixels a texel. The sheet's size is in texels."""

    sheet: tuple[int, int] = (1, 1)
    centre: tuple[float, float] = (0.5, 0.5)
    zoom: float = 1.0

    def fitted(self, width: int, height: int) -> "Camera":
        """The whole sheet in a pane of this size."""
        zoom = min((width - 2 * MARGIN) / self.sheet[0], (height - 2 * MARGIN) / self.sheet[1])
        return replace(self, centre=(0.5, 0.5), zoom=min(max(zoom, LEAST_ZOOM), MOST_ZOOM))

    def one_to_one(self, width: int, height: int) -> "Camera":
        """One pixel a texel, with texel edges on pixel edges."""
        return replace(self, zoom=1.0).aligned(width, height)

    def aligned(self, width: int, height: int) -> "Camera":
        """Moved by less than a pixel so that texel edges lie on pixel edges."""
        left, top = self.to_pixel((0.0, 0.0), width, height)
        return self.panned(round(left) - left, round(top) - top)

    def panned(self, dx: float, dy: float) -> "Camera":
        """The sheet moved by pixels."""
        u = self.centre[0] - dx / (self.zoom * self.sheet[0])
        v = self.centre[1] - dy / (self.zoom * self.sheet[1])
        return replace(self, centre=(min(max(u, -0.5), 1.5), min(max(v, -0.5), 1.5)))

    def zoomed(self, factor: float, x: float, y: float, width: int, height: int) -> "Camera":
        """Closer or farther by a factor; the uv under pixel (x, y) stays there."""
        zoom = min(max(self.zoom * factor, LEAST_ZOOM), MOST_ZOOM)
        before = self.to_uv(x, y, width, height)
        moved = replace(self, zoom=zoom)
        after = moved.to_uv(x, y, width, height)
        centre = (self.centre[0] + before[0] - after[0], self.centre[1] + before[1] - after[1])
        return replace(moved, centre=centre)

    def to_uv(self, x: float, y: float, width: int, height: int) -> tuple[float, float]:
        """The uv under a pixel position of a pane of this size."""
        u = self.centre[0] + (x - width / 2) / (self.zoom * self.sheet[0])
        v = self.centre[1] + (y - height / 2) / (self.zoom * self.sheet[1])
        return u, v

    def to_pixel(self, uv: tuple[float, float], width: int, height: int) -> tuple[float, float]:
        """The inverse of to_uv."""
        x = (uv[0] - self.centre[0]) * self.zoom * self.sheet[0] + width / 2
        y = (uv[1] - self.centre[1]) * self.zoom * self.sheet[1] + height / 2
        return x, y

    def view(self, width: int, height: int) -> View:
        """What a renderer needs for a pane of this size."""
        scale = (1 / (self.zoom * self.sheet[0]), 1 / (self.zoom * self.sheet[1]))
        return View(self.to_uv(0, 0, width, height), scale, width, height)
