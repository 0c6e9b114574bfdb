"""A program in two parts: what costs much and is the same whatever the parameters are, and what is made of it.

A view that stays while a value is dragged has its look-ups and powers worked out once.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

from even_palette.core.graph.program import LOOK_UPS, NodeRecord, Program
from even_palette.core.graph.types import Type

VARYING = ("parameter", "seed", "time")
DEAR = (*LOOK_UPS, "pow", "log2", "sin", "cos")
SIZES = (Type.FLOAT, Type.VEC2, Type.VEC3, Type.VEC4)


@dataclass(frozen=True)
class Parted:
    """The outputs of `still` are what stays, as many channels of each as are used.

    `moving` reads them from slots of these names that lie over the pixels as they are, beside look-ups that vary. Those
    outputs that are look-ups themselves stand in `looked_up`, with the slots that they look into.
    """

    still: Program
    moving: Program
    looked_up: Mapping[str, str]


@lru_cache(maxsize=16)
def parted(program: Program) -> Parted:
    """The two parts of a program."""
    varies: list[bool] = []
    for record in program.records:
        varies.append(record.op in VARYING or any(varies[arg] for arg in record.args))
    kept = [at for at, record in enumerate(program.records) if record.op in DEAR and not varies[at]]
    still, outputs = list(program.records), dict[str, int]()
    moving = [NodeRecord("uv", Type.VEC2)]
    new: dict[int, int] = {}
    looked_up: dict[str, str] = {}
    for at, record in enumerate(program.records):
        if at not in kept:
            moving.append(NodeRecord(record.op, record.type, tuple(new[arg] for arg in record.args), record.payload))
            new[at] = len(moving) - 1
            continue
        name = f"still_{at}"
        if record.op in LOOK_UPS:
            looked_up[name] = str(record.payload[0])
        count = _channels_used(program, at)
        outputs[name] = at
        if count < record.type.size:
            outputs[name] = len(still)
            still.append(NodeRecord("swizzle", SIZES[count - 1], (at,), ("xyzw"[:count],)))
        moving.append(NodeRecord("sample", Type.VEC4, (0,), (name,)))
        if record.type.size < 4:
            moving.append(NodeRecord("swizzle", record.type, (len(moving) - 1,), ("xyzw"[: record.type.size],)))
        new[at] = len(moving) - 1
    moved = Program(tuple(moving), {name: new[at] for name, at in program.outputs.items()}).only(program.outputs)
    return Parted(
        Program(tuple(still), outputs).only([name for name in outputs if name in moved.slots]), moved, looked_up
    )


def _channels_used(program: Program, at: int) -> int:
    """How many channels of a node are read, from the first to the last."""
    size, used = program.records[at].type.size, 1
    if at in program.outputs.values():
        return size
    for record in program.records:
        if at in record.args:
            here = max("xyzw".index(c) for c in str(record.payload[0])) + 1 if record.op == "swizzle" else size
            used = max(used, here)
    return used
