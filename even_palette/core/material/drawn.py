"""How a sheet is drawn where its opacity is not 1: opaque all the same, cut out, blended, or dithered."""

from enum import StrEnum

import msgspec
import numpy as np

from even_palette.core.arrays import Floats
from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.ranges import Share

DITHER_SIDE = 8
"""Pixels a side of the pattern in which pixels come and go."""
ROUNDING = 2.0**-18
"""What is less than so much below the threshold is at it: a quarter of a level of 16 bits, more than runtimes round."""


class Way(StrEnum):
    """What opacity does: nothing, hides what lies below a threshold, mixes with what is behind, or hides pixels."""

    OPAQUE = "opaque"
    CUT_OUT = "cut_out"
    BLENDED = "blended"
    DITHERED = "dithered"


class Drawing(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """How a sheet is drawn. The threshold, 0..1, is that of what is cut out; from the back the same is seen, with the
    normal turned, unless it is `one_sided`.
    """

    way: Way = Way.OPAQUE
    threshold: Share = 0.5
    one_sided: bool = False


OPAQUE = Drawing()

SOFT = 0.1
"""Where more of what is seen than so much is half seen, and at no edge, it is not to be cut out."""
EDGE_TEXELS, EDGE_STEP = 5, 0.5
"""At an edge opacity goes so far within so many texels."""


def likely_way(opacity: Floats) -> Way:
    """How a sheet is likely meant to be drawn, by its opacity (H, W), 0..1: blended where much is softly half seen."""
    from scipy.ndimage import maximum_filter, minimum_filter

    step = maximum_filter(opacity, EDGE_TEXELS) - minimum_filter(opacity, EDGE_TEXELS)
    soft = (opacity > 0.05) & (opacity < 0.95) & (step < EDGE_STEP)
    seen = np.count_nonzero(opacity > 0.02)
    return Way.BLENDED if np.count_nonzero(soft) > SOFT * seen else Way.CUT_OUT


def alpha_of(opacity: Node, drawing: Drawing) -> Node:
    """How much of a pixel is the sheet's, 0..1, of its opacity, a float; 0 or 1 unless it is blended.

    Cut out, all is seen that has an opacity of the threshold or more; dithered, so many of each 64 pixels as the
    opacity says.
    """
    match drawing.way:
        case Way.CUT_OUT:
            return nodes.step(drawing.threshold - ROUNDING, opacity)
        case Way.BLENDED:
            return opacity
        case Way.DITHERED:
            return dithered(opacity)
    return nodes.constant(1.0)


def dithered(share: Node) -> Node:
    """1 for so many pixels as a share 0..1 says, evenly spread on the screen, 0 for the others: none at 0, all at 1.

    A pixel is there from the share (n + 1/2) / 64 on, n being its number in the ordered pattern of 8 x 8 (Bayer 1973):
    the bits of column xor row and of row, the lowest first.
    """
    place = nodes.screen()
    number: Node = nodes.constant(0.0)
    weight = DITHER_SIDE**2 / 4
    for bit in range(3):
        x, y = (nodes.floor(nodes.fract(side / 2.0 ** (bit + 1)) * 2) for side in nodes.channels(place))
        number = number + (nodes.absolute(x - y) * 2 + y) * weight
        weight /= 4
    return nodes.step((number + 0.5) / DITHER_SIDE**2, share)
