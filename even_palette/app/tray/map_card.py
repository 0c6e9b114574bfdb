"""The card of a map in Source: what it is for, how its samples are meant, what its channels hold."""

from pathlib import Path

from PyQt6.QtCore import QSize, pyqtSignal
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import QCheckBox, QComboBox, QFileDialog, QPushButton, QVBoxLayout, QWidget

from even_palette.app import plain
from even_palette.app.controls import choice, label, row, show_choice, tool
from even_palette.app.files import FILTER
from even_palette.app.number import NumberRow
from even_palette.app.session import Session
from even_palette.app.stand.renderer import to_image
from even_palette.app.tray.layout_rows import PICTURE_PX, LayoutRows, made_small, side_by_side
from even_palette.app.tray.plain_colour import PlainColour
from even_palette.core.kit import commands
from even_palette.core.kit.sheet import Source
from even_palette.core.material.drawn import Way
from even_palette.core.raster.alpha import looks_multiplied
from even_palette.core.raster.guess import COLOUR_ROLES, Role, may_be_masks
from even_palette.core.raster.layouts import layout_name
from even_palette.core.raster.normals import points_down
from even_palette.core.raster.plane import Encoding, Plane, colour_plane, rgb_of, stored_values, to_levels8
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
        name = plain.FileName(source.label)
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
            column.addWidget(self._strength())
        elif plane is not None:
            few = made_small(plane)
            few = colour_plane(few) if source.role in COLOUR_ROLES else few
            if few.channels > 1 or source.layout:
                column.addWidget(self._layout_rows(few))
        if plane is not None:
            for box in self._of_alpha(plane):
                column.addWidget(box)
        unclear = source.role == Role.NONE and not source.layout
        if plane is not None and unclear and may_be_masks(Path(source.path), plane.samples):
            column.addWidget(self._question(plane))
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

    def _question(self, plane: Plane) -> QWidget:
        """What masks are meant as, each way with its picture."""
        asks, session, key = QWidget(), self.session, self.source.key
        few = made_small(plane)
        column = QVBoxLayout(asks)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(label("It may hold masks. What tells its regions apart?", "section"))
        ids = QPushButton("ID colours")
        ids.setToolTip("Each colour is a region: the map becomes the sheet's ID map")
        ids.setIcon(QIcon(QPixmap.fromImage(to_image(to_levels8(stored_values(rgb_of(few.samples)))))))
        ids.clicked.connect(lambda: session.do(commands.set_role(session.at.key, key, Role.ID)))
        split = QPushButton("Its channels")
        split.setToolTip("Each channel is the mask of a region")
        split.setIcon(QIcon(QPixmap.fromImage(to_image(side_by_side(few)))))
        split.clicked.connect(self._split)
        for button in (ids, split):
            button.setIconSize(QSize(4 * PICTURE_PX if button is split else PICTURE_PX, PICTURE_PX))
        column.addLayout(row(ids, split, stretch=1))
        return asks

    def _of_alpha(self, plane: Plane) -> list[QWidget]:
        """What can be said of a map with opacity in it, where there is something to say."""
        session, source, sheet = self.session, self.source, self.session.at.key
        found: list[QWidget] = []
        if source.premultiplied or looks_multiplied(plane.samples):
            divide = QCheckBox("Divide colour by alpha")
            divide.setToolTip("Its colour was multiplied by its alpha, as it seems; edges would be dark")
            divide.setChecked(source.premultiplied)
            divide.clicked.connect(lambda on: session.do(commands.set_premultiplied(sheet, source.key, on)))
            if not source.premultiplied:
                found.append(label("Its colour seems to be multiplied by its alpha.", "quiet"))
            found.append(divide)
        if Role.OPACITY in source.roles and session.at.sheet.drawing.way == Way.CUT_OUT:
            keep = QCheckBox("Mips keep what is cut out")
            keep.setToolTip("Each mip shows as large a share as the map itself; leaves do not thin out at a distance")
            keep.setChecked(source.keep_coverage)
            keep.clicked.connect(lambda on: session.do(commands.set_keep_coverage(sheet, source.key, on)))
            found.append(keep)
        return found

    def _strength(self) -> NumberRow:
        """How steep its slopes are."""
        session, key = self.session, self.source.key
        made = NumberRow("Strength", 0, 4, "×", 2, "Factor on the slopes: 0 is flat, 1 as the map stores them")
        made.show_value(self.source.strength)
        made.changed.connect(lambda value: session.do(commands.set_normal_strength(session.at.key, key, value)))
        made.finished.connect(session.end_merge)
        return made

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
