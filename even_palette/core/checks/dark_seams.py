"""Seams between saturated colours that encoded blending makes darker than either side."""

from collections.abc import Iterator
from itertools import combinations

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.checks._finding import Finding, Mend, Severity, place_of
from even_palette.core.colour.ciede2000 import ciede2000
from even_palette.core.colour.cielab import linear_to_cielab
from even_palette.core.colour.luma import luminance
from even_palette.core.colour.srgb import linear_to_srgb, srgb_to_linear
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.model import Focus
from even_palette.core.material.model import Blending
from even_palette.core.results.id_map import has_masks
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.strips import coat_strip
from even_palette.core.results.weights import weights_of

SEEN = 6.0
"""CIEDE2000 between the two ways of mixing, halfway, from which a seam is told."""
SHARED, LEAST_TEXELS = 32, 16
"""A border has so many texels at the least where both regions have so many levels of weight."""


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """Looks at the mean colours of regions that touch softly, in the variant where it is worst. Raises Cancelled."""
    if at.kit.blending != Blending.ENCODED or not at.sheet.regions:
        return
    try:
        if not has_masks(at, sheets):
            return
        weights = weights_of(at, sheets, cancel=cancel)
        regions = at.sheet.regions
        means = {
            variant: float32([_mean(coat_strip(at, sheets, region.key, variant)) for region in regions])
            for variant in at.kit.variant_names
        }
        levels = weights.levels
    except UserError:
        return
    for (one, first), (two, second) in combinations(enumerate(regions), 2):
        if cancel:
            cancel.check()
        worst = max(means, key=lambda variant: seam(means[variant][one], means[variant][two]))
        dark = seam(means[worst][one], means[worst][two])
        if dark < SEEN:
            continue
        border = (levels[one] >= SHARED) & (levels[two] >= SHARED)
        if border.sum() >= LEAST_TEXELS:
            yield Finding(
                "Recolour", Severity.NOTE,
                f"{first.name} and {second.name} meet in a dark seam in {at.kit.variant_names[worst]}: "
                f"halfway, encoded blending is {dark:.0f} ΔE from light.",
                first.key, "result", place=place_of(border, cancel),
                mend=Mend("Blend in linear light", commands.set_blending(Blending.LINEAR)),
                variant=worst,
            )  # fmt: skip


def seam(one: Floats, other: Floats) -> float:
    """How far (CIEDE2000) the encoded mix of two linear colours lies from the mix of light; 0 where it is no darker."""
    light = float32((one + other) / 2)
    encoded = srgb_to_linear(float32((linear_to_srgb(one) + linear_to_srgb(other)) / 2))
    if luminance(encoded) >= luminance(light):
        return 0.0
    return float(ciede2000(linear_to_cielab(encoded), linear_to_cielab(light)))


def _mean(strip: np.ndarray) -> Floats:
    return float32(srgb_to_linear(float32(strip) / np.float32(255)).mean(axis=0))
