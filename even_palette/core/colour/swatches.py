"""Strips of swatches as texts: one hex value a line, with an optional name behind it."""

from collections.abc import Iterable
from dataclasses import dataclass

from even_palette.core.colour.hexcode import Rgb8, format_hex, parse_hex
from even_palette.core.errors import UserError

MOST_SWATCHES = 256
SUFFIXES = (".txt", ".hex")
"""Of files that hold a list."""


@dataclass(frozen=True)
class Swatch:
    """A colour, encoded sRGB in 8-bit levels, and what it is called, which may be nothing."""

    colour: Rgb8
    name: str = ""


def write_swatches(swatches: Iterable[Swatch]) -> str:
    """A line a swatch.

    >>> write_swatches([Swatch((255, 136, 0), "Buoy"), Swatch((1, 2, 3))])
    '#ff8800 Buoy\\n#010203\\n'
    """
    lines = (f"{format_hex(swatch.colour)} {' '.join(swatch.name.split())}".rstrip() for swatch in swatches)
    return "".join(f"{line}\n" for line in lines)


def read_swatches(text: str) -> tuple[Swatch, ...]:
    """The swatches of such a text; empty lines and remarks, which begin with //, ; or a # alone, are passed over.

    Raises UserError, naming the line.
    """
    found: list[Swatch] = []
    for number, line in enumerate(text.lstrip("\ufeff").splitlines(), 1):
        words = line.split()
        if not words or words[0].startswith(("//", ";")) or words[0] == "#":
            continue
        try:
            found.append(Swatch(parse_hex(words[0]), " ".join(words[1:])))
        except ValueError as error:
            raise UserError(f"line {number}: {error}") from None
        if len(found) > MOST_SWATCHES:
            raise UserError(f"There are more than {MOST_SWATCHES} colours.")
    if not found:
        raise UserError("There is no colour in it; write one hex value a line.")
    return tuple(found)
