"""What the game may set a colour to, as the artist says; and chips of colours to choose among."""

from collections.abc import Sequence

from msgspec.structs import replace
from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QPushButton, QWidget

from even_palette.app.controls import Fold, label, row
from even_palette.app.number import NumberRow
from even_palette.app.session import Session
from even_palette.app.theme import grey, tokens
from even_palette.core.colour.hexcode import encoded_to_hex
from even_palette.core.kit import commands
from even_palette.core.material.model import Allowed, Colour, ValueKind
from even_palette.core.material.variants import resolve

CHIP_PX, GAP_PX = 26, 4


class Chips(QWidget):
    """Colours beside each other; `taken` gives the number of the one that is clicked, or that an arrow key goes to."""

    taken = pyqtSignal(int)

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setProperty("imageArea", True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.colours: list[Colour] = []
        self.chosen = -1

    def show_colours(self, colours: Sequence[Colour], chosen: Colour | None) -> None:
        """Show colours, and which of them is the present one."""
        self.colours = list(colours)
        self.chosen = self.colours.index(chosen) if chosen in self.colours else -1
        self.setFixedHeight(max(1, -(-len(self.colours) // self._columns())) * (CHIP_PX + GAP_PX))
        self.setAccessibleDescription(", ".join(map(encoded_to_hex, self.colours)))
        self.update()

    def _columns(self) -> int:
        return max(1, (max(self.width(), 240) + GAP_PX) // (CHIP_PX + GAP_PX))

    def place(self, number: int) -> QRectF:
        """Where a chip is drawn."""
        down, across = divmod(number, self._columns())
        return QRectF(across * (CHIP_PX + GAP_PX) + 1, down * (CHIP_PX + GAP_PX) + 1, CHIP_PX - 2, CHIP_PX - 2)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, t = QPainter(self), tokens()
        for number, colour in enumerate(self.colours):
            painter.setPen(
                QPen(grey(t.text if number == self.chosen else t.strong_line), 3 if number == self.chosen else 1)
            )
            painter.setBrush(QColor(encoded_to_hex(colour)))
            painter.drawRect(self.place(number))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        for number in range(len(self.colours)):
            if self.place(number).contains(event.position()):
                self.taken.emit(number)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if step is not None and self.colours:
            self.taken.emit(min(max(self.chosen + step, 0), len(self.colours) - 1))
        else:
            super().keyPressEvent(event)


class AllowedPart(Fold):
    """Sets what a colour parameter may be in the game; `show_parameter` says which."""

    def __init__(self, session: Session) -> None:
        super().__init__("What the game may set")
        self.session, self.key = session, ""
        self.told = label("", "quiet")
        self.chips = Chips("Allowed colours")
        self.chips.setToolTip("Click one to take it out")
        self.chips.taken.connect(self._take_out)
        self.add = QPushButton("Allow this colour")
        self.add.setToolTip("Adds the colour of the selected variant to those that the game may choose among")
        self.add.clicked.connect(self._add)
        self.free = QPushButton("Allow all")
        self.free.clicked.connect(lambda: self._allow_once(Allowed()))
        self.rows = {
            "darkest": NumberRow("Darkest", 0, 1, "", 2, "The least lightness, in OKLab."),
            "lightest": NumberRow("Lightest", 0, 1, "", 2, "The most lightness, in OKLab."),
            "hue_from": NumberRow("Hue from", 0, 360, "°", 0, "Where the band of hues begins, in OKLCh."),
            "hue_to": NumberRow("Hue to", 0, 360, "°", 0, "Where it ends; the same as the beginning for all hues."),
        }
        self.column.addWidget(self.told)
        self.column.addWidget(self.chips)
        self.column.addLayout(row(self.add, self.free))
        for name, number in self.rows.items():
            number.changed.connect(lambda value, name=name: self._set(name, value))
            number.finished.connect(session.end_merge)
            self.column.addWidget(number)

    def show_parameter(self, key: str) -> None:
        """Show what is allowed of a parameter."""
        there = [parameter for parameter in self.session.kit.parameters if parameter.key == key]
        self.key = key
        self.setVisible(bool(there) and there[0].kind == ValueKind.COLOUR)
        if self.isHidden():
            return
        allowed = there[0].allowed
        self.chips.show_colours(allowed.swatches, None)
        self.chips.setVisible(bool(allowed.swatches))
        self.free.setEnabled(not allowed.is_free)
        for name, number in self.rows.items():
            number.setVisible(not allowed.swatches)
            number.show_value(getattr(allowed, name))
        self.told.setText(
            "Any colour." if allowed.is_free
            else f"One of {len(allowed.swatches)} colours." if allowed.swatches else "Within these ranges."
        )  # fmt: skip

    def _allowed(self) -> Allowed:
        return self.session.kit.parameter(self.key).allowed

    def _add(self) -> None:
        kit = self.session.kit
        colour = resolve(kit.parameters, kit.variants, self.session.variant, self.session.view.state.time)[self.key]
        allowed = self._allowed()
        if isinstance(colour, tuple) and colour not in allowed.swatches:
            self._allow_once(replace(allowed, swatches=(*allowed.swatches, colour)))

    def _take_out(self, number: int) -> None:
        allowed = self._allowed()
        left = tuple(each for at, each in enumerate(allowed.swatches) if at != number)
        self._allow_once(replace(allowed, swatches=left))

    def _allow_once(self, allowed: Allowed) -> None:
        self.session.do(commands.allow(self.key, allowed))
        self.session.end_merge()

    def _set(self, name: str, value: float) -> None:
        self.session.do(commands.allow(self.key, replace(self._allowed(), **{name: value})))
