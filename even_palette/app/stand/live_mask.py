"""What is seen of a stroke in hand: the mask where it was touched, over the picture of a pane; and the brush's rim."""

import math
from typing import Any

import numpy as np
from PyQt6 import sip
from PyQt6.QtCore import QPointF, QRect
from PyQt6.QtGui import QImage, QPolygonF

from even_palette.app.stand.canvas import Canvas
from even_palette.app.stand.model_canvas import ModelCanvas
from even_palette.core.arrays import Floats, Levels, Samples, float32
from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.mesh.view import FIELD_DEG
from even_palette.core.regions.stroke import Rect, Stroke
from even_palette.core.results.sheet_mesh import SheetMesh

TINT_ALPHA = 0.62
RIM_CORNERS = 48


class LiveMask:
    """An image of a pane's size that shows a mask as grey, or in a tint."""

    def __init__(self, field: QRect, tint: Rgb8 | None) -> None:
        self._pixels = np.zeros((field.height(), field.width(), 4), dtype=np.uint8)
        self._tint = tint
        self._reached: list[QRect] = []
        place: Any = sip.voidptr(self._pixels.ctypes.data)
        kind = QImage.Format.Format_RGBA8888
        self.image = QImage(place, field.width(), field.height(), 4 * field.width(), kind)

    def show_on_sheet(self, view: Canvas, stroke: Stroke, touched: list[Rect]) -> QRect | None:
        """Draw rectangles of texels; gives the pixels that are new."""
        rect = (min(r[0] for r in touched), min(r[1] for r in touched),
                max(r[2] for r in touched), max(r[3] for r in touched))  # fmt: skip
        height, width = self._pixels.shape[:2]
        camera, size = view.camera, (stroke.width, stroke.height)
        left, top = camera.to_pixel((rect[1] / size[0], rect[0] / size[1]), width, height)
        right, bottom = camera.to_pixel((rect[3] / size[0], rect[2] / size[1]), width, height)
        across = np.arange(max(0, math.floor(left)), min(width, math.ceil(right)))
        down = np.arange(max(0, math.floor(top)), min(height, math.ceil(bottom)))
        # Texels under the middles of these pixels.
        u = camera.centre[0] + (across + 0.5 - width / 2) / (camera.zoom * camera.sheet[0])
        v = camera.centre[1] + (down + 0.5 - height / 2) / (camera.zoom * camera.sheet[1])
        columns, rows = np.floor(u * size[0]).astype(int), np.floor(v * size[1]).astype(int)
        fits = (columns >= rect[1]) & (columns < rect[3]), (rows >= rect[0]) & (rows < rect[2])
        columns, rows, across, down = columns[fits[0]], rows[fits[1]], across[fits[0]], down[fits[1]]
        if not len(columns) or not len(rows):
            return None
        cut = (int(rows[0]), int(columns[0]), int(rows[-1]) + 1, int(columns[-1]) + 1)
        mask = stroke.mask(cut)[rows - cut[0]][:, columns - cut[1]]
        self._pixels[down[0] : down[-1] + 1, across[0] : across[-1] + 1] = self._seen(mask)
        return QRect(int(across[0]), int(down[0]), len(across), len(down))

    def show_on_model(
        self, view: ModelCanvas, stroke: Stroke, found: SheetMesh, middles: list[tuple[float, ...]]
    ) -> QRect | None:
        """Draw the pixels around points of the mesh, by where their rays meet the faces that they show."""
        dab, surface = stroke.last, stroke.surface
        if dab is None or surface is None:
            return None
        height, width = self._pixels.shape[:2]
        ids, changed = view.face_ids(), QRect()
        before, self._reached = self._reached, []
        for number, middle in enumerate(middles):
            pixel, _ = view.orbit.to_pixels(float32([middle]), width, height)
            far = float(np.linalg.norm(np.asarray(middle) - np.asarray(view.orbit.eye())))
            scale = height / 2 / (far * math.tan(math.radians(FIELD_DEG) / 2))
            reach = math.ceil(dab.radius * surface.texel * scale * 1.1) + 2
            x, y = math.floor(pixel[0, 0]), math.floor(pixel[0, 1])
            box = QRect(x - reach, y - reach, 2 * reach, 2 * reach)
            self._reached.append(box)
            box = QRect(0, 0, width, height) & (box.united(before[number]) if number < len(before) else box)
            cut = ids[box.top() : box.bottom() + 1, box.left() : box.right() + 1]
            rows, columns = np.nonzero((cut >= 0) & (cut < found.mesh.face_count))
            if box.isEmpty() or not len(rows):
                continue
            faces = cut[rows, columns]
            rows, columns = rows + box.top(), columns + box.left()
            _, shares = hit(view, corners_of(found, faces), float32(np.stack([columns + 0.5, rows + 0.5], axis=-1)))
            uv = (shares[:, :, None] * found.uv[faces]).sum(axis=1)
            size = np.array([stroke.width, stroke.height])
            texel = np.clip(np.floor(uv * size).astype(int), 0, size - 1)
            self._pixels[rows, columns] = self._seen(stroke.values_at(texel[:, 1], texel[:, 0]))
            changed = changed.united(box)
        return None if changed.isEmpty() else changed

    def _seen(self, mask: Floats) -> Levels:
        """Pixels (..., 4) of a mask (...)."""
        out = np.empty((*mask.shape, 4), dtype=np.uint8)
        if self._tint is None:
            out[..., :3] = (mask * 255 + 0.5).astype(np.uint8)[..., None]
            out[..., 3] = 255
        else:
            out[..., :3] = self._tint
            out[..., 3] = (mask * (255 * TINT_ALPHA) + 0.5).astype(np.uint8)
        return out


