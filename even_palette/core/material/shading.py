"""How a sheet is lit: as a surface, as strands (hair, fur, rope, reeds), or as leaves that light shines through.

Strands: the diffuse term of Kajiya and Kay (1989); highlights about the cone of a strand by the longitudinal term of
Marschner, Jensen, Cammarano, Worley and Hanrahan (2003), R towards the root and TRT, in the strand's colour, towards
the tip, split in two with a shift that a plane breaks as Scheuermann (2004) does.
"""

from enum import StrEnum
from typing import Annotated

import msgspec
import numpy as np
from msgspec import Meta

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.material.model import Colour, PlaneUse
from even_palette.core.ranges import Share


class Shading(StrEnum):
    """What light does: it falls on a surface, on strands, or through leaves."""

    SURFACE = "surface"
    STRANDS = "strands"
    LEAVES = "leaves"


Tilt = Annotated[float, Meta(ge=-45, le=45)]
Width = Annotated[float, Meta(ge=0.5, le=60)]


class Highlight(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A highlight of strands: where it lies, in degrees from the root (-) to the tip (+), how wide it is (the standard
    deviation of a Gaussian, in degrees), an encoded sRGB colour, and how strong it is.
    """

    shift: Tilt
    width: Width
    tint: Colour = (1.0, 1.0, 1.0)
    strength: Annotated[float, Meta(ge=0, le=4)] = 0.3


class Shaded(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """How a sheet is lit. Strands run down it, from the root above, or with `across` from left to right.

    The `second` highlight has the colour of the strand, too. Where `broken_by` gives a plane, its numbers 0..1 shift
    both by up to `broken` degrees either way. `through` is how much of the light comes out on the other side.
    """

    kind: Shading = Shading.SURFACE
    across: bool = False
    first: Highlight = Highlight(-7.5, 7.5, strength=0.25)
    second: Highlight = Highlight(11.25, 15.0, strength=0.5)
    broken: Annotated[float, Meta(ge=0, le=45)] = 0.0
    broken_by: PlaneUse | None = None
    through: Share = 0.3


AS_SURFACE = Shaded()
"""Shifts and widths of highlights are those that Marschner et al. give for hair: R at -10 to -5 degrees, as wide; TRT
at -3/2 of that, twice as wide."""

LIT_FROM_BEHIND = 0.25
"""Strands that face away from the light by a quarter turn still have so much of it (Scheuermann 2004)."""


def strand_light(
    shaded: Shaded, colour: Floats, tints: tuple[Colour, Colour], shift: Floats,
    normal: Samples, along: Samples, view: Samples, light: Samples,
) -> Floats:  # fmt: skip
    """What strands give of light from one side, in units of what a white surface that faces it gives, (n, 3) linear.

    `colour` (n, 3) and both `tints` are linear, `shift` (n,) is 0..1, 0.5 for none; unit vectors (n, 3): the normal
    towards the eye, along the strand to its tip, towards the eye and towards the light. With the angles of light and
    eye above the plane across the strand, sin a = along . light and sin b = along . view, highlight k is
    exp(-((a + b) / 2 - shift k)^2 / (2 width k^2)).
    """
    to_light, to_eye = (np.clip((along * way).sum(axis=-1), -1, 1) for way in (light, view))
    facing = (normal * light).sum(axis=-1)
    half = (np.arcsin(to_light) + np.arcsin(to_eye)) / 2
    moved = np.radians(shaded.broken) * (2 * shift - 1)
    wrapped = np.clip(LIT_FROM_BEHIND + (1 - LIT_FROM_BEHIND) * facing, 0, 1)[..., None]
    diffuse = np.sqrt(1 - to_light**2)[..., None] * wrapped * (1 - shaded.through)
    found = colour * (diffuse + shaded.through * np.maximum(-facing, 0)[..., None])
    for highlight, own in ((shaded.first, float32(tints[0])), (shaded.second, colour * float32(tints[1]))):
        away = half - np.radians(highlight.shift) - moved
        lobe = np.exp(-(away**2) / (2 * np.radians(highlight.width) ** 2))
        found = found + own * (highlight.strength * lobe[..., None] * wrapped)
    return float32(found)
