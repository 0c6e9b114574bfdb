"""Rows for settings that kinds declare: a number or a choice each."""

from collections.abc import Iterable
from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from even_palette.app import plain
from even_palette.app.controls import choice, empty, show_choice
from even_palette.app.number import NumberRow
from even_palette.core.settings import Settings, SettingSpec


class SettingRows(QWidget):
    """`changed` gives a name and what it is set to, with every movement; `finished` where a step of the history ends.

    Settings that do not count where others are as they are have no row.
    """

    changed = pyqtSignal(str, object)
    finished = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(6)
        self._shown: list[SettingSpec] = []
        self.rows: dict[str, QWidget] = {}

    def show_settings(self, specs: Iterable[SettingSpec], settings: Settings) -> None:
        """Show settings, defaults filled in; rows that are there already stay, so that a drag goes on."""
        wanted = [spec for spec in specs if spec.counts(settings)]
        if wanted != self._shown:
            self._shown = wanted
            empty(self._column)
            self.rows = {spec.name: self._row(spec) for spec in wanted}
            for made in self.rows.values():
                self._column.addWidget(made)
        for name, made in self.rows.items():
            if isinstance(made, NumberRow):
                made.show_value(float(settings[name]))
            else:
                show_choice(made, settings[name])  # type: ignore[arg-type]

    def _row(self, spec: SettingSpec) -> QWidget:
        if spec.choices:
            box = choice(spec.label, [(text, name) for name, text in spec.choices])
            box.setToolTip(plain.tip(spec.help))
            box.activated.connect(lambda at: self.changed.emit(spec.name, box.itemData(at)))
            return box
        number = NumberRow(spec.label, spec.low, spec.high, spec.unit, 0 if spec.whole else 3, spec.help)
        number.changed.connect(partial(self.changed.emit, spec.name))
        number.finished.connect(self.finished)
        return number
