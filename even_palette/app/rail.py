"""The rail: the eight stages in the order of the work, with their state."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import Enum

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QButtonGroup, QToolButton, QVBoxLayout, QWidget

from even_palette.app import plain
from even_palette.app.theme import grey, tokens

RAIL_PX = 112
STAGE_PX = 40
FINDING = QColor(200, 90, 20)


class State(Enum):
    """How far a stage is."""

    EMPTY = "empty"
    IN_WORK = "in work"
    FINDINGS = "has findings"


@dataclass(frozen=True)
class StageState:
    """How far a stage is, and how many findings it has."""

    state: State
    findings: int = 0


class StageButton(QToolButton):
    """Number, word and a mark: a ring for empty, a disc for in work, a triangle for findings."""

    def __init__(self, number: int, name: str) -> None:
        super().__init__()
        self.name = name
        self.setText(f"{number}  {name}")
        self.setCheckable(True)
        self.setFixedSize(RAIL_PX, STAGE_PX)
        self.state = StageState(State.EMPTY)
        self.show_state(self.state)

    def show_state(self, state: StageState) -> None:
        """Show the mark, and tell it to assistive technology."""
        self.state = state
        told = f"{state.findings} findings" if state.state == State.FINDINGS else state.state.value
        self.setToolTip(plain.tip(f"{self.name}: {told}"))
        self.setAccessibleName(f"{self.text()}, {told}")
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(RAIL_PX, STAGE_PX)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, t = QPainter(self), tokens()
        if self.isChecked():
            painter.fillRect(self.rect(), grey(t.panel))
            painter.fillRect(0, 0, 4, self.height(), grey(t.text))
        elif self.underMouse():
            painter.fillRect(self.rect(), grey(t.hover))
        font = painter.font()
        font.setWeight(QFont.Weight.DemiBold if self.isChecked() else QFont.Weight.Normal)
        painter.setFont(font)
        painter.setPen(grey(t.text))
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.drawText(self.rect().adjusted(12, 0, 0, 0), middle, self.text()[0])
        painter.drawText(self.rect().adjusted(28, 0, 0, 0), middle, self.name)
        self._paint_mark(painter)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(grey(t.text), 2))
            painter.drawRect(self.rect().adjusted(1, 1, -1, -1))

    def _paint_mark(self, painter: QPainter) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        x, y = self.width() - 13.0, self.height() / 2
        if self.state.state == State.FINDINGS:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(FINDING)
            painter.drawPolygon(QPolygonF([QPointF(x, y - 5), QPointF(x + 6, y + 5), QPointF(x - 6, y + 5)]))
        else:
            painter.setPen(QPen(grey(tokens().quiet_text), 1.5))
            painter.setBrush(grey(tokens().quiet_text) if self.state.state == State.IN_WORK else Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QRectF(x - 3.5, y - 3.5, 7, 7))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


class Rail(QWidget):
    """The stages below each other; `chosen` gives the number of the one that was clicked."""

    chosen = pyqtSignal(int)

    def __init__(self, names: Sequence[str]) -> None:
        super().__init__()
        self.setObjectName("rail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(RAIL_PX)
        self.setAccessibleName("Stages")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 8)
        column.setSpacing(2)
        self._group = QButtonGroup(self)
        self.buttons = [StageButton(number, name) for number, name in enumerate(names, 1)]
        for index, button in enumerate(self.buttons):
            self._group.addButton(button, index)
            column.addWidget(button)
        column.addStretch(1)
        self._group.idClicked.connect(self.chosen)

    def show_stage(self, index: int) -> None:
        """Mark the stage that is entered."""
        self.buttons[index].setChecked(True)

    def show_states(self, states: list[StageState]) -> None:
        """Show how far each stage is."""
        for button, state in zip(self.buttons, states, strict=True):
            if state != button.state:
                button.show_state(state)
