"""ID colours of regions that the map hardly has, that are not pure, or that lie too close together to be told apart."""

from collections.abc import Iterator
from itertools import combinations

from even_palette.core.checks._finding import Finding, Mend, Severity
from even_palette.core.colour.hexcode import Rgb8, format_hex
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.model import Focus
from even_palette.core.kit.sheet import Region
from even_palette.core.results.id_map import LIKE, LIKE_LOSSY, id_colours_of, id_levels_of
from even_palette.core.results.sheets import Sheets

PURE = 255
MOST_PURE_OFF = 8
"""An ID colour with a channel this close to 255 was meant to be pure, and is mended without losing texels."""


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """Raises Cancelled."""
    keyed = [region for region in at.sheet.regions if region.keyed]
    try:
        if id_levels_of(at, sheets) is None:
            return
        known = id_colours_of(at, sheets).colours
    except UserError:
        return
    lossy = at.sheet.unmix is not None and at.sheet.unmix.lossy
    like = LIKE_LOSSY if lossy else LIKE
    for region in keyed:
        if cancel:
            cancel.check()
        near = [colour for colour in known if _far(colour.levels, region.id_colour) <= like]
        if near and not lossy and all(colour.levels != region.id_colour for colour in near):
            best = max(near, key=lambda colour: colour.texels).levels
            yield Finding(
                "Regions", Severity.NOTE,
                f"{region.name} keys {format_hex(region.id_colour)}, which the ID map does not have; "
                f"it has {format_hex(best)}.",
                region.key, "id", mend=Mend(f"Key {format_hex(best)}", commands.set_id_colour(region.key, best)),
            )  # fmt: skip
    # A pure ID colour has 255 in a channel: common practice.
    odd = [region for region in keyed if PURE - MOST_PURE_OFF <= max(region.id_colour) < PURE]
    if odd:
        names = ", ".join(f"{region.name} {format_hex(region.id_colour)}" for region in odd[:4])
        yield Finding(
            "Regions", Severity.NOTE,
            f"{len(odd)} ID colour{'s' if len(odd) > 1 else ''} nearly pure, with no channel at 255: {names}.",
            odd[0].key, "id",
        )  # fmt: skip
    yield from _too_close(at, keyed, like)


def _too_close(at: Focus, keyed: list[Region], like: int) -> Iterator[Finding]:
    """Pairs that one texel may belong to both of: within both tolerances, or within what means the same colour."""
    for one, other in combinations(keyed, 2):
        far = _far(one.id_colour, other.id_colour)
        if at.sheet.unmix is not None and far <= like:
            yield Finding(
                "Regions", Severity.WARNING,
                f"{one.name} and {other.name} have ID colours {far} levels apart; up to {like} they mean the same.",
                other.key, "id",
            )  # fmt: skip
        elif at.sheet.unmix is None and far < one.outer + other.outer:
            outer = max(1.0, far // 2)
            inner = min(one.inner, outer)

            yield Finding(
                "Masks", Severity.NOTE,
                f"The tolerances of {one.name} and {other.name} overlap: their ID colours are {far} levels apart.",
                one.key, "weight",
                mend=Mend("Narrow both tolerances", commands.set_tolerances([one.key, other.key], inner, outer)),
            )  # fmt: skip


def _far(one: Rgb8, other: Rgb8) -> int:
    """The distance of two colours in levels (Chebyshev)."""
    return max(abs(a - b) for a, b in zip(one, other, strict=True))
