"""The kinds of coats: every module of this package that declares a COAT. Adding a coat is adding a file."""

from even_palette.core.declared import declared
from even_palette.core.material.declare import CoatKind

COATS: dict[str, CoatKind] = {coat.name: coat.with_common() for coat in declared(__name__, __path__, "COAT")}
