"""The spaces that coats offer: every module of this package that declares a SPACE. Adding a space is adding a file."""

from even_palette.core.declared import declared
from even_palette.core.material.spaces._declare import Move, Space

SPACES: dict[str, Space] = {
    space.name: space for space in sorted(declared(__name__, __path__, "SPACE"), key=lambda space: space.place)
}
"""The spaces by name, in the order in which they are offered."""

__all__ = ["SPACES", "Move", "Space"]
