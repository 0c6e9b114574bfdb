"""Index maps that a filter, levels or blocks turn into numbers of other entries."""

from collections.abc import Iterator

import numpy as np
from msgspec.structs import replace

from even_palette.core.checks._finding import Finding, Mend, Severity, place_of
from even_palette.core.checks._proof import meant_of
from even_palette.core.jobs import CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.model import Focus
from even_palette.core.proof.conditions import AS_MEANT, Use, conditions_of
from even_palette.core.raster.sampling import Filter
from even_palette.core.results.proof import map_label, under
from even_palette.core.results.sheets import Sheets


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """Of the conditions of a sheet: maps of numbers that are filtered, or whose numbers change. Raises Cancelled."""
    conditions, meant = at.sheet.conditions, meant_of(at, sheets)
    if meant is None:
        return
    indices = [name for name in meant.names if meant.facts[name].use == Use.INDEX]
    shown = under(conditions, meant, sheets, cancel, indices)
    for name in indices:
        own, label = conditions_of(conditions, name, meant.facts[name]), map_label(at, meant, name)
        mended = {**conditions.maps, name: AS_MEANT}
        mend = Mend("Leave it as it is", commands.set_conditions(at.key, replace(conditions, maps=mended)))
        slot, there = meant.slots[name], shown.slots[name]
        if own.filter == Filter.LINEAR and slot.sampler.filter == Filter.NEAREST:
            yield Finding(
                "Proof", Severity.WARNING,
                f"{label} is filtered: between two entries it shows the one halfway, which is in neither neighbour.",
                look="runtime", mend=mend,
            )  # fmt: skip
            continue
        if slot.plane.samples.shape != there.plane.samples.shape:
            continue
        changed = np.asarray(np.any(slot.plane.values() != there.plane.values(), axis=-1))
        if changed.any():
            yield Finding(
                "Proof", Severity.WARNING,
                f"{label} in {own.format} has other numbers at {float(changed.mean()):.1%} of the texels, which may be "
                f"entries of any colour.",
                look="runtime", place=place_of(changed, cancel), mend=mend,
            )  # fmt: skip
