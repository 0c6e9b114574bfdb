"""Small controls that the tray, the ledge and swatches share."""

from collections.abc import Callable, Iterable, Mapping, Sequence

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QAction, QColor, QIcon, QKeySequence, QPixmap
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLayout,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QSizePolicy,
    QTableWidget,
    QTableWidgetItem,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from even_palette.app import plain
from even_palette.app.theme import set_icon
from even_palette.core.colour.hexcode import Rgb8, format_hex


def label(text: str, role: str = "") -> QLabel:
    """A label that wraps; roles are title, section and quiet."""
    made = plain.Label(text)
    made.setWordWrap(True)
    made.setProperty("role", role)
    return made


def tool(name: str, icon_name: str, tip: str) -> QToolButton:
    """A button with an icon alone; its name is told to assistive technology."""
    made = QToolButton()
    set_icon(made, icon_name)
    made.setToolTip(plain.tip(tip))
    made.setAccessibleName(name)
    return made


def give_menu(button: QToolButton, actions: Mapping[str, Callable[[], object]]) -> QMenu:
    """Let a button open a menu of what can be done."""
    menu = QMenu(button)
    for text, act in actions.items():
        action = menu.addAction(plain.item(text))
        assert action is not None
        action.triggered.connect(lambda _, act=act: act())
    button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
    button.setMenu(menu)
    return menu


def add_action(menu: QMenu, text: str, key: object, act: Callable[[], object]) -> QAction:
    """An item of a menu of the window, with its key or none; the key works in the whole window."""
    action = QAction(text, menu.window())
    action.setShortcut(QKeySequence(key))
    action.triggered.connect(lambda _: act())
    menu.addAction(action)
    return action


def row(*widgets: QWidget, stretch: int | None = None) -> QHBoxLayout:
    """Widgets beside each other; the one at `stretch` takes the room that is left."""
    made = QHBoxLayout()
    made.setSpacing(6)
    for index, widget in enumerate(widgets):
        made.addWidget(widget, 1 if index == stretch else 0)
    return made


def choice(name: str, items: list[tuple[str, object]]) -> QComboBox:
    """A box of choices with their data."""
    made = QComboBox()
    made.setAccessibleName(name)
    made.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    made.setMinimumContentsLength(6)
    for text, data in items:
        made.addItem(text, data)
    return made


def show_choice(box: QComboBox, data: object) -> None:
    """Show the item with this data without telling anyone."""
    box.blockSignals(True)
    at = next((i for i in range(box.count()) if box.itemData(i) == data), None)
    if at is not None:
        box.setCurrentIndex(at)
    box.blockSignals(False)


def offer(box: QComboBox, items: Iterable[tuple[str, object]], chosen: object) -> None:
    """Offer these items, and show the one with that data, without telling anyone.

    Those that are there already stay: what changes a box has all that is around it laid out anew.
    """
    items = list(items)
    if items != [(box.itemText(i), box.itemData(i)) for i in range(box.count())]:
        box.blockSignals(True)
        box.clear()
        for text, data in items:
            box.addItem(text, data)
        box.blockSignals(False)
    show_choice(box, chosen)


def patterns(suffixes: Iterable[str]) -> str:
    """The names that a dialog of files shows, for suffixes such as ".png"."""
    return " ".join(f"*{suffix}" for suffix in suffixes)


def empty(layout: QLayout) -> None:
    """Remove everything from a layout."""
    while (item := layout.takeAt(0)) is not None:
        if widget := item.widget():
            widget.hide()
            widget.deleteLater()
        elif below := item.layout():
            empty(below)


