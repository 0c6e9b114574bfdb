"""The board's table model: a row a region and one for the overcoats, a column a variant, the master first."""

from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QObject, Qt

from even_palette.app import plain
from even_palette.app.following import SELDOM_MS, Following
from even_palette.app.session import Session
from even_palette.core.colour.hexcode import encoded_to_hex
from even_palette.core.kit.changed_cells import changed_cells
from even_palette.core.kit.coat_owners import SheetOwner, coats_of, followed_by, owner_name, owners_on
from even_palette.core.kit.commands import read_cell
from even_palette.core.kit.model import Kit
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import STRENGTH
from even_palette.core.material.variants import MASTER


class BoardModel(QAbstractTableModel):
    """Reads the session's kit; holds nothing of its own but which rows and columns the view knows."""

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self._shape = (0, 0)
        self._at = session.at
        session.changed.connect(Following(session, self._follow, self, SELDOM_MS))

    def _follow(self) -> None:
        before, self._at = self._at, self.session.at
        regions = len(self.session.at.sheet.regions)
        shape = (regions + 1 if regions else 0, 1 + len(self.session.kit.variants))
        if shape != self._shape:
            self.beginResetModel()
            self._shape = shape
            self.endResetModel()
            self.session.selection_changed.emit()
        elif (cells := changed_cells(before, self._at)) is not None:
            for cell in cells:
                self.dataChanged.emit(self.place(*cell), self.place(*cell))
        elif shape[0]:
            self.dataChanged.emit(self.index(0, 0), self.index(shape[0] - 1, shape[1] - 1))
            self.headerDataChanged.emit(Qt.Orientation.Horizontal, 0, shape[1] - 1)
            self.headerDataChanged.emit(Qt.Orientation.Vertical, 0, shape[0] - 1)

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else self._shape[0]

    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else self._shape[1]

    def variant(self, column: int) -> str:
        """The key of the variant that a column shows."""
        return MASTER if column == 0 else self.session.kit.variants[column - 1].key

    def owner(self, row: int) -> SheetOwner:
        """Whose coats a row shows: a region's, and in the last row the overcoats of the sheet."""
        return owners_on(self.session.at.sheet)[row]

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role in (Qt.ItemDataRole.AccessibleTextRole, Qt.ItemDataRole.ToolTipRole) and index.isValid():
            told = describe_cell(self.session.kit, self.owner(index.row()), self.variant(index.column()))
            return plain.tip(told) if role == Qt.ItemDataRole.ToolTipRole else told
        return None

    def place(self, owner: SheetOwner, variant: str) -> QModelIndex:
        """Where a cell of the sheet in front is. Raises ValueError if it is not there."""
        at = self.session.at
        return self.index(owners_on(at.sheet).index(owner), list(at.kit.variant_names).index(variant))

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return None
        if orientation == Qt.Orientation.Horizontal:
            return self.session.kit.variant_names[self.variant(section)]
        regions = self.session.at.sheet.regions
        return regions[section].name if section < len(regions) else "Overcoats"


def is_own(kit: Kit, owner: SheetOwner, variant: str) -> bool:
    """Whether a cell sets something itself; the master always does."""
    if variant == MASTER:
        return True
    return not followed_by(coats_of(kit, owner)).isdisjoint(kit.variant(variant).values)


def describe_cell(kit: Kit, owner: SheetOwner, variant: str) -> str:
    """A cell in words."""
    cell = read_cell(kit, owner, variant)
    coats = []
    for coat, choices, settings in zip(cell.coats, cell.choices, cell.settings, strict=True):
        values = []
        for spec in COATS[coat.kind].values:
            if spec.name in choices:
                values.append(dict(spec.choices)[choices[spec.name]])
            elif not (spec == STRENGTH and settings[spec.name] == 1.0):
                setting = settings[spec.name]
                shown = encoded_to_hex(setting) if isinstance(setting, tuple) else f"{setting:g}{spec.unit}"
                values.append(f"{spec.label.lower()} {shown}")
        coats.append(", ".join([COATS[coat.kind].label, *values]))
    state = "own" if is_own(kit, owner, variant) else "inherited"
    return f"{owner_name(kit, owner)}, {kit.variant_names[variant]}: {'; '.join(coats) or 'nothing'} ({state})"
