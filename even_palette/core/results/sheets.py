"""The store that results of sheets are kept in, which knows what glows on them."""

from even_palette.core.results.cache import Cache
from even_palette.core.results.glow import SheetLight
from even_palette.core.results.store import Store


class Sheets(Store):
    """Where all that follows from sheets is kept; the functions beside this file are given it."""

    def __init__(self, cache: Cache | None = None) -> None:
        super().__init__(cache, SheetLight())
