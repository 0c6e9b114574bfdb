"""Stage 1, Source: the sheets of the kit, their painted maps, and the meshes that lie on them."""

from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import Qt, pyqtBoundSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
)

from even_palette.app import plain
from even_palette.app.controls import ShortList, choice, empty, label, patterns, row, show_choice, tool
from even_palette.app.files import FILTER, MESH_FILTER
from even_palette.app.panel import Panel
from even_palette.app.session import Session
from even_palette.app.tray.drawing_card import DrawingCard
from even_palette.app.tray.map_card import MapCard, told_of_map, what_it_is
from even_palette.app.tray.plain_colour import FIRST, PlainColour, plain_button
from even_palette.app.tray.shaded_card import ShadedCard
from even_palette.core.errors import NotReady, UserError
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit import commands
from even_palette.core.kit.mesh_file import MeshFile, Unit, Up
from even_palette.core.kit.sheet import Source
from even_palette.core.mesh.files import WRITABLE
from even_palette.core.mesh.model import Mesh
from even_palette.core.raster.guess import Role, words_of
from even_palette.core.results.looks import Look
from even_palette.core.results.sheet_mesh import mesh_of_file
from even_palette.core.ship.mesh_with_ids import write_with_ids

UNITS = [
    ("Metres", Unit.METRE),
    ("Centimetres", Unit.CENTIMETRE),
    ("Millimetres", Unit.MILLIMETRE),
    ("Inches", Unit.INCH),
]
MOST_SLOTS = 24
REFERENCE_WORDS = ("id", "ids", "high", "hp", "ref", "reference")
"""Words in the names of meshes that are there to take something from: common practice."""


