"""Stage 7 for scripts: what a runtime leaves of a sheet, in bytes and errors, and what may be smaller."""

from collections.abc import Sequence
from typing import Any, Protocol

from even_palette.core.kit.model import Focus, Kit
from even_palette.core.proof.conditions import MapConditions, of_kinds
from even_palette.core.results.proof import map_bytes, shipped
from even_palette.core.results.proof_errors import DISTANCES, ResultErrors, errors_of_results
from even_palette.core.results.proof_search import Found, Point, layouts_of, search
from even_palette.core.results.sheets import Sheets


class Worked(Protocol):
    """A kit that a script works on."""

    results: Sheets

    @property
    def kit(self) -> Kit:
        """As it is now."""
        ...

    def at(self, sheet: str = "") -> Focus:
        """The kit at a sheet."""
        ...

    def variant(self, name: str) -> str:
        """The key of a variant."""
        ...

    def do(self, command: Any, *arguments: Any, **named: Any) -> bool:
        """Do a command, by its name."""
        ...


class Proof:
    """Of a sheet of an open kit, by its key, or the first one: under the conditions that it has now."""

    def __init__(self, kit: Worked, sheet: str = "") -> None:
        self._kit, self._sheet = kit, sheet

    @property
    def at(self) -> Focus:
        """The kit at the sheet."""
        return self._kit.at(self._sheet)

    def maps(self) -> dict[str, tuple[MapConditions, int]]:
        """By slot what is done to each map, and the bytes that it takes with its levels. Raises UserError."""
        return map_bytes(shipped(self.at, self._kit.results), self.at.sheet.conditions)

    def errors(
        self, variants: Sequence[str] = (), distances: Sequence[int] = DISTANCES, slant: int = 1
    ) -> list[ResultErrors]:
        """Every output of variants, by name or key, or of all, at each distance, seen at an angle whose sine is
        1 / slant. Raises UserError.
        """
        keys = [self._kit.variant(name) for name in variants] or list(self._kit.kit.variant_names)
        return errors_of_results(self.at, self._kit.results, keys, distances=distances, slant=slant)

    def search(self, variants: Sequence[str] = (), packings: bool = False) -> Found:
        """The sets of formats and sizes that none undercuts, for variants, by name or key, or all; perhaps over
        packings, too. Raises UserError.
        """
        keys = [self._kit.variant(name) for name in variants] or list(self._kit.kit.variant_names)
        layouts = layouts_of(self.at, self._kit.results) if packings else ()
        return search(self.at, self._kit.results, keys, layouts=layouts)

    def take(self, found: Found, point: Point) -> bool:
        """Set what a search found."""
        layout = point.layout
        return self._kit.do("set_conditions", self.at.key, found.conditions(point), layout.packing, layout.channels)

    def keep(self, name: str) -> bool:
        """Keep what the maps have under a name, for their kinds, and let the sheet follow it. Raises UserError."""
        kept = of_kinds(self.at.sheet.conditions, shipped(self.at, self._kit.results).facts)
        return self._kit.do("add_preset", name, kept) and self._kit.do("set_conditions", self.at.key, kept)
