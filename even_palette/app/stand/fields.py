"""Where the tiles of a pane lie, in pixels of the screen."""

import math
from functools import lru_cache

from PyQt6.QtCore import QRect

GAP_PX = 6


@lru_cache(maxsize=64)
def grid_of(count: int, width: int, height: int, aspect: float, label: int) -> tuple[int, int]:
    """Columns and rows that make tiles with labels above them largest, for the shape of the sheet."""
    best, best_side = (1, count), 0.0
    for columns in range(1, count + 1):
        rows = math.ceil(count / columns)
        side = min(width / columns / aspect, height / rows - label)
        if side > best_side:
            best, best_side = (columns, rows), side
    return best


def field_of(index: int, count: int, width: int, height: int, aspect: float, label: int) -> QRect:
    """Where a tile's picture is drawn: all of a single pane, a cell without its label in a spread, all alike."""
    if count <= 1:
        return QRect(0, 0, width, height)
    columns, rows = grid_of(count, width, height, aspect, label)

    def cell(number: int) -> QRect:
        row, column = divmod(number, columns)
        left, right = width * column // columns, width * (column + 1) // columns
        top, bottom = height * row // rows, height * (row + 1) // rows
        gap = GAP_PX // 2
        return QRect(left, top, right - left, bottom - top).adjusted(gap, gap, -gap, -gap)

    own, first = cell(index), cell(0)
    return QRect(own.x(), own.y() + label, first.width(), first.height() - label)
