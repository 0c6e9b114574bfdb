"""What a game may set a colour to: chosen swatches, or any colour within a band of hues and a range of lightness."""

import numpy as np

from even_palette.core.arrays import float32
from even_palette.core.colour.oklab import linear_to_oklab, oklab_to_linear, oklab_to_oklch, oklch_to_oklab
from even_palette.core.colour.srgb import linear_to_srgb, srgb_to_linear
from even_palette.core.material.model import Allowed, Colour


def held(allowed: Allowed, colour: Colour) -> Colour:
    """The colour that is allowed and nearest to an encoded sRGB one: a swatch by OKLab, else moved in OKLCh.

    Of hues outside of a band the nearer end counts; a colour that has no chroma has no hue to move.
    """
    if allowed.swatches:
        lab = linear_to_oklab(srgb_to_linear(float32([colour, *allowed.swatches])))
        nearest = int(np.linalg.norm(lab[1:] - lab[0], axis=-1).argmin())
        return allowed.swatches[nearest]
    if allowed.is_free:
        return colour
    lightness, chroma, hue = map(float, oklab_to_oklch(linear_to_oklab(srgb_to_linear(float32(colour)))))
    lightness = min(max(lightness, allowed.darkest), allowed.lightest)
    first, wide = allowed.hue_from / 360, (allowed.hue_to - allowed.hue_from) % 360 / 360
    along = (hue - first) % 1
    if wide > 0 and along > wide:
        hue = first + wide if along - wide < 1 - along else first
    moved = oklab_to_linear(oklch_to_oklab(float32([lightness, chroma, hue % 1])))
    red, green, blue = linear_to_srgb(float32(np.clip(moved, 0, 1))).tolist()
    return (red, green, blue)
