"""Padding that ends at a level which the asset still uses: there what lies beyond the UV islands reaches into them."""

from collections.abc import Iterator
from dataclasses import replace

from even_palette.core.arrays import Samples
from even_palette.core.checks._finding import Finding, Mend, Severity, place_around
from even_palette.core.checks._proof import colours_on, meant_of
from even_palette.core.errors import UserError
from even_palette.core.graph.slots import Slot
from even_palette.core.jobs import CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.model import Focus
from even_palette.core.limits import MOST_PADDING
from even_palette.core.material.model import PlaneKind
from even_palette.core.material.outputs import COLOUR
from even_palette.core.mesh.seams import along, seams
from even_palette.core.proof.errors import colour_errors
from even_palette.core.raster.chain import Chain
from even_palette.core.regions.packing import PAIRS_SLOT
from even_palette.core.results.padded import beyond_islands
from even_palette.core.results.proof import Shipped
from even_palette.core.results.sheet_mesh import mesh_on_sheet
from even_palette.core.results.sheets import Sheets

POINTS, MOST_VARIANTS, LEVELS = 1024, 16, 3
"""Where a sheet names no lowest mip, so many levels are looked at, as by the errors of results."""
SEEN, SHARE = 5.0, 0.05
"""CIEDE2000 that is seen at a glance (common practice), on so much more of the length of all borders than close by:
what goes on beyond an island, such as the grain of planks, is no less right than padding."""


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """The colours on borders of islands, level by level, beside those with padding that does not end.

    Raises Cancelled.
    """
    if (meant := meant_of(at, sheets)) is None or COLOUR not in meant.outputs:
        return
    try:
        found = mesh_on_sheet(at, sheets)
    except UserError:
        return
    if found is None:
        return
    uv = along(seams(found.mesh, found.uv).borders, POINTS)[None]
    if not uv.size:
        return
    endless = replace(meant, slots={name: _endless(at, meant, name, sheets) for name in meant.slots})
    variants = list(at.kit.variant_names)[:MOST_VARIANTS]

    def off(variant: str, distance: int) -> Samples:
        one, other = (colours_on(at, each, variant, uv, distance, cancel)[0] for each in (meant, endless))
        return colour_errors(one, other)[0]

    close = {variant: _share(off(variant, 1)) for variant in variants}
    for level in range(1, (at.sheet.lowest_mip or LEVELS) + 1):
        errors = {variant: off(variant, 1 << level) for variant in variants}
        grown = {variant: _share(errors[variant]) - close[variant] for variant in variants}
        worst = max(variants, key=lambda variant: grown[variant])
        share = _share(errors[worst])
        if grown[worst] < SHARE:
            continue
        place = int(errors[worst].argmax())
        yield Finding(
            "Proof", Severity.WARNING,
            f"Padding ends at level {level}: in {at.kit.variant_names[worst]} what lies beyond the UV islands changes "
            f"the colour on {share:.0%} of their borders, by up to {errors[worst][place]:.1f} ΔE.",
            look="runtime", place=place_around(uv[:, place], 1 << level, meant.finest), variant=worst,
            distance=1 << level, mend=_mend(at, level),
        )  # fmt: skip
        return


def _share(off: Samples) -> float:
    return float((off >= SEEN).mean())


def _mend(at: Focus, level: int) -> Mend | None:
    """Padding that lasts to the level, of maps, too; none where there is that much already."""
    wanted = min(MOST_PADDING, 1 << (level + 1))
    if at.sheet.pad_maps and at.sheet.padding >= wanted:
        return None
    texels = max(wanted, at.sheet.padding)
    return Mend(f"Pad maps and regions by {texels} texels", commands.set_pad_maps(at.key, True, texels))


def _endless(at: Focus, meant: Shipped, name: str, sheets: Sheets) -> Slot:
    """A slot with padding that does not end, where it lies over the sheet."""
    slot, used = meant.slots[name], meant.material.slots.get(name)
    over = used.plane.kind in (PlaneKind.MAP, PlaneKind.TONE) if used is not None else name != PAIRS_SLOT
    if not over or (slot.is_array and not slot.shares):
        return slot
    planes = [beyond_islands(at, sheets, plane, MOST_PADDING) for plane in slot.planes]
    return replace(slot, chains=tuple(map(Chain, planes)))
