"""Values over time: keys with easing between them, once, again and again or to and fro; or a rate."""

from collections.abc import Callable, Mapping
from itertools import pairwise

from msgspec.structs import replace

from even_palette.core.arrays import float32
from even_palette.core.colour.srgb import linear_to_srgb, srgb_to_linear
from even_palette.core.material.model import Easing, Parameter, Repeat, Setting, Track, TrackKey, ValueKind

SAME_S = 0.02
"""Keys that lie no further apart are one."""
CURVES = {
    Easing.EASE: (0.25, 0.1, 0.25, 1.0),
    Easing.EASE_IN: (0.42, 0.0, 1.0, 1.0),
    Easing.EASE_OUT: (0.0, 0.0, 0.58, 1.0),
    Easing.EASE_IN_OUT: (0.42, 0.0, 0.58, 1.0),
}
"""The two inner points of each curve (CSS Easing Functions Level 1, section 2.2)."""


def eased(easing: Easing, share: float) -> float:
    """How far a value has gone when so large a share 0..1 of the time has passed."""
    if easing == Easing.HOLD:
        return 0.0 if share < 1 else 1.0
    if easing == Easing.LINEAR or not 0 < share < 1:
        return min(max(share, 0.0), 1.0)
    x1, y1, x2, y2 = CURVES[easing]
    low, high = 0.0, 1.0
    for _ in range(40):  # x rises with t, so halving finds it
        t = (low + high) / 2
        low, high = (t, high) if _bezier(t, x1, x2) < share else (low, t)
    return _bezier((low + high) / 2, y1, y2)


def _bezier(t: float, one: float, two: float) -> float:
    return 3 * (1 - t) ** 2 * t * one + 3 * (1 - t) * t**2 * two + t**3


def value_at(track: Track, parameter: Parameter, time: float, is_linear: bool = False) -> Setting:
    """What a parameter is at a time in seconds; colours go from one to the other in linear light.

    They are encoded sRGB, or linear light already where that `is_linear`, as in packages.
    """
    first, last = track.keys[0].time, track.keys[-1].time
    found = _between(track, parameter, _inside(track.repeat, first, last, time), is_linear)
    if track.rate and not isinstance(found, tuple):
        low, high = parameter.low, parameter.high
        found = _inside(track.repeat, low, high, float(found) + track.rate * time)
    if parameter.kind in (ValueKind.ROW, ValueKind.SWITCH) and not isinstance(found, tuple):
        return float(round(found))
    return found


def values_at(tracks: Mapping[str, Track], parameters: Mapping[str, Parameter], time: float) -> dict[str, Setting]:
    """What tracks, by the key of their parameter, make of those that are there at a time in seconds."""
    return {key: value_at(track, parameters[key], time) for key, track in tracks.items() if key in parameters}


def _inside(repeat: Repeat, low: float, high: float, value: float) -> float:
    """A value that goes on for ever, brought into a range: held, begun again, or mirrored."""
    if high <= low or repeat == Repeat.ONCE:
        return min(max(value, low), high)
    if repeat == Repeat.LOOP:
        return low + (value - low) % (high - low)
    way = (value - low) % (2 * (high - low))
    return low + min(way, 2 * (high - low) - way)


def _between(track: Track, parameter: Parameter, time: float, is_linear: bool) -> Setting:
    keys = track.keys
    if time <= keys[0].time or len(keys) == 1:
        return keys[0].value
    for before, after in pairwise(keys):
        if time < after.time:
            share = eased(before.easing, (time - before.time) / (after.time - before.time))
            return _mixed(parameter, before.value, after.value, share, is_linear)
    return keys[-1].value


def _mixed(parameter: Parameter, one: Setting, other: Setting, share: float, is_linear: bool) -> Setting:
    if not 0 < share < 1:
        return one if share <= 0 else other
    if isinstance(one, tuple) and isinstance(other, tuple):
        if is_linear:
            red, green, blue = (a * (1 - share) + b * share for a, b in zip(one, other, strict=True))
            return (red, green, blue)
        light = [srgb_to_linear(float32(each)).astype("f8") for each in (one, other)]
        red, green, blue = linear_to_srgb(float32(light[0] * (1 - share) + light[1] * share)).tolist()
        return (red, green, blue)
    assert not isinstance(one, tuple)
    assert not isinstance(other, tuple)
    if parameter.kind in (ValueKind.ROW, ValueKind.SWITCH):
        return one
    return float(one) * (1 - share) + float(other) * share


def with_values(track: Track, change: Callable[[Setting], Setting]) -> Track:
    """The track with every value changed."""
    keys = tuple(replace(key, value=change(key.value)) for key in track.keys)
    return replace(track, keys=keys)


def with_key(track: Track | None, key: TrackKey) -> Track:
    """The track with a key; one at the same time goes."""
    if track is None:
        return Track((key,))
    others = [each for each in track.keys if abs(each.time - key.time) > SAME_S]
    return replace(track, keys=tuple(sorted([*others, key], key=lambda each: each.time)))


def key_at(track: Track | None, time: float) -> TrackKey | None:
    """The key of a track that lies at a time."""
    return next((key for key in track.keys if abs(key.time - time) <= SAME_S), None) if track else None


def with_value(track: Track | None, time: float, value: Setting) -> Track:
    """The track with a key at a time; where there is one, that has another value now."""
    here = key_at(track, time)
    return with_key(track, replace(here, value=value) if here else TrackKey(time, value))
