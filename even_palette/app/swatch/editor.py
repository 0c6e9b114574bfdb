"""The swatch editor, all in place: hex, sliders in a chosen model, number forms, eyedropper, strips of swatches."""

import numpy as np
from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from even_palette.app import plain
from even_palette.app.session import Session
from even_palette.app.swatch.models import FORMS, MODELS, ColourModel
from even_palette.app.swatch.strip import SwatchStrip, remember
from even_palette.app.swatch.track import Track
from even_palette.app.theme import grey, set_icon, tokens
from even_palette.core.arrays import float32
from even_palette.core.colour.hexcode import encoded_to_hex, format_hex, hex_to_encoded, parse_hex
from even_palette.core.material.model import Colour
from even_palette.core.raster.plane import to_levels8

TRACK_STOPS = 13


class Patch(QToolButton):
    """A flat patch of one colour."""

    def __init__(self, name: str, width: int, height: int, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        self.setFixedSize(QSize(width, height))
        self.setProperty("imageArea", True)
        self.hex = "#000000"

    def show_hex(self, text: str) -> None:
        """Show a colour."""
        self.hex = text
        self.setToolTip(plain.tip(text))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.hex))
        painter.setPen(grey(tokens().text if self.hasFocus() else tokens().strong_line))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))


class SwatchEditor(QWidget):
    """Edits one colour. `changed` with every movement, `finished` where a step of the history ends."""

    changed = pyqtSignal(object)
    finished = pyqtSignal()
    pick_wanted = pyqtSignal()

    def __init__(self, name: str, session: Session, folded: bool = False) -> None:
        """Where it is `folded`, a click on its colour opens the sliders."""
        super().__init__()
        self._name = name
        self.strip = SwatchStrip(session)
        self._colour: Colour = (0.0, 0.0, 0.0)
        self._model: ColourModel = MODELS[0]
        self._axes = np.zeros(3, dtype=np.float32)
        self._build()
        self._name_axes()
        self.more.setVisible(not folded)

    def _build(self) -> None:
        self.patch = Patch(f"{self._name} colour", 44, 28)
        self.patch.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.patch.clicked.connect(self._unfold)
        self.hex = QLineEdit()
        self.hex.setAccessibleName(f"{self._name} hex")
        self.hex.setMaxLength(9)
        self.hex.editingFinished.connect(self._enter_hex)
        self.pick = QToolButton()
        set_icon(self.pick, "eyedropper")
        self.pick.setToolTip("Take a colour from the stand")
        self.pick.setAccessibleName(f"{self._name} eyedropper")
        self.pick.clicked.connect(self.pick_wanted)
        self.model_box = QComboBox()
        self.model_box.addItems([model.name for model in MODELS])
        self.model_box.setAccessibleName(f"{self._name} model")
        self.model_box.activated.connect(self._choose_model)
        self.form_box = QComboBox()
        self.form_box.addItems(list(FORMS))
        self.form_box.setAccessibleName(f"{self._name} number form")
        self.form_box.activated.connect(lambda _: self._show_model())

        top = QHBoxLayout()
        for widget in (self.patch, self.hex, self.pick):
            top.addWidget(widget)
        choices = QHBoxLayout()
        choices.addWidget(self.model_box, 1)
        choices.addWidget(self.form_box, 1)
        grid = QGridLayout()
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(4)
        self.letters, self.tracks, self.boxes = [], [], []
        for row in range(3):
            letter, track, box = plain.Label(), Track(""), QDoubleSpinBox()
            letter.setFixedWidth(14)
            box.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
            box.setKeyboardTracking(False)
            box.setFixedWidth(68)
            track.moved.connect(lambda position, axis=row: self._set_axis(axis, position))
            track.released.connect(self._finish)
            box.valueChanged.connect(lambda number, axis=row: self._enter_number(axis, number))
            grid.addWidget(letter, row, 0)
            grid.addWidget(track, row, 1)
            grid.addWidget(box, row, 2)
            self.letters.append(letter)
            self.tracks.append(track)
            self.boxes.append(box)
        self.strip.taken.connect(lambda colour: self._take(hex_to_encoded(format_hex(colour)), end=True))
        self.more = QWidget()
        below = QVBoxLayout(self.more)
        below.setContentsMargins(0, 0, 0, 0)
        below.setSpacing(6)
        for part in (choices, grid):
            below.addLayout(part)
        below.addWidget(self.strip)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(top)
        layout.addWidget(self.more)

    # Showing

    def _unfold(self) -> None:
        self.more.setVisible(self.more.isHidden())
        self._show()

    def show_colour(self, colour: Colour) -> None:
        """Show a colour that was set elsewhere. Axes keep what the colour cannot tell, such as the hue of a grey."""
        if colour != self._colour or not self.hex.text():
            self._colour = colour
            self._read_axes()
        self._show()

    def show_mixed(self, text: str) -> None:
        """Show a word in place of the colour's hex; the next colour takes its place."""
        self.hex.setText(text)

    def _read_axes(self) -> None:
        axes = self._model.from_encoded(float32(self._colour))
        for index, axis in enumerate(self._model.axes):
            grey_now = axis.hue and max(self._colour) - min(self._colour) < 1e-4
            self._axes[index] = self._axes[index] if grey_now else axes[index]

    def _show_model(self) -> None:
        """Show the colour in another model, or in other numbers."""
        self._name_axes()
        self._show()

    def _name_axes(self) -> None:
        factor, decimals = FORMS[self.form_box.currentText()]
        for axis, letter, track, box in zip(self._model.axes, self.letters, self.tracks, self.boxes, strict=True):
            letter.setText(axis.letter)
            track.setAccessibleName(f"{self._name} {axis.name}")
            box.blockSignals(True)
            box.setAccessibleName(f"{self._name} {axis.name} value")
            box.setDecimals(1 if axis.hue else decimals)
            box.setSingleStep(1.0 if axis.hue else factor / 100)
            box.setRange(0, axis.high * (360.0 if axis.hue else factor))
            box.blockSignals(False)

    def _show(self) -> None:
        text = encoded_to_hex(self._colour)
        self.patch.show_hex(text)
        if not self.hex.hasFocus() or not self.hex.isModified():
            self.hex.setText(text)
        factor, _ = FORMS[self.form_box.currentText()]
        axes = self._model.axes
        ramps = np.tile(self._axes, (len(axes), TRACK_STOPS, 1))
        for index, axis in enumerate(axes):
            ramps[index, :, index] = np.linspace(0, axis.high, TRACK_STOPS)
        colours = to_levels8(self._model.to_encoded(ramps)).tolist()
        for index, axis in enumerate(axes):
            box, value = self.boxes[index], float(self._axes[index])
            box.blockSignals(True)
            box.setValue(value * (360.0 if axis.hue else factor))
            box.blockSignals(False)
            self.tracks[index].show_position(value / axis.high, [QColor(*colour) for colour in colours[index]])
        if not self.more.isHidden():
            self.strip.follow()

    # Editing

    def _choose_model(self, index: int) -> None:
        self._model = MODELS[index]
        self._axes[:] = 0
        self._read_axes()
        self._show_model()

    def _set_axis(self, index: int, position: float) -> None:
        self._axes[index] = position * self._model.axes[index].high
        red, green, blue = (float(v) for v in np.clip(self._model.to_encoded(self._axes), 0, 1))
        self._colour = (red, green, blue)
        self._show()
        self.changed.emit(self._colour)

    def _enter_number(self, index: int, number: float) -> None:
        axis = self._model.axes[index]
        scale = 360.0 if axis.hue else FORMS[self.form_box.currentText()][0]
        self._set_axis(index, number / scale / axis.high)
        self._finish()

    def _enter_hex(self) -> None:
        if not self.hex.isModified():
            return
        try:
            colour = hex_to_encoded(self.hex.text())
        except ValueError as error:
            self.hex.setToolTip(plain.tip(str(error)))
            self.hex.setText(encoded_to_hex(self._colour))
            return
        self.hex.setModified(False)
        self._take(colour, end=True)

    def _take(self, colour: Colour, end: bool = False) -> None:
        self._colour = colour
        self._read_axes()
        self._show()
        self.changed.emit(colour)
        if end:
            self._finish()

    def take_from_stand(self, colour: Colour) -> None:
        """Use a colour that the eyedropper read."""
        self._take(colour, end=True)

    def _finish(self) -> None:
        remember(parse_hex(encoded_to_hex(self._colour)))
        self._show()
        self.finished.emit()
