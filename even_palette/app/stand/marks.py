"""What is laid over the panes: outlines of the hovered element, of what is chosen, and of UV islands."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from even_palette.app.choosing import Choice
from even_palette.core.arrays import Bools, Samples
from even_palette.core.results.pictures import View

if TYPE_CHECKING:
    from even_palette.core.mesh.footprint import Footprint


def faces_in_view(seen: Footprint, view: View) -> Samples:
    """The face under each pixel of a view of the sheet, (height, width) int32, -1 for none."""
    height, width = seen.face.shape
    columns = np.floor((view.origin[0] + (np.arange(view.width) + 0.5) * view.scale[0]) * width).astype(np.int64)
    rows = np.floor((view.origin[1] + (np.arange(view.height) + 0.5) * view.scale[1]) * height).astype(np.int64)
    faces = seen.face[np.clip(rows, 0, height - 1)[:, None], np.clip(columns, 0, width - 1)[None, :]]
    off = ((rows < 0) | (rows >= height))[:, None] | ((columns < 0) | (columns >= width))[None, :]
    return np.asarray(np.where(off, -1, faces))


def marks(choice: Choice, faces: Samples, show_chosen: bool, islands: Samples | None = None) -> tuple[Bools, Bools]:
    """Edges and filled pixels of a pane that shows these faces (h, w); `islands` (F,) are outlined too if given."""
    edges = np.zeros(faces.shape, dtype=bool)
    filled = np.zeros(faces.shape, dtype=bool)
    labels = choice.labels()
    if labels is None or not len(labels):
        return edges, filled
    known = (faces >= 0) & (faces < len(labels))
    at = np.where(known, faces, 0)
    if islands is not None:
        shown = np.where(known, islands[at], -1)
        edges |= edge_texels(shown) & known
    if show_chosen and choice.faces.any() and len(choice.faces) == len(labels):
        filled = known & choice.faces[at]
        edges |= inner_edge(filled)
    if choice.hovered >= 0:
        edges |= inner_edge(known & (labels[at] == choice.hovered))
    return edges, filled


def inner_edge(mask: Bools) -> Bools:
    """The pixels of a mask that have one beside them which is not in it."""
    inside = mask.copy()
    inside[1:] &= mask[:-1]
    inside[:-1] &= mask[1:]
    inside[:, 1:] &= mask[:, :-1]
    inside[:, :-1] &= mask[:, 1:]
    return np.asarray(mask & ~inside)


def edge_texels(faces: Samples) -> Bools:
    """Texels (H, W) whose right or lower neighbour shows another number."""
    edges = np.zeros(faces.shape, dtype=bool)
    across, down = faces[:, 1:] != faces[:, :-1], faces[1:] != faces[:-1]
    edges[:, 1:] |= across
    edges[:, :-1] |= across
    edges[1:] |= down
    edges[:-1] |= down
    return edges
