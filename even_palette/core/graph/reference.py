"""The reference back end: evaluates an expression with NumPy, plain and obviously right."""

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.graph.nodes import Node, in_order
from even_palette.core.graph.operations import TABLE
from even_palette.core.graph.types import Type
from even_palette.core.raster.plane import Plane
from even_palette.core.raster.sampling import sample
from even_palette.core.raster.strip import look_up


@dataclass(frozen=True)
class Environment:
    """What the inputs of an expression are.

    `uv` (..., 2); `textures` maps slots to planes; `parameters` maps names to numbers or vectors.
    """

    uv: Floats
    textures: Mapping[str, Plane] = field(default_factory=dict)
    parameters: Mapping[str, float | tuple[float, ...]] = field(default_factory=dict)
    seed: float = 0.0
    time: float = 0.0


def evaluate(output: Node, environment: Environment) -> Floats:
    """The value of an expression at every uv: shape (...) for a float, (..., n) for a vector; float32.

    Every node is evaluated once. Raises KeyError for a parameter or texture that the environment lacks.
    """
    values: dict[int, Floats] = {}
    with np.errstate(all="ignore"):
        for node in in_order([output]):
            values[id(node)] = _value(node, [values[id(arg)] for arg in node.args], environment)
    shape = environment.uv.shape[:-1] + ((output.type.size,) if output.type != Type.FLOAT else ())
    return np.broadcast_to(values[id(output)], shape)


def _value(node: Node, args: list[Floats], environment: Environment) -> Floats:
    match node.op:
        case "constant":
            return _input(node.payload)
        case "parameter":
            value = environment.parameters[str(node.payload[0])]
            return _input(value if isinstance(value, tuple) else (value,))
        case "uv":
            return environment.uv
        case "seed":
            return float32(environment.seed)
        case "time":
            return float32(environment.time)
        case "join":
            return _join(args, [arg.type for arg in node.args])
        case "sample":
            slot, linear, repeat = node.payload
            return _rgba(sample(environment.textures[str(slot)], args[0], bool(linear), bool(repeat)))
        case "strip":
            return _rgba(look_up(environment.textures[str(node.payload[0])], args[0], args[1]))
        case "matrix" | "swizzle":
            return TABLE[node.op].evaluate(args[0], node.payload)
        case _:
            return float32(TABLE[node.op].evaluate(*args))


def _input(components: tuple[object, ...]) -> Floats:
    return float32(components[0] if len(components) == 1 else components)


def _join(args: list[Floats], kinds: list[Type]) -> Floats:
    parts = [arg[..., None] if kind == Type.FLOAT else arg for arg, kind in zip(args, kinds, strict=True)]
    shape = np.broadcast_shapes(*(part.shape[:-1] for part in parts))
    return np.concatenate([np.broadcast_to(part, (*shape, part.shape[-1])) for part in parts], axis=-1)


def _rgba(values: Floats) -> Floats:
    """Missing channels as OpenGL fills them: grey is red alone (green and blue 0), alpha 1."""
    missing = 4 - values.shape[-1]
    if missing == 0:
        return values
    fill = np.zeros((*values.shape[:-1], missing), dtype=np.float32)
    fill[..., -1] = 1
    return np.concatenate([values, fill], axis=-1)
