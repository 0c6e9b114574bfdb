"""The lineup's renderer: crowds of instances, one drawing a mesh and sheet, values and seeds as rows of a texture."""

import time
from collections import OrderedDict
from collections.abc import Callable, Iterator, Sequence
from copy import copy
from dataclasses import dataclass
from typing import Any

import numpy as np

from even_palette.core.arrays import Bools, Floats, Levels, Samples
from even_palette.core.graph.binding import TIME, texture_name, uniform_name
from even_palette.core.graph.program import Program, program_of
from even_palette.core.graph.slots import MOST_UNITS
from even_palette.core.graph.slots import of as slot_of
from even_palette.core.material.drawn import Way
from even_palette.core.material.outputs import ALPHA
from even_palette.core.mesh.model import Mesh, distinct_rows
from even_palette.core.mesh.view import Orbit
from even_palette.core.raster.sampling import Sampler
from even_palette.core.results.crowd import Crowd, CrowdPart, Standing
from even_palette.core.results.pictures import Drawing
from even_palette.gl.buffers import Buffers, Flying
from even_palette.gl.draw import QUAD_VERTEX, BoundTexture, compile_program, draw_quad, read
from even_palette.gl.layers import Layers
from even_palette.gl.model_view import LEAST_PICKED, MOST_SMOOTH_FACES, SMOOTH_SAMPLES, Light
from even_palette.gl.programs import Programs
from even_palette.gl.strand_shader import shading_uniforms
from even_palette.gl.surface_shader import (
    CROWD_VERTEX,
    FRONT,
    INSTANCE,
    LAYER,
    PICKED,
    PICKING,
    RELIEF,
    SOLID,
    SURFACE,
    background,
    fragment,
)
from even_palette.gl.textures import Samplers, Textures

MOST_ROWS = 8192
"""Rows of a texture that every driver has; more instances are drawn in several goes."""
MOST_MESHES, MOST_TABLES = 64, 128
IN_SURROUND = Sampler(mips=False)
FACES_A_GO, FACES_AT_ONCE = 10_000, 1 << 31
MOST_SMOOTH_IN_SOFTWARE = 60_000
GO_S = 0.012
"""So long a drawing goes on before the window is asked what else there is to do."""
STANDS = np.dtype([("stands", "f4", 4), ("turned", "f4", 2), ("row", "i4")])


STANDING = (("stands", "4f", "16x"), ("turned", "2f", "8x"), ("row", "1i", "4x"))
"""How each is read from them, and passed over."""


@dataclass
class _Table:
    """Rows of values on the graphics card, and what they hold."""

    texture: Any
    values: Floats


class Growing:
    """A drawing that is made in steps, whenever it is asked whether it is done; then it is under way like others."""

    def __init__(self, into: Any, steps: Iterator[None], fly: Callable[[], Flying]) -> None:
        self._into, self._steps, self._fly = into, steps, fly
        self._flying: Flying | None = None
        self._dropped = False

    def done(self, wait_s: float = 0.0) -> bool:
        """Whether it is drawn; as many steps are made as fit into a moment."""
        self._go_on(time.monotonic() + GO_S)
        return self._flying is not None and self._flying.done(wait_s)

    def _go_on(self, until: float) -> None:
        while self._flying is None and not self._dropped:
            self._into.use()
            if next(self._steps, self) is self:
                self._flying = self._fly()
            elif time.monotonic() > until:
                return

    @property
    def pixels(self) -> Levels:
        """What was drawn, (height, width, 4) uint8; all steps that are left are made now."""
        self._go_on(float("inf"))
        assert self._flying is not None
        return self._flying.pixels

    def drop(self) -> None:
        """Nobody wants it any more."""
        self._dropped = True
        if self._flying is not None:
            self._flying.drop()


