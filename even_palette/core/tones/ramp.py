"""Ramps: continuous gradients of one dimension, given by stops."""

from enum import StrEnum
from typing import Annotated

import msgspec
import numpy as np
from msgspec import Meta

from even_palette.core.arrays import Floats, Levels, float32
from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.colour.oklab import linear_to_oklab, oklab_to_linear, oklab_to_oklch, oklch_to_oklab
from even_palette.core.colour.srgb import linear_to_srgb, srgb_to_linear
from even_palette.core.errors import UserError
from even_palette.core.limits import MOST_ROWS
from even_palette.core.ranges import Key, Share, check_declared
from even_palette.core.raster.plane import to_levels8
from even_palette.core.tones.colours import to_oklab

STRIP_TEXELS = 256
MOST_STOPS = 64
GREY_CHROMA = 1e-4
"""Below this a colour has no hue of its own; it takes that of its neighbour (CSS Color Module Level 4, section 12)."""


class Easing(StrEnum):
    """How a ramp goes from a stop to the next."""

    LINEAR = "linear"
    SMOOTH = "smooth"
    STEP = "step"


class Space(StrEnum):
    """In which numbers colours between two stops are mixed."""

    LINEAR = "linear"
    ENCODED = "encoded"
    OKLAB = "oklab"
    SHORTER = "shorter"
    LONGER = "longer"


