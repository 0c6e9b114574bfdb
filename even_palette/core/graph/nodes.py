"""Nodes of an expression. Equal expressions are one node, so common subexpressions exist once.

Python operators build nodes, so that a coat reads like its formula; plain numbers become constants, and a float that
meets a vector is spread over its components.
"""

from collections.abc import Iterable
from functools import partial
from typing import Union
from weakref import WeakValueDictionary

import numpy as np

from even_palette.core.arrays import float32
from even_palette.core.graph.bounds import Bounds, bounds_of
from even_palette.core.graph.operations import TABLE
from even_palette.core.graph.types import Payload, Type, vector

Operand = Union["Node", float, int]


class Node:
    """An operation on other nodes, or an input. Made by the functions of this module only; never changed."""

    __slots__ = ("__weakref__", "args", "bounds", "op", "payload", "type")

    def __init__(self, op: str, kind: Type, args: tuple["Node", ...], payload: Payload) -> None:
        self.op = op
        self.type = kind
        self.args = args
        self.payload = payload
        self.bounds: Bounds = bounds_of(op, payload, [arg.bounds for arg in args])

    def __add__(self, other: Operand) -> "Node":
        return componentwise("add", self, other)

    def __radd__(self, other: Operand) -> "Node":
        return componentwise("add", other, self)

    def __sub__(self, other: Operand) -> "Node":
        return componentwise("subtract", self, other)

    def __rsub__(self, other: Operand) -> "Node":
        return componentwise("subtract", other, self)

    def __mul__(self, other: Operand) -> "Node":
        return componentwise("multiply", self, other)

    def __rmul__(self, other: Operand) -> "Node":
        return componentwise("multiply", other, self)

    def __truediv__(self, other: Operand) -> "Node":
        if isinstance(other, float | int) and other != 0:
            return self * (1.0 / other)
        return componentwise("divide", self, other)

    def __rtruediv__(self, other: Operand) -> "Node":
        return componentwise("divide", other, self)

    def __neg__(self) -> "Node":
        return componentwise("subtract", 0.0, self)

    def __getitem__(self, channels: str) -> "Node":
        """Channels by letters of xyzw, such as node["xyz"]. Raises ValueError for channels that are not there."""
        if (
            self.type == Type.FLOAT
            or not 1 <= len(channels) <= 4
            or any(c not in "xyzw"[: self.type.size] for c in channels)
        ):
            raise ValueError(f"{self.type} has no channels {channels!r}.")
        if self.op in ("constant", "join"):
            parts = _components(self)
            return join(*(parts["xyzw".index(letter)] for letter in channels))
        return make("swizzle", vector(len(channels)), (self,), (channels,))

    def __repr__(self) -> str:
        below = ", ".join(f"{arg.op}{arg.payload or ''}" for arg in self.args)  # whole expressions have no end in text
        return f"{self.op}{self.payload or ''}({below})"


_nodes: WeakValueDictionary[tuple[object, ...], Node] = WeakValueDictionary()


def make(op: str, kind: Type, args: tuple[Node, ...] = (), payload: Payload = ()) -> Node:
    """The one node of this operation, type, arguments and payload."""
    key = (op, kind, tuple(map(id, args)), payload)
    node = _nodes.get(key)
    if node is None:
        node = Node(op, kind, args, payload)
        _nodes[key] = node
    return node


def constant(*components: float) -> Node:
    """A float of one component, or a vector of two to four."""
    return make("constant", vector(len(components)), (), tuple(float(c) for c in components))


def parameter(name: str, kind: Type) -> Node:
    """A value that the runtime sets; `name` is an identifier."""
    return make("parameter", kind, (), (name,))


def texture(slot: str, uv: Node) -> Node:
    """A vec4 sampled from a slot; sRGB textures arrive in linear light. Filter, wrap and mips are the slot's."""
    return make("sample", Type.VEC4, (uv,), (slot,))


def layer(slot: str, number: int, uv: Node) -> Node:
    """A vec4 sampled from one layer of a slot that is an array of planes."""
    return make("layer", Type.VEC4, (uv,), (slot, number))


def weight(region: str) -> Node:
    """How much of the texel a region has, 0..1; a packing plan says where that is stored."""
    return make("weight", Type.FLOAT, (), (region,))