class SourcePanel(Panel):
    """A list of the sheet's maps and meshes; below it what can be done with the chosen one."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Source", "")
        self.open_button = QPushButton("Open maps and meshes…")
        self.open_button.setProperty("role", "main")
        self.open_button.clicked.connect(self._open)
        self.sheet_name = QLineEdit()
        self.sheet_name.setAccessibleName("Name of the sheet")
        self.sheet_name.editingFinished.connect(self._rename_sheet)
        self.add_sheet = tool("Add sheet", "plus", "Add an empty sheet and put it in front")
        self.add_sheet.clicked.connect(lambda: session.do(commands.add_sheet("Sheet")))
        self.add_twin = tool(
            "Add twin", "copy", "Add a twin of this sheet: the same maps, regions and masks, with values of its own"
        )
        self.add_twin.clicked.connect(self._add_twin)
        self.remove_sheet = tool("Remove sheet", "trash", "Remove this sheet with its regions, or the twin in front")
        self.remove_sheet.clicked.connect(self._remove)
        self.drawing = DrawingCard(session)
        self.drawing.behind_changed.connect(session.shown_changed)
        self.shaded = ShadedCard(session)
        self.files = ShortList("Maps and meshes", 128)
        self.files.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.files.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.files.currentItemChanged.connect(lambda *_: self._choose())
        self.card = QVBoxLayout()
        self.card.setSpacing(6)
        self._current, self._known = ("", ""), [("", "")]
        self._shape: tuple[object, ...] = ()
        self._plain: PlainColour | None = None
        self.column.addWidget(self.open_button)
        self.column.addWidget(label("Sheet in front", "section"))
        self.column.addLayout(row(self.sheet_name, self.add_sheet, self.add_twin, self.remove_sheet, stretch=0))
        self.column.addWidget(self.drawing)
        self.column.addWidget(self.shaded)
        self.column.addWidget(label("Maps and meshes", "section"))
        self.column.addWidget(self.files, 10)
        self.column.addLayout(self.card)
        self.column.addStretch(1)

    @property
    def followed(self) -> tuple[pyqtBoundSignal, ...]:
        return (self.session.shown_changed,)

    def refresh(self) -> None:
        at = self.session.at
        if not self.sheet_name.hasFocus():
            self.sheet_name.setText(self._name())
        self.remove_sheet.setEnabled(len(at.kit.sheets) > 1 or bool(at.twin))
        self.drawing.show_sheet()
        self.shaded.show_sheet()
        if self._shape_now() != self._shape:
            self._list_files()
            self._show_card()
            self._shape = self._shape_now()
        if self._plain is not None:
            self._plain.show_source(at.sheet.map(self._plain.key))

    def _shape_now(self) -> tuple[object, ...]:
        """All that the list and the card show; while only colours change, the widgets that are there stay."""
        at, (kind, key) = self.session.at, self._current
        shown = [source for source in at.sheet.sources if (kind, key) == ("map", source.key) and source.plain is None]
        told = [told_of_map(self.session, source) for source in shown]
        meshes = [self._mesh(mesh) for mesh in at.kit.meshes if (kind, key) == ("mesh", mesh.key)]
        sheets = [(sheet.key, sheet.name) for sheet in at.kit.sheets]
        sources = [replace(s, strength=1.0) for s in at.sheet.sources]
        sources = [s if s.plain is None else replace(s, plain=FIRST, width=0, height=0) for s in sources]
        return at.key, at.twin, at.sheet.drawing.way, self._current, sources, at.kit.meshes, told, meshes, sheets

    def follow_look(self, look: Look) -> None:
        """Choose the map that the stand looks at."""
        if look.kind not in ("source", "channel"):
            return
        base = self.session.at.sheet.source(Role.BASE_COLOUR)
        key = look.map or (base.key if base else "")
        if ("map", key) in self._known and ("map", key) != self._current:
            self._current = ("map", key)
            self.follow()

    def _list_files(self) -> None:
        """List maps, then meshes; what has come since the last time is chosen."""
        at = self.session.at
        listed = [(("map", source.key), f"{source.label}  ·  {what_it_is(source)}") for source in at.sheet.sources]
        listed += [
            (("mesh", mesh.key), f"{Path(mesh.path).name}  ·  {'reference' if mesh.reference else 'mesh'}")
            for mesh in at.kit.meshes
            if mesh.reference or at.key in mesh.sheets
        ]
        names = [name for name, _ in listed]
        new = [name for name in names if name not in self._known] if self._known[0] in names else []
        self._known = names or [("", "")]
        if new or self._current not in names:
            self._current = new[-1] if new else self._known[0]
        self.files.blockSignals(True)
        self.files.clear()
        for name, told in listed:
            item = QListWidgetItem(told)
            item.setData(Qt.ItemDataRole.UserRole, name)
            item.setToolTip(plain.tip(told))
            self.files.addItem(item)
            if name == self._current:
                self.files.setCurrentItem(item)
        self.files.blockSignals(False)

    def _choose(self) -> None:
        item = self.files.currentItem()
        if item is None:
            return
        self._current = kind, key = item.data(Qt.ItemDataRole.UserRole)
        self._show_card()
        source = next((each for each in self.session.at.sheet.sources if each.key == key), None)
        if kind == "map" and source is not None:
            self.look_wanted.emit(Look("source", map="" if source.role == Role.BASE_COLOUR else key))

    def _show_card(self) -> None:
        at = self.session.at
        kind, key = self._current
        empty(self.card)
        self._plain = None
        for source in at.sheet.sources:
            if (kind, key) == ("map", source.key):
                self._map_card(source)
        for mesh in at.kit.meshes:
            if (kind, key) == ("mesh", mesh.key):
                self._mesh_card(mesh)
        if not key:
            told = (
                "Nothing yet. Maps (images) and meshes (glTF, USD, OBJ and others) can also be dropped on the window."
            )
            self.card.addWidget(label(told, "quiet"))
        if at.sheet.source(Role.BASE_COLOUR) is None:
            self.card.addWidget(plain_button(self.session))

    def _rename_sheet(self) -> None:
        at, name = self.session.at, self.sheet_name.text()
        if name != self._name():
            self.session.do(commands.rename_twin(at.twin, name) if at.twin else commands.rename_sheet(at.key, name))

    def _name(self) -> str:
        """What is in front: a sheet or a twin."""
        at = self.session.at
        return at.kit.twin(at.twin)[1].name if at.twin else at.sheet.name

    def _add_twin(self) -> None:
        session = self.session
        if session.do(commands.add_twin(session.at.key, f"{session.at.sheet.name} twin")):
            session.show_sheet(session.at.key, session.at.sheet.twins[-1].key)

    def _remove(self) -> None:
        at = self.session.at
        self.session.do(commands.remove_twin(at.twin) if at.twin else commands.remove_sheet(at.key))

    # Maps

    def _map_card(self, source: Source) -> None:
        made = MapCard(self.session, source)
        made.look_wanted.connect(self.look_wanted)
        made.pick_wanted.connect(self.pick_wanted)
        self._plain = made.plain
        self.card.addWidget(made)

    # Meshes

    def _mesh_card(self, file: MeshFile) -> None:
        column = self.card
        name = plain.FileName(Path(file.path).name)
        name.setToolTip(plain.tip(file.path))
        column.addWidget(name)
        mesh = self._mesh(file)
        if isinstance(mesh, str):
            column.addWidget(label(mesh, "quiet"))
        else:
            for line in told_of(mesh):
                column.addWidget(label(line, "quiet"))
            column.addLayout(self._reading(file, mesh))
            if not mesh.uv_sets or file.unwrap:
                column.addLayout(self._unwrapping(file))
        if not file.reference and set(words_of(Path(file.path))) & set(REFERENCE_WORDS):
            column.addWidget(label("Its name sounds like a reference.", "quiet"))
        reference = QCheckBox("Only a reference to take IDs from")
        reference.setChecked(file.reference)
        reference.clicked.connect(
            lambda on: self.session.do(
                commands.change_mesh(
                    file.key, "Call mesh a reference", lambda m: replace(m, reference=on, casts=not on)
                )
            )
        )
        column.addWidget(reference)
        casts = QCheckBox("Throws shade and light on others")
        casts.setToolTip("Rays of bakes on other meshes meet this one: occlusion, thickness and spilled light see it")
        casts.setChecked(file.casts)
        casts.clicked.connect(
            lambda on: self.session.do(
                commands.change_mesh(
                    file.key, "Throw shade" if on else "Throw no shade", lambda m: replace(m, casts=on)
                )
            )
        )
        column.addWidget(casts)
        if not isinstance(mesh, str) and not file.reference:
            self._slots(column, file, mesh)
        find = tool(f"Find mesh {file.key}", "folder-open", "Use another file for this mesh")
        find.clicked.connect(lambda: self._find_mesh(file))
        write = tool(
            f"Write mesh {file.key} with ID colours",
            "export",
            "Write the mesh as GLB or PLY with the regions' ID colours as vertex colours",
        )
        write.clicked.connect(lambda: self._write_mesh(file))
        write.setEnabled(not isinstance(mesh, str))
        remove = tool(f"Remove mesh {file.key}", "trash", "Remove this mesh from the kit")
        remove.clicked.connect(lambda: self.session.do(commands.remove_mesh(file.key)))
        take = tool(f"Take mesh {file.key} into the kit", "package", "Copy this mesh into the kit's folder")
        take.clicked.connect(lambda: self.session.files.take_in_mesh(file.key))
        buttons = row(find, take, write, remove)
        buttons.addStretch(1)
        column.addLayout(buttons)

    def _mesh(self, file: MeshFile) -> Mesh | str:
        if self.session.files.is_missing(file.path):
            return "Missing. Point to it with the folder button."
        try:
            return mesh_of_file(file, self.session.sheets)
        except NotReady as missing:
            return self.session.results.make(missing) or "It is being read …"
        except UserError as error:
            return str(error)

    def _reading(self, file: MeshFile, mesh: Mesh) -> QHBoxLayout:
        """Unit, upward axis and UV set."""

        def change(what: str, **fields: object) -> None:
            self.session.do(commands.change_mesh(file.key, f"Change {what}", lambda m: replace(m, **fields)))

        unit = choice(f"Unit of {file.key}", list(UNITS))
        show_choice(unit, file.unit)
        unit.activated.connect(lambda i: change("unit", unit=unit.itemData(i)))
        up = choice(f"Upward axis of {file.key}", [("y up", Up.Y), ("z up", Up.Z)])
        show_choice(up, file.up)
        up.activated.connect(lambda i: change("upward axis", up=up.itemData(i)))
        sets = choice(f"UV set of {file.key}", [(f"UV {i + 1}", i) for i in range(max(1, len(mesh.uv_sets)))])
        show_choice(sets, file.uv_set)
        sets.setEnabled(len(mesh.uv_sets) > 1)
        sets.activated.connect(lambda i: change("UV set", uv_set=sets.itemData(i)))
        return row(unit, up, sets, stretch=0)

    def _unwrapping(self, file: MeshFile) -> QHBoxLayout:
        button = QPushButton("Use the file as it is" if file.unwrap else "Unwrap: make UVs for it")
        button.setToolTip("xatlas cuts the mesh into charts and packs them; a painted map will not fit these UVs")
        button.clicked.connect(
            lambda: self.session.do(
                commands.change_mesh(file.key, "Unwrap mesh", lambda m: replace(m, unwrap=not file.unwrap))
            )
        )
        return row(button, stretch=0)

    def _slots(self, column: QVBoxLayout, file: MeshFile, mesh: Mesh) -> None:
        """Which sheet each material slot lies on."""
        sheets: list[tuple[str, object]] = [(sheet.name, sheet.key) for sheet in self.session.kit.sheets]
        if len(mesh.slots) < 2 and len(sheets) < 2:
            return
        for slot in mesh.slots[:MOST_SLOTS]:
            box = choice(f"Sheet of slot {slot}", sheets)
            show_choice(box, file.slots.get(slot, file.sheet))
            box.activated.connect(
                lambda i, box=box, slot=slot: self.session.do(commands.put_slot(file.key, slot, box.itemData(i)))
            )
            name = label(slot)
            name.setToolTip(plain.tip(f"Material slot {slot}"))
            column.addLayout(row(name, box, stretch=0))
        used = {file.slots.get(slot, file.sheet) for slot in mesh.slots}
        if len(used) > 1:
            merge = QPushButton(plain.item(f"Merge slots to {self.session.at.sheet.name}"))
            merge.setToolTip(plain.tip(f"Its slots lie on {len(used)} sheets; put them all on this one"))
            merge.clicked.connect(lambda: self.session.do(commands.merge_slots(file.key, self.session.at.key)))
            column.addWidget(merge)

    def _find_mesh(self, file: MeshFile) -> None:
        name, _ = QFileDialog.getOpenFileName(self, f"Find {file.key}", str(Path(file.path).parent), MESH_FILTER)
        if name:
            self.session.files.point_mesh_to(file.key, Path(name))

    def _write_mesh(self, file: MeshFile) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self, "Write mesh", f"{file.key}_ids.glb", f"Meshes ({patterns(WRITABLE)})"
        )
        if name:
            self.write_mesh_to(file, Path(name))

    def write_mesh_to(self, file: MeshFile, path: Path) -> None:
        """Write a mesh with ID colours as vertex colours."""
        kit = self.session.kit

        def work(progress: Progress, cancel: CancelToken) -> None:
            write_with_ids(kit, self.session.sheets, file.key, path)

        self.session.jobs.run(
            "Write mesh", work, lambda _: self.session.notice.emit(f"Written: {path}."), self.session.notice.emit
        )

    # Files

    def _open(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, "Open maps and meshes", "", FILTER)
        self.session.open_files([Path(name) for name in names])


def told_of(mesh: Mesh) -> tuple[str, str]:
    """What a mesh holds, and how large it is."""
    extent = mesh.points.max(axis=0) - mesh.points.min(axis=0)
    size = " × ".join(f"{float(side):,.0f}" if side >= 100 else f"{float(side):.3g}" for side in extent)
    sets = {0: "no UVs", 1: "1 UV set"}.get(len(mesh.uv_sets), f"{len(mesh.uv_sets)} UV sets")
    colours = ", vertex colours" if mesh.colours is not None else ""
    slots = f"{len(mesh.slots)} slot{'s' if len(mesh.slots) > 1 else ''}"
    return f"{mesh.face_count:,} faces, {slots}, {sets}{colours}", f"{size} m"
