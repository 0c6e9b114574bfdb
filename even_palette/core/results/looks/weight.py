"""The weight of a region, as it is shipped."""

from even_palette.core.errors import UserError
from even_palette.core.graph import nodes, slots
from even_palette.core.kit.model import Focus
from even_palette.core.regions.packing import plane_and_channel
from even_palette.core.results.looks._declare import Chosen, Look, LookKind, Offered
from even_palette.core.results.pictures import SHOWN, Picture
from even_palette.core.results.store import Store
from even_palette.core.results.weights import weights_of


def picture(at: Focus, store: Store, look: Look) -> Picture:
    """The weight as grey."""
    names = [region.key for region in at.sheet.regions]
    if look.region not in names:
        raise UserError("Choose a region to see its weight.")
    plane_index, channel = plane_and_channel(names.index(look.region))
    texel = nodes.texture("weights", nodes.uv())["xyzw"[channel]]
    packed = weights_of(at, store).packed[plane_index]
    return Picture({SHOWN: nodes.join(texel, texel, texel)}, {"weights": slots.of(packed)}, {})


def offered(at: Focus, chosen: Chosen) -> Offered:
    """One a region."""
    return [(f"Weight · {region.name}", Look("weight", region=region.key)) for region in at.sheet.regions]


def follows(look: Look, chosen: Chosen) -> Look:
    """The weight of the region that is selected."""
    return Look("weight", region=chosen.region)


LOOK = LookKind("weight", 7, picture, offered, follows, shows_masks=True)
