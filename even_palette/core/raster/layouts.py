"""What each channel of a map holds: layouts that the trade uses, and a guess of one from a file's name and content."""

from dataclasses import dataclass
from enum import StrEnum
from itertools import combinations
from pathlib import Path

import numpy as np

from even_palette.core.arrays import Floats, Samples
from even_palette.core.raster.guess import ROLE_WORDS, Role, guess_encoding, guess_role, words_of
from even_palette.core.raster.plane import Encoding, stored_values


class Hold(StrEnum):
    """What one channel holds."""

    NOTHING = "nothing"
    COLOUR = "colour"
    OPACITY = "opacity"
    OCCLUSION = "occlusion"
    ROUGHNESS = "roughness"
    SMOOTHNESS = "smoothness"
    METALNESS = "metalness"
    HEIGHT = "height"
    EMISSION = "emission"
    CLEAR_COAT = "clear coat"
    MASK = "mask"


Layout = tuple[Hold, ...]

GIVES = {
    Hold.OPACITY: Role.OPACITY,
    Hold.OCCLUSION: Role.OCCLUSION,
    Hold.ROUGHNESS: Role.ROUGHNESS,
    Hold.SMOOTHNESS: Role.ROUGHNESS,
    Hold.METALNESS: Role.METALNESS,
    Hold.HEIGHT: Role.HEIGHT,
    Hold.EMISSION: Role.EMISSION,
    Hold.CLEAR_COAT: Role.CLEAR_COAT,
}
"""The role that a channel has for its sheet; smoothness is 1 − roughness."""


@dataclass(frozen=True)
class ReadyLayout:
    """A layout that the trade uses, called by its content."""

    name: str
    holds: Layout


_C = Hold.COLOUR
READY = (
    ReadyLayout("occlusion, roughness, metalness", (Hold.OCCLUSION, Hold.ROUGHNESS, Hold.METALNESS)),
    ReadyLayout("roughness, metalness", (Hold.NOTHING, Hold.ROUGHNESS, Hold.METALNESS)),
    ReadyLayout(
        "metalness, occlusion, height, smoothness", (Hold.METALNESS, Hold.OCCLUSION, Hold.HEIGHT, Hold.SMOOTHNESS)
    ),
    ReadyLayout("colour + opacity", (_C, _C, _C, Hold.OPACITY)),
    ReadyLayout("colour + height", (_C, _C, _C, Hold.HEIGHT)),
)
"""Common practice; roughness in green and metalness in blue: glTF 2.0, section 3.9.2."""


def layout_name(layout: Layout) -> str:
    """A layout in words: what its channels hold, in order; "" for one that says nothing."""
    beside = [str(hold) for hold in layout if hold not in (Hold.NOTHING, Hold.COLOUR)]
    return " + ".join(["colour", *beside]) if Hold.COLOUR in layout else ", ".join(beside)


WORDS = {
    Hold.OCCLUSION: ("occlusion", "ao", "occ"),
    Hold.ROUGHNESS: ("roughness", "rough"),
    Hold.SMOOTHNESS: ("smoothness", "smooth", "gloss", "glossiness"),
    Hold.METALNESS: ("metalness", "metallic", "metal"),
    Hold.HEIGHT: ("height", "displacement", "disp"),
    Hold.OPACITY: ("opacity", "alpha", "transparency"),
    Hold.CLEAR_COAT: ("clearcoat", "coat", "varnish"),
}
"""Words in file names by what they tell of a channel, common practice."""
INITIALS = {
    "a": Hold.OCCLUSION, "o": Hold.OCCLUSION, "r": Hold.ROUGHNESS, "s": Hold.SMOOTHNESS, "g": Hold.SMOOTHNESS,
    "m": Hold.METALNESS, "h": Hold.HEIGHT,
}  # fmt: skip
"""Names of packed maps are often the first letters of what their channels hold, in order: common practice."""
MOST_ALIKE = 0.8
"""Channels of a picture go with each other more than so (correlation); those of packed numbers hardly do."""


