"""The kinds of coats: every module of this package that declares a COAT. Adding a coat is adding a file."""

from even_palette.core.declared import declared
from even_palette.core.material.declare import CoatKind, Group

COATS: dict[str, CoatKind] = {
    coat.name: coat.with_common()
    for coat in sorted(
        declared(__name__, __path__, "COAT"), key=lambda coat: (list(Group).index(coat.group), coat.place, coat.name)
    )
}
