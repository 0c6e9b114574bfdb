"""Regions whose edges are much harder or softer than those of the others."""

from collections.abc import Iterator
from functools import partial

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.checks._finding import Finding, Mend, Severity, place_where
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.model import Focus
from even_palette.core.kit.sheet import Step
from even_palette.core.raster.plane import Plane
from even_palette.core.regions.edges import border_length, texels_between
from even_palette.core.results.id_map import has_masks
from even_palette.core.results.masks import mask_of
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.weights import weights_of

LEAST_REGIONS, LEAST_EDGE = 3, 64
SOFTER, HARDER, LEAST_TEXELS = 3.0, 3.0, 0.5


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """The width of a region's edge: the texels that it has in part, over the length of its border. Raises Cancelled."""
    try:
        if len(at.sheet.regions) < LEAST_REGIONS or not has_masks(at, sheets):
            return
        weights_of(at, sheets, cancel=cancel)
        widths = {}
        for region in at.sheet.regions:
            if cancel:
                cancel.check()
            mask = mask_of(at, sheets, region.key)
            key = ("edge width", mask.content_id)
            (width,) = sheets.cache.get_lasting(np.ndarray, key, partial(_width, mask, cancel))
            if not np.isnan(width):
                widths[region.key] = float(width)
    except UserError:
        return
    if len(widths) < LEAST_REGIONS:
        return
    middle = float(np.median(list(widths.values())))
    for region in at.sheet.regions:
        width = widths.get(region.key, middle)
        softer = width > SOFTER * max(middle, LEAST_TEXELS)
        if not softer and not (middle > HARDER * max(width, LEAST_TEXELS / HARDER) and middle > LEAST_TEXELS * HARDER):
            continue
        mask = mask_of(at, sheets, region.key)
        step = Step("levels", {"low": 25.0, "high": 75.0}) if softer else Step("feather", {"radius": round(middle, 1)})
        yield Finding(
            "Masks", Severity.NOTE,
            f"The edge of {region.name} is {width:.1f} texels wide, those of the others about {middle:.1f}.",
            region.key, "weight", place=place_where(mask, lambda mask: (mask > 0) & (mask < 65535), cancel),
            mend=Mend("Harden the edge" if softer else "Soften the edge", commands.add_step(region.key, step)),
        )  # fmt: skip


def _width(mask: Plane, cancel: CancelToken | None) -> Samples:
    return np.array([edge_width(mask, cancel)])


def edge_width(mask: Plane, cancel: CancelToken | None = None) -> float:
    """Texels that a mask (uint16) has in part, over the texels along its border; nan for next to no border.

    Raises Cancelled.
    """
    border = border_length(mask, cancel)
    return texels_between(mask, 655, 64880, cancel) / border if border >= LEAST_EDGE else float("nan")
