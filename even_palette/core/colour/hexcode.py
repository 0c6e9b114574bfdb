"""Hexadecimal notation of 8-bit colours, as in CSS Color Module Level 4, section 5.2."""

import re

from even_palette.core.ranges import Level

_HEX = re.compile(r"#?([0-9a-fA-F]{6}|[0-9a-fA-F]{3})")

Rgb8 = tuple[Level, Level, Level]


def parse_hex(text: str) -> Rgb8:
    """Three levels 0..255 from '#rrggbb' or '#rgb', with or without '#'.

    Raises ValueError with the cure for anything else.

    >>> parse_hex("#f80")
    (255, 136, 0)
    """
    match = _HEX.fullmatch(text.strip())
    if match is None:
        raise ValueError(f"“{text.strip()[:20]}” is no hex colour; write six digits such as #3a7bd5.")
    digits = match[1] if len(match[1]) == 6 else "".join(d * 2 for d in match[1])
    return (int(digits[0:2], 16), int(digits[2:4], 16), int(digits[4:6], 16))


def format_hex(levels: Rgb8) -> str:
    """'#rrggbb' of three levels 0..255.

    >>> format_hex((255, 136, 0))
    '#ff8800'
    """
    return "#{:02x}{:02x}{:02x}".format(*levels)


def encoded_to_hex(encoded: tuple[float, float, float]) -> str:
    """'#rrggbb' of encoded values 0..1, rounded to the nearest level and clipped."""
    red, green, blue = (min(255, max(0, round(255 * v))) for v in encoded)
    return format_hex((red, green, blue))


def hex_to_encoded(text: str) -> tuple[float, float, float]:
    """Encoded values 0..1 of a hex colour. Raises ValueError as parse_hex does."""
    red, green, blue = parse_hex(text)
    return (red / 255, green / 255, blue / 255)
