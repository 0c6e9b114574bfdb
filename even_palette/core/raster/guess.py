"""A guess of what an opened map is, from its name and its content; the artist can always overrule it."""

import re
from enum import StrEnum
from pathlib import Path

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.raster.plane import Encoding, rgb_of, stored_values


class Role(StrEnum):
    """What a map is to its sheet; `NONE` for one that is only there to be read by coats and patterns."""

    BASE_COLOUR = "base colour"
    ID = "ID map"
    NORMAL = "normal"
    OCCLUSION = "occlusion"
    ROUGHNESS = "roughness"
    METALNESS = "metalness"
    HEIGHT = "height"
    EMISSION = "emission"
    OPACITY = "opacity"
    CLEAR_COAT = "clear coat"
    NONE = "no role"


FLAT_SHARE = 0.8
ROLE_WORDS = {
    Role.ID: ("id", "ids", "idmap", "matid"),
    Role.NORMAL: ("normal", "normals", "nrm", "nor", "norm", "n"),
    Role.OCCLUSION: ("occlusion", "ao", "occ"),
    Role.ROUGHNESS: ("roughness", "rough", "r"),
    Role.METALNESS: ("metalness", "metallic", "metal", "m"),
    Role.HEIGHT: ("height", "displacement", "disp", "bump", "h"),
    Role.EMISSION: ("emission", "emissive", "glow", "emit", "e"),
    Role.OPACITY: ("opacity", "alpha", "transparency"),
    Role.CLEAR_COAT: ("clearcoat", "varnish"),
    Role.BASE_COLOUR: ("base", "basecolor", "basecolour", "albedo", "diffuse", "color", "colour", "col", "d", "bc"),
}
"""Words in file names by role, common practice; the later a word stands in the name, the more it counts."""

COLOUR_ROLES = (Role.BASE_COLOUR, Role.EMISSION)


def words_of(path: Path) -> list[str]:
    """The words of a file's name in order, in small letters."""
    return re.findall(r"[a-z]+", re.sub(r"(?<=[a-z])(?=[A-Z])", " ", path.stem).lower())


MASK_WORDS = ("mask", "masks", "matte", "mattes", "splat")
"""Words that tell of masks, which may be channels or colours: common practice has both."""


def guess_role(path: Path, samples: Samples) -> Role:
    """The likeliest role of samples (H, W, C) read from a file of this name; none for masks, which are asked for."""
    words = words_of(path)
    for word in reversed(words):
        for role, names in ROLE_WORDS.items():
            if word in names:
                return role
    return Role.NONE if set(words) & set(MASK_WORDS) else _role_by_content(samples)


def may_be_masks(path: Path, samples: Samples) -> bool:
    """Whether samples (H, W, C) without a role may be regions, as channels or as ID colours: by name, or by content.

    Masks have areas of few colours: where most texels have the colour of their neighbour to the right.
    """
    if set(words_of(path)) & set(MASK_WORDS):
        return True
    step = max(1, max(samples.shape[:2]) // 512)
    few = samples[::step, ::step]
    return few.shape[1] > 1 and float((few[:, 1:] == few[:, :-1]).all(axis=-1).mean()) > FLAT_SHARE


def _role_by_content(samples: Samples) -> Role:
    step = max(1, max(samples.shape[:2]) // 256)
    values = stored_values(samples[::step, ::step])
    if samples.shape[2] < 3 or float(np.ptp(values[..., :3], axis=-1).max()) < 1 / 255:
        return Role.BASE_COLOUR if samples.shape[2] >= 3 else Role.OCCLUSION
    vectors = values[..., :3] * 2 - 1
    lengths = np.linalg.norm(vectors, axis=-1)
    if float(np.mean((np.abs(lengths - 1) < 0.1) & (vectors[..., 2] > 0))) > 0.9:
        return Role.NORMAL
    flat = rgb_of(samples[::step, ::step]).reshape(-1, 3)
    if len(np.unique(flat, axis=0)) <= max(64, len(flat) // 100):
        return Role.ID
    return Role.BASE_COLOUR


def guess_encoding(role: Role, samples: Samples) -> Encoding:
    """Colour for looking at is sRGB in integers and linear in floats; every other map is data."""
    if role not in COLOUR_ROLES:
        return Encoding.DATA
    return Encoding.LINEAR if samples.dtype == np.float32 else Encoding.SRGB
