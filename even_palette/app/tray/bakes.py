"""Bakes of the sheet: which there are, their settings, and writing them as files."""

from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QListWidgetItem, QPushButton, QSpinBox, QVBoxLayout, QWidget

from even_palette.app import plain
from even_palette.app.choosing import Choice
from even_palette.app.controls import ShortList, label, offer, patterns, row, show_choice, tool
from even_palette.app.controls import choice as choice_box
from even_palette.app.session import Session
from even_palette.app.tray.setting_rows import SettingRows
from even_palette.core.disk.gate import refuse_sources
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit import commands
from even_palette.core.kit.sheet import Bake
from even_palette.core.material.drawn import Way
from even_palette.core.mesh.bakes import BAKES
from even_palette.core.mesh.bakes._declare import Reads
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.formats import OFFERED
from even_palette.core.results.around import casters_of
from even_palette.core.results.bakes import bake_of
from even_palette.core.results.dividing import choose_roots
from even_palette.core.results.looks import Look
from even_palette.core.results.looks.bake import bake_label

SIZES = (256, 512, 1024, 2048, 4096, 8192)
SAMPLES = ((1, "1 sample"), (2, "4 samples"), (4, "16 samples"))


class BakesTab(QWidget):
    """The bakes of the sheet, and the settings of the chosen one."""

    look_wanted = pyqtSignal(object)

    def __init__(self, session: Session, choice: Choice) -> None:
        super().__init__()
        self.session, self.choice = session, choice
        self.bake = ""
        self.kind = choice_box("Kind of bake", [])
        self.add = QPushButton("Add")
        self.add.clicked.connect(self._add)
        self.list = ShortList("Bakes", 80)
        self.list.currentItemChanged.connect(self._select)
        self.told = label("", "quiet")
        self.size_box = choice_box("Size", [(f"{size} × {size}", size) for size in SIZES])
        self.size_box.activated.connect(lambda i: self._change(size=self.size_box.itemData(i)))
        self.samples = choice_box("Samples", [(text, count) for count, text in SAMPLES])
        self.samples.setToolTip("Samples a texel")
        self.samples.activated.connect(lambda i: self._change(samples=self.samples.itemData(i)))
        self.padding = QSpinBox()
        self.padding.setRange(0, 256)
        self.padding.setAccessibleName("Padding")
        self.padding.setPrefix("Padding ")
        self.padding.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.padding.setSuffix(" texels")
        self.padding.setKeyboardTracking(False)
        self.padding.valueChanged.connect(lambda value: self._change(padding=value))
        self.variant = choice_box("Light of variant", [])
        self.variant.setToolTip("The variant whose glowing coats throw the light")
        self.variant.activated.connect(lambda i: self._change(variant=self.variant.itemData(i)))
        self.lasting = label("", "quiet")
        self.around = label("", "quiet")
        self.values = SettingRows()
        self.values.changed.connect(self._set)
        self.values.finished.connect(session.end_merge)
        self.roots_button = QPushButton("Chosen faces are the roots")
        self.roots_button.clicked.connect(self._roots)
        self.write_button = QPushButton("Write …")
        self.write_button.setToolTip("Write this bake as a file (PNG, TIFF or EXR)")
        self.write_button.clicked.connect(self._write)
        self.id_button = QPushButton("Use as ID map")
        self.id_button.clicked.connect(lambda: session.do(commands.set_id_bake(session.at.key, self.bake)))
        remove = tool("Remove bake", "trash", "Remove this bake")
        remove.clicked.connect(lambda: session.do(commands.remove_bake(session.at.key, self.bake)))
        self.remove = remove
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addLayout(row(self.kind, self.add, stretch=0))
        column.addWidget(self.list, 10)
        column.addWidget(self.told)
        column.addLayout(row(self.size_box, self.samples))
        column.addWidget(self.padding)
        column.addWidget(self.variant)
        column.addWidget(self.around)
        column.addWidget(self.lasting)
        column.addWidget(self.values)
        column.addWidget(self.roots_button)
        column.addLayout(row(self.write_button, self.id_button, remove, stretch=0))
        column.addStretch(1)

    def _current(self) -> Bake | None:
        return next((bake for bake in self.session.at.sheet.bakes if bake.key == self.bake), None)

    def refresh(self) -> None:
        """Show the bakes of the kit."""
        at = self.session.at
        if not self.kind.count():
            for kind in BAKES.values():
                self.kind.addItem(kind.label, kind.name)
                self.kind.setItemData(self.kind.count() - 1, kind.told, Qt.ItemDataRole.ToolTipRole)
        keys = [bake.key for bake in at.sheet.bakes]
        self.bake = self.bake if self.bake in keys else (keys[0] if keys else "")
        serves = [", ID map" if key == at.sheet.id_bake else "" for key in keys]
        texts = [f"{bake_label(b)}   {b.size}²{id_map}" for b, id_map in zip(at.sheet.bakes, serves, strict=True)]
        self.list.show_keyed(list(zip(keys, texts, strict=True)), self.bake)
        self._show_bake()

    def _show_bake(self) -> None:
        from even_palette.core.mesh.padding import lasting_mips

        bake = self._current()
        for widget in (self.size_box, self.samples, self.padding, self.write_button, self.id_button, self.remove):
            widget.setEnabled(bake is not None)
        self.roots_button.setVisible(bake is not None and bake.kind == "along")
        if bake is None:
            self.variant.setVisible(False)
            self.around.setVisible(False)
            self.told.setText("No bakes yet. Add one; it follows the mesh and the regions.")
            self.lasting.setText("")
            self.values.show_settings((), {})
            return
        kind = BAKES[bake.kind]
        self.variant.setVisible(Reads.LIGHT in kind.reads)
        names = self.session.kit.variant_names
        offer(self.variant, [(f"Light of {name}", key) for key, name in names.items()], bake.variant)
        self.told.setText(kind.told)
        self.around.setVisible(Reads.AROUND in kind.reads)
        self.around.setText(self._around())
        show_choice(self.size_box, bake.size)
        show_choice(self.samples, bake.samples)
        self.samples.setEnabled(not kind.index_like)
        self.samples.setToolTip(plain.tip("Index-like maps are never mixed." if kind.index_like else "Softens edges."))
        self.padding.blockSignals(True)
        self.padding.setValue(bake.padding)
        self.padding.blockSignals(False)
        levels = lasting_mips(bake.padding)
        self.lasting.setText(
            f"The padding lasts {levels} mip levels, down to {max(1, bake.size >> levels)}²."
            if levels >= 0
            else "Without padding the first mip level already shows background."
        )
        self.id_button.setEnabled(kind.channels == 3 and bake.key != self.session.at.sheet.id_bake)
        self.values.show_settings(kind.values, kind.settings(bake.values))

    def _around(self) -> str:
        """What rays meet beside the mesh on the sheet."""
        at = self.session.at
        names = [Path(at.kit.mesh(key).path).name for key in casters_of(at)]
        told = f"Rays meet this sheet's mesh and {', '.join(names)}." if names else "Rays meet this sheet's mesh alone."
        return told + (" They go through what is cut out." if at.sheet.drawing.way == Way.CUT_OUT else "")

    def _set(self, name: str, value: float | str) -> None:
        bake = self._current()
        if bake is not None:
            self._change(values={**bake.values, name: value})

    def _change(self, **fields: object) -> None:
        bake = self._current()
        if bake is not None:
            self.session.do(commands.set_bake(self.session.at.key, replace(bake, **fields)))

    def _add(self) -> None:
        name = self.kind.currentData()
        if self.session.do(commands.add_bake(self.session.at.key, Bake(name, name))):
            self.bake = self.session.at.sheet.bakes[-1].key
            self.refresh()
            self._look()

    def _select(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.bake = item.data(Qt.ItemDataRole.UserRole)
            self._show_bake()
            self._look()

    def _look(self) -> None:
        if self.bake:
            self.look_wanted.emit(Look("bake", bake=self.bake))

    def _roots(self) -> None:
        at, faces = self.session.at, self.choice.faces
        self.session.do_made("Begin here", lambda: choose_roots(at, self.session.sheets, faces))
        bake = self._current()
        if bake is not None and bake.values.get("way") != "way":
            self._set("way", "way")

    def _write(self) -> None:
        bake = self._current()
        if bake is None:
            return
        name, _ = QFileDialog.getSaveFileName(
            self, "Write bake", f"{self.session.at.sheet.key}-{bake.key}.png", f"Maps ({patterns(OFFERED)})"
        )
        if name:
            self.write_to(Path(name))

    def write_to(self, path: Path) -> None:
        """Bake and write the selected bake as a file."""
        at, bake = self.session.at, self._current()
        if bake is None:
            return

        def work(progress: Progress, cancel: CancelToken) -> None:
            refuse_sources(path, [Path(file.path) for file in at.kit.files])
            plane, _ = bake_of(at, self.session.sheets, bake, progress, cancel)
            write_plane(path, plane)

        def done(_: object) -> None:
            self.session.notice.emit(f"Written: {path}.")

        self.session.jobs.run("Write bake", work, done, self.session.notice.emit)
