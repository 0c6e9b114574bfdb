"""The button that puts a copy of the chosen coat on another owner of coats."""

from collections.abc import Callable

from PyQt6.QtWidgets import QMenu, QToolButton

from even_palette.app import plain
from even_palette.app.controls import tool
from even_palette.app.session import Session
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import Overcoats, owner_name, owners_on


def copy_button(session: Session, coat: Callable[[], int]) -> QToolButton:
    """Its menu lists all other owners, on any sheet; a copy of the coat with this number goes on top of theirs."""
    button = tool("Copy coat to", "copy", "Put a copy of the chosen coat on another region, on any sheet")
    menu = QMenu(button)
    menu.aboutToShow.connect(lambda: _fill(menu, session, coat()))
    button.setMenu(menu)
    button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
    return button


def _fill(menu: QMenu, session: Session, coat: int) -> None:
    owner = session.owner
    menu.clear()
    several = len(session.kit.sheets) > 1
    for sheet in session.kit.sheets:
        for other in owners_on(sheet):
            if other == owner:
                continue
            name = owner_name(session.kit, other)
            text = f"{sheet.name} · {name}" if several and not isinstance(other, Overcoats) else name
            action = menu.addAction(plain.item(text))
            assert action is not None
            action.triggered.connect(lambda _, other=other: session.do(commands.copy_coats(owner, [other], [coat])))
