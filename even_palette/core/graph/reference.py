"""The reference back end: evaluates a program with NumPy, plain and obviously right."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from even_palette.core.arrays import Bools, Floats, float32
from even_palette.core.graph.nodes import Node
from even_palette.core.graph.operations import TABLE
from even_palette.core.graph.program import LOOK_UPS, NodeRecord, Program, program_of
from even_palette.core.graph.slots import Slot
from even_palette.core.graph.types import Type
from even_palette.core.raster.chain import Chain, sample_covered, sample_level, sample_minified
from even_palette.core.raster.pixel_footprint import covered_by
from even_palette.core.raster.sampling import Filter, Sampler
from even_palette.core.raster.strip import look_up

FIRST_PIXEL = float32((0.0, 0.0))


@dataclass(frozen=True)
class Environment:
    """What the inputs of a program are.

    `uv` (..., 2); `slots` by name; `parameters` maps names to numbers or vectors, or to arrays of such, (...) or
    (..., n), that broadcast with the places; `seed` 0..1; `time` in seconds;
    `pixel` is how far uv goes in one pixel to the right and in one down, 0 where nothing is minified. `screen` (..., 2)
    are the column and row of each pixel, the first ones where nothing says more.
    """

    uv: Floats
    slots: Mapping[str, Slot] = field(default_factory=dict)
    parameters: Mapping[str, float | tuple[float, ...] | Floats] = field(default_factory=dict)
    seed: float = 0.0
    time: float = 0.0
    pixel: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)
    screen: Floats = field(default_factory=lambda: FIRST_PIXEL)


def evaluate(output: Node, environment: Environment) -> Floats:
    """The value of one expression at every uv: shape (...) for a float, (..., n) for a vector; float32.

    Raises KeyError for a parameter or slot that the environment lacks.
    """
    return run(program_of({"result": output}), environment)["result"]


def run(program: Program, environment: Environment) -> dict[str, Floats]:
    """The outputs of a program at every uv: (...) for a float, (..., n) for a vector; float32.

    Every node is evaluated once. Raises KeyError for a parameter or slot that the environment lacks.
    """
    return outputs_of(program, values_of(program, environment), environment)


def values_of(
    program: Program, environment: Environment, before: Sequence[Floats] = (), slot: str = ""
) -> list[Floats]:
    """The value of every node in order. Where `before` are those in which only a `slot` was another one, what does not
    hang on it is taken from there.
    """
    values: list[Floats] = []
    again = [not before] * len(program.records)
    with np.errstate(all="ignore"):
        for number, record in enumerate(program.records):
            own = bool(record.payload) and record.op in LOOK_UPS and record.payload[0] == slot
            again[number] = again[number] or own or any(again[at] for at in record.args)
            if not again[number]:
                values.append(before[number])
                continue
            args = [values[at] for at in record.args]
            values.append(_value(record, args, [program.records[at].type for at in record.args], environment))
    return values


def outputs_of(program: Program, values: Sequence[Floats], environment: Environment) -> dict[str, Floats]:
    """The outputs of a program among the values of its nodes, as `run` gives them."""
    shape = environment.uv.shape[:-1]
    found = {}
    for name, at in program.outputs.items():
        kind = program.records[at].type
        own = shape + ((kind.size,) if kind != Type.FLOAT else ())
        found[name] = np.broadcast_to(values[at], np.broadcast_shapes(own, values[at].shape))
    return found


def _value(record: NodeRecord, args: list[Floats], kinds: list[Type], environment: Environment) -> Floats:
    match record.op:
        case "constant":
            return _input(record.payload)
        case "parameter":
            value = environment.parameters[str(record.payload[0])]
            if isinstance(value, np.ndarray):
                return value
            return _input(value if isinstance(value, tuple) else (value,))
        case "uv":
            return environment.uv
        case "seed":
            return float32(environment.seed)
        case "time":
            return float32(environment.time)
        case "pixel":
            return float32(environment.pixel)
        case "screen":
            return environment.screen
        case "join":
            return _join(args, kinds)
        case "sample" | "layer":
            slot = environment.slots[str(record.payload[0])]
            seen = covered_by(slot.plane.width, slot.plane.height, environment.pixel, slot.sampler)
            chain = slot.chains[int(record.payload[1]) if record.op == "layer" else 0]
            return _rgba(sample_covered(chain, args[0], seen, slot.sampler))
        case "sample_lod":
            slot = environment.slots[str(record.payload[0])]
            return _at_level(slot.chain, args[0], args[1], slot.sampler)
        case "layer_lod":
            slot = environment.slots[str(record.payload[0])]
            last = len(slot.chains) - 1

            def of_layer(number: int, own: Bools) -> Floats:
                chain, level = slot.chains[min(max(number, 0), last)], args[2]
                there = np.broadcast_to(level, own.shape)[own] if np.ndim(level) else level
                return _at_level(chain, np.broadcast_to(args[0], (*own.shape, 2))[own], there, slot.sampler)

            return _by_number(args[1], of_layer, np.broadcast_shapes(args[0].shape[:-1], args[1].shape, args[2].shape))
        case "strip":
            slot = environment.slots[str(record.payload[0])]
            return _rgba(look_up(slot.plane, args[0], args[1], slot.sampler))
        case "matrix" | "swizzle":
            return TABLE[record.op].evaluate(args[0], record.payload)
        case _:
            return float32(TABLE[record.op].evaluate(*args))


def _at_level(chain: Chain, uv: Floats, level: Floats, sampler: Sampler) -> Floats:
    """A chain sampled at uv (..., 2) between the two mip levels beside a number (...), or at the nearer one; the bias
    goes to the number (OpenGL 4.6, section 8.14.1, equation 8.5)."""
    level = level + np.float32(sampler.bias)
    if np.ndim(level) == 0 or not sampler.mips:
        return _rgba(sample_minified(chain, uv, float(level) if sampler.mips else 0.0, sampler))

    def of(numbers: Floats) -> Floats:
        shape = np.broadcast_shapes(uv.shape[:-1], numbers.shape)
        places = np.broadcast_to(uv, (*shape, 2))
        return _by_number(numbers, lambda at, own: sample_level(chain, places[own], at, sampler), shape)

    level = np.clip(level, 0, chain.count - 1)
    if sampler.filter == Filter.NEAREST:
        return of(level)
    low = np.floor(level)
    share = (level - low)[..., None]
    return float32(of(low) * (1 - share) + of(low + 1) * share)


def _by_number(numbers: Floats, sampled: Callable[[int, Bools], Floats], shape: tuple[int, ...]) -> Floats:
    """What is sampled for the whole number that each place has; `sampled` gives it for some places, (n, C)."""
    wanted = np.broadcast_to(np.floor(numbers + np.float32(0.5)), shape)
    found = np.zeros((*shape, 4), dtype=np.float32)
    for number in np.unique(wanted):
        own = wanted == number
        found[own] = _rgba(sampled(int(number), own))
    return found


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
