"""The kinds of tones: every module of this package that declares a TONE. Adding a tone is adding a file."""

from even_palette.core.declared import declared
from even_palette.core.tones.kinds._declare import ToneKind

TONES: dict[str, ToneKind] = {
    kind.name: kind for kind in sorted(declared(__name__, __path__, "TONE"), key=lambda kind: kind.place)
}
"""The kinds of tones by name, in the order in which they are offered."""
