"""Programs: expressions as plain lists, which all back ends read and a package carries."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property, lru_cache
from typing import Any

import msgspec
from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.graph.nodes import Node
from even_palette.core.graph.operations import INPUTS, TABLE, fits
from even_palette.core.graph.types import Payload, Type
from even_palette.core.graph.walks import in_order

MOST_RECORDS = 100_000
LOOK_UPS = ("sample", "layer", "strip", "sample_lod", "layer_lod")
GIVEN = ("constant", "parameter", "uv", "pixel", "screen", "seed", "time", "join", "swizzle")
"""What a pixel is given, or puts together: nothing is computed for it."""
ARRAYS = ("layer", "layer_lod")
OF_LEVELS = ("sample_lod", "layer_lod")
"""Look-ups that are told the mip level."""


class NodeRecord(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """One node: operation, type, places of the arguments earlier in the list, and its payload."""

    op: str
    type: Type
    args: tuple[int, ...] = ()
    payload: Payload = ()


@dataclass(frozen=True, eq=False)
class Program:
    """Several expressions as one list, arguments before users, in which equal parts stand once.

    `outputs` are places in the list by name. `comments` stand before the record of their place in texts.
    """

    records: tuple[NodeRecord, ...]
    outputs: Mapping[str, int]
    comments: Mapping[int, str] = field(default_factory=dict)

    @cached_property
    def parameters(self) -> dict[str, Type]:
        """Names and types of the parameters, in order of first use."""
        return {str(record.payload[0]): record.type for record in self.records if record.op == "parameter"}

    @cached_property
    def channels(self) -> dict[str, set[int]]:
        """By slot the numbers of the channels that are read of it."""
        found: dict[str, set[int]] = {slot: set() for slot in self.slots}
        looks = {at: str(record.payload[0]) for at, record in enumerate(self.records) if record.op in LOOK_UPS}
        for record in self.records:
            for at in set(record.args) & looks.keys():
                read = str(record.payload[0]) if record.op == "swizzle" else "xyzw"
                found[looks[at]] |= {"xyzw".index(letter) for letter in read}
        for at in set(self.outputs.values()) & looks.keys():
            found[looks[at]] |= {0, 1, 2, 3}
        return found

    @cached_property
    def slots(self) -> dict[str, bool]:
        """Names of the slots in order of first use, and whether they are arrays."""
        return {str(record.payload[0]): record.op in ARRAYS for record in self.records if record.op in LOOK_UPS}

    def only(self, names: Iterable[str]) -> "Program":
        """The program of some of its outputs. Raises KeyError for one that it does not have."""
        wanted = {name: self.outputs[name] for name in names}
        needed, stack = set[int](), list(wanted.values())
        while stack:
            at = stack.pop()
            if at not in needed:
                needed.add(at)
                stack += self.records[at].args
        places = {old: new for new, old in enumerate(sorted(needed))}
        kept = [self.records[old] for old in places]
        records = tuple(replace(record, args=tuple(places[at] for at in record.args)) for record in kept)
        return Program(records, {name: places[at] for name, at in wanted.items()})

    @cached_property
    def inputs(self) -> list[str]:
        """What the runtime gives, of INPUTS."""
        return list(dict.fromkeys(record.op for record in self.records if record.op in INPUTS))


def program_of(outputs: Mapping[str, Node], sections: Sequence[tuple[str, Node]] = ()) -> Program:
    """The program of expressions by name. Sections are comments with the nodes whose statements stand below them.

    Equal expressions give the same program object while it is remembered.
    """
    return _program(tuple(outputs.items()), tuple(sections))


@lru_cache(maxsize=256)
def _program(outputs: tuple[tuple[str, Node], ...], sections: tuple[tuple[str, Node], ...]) -> Program:
    roots = [node for _, node in sections] + [node for _, node in outputs]
    below = {id(node) for node in in_order([node for _, node in outputs])}
    nodes = [node for node in in_order(roots) if id(node) in below]
    place = {id(node): index for index, node in enumerate(nodes)}
    comments: dict[int, str] = {}
    reached = 0
    for comment, node in sections:
        if id(node) in place and place[id(node)] >= reached:
            comments[reached] = comment
            reached = place[id(node)] + 1
    comments.setdefault(reached, "Result")
    records = tuple(
        NodeRecord(node.op, node.type, tuple(place[id(arg)] for arg in node.args), node.payload) for node in nodes
    )
    return Program(records, {name: place[id(node)] for name, node in outputs}, comments)


def check_program(program: Program) -> None:
    """Raise UserError for a list that is not a whole, typed program, such as one from a damaged file."""
    if not program.records or len(program.records) > MOST_RECORDS:
        raise UserError(f"the program has {len(program.records)} nodes; 1 to {MOST_RECORDS:,} are read.")
    for index, record in enumerate(program.records):
        if any(not 0 <= arg < index for arg in record.args):
            raise UserError(f"program node {index} uses a node that does not come before it.")
        if not _fits(record, tuple(program.records[arg].type for arg in record.args)):
            raise UserError(f"program node {index} ({record.op[:20]}) does not fit its arguments.")
    for name, index in program.outputs.items():
        if not name.isidentifier() or not 0 <= index < len(program.records):
            raise UserError(f"the output “{name[:20]}” of the program points nowhere.")


def _whole_sides(sides: Sequence[Any]) -> bool:
    return all(isinstance(side, int | float) and side >= 1 and side == int(side) for side in sides)


def _fits(record: NodeRecord, args: tuple[Type, ...]) -> bool:
    payload: tuple[Any, ...] = record.payload
    numbers = all(isinstance(value, int | float) for value in payload)
    named = bool(payload) and isinstance(payload[0], str)
    text = named and len(payload) == 1
    slot = named and payload[0].isidentifier() and record.type == Type.VEC4
    match record.op:
        case "constant":
            return not args and numbers and len(payload) == record.type.size
        case "parameter":
            return not args and text and payload[0].isidentifier()
        case "join":
            return sum(kind.size for kind in args) == record.type.size
        case "sample":
            return slot and text and args == (Type.VEC2,)
        case "layer":
            numbered = slot and len(payload) == 2 and isinstance(payload[1], int | float)
            return numbered and payload[1] in range(256) and args == (Type.VEC2,)
        case "strip":
            sized = slot and len(payload) == 3 and _whole_sides(payload[1:])
            return sized and args == (Type.FLOAT, Type.FLOAT)
        case "sample_lod":
            return slot and text and args == (Type.VEC2, Type.FLOAT)
        case "layer_lod":
            return slot and text and args == (Type.VEC2, Type.FLOAT, Type.FLOAT)
        case "matrix":
            return args == (Type.VEC3,) and record.type == Type.VEC3 and numbers and len(payload) == 9
        case "swizzle":
            return (
                text
                and len(args) == 1
                and args[0] != Type.FLOAT
                and len(payload[0]) == record.type.size
                and set(payload[0]) <= set("xyzw"[: args[0].size])
            )
        case "length" | "dot":
            return record.type == Type.FLOAT and fits(record.op, args, record.type) and len(set(args)) == 1
        case _ if record.op in INPUTS:
            return not args and not payload and record.type == INPUTS[record.op]
        case _:
            return record.op in TABLE and not payload and fits(record.op, args, record.type)
