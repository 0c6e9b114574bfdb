"""A scene: its placings with their settings and shares of variants, and the instances that are picked."""

from collections.abc import Callable, Mapping
from functools import partial
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QFileDialog, QListWidgetItem, QPushButton, QSpinBox, QVBoxLayout, QWidget

from even_palette.app.controls import Fold, ShortList, choice, empty, give_menu, label, offer, row, tool
from even_palette.app.number import NumberRow
from even_palette.app.session import Session
from even_palette.app.tray.runtime import RuntimePart
from even_palette.app.tray.scene_light import LightPart
from even_palette.app.tray.scene_pictures import PicturesPart
from even_palette.app.tray.setting_rows import SettingRows
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit import commands
from even_palette.core.kit.commands import Command
from even_palette.core.kit.instances import Pick, found_instances
from even_palette.core.kit.scene import Placing, Scene
from even_palette.core.kit.spots_file import read_spots
from even_palette.core.limits import MOST_INSTANCES
from even_palette.core.lineup.placings import PLACINGS
from even_palette.core.lineup.placings._declare import COMMON

AS_PLACED = "As it was placed"
FAR = 200.0
SEEDS = 10_000


class ScenePart(QWidget):
    """What stands in the scene that is chosen; `placing` is the key of the placing whose settings are shown."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.placing = ""
        self.list = ShortList("Placings", 118)
        self.list.currentItemChanged.connect(self._select)
        self.add = tool("Place instances", "plus", "Place instances of a mesh: in a row, by chance, or from a list")
        give_menu(
            self.add,
            {kind.label: partial(self._add, name) for name, kind in PLACINGS.items() if kind.make}
            | {"From a list in a file …": self._open_list},
        )
        self.remove = tool("Remove placing", "trash", "Take all of its instances away")
        self.remove.clicked.connect(lambda: session.do(commands.remove_placing(self.scene, self.placing)))
        self.mesh = choice("Mesh", [])
        self.mesh.setToolTip("The mesh whose instances stand here")
        self.mesh.activated.connect(lambda at: self._change_once(mesh=self.mesh.itemData(at)))
        self.kind = choice("Kind of placing", [(kind.label, name) for name, kind in PLACINGS.items() if kind.make])
        self.kind.activated.connect(lambda at: self._change_once(kind=self.kind.itemData(at)))
        self.count = QSpinBox()
        self.count.setRange(0, MOST_INSTANCES)
        self.count.setAccessibleName("Count")
        self.count.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.count.setKeyboardTracking(False)
        self.count.valueChanged.connect(lambda value: self._change_once(count=value))
        self.settings = SettingRows()
        self.settings.changed.connect(self._set)
        self.settings.finished.connect(session.end_merge)
        self.across, self.away = (
            NumberRow(name, -FAR, FAR, "m", 2, "Where the middle of the placing lies.") for name in ("Across", "Away")
        )
        for number, axis in ((self.across, 0), (self.away, 2)):
            number.changed.connect(partial(self._move, axis))
            number.finished.connect(session.end_merge)
        self.draw = QPushButton("Draw anew")
        self.draw.setToolTip("Other looks by chance, and others in each variant; locked instances stay as they are")
        self.draw.clicked.connect(lambda: self._anew(commands.draw_anew, "draw"))
        self.spread = QPushButton("Place anew")
        self.spread.setToolTip("Other places by chance; no colour changes")
        self.spread.clicked.connect(lambda: self._anew(commands.place_anew, "seed"))
        self.shares = Fold("Variants in shares", True)
        self.share_rows: dict[str, NumberRow] = {}
        self.own = _Picked(session)
        self.light = LightPart(session)
        self.pictures = PicturesPart()
        self.body = QWidget()
        below = QVBoxLayout(self.body)
        below.setContentsMargins(0, 0, 0, 0)
        below.setSpacing(6)
        below.addLayout(row(self.kind, self.count, stretch=0))
        below.addWidget(self.mesh)
        below.addWidget(self.settings)
        below.addWidget(self.across)
        below.addWidget(self.away)
        below.addLayout(row(self.draw, self.spread))
        below.addWidget(self.shares)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addLayout(row(label("What stands here", "section"), self.add, self.remove, stretch=0))
        column.addWidget(self.list)
        column.addWidget(self.own)
        column.addWidget(self.light)
        column.addWidget(self.pictures)
        column.addWidget(self.body)

    @property
    def scene(self) -> str:
        """The key of the scene that is chosen."""
        return self.session.view.state.scene

    def _there(self) -> Scene | None:
        return next((scene for scene in self.session.kit.scenes if scene.key == self.scene), None)

    def _current(self) -> Placing | None:
        scene = self._there()
        return next((p for p in scene.placings if p.key == self.placing), None) if scene else None

    def refresh(self) -> None:
        """Show the scene as the kit has it."""
        scene = self._there()
        placings = scene.placings if scene else ()
        keys = [placing.key for placing in placings]
        picked = next((key for key, _ in self.session.view.state.picks if key in keys), "")
        self.placing = picked or (self.placing if self.placing in keys else next(iter(keys), ""))
        meshes = {mesh.key: Path(mesh.path).stem for mesh in self.session.kit.meshes if not mesh.reference}
        self.add.setEnabled(bool(meshes))
        counts = [len(p.spots) if PLACINGS[p.kind].make is None else p.count for p in placings]
        texts = [f"{p.name} · {n} × {meshes.get(p.mesh, '')}" for p, n in zip(placings, counts, strict=True)]
        self.list.show_keyed(list(zip(keys, texts, strict=True)), self.placing)
        self.own.refresh(scene)
        self.light.refresh(scene)
        self._show_placing(meshes)

    def _show_placing(self, meshes: Mapping[str, str]) -> None:
        placing = self._current()
        self.body.setVisible(placing is not None)
        self.remove.setEnabled(placing is not None)
        if placing is None:
            return
        kind = PLACINGS[placing.kind]
        is_list = kind.make is None
        offer(self.mesh, [(name, key) for key, name in meshes.items()], placing.mesh)
        offer(self.kind, [(k.label, n) for n, k in PLACINGS.items() if (k.make is None) == is_list], placing.kind)
        self.count.setVisible(not is_list)
        self.spread.setVisible(not is_list)
        self.count.blockSignals(True)
        self.count.setValue(placing.count)
        self.count.setSuffix(" instance" if placing.count == 1 else " instances")
        self.count.blockSignals(False)
        specs = () if is_list else (*kind.values, *COMMON)
        self.settings.show_settings(specs, kind.settings(placing.values))
        self.across.show_value(placing.place[0])
        self.away.show_value(placing.place[2])
        names = self.session.kit.variant_names
        if list(self.share_rows) != list(names) or any(
            self.share_rows[key].slider.accessibleName() != name for key, name in names.items()
        ):
            empty(self.shares.column)
            self.share_rows = {key: self._share(key, name) for key, name in names.items()}
        for key, number in self.share_rows.items():
            number.show_value(placing.shares.get(key, 0.0) if any(placing.shares.values()) else float(key == ""))

    def _share(self, key: str, name: str) -> NumberRow:
        number = NumberRow(name, 0, 1, "", 2, f"How many are {name}, beside the shares of the others.")
        number.changed.connect(partial(self._set_share, key))
        number.finished.connect(self.session.end_merge)
        self.shares.column.addWidget(number)
        return number

    def _select(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.placing = item.data(Qt.ItemDataRole.UserRole)
            self.session.view.change(picks=())
            self.refresh()

    # What is done

    def _change(self, **fields: object) -> None:
        placing = self._current()
        if placing is not None:
            self.session.do(commands.change_placing(self.scene, replace(placing, **fields)))

    def _change_once(self, **fields: object) -> None:
        self._change(**fields)
        self.session.end_merge()

    def _set(self, name: str, value: object) -> None:
        placing = self._current()
        if placing is not None:
            self._change(values={**placing.values, name: value})

    def _set_share(self, variant: str, value: float) -> None:
        placing = self._current()
        if placing is not None:
            shares = placing.shares if any(placing.shares.values()) else {"": 1.0}
            self._change(shares={**shares, variant: value})

    def _move(self, axis: int, value: float) -> None:
        placing = self._current()
        if placing is not None:
            place = list(placing.place)
            place[axis] = value
            self._change(place=tuple(place))

    def _anew(self, command: Callable[[str, str, int], Command], field: str) -> None:
        placing = self._current()
        if placing is not None:
            fresh = (getattr(placing, field) * 31 + 17) % SEEDS
            self.session.do(command(self.scene, placing.key, fresh))

    def _add(self, kind: str) -> None:
        placing = Placing("", PLACINGS[kind].label, kind, self._mesh_here(), 5)
        if self.session.do(commands.add_placing(self.scene, placing)):
            self._show_last()

    def _mesh_here(self) -> str:
        """A mesh of the sheet in front, or the first one of all."""
        kit = self.session.kit
        return next(iter([*kit.meshes_on(self.session.at.key), *(m for m in kit.meshes if not m.reference)])).key

    def _show_last(self) -> None:
        scene = self._there()
        assert scene is not None
        self.placing = scene.placings[-1].key
        self.session.view.change(picks=())
        self.refresh()

    def _open_list(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "List of places", "", "Lists of places (*.csv *.json)")
        if name:
            self.open_list(Path(name))

    def open_list(self, path: Path) -> None:
        """Place instances of the mesh of the sheet in front, or of the first one, as a file lists them."""
        session, scene = self.session, self.scene
        kit, mesh = session.kit, self._mesh_here()

        def work(progress: Progress, cancel: CancelToken) -> Placing:
            return read_spots(path, kit, mesh)

        def done(placing: Placing) -> None:
            if session.do(commands.add_placing(scene, placing)):
                self._show_last()

        session.jobs.run("List of places", work, done, session.notice.emit)


class _Picked(QWidget):
    """The instances that are picked: their variant, a lock, what chance draws for them."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.told = label("", "section")
        self.variant = choice("Variant of the picked instances", [])
        self.variant.activated.connect(lambda at: self._set_once(variant=self.variant.itemData(at)))
        self.locked = QCheckBox("Locked")
        self.locked.setToolTip("Keeps its looks and its place when others are drawn or placed anew")
        self.locked.clicked.connect(lambda on: self._set_once(locked=on))
        self.turn = NumberRow("Turn", -180, 180, "°", 1, "How far it is turned about its upright axis.")
        self.turn.changed.connect(lambda value: self._set(turn=value))
        self.scaled = NumberRow("Scale", 0.05, 10, "×", 2, "How large it is.")
        self.scaled.changed.connect(lambda value: self._set(scale=value))
        for number in (self.turn, self.scaled):
            number.finished.connect(session.end_merge)
        draw = QPushButton("Draw anew")
        draw.setToolTip("Another look by chance, for those that are not locked")
        draw.clicked.connect(self._draw)
        reset = QPushButton("Reset")
        reset.setToolTip("As its placing makes it")
        reset.clicked.connect(lambda: session.do(commands.clear_instances(self._scene, self._picks)))
        remove = tool("Remove picked instances", "trash", "Take what is picked away (Delete)")
        remove.clicked.connect(self._remove)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self.told)
        column.addLayout(row(self.variant, self.locked, stretch=0))
        column.addWidget(self.turn)
        column.addWidget(self.scaled)
        column.addLayout(row(draw, reset, remove, stretch=0))
        self.runtime = RuntimePart(session)
        column.addWidget(self.runtime)
        self.hide()

    @property
    def _scene(self) -> str:
        return self.session.view.state.scene

    @property
    def _picks(self) -> tuple[Pick, ...]:
        return self.session.view.state.picks

    def refresh(self, scene: Scene | None) -> None:
        """Show what is picked of a scene; the first one's values stand for all."""
        picked = found_instances(scene, self._picks) if scene is not None else []
        self.setVisible(bool(picked))
        if not picked:
            return
        first = picked[0]
        name = next(p.name for p in scene.placings if p.key == first.placing) if scene else ""
        one = f"{name} {first.number + 1} · seed {first.seed:.3f}"
        self.told.setText(one if len(picked) == 1 else f"{len(picked)} picked · {one}")
        variants = [(text, key) for key, text in self.session.kit.variant_names.items()]
        offer(self.variant, [*variants, (AS_PLACED, None)], first.variant)
        self.locked.setChecked(all(each.locked for each in picked))
        self.turn.show_value((first.turn + 180) % 360 - 180)
        self.scaled.show_value(first.scale)
        self.runtime.show_picked(picked)

    def _set(self, **fields: object) -> None:
        self.session.do(commands.set_instances(self._scene, self._picks, fields))

    def _set_once(self, **fields: object) -> None:
        self._set(**fields)
        self.session.end_merge()

    def _draw(self) -> None:
        scene = next(scene for scene in self.session.kit.scenes if scene.key == self._scene)
        seeds = sum(int(each.seed * SEEDS) for each in found_instances(scene, self._picks))
        self.session.do(commands.draw_instances_anew(self._scene, self._picks, (seeds * 31 + 17) % SEEDS))

    def _remove(self) -> None:
        if self.session.do(commands.remove_instances(self._scene, self._picks)):
            self.session.view.change(picks=())