def corners_of(found: SheetMesh, faces: Samples) -> Samples:
    """The corners of faces (n,) of the mesh on a sheet, (n, 3, 3) float64."""
    return np.asarray(found.mesh.points[found.mesh.faces[faces]], dtype=np.float64)


def hit(view: ModelCanvas, corners: Samples, pixels: Floats) -> tuple[Samples, Samples]:
    """Where rays through pixels (n, 2) meet the planes of triangles (n, 3, 3): places and shares of corners, (n, 3)."""
    field = view.field(0)
    eye = np.asarray(view.orbit.eye())
    rays = view.orbit.rays(pixels, field.width(), field.height())
    a, ab, ac = corners[:, 0], corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    normal = np.cross(ab, ac)
    slope = (rays * normal).sum(axis=1)
    t = ((a - eye) * normal).sum(axis=1) / np.where(np.abs(slope) > 1e-15, slope, 1e-15)
    places = eye + rays * t[:, None]
    to, area = places - a, np.maximum((normal * normal).sum(axis=1), 1e-30)
    second = (np.cross(to, ac) * normal).sum(axis=1) / area
    third = (np.cross(ab, to) * normal).sum(axis=1) / area
    second = np.clip(second, 0, 1)
    third = np.clip(third, 0, 1 - second)
    return places, np.stack([1 - second - third, second, third], axis=-1)


def rim_on_sheet(at: QPointF, radius: float) -> QPolygonF:
    """A circle around a position, in the widget's units."""
    return QPolygonF([at + QPointF(math.cos(t), math.sin(t)) * radius for t in _turns()])


def rim_on_model(view: ModelCanvas, point: tuple[float, ...], corners: Samples, radius: float) -> QPolygonF:
    """A circle around a point on the plane of a face (3, 3), as it is seen."""
    a, b, c = corners
    normal = np.cross(b - a, c - a)
    normal /= max(float(np.linalg.norm(normal)), 1e-30)
    side = np.cross(normal, (0.0, 1.0, 0.0) if abs(normal[1]) < 0.9 else (1.0, 0.0, 0.0))
    side /= np.linalg.norm(side)
    other = np.cross(normal, side)
    turns = np.asarray(_turns())[:, None]
    places = float32(np.asarray(point) + (np.cos(turns) * side + np.sin(turns) * other) * radius)
    return QPolygonF(view.positions_of(places))


def _turns() -> list[float]:
    return [2 * math.pi * i / RIM_CORNERS for i in range(RIM_CORNERS)]
