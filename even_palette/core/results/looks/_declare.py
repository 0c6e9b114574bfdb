"""What a pane can look at, and what a kind of look declares."""

from collections.abc import Callable
from dataclasses import dataclass

from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.kit.coat_owners import SheetOwner
from even_palette.core.kit.model import Focus
from even_palette.core.material.outputs import COLOUR
from even_palette.core.material.variants import MASTER
from even_palette.core.results.pictures import Picture
from even_palette.core.results.store import Store


@dataclass(frozen=True)
class Look:
    """What to show: a kind of this folder, by its name, of what.

    Of a region's mask, how it is after its first `steps`, before overlaps are resolved. `map` is the key of a map, ""
    for the base colour, or of a tone; `output` one of OUTPUTS, as the variant has it. Of an index map, where the
    `entry` occurs. Of two variants, how far the `other` one's colour is away. How far a `coat` of an
    `owner`, by its place, acts in a variant. Of a map, one `channel`, by its number.

    Of what the runtime has, an `output`, or a `map` by its slot; of either one `lane`, from 1, or all for 0; as it is
    `meant`, or as it becomes; from which `distance`, in texels a pixel, and at which `slant` (see `results/far.Seen`).
    """

    kind: str = "result"
    variant: str = MASTER
    region: str = ""
    map: str = ""
    bake: str = ""
    output: str = COLOUR
    steps: int = 0
    entry: int = 0
    other: str = MASTER
    coat: int = 0
    owner: SheetOwner = ""
    channel: int = 0
    distance: int = 1
    slant: int = 1
    meant: bool = False
    lane: int = 0


@dataclass(frozen=True)
class Chosen:
    """What is selected where looks are offered: a variant, whose coats (see `coats_of`), a region; and what is seen, on
    both sides of a wipe and on the model.
    """

    variant: str = MASTER
    owner: SheetOwner = ""
    region: str = ""
    looks: tuple[Look, ...] = ()


Offered = list[tuple[str, Look]]
"""Looks with their names."""


def no_entry(at: Focus, store: Store, look: Look, uv: tuple[float, float]) -> tuple[int, Rgb8] | None:
    """Most looks show no entry of a palette."""
    return None


@dataclass(frozen=True)
class LookKind:
    """A kind of look. `picture` gives its expressions; raises UserError if something is not there or cannot be read.

    `offered` are those of a sheet, in the order of their `place`; `follows` gives what it becomes when something else
    is selected, None if it stays. `is_colour` says whether it may be lit: numbers never are. Planes of one that is
    `always_ready` are made with every kit, or by a way of their own. In one that `shows_masks` masks are grey.
    `entry_at` gives the number and colour of the palette's entry at a uv.
    """

    name: str
    place: int
    picture: Callable[[Focus, Store, Look], Picture]
    offered: Callable[[Focus, Chosen], Offered]
    follows: Callable[[Look, Chosen], Look | None] = lambda look, chosen: None
    is_colour: Callable[[Focus, Look], bool] = lambda at, look: False
    always_ready: bool = False
    shows_masks: bool = False
    entry_at: Callable[[Focus, Store, Look, tuple[float, float]], tuple[int, Rgb8] | None] = no_entry
