"""What the channels of a map hold: one line a channel with its picture, and layouts that are ready."""

import numpy as np
from PyQt6.QtCore import QSize, pyqtSignal
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import QInputDialog, QToolButton, QVBoxLayout, QWidget

from even_palette.app import plain
from even_palette.app.controls import choice, label, row, show_choice, tool
from even_palette.app.own_layouts import forget_layout, keep_layout, own_layouts
from even_palette.app.stand.renderer import to_image
from even_palette.core.arrays import Levels
from even_palette.core.kit.sheet import Source
from even_palette.core.raster.guess import COLOUR_ROLES, Role
from even_palette.core.raster.layouts import READY, Hold, Layout, layout_name
from even_palette.core.raster.plane import Plane, stored_values, to_levels8

PICTURE_PX = 28
LETTERS = "RGBA"
AS_ITS_ROLE = "As its role says"


class LayoutRows(QWidget):
    """`chosen` gives the layout that was chosen, `channel_clicked` the number of the channel that is to be seen.

    The plane is the map's, made small.
    """

    chosen = pyqtSignal(tuple)
    channel_clicked = pyqtSignal(int)

    def __init__(self, source: Source, plane: Plane) -> None:
        super().__init__()
        coloured, count = source.role in COLOUR_ROLES, plane.channels
        self._layout = _filled(source.layout or (Hold.COLOUR,) * (3 if coloured else 0), count)
        named = [*((each.name, each.holds) for each in READY), *own_layouts().items()]
        fitting = [each for each in named if len(each[1]) <= count and coloured == (Hold.COLOUR in each[1])]
        ready = [(name, _filled(holds, count)) for name, holds in fitting]
        self.ready = choice("Layout", [(AS_ITS_ROLE, ()), *ready])
        self.ready.setToolTip("What the channels hold, as it is often packed; or say it of each channel below")
        if source.layout and self._layout not in dict(ready).values():
            self.ready.addItem("As said below", self._layout)
        show_choice(self.ready, self._layout if source.layout else ())
        self.ready.activated.connect(lambda i: self.chosen.emit(self.ready.itemData(i)))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.keep = tool("Keep this layout", "plus", "Keep this layout under a name, and offer it for other maps")
        self.keep.setEnabled(bool(source.layout) and self._layout not in dict(ready).values())
        self.keep.clicked.connect(self._ask_name)
        self.forget = tool("Forget this layout", "trash", "Offer this layout of your own no more")
        self._own = next((name for name, holds in ready if holds == self._layout and name in own_layouts()), "")
        self.forget.setVisible(bool(source.layout and self._own))
        self.forget.clicked.connect(self._forget)
        column.addLayout(row(label("Channels", "section"), self.ready, self.keep, self.forget, stretch=1))
        self.holds, self.pictures = [], []
        for channel in range(plane.channels):
            picture = QToolButton()
            picture.setIcon(QIcon(QPixmap.fromImage(to_image(_grey(plane, channel)))))
            picture.setIconSize(QSize(PICTURE_PX, PICTURE_PX))
            picture.setAccessibleName(f"Look at channel {LETTERS[channel]}")
            picture.setToolTip(plain.tip(f"Look at channel {LETTERS[channel]} on the stand, as grey"))
            picture.clicked.connect(lambda _, channel=channel: self.channel_clicked.emit(channel))
            box = choice(f"What channel {LETTERS[channel]} holds", [(_name(hold), hold) for hold in Hold])
            show_choice(box, self._layout[channel])
            if not source.layout and not coloured:
                box.setCurrentIndex(-1)
                box.setPlaceholderText(_name(source.role))
            box.activated.connect(lambda i, channel=channel, box=box: self._choose(channel, box.itemData(i)))
            letter = label(LETTERS[channel])
            letter.setFixedWidth(14)
            column.addLayout(row(letter, picture, box, stretch=2))
            self.holds.append(box)
            self.pictures.append(picture)

    def _ask_name(self) -> None:
        name, agreed = QInputDialog.getText(self, "Keep layout", "Name", text=layout_name(self._layout))
        if agreed:
            self.keep_as(name)

    def keep_as(self, name: str) -> None:
        """Keep the layout of the map under a name."""
        if kept := keep_layout(name, self._layout):
            self.ready.addItem(kept, self._layout)
            show_choice(self.ready, self._layout)
            self.keep.setEnabled(False)

    def _forget(self) -> None:
        forget_layout(self._own)
        self.forget.hide()

    def _choose(self, channel: int, hold: Hold) -> None:
        layout = list(self._layout)
        layout[channel] = hold
        self.chosen.emit(tuple(layout))


def _name(what: Hold | Role) -> str:
    return what.value[:1].upper() + what.value[1:]


def _filled(layout: Layout, count: int) -> Layout:
    return (*layout, *(Hold.NOTHING,) * (count - len(layout)))[:count]


def made_small(plane: Plane, side: int = PICTURE_PX) -> Plane:
    """A plane made small by leaving out texels: quick enough, at any size, for a thread that must answer."""
    step = max(1, max(plane.width, plane.height) // side)
    return Plane(np.ascontiguousarray(plane.samples[step // 2 :: step, step // 2 :: step]), plane.encoding)


def _grey(plane: Plane, channel: int) -> Levels:
    """A channel as it is stored, (h, w, 3) uint8."""
    return np.repeat(to_levels8(stored_values(plane.samples[..., channel : channel + 1])), 3, axis=2)


def side_by_side(plane: Plane) -> Levels:
    """All channels beside each other, each as it is stored, (h, w of all, 3) uint8."""
    return np.concatenate([_grey(plane, channel) for channel in range(plane.channels)], axis=1)
