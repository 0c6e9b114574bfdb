"""Stage 1, Source: open maps and say what each is and how it is encoded."""

from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QFrame, QPushButton, QVBoxLayout

from even_palette.app.session import Session
from even_palette.app.tray.panel import Panel, choice, empty, label, row, show_choice, tool
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.model import Source
from even_palette.core.raster.files import READABLE
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding

FILTER = f"Maps ({' '.join('*' + suffix for suffix in READABLE)})"
ENCODINGS = [("sRGB", Encoding.SRGB), ("Linear", Encoding.LINEAR), ("Data", Encoding.DATA)]


class SourcePanel(Panel):
    look_wanted = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Source", "The painted maps of the sheet. Say what each is and how it is encoded.")
        self.open_button = QPushButton("Open maps…")
        self.open_button.setProperty("role", "main")
        self.open_button.clicked.connect(self._open)
        self.cards = QVBoxLayout()
        self.cards.setSpacing(8)
        self.column.addWidget(self.open_button)
        self.column.addLayout(self.cards)
        self.column.addStretch(1)

    def refresh(self) -> None:
        empty(self.cards)
        for source in self.session.kit.sheet.sources:
            self.cards.addWidget(self._card(source))
        if not self.session.kit.sheet.sources:
            self.cards.addWidget(label("No maps yet. Files can also be dropped on the window.", "quiet"))

    def _card(self, source: Source) -> QFrame:
        card = QFrame()
        card.setFrameShape(QFrame.Shape.StyledPanel)
        column = QVBoxLayout(card)
        column.setContentsMargins(10, 8, 10, 10)
        column.setSpacing(6)
        name = label(Path(source.path).name, "section")
        name.setToolTip(source.path)
        role = choice(f"What {Path(source.path).name} is", [(r.value, r) for r in Role])
        show_choice(role, source.role)
        role.activated.connect(lambda i: self.session.do(commands.set_role(source.role, role.itemData(i))))
        encoding = choice(f"Encoding of {source.role}", list(ENCODINGS))
        show_choice(encoding, source.encoding)
        encoding.activated.connect(lambda i: self.session.do(commands.set_encoding(source.role, encoding.itemData(i))))
        find = tool(f"Find {source.role}", "folder-open", "Use another file for this map")
        find.clicked.connect(lambda: self._find(source))
        take = tool(
            f"Take {source.role} into the kit",
            "package",
            "Copy this map into the kit's folder, so that the kit can travel",
        )
        take.clicked.connect(lambda: self.session.take_in(source.role))
        remove = tool(f"Remove {source.role}", "trash", "Remove this map from the sheet")
        remove.clicked.connect(lambda: self.session.do(commands.remove_source(source.role)))
        column.addWidget(name)
        column.addWidget(label(self._told(source), "quiet"))
        column.addLayout(row(role, encoding, stretch=0))
        buttons = row(find, take, remove)
        buttons.addStretch(1)
        column.addLayout(buttons)
        return card

    def _told(self, source: Source) -> str:
        if not Path(source.path).exists():
            return "Missing. Point to it with the folder button."
        try:
            plane = self.session.sheets.plane(source)
        except UserError as error:
            return str(error)
        bits = plane.samples.dtype.itemsize * 8
        kind = "float" if plane.samples.dtype.kind == "f" else "bit"
        return f"{plane.width} × {plane.height}, {plane.channels} channels, {bits} {kind}"

    def _open(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, "Open maps", "", FILTER)
        self.session.open_maps([Path(name) for name in names])

    def _find(self, source: Source) -> None:
        name, _ = QFileDialog.getOpenFileName(self, f"Find {source.role}", str(Path(source.path).parent), FILTER)
        if name:
            self.session.point_source_to(source.role, Path(name))
