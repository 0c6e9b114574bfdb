"""Chance by instance: numbers that a coat draws from the seed of an instance and a name of its own.

The seed becomes a whole number of 16 bits; its halves go through four rounds of x -> (m x + y + a)^3 in the field of
257 numbers, with m and a of the name. A cube permutes that field, as 3 does not divide 256 (Lidl and Niederreiter,
Finite Fields, theorem 7.8). All are whole numbers that float32 holds exactly, so that every runtime draws the same.
Coats that share a draw have the same name.
"""

import hashlib
from collections.abc import Callable, Mapping

from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.material.declare import ValueSpec
from even_palette.core.material.model import ValueKind
from even_palette.core.material.spaces import SPACES, Move
from even_palette.core.material.tiling import within

FIELD = 257
SHARED = "abcdefgh"
BY_INSTANCE = ("chance", ("instance",))
DRAW = ValueSpec(
    "draw", "Draw", ValueKind.CHOICE, "own",
    "Coats that share a draw vary alike, wherever they are; others each by themselves.",
    choices=(("own", "Its own"), *((letter, f"Shared: {letter.upper()}") for letter in SHARED)), when=BY_INSTANCE,
)  # fmt: skip
CHANCE = (
    ValueSpec(
        "chance", "By chance", ValueKind.CHOICE, "none", "Whether each instance looks a little different.",
        choices=(("none", "All instances alike"), ("instance", "By instance")),
    ),
    DRAW,
    ValueSpec("hue_range", "Hue ±", ValueKind.NUMBER, 10.0, "How far the hue is turned at the most, either way.", 0.0,
              180.0, "°", when=BY_INSTANCE),
    ValueSpec("saturation_range", "Saturation ±", ValueKind.NUMBER, 0.1, "How far its factor goes from 1 at the most.",
              0.0, 1.0, when=BY_INSTANCE),
    ValueSpec("lightness_range", "Lightness ±", ValueKind.NUMBER, 0.05, "What is added or taken at the most.", 0.0, 0.5,
              when=BY_INSTANCE),
)  # fmt: skip
"""What coats have whose colours vary by instance."""


def drawn(name: str) -> Node:
    """A number in 0..1 that an instance draws under a name, one of 257 squared."""
    digest = hashlib.sha256(name.encode()).digest()
    numbers = [int.from_bytes(digest[at : at + 4]) for at in range(0, 32, 4)]
    added, factors = [each % FIELD for each in numbers[:4]], [1 + each % (FIELD - 1) for each in numbers[4:]]
    number = nodes.floor(seed() * 65535 + 0.5)
    high = nodes.floor(number / 256)
    low = number - high * 256
    rounds = list(zip(factors, added, strict=True))
    first = _cubed(high * rounds[0][0] + rounds[0][1])
    second = _cubed(first * rounds[1][0] + low + rounds[1][1])
    third = _cubed(second * rounds[2][0] + high + rounds[2][1])
    fourth = _cubed(third * rounds[3][0] + low + rounds[3][1])
    return (third * FIELD + fourth + 0.5) / FIELD**2


def _cubed(x: Node) -> Node:
    x = within(x, FIELD)
    return within(within(x * x, FIELD) * x, FIELD)


def draw_of(name: str, values: Mapping[str, object]) -> Callable[[str], Node]:
    """What draws for a coat of a name with these values, by what it is drawn for."""
    shared = values.get(DRAW.name, DRAW.default)
    return lambda what: drawn(f"{name} {what}" if shared == DRAW.default else f"shared {shared} {what}")


def seed() -> Node:
    """The instance's seed, 0..1; of larger ones what is behind the point."""
    given = nodes.seed()
    return nodes.select(nodes.step(given, 1) * nodes.step(0, given), given, nodes.fract(given))


def either_way(draw: Callable[[str], Node], what: str, most: Node) -> Node:
    """A draw between minus `most` and `most`."""
    return (draw(what) * 2 - 1) * most


def varied(colour: Node, choices: Mapping[str, str], values: Mapping[str, Node], draw: Callable[[str], Node]) -> Node:
    """A linear colour as an instance has it, moved in OKLCh by what it draws; as it is where nothing is by chance."""
    if choices["chance"] != "instance":
        return colour
    return SPACES["oklch"].shift(colour, move_of(values, draw))


def move_of(values: Mapping[str, Node], draw: Callable[[str], Node]) -> Move:
    """How far an instance moves colours."""
    hue, saturation, lightness = (
        either_way(draw, what, values[f"{what}_range"]) for what in ("hue", "saturation", "lightness")
    )
    return Move(hue / 360, 1 + saturation, lightness)
