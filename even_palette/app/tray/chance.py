"""Variants by chance: which parameters differ, how far, and how unlike they are at the least."""

from collections.abc import Callable

from PyQt6.QtWidgets import QPushButton

from even_palette.app.controls import Fold, choice, row
from even_palette.app.number import NumberRow
from even_palette.app.session import Session
from even_palette.core.kit import commands
from even_palette.core.material.model import ValueKind
from even_palette.core.material.randomise import Spread

WHICH: list[tuple[str, object]] = [("All colours", "colours"), ("All parameters", "all"), ("The chosen one", "one")]


class Chance(Fold):
    """Adds variants about the selected one; `chosen` gives the key of the parameter that is chosen in the table."""

    def __init__(self, session: Session, chosen: Callable[[], str]) -> None:
        super().__init__("Variants by chance")
        self.session, self._chosen = session, chosen
        self.count = NumberRow("Variants", 1, 50, "", 0, "How many variants are added")
        self.hue = NumberRow("Hue ±", 0, 180, "°", 0, "How far hues may go to both sides")
        self.lightness = NumberRow("Lightness ±", 0, 0.5, "", 2, "How far lightness may go, in OKLCh")
        self.apart = NumberRow("Unlike by", 0, 40, "ΔE", 0, "The least CIEDE2000 between any two of them")
        self.seed = NumberRow("Seed", 0, 999, "", 0, "The same seed gives the same variants")
        self.which = choice("Which parameters differ", WHICH)
        self.make = QPushButton("Add")
        self.make.clicked.connect(self._make)
        for number, value in ((self.count, 4), (self.hue, 60), (self.lightness, 0.12), (self.apart, 8), (self.seed, 0)):
            number.show_value(value)
            self.column.addWidget(number)
        self.column.addLayout(row(self.which, self.make, stretch=0))

    def _make(self) -> None:
        kit, which = self.session.kit, self.which.currentData()
        keys = [
            parameter.key
            for parameter in kit.parameters
            if which == "all" or (which == "colours" and parameter.kind == ValueKind.COLOUR)
        ]
        if which == "one":
            keys = [self._chosen()] if self._chosen() else []
        spread = Spread(
            self.hue.value(), self.lightness.value(), 0.04, 0.25 if which != "colours" else 0.0, self.apart.value()
        )
        name = f"{kit.variant_names[self.session.variant]} chance"
        self.session.do(
            commands.add_random_variants(
                name, int(self.count.value()), keys, spread, int(self.seed.value()), self.session.variant or None
            )
        )
