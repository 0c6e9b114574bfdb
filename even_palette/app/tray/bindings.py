"""How a value of a coat is bound: fixed, or to a parameter, and to whose; or set by a wearer of a recipe itself."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QMenu, QToolButton

from even_palette.app import plain
from even_palette.app.session import Session
from even_palette.app.theme import set_icon
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import SheetOwner, home_of, owner_name, recipe_length, users_of
from even_palette.core.kit.coat_values import overrides
from even_palette.core.kit.model import Focus
from even_palette.core.material.declare import ValueSpec

NAME_PX = 120
OF_ITS_OWN = "+"
"""The choice of a parameter that is not there yet; no key reads like it."""


class BindingButton(QToolButton):
    """Tells whether a value is fixed or which parameter it follows; its menu binds it to another."""

    def __init__(self, session: Session, at: Focus, owner: SheetOwner, coat: int, spec: ValueSpec) -> None:
        super().__init__()
        self.session, self.coat, self.spec = session, coat, spec
        parameter = commands.bound_parameters(at.kit, owner).get((coat, spec.name))
        self.setAccessibleName(f"Binding of {spec.label}")
        set_icon(self, "link" if parameter else "link-break")
        self.setProperty("role", "plain")
        if parameter is not None:
            name = at.kit.parameter(parameter).name
            self.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
            self.setText(self.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, NAME_PX))
            self.setToolTip(plain.tip(f"Follows the parameter {name}, which the runtime can set"))
        else:
            self.setToolTip("Fixed in the shader; click to make it a parameter, or to share one")
        menu = QMenu(self)
        items: list[tuple[str, str]] = [("Fixed in the shader", ""), ("Parameter of its own", OF_ITS_OWN)]
        items += [
            (f"Parameter {p.name}", p.key) for p in at.kit.parameters if p.key == parameter or commands.fits(p, spec)
        ]
        for text, key in items:
            action = menu.addAction(plain.item(text))
            assert action is not None
            action.setCheckable(True)
            action.setChecked(key == (parameter or ""))
            action.triggered.connect(lambda _, key=key: self._bind(owner, parameter, key))
        if isinstance(owner, str) and coat < recipe_length(at.kit, owner):
            menu.addSeparator()
            own = overrides(at.kit, owner, spec.name, coat)
            action = menu.addAction("Follow the recipe" if own else "Set for this region alone")
            assert action is not None
            action.triggered.connect(lambda: self._set_own(owner, own))
        self.setMenu(menu)
        self.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)

    def _bind(self, owner: SheetOwner, parameter: str | None, chosen: str) -> None:
        name, do = self.spec.name, self.session.do
        if chosen == OF_ITS_OWN:
            if parameter is not None:
                do(commands.unbind(owner, name, self.coat))
            do(commands.expose(owner, name, self.coat))
        elif chosen:
            do(commands.bind(owner, name, chosen, self.coat))
        else:
            do(commands.unbind(owner, name, self.coat))

    def _set_own(self, region: str, own: bool) -> None:
        """Let the region set the value of its recipe itself, beginning with what it is now, or follow again."""
        cell = commands.read_cell(self.session.kit, region, self.session.variant)
        now = None if own else cell.settings[self.coat][self.spec.name]
        self.session.do(commands.set_own_value(region, self.spec.name, self.coat, now))


def sharers(at: Focus, owner: SheetOwner, coat: int, spec: ValueSpec) -> str:
    """Who else follows the parameter of a value, in words."""
    parameter = commands.bound_parameters(at.kit, owner).get((coat, spec.name))
    if parameter is None:
        return ""
    mine = ((owner, coat), home_of(at.kit, owner, coat))
    places = [use for use in users_of(at.kit, parameter) if (use.owner, use.coat) not in mine]
    return ", ".join(dict.fromkeys(owner_name(at.kit, use.owner) for use in places))
