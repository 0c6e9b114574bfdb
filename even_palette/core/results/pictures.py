"""Pictures: expressions made ready with the slots and inputs that they need, so that every back end shows the same."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from even_palette.core.arrays import Bools, Floats, Levels, float32
from even_palette.core.graph import nodes, slots
from even_palette.core.graph.nodes import Node
from even_palette.core.graph.program import Program, program_of
from even_palette.core.graph.reference import FIRST_PIXEL, Environment, run
from even_palette.core.graph.slots import Slot
from even_palette.core.jobs import CancelToken
from even_palette.core.material.colour_nodes import encode
from even_palette.core.material.outputs import ALPHA
from even_palette.core.raster.plane import Encoding, Plane, to_levels8
from even_palette.core.raster.sampling import SHARP, SMOOTH, pixel_numbers

SHOWN = "shown"
"""The output of a picture that is seen, encoded RGB; others are surface values that a lit view takes."""


@dataclass(frozen=True)
class Picture:
    """A look made ready: expressions by name, of which `shown` is what is seen, with the slots and inputs they need.

    `light` is what is seen in linear light, where it is a colour of the material, and `paint` the base colour under it.
    One that `compares` samples planes twice, as no shader that ships does: it may take all units that the driver has.
    """

    outputs: Mapping[str, Node]
    slots: Mapping[str, Slot]
    inputs: Mapping[str, float | tuple[float, ...]]
    seed: float = 0.0
    time: float = 0.0
    light: Node | None = None
    paint: Node | None = None
    compares: bool = False

    @property
    def program(self) -> Program:
        """The program of all outputs."""
        return program_of(self.outputs)

    @property
    def seen(self) -> Program:
        """The program of what is seen: the colour, and how much of it where that is not all."""
        return program_of({name: self.outputs[name] for name in (SHOWN, ALPHA) if name in self.outputs})

    def looks_like(self, other: "Picture") -> bool:
        """Whether both are the same at every pixel, as they are made of the same."""
        mine, others = ((shown.inputs, shown.seed, shown.time, shown.outputs) for shown in (self, other))
        return mine == others and (self.slots is other.slots or self.sampled == other.sampled)

    @property
    def sampled(self) -> dict[str, tuple[object, ...]]:
        """By slot what is sampled and how."""
        return {name: (slot.content_id, slot.sampler, slot.is_array) for name, slot in self.slots.items()}

    @property
    def finest(self) -> tuple[int, int]:
        """Width and height of the finest plane that is sampled."""
        planes = [slot.plane for slot in self.slots.values()]
        widest = max(planes, key=lambda plane: plane.width)
        return widest.width, widest.height


@dataclass(frozen=True)
class View:
    """Which part of the sheet: uv of the upper left corner, uv per pixel across and down, and the size in pixels."""

    origin: tuple[float, float]
    scale: tuple[float, float]
    width: int
    height: int

    def uv(self) -> Floats:
        """uv of every pixel centre, (height, width, 2), in a graphics card's numbers: all agree where edges lie."""
        u = pixel_centres(self.origin[0], self.scale[0], self.width)
        v = pixel_centres(self.origin[1], self.scale[1], self.height)
        return np.stack(np.broadcast_arrays(u[None, :], v[:, None]), axis=-1)


def pixel_centres(origin: float, step: float, count: int) -> Floats:
    """Where the centres of so many pixels lie, (count,) float32."""
    return np.float32(origin) + (np.arange(count, dtype=np.float32) + np.float32(0.5)) * np.float32(step)


class Drawing(Protocol):
    """A picture that is being drawn while whoever asked for it goes on."""

    def done(self, wait_s: float = 0.0) -> bool:
        """Whether it is drawn; at the most so long is waited for that."""
        ...

    @property
    def pixels(self) -> Levels:
        """(height, width, 4) uint8, encoded, alpha 0 off the sheet; waits where it is not done."""
        ...

    def drop(self) -> None:
        """Nobody wants it any more."""
        ...


class Drawer(Protocol):
    """A way to draw pictures: by a graphics card, by compiled loops, by the reference."""

    def begin(self, shown: Picture, view: View, filtered: bool) -> Drawing | Levels | None:
        """A picture through a view, under way or there already; None where another way shall draw it.

        `filtered` samples where pixels are; otherwise texels of the finest plane are squares, each sampled at its
        centre.
        """
        ...

    def close(self) -> None:
        """Let go of what is held for drawing."""
        ...


def whole_sheet(width: int, height: int) -> View:
    """One pixel a texel."""
    return View((0.0, 0.0), (1 / width, 1 / height), width, height)


def map_picture(plane: Plane, sharp: bool = False) -> Picture:
    """A plane as it is stored; colour planes are filtered in linear light, then encoded."""
    texel = nodes.texture("map", nodes.uv())
    colour = texel["xxx"] if plane.channels < 3 else texel["xyz"]
    if plane.encoding != Encoding.DATA:
        colour = encode(nodes.clamp(colour))
    return Picture({SHOWN: colour}, {"map": slots.of(plane, SHARP if sharp else SMOOTH)}, {})


def view_of(place: tuple[float, float, float, float], width: int, height: int) -> View:
    """A view of this size that shows a rectangle of uv with room around it, at the same scale both ways."""
    left, top, right, bottom = place
    side = max(0.04, (right - left) * 2.2, (bottom - top) * 2.2 * width / height)
    scale = min(side, 1.15) / width
    middle = ((left + right) / 2, (top + bottom) / 2)
    if side > 1.15:
        scale, middle = 1.15 / height, (0.5, 0.5)
    return View((middle[0] - scale * width / 2, middle[1] - scale * height / 2), (scale, scale), width, height)


def render_reference(shown: Picture, view: View, filtered: bool = True, cancel: CancelToken | None = None) -> Levels:
    """A picture by the NumPy reference: (height, width, 3) uint8. Pixels off the sheet are 0.

    Works by rows, so that memory stays small at any size. Raises Cancelled.
    """
    uv, screen = view.uv(), pixel_numbers(view.width, view.height)
    result = np.empty((view.height, view.width, 3), dtype=np.uint8)
    program = program_of({SHOWN: shown.outputs[SHOWN]})
    step = view.scale if filtered else (1 / shown.finest[0], 1 / shown.finest[1])
    pixel = (step[0], 0.0, 0.0, step[1])
    for first in range(0, view.height, 64):
        if cancel is not None:
            cancel.check()
        part, numbers = uv[first : first + 64], screen[first : first + 64]
        if not filtered:
            part = texel_centres_at(part, shown)
        result[first : first + 64] = to_levels8(run(program, environment_of(shown, part, pixel, numbers))[SHOWN])
    result[~on_sheet(uv)] = 0
    return result


def environment_of(
    shown: Picture, uv: Floats, pixel: tuple[float, float, float, float], screen: Floats = FIRST_PIXEL
) -> Environment:
    """What a picture's program is evaluated in, at uv (..., 2), in the pixels of these columns and rows."""
    return Environment(uv, shown.slots, shown.inputs, shown.seed, shown.time, pixel, screen)


def texel_centres_at(uv: Floats, shown: Picture) -> Floats:
    """uv moved to the centres of the texels of the finest map, which shows texels as squares."""
    size = float32(shown.finest)
    return float32((np.floor(uv * size) + 0.5) / size)


def on_sheet(uv: Floats) -> Bools:
    """Which uv lie on the tile 0..1; shape (..., 2) to (...)."""
    return np.asarray(np.all((uv >= 0) & (uv < 1), axis=-1))
