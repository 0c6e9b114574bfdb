"""Stage 8, Ship: write the package, and prove it by the player."""

from dataclasses import replace
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QProcess, QProcessEnvironment, Qt, QTemporaryDir
from PyQt6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QLineEdit,
    QListWidgetItem,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
)

from even_palette.app import plain
from even_palette.app.controls import ShortList, choice, label, offer, row, show_choice, swatch_icon, tool
from even_palette.app.jobs import Rank
from even_palette.app.panel import Panel
from even_palette.app.session import Session
from even_palette.app.tray.packings import PACKINGS
from even_palette.core.disk.gate import size_text
from even_palette.core.graph import nodes
from even_palette.core.graph.types import Type
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit import commands
from even_palette.core.kit.model import Focus, Kit
from even_palette.core.material.outputs import ALPHA
from even_palette.core.material.variants import MASTER
from even_palette.core.raster.files import read_plane
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.regions.packing import Packing, PackingPlan
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.pictures import SHOWN, whole_sheet
from even_palette.core.ship.costs import suggested_channels, told_of
from even_palette.core.ship.targets import TARGETS
from even_palette.core.ship.write import Planned, plan, ship
from even_palette.terminal import command

AMPLIFY = 64
CHANNELS_PX = 112


class ShipPanel(Panel):
    """The folder of the package, what goes into it, and its proof by the player."""

    def __init__(self, session: Session, renderer) -> None:  # type: ignore[no-untyped-def]
        super().__init__(session, "Ship", "")
        self.renderer = renderer
        self.shipped: tuple[Path, Focus, dict[str, int]] | None = None
        self._process: QProcess | None = None
        self._planned_for: Kit | None = None
        self.folder = QLineEdit()
        self.folder.setPlaceholderText("Folder of the package")
        self.folder.setAccessibleName("Package folder")
        browse = tool("Choose package folder", "folder-open", "Choose a folder")
        browse.clicked.connect(self._browse)
        self.files = QTreeWidget()
        self.files.setAccessibleName("Files of the package")
        self.files.setHeaderLabels(["File", "Holds", "Memory", "On disk"])
        self.files.setRootIsDecorated(False)
        if (header := self.files.header()) is not None:
            header.setAccessibleName("Columns of the files")
        self.files.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.files.setColumnWidth(0, 260)
        self.files.setColumnWidth(1, 300)
        self.ship_button = QPushButton("Ship package")
        self.ship_button.setProperty("role", "main")
        self.ship_button.clicked.connect(self.ship)
        self.obstacle = label("", "quiet")
        self.outcome = label("", "quiet")
        self.variant = choice("Variant to prove", [])
        self.proof_button = QPushButton("Proof by player")
        self.proof_button.setToolTip(
            "A separate program reads only the package and renders it; the pictures are compared"
        )
        self.proof_button.clicked.connect(self.prove)
        self.proof_result = label("", "quiet")
        self.packing = choice("Packing of the weights", [(name, packing) for packing, name in PACKINGS.items()])
        self.packing.setToolTip("How the weights of the sheet in front are shipped")
        self.packing.activated.connect(
            lambda i: session.do(commands.set_packing(session.at.key, self.packing.itemData(i)))
        )
        self.packing_told = label("", "quiet")
        self.channels = ShortList("Channels of the weights", CHANNELS_PX)
        self.channels.setDragDropMode(ShortList.DragDropMode.InternalMove)
        self.channels.setToolTip("Drag a region into another channel")
        if (model := self.channels.model()) is not None:
            model.rowsMoved.connect(lambda _p, first, _l, _d, to: self._move_channel(first, to))
        self.suggest = QPushButton("Suggest")
        self.suggest.setToolTip("Put regions that touch into different planes, which suits block compression")
        self.suggest.clicked.connect(self._suggest)
        self.divide = QCheckBox("Divide weights by their sum")
        self.divide.setToolTip(
            "Mends what blocks make of sums; a sum and a division a pixel. Only where the base has no part"
        )
        self.divide.clicked.connect(lambda on: session.do(commands.set_divide_weights(session.at.key, on)))
        self.target = choice("Target", [(target.label, name) for name, target in TARGETS.items()])
        self.target.setToolTip("\n".join(f"{target.label}: {target.help}" for target in TARGETS.values()))
        self.target.activated.connect(self.refresh)
        self.column.addLayout(row(self.folder, browse, stretch=0))
        if len(TARGETS) > 1:
            self.column.addLayout(row(label("For"), self.target, stretch=1))
        self.column.addLayout(row(label("Weights"), self.packing, stretch=1))
        self.column.addWidget(self.channels, 10)
        self.column.addLayout(row(label("Channels are moved by drag.", "quiet"), self.suggest, stretch=0))
        self.column.addWidget(self.divide)
        self.column.addWidget(self.packing_told)
        for widget in (self.obstacle, self.ship_button, self.outcome):
            self.column.addWidget(widget)
        self.column.addLayout(row(self.variant, self.proof_button, stretch=0))
        self.column.addWidget(self.proof_result)
        self.maps = QPushButton("Write maps …")
        self.maps.setToolTip("Full-size maps of outputs, packed as a runtime wants them (Ctrl+E)")
        self.maps.clicked.connect(self.maps_wanted)
        self.column.addWidget(label("Maps without a package", "section"))
        self.column.addWidget(self.maps)
        self.column.addStretch(1)
        session.shown_changed.connect(self.follow)

    def refresh(self) -> None:
        at = self.session.shown
        current = self.variant.currentData() or MASTER
        offer(self.variant, [(name, key) for key, name in self.session.kit.variant_names.items()], current)
        self.files.clear()
        show_choice(self.packing, self.session.at.sheet.packing)
        self.divide.setChecked(self.session.at.sheet.divide_weights)
        self._show_channels()
        self._show_obstacle("")
        fresh = self.shipped is not None and self.shipped[1].whole == self.session.document.kit
        self.proof_button.setEnabled(fresh)
        if not fresh:
            self.proof_result.setText("Ship first; the proof needs a package of the present kit.")
        if at is None:
            self._show_obstacle("There is nothing to ship: maps are missing. Open them in Source.")
            return
        target = self.target.currentData()
        self._planned_for = at.whole
        self._measure(at)
        self.session.jobs.run(
            "Package",
            lambda progress, cancel: plan(at.whole, self.session.sheets, target),
            lambda planned: self._show_plan(at.whole, planned),
            lambda text: self._show_obstacle(text) if self._planned_for is at.whole else None,
            rank=Rank.VIEW,
            place="package",
        )

    def _show_channels(self) -> None:
        """List the regions in the order of channels, each with its place."""
        at = self.session.at
        plan = PackingPlan(at.sheet.packing, at.sheet.channel_order)
        self.channels.clear()
        for index, key in enumerate(plan.regions):
            place = plan.place(index)
            where = f"{place.slot} {place.layer}" if place.layer >= 0 else place.slot
            region = at.kit.region(key)
            told = f"{where.replace('_', ' ')} · {place.channel.upper()}    {region.name}"
            self.channels.addItem(QListWidgetItem(swatch_icon(region.id_colour), told))
        several = len(plan.regions) > 1
        self.channels.setEnabled(several)
        self.suggest.setEnabled(several and at.sheet.packing != Packing.PAIRS)

    def _move_channel(self, first: int, to: int) -> None:
        order = list(self.session.at.sheet.channel_order)
        order.insert(to - 1 if to > first else to, order.pop(first))
        self.session.do(commands.set_channels(self.session.at.key, order))

    def _suggest(self) -> None:
        at, sheets = self.session.at, self.session.sheets
        self.session.do_made("Channels", lambda: commands.set_channels(at.key, suggested_channels(at, sheets)))

    def _measure(self, at: Focus) -> None:
        """Tell what the packing costs, and of edge pairs how exact they are."""
        sheets = self.session.sheets

        def work(progress: Progress, cancel: CancelToken) -> str:
            return told_of(at, sheets)

        self.session.jobs.run(
            "Packing", work, self.packing_told.setText, self.packing_told.setText, rank=Rank.CHECK, place="packing"
        )

    def _show_plan(self, kit: Kit, planned: list[Planned]) -> None:
        """List the files that a package of the kit will hold."""
        if kit is not self._planned_for:
            return
        fresh = self.shipped is not None and self.shipped[1].whole == self.session.document.kit
        self.files.clear()
        total = 0
        for item in planned:
            memory = size_text(item.texture_bytes) if item.texture_bytes else "–"
            total += item.texture_bytes
            disk = self._disk_size(item.file) if fresh else "–"
            entry = QTreeWidgetItem([item.file, item.holds, memory, disk])
            entry.setToolTip(1, plain.tip(item.holds))
            self.files.addTopLevelItem(entry)
        self.files.addTopLevelItem(QTreeWidgetItem(["Together", "", size_text(total), ""]))

    def _show_obstacle(self, text: str) -> None:
        """Why nothing can be shipped, if that is so."""
        self.obstacle.setText(text)
        self.obstacle.setVisible(bool(text))
        self.ship_button.setEnabled(not text)

    def _disk_size(self, name: str) -> str:
        assert self.shipped is not None
        sizes = self.shipped[2]
        return size_text(sizes[name]) if name in sizes else "–"

    def _browse(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Folder of the package")
        if name:
            self.folder.setText(name)

    def ship(self) -> None:
        """Write the package of the kit as it is now."""
        if not self.folder.text().strip():
            self.outcome.setText("Choose a folder first.")
            self.folder.setFocus()
            return
        folder, at, target = Path(self.folder.text().strip()).expanduser(), self.session.at, self.target.currentData()
        self.ship_button.setEnabled(False)

        def work(progress: Progress, cancel: CancelToken) -> dict[str, int]:
            return ship(at.whole, self.session.sheets, folder, progress, cancel, target)

        def done(sizes: dict[str, int]) -> None:
            self.shipped = (folder, at, sizes)
            self.outcome.setText(f"Shipped {len(sizes)} files, {size_text(sum(sizes.values()))}, to {folder}.")

        self.session.jobs.run("Ship", work, done, self.outcome.setText, self.refresh)

    def prove(self) -> None:
        """Let the player render the package in a process of its own, then compare."""
        if self.shipped is None or self._process is not None:
            return
        folder, at, _ = self.shipped
        variant = self.variant.currentData() or MASTER
        place = QTemporaryDir()
        out = Path(place.path()) / "played.png"
        process = QProcess(self)
        process.setProcessEnvironment(QProcessEnvironment.systemEnvironment())
        self._process = process
        self.proof_button.setEnabled(False)
        self.proof_result.setText("The player is at work …")

        def finished(code: int) -> None:
            self._process = None
            if code != 0:
                told = bytes(process.readAllStandardError().data()).decode(errors="replace").strip()
                self._end_proof(told.splitlines()[-1] if told else "The player ended without a picture.")
                place.remove()
                return

            def read(progress: Progress, cancel: CancelToken) -> Plane:
                played = read_plane(out, Encoding.SRGB)
                place.remove()
                return played

            self.session.jobs.run("Proof", read, lambda played: self._compare(at, variant, played), self._end_proof)

        process.finished.connect(finished)
        words = ["play", str(folder), "--out", str(out), f"--sheet={at.sheet.name}"]
        words += [f"--variant={at.kit.variant(variant).name}"] if variant else []
        words += [f"--twin={at.kit.twin(at.twin)[1].name}"] if at.twin else []
        program, *arguments = command(*words)
        process.start(program, arguments)

    def _compare(self, at: Focus, variant: str, played: Plane) -> None:
        shown = picture(at, self.session.sheets, Look(variant=variant))
        view = whole_sheet(played.width, played.height)
        own = self.renderer.render(shown, view)[..., : played.channels]
        if played.channels == 4 and ALPHA in shown.outputs:
            alpha = replace(shown, outputs={SHOWN: nodes.splat(shown.outputs[ALPHA], Type.VEC3)})
            own = np.concatenate([own[..., :3], self.renderer.render(alpha, view)[..., :1]], axis=-1)
        name = at.kit.variant_names[variant]

        def work(progress: Progress, cancel: CancelToken) -> tuple[str, list[Plane]]:
            difference = np.abs(own.astype(np.int16) - played.samples)
            worst, share = int(difference.max()), float((difference.max(axis=-1) > 0).mean())
            told = f"{name}: largest difference {worst} of 255, in {share:.2%} of the texels a difference at all. " + (
                "The package holds." if worst <= 1 else "The package does not look like the kit."
            )
            worst_of = np.maximum(difference[..., :3], difference[..., 3:].max(axis=-1, initial=0)[..., None])
            amplified = np.clip(worst_of * AMPLIFY, 0, 255).astype(np.uint8)
            planes = [Plane(np.ascontiguousarray(own), Encoding.SRGB), played, Plane(amplified, Encoding.DATA)]
            return told, planes

        def done(found: tuple[str, list[Plane]]) -> None:
            self._end_proof(found[0])
            self.proof_ready.emit(*found[1], name)

        self.session.jobs.run("Proof", work, done, self._end_proof)

    def _end_proof(self, told: str) -> None:
        self.proof_result.setText(told)
        self.proof_button.setEnabled(True)