class Fold(QWidget):
    """A titled part of a panel that opens and closes."""

    def __init__(self, title: str, is_open: bool = False) -> None:
        super().__init__()
        self.head = QToolButton()
        self.head.setText(title)
        self.head.setProperty("role", "fold")
        self.head.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.head.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.body = QWidget()
        self.column = QVBoxLayout(self.body)
        self.column.setContentsMargins(0, 2, 0, 6)
        self.column.setSpacing(6)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(4)
        whole.addWidget(self.head)
        whole.addWidget(self.body)
        self.head.clicked.connect(lambda: self.open(self.body.isHidden()))
        self.open(is_open)

    def open(self, is_open: bool) -> None:
        """Open or close it."""
        self.body.setVisible(is_open)
        self.head.setAccessibleDescription("open" if is_open else "closed")
        set_icon(self.head, "caret-down" if is_open else "caret-right")


class Pages(QWidget):
    """Several pages of which one is shown; the others take no room."""

    def __init__(self) -> None:
        super().__init__()
        self._pages: list[QWidget] = []
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)

    def add(self, page: QWidget) -> None:
        """Put a page behind the others."""
        page.setVisible(not self._pages)
        self._pages.append(page)
        self._column.addWidget(page)

    @property
    def current(self) -> int:
        """The number of the page that is shown."""
        return next(number for number, page in enumerate(self._pages) if not page.isHidden())

    def show_page(self, number: int) -> None:
        """Show a page, and no other."""
        for at, page in enumerate(self._pages):
            page.setVisible(at == number)


class ShortList(QListWidget):
    """A list whose icons are swatches, of `height` pixels, or more where entries need it and there is room."""

    def __init__(self, name: str, height: int, many: bool = False) -> None:
        super().__init__()
        self._least = height
        self.setAccessibleName(name)
        self.setIconSize(QSize(16, 16))
        self.setFixedHeight(height)
        self.setMinimumHeight(height)
        self.setProperty("imageArea", True)
        if many:
            self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        model = self.model()
        assert model is not None
        model.rowsInserted.connect(self._fit)
        model.modelReset.connect(self._fit)

    def sizeHint(self) -> QSize:
        return QSize(super().sizeHint().width(), self._least)

    def show_keyed(self, entries: Sequence[tuple[str, str]], chosen: str) -> None:
        """Show keys with their texts, quietly; an item's data is its key, and the chosen one is the current one."""
        self.blockSignals(True)
        self.clear()
        for key, text in entries:
            item = QListWidgetItem(text)
            item.setData(Qt.ItemDataRole.UserRole, key)
            self.addItem(item)
            if key == chosen:
                self.setCurrentItem(item)
        self.blockSignals(False)

    def _fit(self) -> None:
        rows = self.count() * max(1, self.sizeHintForRow(0)) + 2 * self.frameWidth() + 2
        self.setMaximumHeight(max(self._least, rows))


def result_table(name: str, columns: Sequence[str], head: str) -> QTableWidget:
    """A table of results that is read and chosen from, a row at a time; the first column is as wide as it needs."""
    table = QTableWidget(0, len(columns))
    table.setAccessibleName(name)
    table.setHorizontalHeaderLabels(list(columns))
    table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
    table.setShowGrid(False)
    table.setTabKeyNavigation(False)
    table.setProperty("imageArea", True)
    side, top = table.verticalHeader(), table.horizontalHeader()
    assert side is not None
    assert top is not None
    side.hide()
    side.setDefaultSectionSize(24)
    top.setAccessibleName(head)
    top.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
    top.setSectionResizeMode(0, QHeaderView.ResizeMode.ResizeToContents)
    return table


class NumberCell(QTableWidgetItem):
    """A text that is sorted by its number, where it has one."""

    def __init__(self, text: str, value: float | None) -> None:
        super().__init__(text)
        self._value = value

    def __lt__(self, other: QTableWidgetItem) -> bool:
        if isinstance(other, NumberCell) and self._value is not None and other._value is not None:
            return self._value < other._value
        return super().__lt__(other)


def swatch_icon(levels: Rgb8) -> QIcon:
    """A square of a region's ID colour, the same when selected."""
    pixmap = QPixmap(16, 16)
    pixmap.fill(QColor(format_hex(levels)))
    made = QIcon(pixmap)
    made.addPixmap(pixmap, QIcon.Mode.Selected)
    return made
