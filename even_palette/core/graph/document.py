"""Expressions as plain data, so that a package can carry them."""

from typing import Any

import msgspec

from even_palette.core.errors import UserError
from even_palette.core.graph.nodes import Node, in_order, make
from even_palette.core.graph.operations import TABLE, fits
from even_palette.core.graph.types import Payload, Type


class NodeRecord(msgspec.Struct, frozen=True, omit_defaults=True):
    """One node: operation, type, positions of the arguments earlier in the list, and its payload."""

    op: str
    type: Type
    args: tuple[int, ...] = ()
    payload: tuple[float | str | bool, ...] = ()


def to_records(output: Node) -> tuple[NodeRecord, ...]:
    """The expression as a list, arguments before users; the last one is the output."""
    nodes = in_order([output])
    position = {id(node): index for index, node in enumerate(nodes)}
    return tuple(
        NodeRecord(node.op, node.type, tuple(position[id(arg)] for arg in node.args), node.payload) for node in nodes
    )


def from_records(records: tuple[NodeRecord, ...]) -> Node:
    """The expression that a list describes. Raises UserError for a list that is not a whole, typed expression."""
    nodes: list[Node] = []
    for index, record in enumerate(records):
        if any(not 0 <= arg < index for arg in record.args):
            raise UserError(f"graph node {index} uses a node that does not come before it.")
        args = tuple(nodes[arg] for arg in record.args)
        if not _fits(record, tuple(arg.type for arg in args)):
            raise UserError(f"graph node {index} ({record.op[:20]}) does not fit its arguments.")
        nodes.append(make(record.op, record.type, args, _payload(record)))
    if not nodes:
        raise UserError("the graph is empty.")
    return nodes[-1]


def _payload(record: NodeRecord) -> Payload:
    if record.op in ("constant", "matrix"):
        return tuple(float(value) for value in record.payload)
    return record.payload


def _fits(record: NodeRecord, args: tuple[Type, ...]) -> bool:
    payload: tuple[Any, ...] = record.payload
    numbers = all(isinstance(value, int | float) for value in payload)
    text = len(payload) == 1 and isinstance(payload[0], str)
    match record.op:
        case "constant":
            return not args and numbers and len(payload) == record.type.size
        case "parameter":
            return not args and text and payload[0].isidentifier()
        case "join":
            return sum(kind.size for kind in args) == record.type.size
        case "sample":
            slot_first = len(payload) == 3 and isinstance(payload[0], str) and payload[0].isidentifier()
            return slot_first and args == (Type.VEC2,) and record.type == Type.VEC4
        case "strip":
            two_floats = args == (Type.FLOAT, Type.FLOAT)
            return text and payload[0].isidentifier() and two_floats and record.type == Type.VEC4
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
        case "uv":
            return not args and record.type == Type.VEC2
        case "seed" | "time":
            return not args and record.type == Type.FLOAT
        case _:
            return record.op in TABLE and fits(record.op, args, record.type)
