"""Write maps, over the window: a plan, for which sheets and variants, how large and where; seen before written."""

from pathlib import Path

import numpy as np
from PyQt6.QtCore import QSize, Qt, QUrl
from PyQt6.QtGui import QDesktopServices, QIcon, QImage, QPainter, QPixmap, QShowEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHeaderView,
    QLineEdit,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from even_palette.app.controls import choice, label, offer, row, show_choice, tool
from even_palette.app.jobs import Rank, one_shot
from even_palette.app.panels import Overlay
from even_palette.app.session import Session
from even_palette.app.stand.renderer import to_image
from even_palette.core.arrays import Samples
from even_palette.core.disk.gate import size_text
from even_palette.core.disk.whole import write_whole
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit import commands
from even_palette.core.kit.model import Kit
from even_palette.core.kit.output_plan import PATTERN, READY, OutputPlan, plan_text, read_plan
from even_palette.core.kit.ready_plans import plans_of
from even_palette.core.limits import MOST_ROW_TEXELS
from even_palette.core.raster.formats import IMAGE_FORMATS, LAYERED, OFFERED
from even_palette.core.raster.plane import Plane, rgb_of
from even_palette.core.ship.planned_maps import (
    PlannedMap,
    Wish,
    plan_maps,
    small_planned,
    write_planned,
)

PANEL_PX = (780, 600)
PICTURE_PX, MOST_PICTURES, ROWS_PX = 36, 40, 150
SIZES = (0, 256, 512, 1024, 2048, 4096, 8192)
REST_MS = 150
ALL, THIS = "all", "this"