class Stop(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A colour at a position 0..1, and how the ramp goes on from there."""

    position: Share
    colour: Rgb8
    easing: Easing = Easing.LINEAR


class RampRow(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One gradient of a ramp: its name and its stops in rising order."""

    name: str
    stops: Annotated[tuple[Stop, ...], Meta(min_length=1, max_length=MOST_STOPS)]


class Ramp(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A ramp of the kit with one row or more. `key` stays when the name changes.

    `shorter` and `longer` mix in OKLCh, either way round the hue. A `mirrored` ramp is gone through forth and back.
    """

    key: Key
    name: str
    rows: Annotated[tuple[RampRow, ...], Meta(min_length=1, max_length=MOST_ROWS)]
    space: Space = Space.OKLAB
    mirrored: bool = False


def ramp_colours(row: RampRow, positions: Floats, space: Space = Space.OKLAB, mirrored: bool = False) -> Floats:
    """Linear colours (n, 3) of a row at positions (n,), 0..1; beyond the outer stops their colours go on.

    At a stop's position the colour is the stop's.
    """
    p = np.clip(np.asarray(positions, dtype=np.float64), 0, 1)
    if mirrored:
        p = 1 - np.abs(2 * p - 1)
    places = np.array([stop.position for stop in row.stops], dtype=np.float64)
    after = np.clip(np.searchsorted(places, p, side="right"), 1, max(1, len(places) - 1))
    before = after - 1
    after = np.minimum(after, len(places) - 1)
    span = places[after] - places[before]
    t = np.where(span > 0, np.clip((p - places[before]) / np.where(span > 0, span, 1), 0, 1), p >= places[after])
    easing = np.array([list(Easing).index(stop.easing) for stop in row.stops])[before]
    eased = np.where(easing == 1, t * t * (3 - 2 * t), np.where(easing == 2, (t >= 1).astype(float), t))
    encoded = float32([stop.colour for stop in row.stops]) / np.float32(255)
    one, other, share = encoded[before], encoded[after], float32(eased)[:, None]
    return _mixed(one, other, share, space)


def _mixed(one: Floats, other: Floats, share: Floats, space: Space) -> Floats:
    """Encoded colours (n, 3) mixed in a space; linear light. What leaves the gamut is clipped."""
    light = srgb_to_linear(one), srgb_to_linear(other)
    match space:
        case Space.LINEAR:
            return _blend(light[0], light[1], share)
        case Space.ENCODED:
            return srgb_to_linear(_blend(one, other, share))
        case Space.OKLAB:
            mixed = oklab_to_linear(_blend(linear_to_oklab(light[0]), linear_to_oklab(light[1]), share))
        case _:
            mixed = oklab_to_linear(_round_the_hue(light[0], light[1], share, space == Space.LONGER))
    mixed = np.where(share == 0, light[0], np.where(share == 1, light[1], mixed))
    return float32(np.clip(mixed, 0, 1))


def _blend(one: Floats, other: Floats, share: Floats) -> Floats:
    return float32(one * (1 - share) + other * share)


def _round_the_hue(one: Floats, other: Floats, share: Floats, longer: bool) -> Floats:
    a, b = oklab_to_oklch(linear_to_oklab(one)), oklab_to_oklch(linear_to_oklab(other))
    hue_a = np.where(a[:, 1] < GREY_CHROMA, b[:, 2], a[:, 2])
    hue_b = np.where(b[:, 1] < GREY_CHROMA, a[:, 2], b[:, 2])
    way = (hue_b - hue_a + 0.5) % 1.0 - 0.5
    if longer:
        way = np.where(way > 0, way - 1, np.where(way < 0, way + 1, way))
    mixed = _blend(a, b, share)
    mixed[:, 2] = (hue_a + way * share[:, 0]) % 1.0
    return oklch_to_oklab(mixed)


def ramp_strip(ramp: Ramp, count: int = STRIP_TEXELS) -> Levels:
    """The strip of a ramp, (rows, count, 3) uint8, encoded: the texel i is the colour at i / (count - 1)."""
    at = float32(np.linspace(0, 1, count))
    rows = [linear_to_srgb(ramp_colours(row, at, ramp.space, ramp.mirrored)) for row in ramp.rows]
    return to_levels8(np.stack(rows))


def row_of_colours(name: str, colours: Levels) -> RampRow:
    """A row with evenly spaced stops of colours (n, 3) uint8, at most 64 of them."""
    if len(colours) > MOST_STOPS:
        colours = colours[np.linspace(0, len(colours) - 1, MOST_STOPS).round().astype(int)]
    places = np.linspace(0, 1, len(colours)) if len(colours) > 1 else np.zeros(1)
    return RampRow(name, tuple(_stop(float(p), c) for p, c in zip(places, colours, strict=True)))


def row_of_strip(name: str, strip: Levels, tolerance: float = 0.004) -> RampRow:
    """The fewest stops, mixed in OKLab, from which a strip (n, 3) uint8 follows to within an OKLab distance.

    Stops are added where the ramp is farthest off (Douglas and Peucker 1973); at most 64.
    """
    lab = to_oklab(strip)
    last = len(strip) - 1
    chosen = sorted({0, last})
    while len(chosen) < min(MOST_STOPS, len(strip)):
        at = np.arange(len(strip))
        guess = np.stack([np.interp(at, chosen, lab[chosen, channel]) for channel in range(3)], axis=-1)
        far = np.sqrt(np.square(lab - guess).sum(axis=-1))
        if far.max() <= tolerance:
            break
        chosen = sorted({*chosen, int(far.argmax())})
    return RampRow(name, tuple(_stop(number / max(1, last), strip[number]) for number in chosen))


def _stop(position: float, colour: Levels) -> Stop:
    red, green, blue = (int(level) for level in colour)
    return Stop(position, (red, green, blue))


def reversed_row(row: RampRow) -> RampRow:
    """The row the other way round; the easing between two stops stays between them."""
    turned = row.stops[::-1]
    easings = [*(stop.easing for stop in turned[1:]), Easing.LINEAR]
    stops = tuple(Stop(1 - stop.position, stop.colour, easing) for stop, easing in zip(turned, easings, strict=True))
    return RampRow(row.name, stops)


def evenly_spaced(row: RampRow) -> RampRow:
    """The row with its stops at even distances."""
    last = max(1, len(row.stops) - 1)
    return RampRow(row.name, tuple(Stop(n / last, stop.colour, stop.easing) for n, stop in enumerate(row.stops)))


def check_ramp(ramp: Ramp) -> None:
    """Raise UserError for a ramp that was made here and cannot be drawn."""
    check_declared(ramp, "ramp")
    check_order(ramp)


def check_order(ramp: Ramp) -> None:
    """Raise UserError for a ramp whose stops are not in rising order."""
    for row in ramp.rows:
        places = [stop.position for stop in row.stops]
        if places != sorted(places):
            raise UserError(f"ramp “{ramp.name[:40]}” has stops that are not in order.")