class CrowdRenderer:
    """Keeps programs, meshes and tables. Lives on the thread of the context.

    `drawings` and `rows_taken` count what the last picture took: calls that draw, and rows that were handed over.
    """

    def __init__(self, context: Any, textures: Textures, in_software: bool = False) -> None:
        """Where OpenGL is done by the processor, crowds are drawn in small goes, and edges of few are smoothed."""
        self._context, self._textures = context, textures
        self._faces_a_go = FACES_A_GO if in_software else FACES_AT_ONCE
        self._most_smooth = MOST_SMOOTH_IN_SOFTWARE if in_software else MOST_SMOOTH_FACES
        units = len(RELIEF) + 1
        most = max(MOST_UNITS, context.info["GL_MAX_TEXTURE_IMAGE_UNITS"])
        self._programs: dict[bool, Programs] = {}
        self._layer_programs: dict[bool, Programs] = {}
        self._skies: dict[bool, Any] = {}
        for around in (False, True):  # a picture around the scene takes a unit, which is asked of the driver
            room = most if around else MOST_UNITS
            texts = fragment(SOLID, "", True, around), fragment(LAYER, FRONT, True, around)
            self._programs[around], self._layer_programs[around] = (
                Programs(context, CROWD_VERTEX, text, units + more + around, SURFACE, room)
                for more, text in enumerate(texts)
            )
        self._picking_programs = Programs(context, CROWD_VERTEX, fragment(INSTANCE, PICKING, True), units, SURFACE)
        self._picked = compile_program(context, CROWD_VERTEX, PICKED)
        self._layers: Layers | None = None
        self._meshes: OrderedDict[str, tuple[Any, Any]] = OrderedDict()
        self._tables: OrderedDict[tuple[str, int, int], _Table] = OrderedDict()
        self._samplers = Samplers(context)
        self._exact = context.sampler(filter=(context.NEAREST, context.NEAREST))
        self._buffers, self._pick_buffers = Buffers(context), Buffers(context)
        self._in_sight: dict[str, tuple[Standing, object, Bools]] = {}
        self.drawings = self.rows_taken = 0

    def beside(self) -> "CrowdRenderer":
        """One that shares programs and meshes with this, and draws while this draws; it is let go by `leave`."""
        made = copy(self)
        made._layers, made._tables, made._in_sight = None, OrderedDict(), {}
        made._buffers, made._pick_buffers = Buffers(self._context), Buffers(self._context)
        return made

    def leave(self) -> None:
        """Free what it shares with no other."""
        for held in (self._buffers, self._pick_buffers):
            held.release()
        if self._layers is not None:
            self._layers.release()
            self._layers = None
        for table in self._tables.values():
            table.texture.release()
        self._tables.clear()

    def render(
        self, crowds: Sequence[Crowd], orbit: Orbit, width: int, height: int, light: Light, moment: float = 0.0
    ) -> Drawing:
        """Crowds, encoded, straight alpha 0 beside them, as a drawing under way; those out of sight are left out."""
        self.drawings = self.rows_taken = 0
        aspect = width / height
        seen = [self._seen_in(crowd, orbit, aspect) for crowd in crowds]
        faces = sum(
            int(shown.sum()) * part.mesh.face_count
            for crowd, shown in zip(crowds, seen, strict=True)
            for part in crowd.parts
        )
        smooth = light.smooth and faces <= self._most_smooth
        any_blended = any(_is_blended(part) for crowd in crowds for part in crowd.parts)
        samples = SMOOTH_SAMPLES if smooth and not any_blended else 0
        drawn = self._buffers.of(width, height, samples)
        around = self._around(light)

        def draw(blended: bool, front: BoundTexture | None = None) -> Iterator[None]:
            programs = (self._programs if front is None else self._layer_programs)[around is not None]
            for crowd, shown in zip(crowds, seen, strict=True):
                for number, part in enumerate(crowd.parts):
                    if _is_blended(part) != blended:
                        continue
                    used = part.picture.program if light.lit else part.picture.seen
                    bound = [each for each in (front, around) if each is not None]
                    for name, slot in zip(RELIEF, part.relief, strict=True):
                        if slot is not None and light.lit and name.removeprefix("map_") not in used.outputs:
                            bound.append(BoundTexture(name, self._textures.of(slot), self._samplers.of(slot.sampler)))
                    uniforms = {
                        **light.uniforms,
                        **shading_uniforms(part.shaded),
                        "eye": orbit.eye(),
                        "view_texels": (0.0, 0.0),
                        "has_map": tuple(slot is not None and light.lit for slot in part.relief),
                        TIME: moment,
                    }
                    self._textures.begin()
                    program = programs.of(used, part.rows)
                    yield from self._draw(crowd, number, shown, used, program, bound, orbit, aspect, uniforms)

        def fly() -> Flying:
            return self._buffers.fly(width, height, samples, upwards=True)

        def solid() -> None:
            self._draw_sky(self._context.fbo, orbit, light, around)
            _all(draw(False))

        if any_blended:
            self._layers = self._layers or Layers(self._context)
            self._layers.draw(width, height, smooth, solid, lambda front: _all(draw(True, front)), drawn)
            return fly()
        drawn.use()
        drawn.clear(0, 0, 0, 0, depth=1.0)
        self._draw_sky(drawn, orbit, light, around)
        return Growing(drawn, draw(False), fly)

    def _seen_in(self, crowd: Crowd, orbit: Orbit, aspect: float) -> Bools:
        """Which instances may be in sight; looked for once while neither they nor the view move."""
        known = self._in_sight.get(crowd.mesh)
        if known is None or known[0] is not crowd.standing or known[1] != (orbit, aspect, crowd.box.tobytes()):
            known = crowd.standing, (orbit, aspect, crowd.box.tobytes()), seen_in(crowd, orbit, aspect)
            self._in_sight[crowd.mesh] = known
        return known[2]

    def _around(self, light: Light) -> BoundTexture | None:
        """The picture around, where the light has one."""
        if not light.lit or light.outdoors is None or light.outdoors.surround is None:
            return None
        slot = slot_of(light.outdoors.surround, IN_SURROUND)
        return BoundTexture("surround", self._textures.of(slot), self._samplers.of(slot.sampler))

    def _draw_sky(self, drawn: Any, orbit: Orbit, light: Light, around: BoundTexture | None) -> None:
        """The sky behind all, or the picture around, where the light has one that is seen."""
        if light.outdoors is None or not light.outdoors.sky_behind or not light.lit:
            return
        self._context.enable_only(self._context.NOTHING)
        width, height = drawn.size
        back = np.linalg.inv(orbit.matrix(width / height).astype(np.float64))
        uniforms = {**light.uniforms, "eye": orbit.eye(), "size": (float(width), float(height)),
                    "from_clip": tuple(back.T.ravel().tolist())}  # fmt: skip
        if (is_picture := around is not None) not in self._skies:
            self._skies[is_picture] = compile_program(self._context, QUAD_VERTEX, background(is_picture))
        sky = self._skies[is_picture]
        known = {name: value for name, value in uniforms.items() if name in sky}
        draw_quad(self._context, drawn, sky, [around] if around else [], known, clear=False)  # type: ignore[arg-type]

    def instances(self, crowds: Sequence[Crowd], orbit: Orbit, width: int, height: int) -> Samples:
        """The instance that each pixel shows, (height, width) int32: crowds count on; -1 for none."""
        drawn = self._pick_buffers.of(width, height)
        drawn.use()
        drawn.clear(0, 0, 0, 0, depth=1.0)
        first = 0
        for crowd in crowds:
            shown = self._seen_in(crowd, orbit, width / height)
            for number, part in enumerate(crowd.parts):
                cut = ALPHA in part.picture.outputs
                used = program_of({ALPHA: part.picture.outputs[ALPHA]}) if cut else None
                program = self._picking_programs.of(used, part.rows) if used is not None else self._picked
                least = LEAST_PICKED.get(part.drawing.way, 0.5)
                uniforms: dict[str, object] = {"first_instance": first, "least": least}
                self._textures.begin()
                _all(self._draw(crowd, number, shown, used, program, [], orbit, width / height, uniforms))
            first += len(crowd.picks)
        pixels = read(drawn)[::-1].astype(np.int32)
        return np.asarray(pixels[..., 0] + (pixels[..., 1] << 8) + (pixels[..., 2] << 16) + (pixels[..., 3] << 24) - 1)

    def _draw(
        self,
        crowd: Crowd,
        number: int,
        shown: Bools,
        used: Program | None,
        program: Any,
        bound: list[BoundTexture],
        orbit: Orbit,
        aspect: float,
        uniforms: dict[str, object],
    ) -> Iterator[None]:
        """Draw a part of a crowd, in goes of so many faces as may be drawn at a time."""
        part, context = crowd.parts[number], self._context
        flags = context.DEPTH_TEST | (context.CULL_FACE if part.drawing.one_sided else 0)
        most = max(1, self._faces_a_go // part.mesh.face_count)
        if used is not None:
            for name in used.slots:
                slot = part.picture.slots[name]
                bound.append(BoundTexture(texture_name(name), self._textures.of(slot), self._samplers.of(slot.sampler)))
            shared = {name: value for name, value in part.picture.inputs.items() if name not in part.rows.places}
            uniforms |= {uniform_name(name): value for name, value in shared.items()}
        for first in range(0, len(crowd.stands), MOST_ROWS):
            here = np.flatnonzero(shown[first : first + MOST_ROWS])
            textures = list(bound)
            if part.rows.texture in program and len(here):
                table = self._table(crowd.mesh, number, first, part.table[first : first + MOST_ROWS])
                textures.append(BoundTexture(part.rows.texture, table, self._exact))
            unbound = [name for name in RELIEF if name in program and name not in [each.name for each in textures]]
            matrix = tuple(orbit.matrix(aspect).T.ravel().tolist())
            for at in range(0, len(here), most):
                chosen = here[at : at + most]
                context.enable_only(flags)  # others may have drawn since the last go
                for unit, each in enumerate(textures):
                    each.use(program, unit)
                for unit, name in enumerate(unbound, len(textures)):
                    program[name] = unit  # samplers of different kinds must not share a unit
                for name, value in {**uniforms, "to_clip": matrix}.items():
                    if name in program:
                        program[name] = value
                if "first_instance" in program:
                    program["first_instance"] = int(uniforms["first_instance"]) + first  # type: ignore[call-overload]
                self._render(program, part.mesh, crowd.stands[first : first + MOST_ROWS][chosen], chosen)
                for unit, each in enumerate(textures):
                    each.sampler.clear(unit)
                yield

    def _render(self, program: Any, mesh: Mesh, stands: Floats, rows: Samples) -> None:
        found = np.zeros(len(stands), dtype=STANDS)
        found["stands"], found["row"] = stands[:, :4], rows
        found["turned"] = np.stack([np.cos(stands[:, 4]), np.sin(stands[:, 4])], axis=-1)
        buffer, index = self._vertices(mesh)
        there = self._context.buffer(found.tobytes())
        corner = [name for name in ("place", "normal", "corner_uv") if name in program]
        corner_layout = {("place",): "3f 20x", ("place", "corner_uv"): "3f 12x 2f"}.get(tuple(corner), "3f 3f 2f")
        own = [name for name, _, _ in STANDING if name in program]  # what nothing hangs on, drivers leave out
        layout = " ".join(read if name in program else passed for name, read, passed in STANDING)
        content = [(buffer, corner_layout, *corner), (there, f"{layout}/i", *own)]
        array = self._context.vertex_array(program, content, index)
        array.render(self._context.TRIANGLES, instances=len(found))
        self.drawings += 1
        array.release()
        there.release()

    def _table(self, mesh: str, number: int, first: int, values: Floats) -> Any:
        """The rows of a part as a texture; only rows that are others than before are handed over."""
        key, count, columns = (mesh, number, first), len(values), values.shape[1]
        kept = self._tables.get(key)
        if kept is None or kept.values.shape != values.shape:
            if kept is not None:
                kept.texture.release()
            texture = self._context.texture((columns, count), 4, values.tobytes(), dtype="f4")
            texture.filter = self._context.NEAREST, self._context.NEAREST
            self._tables[key] = _Table(texture, values)
            self.rows_taken += count
        elif kept.values is not values:
            changed = np.flatnonzero((kept.values != values).any(axis=(1, 2)))
            if len(changed):
                low, high = int(changed[0]), int(changed[-1]) + 1
                kept.texture.write(values[low:high].tobytes(), (0, low, columns, high - low))
                self.rows_taken += high - low
            kept.values = values
        self._tables.move_to_end(key)
        while len(self._tables) > MOST_TABLES:
            self._tables.popitem(last=False)[1].texture.release()
        return self._tables[key].texture

    def _vertices(self, mesh: Mesh) -> tuple[Any, Any]:
        """The corners of a mesh and, by three for each face, their numbers."""
        key = mesh.content_id
        if key not in self._meshes:
            parts = [mesh.corners(), mesh.normals, mesh.uv_sets[0]]
            data = np.ascontiguousarray(np.concatenate(parts, axis=-1).reshape(-1, 8), dtype=np.float32)
            first, number = distinct_rows(data.view(np.uint32))  # corners that are alike are worked out once
            index = np.ascontiguousarray(number, dtype=np.uint32)
            self._meshes[key] = self._context.buffer(data[first].tobytes()), self._context.buffer(index.tobytes())
            if len(self._meshes) > MOST_MESHES:
                for buffer in self._meshes.popitem(last=False)[1]:
                    buffer.release()
        self._meshes.move_to_end(key)
        return self._meshes[key]

    def release(self) -> None:
        """Free what the driver holds, but for the textures of planes."""
        self.leave()
        programs = *self._programs.values(), *self._layer_programs.values(), self._picking_programs
        for held in (*programs, self._samplers, self._exact, self._picked, *self._skies.values()):
            held.release()
        self._skies.clear()
        for buffer in [buffer for pair in self._meshes.values() for buffer in pair]:
            buffer.release()
        self._meshes.clear()


def seen_in(crowd: Crowd, orbit: Orbit, aspect: float) -> Bools:
    """Which instances (N,) may be in sight: those whose box does not lie wholly beyond one side of the view."""
    corners = crowd.corners()
    clip = np.concatenate([corners, np.ones((*corners.shape[:2], 1), np.float32)], axis=-1) @ orbit.matrix(aspect).T
    beyond = np.stack([clip[..., :3] > clip[..., 3:], clip[..., :3] < -clip[..., 3:]])
    outside = np.asarray(beyond.all(axis=2))
    return np.asarray(~np.any(outside, axis=(0, 2)))


def _all(steps: Iterator[None]) -> None:
    for _ in steps:
        pass


def _is_blended(part: CrowdPart) -> bool:
    return part.drawing.way == Way.BLENDED and ALPHA in part.picture.outputs