def guess_map(path: Path, samples: Samples) -> tuple[Role, Encoding, Layout]:
    """The likeliest role, encoding and layout of samples (H, W, C) read from a file of this name."""
    role = guess_role(path, samples)
    layout = guess_layout(path, samples, role)
    if layout and Hold.COLOUR not in layout:
        role = Role.NONE
    return role, guess_encoding(role, samples), layout


def opacity_of(samples: Samples, role: Role, layout: Layout) -> Floats | None:
    """The opacity that samples (H, W, C) of a map hold by its role and layout, (H, W), 0..1; None for none."""
    if role == Role.OPACITY:
        return stored_values(samples[..., 0])
    if Hold.OPACITY not in layout:
        return None
    return stored_values(samples[..., min(layout.index(Hold.OPACITY), samples.shape[2] - 1)])


def guess_layout(path: Path, samples: Samples, role: Role) -> Layout:
    """What the channels of samples (H, W, C) hold that were read from a file of this name and taken for a role.

    () where the role says it all.
    """
    count, words = samples.shape[2], words_of(path)
    if any(word in ROLE_WORDS[Role.BASE_COLOUR] for word in words):
        return _beside_colour(words, samples) if role == Role.BASE_COLOUR else ()
    told = [hold for word in words for hold, names in WORDS.items() if word in names]
    told = list(dict.fromkeys(told))
    if told == [Hold.SMOOTHNESS]:
        return (Hold.SMOOTHNESS, *(Hold.NOTHING,) * (count - 1))
    if len(told) > 1 and len(told) <= count:
        return _filled(_in_channels(told, count), count)
    for word in reversed(words):
        holds = [INITIALS[letter] for letter in word if letter in INITIALS]
        packed = 2 < len(word) == len(holds) == len(set(holds)) <= count
        if packed and {Hold.ROUGHNESS, Hold.SMOOTHNESS} & set(holds) and _differ(samples[..., : len(holds)]):
            return _filled(holds, count)
    return _beside_colour(words, samples) if role == Role.BASE_COLOUR else ()


def _beside_colour(words: list[str], samples: Samples) -> Layout:
    """Colour, and what the alpha beside it holds: height where the name says so; opacity unless it is 1 all over.

    Grey with alpha is read as colour with alpha.
    """
    count = samples.shape[2]
    if count not in (2, 4):
        return ()
    alpha = samples[..., -1]
    whole = 1.0 if samples.dtype.kind == "f" else np.iinfo(samples.dtype).max
    if bool((alpha >= whole).all()):
        return ()
    high = any(word in WORDS[Hold.HEIGHT] for word in words)
    return Hold.COLOUR, Hold.COLOUR, Hold.COLOUR, Hold.HEIGHT if high else Hold.OPACITY


def _in_channels(told: list[Hold], count: int) -> list[Hold]:
    """What a name tells, in the channels where it is usually put."""
    if set(told) == {Hold.ROUGHNESS, Hold.METALNESS} and count > 2:
        return [Hold.NOTHING, Hold.ROUGHNESS, Hold.METALNESS]
    if told == [Hold.METALNESS, Hold.SMOOTHNESS] and count == 4:
        return [Hold.METALNESS, Hold.NOTHING, Hold.NOTHING, Hold.SMOOTHNESS]
    return told


def _filled(holds: list[Hold], count: int) -> Layout:
    return (*holds, *(Hold.NOTHING,) * (count - len(holds)))


def _differ(samples: Samples) -> bool:
    """Whether the channels (H, W, C) go their own ways, as packed numbers do and colours do not."""
    step = max(1, max(samples.shape[:2]) // 256)
    values = stored_values(samples[::step, ::step]).reshape(-1, samples.shape[2])
    spread = values.std(axis=0)
    if (spread == 0).any():
        return True
    return any(
        abs(float(np.corrcoef(values[:, one], values[:, other])[0, 1])) < MOST_ALIKE
        for one, other in combinations(range(values.shape[1]), 2)
    )