def strip(slot: str, size: tuple[int, int], position: Operand, row: Operand = 0.0) -> Node:
    """A vec4 looked up in a strip of so many texels and rows, at position 0..1 of a row.

    Texel centres of the ends lie at 0 and 1; rows are not mixed.
    """
    return make("strip", Type.VEC4, (as_node(position), as_node(row)), (slot, *map(float, size)))


def texture_lod(slot: str, at: Node, level: Node) -> Node:
    """A vec4 sampled from a slot at a mip level, 0 being the plane itself: the two beside it mixed, or the nearer one
    where the slot's filter is nearest.
    """
    return make("sample_lod", Type.VEC4, (at, level), (slot,))


def layer_lod(slot: str, at: Node, number: Node, level: Node) -> Node:
    """The same of one layer of a slot that is an array of planes; the number is a whole one."""
    return make("layer_lod", Type.VEC4, (at, number, level), (slot,))


uv = partial(make, "uv", Type.VEC2)
"""The texture coordinate; v runs down from the top left corner."""
pixel = partial(make, "pixel", Type.VEC4)
"""How far the texture coordinate goes in one pixel to the right (xy) and in one down (zw); a vec4."""
screen = partial(make, "screen", Type.VEC2)
"""Which pixel is drawn: whole numbers of its column and row."""
seed = partial(make, "seed", Type.FLOAT)
"""The instance's random number, 0..1."""
time = partial(make, "time", Type.FLOAT)
"""Seconds."""


def as_node(operand: Operand) -> Node:
    """The node of an operand; a number becomes a constant."""
    return operand if isinstance(operand, Node) else constant(operand)


def splat(node: Node, kind: Type) -> Node:
    """A float spread over the components of a vector; a node of that type stays. Raises TypeError otherwise."""
    if node.type == kind:
        return node
    if node.type != Type.FLOAT:
        raise TypeError(f"{node.type} does not go with {kind}.")
    if node.op == "constant":
        return make("constant", kind, (), node.payload * kind.size)
    return make("join", kind, (node,) * kind.size)


def componentwise(op: str, *operands: Operand) -> Node:
    """An operation on each component; floats among vectors are spread.

    What is known now is worked out now, and what changes nothing is left out: x + 0, x - 0, x * 1, x * 0, mixes by 0 or
    1, and holding what is known to lie there.
    """
    given = [as_node(operand) for operand in operands]
    kind = max((node.type for node in given), key=lambda t: t.size)
    args = tuple(splat(node, kind) for node in given)
    match op, args:
        case "add" | "subtract", (a, b) if is_constant(b, 0):
            return a
        case "add", (a, b) if is_constant(a, 0):
            return b
        case "multiply", (a, b) if is_constant(b, 1) or is_constant(a, 0):
            return a
        case "multiply", (a, b) if is_constant(a, 1) or is_constant(b, 0):
            return b
        case "mix", (a, _, share) if is_constant(share, 0):
            return a
        case "mix", (_, b, share) if is_constant(share, 1):
            return b
        case "clamp", (x, low, high) if x.bounds.within(low.bounds.high, high.bounds.low):
            return x
        case ("maximum", (a, b)) | ("minimum", (b, a)) if a.bounds.low >= b.bounds.high:
            return a
        case ("maximum", (a, b)) | ("minimum", (b, a)) if b.bounds.low >= a.bounds.high:
            return b
    return _made_now(make(op, kind, args))


def _made_now(node: Node) -> Node:
    """The constant that an operation on constants gives, unless that is no number."""
    if any(arg.op != "constant" for arg in node.args):
        return node
    with np.errstate(all="ignore"):
        value = TABLE[node.op].evaluate(
            *(float32(arg.payload) for arg in node.args), *([node.payload] if node.payload else [])
        )
    return constant(*map(float, np.broadcast_to(value, node.type.size))) if np.isfinite(value).all() else node


def is_constant(node: Node, value: float) -> bool:
    """Whether a node is a constant whose components are all this value."""
    return node.op == "constant" and all(component == value for component in node.payload)


def minimum(a: Operand, b: Operand) -> Node:
    """The lesser of the two, by component."""
    return componentwise("minimum", a, b)


