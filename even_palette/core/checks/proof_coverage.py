"""Leaves that thin out, or grow, in the levels that the runtime has."""

from collections.abc import Iterator

from msgspec.structs import replace

from even_palette.core.checks._finding import Finding, Mend, Severity
from even_palette.core.checks._proof import meant_of
from even_palette.core.jobs import CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.model import Focus
from even_palette.core.material.build import BASE_SLOT
from even_palette.core.material.drawn import Way
from even_palette.core.proof.conditions import Mips, conditions_of
from even_palette.core.raster.coverage import coverage_of
from even_palette.core.raster.guess import Role
from even_palette.core.results.proof import Shipped, slot_under
from even_palette.core.results.sheets import Sheets

LEAST, LEVELS = 0.04, 4
"""Of the sheet: what is less is not seen; and so many levels are looked at."""


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """Of a sheet that is cut out: the share of texels that reach the threshold, level by level. Raises Cancelled."""
    given, drawing, conditions = at.sheet.given(Role.OPACITY), at.sheet.drawing, at.sheet.conditions
    if given is None or drawing.way != Way.CUT_OUT or (meant := meant_of(at, sheets)) is None:
        return
    name = _slot(meant, given.source.key, at)
    if name is None or given.use.channel >= meant.facts[name].channels:
        return
    own = conditions_of(conditions, name, meant.facts[name])
    shown = slot_under(own, name, meant, sheets, cancel)
    first = meant.slots[name].plane.values()[..., given.use.channel]
    wanted = coverage_of(first, drawing.threshold)
    shares = [
        coverage_of(shown.chain.level(number).values()[..., given.use.channel], drawing.threshold)
        for number in range(min(LEVELS + 1, shown.chain.count) if shown.sampler.mips else 1)
    ]
    worst = max(range(len(shares)), key=lambda number: abs(shares[number] - wanted))
    if abs(shares[worst] - wanted) < LEAST:
        return
    mend = None
    if not given.source.keep_coverage:
        mend = Mend("Keep coverage in mips", commands.set_keep_coverage(at.key, given.source.key, True))
    elif own.mips != Mips.LINEAR:
        maps = {**conditions.maps, name: replace(own, mips=Mips.LINEAR)}
        mend = Mend("Make levels that keep it", commands.set_conditions(at.key, replace(conditions, maps=maps)))
    yield Finding(
        "Proof", Severity.WARNING,
        f"Of the sheet {wanted:.0%} is seen, at level {worst} it is {shares[worst]:.0%}: what is cut out "
        f"{'thins out' if shares[worst] < wanted else 'grows'} with distance.",
        look="runtime", mend=mend,
    )  # fmt: skip


def _slot(found: Shipped, key: str, at: Focus) -> str | None:
    """The slot in which a map is sampled."""
    paint = at.sheet.source(Role.BASE_COLOUR)
    if paint is not None and paint.key == key and BASE_SLOT in found.slots:
        return BASE_SLOT
    return next((name for name, used in found.material.slots.items() if used.plane.key == key), None)
