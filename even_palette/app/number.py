"""A named number with a slider and a field."""

import re

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QValidator
from PyQt6.QtWidgets import QDoubleSpinBox, QHBoxLayout, QSlider, QWidget

from even_palette.app import plain

STEPS = 1000
FORMS = re.compile(r"\s*(\d{1,3}(?:\.\d*)?)\s*(%|/\s*255)\s*")
BEGUN = re.compile(r"\s*\d{1,3}(?:\.\d*)?\s*(?:/\s*2?5?)?")
"""The forms in which a number 0..1 may be typed beside its own."""


class _Field(QDoubleSpinBox):
    """A number 0..1, which may also be typed in percent or as a level: 20%, 51/255."""

    def validate(self, text: str | None, at: int) -> tuple[QValidator.State, str, int]:
        text = text or ""
        if FORMS.fullmatch(text.replace(",", ".")):
            return QValidator.State.Acceptable, text, at
        state = super().validate(text, at)[0]
        begun = state == QValidator.State.Invalid and BEGUN.fullmatch(text.replace(",", "."))
        return (QValidator.State.Intermediate if begun else state), text, at

    def valueFromText(self, text: str | None) -> float:
        fits = FORMS.fullmatch((text or "").replace(",", "."))
        if fits is None:
            return super().valueFromText(text)
        return float(fits[1]) / (100 if fits[2] == "%" else 255)


class NumberRow(QWidget):
    """`changed` with every movement, `finished` where a step of the history ends."""

    changed = pyqtSignal(float)
    finished = pyqtSignal()

    def __init__(
        self, name: str, low: float, high: float, unit: str, decimals: int, tip: str, head: bool = True
    ) -> None:
        super().__init__()
        self._low, self._high = low, high
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, STEPS)
        self.slider.setAccessibleName(name)
        self.slider.setMinimumHeight(24)
        self.field = _Field() if (low, high, unit) == (0, 1, "") else QDoubleSpinBox()
        self.field.setRange(low, high)
        self.field.setDecimals(decimals)
        self.field.setSingleStep((high - low) / 100)
        self.field.setSuffix(f" {unit}" if unit and unit != "°" else unit)
        self.field.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.field.setKeyboardTracking(False)
        self.field.setAccessibleName(f"{name} value")
        self.field.setFixedWidth(78 if head else 68)
        self.setToolTip(plain.tip(tip))
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        if head:
            text = plain.Label(name)
            text.setFixedWidth(min(max(80, text.sizeHint().width()), 112))
            row.addWidget(text)
        row.addWidget(self.slider, 1)
        row.addWidget(self.field)
        self.slider.valueChanged.connect(self._slid)
        self.slider.sliderReleased.connect(self.finished)
        self.field.valueChanged.connect(self._typed)

    def value(self) -> float:
        """The number that is shown."""
        return float(self.field.value())

    def show_value(self, value: float) -> None:
        """Show a value without telling anyone."""
        for widget in (self.slider, self.field):
            widget.blockSignals(True)
        self.field.setValue(value)
        self.slider.setValue(round((value - self._low) / (self._high - self._low) * STEPS))
        for widget in (self.slider, self.field):
            widget.blockSignals(False)

    def show_mixed(self, text: str) -> None:
        """Show a word in place of a number; the next number takes its place."""
        edit = self.field.lineEdit()
        assert edit is not None
        edit.setText(text)

    def _slid(self, step: int) -> None:
        value = self._low + (self._high - self._low) * step / STEPS
        self.field.blockSignals(True)
        self.field.setValue(value)
        self.field.blockSignals(False)
        self.changed.emit(self.value())
        if not self.slider.isSliderDown():
            self.finished.emit()

    def _typed(self, value: float) -> None:
        self.show_value(value)
        self.changed.emit(value)
        self.finished.emit()
