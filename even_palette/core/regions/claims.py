"""Claims of regions: rectangles of the sheet, and texels that are alike in all that claims can depend on."""

from collections.abc import Sequence
from typing import Protocol

import numpy as np

from even_palette.core.arrays import Floats, Samples

MOST_PAIRS = 1 << 24


class Rectangle(Protocol):
    """A rectangle in uv."""

    @property
    def left(self) -> float:
        """The least u."""
        ...

    @property
    def top(self) -> float:
        """The least v."""
        ...

    @property
    def right(self) -> float:
        """The greatest u."""
        ...

    @property
    def bottom(self) -> float:
        """The greatest v."""
        ...


def box_masks(boxes: Sequence[Sequence[Rectangle]], width: int, height: int) -> tuple[Floats, Samples]:
    """Masks (R, n) of regions that hold boxes, and the class of each texel (height, width).

    A box holds the texels whose centres lie in it, left and top edge included. Boxes cut the sheet into a grid of
    fields; each field is a class.
    """
    every = [box for region in boxes for box in region]
    columns = sorted({0, width, *(first_inside(edge, width) for box in every for edge in (box.left, box.right))})
    rows = sorted({0, height, *(first_inside(edge, height) for box in every for edge in (box.top, box.bottom))})
    across = np.searchsorted(columns, np.arange(width), side="right") - 1
    down = np.searchsorted(rows, np.arange(height), side="right") - 1
    masks = np.zeros((len(boxes), len(rows), len(columns)), dtype=np.float32)
    for number, region in enumerate(boxes):
        for box in region:
            left, right = (columns.index(first_inside(edge, width)) for edge in (box.left, box.right))
            top, bottom = (rows.index(first_inside(edge, height)) for edge in (box.top, box.bottom))
            masks[number, top:bottom, left:right] = 1
    return masks.reshape(len(boxes), -1), (down[:, None] * len(columns) + across[None, :]).astype(np.int32)


def first_inside(edge: float, count: int) -> int:
    """The first of `count` texels whose centre lies at or beyond an edge 0..1."""
    return int(np.clip(np.ceil(edge * count - 0.5), 0, count))


def join_classes(indices: Sequence[Samples], counts: Sequence[int]) -> tuple[Samples, Samples]:
    """One class a texel from several kinds of classes: which texels are alike in all of them.

    `indices` (H, W) each are below their `counts`. Gives the joint class (H, W), and for each joint class its class of
    every kind, (kinds, n).
    """
    index = indices[0]
    rows = np.arange(counts[0])[None]
    for more, count in zip(indices[1:], counts[1:], strict=True):
        pairs = index.astype(np.int64) * count + more
        size = rows.shape[1] * count
        if size <= MOST_PAIRS:
            used = np.flatnonzero(np.bincount(pairs.ravel(), minlength=size))
            place = np.zeros(size, dtype=np.int32)
            place[used] = np.arange(len(used), dtype=np.int32)
            index = place[pairs]
        else:
            used, found = np.unique(pairs, return_inverse=True)
            index = found.reshape(pairs.shape).astype(np.int32)
        rows = np.concatenate([rows[:, used // count], (used % count)[None]])
    return index, rows
