"""How far regions of mesh elements, and perhaps maps, reach beyond the UV islands of the sheet in front."""

from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QSpinBox, QWidget

from even_palette.app.session import Session
from even_palette.core.kit import commands
from even_palette.core.kit.sheet import Sheet
from even_palette.core.limits import MOST_PADDING


class PaddingRow(QWidget):
    """The padding in texels, and whether maps are padded, too."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.texels = QSpinBox()
        self.texels.setRange(0, MOST_PADDING)
        self.texels.setAccessibleName("Padding of regions")
        self.texels.setPrefix("Padding ")
        self.texels.setSuffix(" texels")
        self.texels.setToolTip("How far regions of elements reach beyond their UV islands")
        self.texels.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.texels.setKeyboardTracking(False)
        self.texels.valueChanged.connect(lambda value: session.do(commands.set_padding(session.at.key, value)))
        self.maps = QCheckBox("Maps, too")
        self.maps.setToolTip("Paint and other maps are padded as well: what they hold between islands is not used")
        self.maps.clicked.connect(lambda on: session.do(commands.set_pad_maps(session.at.key, on)))
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(self.texels, 1)
        line.addWidget(self.maps)

    def refresh(self, sheet: Sheet) -> None:
        """Show what a sheet says."""
        self.texels.blockSignals(True)
        self.texels.setValue(sheet.padding)
        self.texels.blockSignals(False)
        self.maps.setChecked(sheet.pad_maps)
