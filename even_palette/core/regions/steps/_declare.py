"""What a kind of step declares, and how a step joins the mask that it finds."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from even_palette.core.arrays import Floats, Levels, float32
from even_palette.core.jobs import CancelToken

Values = Mapping[str, float]


class Join(StrEnum):
    """How a source joins the mask so far; a is the mask, b the source."""

    ADD = "add"
    SUBTRACT = "subtract"
    INTERSECT = "intersect"
    STRONGEST = "strongest"
    REPLACE = "replace"


@dataclass(frozen=True)
class StepValue:
    """A number that a step is set to."""

    name: str
    label: str
    default: float
    low: float
    high: float
    help: str
    unit: str = ""


class Group(StrEnum):
    """Where a step takes from, or what it is good for; steps are offered in these groups, in this order."""

    PAINT = "From the paint"
    PLANES = "From maps and bakes"
    MASKS = "From other masks"
    HAND = "By hand"
    CLEAN = "Clean"
    SHAPE = "Shape"


@dataclass(frozen=True)
class StepKind:
    """A kind of step.

    An edit takes a mask (h + 2 r, w + 2 r) float32 with its surround of `reach` texels and gives (h, w), for a mask of
    one value one value; one that must see all is `whole`, from (H, W) to (H, W). A source joins the mask: a channel of
    a plane through its levels, and `through` what comes after; what `source` gives, (h, w), of the base colour in
    linear light, (h, w, 3); what `of_ids` gives of the ID map's levels and `of_place` of uv; or the mask of another
    region, or its claims. A `guided` edit also takes the base colour of the same surround. Paint lies over the mask
    (see `core/regions/paint`).
    """

    name: str
    label: str
    help: str
    values: tuple[StepValue, ...] = ()
    reach: Callable[[Values], int] = lambda values: 0
    edit: Callable[[Floats, Values], Floats] | None = None
    whole: Callable[[Floats, Values, CancelToken | None], Floats] | None = None
    source: Callable[[Floats, Values], Floats] | None = None
    reads_channel: bool = False
    is_paint: bool = False
    through: Callable[[Floats, Values], Floats] | None = None
    of_ids: Callable[[Levels, Values], Floats] | None = None
    of_place: Callable[[Floats, Values], Floats] | None = None
    reads_region: bool = False
    claims_only: bool = False
    guided: Callable[[Floats, Floats, Values], Floats] | None = None
    keeps_islands: bool = False
    group: Group = Group.SHAPE
    place: int = 99

    @property
    def is_source(self) -> bool:
        made = self.source or self.of_ids or self.of_place
        return self.reads_channel or self.reads_region or made is not None

    @property
    def reads_base(self) -> bool:
        """Whether it looks at the base colour."""
        return self.source is not None or self.guided is not None

    def filled(self, own: Values) -> dict[str, float]:
        """The values with defaults, held in their ranges."""
        return {v.name: float(min(max(own.get(v.name, v.default), v.low), v.high)) for v in self.values}


def joined(mask: Floats, source: Floats, join: Join, strength: float) -> Floats:
    """The mask with a source joined to it, both 0..1 of one shape, to a strength of 0..1."""
    a, b = mask, source
    match join:
        case Join.ADD:
            made = a + b - a * b
        case Join.SUBTRACT:
            made = a * (1 - b)
        case Join.INTERSECT:
            made = a * b
        case Join.STRONGEST:
            made = np.maximum(a, b)
        case _:
            made = b
    return strengthened(mask, float32(made), strength)


def strengthened(before: Floats, after: Floats, strength: float) -> Floats:
    """Something between before and after."""
    return after if strength >= 1 else float32(before + (after - before) * np.float32(strength))
