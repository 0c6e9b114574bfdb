"""The card of a map in Source: what it is for, how its samples are meant, what its channels hold."""

from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QFileDialog, QPushButton, QVBoxLayout, QWidget

from even_palette.app import plain
from even_palette.app.controls import choice, label, row, show_choice, tool
from even_palette.app.files import FILTER
from even_palette.app.session import Session
from even_palette.app.tray.layout_rows import LayoutRows, made_small
from even_palette.app.tray.plain_colour import PlainColour
from even_palette.core.kit import commands
from even_palette.core.kit.sheet import Source
from even_palette.core.raster.guess import COLOUR_ROLES, Role
from even_palette.core.raster.layouts import layout_name
from even_palette.core.raster.normals import points_down
from even_palette.core.raster.plane import Encoding, Plane, colour_plane
from even_palette.core.results.looks import Look
from even_palette.core.results.maps import known_map
from even_palette.core.results.regions_from_masks import regions_from_masks

ENCODINGS = (("sRGB", Encoding.SRGB), ("Linear", Encoding.LINEAR), ("Data", Encoding.DATA))


def what_it_is(source: Source) -> str:
    """What a map is to its sheet, in words."""
    return layout_name(source.layout) or source.role


class MapCard(QWidget):
    """`look_wanted` gives a look for the stand, `pick_wanted` a swatch that wants a colour from it."""

    look_wanted = pyqtSignal(object)
    pick_wanted = pyqtSignal(object)

    def __init__(self, session: Session, source: Source) -> None:
        super().__init__()
        self.session, self.source = session, source
        self.plain: PlainColour | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        name = label(source.label, "section")
        column.addWidget(name)
        remove = tool(f"Remove {source.role}", "trash", "Remove this map from the sheet")
        remove.clicked.connect(lambda: session.do(commands.remove_map(session.at.key, source.key)))
        find = tool(f"Find {source.role}", "folder-open", "Use another file for this map")
        find.clicked.connect(self._find)
        if source.plain is not None:
            self.plain = PlainColour(session, source, self.pick_wanted.emit)
            column.addWidget(self.plain)
            buttons = row(find, remove)
            buttons.addStretch(1)
            column.addLayout(buttons)
            return
        name.setToolTip(plain.tip(source.path))
        column.addWidget(label(told_of_map(session, source), "quiet"))
        column.addLayout(row(*self._meanings(), stretch=0))
        plane = known_map(source, session.sheets)
        if source.role == Role.NORMAL and plane is not None:
            column.addWidget(self._green())
            told = {True: "The picture says down.", False: "The picture says up.", None: "The picture does not tell."}
            column.addWidget(label(told[points_down(plane.samples)], "quiet"))
        elif plane is not None:
            few = made_small(plane)
            few = colour_plane(few) if source.role in COLOUR_ROLES else few
            if few.channels > 1 or source.layout:
                column.addWidget(self._layout_rows(few))
        take = tool(
            f"Take {source.role} into the kit",
            "package",
            "Copy this map into the kit's folder, so that the kit can travel",
        )
        take.clicked.connect(lambda: session.files.take_in(source.key))
        split = QPushButton("Regions from channels")
        split.setToolTip("Makes a region of each channel that holds anything: for masks that were made elsewhere")
        split.clicked.connect(self._split)
        split.setEnabled(source.role not in COLOUR_ROLES and source.role != Role.ID)
        column.addLayout(row(find, take, remove, split, stretch=3))

    def _meanings(self) -> tuple[QWidget, QWidget]:
        """What the map is for, and how its samples are meant."""
        session, source, sheet = self.session, self.source, self.session.at.key
        role = choice(f"What {source.label} is", [(r.value, r) for r in Role])
        show_choice(role, source.role)
        role.activated.connect(lambda i: session.do(commands.set_role(sheet, source.key, role.itemData(i))))
        encoding = choice(f"Encoding of {source.role}", list(ENCODINGS))
        show_choice(encoding, source.encoding)
        encoding.activated.connect(lambda i: session.do(commands.set_encoding(sheet, source.key, encoding.itemData(i))))
        return role, encoding

    def _green(self) -> QComboBox:
        """Which way green points."""
        session, key = self.session, self.source.key
        box = choice("Which way green points", [("Green points up", False), ("Green points down", True)])
        show_choice(box, self.source.green_down)
        box.activated.connect(lambda i: session.do(commands.set_green_down(session.at.key, key, box.itemData(i))))
        return box

    def _layout_rows(self, plane: Plane) -> LayoutRows:
        """What each channel of the map holds."""
        rows, session, key = LayoutRows(self.source, plane), self.session, self.source.key
        rows.chosen.connect(lambda layout: session.do(commands.set_layout(session.at.key, key, layout)))
        rows.channel_clicked.connect(lambda channel: self.look_wanted.emit(Look("channel", map=key, channel=channel)))
        return rows

    def _split(self) -> None:
        at, sheets, key = self.session.at, self.session.sheets, self.source.key
        self.session.do_made("Regions", lambda: regions_from_masks(at, sheets, [key]))

    def _find(self) -> None:
        place = str(Path(self.source.path).parent) if self.source.path else ""
        name, _ = QFileDialog.getOpenFileName(self, f"Find {self.source.role}", place, FILTER)
        if name:
            self.session.files.point_map_to(self.source.key, Path(name))


def told_of_map(session: Session, source: Source) -> str:
    """Size, channels and depth of a map, or why they are not known."""
    if source.plain is None and session.files.is_missing(source.path):
        return "Missing. Point to it with the folder button."
    plane = known_map(source, session.sheets)
    if plane is None:
        return "Not read yet."
    bits = plane.samples.dtype.itemsize * 8
    kind = "float" if plane.samples.dtype.kind == "f" else "bit"
    return f"{plane.width} × {plane.height}, {plane.channels} channels, {bits} {kind}"
