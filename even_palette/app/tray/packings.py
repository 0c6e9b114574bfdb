"""What the ways of packing weights are called."""

from even_palette.core.regions.packing import Packing

PACKINGS = {
    Packing.PLANES: "RGBA planes",
    Packing.RGB: "RGB planes",
    Packing.ARRAY: "One array of RGBA layers",
    Packing.PAIRS: "Edge pairs",
}
