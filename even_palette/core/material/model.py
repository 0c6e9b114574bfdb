"""The frozen structs of a material: coats with their values, parameters and variants."""

from enum import StrEnum
from typing import Annotated

import msgspec
from msgspec import Meta

from even_palette.core.limits import (
    FARTHEST_VALUE,
    FASTEST,
    LEAST_TILING,
    LONGEST_S,
    MOST_GRID,
    MOST_SWATCHES,
    MOST_TILING,
    MOST_TRACK_KEYS,
)
from even_palette.core.ranges import Key, NoKey, Share
from even_palette.core.raster.sampling import Filter, Wrap

Colour = tuple[float, float, float]
"""Encoded sRGB 0..1, as the artist picked it."""

Setting = float | Colour
"""What a parameter can be set to: a number or a colour."""


class ValueKind(StrEnum):
    """What a value of a coat, or a parameter, is; only coats have choices, only parameters are switches and rows.

    A switch is 0 or 1, a row a whole number: that of a palette or ramp.
    """

    COLOUR = "colour"
    NUMBER = "number"
    CHOICE = "choice"
    SWITCH = "switch"
    ROW = "row"


class Bound(msgspec.Struct, frozen=True):
    """A coat's value that follows a parameter, by its key."""

    parameter: str


Value = float | str | Colour | Bound
"""A coat's value: fixed (a number, a choice, a colour) or bound to a parameter."""


class PlaneKind(StrEnum):
    """Where a plane comes from."""

    MAP = "map"
    BAKE = "bake"
    TONE = "tone"
    PALETTE = "palette"
    RAMP = "ramp"


class PlaneRef(msgspec.Struct, frozen=True):
    """A plane by kind and key: a map, a bake or a tone of the sheet, or the strip of a palette or ramp of the kit."""

    kind: PlaneKind
    key: Key


Tiling = Annotated[float, Meta(ge=LEAST_TILING, le=MOST_TILING)]
Speed = Annotated[float, Meta(ge=-FASTEST, le=FASTEST)]
Offset = Annotated[float, Meta(ge=-1, le=1)]
Cells = Annotated[int, Meta(ge=1, le=MOST_GRID)]


class PlaneUse(msgspec.Struct, frozen=True):
    """A channel of a plane as a number 0..1: levels from `low` to `high`, then a power, then perhaps turned round.

    `channel` is 0 to 3; filter, wrap and mips are those of the sampler. The plane lies `tiling` times over the sheet,
    turned by `turn` degrees about the middle, then by `offset` of its own widths and heights, and moves by `speed` of
    those a second. An atlas has a `grid` of columns and rows, of which the first `cells` are used, 0 for all. Numbers
    that are not fixed stand among the values of the coat (see `plane_numbers`).
    """

    plane: PlaneRef
    channel: Annotated[int, Meta(ge=0, le=3)] = 0
    low: Share = 0.0
    high: Share = 1.0
    power: Annotated[float, Meta(ge=0.01, le=100)] = 1.0
    invert: bool = False
    filter: Filter = Filter.LINEAR
    wrap: Wrap = Wrap.CLAMP
    mips: bool = True
    tiling: tuple[Tiling, Tiling] = (1.0, 1.0)
    turn: Annotated[float, Meta(ge=-360, le=360)] = 0.0
    speed: tuple[Speed, Speed] = (0.0, 0.0)
    offset: tuple[Offset, Offset] = (0.0, 0.0)
    grid: tuple[Cells, Cells] = (1, 1)
    cells: Annotated[int, Meta(ge=0, le=MOST_GRID**2)] = 0

    @property
    def count(self) -> int:
        """How many cells of the atlas are used."""
        all_of_them = self.grid[0] * self.grid[1]
        return min(self.cells, all_of_them) or all_of_them


class Coat(msgspec.Struct, frozen=True):
    """A layer of colour. Values that are not named keep the defaults of the kind.

    `planes` are those that the kind reads, by name; `pattern` says how far the coat acts at each texel. One that is not
    `on` keeps its place and does nothing, in all variants. `key` names it among the coats of its owner, wherever it
    moves to among them and whatever kind it becomes; "" until it is given to one.
    """

    kind: str
    values: dict[str, Value] = {}
    planes: dict[str, PlaneUse] = {}
    pattern: PlaneUse | None = None
    on: bool = True
    key: NoKey = ""


Reach = Annotated[float, Meta(ge=-FARTHEST_VALUE, le=FARTHEST_VALUE)]


Hue = Annotated[float, Meta(ge=0, le=360)]


class Allowed(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What a game may set a colour to: one of the `swatches`, encoded sRGB, or without them what lies within a range of
    lightness (OKLab, 0..1) and a band of hues in degrees (OKLCh), from one up to the other; all hues where they meet.
    """

    swatches: Annotated[tuple[Colour, ...], Meta(max_length=MOST_SWATCHES)] = ()
    darkest: Share = 0.0
    lightest: Share = 1.0
    hue_from: Hue = 0.0
    hue_to: Hue = 0.0

    @property
    def is_free(self) -> bool:
        """Whether any colour is allowed."""
        whole = (self.hue_to - self.hue_from) % 360 == 0
        return not self.swatches and whole and (self.darkest, self.lightest) == (0.0, 1.0)


class Parameter(msgspec.Struct, frozen=True):
    """A value that the runtime may set. `key` stays when the name changes; both are identifiers.

    The name is what shaders and packages call it. Colours ignore the range. Parameters of one `group` are shown and
    listed together. `allowed` says what a game may set a colour to; variants may have any.
    """

    key: Key
    name: Key
    kind: ValueKind
    default: Setting
    low: Reach = 0.0
    high: Reach = 1.0
    unit: str = ""
    help: str = ""
    group: str = ""
    allowed: Allowed = Allowed()


Seconds = Annotated[float, Meta(ge=0, le=LONGEST_S)]
Rate = Annotated[float, Meta(ge=-1e6, le=1e6)]


class Easing(StrEnum):
    """How a value goes from one key to the next, as CSS Easing Functions Level 1 names it; `hold` jumps at the end."""

    LINEAR = "linear"
    EASE = "ease"
    EASE_IN = "ease-in"
    EASE_OUT = "ease-out"
    EASE_IN_OUT = "ease-in-out"
    HOLD = "hold"


class Repeat(StrEnum):
    """What comes after the last key: it stays, all begins again, or all runs back and forth."""

    ONCE = "once"
    LOOP = "loop"
    TO_AND_FRO = "to and fro"


class TrackKey(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A value at a time in seconds, and how it goes on from there to the next."""

    time: Seconds
    value: Setting
    easing: Easing = Easing.LINEAR


class Track(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Values of a parameter over time, by rising times. A number also goes on by its `rate` a second within its range,
    where all begins again as `repeat` says.
    """

    keys: Annotated[tuple[TrackKey, ...], Meta(min_length=1, max_length=MOST_TRACK_KEYS)]
    repeat: Repeat = Repeat.ONCE
    rate: Rate = 0.0


class Variant(msgspec.Struct, frozen=True):
    """A named set of parameter values on top of its parent's; without a parent, on top of the defaults.

    `key` stays when the name changes. `parent` is a key, and so are those of `values`, of parameters; where there are
    `tracks`, by the same keys, time says what they are.
    """

    key: Key
    name: str
    parent: str | None = None
    values: dict[str, Setting] = {}
    tracks: dict[Key, Track] = {}


class Blending(StrEnum):
    """In which values regions are mixed; linear light is the default."""

    LINEAR = "linear"
    ENCODED = "encoded"
