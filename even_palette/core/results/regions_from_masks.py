"""Regions from masks that were made elsewhere: a channel of a map each, channels that hold nothing left out."""

from collections.abc import Sequence
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.commands import Command
from even_palette.core.kit.model import Focus
from even_palette.core.kit.sheet import Step
from even_palette.core.limits import MOST_REGIONS
from even_palette.core.material.model import PlaneKind, PlaneRef, PlaneUse
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.regions.fresh_colours import fresh_id_colours
from even_palette.core.regions.steps import Join
from even_palette.core.results.dividing import new_regions
from even_palette.core.results.maps import plane_of_map
from even_palette.core.results.store import Store

LETTERS = "RGBA"


def regions_from_masks(at: Focus, store: Store, maps: Sequence[str]) -> Command:
    """A command that adds a region for each channel of these maps (by key) that holds anything, named after its file.

    Three equal channels are one mask, and an alpha that is 1 all over is none: that is how many programs write grey.
    Each region takes its channel by a step, so the map may change and be adjusted later. Raises UserError.
    """
    wanted: list[tuple[str, PlaneUse]] = []
    for key in maps:
        source = at.sheet.map(key)
        if source.encoding != Encoding.DATA:
            source = replace(source, encoding=Encoding.DATA)
        plane = plane_of_map(source, store)
        stem = Path(source.path).stem.replace("_", " ")
        channels = used_channels(plane)
        for channel in channels:
            name = stem if len(channels) == 1 else f"{stem} {LETTERS[channel]}"
            wanted.append((name, PlaneUse(PlaneRef(PlaneKind.MAP, key), channel=channel)))
    if not wanted:
        raise UserError("These maps hold nothing: every channel is 0 at every texel.")
    if len(at.sheet.regions) + len(wanted) > MOST_REGIONS:
        raise UserError(f"That would be more than the {MOST_REGIONS} regions that a sheet holds.")
    colours = fresh_id_colours(len(wanted), [region.id_colour for region in at.sheet.regions])
    made = new_regions(at, [name for name, _ in wanted], colours)
    steps = [Step("channel", plane=use, join=Join.REPLACE) for _, use in wanted]
    regions = tuple(replace(region, steps=(step,)) for region, step in zip(made, steps, strict=True))
    return commands.put_regions(at.key, regions)


def used_channels(plane: Plane) -> list[int]:
    """The channels that hold a mask of their own."""
    samples = plane.samples
    count = samples.shape[2]
    whole = 1.0 if samples.dtype.kind == "f" else float(np.iinfo(samples.dtype).max)
    grey = count >= 3 and bool((samples[..., :3] == samples[..., :1]).all())
    colour = [0] if grey or count < 3 else [0, 1, 2]
    used = [channel for channel in colour if samples[..., channel].any()]
    alpha = count - 1
    if count in (2, 4) and samples[..., alpha].any() and not (samples[..., alpha] == whole).all():
        used.append(alpha)
    return used
