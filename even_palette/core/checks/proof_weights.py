"""Weights that no longer add up once they are compressed."""

from collections.abc import Iterator

import numpy as np
from msgspec.structs import replace

from even_palette.core.arrays import Floats, float32
from even_palette.core.checks._finding import Finding, Mend, Severity, place_of
from even_palette.core.checks._proof import meant_of
from even_palette.core.jobs import CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.model import Focus
from even_palette.core.proof.conditions import PLAIN, MapConditions, Use, conditions_of, fits
from even_palette.core.raster.blocks import Block
from even_palette.core.results.proof import Shipped, under
from even_palette.core.results.sheets import Sheets

LEAST = 0.06
"""A sum that is off by less is not seen: 15 of 255."""
BETTER = (Block.BC7, PLAIN)


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """The sum of all weights under the conditions of a sheet, at each texel, against that of those that are meant.

    Raises Cancelled.
    """
    conditions, meant = at.sheet.conditions, meant_of(at, sheets)
    if meant is None or at.sheet.divide_weights:
        return
    names = [name for name, facts in meant.facts.items() if facts.use == Use.WEIGHTS]
    told = {name: conditions_of(conditions, name, meant.facts[name]) for name in names}
    if all(own.format == PLAIN for own in told.values()):
        return
    shown = under(conditions, meant, sheets, cancel, names)
    if len({each.slots[name].plane.samples.shape[:2] for each in (meant, shown) for name in names}) > 1:
        return  # smaller ones differ at every edge, which errors of results tell better
    wanted = _sum(meant, names)
    off = np.abs(_sum(shown, names) - wanted)
    worst = float(off.max(initial=0.0))
    if worst < LEAST:
        return
    formats = ", ".join(dict.fromkeys(own.format for own in told.values()))
    better = next((name for name in BETTER if all(own.format != name for own in told.values())), PLAIN)
    mended = {
        **conditions.maps,
        **{name: _in(better, own) for name, own in told.items() if fits(_in(better, own), meant.facts[name])},
    }
    command = commands.set_conditions(at.key, replace(conditions, maps=mended))
    name = "texels as they are" if better == PLAIN else better
    alone = bool((np.abs(wanted - np.round(wanted)) < 1 / 64).all())  # the base has no part where regions are
    yield Finding(
        "Proof", Severity.WARNING,
        f"Weights in {formats} do not add up: the sum is off by up to {worst:.2f}, by more than {LEAST} at "
        f"{float((off >= LEAST).mean()):.1%} of the texels; there the base shines through or colours are too bright.",
        look="runtime", place=place_of(off >= LEAST, cancel), mend=Mend(f"Store weights in {name}", command),
        other=Mend("Divide weights by their sum", commands.set_divide_weights(at.key, True)) if alone else None,
    )  # fmt: skip


def _in(name: str, own: MapConditions) -> MapConditions:
    return replace(own, format=name)


def _sum(found: Shipped, names: list[str]) -> Floats:
    """The sum of all channels of the weights, (H, W)."""
    planes = [plane for name in names for plane in found.slots[name].planes]
    return float32(np.sum([plane.values().sum(axis=-1) for plane in planes], axis=0))