class WriteMaps(Overlay):
    """Asks what to write and shows what that would be; nothing is written before the button is pressed."""

    def __init__(self, window: QWidget, session: Session) -> None:
        body = QWidget()
        super().__init__(window, "Write maps", body, PANEL_PX)
        self.session = session
        self._planned: list[PlannedMap] = []
        self.plan = choice("Plan", [])
        self.plan.setToolTip("Which output goes into which channel of which file")
        self.open_plan = tool("Open a plan", "folder-open", "Keep a plan of your own in the kit, from a file of JSON")
        self.open_plan.clicked.connect(self._open_plan)
        self.save_plan = tool("Save the plan", "export", "Write this plan as a file of JSON, to change it")
        self.save_plan.clicked.connect(self._save_plan)
        self.drop_plan = tool("Remove the plan", "trash", "Remove this plan from the kit")
        self.drop_plan.clicked.connect(lambda: session.do(commands.remove_plan(self.plan.currentData())))
        self.variants = choice("Which variants", [])
        self.sheets = choice("Which sheets", [])
        self.side = choice("Size", [("As painted" if side == 0 else f"{side} wide", side) for side in SIZES])
        self.format = choice("Format", _formats())
        heights: list[tuple[str, object]] = [("Rows of 1 texel", 1)]
        heights += [(f"Rows of {high} texels", high) for high in range(2, MOST_ROW_TEXELS + 1)]
        self.rows = choice("How high rows of strips are", heights)
        self.rows.setMinimumWidth(ROWS_PX)
        self.pattern = QLineEdit(PATTERN)
        self.pattern.setAccessibleName("Names of the files")
        self.pattern.setToolTip("{kit}, {sheet}, {variant}, {map} and {size} stand for what they say")
        self.folder = QLineEdit()
        self.folder.setAccessibleName("Folder of the maps")
        self.folder.setPlaceholderText("Folder of the maps")
        browse = tool("Choose folder of the maps", "folder-open", "Choose a folder")
        browse.clicked.connect(self._browse)
        self.files = QTreeWidget()
        self.files.setAccessibleName("Maps that will be written")
        self.files.setHeaderLabels(["File", "Texels", "In memory"])
        self.files.setRootIsDecorated(False)
        self.files.setIconSize(QSize(PICTURE_PX, PICTURE_PX))
        self.files.setProperty("imageArea", True)
        if (header := self.files.header()) is not None:
            header.setAccessibleName("Columns of the maps")
            header.setStretchLastSection(False)
            header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.told = label("", "quiet")
        self.told.setWordWrap(True)
        self.write = QPushButton("Write maps")
        self.write.setProperty("role", "main")
        self.write.clicked.connect(self._write)
        self.show_folder = QPushButton("Open folder")
        self.show_folder.setToolTip("Show the folder of the maps in the file manager")
        self.show_folder.clicked.connect(
            lambda: QDesktopServices.openUrl(QUrl.fromLocalFile(self.folder.text().strip()))
        )
        self.show_folder.hide()
        body.setFocusProxy(self.plan)
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 4, 0, 0)
        column.setSpacing(8)
        for name, widgets in (
            ("Plan", (self.plan, self.open_plan, self.save_plan, self.drop_plan)), ("Of", (self.sheets, self.variants)),
            ("As", (self.side, self.format, self.rows)), ("Names", (self.pattern,)), ("Into", (self.folder, browse)),
        ):  # fmt: skip
            head = label(name, "section")
            head.setFixedWidth(56)
            line = row(head, *widgets, stretch=1)
            if isinstance(widgets[-1], QComboBox):
                line.setStretch(2, 1)
            column.addLayout(line)
        column.addWidget(self.files, 1)
        column.addWidget(self.told)
        column.addLayout(row(self.write, self.show_folder, stretch=0))
        self._look = one_shot(self, REST_MS, self._measure)
        for box in (self.plan, self.variants, self.sheets, self.side, self.format, self.rows):
            box.activated.connect(self._chosen)
        self.pattern.textEdited.connect(lambda _: self._look.start(REST_MS))
        session.shown_changed.connect(self._follow)
        session.selection_changed.connect(self._follow)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.show_folder.hide()
        self._follow()

    def _follow(self) -> None:
        if self.isVisible():
            self._offer()
            self._look.start(REST_MS if self._planned else 0)

    def _chosen(self) -> None:
        self._offer()
        self._look.start(0)

    def _offer(self) -> None:
        session, kit = self.session, self.session.kit
        plans: list[tuple[str, object]] = [(plan.name, plan.key) for plan in plans_of(kit)]
        offer(self.plan, plans, self.chosen_plan.key)
        self.rows.setVisible(any(file.is_strip for file in self.chosen_plan.files))
        self.drop_plan.setEnabled(self.plan.currentData() in [plan.key for plan in kit.plans])
        name = kit.variant_names.get(session.variant, "")
        variants = [(f"Variant {name}", THIS), (f"All {len(kit.variant_names)} variants", ALL)]
        offer(self.variants, variants, self.variants.currentData() or THIS)
        twins = sum(len(sheet.twins) for sheet in kit.sheets)
        here = f"Twin {kit.surface_names[session.at.twin]}" if session.at.twin else f"Sheet {session.at.sheet.name}"
        there = f"All {len(kit.sheets)} sheets" + (f" and {twins} twin{'s' * (twins > 1)}" if twins else "")
        sheets = [(here, THIS), (there, ALL)]
        offer(self.sheets, sheets, self.sheets.currentData() or THIS)

    @property
    def chosen_plan(self) -> OutputPlan:
        """The plan that is chosen."""
        plans = {plan.key: plan for plan in plans_of(self.session.kit)}
        return plans.get(self.plan.currentData(), READY[0])

    def _wish(self) -> Wish:
        """What is chosen now."""
        session, (suffix, bits) = self.session, self.format.currentData()
        kit = session.at.whole
        variants = list(kit.variant_names) if self.variants.currentData() == ALL else [session.variant]
        surfaces = list(kit.surface_names) if self.sheets.currentData() == ALL else [session.at.twin or session.at.key]
        return Wish(
            self.chosen_plan, variants, surfaces, self.side.currentData(), suffix, bits, self.pattern.text(),
            self.rows.currentData(),
        )  # fmt: skip

    # What would be written

    def _measure(self) -> None:
        """Work out on a worker what would be written, then make the pictures."""
        if not self.isVisible():
            return
        kit, sheets = self.session.at.whole, self.session.sheets
        wish = self._wish()
        self.session.jobs.run(
            "Maps",
            lambda progress, cancel: plan_maps(kit, sheets, [wish], cancel)[0],
            lambda planned: self._show(kit, wish, planned),
            self._refuse,
            rank=Rank.VIEW,
            place="maps to write",
        )

    def _refuse(self, why: str) -> None:
        self._planned = []
        self.files.clear()
        self.told.setText(why)
        self.write.setEnabled(False)

    def _show(self, kit: Kit, wish: Wish, planned: list[PlannedMap]) -> None:
        kept = {}
        for number in range(self.files.topLevelItemCount()):
            item = self.files.topLevelItem(number)
            assert item is not None
            kept[item.text(0)] = item.icon(0)
        self._planned = planned
        self.files.clear()
        blank = QPixmap(PICTURE_PX, PICTURE_PX)
        blank.fill(Qt.GlobalColor.transparent)
        for each in planned:
            name = each.wanted.name
            item = QTreeWidgetItem([name, f"{each.width} × {each.height}", size_text(each.memory)])
            item.setIcon(0, kept.get(name, QIcon(blank)))
            for column in (1, 2):
                item.setTextAlignment(column, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            self.files.addTopLevelItem(item)
        for column in (1, 2):
            self.files.resizeColumnToContents(column)
        memory = size_text(sum(each.memory for each in planned))
        self.told.setText(f"{len(planned)} maps; uncompressed in memory with mips {memory}.")
        self.write.setEnabled(True)
        wanted, sheets = [each.wanted for each in planned[:MOST_PICTURES]], self.session.sheets
        self.session.jobs.run(
            "Pictures of maps",
            lambda progress, cancel: small_planned(kit, sheets, wish, wanted, PICTURE_PX, cancel),
            self._show_pictures,
            self.session.notice.emit,
            rank=Rank.CHECK,
            place="pictures of maps",
        )

    def _show_pictures(self, made: dict[str, Plane]) -> None:
        for number in range(self.files.topLevelItemCount()):
            item = self.files.topLevelItem(number)
            if item is not None and item.text(0) in made:
                item.setIcon(0, _icon(to_image(rgb_of(_three(made[item.text(0)])))))

    # Writing

    def _write(self) -> None:
        place = self.folder.text().strip()
        if not place:
            self.told.setText("Choose a folder first.")
            self.folder.setFocus()
            return
        folder, kit, sheets = Path(place).expanduser(), self.session.at.whole, self.session.sheets
        wish = self._wish()
        self.write.setEnabled(False)

        def work(progress: Progress, cancel: CancelToken) -> dict[str, int]:
            return write_planned(kit, sheets, [wish], folder, progress, cancel)

        def done(sizes: dict[str, int]) -> None:
            self.told.setText(f"Written: {len(sizes)} maps, {size_text(sum(sizes.values()))} on disk, to {folder}.")
            self.show_folder.show()

        self.session.jobs.run("Write maps", work, done, self.told.setText, lambda: self.write.setEnabled(True))

    def _browse(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Folder of the maps", self.folder.text())
        if name:
            self.folder.setText(name)

    def _open_plan(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Open plan", "", "Output plans (*.json)")
        if name:
            self.take_plan(Path(name))

    def _save_plan(self) -> None:
        plan = self.chosen_plan
        name, _ = QFileDialog.getSaveFileName(self, "Save plan", f"{plan.key}.json", "Output plans (*.json)")
        if name:
            self.write_plan(Path(name))

    def write_plan(self, path: Path) -> None:
        """Write the chosen plan as a file."""
        plan = self.chosen_plan
        self.session.jobs.run(
            "Save plan",
            lambda progress, cancel: write_whole(path, plan_text(plan)),
            lambda _: self.told.setText(f"The plan is in {path}."),
            self.told.setText,
        )

    def take_plan(self, path: Path) -> None:
        """Offer the plan of a file, and choose it."""

        def done(plan: OutputPlan) -> None:
            if self.session.do(commands.add_plan(plan)):
                self._offer()
                show_choice(self.plan, self.session.kit.plans[-1].key)
                self._look.start(0)

        self.session.jobs.run("Open plan", lambda progress, cancel: read_plan(path), done, self._refuse)


def _icon(picture: QImage) -> QIcon:
    """A picture as large as fits into the square that all rows have."""
    square = QPixmap(PICTURE_PX, PICTURE_PX)
    square.fill(Qt.GlobalColor.transparent)
    fitted = picture.scaled(PICTURE_PX, PICTURE_PX, Qt.AspectRatioMode.KeepAspectRatio)
    painter = QPainter(square)
    painter.drawImage((PICTURE_PX - fitted.width()) // 2, (PICTURE_PX - fitted.height()) // 2, fitted)
    painter.end()
    return QIcon(square)


def _formats() -> list[tuple[str, object]]:
    """Each format that is written, in each depth."""
    found: list[tuple[str, object]] = []
    for suffix in OFFERED:
        kind, name = IMAGE_FORMATS[suffix], suffix[1:].upper()
        if kind.of_light:
            found.append((f"{name}, 32 bit floats", (suffix, 32)))
            continue
        found += [(f"{name}, {bits} bit", (suffix, bits)) for bits in (8, 16) if bits <= kind.bits]
    return [*found, *(("OpenRaster, a layer a file", (suffix, 8)) for suffix in LAYERED)]


def _three(plane: Plane) -> Samples:
    """Samples that can be seen: two channels with nothing in the third, without what stands beside three."""
    samples = plane.samples
    if samples.shape[2] == 2:
        return np.concatenate([samples, np.zeros_like(samples[..., :1])], axis=2)
    return samples[..., :3]