def maximum(a: Operand, b: Operand) -> Node:
    """The greater of the two, by component."""
    return componentwise("maximum", a, b)


def clamp(x: Operand, low: Operand = 0.0, high: Operand = 1.0) -> Node:
    """x held between low and high."""
    return componentwise("clamp", x, low, high)


def mix(a: Operand, b: Operand, share: Operand) -> Node:
    """a where share is 0, b where it is 1."""
    return componentwise("mix", a, b, share)


def step(edge: Operand, x: Operand) -> Node:
    """1 where x >= edge, otherwise 0."""
    return componentwise("step", edge, x)


def equal(a: Operand, b: Operand) -> Node:
    """1 where both are the same number, otherwise 0."""
    return componentwise("equal", a, b)


def smoothstep(low: Operand, high: Operand, x: Operand) -> Node:
    """3t^2 - 2t^3 between low and high; a step at low where low >= high."""
    return componentwise("smoothstep", low, high, x)


def absolute(x: Operand) -> Node:
    """x without its sign."""
    return componentwise("abs", x)


def sqrt(x: Operand) -> Node:
    """Square root; 0 for negative numbers."""
    return componentwise("sqrt", x)


def power(x: Operand, exponent: Operand) -> Node:
    """x to the exponent; 0 and what is below gives 0, but 1 to the exponent 0."""
    return componentwise("pow", x, exponent)


def floor(x: Operand) -> Node:
    """The greatest whole number that is not above x."""
    return componentwise("floor", x)


def log2(x: Operand) -> Node:
    """Logarithm to the base 2; what is below 1e-30 counts as that."""
    return componentwise("log2", x)


def fract(x: Operand) -> Node:
    """x - floor(x)."""
    return componentwise("fract", x)


def sin(x: Operand) -> Node:
    """Sine of radians."""
    return componentwise("sin", x)


def cos(x: Operand) -> Node:
    """Cosine of radians."""
    return componentwise("cos", x)


def atan2(y: Operand, x: Operand) -> Node:
    """Angle in radians, -pi..pi; zeros have no sign: 0 at the origin, pi at y = 0 and x < 0."""
    return componentwise("atan2", y, x)


def select(condition: Operand, if_true: Operand, if_false: Operand) -> Node:
    """if_true where condition > 0.5, otherwise if_false."""
    return componentwise("select", condition, if_true, if_false)


def length(x: Node) -> Node:
    """The Euclidean length of a vector, a float."""
    return _made_now(make("length", Type.FLOAT, (x,)))


def dot(a: Node, b: Node) -> Node:
    """The scalar product of two vectors of a type, a float."""
    if a.type != b.type:
        raise TypeError(f"dot of {a.type} and {b.type}.")
    return _made_now(make("dot", Type.FLOAT, (a, b)))


def matrix(rows: tuple[tuple[float, ...], ...], x: Node) -> Node:
    """A constant 3x3 matrix, given by rows, times a vec3."""
    if x.type != Type.VEC3:
        raise TypeError(f"a 3x3 matrix times {x.type}.")
    return _made_now(make("matrix", Type.VEC3, (x,), tuple(float(v) for row in rows for v in row)))


def join(*parts: Operand) -> Node:
    """A vector of the components of its parts, in order."""
    nodes = tuple(as_node(part) for part in parts)
    if len(nodes) == 1:
        return nodes[0]
    first = nodes[0].args[0] if nodes[0].op == "swizzle" else None
    if first is not None and first.type.size == len(nodes) and nodes == channels(first):
        return first
    if all(node.op == "constant" for node in nodes):
        return constant(*(float(value) for node in nodes for value in node.payload))
    return make("join", vector(sum(node.type.size for node in nodes)), nodes)


def _components(node: Node) -> list[Node]:
    """The components of a constant or of what is joined."""
    if node.op == "constant":
        return [constant(float(value)) for value in node.payload]
    return [part for arg in node.args for part in ([arg] if arg.type == Type.FLOAT else channels(arg))]


def total(nodes: Iterable[Node]) -> Node:
    """The sum of one or more nodes."""
    first, *rest = nodes
    for node in rest:
        first = first + node
    return first


def channels(node: Node) -> tuple[Node, ...]:
    """Each component of a vector as a float."""
    return tuple(node["xyzw"[i]] for i in range(node.type.size))
