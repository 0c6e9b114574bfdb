"""By hand, or from a list: each where it was put."""

from even_palette.core.lineup.placings._declare import PlacingKind

PLACING = PlacingKind("list", "One by one", "Each where it is put, or as a file lists them.", 5)
