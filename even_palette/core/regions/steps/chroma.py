"""Chroma range: vivid or grey paint joins the mask."""

from even_palette.core.regions.steps._tone import range_step

MOST_CHROMA = 0.4
"""About the largest chroma of Rec. 709 colours in OKLCh (CSS Color 4, section 9.4: 100 % is 0.4)."""

STEP = range_step(
    "chroma",
    "Chroma range",
    "Paint as vivid as this (OKLCh) joins the mask.",
    MOST_CHROMA,
    lambda lch: lch[..., 1],
    place=2,
)
