"""How far a coat acts, as grey."""

from dataclasses import replace

from even_palette.core.errors import UserError
from even_palette.core.graph import nodes
from even_palette.core.kit.coat_owners import SheetOwner, coats_of, owner_name
from even_palette.core.kit.model import Focus
from even_palette.core.material.build import acting, linear_setting
from even_palette.core.material.coats import COATS
from even_palette.core.material.variants import resolve
from even_palette.core.results.looks._declare import Chosen, Look, LookKind, Offered
from even_palette.core.results.materials import dressed, pictures_of
from even_palette.core.results.pictures import SHOWN, Picture
from even_palette.core.results.slots import slots_of
from even_palette.core.results.store import Store


def picture(at: Focus, store: Store, look: Look) -> Picture:
    """The share of the coat at each texel."""
    try:
        there = look.coat < len(coats_of(at.kit, look.owner))
    except KeyError:
        there = False
    if not there:
        raise UserError("There is no such coat any more.")
    region = dressed(at, store, look.owner)
    found = acting(region, look.coat, at.kit.parameters, pictures_of(at, store), live=True)
    share = found.outputs["share"]
    settings = resolve(at.kit.parameters, at.kit.variants, look.variant)
    inputs = {**found.extra, **{key: linear_setting(setting) for key, setting in settings.items()}}
    return Picture({SHOWN: nodes.join(share, share, share)}, slots_of(at, store, found.slots), inputs)


def coats_that_vary(at: Focus, owner: SheetOwner) -> list[int]:
    """The numbers of an owner's coats that do not act alike everywhere, by a mask of their own or a pattern."""
    coats = coats_of(at.kit, owner)
    return [n for n, coat in enumerate(coats) if coat.pattern is not None or COATS[coat.kind].varies(coat.values)]


def offered(at: Focus, chosen: Chosen) -> Offered:
    """Each coat that varies of the owner that is selected."""
    try:
        vary, coats = coats_that_vary(at, chosen.owner), coats_of(at.kit, chosen.owner)
    except KeyError:
        return []
    name = owner_name(at.kit, chosen.owner) if vary else ""
    return [
        (
            f"Acts · {n + 1} {COATS[coats[n].kind].label} · {name}",
            Look("coat", chosen.variant, coat=n, owner=chosen.owner),
        )
        for n in vary
    ]


LOOK = LookKind(
    "coat", 4, picture, offered, lambda look, chosen: replace(look, variant=chosen.variant), always_ready=True
)
