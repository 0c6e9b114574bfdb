"""What the checks of stage 7 begin with, and a mend that several have."""

from collections.abc import Callable

from msgspec.structs import replace

from even_palette.core.arrays import Floats, float32
from even_palette.core.checks._finding import Mend
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.model import Focus
from even_palette.core.material.outputs import COLOUR
from even_palette.core.proof.conditions import AS_MEANT, Conditions, conditions_of
from even_palette.core.results.far import Seen
from even_palette.core.results.proof import Shipped, map_label, shipped, under
from even_palette.core.results.proof_values import values_on
from even_palette.core.results.sheets import Sheets


def meant_of(at: Focus, sheets: Sheets) -> Shipped | None:
    """The material of a sheet as it is meant to ship; None where nothing is asked of a runtime, or maps lack."""
    if at.sheet.conditions == Conditions():
        return None
    try:
        return sheets.named(at, shipped)
    except UserError:
        return None


def colours_on(
    at: Focus, found: Shipped, variant: str, uv: Floats, distance: int, cancel: CancelToken | None
) -> Floats:
    """The colour of a variant at uv (H, W, 2), linear (H, W, 3), of pixels of so many texels. Raises Cancelled."""
    values = values_on(found, [COLOUR], found.inputs(at, variant), uv, Seen(distance), cancel)[COLOUR]
    return float32(values[..., :3])


def as_meant(
    at: Focus, meant: Shipped, error: Callable[[Shipped], float], most: float, sheets: Sheets,
    cancel: CancelToken | None,
) -> Mend | None:  # fmt: skip
    """To store one map as it is meant, by which an error comes below `most`: the one that alone does most of it; None
    where no map alone helps. Raises Cancelled.
    """
    conditions = at.sheet.conditions
    told = {name: conditions_of(conditions, name, facts) for name, facts in meant.facts.items()}
    spoilt = [name for name, own in told.items() if own != AS_MEANT]
    alone = {name: error(under(conditions, meant, sheets, cancel, [name])) for name in spoilt}
    for name in sorted(spoilt, key=lambda each: -alone[each]):
        mended = replace(conditions, maps={**conditions.maps, name: AS_MEANT})
        if error(under(mended, meant, sheets, cancel)) < most:
            label = f"Store {map_label(at, meant, name)} as it is meant"
            return Mend(label, commands.set_conditions(at.key, mended))
    return None
