"""Colour spaces that files say they are in, and the way from those to sRGB, by OpenImageIO's colour management."""

import re
from functools import cache

import numpy as np

from even_palette.core.arrays import Samples, float32
from even_palette.core.raster.plane import stored_values

SRGB = "srgb_rec709_scene"
KNOWN = {"g18_rec709_scene": "a gamma of 1.8", "lin_rec709_scene": "linear light"}
"""What is not sRGB. A bare gamma of 2.2 is sRGB in other words: files said so before they could say more."""
NO_WORD = re.compile(r"[\W_]|\(?\d{2,4}\)?$")
"""What names of profiles have beside their words: spaces, and the year of the standard behind them."""
BAND = 256


def space_of(told: str, profile: str) -> tuple[str, str]:
    """The colour space of a file that the library tells of, and that has a profile of a name; "" for sRGB.

    With it a sentence on what that means for colours, "" where there is nothing to say.
    """
    profile = profile.strip()
    name = profile.lower()
    if "srgb" in name:
        return "", ""
    if space := _space_called(NO_WORD.sub("", name)):
        return space, f"has the colour profile “{profile}”: its colours are converted to sRGB."
    if profile:
        return "", f"has the colour profile “{profile}”, which is not known here: its colours are taken for sRGB."
    if told in KNOWN:
        return told, f"says that it has {KNOWN[told]}: its colours are converted to sRGB."
    return "", ""


@cache
def _space_called(word: str) -> str:
    """The colour space that the library knows under a word, encoded as sRGB is where it says no more; "" for none."""
    import OpenImageIO as oiio

    config = oiio.ColorConfig()
    for alias in (word, f"srgb_{word}"):
        space = str(config.resolve(alias))
        if word and space != alias and not config.isData(space):
            return space
    return ""


def in_srgb(samples: Samples, space: str) -> Samples:
    """Colours (H, W, 1 to 4) of a space as sRGB, in the same numbers; what sRGB cannot show is held at its border."""
    import OpenImageIO as oiio

    made = np.array(samples)
    colours = 3 if samples.shape[2] > 2 else 1
    whole = None if samples.dtype.kind == "f" else np.float32(np.iinfo(samples.dtype).max)
    for first in range(0, len(samples), BAND):
        band = stored_values(samples[first : first + BAND, :, :colours])
        wide = np.ascontiguousarray(np.repeat(band, 3, axis=2) if colours == 1 else band)
        spec = oiio.ImageSpec(wide.shape[1], wide.shape[0], 3, "float")
        source = oiio.ImageBuf(spec)
        source.set_pixels(oiio.ROI(), wide)
        found = float32(oiio.ImageBufAlgo.colorconvert(source, space, SRGB).get_pixels("float"))[..., :colours]
        if whole is not None:
            found = np.floor(np.clip(found, 0, 1) * whole + np.float32(0.5))
        made[first : first + BAND, :, :colours] = found
    return made
