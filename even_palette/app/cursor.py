"""What lies under the cursor in a pane: a texel of the sheet, a point of the mesh."""

from typing import NamedTuple

import numpy as np
from PyQt6.QtCore import QPointF

from even_palette.app.stand.canvas import Canvas
from even_palette.app.stand.live_mask import corners_of, hit
from even_palette.app.stand.model_canvas import ModelCanvas
from even_palette.app.stand.tiles import TileView
from even_palette.core.arrays import float32
from even_palette.core.kit.model import Focus
from even_palette.core.results.id_map import mask_size_of
from even_palette.core.results.sheet_mesh import mesh_on_sheet
from even_palette.core.results.store import Store


class Here(NamedTuple):
    """The kit at the sheet in front, and what follows from it."""

    at: Focus
    store: Store


def point_at(here: Here, view: TileView, place: QPointF) -> tuple[float, ...] | None:
    """Texels on the sheet, or a point of the mesh in its units."""
    if isinstance(view, Canvas):
        field, (width, height) = view.field(0), mask_size_of(*here)
        u, v = view.camera.to_uv(*_pixel(view, place)[0], field.width(), field.height())
        return u * width, v * height
    assert isinstance(view, ModelCanvas)
    face = view.face_at(place)
    found = mesh_on_sheet(*here)
    if found is None or not 0 <= face < found.mesh.face_count:
        return None
    places, _ = hit(view, corners_of(found, np.array([face])), float32(_pixel(view, place)))
    return tuple(float(c) for c in places[0])


def texel_at(here: Here, view: TileView, place: QPointF) -> tuple[int, int] | None:
    """Row and column of the texel of the masks; None off the sheet or the mesh."""
    width, height = mask_size_of(*here)
    uv = uv_at(here, view, place)
    if uv is None:
        return None
    return min(int(uv[1] * height), height - 1), min(int(uv[0] * width), width - 1)


def uv_at(here: Here, view: TileView, place: QPointF) -> tuple[float, float] | None:
    """The texture coordinate; None off the sheet or the mesh."""
    if isinstance(view, Canvas):
        return view.uv_at(place)
    assert isinstance(view, ModelCanvas)
    found, face = mesh_on_sheet(*here), view.face_at(place)
    if found is None or face < 0:
        return None
    _, shares = hit(view, corners_of(found, np.array([face])), float32(_pixel(view, place)))
    u, v = (shares[0] @ found.uv[face]).tolist()
    return (u, v) if 0 <= u < 1 and 0 <= v < 1 else None


def _pixel(view: TileView, place: QPointF) -> list[tuple[float, float]]:
    """The place in pixels of the first field."""
    field, ratio = view.field(0), view.ratio()
    return [(place.x() * ratio - field.x(), place.y() * ratio - field.y())]
