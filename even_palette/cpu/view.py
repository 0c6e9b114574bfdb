"""Pictures drawn by compiled loops, for machines without a graphics processor.

What does not hang on parameters is worked out once for a view and kept; a dragged value then costs only the rest.
"""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from even_palette.core.arrays import Floats, Levels
from even_palette.core.graph import slots
from even_palette.core.graph.compiling import Request
from even_palette.core.graph.fused import Frame, bytes_read, request, run_fused
from even_palette.core.graph.loop_slots import room_to_read
from even_palette.core.graph.program import Program, program_of
from even_palette.core.graph.slots import Slot
from even_palette.core.jobs import CancelToken
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.pictures import SHOWN, Picture, View, pixel_centres
from even_palette.cpu.split_by_parameters import Parted, parted

STORES = {SHOWN: "encoded"}


def program_to_draw(shown: Picture) -> Program | None:
    """The program of what is seen, in linear light; None for a picture that loops do not draw."""
    return None if shown.light is None else program_of({SHOWN: shown.light})


@dataclass(frozen=True)
class OnSheet:
    """The pixels of a view that lie on the sheet: the first column and row, and their frame."""

    column: int
    row: int
    frame: Frame


def part_on_sheet(view: View) -> OnSheet | None:
    """Which pixels of a view lie on the tile 0..1; None for none."""
    (left, top), (across, down) = view.origin, view.scale
    columns = np.flatnonzero(_inside(left, across, view.width))
    rows = np.flatnonzero(_inside(top, down, view.height))
    if not len(columns) or not len(rows):
        return None
    column, row = int(columns[0]), int(rows[0])
    origin = left + column * across, top + row * down
    return OnSheet(column, row, Frame(len(columns), len(rows), origin, (across, down), (column, row)))


def _inside(origin: float, step: float, count: int) -> "np.ndarray[tuple[int], np.dtype[np.bool_]]":
    places = pixel_centres(origin, step, count)
    return np.asarray((places >= 0) & (places < 1))


@dataclass(frozen=True)
class LoopView:
    """A view of a program whose still part is worked out; it draws pictures of the program with any inputs."""

    view: View
    part: OnSheet | None
    parts: Parted
    kept: Mapping[str, Slot]

    @property
    def bytes(self) -> int:
        """What the still part takes."""
        return sum(slot.plane.samples.nbytes for slot in self.kept.values())

    def draw(self, shown: Picture) -> Levels:
        """(height, width, 4) uint8, encoded, alpha 0 off the sheet."""
        pixels = np.zeros((self.view.height, self.view.width, 4), np.uint8)
        if self.part is not None:
            frame = self.part.frame
            held = {**shown.slots, **self.kept}
            colours = run_fused(
                self.parts.moving, held, shown.inputs, frame, STORES, shown.seed, shown.time, as_pixels=self.kept
            )[SHOWN]
            rows = slice(self.part.row, self.part.row + frame.height)
            columns = slice(self.part.column, self.part.column + frame.width)
            pixels[rows, columns, :3] = colours
            pixels[rows, columns, 3] = 255
        return pixels


def bytes_kept(shown: Picture, program: Program, view: View) -> int:
    """How much the still part of a view will take."""
    part, still = part_on_sheet(view), parted(program).still
    if part is None:
        return 0
    return sum(still.records[at].type.size for at in still.outputs.values()) * 4 * part.frame.width * part.frame.height


def has_room_to_read(shown: Picture, program: Program, view: View) -> bool:
    """Whether what both parts of a view read may be kept for loops."""
    part, parts = part_on_sheet(view), parted(program)
    if part is None:
        return True
    read = bytes_read(parts.still, shown.slots, part.frame)
    return read + bytes_read(parts.moving, shown.slots, part.frame, parts.still.outputs) <= room_to_read()


def loops_of(shown: Picture, program: Program, view: View) -> list[Request]:
    """The loops that draw a view of a program, for `compile_apart`."""
    part, parts = part_on_sheet(view), parted(program)
    if part is None:
        return []
    still = parts.still
    stand_ins = {
        name: _slot(shown, parts, name, np.zeros((1, 1, still.records[at].type.size), np.float32), name)
        for name, at in still.outputs.items()
    }
    moving = request(parts.moving, {**shown.slots, **stand_ins}, part.frame, STORES, stand_ins)
    return [request(still, shown.slots, part.frame), moving] if still.outputs else [moving]


def keep_view(shown: Picture, program: Program, view: View, cancel: CancelToken | None = None) -> LoopView:
    """Work out what stays of a view. Raises Cancelled."""
    part, parts = part_on_sheet(view), parted(program)
    kept: dict[str, Slot] = {}
    if part is not None and parts.still.outputs:
        found = run_fused(
            parts.still, shown.slots, shown.inputs, part.frame, seed=shown.seed, time=shown.time, cancel=cancel
        )
        kept = {name: _slot(shown, parts, name, samples, f"{name} {view}") for name, samples in found.items()}
    return LoopView(view, part, parts, kept)


def _slot(shown: Picture, parts: Parted, name: str, samples: Floats, known_id: str) -> Slot:
    """The slot of what stays under a name; what was looked up among shares is shares."""
    source = shown.slots.get(parts.looked_up.get(name, ""))
    return slots.of(Plane(samples, Encoding.DATA, known_id), shares=source is not None and source.shares)
