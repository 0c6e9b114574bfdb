"""Rows of small pictures: the maps of a sheet, the weights of its regions. Made on a worker."""

from collections.abc import Callable

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import QListView, QListWidget, QListWidgetItem

from even_palette.app import plain
from even_palette.app.jobs import Rank, one_shot
from even_palette.app.session import Session
from even_palette.app.stand.renderer import to_image
from even_palette.core.arrays import Levels
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit.model import Focus
from even_palette.core.results.looks import Look
from even_palette.core.results.small_pictures import look_made_small

SIDE_PX = 112
REST_MS = 150
Listed = list[tuple[str, str, Look]]


class PictureRow(QListWidget):
    """Small pictures with captions in one row. `list_looks` gives key, caption and look of each.

    `chosen` gives the key and the look of the one that the artist goes to, by click or arrow keys.
    """

    chosen = pyqtSignal(str, object)

    def __init__(self, session: Session, name: str, list_looks: Callable[[Focus], Listed]) -> None:
        super().__init__()
        self.session, self._list, self._name = session, list_looks, name
        self._images: dict[str, QPixmap] = {}
        self._listed: Listed = []
        self._rest = one_shot(self, REST_MS, self._make)
        self.setAccessibleName(name)
        self.setViewMode(QListView.ViewMode.IconMode)
        self.setFlow(QListView.Flow.LeftToRight)
        self.setWrapping(False)
        self.setMovement(QListView.Movement.Static)
        self.setIconSize(QSize(SIDE_PX, SIDE_PX))
        self.setGridSize(QSize(SIDE_PX + 20, SIDE_PX + 34))
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.setProperty("imageArea", True)
        self.currentItemChanged.connect(lambda *_: self._choose())
        self.itemClicked.connect(lambda _: self._choose())

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        self.follow()

    def follow(self) -> None:
        """Show what the kit has now, if this can be seen; pictures are made anew once the hand rests."""
        at = self.session.shown
        if not self.isVisible() or at is None:
            return
        listed = self._list(at)
        if listed != self._listed:
            self._show(listed)
        self._rest.start(REST_MS if self._images else 0)

    def _make(self) -> None:
        at = self.session.shown
        if not self.isVisible() or at is None:
            return
        listed = self._list(at)

        def work(progress: Progress, cancel: CancelToken) -> dict[str, Levels]:
            made = {}
            for key, _, look in listed:
                cancel.check()
                try:
                    made[key] = look_made_small(at, self.session.sheets, look, SIDE_PX)
                except UserError:
                    continue
            return made

        def done(made: dict[str, Levels]) -> None:
            self._images = {key: QPixmap.fromImage(to_image(pixels)) for key, pixels in made.items()}
            if self.session.shown is at:
                self._show(listed)

        self.session.jobs.run(
            self._name, work, done, self.session.notice.emit, rank=Rank.CHECK, place=f"pictures {self._name}"
        )

    def _show(self, listed: Listed) -> None:
        current, self._listed = self.current_key(), listed
        self.blockSignals(True)
        self.clear()
        for key, caption, look in listed:
            image = self._images.get(key, QPixmap())
            icon = QIcon(image)
            icon.addPixmap(image, QIcon.Mode.Selected)
            item = QListWidgetItem(icon, caption)
            item.setData(Qt.ItemDataRole.UserRole, (key, look))
            item.setToolTip(plain.tip(caption))
            item.setTextAlignment(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignBottom)
            self.addItem(item)
            if key == current:
                self.setCurrentItem(item)
        self.blockSignals(False)

    def current_key(self) -> str:
        """The key of the chosen picture, "" for none."""
        item = self.currentItem()
        return str(item.data(Qt.ItemDataRole.UserRole)[0]) if item else ""

    def mark(self, key: str) -> None:
        """Make the picture of a key the current one, as what is selected elsewhere."""
        self.blockSignals(True)
        for row in range(self.count()):
            item = self.item(row)
            if item is not None and item.data(Qt.ItemDataRole.UserRole)[0] == key:
                self.setCurrentItem(item)
        self.blockSignals(False)

    def _choose(self) -> None:
        item = self.currentItem()
        if item is not None:
            self.chosen.emit(*item.data(Qt.ItemDataRole.UserRole))
