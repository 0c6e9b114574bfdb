"""Lightness range: light or dark paint joins the mask."""

from even_palette.core.regions.steps._tone import range_step

STEP = range_step(
    "lightness",
    "Lightness range",
    "Paint of these lightnesses (OKLab) joins the mask.",
    1.0,
    lambda lch: lch[..., 0],
    place=3,
)
