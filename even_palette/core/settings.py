"""Settings of what is made by kinds, such as bakes and tones: numbers in a range, or one of some choices."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

Settings = Mapping[str, float | str]


@dataclass(frozen=True)
class SettingSpec:
    """What declares a setting. It is a number, perhaps a whole one, or where there are `choices` one of these."""

    name: str
    label: str
    default: float | str
    help: str
    low: float = 0.0
    high: float = 1.0
    whole: bool = False
    unit: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    when: tuple[str, tuple[str, ...]] | None = None
    """The name of a choice and those ways of it under which the setting counts; None for always."""

    def counts(self, settings: Settings) -> bool:
        """Whether it does anything where the settings are these."""
        return self.when is None or settings[self.when[0]] in self.when[1]


def filled(specs: Iterable[SettingSpec], own: Settings) -> dict[str, float | str]:
    """The settings with defaults filled in, numbers held in their ranges."""
    found: dict[str, float | str] = {}
    for spec in specs:
        given = own.get(spec.name, spec.default)
        if spec.choices:
            found[spec.name] = given if given in [name for name, _ in spec.choices] else spec.default
        else:
            number = float(given) if isinstance(given, int | float) else float(spec.default)
            found[spec.name] = float(min(max(round(number) if spec.whole else number, spec.low), spec.high))
    return found
