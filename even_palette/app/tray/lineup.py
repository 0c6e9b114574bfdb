"""Stage 6, Lineup: the variants, what each inherits, all of them beside each other; and scenes of many instances."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from even_palette.app import plain
from even_palette.app.controls import choice, label, offer, row, tool
from even_palette.app.panel import Panel
from even_palette.app.review_pictures import ReviewPictures
from even_palette.app.session import Session
from even_palette.app.stand.renderer import Renderer
from even_palette.app.tray.chance import Chance
from even_palette.app.tray.parameters import ParameterTable
from even_palette.app.tray.scene import ScenePart
from even_palette.app.tray.told_apart import ToldApart
from even_palette.core.kit import commands
from even_palette.core.material.variants import MASTER

VARIANTS = "All variants"


class LineupPanel(Panel):
    """The variants with what each inherits, the parameters, and variants by chance."""

    def __init__(self, session: Session, renderer: Renderer) -> None:
        super().__init__(session, "Lineup", "The variants beside each other, or scenes of many instances.")
        self.variants = QListWidget()
        self.variants.setAccessibleName("Variants")
        self.variants.setFixedHeight(112)
        self.variants.setEditTriggers(
            QAbstractItemView.EditTrigger.DoubleClicked | QAbstractItemView.EditTrigger.EditKeyPressed
        )
        self.variants.itemChanged.connect(self._rename)
        self.variants.currentItemChanged.connect(self._select)
        self.add = QPushButton("Add variant")
        self.add.clicked.connect(self._add)
        remove = tool(
            "Remove variant", "trash", "Remove the selected variant; those that inherit from it keep their looks"
        )
        remove.clicked.connect(self._remove)
        self.parent_box = choice("Inherits from", [])
        self.parent_box.activated.connect(
            lambda i: session.do(commands.set_parent(session.variant, self.parent_box.itemData(i) or None))
        )
        self.parameters = ParameterTable(session)
        self.parameters.pick_wanted.connect(self.pick_wanted)
        self.apart = ToldApart(session)
        session.moment.changed.connect(self._follow_moment)
        session.moment.started.connect(self._follow_moment)
        self.chance = Chance(session, lambda: self.parameters.key)
        self.shown = choice("What the lineup shows", [])
        self.shown.setToolTip(plain.tip("The variants beside each other, or a scene of many instances"))
        self.shown.activated.connect(lambda at: session.view.change(scene=self.shown.itemData(at), picks=()))
        add_scene = tool("Add scene", "plus", "Add a scene: many instances of meshes, to walk around")
        add_scene.clicked.connect(self._add_scene)
        self.copy_scene = tool("Copy scene", "copy", "A scene in which all stands and looks the same, for other light")
        self.copy_scene.clicked.connect(self._copy_scene)
        self.remove_scene = tool("Remove scene", "trash", "Remove this scene with all that stands in it")
        self.remove_scene.clicked.connect(lambda: session.do(commands.remove_scene(session.view.state.scene)))
        self.name = QLineEdit()
        self.name.setAccessibleName("Name of the scene")
        self.name.editingFinished.connect(self._rename_scene)
        self.scene = ScenePart(session)
        self.scene.pictures.wanted.connect(self.shots_wanted)
        self.of_variants = QWidget()
        column = QVBoxLayout(self.of_variants)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addWidget(label("Variants (double-click to rename)", "section"))
        column.addWidget(self.variants)
        self.pictures = ReviewPictures(session, renderer, self)
        self.write = tool("Write pictures", "image", "All variants beside each other with their names, as one PNG")
        self.write.clicked.connect(lambda: self.pictures.ask(lit=True))
        column.addLayout(row(self.add, self.write, remove, stretch=0))
        column.addWidget(label("Inherits from", "section"))
        column.addWidget(self.parent_box)
        column.addWidget(label("Parameters in this variant (double-click to rename)", "section"))
        column.addWidget(self.parameters)
        column.addWidget(self.chance)
        self.column.addLayout(row(self.shown, add_scene, self.copy_scene, self.remove_scene, stretch=0))
        self.column.addWidget(self.name)
        self.column.addWidget(self.scene)
        self.column.addWidget(self.of_variants)
        self.column.addWidget(self.apart)
        self.column.addStretch(1)
        session.selection_changed.connect(self.follow)
        session.view.scene_changed.connect(self.follow)

    def refresh(self) -> None:
        at = self.session.at
        scenes = {scene.key: scene.name for scene in at.kit.scenes}
        shown = self.session.view.state.scene
        if shown and shown not in scenes:
            self.session.view.change(scene="", picks=())
            return
        offer(self.shown, [(VARIANTS, ""), *((name, key) for key, name in scenes.items())], shown)
        for widget in (self.name, self.scene, self.copy_scene, self.remove_scene):
            widget.setVisible(bool(shown))
        self.of_variants.setVisible(not shown)
        if shown:
            self.name.setText(scenes[shown])
            self.scene.refresh()
            self.apart.follow()
            return
        self.variants.blockSignals(True)
        self.variants.clear()
        for key, name in at.kit.variant_names.items():
            item = QListWidgetItem(name)
            item.setData(Qt.ItemDataRole.UserRole, key)
            if key != MASTER:
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
            self.variants.addItem(item)
            if key == self.session.variant:
                self.variants.setCurrentItem(item)
        self.variants.blockSignals(False)
        self.parent_box.setEnabled(bool(self.session.variant))
        parent = at.kit.variant(self.session.variant).parent if self.session.variant else None
        own = self.session.variant
        others = [(name, key) for key, name in at.kit.variant_names.items() if key == MASTER or key != own]
        offer(self.parent_box, others, parent or MASTER)
        self.parameters.follow()
        self.apart.follow()

    def _follow_moment(self) -> None:
        if not self.session.moment.goes_on and self.parameters.isVisible():
            self.parameters.follow()

    def _add_scene(self) -> None:
        if self.session.do(commands.add_scene("Scene")):
            self.session.view.change(scene=self.session.kit.scenes[-1].key, picks=())

    def _copy_scene(self) -> None:
        key = self.session.view.state.scene
        if key and self.session.do(commands.copy_scene(key, self.session.kit.scene(key).name)):
            self.session.view.change(scene=self.session.kit.scenes[-1].key, picks=())

    def _rename_scene(self) -> None:
        key, name = self.session.view.state.scene, self.name.text().strip()
        if key and name and name != self.session.kit.scene(key).name:
            self.session.do(commands.rename_scene(key, name))

    def _add(self) -> None:
        name = f"Variant {len(self.session.kit.variants) + 1}"
        if self.session.do(commands.add_variant(name, self.session.variant or None)):
            self.session.select(variant=self.session.kit.variants[-1].key)

    def _remove(self) -> None:
        if self.session.variant:
            self.session.do(commands.remove_variant(self.session.variant))

    def _rename(self, item: QListWidgetItem) -> None:
        self.session.do(commands.rename_variant(item.data(Qt.ItemDataRole.UserRole), item.text()))
        self.refresh()

    def _select(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.session.select(variant=item.data(Qt.ItemDataRole.UserRole))
