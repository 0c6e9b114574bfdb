"""Every kind of placing, by name, in the order in which they are offered."""

from even_palette.core.declared import declared
from even_palette.core.lineup.placings._declare import PlacingKind

PLACINGS: dict[str, PlacingKind] = {
    kind.name: kind for kind in sorted(declared(__name__, __path__, "PLACING"), key=lambda kind: kind.place)
}
