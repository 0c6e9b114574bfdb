"""The mask of a region after some of its steps, before overlaps are resolved."""

from even_palette.core.errors import UserError
from even_palette.core.kit.model import Focus
from even_palette.core.regions.steps import STEPS
from even_palette.core.results.looks._declare import Chosen, Look, LookKind, Offered
from even_palette.core.results.masks import mask_of
from even_palette.core.results.pictures import Picture, map_picture
from even_palette.core.results.store import Store


def picture(at: Focus, store: Store, look: Look) -> Picture:
    """The mask as grey."""
    if all(region.key != look.region for region in at.sheet.regions):
        raise UserError("Choose a region to see its mask.")
    return map_picture(mask_of(at, store, look.region, look.steps))


def offered(at: Focus, chosen: Chosen) -> Offered:
    """What the region that is selected claims, and its mask after each of its steps."""
    region = next((region for region in at.sheet.regions if region.key == chosen.region), None)
    if region is None or not region.steps:
        return []
    after = ["claims", *(STEPS[step.kind].label.lower() for step in region.steps)]
    return [
        (f"Mask · {number} {name}", Look("mask", region=region.key, steps=number)) for number, name in enumerate(after)
    ]


def follows(look: Look, chosen: Chosen) -> Look:
    """The weight of the region that is selected: it may have other steps."""
    return Look("weight", region=chosen.region)


LOOK = LookKind("mask", 8, picture, offered, follows, shows_masks=True)
