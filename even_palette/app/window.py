"""The main window: rail, tray, stand, board and readout, and the menus."""

from collections import Counter
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence, QResizeEvent, QShowEvent
from PyQt6.QtWidgets import (
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QMainWindow,
    QMenu,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from even_palette.app import plain, theme
from even_palette.app.board.board import Board
from even_palette.app.centre import Centre
from even_palette.app.choosing import Choice
from even_palette.app.controls import add_action
from even_palette.app.files import FILTER
from even_palette.app.findings import Findings
from even_palette.app.following import Following
from even_palette.app.help import Help
from even_palette.app.jobs import Jobs, Rank, one_shot
from even_palette.app.ledge.ledge import Ledge
from even_palette.app.ledge.variant_strip import HEAD_PX
from even_palette.app.notice import Notice
from even_palette.app.paint_menu import fill_paint_menu
from even_palette.app.painting import Painting
from even_palette.app.panels import FindingsPanel
from even_palette.app.pointing import Pointing
from even_palette.app.rail import Rail, StageState, State
from even_palette.app.readout import Readout
from even_palette.app.recipe_drop import RecipeDrop
from even_palette.app.session import Session
from even_palette.app.sheet_box import SheetBox
from even_palette.app.stages import STAGES
from even_palette.app.stand.renderer import Renderer
from even_palette.app.stand.stand import Stand
from even_palette.app.thumbnails import Thumbnails
from even_palette.app.tray.tray import Tray
from even_palette.app.view_menu import fill_view_menu
from even_palette.app.view_state import Panes
from even_palette.core.checks import Finding
from even_palette.core.kit.home import find_unsaved
from even_palette.core.kit.model import Kit
from even_palette.core.kit.store import KIT_FILE
from even_palette.core.results.sheets import Sheets

if TYPE_CHECKING:
    from even_palette.app.write_maps import WriteMaps

FRAME_PX, LEAST_STAND_PX = 32, 220
"""What a window manager adds above and below a window, about; and the least height of the stand."""


class Window(QMainWindow):
    """The main window."""

    def __init__(self, stage: int = 0, sheets: Sheets | None = None) -> None:
        super().__init__()
        self.jobs = Jobs(self)
        self.session = Session(self.jobs, self, sheets)
        self.renderer = Renderer()
        self._maps: WriteMaps | None = None
        self._build()
        self._build_menus()
        self.pointing = Pointing(self.session, self.stand, self.tray, self.choice, self.readout, self.notice, STAGES)
        self.painting = Painting(self.session, self.stand, self.notice, STAGES)
        RecipeDrop(self.session, self.board, self.stand, self.pointing, self.readout)
        self.checks = Findings(self.session, self.stand, self.findings_panel, self.notice)
        fill_paint_menu(self.paint_menu, self.painting)
        self._connect()
        self.setAcceptDrops(True)
        self._fit_screen()
        self.setMinimumSize(1200, 640)
        self.enter_stage(stage)
        self.stand.canvas.setFocus()
        self._show_title()

    def _fit_screen(self) -> None:
        """1280 x 800 with the frame and title bar, where the screen has room for that."""
        screen = self.screen()
        room = screen.availableGeometry() if screen is not None else None
        width, height = (min(1280, room.width()), min(800, room.height())) if room else (1280, 800)
        self.resize(width, height - FRAME_PX)

    def _build(self) -> None:
        self.rail = Rail([stage.name for stage in STAGES])
        self.choice = Choice(self.session)
        self.tray = Tray(self.session, self.renderer, self.choice, STAGES)
        self.stand = Stand(self.session, self.renderer, self.choice)
        self.notice = Notice()
        begin_drawing = one_shot(self, 0, self.renderer.start)  # while views are made ready: it may take half a second
        self.session.document.replaced.connect(begin_drawing.start)
        self.thumbnails = Thumbnails(self.session, self.renderer, self.stand)
        self.board = Board(self.session, self.thumbnails)
        self.ledge = Ledge(self.session, self.board, self.tray, self.thumbnails, STAGES)
        self.readout = Readout()
        self.findings_panel = FindingsPanel(self, self.tray)
        self.splitter = QSplitter(Qt.Orientation.Vertical)
        self.centre = Centre(self.session, self.stand, self.renderer, STAGES)
        self.splitter.addWidget(self.centre)
        self.splitter.addWidget(self.ledge)
        self.splitter.setStretchFactor(0, 1)
        self.splitter.setChildrenCollapsible(False)
        self.splitter.splitterMoved.connect(lambda *_: self.ledge.remember(self.ledge.height()))
        right = QVBoxLayout()
        right.setSpacing(0)
        right.addWidget(self.notice)
        right.addWidget(self.splitter, 1)
        upper = QWidget()
        row = QHBoxLayout(upper)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.rail)
        row.addWidget(self.tray)
        row.addLayout(right, 1)
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(upper, 1)
        column.addWidget(self.readout)
        self.setCentralWidget(body)

    def write_maps(self) -> None:
        """Ask which maps shall be written; what asks is built by the first who wants it."""
        if self._maps is None:
            from even_palette.app.write_maps import WriteMaps

            self._maps = WriteMaps(self, self.session)
        self._maps.toggle()

    def _fit_ledge(self) -> None:
        """Give the ledge the height that it has in this stage."""
        whole = sum(self.splitter.sizes()) or self.height()
        wanted = min(self.ledge.wanted_px, max(HEAD_PX, whole - LEAST_STAND_PX))
        self.splitter.setSizes([whole - wanted, wanted])

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self._fit_ledge()  # only now the room is known

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit_ledge()

    def _build_menus(self) -> None:
        bar = self.menuBar()
        assert bar is not None

        def menu(name: str) -> QMenu:
            made = bar.addMenu(name)
            assert made is not None
            return made

        self.file_menu, self.edit_menu = menu("&File"), menu("&Edit")
        self.view_menu, self.paint_menu, self.stage_menu = menu("&View"), menu("&Paint"), menu("&Stage")
        keys = QKeySequence.StandardKey
        add_action(self.file_menu, "New kit", keys.New, lambda: self.session.open_copy(Kit()))
        add_action(self.file_menu, "Open kit…", keys.Open, self._open_kit)
        add_action(self.file_menu, "Open maps and meshes…", "Ctrl+Shift+O", self._open_maps)
        self.file_menu.addSeparator()
        self.save_action = add_action(self.file_menu, "Save", keys.Save, self.save)
        add_action(self.file_menu, "Save as…", keys.SaveAs, self.save_as)
        self.file_menu.addSeparator()
        add_action(self.file_menu, "Write maps…", "Ctrl+E", self.write_maps)
        self.file_menu.addSeparator()
        add_action(self.file_menu, "Quit", keys.Quit, self.close)
        self.undo_action = add_action(self.edit_menu, "Undo", keys.Undo, self.session.undo)
        self.redo_action = add_action(self.edit_menu, "Redo", "Ctrl+Shift+Z", self.session.redo)
        self.history_menu = self.edit_menu.addMenu("History")
        assert self.history_menu is not None
        self.history_menu.aboutToShow.connect(self._list_history)
        fill_view_menu(self.view_menu, self.centre, self.board, self.ledge, self.findings_panel, self.set_scheme)
        self.help_menu = menu("&Help")
        self.sheet_box = SheetBox(self.session)
        bar.setCornerWidget(self.sheet_box)
        for index, stage in enumerate(STAGES):
            enter = partial(self.enter_stage, index)
            add_action(self.stage_menu, f"{index + 1} {stage.name}", f"Ctrl+{index + 1}", enter)
        others = (self.file_menu, self.edit_menu, self.view_menu, self.paint_menu, self.stage_menu)
        self.help = Help(self, self.help_menu, others, self.jobs, self.notice)

    def _connect(self) -> None:
        session, tray, stand = self.session, self.tray, self.stand
        self.rail.chosen.connect(self.enter_stage)
        self.renderer.troubled.connect(
            lambda text: self.notice.tell(f"{text} Until then views are drawn by the slower reference.")
        )
        session.changed.connect(Following(session, self._follow_kit, self))
        session.title_changed.connect(self._show_title)
        session.notice.connect(self.notice.tell)
        session.document.recovered.connect(self._offer_last_save)
        session.document.opened.connect(self._enter_fitting_stage)
        session.files.mesh_opened.connect(lambda: stand.suggest_panes(Panes.BOTH))
        tray.look_wanted.connect(stand.set_look)
        stand.look_changed.connect(tray.follow_look)
        stand.look_changed.connect(self.ledge.follow_look)
        tray.proof_ready.connect(stand.show_proof)
        self.board.edit_wanted.connect(self.edit_cell)
        self.jobs.changed.connect(self.readout.show_job)
        self.readout.cancel_wanted.connect(self.jobs.cancel)
        for asking in (self.readout.findings_wanted, tray.findings_wanted):
            asking.connect(self.findings_panel.toggle)
        self.checks.changed.connect(self._show_findings)
        self.checks.stage_wanted.connect(self._enter_named)
        tray.stage_wanted.connect(self._enter_named)
        tray.maps_wanted.connect(self.write_maps)
        tray.shots_wanted.connect(self.centre.scene.write_pictures)
        self.ledge.changed.connect(self._fit_ledge)
        self.session.view.painter_changed.connect(tray.follow_painter)
        self.ledge.look_wanted.connect(stand.set_look)
        self.ledge.place_wanted.connect(stand.show_place)
        self.ledge.pictures_wanted.connect(stand.show_pictures)
        self.ledge.line_wanted.connect(self.pointing.draw_line)
        self.ledge.step_chosen.connect(lambda number: tray.current.choose_step(number))
        tray.step_chosen.connect(self.ledge.follow_step)

    # Stages

    @property
    def stage(self) -> int:
        """The number of the stage that is entered."""
        return self.session.view.state.stage

    def enter_stage(self, index: int) -> None:
        """Go to a stage; the stand shows what the stage is about."""
        if index == self.stage:
            return
        stage, session = STAGES[index], self.session
        session.view.change(stage=index)
        self.rail.show_stage(index)
        self.tray.show_stage(stage.name)
        self.ledge.show_stage()
        self.stand.stop_picking()
        self.pointing.follow_stage()
        if panes := stage.panes(session.kit):
            self.stand.suggest_panes(panes)
        if stage.spread:
            self.stand.set_spread(True)
            return
        session.view.change(quiet=True, spread=False, spread_far=False)
        self.stand.set_look(stage.look(session) or self.stand.look)

    def _enter_named(self, name: str) -> None:
        """Go to the stage of a name, if there is one."""
        for index, stage in enumerate(STAGES):
            if stage.name == name:
                self.enter_stage(index)

    def _enter_where_cells_are_edited(self) -> None:
        self.enter_stage(next(index for index, stage in enumerate(STAGES) if stage.edits_cells))

    def edit_cell(self) -> None:
        """Enter on the board: the cell's values in the tray."""
        self._enter_where_cells_are_edited()
        self.tray.current.refresh()
        self.tray.current.focus_first()

    def _follow_kit(self) -> None:
        history = self.session.history
        for action, labels, word in (
            (self.undo_action, history.undo_labels, "Undo"),
            (self.redo_action, history.redo_labels, "Redo"),
        ):
            action.setText(f"{word} {labels[0][:1].lower()}{labels[0][1:]}" if labels else word)
            action.setEnabled(bool(labels))
        self._show_states()
        self._show_title()

    def _list_history(self) -> None:
        assert self.history_menu is not None
        self.history_menu.clear()
        for steps, name in enumerate(self.session.history.undo_labels[:20], 1):
            back = self.history_menu.addAction(plain.item(f"Back before: {name}"))
            assert back is not None
            back.triggered.connect(lambda _, n=steps: self.session.undo(n))

    def _show_states(self) -> None:
        at, counts = self.session.at, Counter(finding.stage for finding in self.findings)
        states = []
        for stage in STAGES:
            count = counts[stage.name]
            in_work = stage.filled(at, self.tray.built(stage.name))
            state = State.FINDINGS if count else State.IN_WORK if in_work else State.EMPTY
            states.append(StageState(state, count))
        self.rail.show_states(states)

    @property
    def findings(self) -> list[Finding]:
        """What the checks found."""
        return self.checks.found

    def _show_findings(self) -> None:
        self.readout.show_findings(self.findings, self.checks.settled)
        self.tray.show_findings(self.findings)
        self._show_states()

    # Files

    def open_paths(self, paths: list[Path]) -> None:
        """Open a kit, or take files in as maps; what goes wrong becomes a notice and costs nothing."""
        kits = [path for path in paths if path.is_dir() or path.name == KIT_FILE]
        files = [path for path in paths if path not in kits]
        if kits:
            self.session.open_kit(kits[0], lambda: self.session.open_files(files))
        else:
            self.session.open_files(files)

    def _enter_fitting_stage(self) -> None:
        if self.session.at.sheet.regions:
            self._enter_where_cells_are_edited()
        else:
            self.enter_stage(0)

    def offer_unsaved(self) -> None:
        """If a kit was never saved and its window is gone, offer to go on with it."""

        def found(folder: Path | None) -> None:
            if folder is not None:
                go_on = partial(self.session.document.recover_unsaved, folder)
                self.notice.tell("A kit that was never saved was found.", {"Go on with it": go_on})

        self.jobs.run("Unsaved work", lambda progress, cancel: find_unsaved(), found, self.notice.tell, rank=Rank.CHECK)

    def _offer_last_save(self) -> None:
        self.notice.tell("Unsaved work was recovered.", {"Go back to the last save": self.session.undo})

    def _open_kit(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Open kit: choose its folder")
        if name:
            self.open_paths([Path(name)])

    def _open_maps(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, "Open maps and meshes", "", FILTER)
        self.open_paths([Path(name) for name in names])

    def save(self) -> None:
        """Save the kit where it lies, or ask where."""
        if self.session.folder is None or self.session.folder.read_only:
            self.save_as()
            return
        self.session.document.save()

    def save_as(self) -> None:
        """Ask for a folder, and save the kit there."""
        name, _ = QFileDialog.getSaveFileName(self, "Save kit as a new folder", self.session.kit.name)
        if name:
            self.session.document.save_as(Path(name))

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        assert event is not None
        data = event.mimeData()
        if data is not None and data.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        assert event is not None
        data = event.mimeData()
        if data is not None:
            self.open_paths([Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()])
            event.acceptProposedAction()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Closing never asks: unsaved work stays in the autosave and is there at the next opening."""
        self.jobs.close()
        self.session.close()
        for canvas in (self.stand.canvas, self.stand.model.canvas, self.centre.scene.canvas):
            canvas.forget_drawn()
        self.thumbnails.close()
        for drawer in self.stand.canvas.drawers:
            drawer.close()
        super().closeEvent(event)

    # Looks of the window

    def set_scheme(self, name: str) -> None:
        """Dress the window in a scheme."""
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        theme.apply_scheme(app, name)
        theme.renew_icons(self)
        self.thumbnails.forget()
        self.board.heads.redraw()

    def _show_title(self) -> None:
        session = self.session
        where = str(session.folder.folder) if session.folder else "not saved yet"
        state = " (read-only)" if session.folder and session.folder.read_only else ""
        self.setWindowModified(session.modified)
        self.setWindowTitle(f"{session.kit.name}[*]{state} — {where} — Even Palette")
