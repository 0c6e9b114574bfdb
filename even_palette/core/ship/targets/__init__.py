"""For whom packages are written: every module of this package that declares a TARGET. Adding one is adding a file."""

from even_palette.core.declared import declared
from even_palette.core.errors import UserError
from even_palette.core.ship.targets._declare import Target

TARGETS: dict[str, Target] = {
    target.name: target for target in sorted(declared(__name__, __path__, "TARGET"), key=lambda target: target.place)
}
"""The targets by name, in the order in which they are offered."""
FIRST = next(iter(TARGETS))


def target_of(name: str) -> Target:
    """The target with a name, the first one for "". Raises UserError if there is none."""
    try:
        return TARGETS[name or FIRST]
    except KeyError:
        raise UserError(f"There is no target “{name[:40]}”; there is {', '.join(TARGETS)}.") from None


__all__ = ["FIRST", "TARGETS", "Target", "target_of"]
