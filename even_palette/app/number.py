"""A named number with a slider and a field."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QDoubleSpinBox, QHBoxLayout, QLabel, QSlider, QWidget

STEPS = 1000


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
        self.field = QDoubleSpinBox()
        self.field.setRange(low, high)
        self.field.setDecimals(decimals)
        self.field.setSingleStep((high - low) / 100)
        self.field.setSuffix(f" {unit}" if unit and unit != "°" else unit)
        self.field.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.field.setKeyboardTracking(False)
        self.field.setAccessibleName(f"{name} value")
        self.field.setFixedWidth(78)
        self.setToolTip(tip)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        if head:
            text = QLabel(name)
            text.setFixedWidth(80)
            row.addWidget(text)
        row.addWidget(self.slider, 1)
        row.addWidget(self.field)
        self.slider.valueChanged.connect(self._slid)
        self.slider.sliderReleased.connect(self.finished)
        self.field.valueChanged.connect(self._typed)

    def value(self) -> float:
        return float(self.field.value())

    def show_value(self, value: float) -> None:
        """Show a value without telling anyone."""
        for widget in (self.slider, self.field):
            widget.blockSignals(True)
        self.field.setValue(value)
        self.slider.setValue(round((value - self._low) / (self._high - self._low) * STEPS))
        for widget in (self.slider, self.field):
            widget.blockSignals(False)

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
