"""What can be added, as a list in groups: each with a sentence, and where it has one with a small picture."""

from collections.abc import Callable, Iterable, Mapping
from typing import Protocol

from PyQt6.QtCore import QMimeData, QModelIndex, QPoint, QRect, QSize, Qt
from PyQt6.QtGui import QDrag, QFont, QIcon, QKeyEvent, QPainter
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from even_palette.app import plain
from even_palette.app.theme import grey, tokens

WIDTH, LEAST_HEIGHT, MOST_HEIGHT = 620, 160, 640
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
        self,
        parent: QWidget,
        name: str,
        kinds: Iterable[Kind],
        taken: Callable[[str], object],
        pictures: bool = False,
        foot: QWidget | None = None,
        dragged_as: str = "",
    ) -> None:
        """With a `foot` there is a field that searches, too: such a list may be long.

        Lines can be dragged to where they go as data of the type `dragged_as`: their names.
        """
        super().__init__(parent, Qt.WindowType.Popup)
        self.list = _List(self, dragged_as)
        self.list.setAccessibleName(name)
        self.list.setItemDelegate(_Lines(self.list, pictures))
        self._taken = taken
        self.list.itemClicked.connect(self._take)
        self.list.itemActivated.connect(self._take)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search")
        self.search.setAccessibleName(f"Search {name.lower()}")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(lambda _: self._find())
        self.search.returnPressed.connect(self._take_found)
        column = QVBoxLayout(self)
        column.setContentsMargins(1, 1, 1, 1)
        column.setSpacing(0)
        if foot is not None:
            column.addWidget(self.search)
        column.addWidget(self.list)
        if foot is not None:
            column.addWidget(foot)
        self.fill(kinds)

    def fill(self, kinds: Iterable[Kind]) -> None:
        """Show these, in the groups that they come in."""
        self.list.clear()
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
            line.setToolTip(plain.tip(kind.help))
            self.list.addItem(line)
        self._find()
        if self.isVisible():
            self._fit()

    def _find(self) -> None:
        """Show lines that have what is looked for in their name or sentence, and heads of groups with such lines."""
        wanted, head, count = self.search.text().strip().lower(), None, 0
        for line in self._all():
            if line.data(HELP) is None:
                head, count = line, 0
                line.setHidden(True)
                continue
            found = wanted in line.text().lower() or wanted in str(line.data(HELP)).lower()
            line.setHidden(not found)
            count += found
            if head is not None and count:
                head.setHidden(False)
        first = next((line for line in self._all() if line.data(HELP) is not None and not line.isHidden()), None)
        self.list.setCurrentItem(first)

    def _all(self) -> list[QListWidgetItem]:
        found = (self.list.item(row) for row in range(self.list.count()))
        return [line for line in found if line is not None]

    def _take_found(self) -> None:
        if (line := self.list.currentItem()) is not None:
            self._take(line)

    def open_below(self, button: QWidget) -> None:
        """Show it below a button, or beside it where there is no room, with the first line chosen."""
        self._fit()
        at, screen = button.mapToGlobal(button.rect().bottomLeft()), button.screen()
        if screen is not None:
            room = screen.availableGeometry()
            at.setY(max(room.top(), min(at.y(), room.bottom() - self.height())))
            at.setX(max(room.left(), min(at.x(), room.right() - self.width())))
        self.move(at)
        self.search.clear()
        self._find()
        self.show()
        (self.search if self.search.isVisible() else self.list).setFocus()

    def _fit(self) -> None:
        """As high as its lines, if there is room for them."""
        heights = sum(self.list.sizeHintForRow(row) for row in range(self.list.count())) + 8
        column = self.layout()
        others = column.sizeHint().height() - self.list.sizeHint().height() if column is not None else 0
        self.resize(WIDTH, min(max(heights, LEAST_HEIGHT) + others, MOST_HEIGHT))

    def show_pictures(self, pictures: Mapping[str, QIcon]) -> None:
        """Show pictures by the names of what they are of."""
        for line in self._all():
            if (icon := pictures.get(str(line.data(Qt.ItemDataRole.UserRole)))) is not None:
                line.setIcon(icon)

    def _take(self, line: QListWidgetItem) -> None:
        name = line.data(Qt.ItemDataRole.UserRole)
        if name is not None:
            self.close()
            self._taken(str(name))


class _List(QListWidget):
    """Lines of which heads cannot be chosen."""

    def __init__(self, parent: QWidget, dragged_as: str) -> None:
        super().__init__(parent)
        self._dragged_as = dragged_as
        self.setDragEnabled(bool(dragged_as))
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setMouseTracking(True)
        self.itemEntered.connect(self._enter)

    def _enter(self, line: QListWidgetItem) -> None:
        """What is under the mouse is what a click takes."""
        if line.data(HELP) is not None:
            self.setCurrentItem(line)

    def mimeData(self, items: Iterable[QListWidgetItem | None]) -> QMimeData:
        data = QMimeData()
        names = [str(item.data(Qt.ItemDataRole.UserRole)) for item in items if item is not None]
        data.setData(self._dragged_as, "\n".join(names).encode())
        return data

    def startDrag(self, actions: Qt.DropAction) -> None:
        """The list closes, so that it hides nothing that a line can be dropped on."""
        line, box = self.currentItem(), self.window()
        if line is None or line.data(HELP) is None or box is None:
            return
        drag = QDrag(box.parentWidget() or self)
        drag.setMimeData(self.mimeData([line]))
        if not line.icon().isNull():
            drag.setPixmap(line.icon().pixmap(PICTURE))
        box.close()
        drag.exec(Qt.DropAction.CopyAction)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        line = self.currentItem()
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and line is not None:
            self.itemActivated.emit(line)
        else:
            super().keyPressEvent(event)
