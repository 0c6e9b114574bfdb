"""What can be added, as a list in groups: each with a sentence, and where it has one with a small picture."""

from collections.abc import Callable, Iterable, Mapping
from typing import Protocol

from PyQt6.QtCore import QModelIndex, QPoint, QRect, QSize, Qt
from PyQt6.QtGui import QFont, QIcon, QKeyEvent, QPainter
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from even_palette.app.theme import grey, tokens

WIDTH, MOST_HEIGHT = 620, 640
LINE_PX, HEAD_PX, GAP = 42, 26, 10
PICTURE = QSize(72, 28)
HELP = Qt.ItemDataRole.UserRole + 1


class Kind(Protocol):
    """What can be added."""

    @property
    def name(self) -> str:
        """What it is known by."""
        ...

    @property
    def label(self) -> str:
        """What it is called."""
        ...

    @property
    def help(self) -> str:
        """What it does, in a sentence."""
        ...

    @property
    def group(self) -> str:
        """In which group it stands."""
        ...


class _Lines(QStyledItemDelegate):
    """A picture, the name and below it the sentence; heads of groups are quiet."""

    def __init__(self, parent: QWidget, wide: bool) -> None:
        super().__init__(parent)
        self._left = PICTURE.width() + GAP if wide else 0

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(WIDTH - 40, LINE_PX if index.data(HELP) is not None else HEAD_PX)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        assert painter is not None
        t, box, told = tokens(), option.rect.adjusted(GAP, 0, -GAP, 0), index.data(HELP)
        painter.save()
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        if told is None:
            painter.setPen(grey(t.quiet_text))
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, str(index.data()))
            painter.setPen(grey(t.line))
            painter.drawLine(box.left(), box.bottom(), box.right(), box.bottom())
            painter.restore()
            return
        if chosen:
            painter.fillRect(option.rect, grey(t.chosen))
        icon = index.data(Qt.ItemDataRole.DecorationRole)
        if isinstance(icon, QIcon) and not icon.isNull():
            at = QRect(QPoint(box.left(), box.center().y() - PICTURE.height() // 2), PICTURE)
            icon.paint(painter, at)
            painter.setPen(grey(t.strong_line))
            painter.drawRect(at.adjusted(0, 0, -1, -1))
        text = box.adjusted(self._left, 4, 0, -4)
        bold = QFont(option.font)
        bold.setWeight(QFont.Weight.DemiBold)
        painter.setFont(bold)
        painter.setPen(grey(t.chosen_text if chosen else t.text))
        painter.drawText(text, Qt.AlignmentFlag.AlignTop, str(index.data()))
        painter.setFont(option.font)
        painter.setPen(grey(t.chosen_text if chosen else t.quiet_text))
        short = painter.fontMetrics().elidedText(str(told), Qt.TextElideMode.ElideRight, text.width())
        painter.drawText(text, Qt.AlignmentFlag.AlignBottom, short)
        painter.restore()


class AddList(QFrame):
    """Opens below a button; Enter or a click takes what is chosen, letters look for it, Escape closes."""

    def __init__(
        self, parent: QWidget, name: str, kinds: Iterable[Kind], taken: Callable[[str], object], pictures: bool = False
    ) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.list = _List(self)
        self.list.setAccessibleName(name)
        self.list.setItemDelegate(_Lines(self.list, pictures))
        self._taken = taken
        group = None
        for kind in kinds:
            if kind.group != group:
                group = kind.group
                head = QListWidgetItem(str(group))
                head.setFlags(Qt.ItemFlag.NoItemFlags)
                self.list.addItem(head)
            line = QListWidgetItem(kind.label)
            line.setData(Qt.ItemDataRole.UserRole, kind.name)
            line.setData(HELP, kind.help)
            line.setToolTip(kind.help)
            self.list.addItem(line)
        self.list.itemClicked.connect(self._take)
        self.list.itemActivated.connect(self._take)
        column = QVBoxLayout(self)
        column.setContentsMargins(1, 1, 1, 1)
        column.addWidget(self.list)

    def open_below(self, button: QWidget) -> None:
        """Show it below a button, or beside it where there is no room, with the first line chosen."""
        heights = sum(self.list.sizeHintForRow(row) for row in range(self.list.count())) + 8
        self.resize(WIDTH, min(heights, MOST_HEIGHT))
        at, screen = button.mapToGlobal(button.rect().bottomLeft()), button.screen()
        if screen is not None:
            room = screen.availableGeometry()
            at.setY(max(room.top(), min(at.y(), room.bottom() - self.height())))
            at.setX(max(room.left(), min(at.x(), room.right() - self.width())))
        self.move(at)
        self.list.setCurrentRow(1)
        self.show()
        self.list.setFocus()

    def show_pictures(self, pictures: Mapping[str, QIcon]) -> None:
        """Show pictures by the names of what they are of."""
        for row in range(self.list.count()):
            line = self.list.item(row)
            if line is not None and (icon := pictures.get(str(line.data(Qt.ItemDataRole.UserRole)))) is not None:
                line.setIcon(icon)

    def _take(self, line: QListWidgetItem) -> None:
        name = line.data(Qt.ItemDataRole.UserRole)
        if name is not None:
            self.close()
            self._taken(str(name))


class _List(QListWidget):
    """Lines of which heads cannot be chosen."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setMouseTracking(True)
        self.itemEntered.connect(self._enter)

    def _enter(self, line: QListWidgetItem) -> None:
        """What is under the mouse is what a click takes."""
        if line.data(HELP) is not None:
            self.setCurrentItem(line)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        line = self.currentItem()
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and line is not None:
            self.itemActivated.emit(line)
        else:
            super().keyPressEvent(event)
