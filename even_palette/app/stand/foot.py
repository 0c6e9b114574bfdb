"""The row of controls below the panes: what they show, how, and which of them there are."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QComboBox, QHBoxLayout, QSizePolicy, QToolButton, QWidget

from even_palette.app import plain
from even_palette.app.session import Session
from even_palette.app.stand.look_box import LookBox
from even_palette.app.stand.spread import SpreadMenu
from even_palette.app.theme import set_icon
from even_palette.app.view_state import Panes

PANES = (
    (Panes.SHEET, "square", "The sheet alone (Alt+1)"),
    (Panes.MODEL, "cube", "The model alone (Alt+2)"),
    (Panes.BOTH, "columns", "Sheet and model beside each other (Alt+3)"),
)


class Foot(QWidget):
    """The controls; the stand says what they do. `of_sheet` are those that need the sheet's pane."""

    panes_chosen = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("foot")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 4, 8, 4)
        row.setSpacing(6)
        self.look_box, self.other_box = LookBox("Look"), LookBox("Other look")
        for box in (self.look_box, self.other_box):
            box.setMinimumWidth(96)
            box.setMaximumWidth(190)
            box.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.wipe_button = _toggle("Wipe", "Compare two looks left and right of a draggable edge (W)")
        self.spread_button = _toggle("Spread", "Variants beside each other (S); choose which")
        self.spread_menu = SpreadMenu(session, self.spread_button)
        self.spread_button.setMenu(self.spread_menu)
        self.spread_button.setPopupMode(QToolButton.ToolButtonPopupMode.MenuButtonPopup)
        self.texels_button = _toggle("Texels", "Show texels as squares instead of the filter of a runtime (T)")
        self.loupe_button = _toggle("Loupe", "Enlarge the texel under the cursor (L)")
        self.zoom_label = plain.Label()
        self.zoom_label.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.zoom_label.setMinimumWidth(52)
        self.fit_button = _button("Fit", "Fit the sheet into the pane (F)")
        self.one_button = _button("1:1", "One pixel a texel (F twice)")
        self.pane_buttons = QButtonGroup(self)
        for panes, icon_name, tip in PANES:
            button = _toggle(panes.value, tip)
            button.clicked.connect(lambda _, panes=panes: self.panes_chosen.emit(panes))
            button.setText("")
            set_icon(button, icon_name)
            button.setChecked(panes == session.view.state.panes)
            self.pane_buttons.addButton(button, list(Panes).index(panes))
            row.addWidget(button)
        self.of_sheet: list[QWidget] = [self.loupe_button, self.zoom_label, self.fit_button, self.one_button]
        left: list[QWidget] = [self.look_box, self.wipe_button, self.other_box, self.spread_button]
        for widget in left:
            row.addWidget(widget, 4 if isinstance(widget, QComboBox) else 0)
        row.addStretch(1)
        for widget in (self.texels_button, *self.of_sheet):
            row.addWidget(widget)


def _toggle(text: str, tip: str) -> QToolButton:
    button = _button(text, tip)
    button.setCheckable(True)
    return button


def _button(text: str, tip: str) -> QToolButton:
    button = QToolButton()
    button.setText(text)
    button.setToolTip(plain.tip(tip))
    button.setAccessibleName(text)
    return button
