"""Stage 6, Lineup: the variants, what each inherits, and all of them beside each other."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractItemView, QListWidget, QListWidgetItem, QPushButton

from even_palette.app.controls import choice, label, offer, row, tool
from even_palette.app.panel import Panel
from even_palette.app.session import Session
from even_palette.app.tray.chance import Chance
from even_palette.app.tray.parameters import ParameterTable
from even_palette.core.kit import commands
from even_palette.core.material.variants import MASTER


class LineupPanel(Panel):
    """The variants with what each inherits, the parameters, and variants by chance."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Lineup", "Variants of the asset. A click on a picture selects its variant.")
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
        self.chance = Chance(session, lambda: self.parameters.key)
        self.column.addWidget(label("Variants (double-click to rename)", "section"))
        self.column.addWidget(self.variants)
        self.column.addLayout(row(self.add, remove, stretch=0))
        self.column.addWidget(label("Inherits from", "section"))
        self.column.addWidget(self.parent_box)
        self.column.addWidget(label("Parameters in this variant (double-click to rename)", "section"))
        self.column.addWidget(self.parameters)
        self.column.addWidget(self.chance)
        self.column.addStretch(1)
        session.selection_changed.connect(self.follow)

    def refresh(self) -> None:
        at = self.session.at
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
