"""Which sheet is in front, in the corner of the menu bar."""

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QWidget

from even_palette.app import plain
from even_palette.app.controls import offer
from even_palette.app.session import Session


class SheetBox(QWidget):
    """Lists the sheets of the kit; the one that is chosen comes to the front."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.box = QComboBox()
        self.box.setAccessibleName("Sheet in front")
        self.box.setToolTip("The sheet that is worked on")
        self.box.setMinimumWidth(180)
        self.box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.box.activated.connect(lambda i: session.show_sheet(*self.box.itemData(i)))
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 2, 8, 2)
        row.addWidget(plain.Label("Sheet"))
        row.addWidget(self.box)
        session.changed.connect(self.refresh)

    def refresh(self) -> None:
        """Show the sheets of the kit."""
        at = self.session.at
        listed: list[tuple[str, object]] = []
        for sheet in at.kit.sheets:
            listed.append((sheet.name, (sheet.key, "")))
            listed += [(f"{sheet.name}  ·  {twin.name}", (sheet.key, twin.key)) for twin in sheet.twins]
        offer(self.box, listed, (at.key, at.twin))
