"""Bakes: what a mesh tells a sheet. Every module of this package declares a `BAKE`; adding a bake is adding a file."""

from even_palette.core.declared import declared
from even_palette.core.mesh.bakes._declare import BakeKind

BAKES: dict[str, BakeKind] = {
    kind.name: kind for kind in sorted(declared(__name__, __path__, "BAKE"), key=lambda kind: kind.place)
}
"""The kinds of bakes by name, in the order in which they are offered."""
