"""The model pane's renderer: a mesh in the looks of its sheets, flat or lit, and the faces that are seen."""

from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.graph.binding import texture_name, uniform_name
from even_palette.core.graph.program import Program, program_of
from even_palette.core.graph.slots import Slot
from even_palette.core.graph.uniform_work import setup_values
from even_palette.core.limits import MOST_LAMPS
from even_palette.core.lineup.daylight import Lighting
from even_palette.core.material.drawn import OPAQUE, Drawing, Way
from even_palette.core.material.outputs import ALPHA
from even_palette.core.material.shading import AS_SURFACE, Shaded
from even_palette.core.mesh.model import Mesh
from even_palette.core.mesh.view import Orbit, Vector
from even_palette.core.results.pictures import Picture
from even_palette.gl.buffers import Buffers, Flying
from even_palette.gl.draw import BoundTexture, compile_program, read
from even_palette.gl.layers import Layers
from even_palette.gl.programs import Programs
from even_palette.gl.strand_shader import shading_uniforms
from even_palette.gl.surface_shader import FACE, FACES, FRONT, LAYER, PICKING, RELIEF, SOLID, SURFACE, VERTEX, fragment
from even_palette.gl.textures import Samplers, Textures

MOST_MESHES = 16
SMOOTH_SAMPLES = 4
MOST_SMOOTH_FACES = 400_000

LEAST_PICKED = {Way.BLENDED: 0.1}
"""Of what is less seen than that, faces are not picked; without a word a half."""


@dataclass(frozen=True, eq=False)
class Skin:
    """A mesh in a look, with its first UV set.

    `relief` are its sheet's normal, roughness, metalness and occlusion, where they are there. A look that is `data`,
    such as weights or IDs, is never lit. `drawing` is that of its sheet, and so is how it is `shaded`.
    Where the mesh is a part of what lies on the sheet, that is the `whole`.
    """

    mesh: Mesh
    picture: Picture
    relief: tuple[Slot | None, Slot | None, Slot | None, Slot | None] = (None, None, None, None)
    data: bool = False
    drawing: Drawing = OPAQUE
    shaded: Shaded = AS_SURFACE
    whole: Mesh | None = None

    @property
    def is_blended(self) -> bool:
        """Whether what lies behind it shines through."""
        return self.drawing.way == Way.BLENDED and ALPHA in self.picture.outputs


@dataclass(frozen=True)
class Light:
    """Lit or flat, and where the light of the studio comes from (a unit vector in the world), or that of a scene.

    Edges that are not `smooth` cost a quarter on a software rasterizer; that is for views in motion.
    """

    lit: bool = False
    towards: Vector = (0.35, 0.72, 0.60)
    smooth: bool = True
    outdoors: Lighting | None = None

    @property
    def uniforms(self) -> dict[str, object]:
        """What shaders read of it."""
        found: dict[str, object] = {"lit": self.lit, "light": self.towards, "outdoors": self.outdoors is not None}
        if (light := self.outdoors) is None:
            return {**found, "stops": 0.0, "rolls_off": False}
        lamps = [*light.lamps, *[((0.0,) * 3, (0.0,) * 3)] * (MOST_LAMPS - len(light.lamps))]
        return {
            **found, "light": light.towards, "sun": light.sun, "sky_up": light.up, "sky_side": light.side,
            "ground": light.ground, "lamp_count": len(light.lamps), "lamp_place": [place for place, _ in lamps],
            "lamp_light": [given for _, given in lamps], "stops": light.stops, "rolls_off": light.rolls_off,
            "turned": light.turned,
        }  # fmt: skip


class ModelRenderer:
    """Keeps programs by expression and meshes by content. Lives on the thread of the context."""

    def __init__(self, context: Any, textures: Textures) -> None:
        self._context, self._textures = context, textures
        self._programs = Programs(context, VERTEX, fragment(SOLID), len(RELIEF), SURFACE)
        layer, face = fragment(LAYER, FRONT), fragment(FACE, PICKING)
        self._layer_programs = Programs(context, VERTEX, layer, len(RELIEF) + 1, SURFACE)
        self._face_programs = Programs(context, VERTEX, face, len(RELIEF), SURFACE)
        self._layers: Layers | None = None
        self._meshes: OrderedDict[str, tuple[Any, int]] = OrderedDict()
        self._faces = compile_program(context, VERTEX, FACES)
        self._samplers = Samplers(context)
        self._buffers, self._face_buffers = Buffers(context), Buffers(context)

    def render(
        self, skins: Sequence[Skin], orbit: Orbit, width: int, height: int, light: Light, filtered: bool = True
    ) -> Flying:
        """The meshes in their looks, encoded, straight alpha 0 beside them, as a drawing under way."""
        smooth = light.smooth and sum(skin.mesh.face_count for skin in skins) <= MOST_SMOOTH_FACES
        blended = [skin for skin in skins if skin.is_blended]
        others = [skin for skin in skins if not skin.is_blended]
        samples = SMOOTH_SAMPLES if smooth and not blended else 0
        drawn = self._buffers.of(width, height, samples)

        def draw(some: Sequence[Skin], front: BoundTexture | None = None) -> None:
            self._draw_skins(some, orbit, width / height, light, filtered, front)

        if blended:
            self._layers = self._layers or Layers(self._context)
            self._layers.draw(width, height, smooth, lambda: draw(others), lambda front: draw(blended, front), drawn)
        else:
            drawn.use()
            drawn.clear(0, 0, 0, 0, depth=1.0)
            draw(others)
        return self._buffers.fly(width, height, samples, upwards=True)

    def _draw_skins(
        self,
        skins: Sequence[Skin],
        orbit: Orbit,
        aspect: float,
        light: Light,
        filtered: bool,
        front: BoundTexture | None,
    ) -> None:
        """Draw skins into the buffer in use; behind a front layer, if there is one, as the next layer."""
        for skin in skins:
            self._context.enable_only(
                self._context.DEPTH_TEST | (self._context.CULL_FACE if skin.drawing.one_sided else 0)
            )
            used = skin.picture.program if light.lit else skin.picture.seen
            programs = self._programs if front is None else self._layer_programs
            bound = [] if front is None else [front]
            for name, relief in zip(RELIEF, skin.relief, strict=True):
                if relief is not None and light.lit and name.removeprefix("map_") not in used.outputs:
                    bound.append(BoundTexture(name, self._textures.of(relief), self._samplers.of(relief.sampler)))
            width_px, height_px = skin.picture.finest
            uniforms = {
                **light.uniforms,
                **shading_uniforms(skin.shaded),
                "lit": light.lit and not skin.data,
                "eye": orbit.eye(),
                "view_texels": (0.0, 0.0) if filtered else (float(width_px), float(height_px)),
                "has_map": tuple(slot is not None and light.lit for slot in skin.relief),
            }
            self._textures.begin()
            self._draw_skin(skin, skin.mesh, used, programs.of(used), bound, orbit, aspect, uniforms)

    def _draw_skin(
        self,
        skin: Skin,
        mesh: Mesh,
        used: Program,
        program: Any,
        bound: list[BoundTexture],
        orbit: Orbit,
        aspect: float,
        uniforms: dict[str, object],
    ) -> None:
        """Draw a mesh by a program of a skin's picture."""
        for name in used.slots:
            slot = skin.picture.slots[name]
            bound.append(BoundTexture(texture_name(name), self._textures.of(slot), self._samplers.of(slot.sampler)))
        for unit, each in enumerate(bound):
            each.use(program, unit)
        unbound = [name for name in RELIEF if name in program and name not in [each.name for each in bound]]
        for unit, name in enumerate(unbound, len(bound)):
            program[name] = unit  # samplers of different kinds must not share a unit (OpenGL 4.6, section 11.1.3.11)
        inputs = {name: value for name, value in skin.picture.inputs.items() if name in used.parameters}
        uniforms = {
            **uniforms,
            **{uniform_name(name): value for name, value in inputs.items()},
            **setup_values(used, skin.picture.inputs),
            "instance_seed": skin.picture.seed,
            "time": skin.picture.time,
        }
        self._draw(program, mesh, orbit, aspect, uniforms)
        for unit, each in enumerate(bound):
            each.sampler.clear(unit)

    def faces(self, skins: Sequence[Skin], orbit: Orbit, width: int, height: int) -> Samples:
        """The number of the face that each pixel shows, (height, width) int32, -1 for none; skins count on.

        Parts of one whole count as that does, and have holes where the first of them has. What lies behind is seen
        through those.
        """
        drawn = self._face_buffers.of(width, height)
        drawn.use()
        drawn.clear(0, 0, 0, 0, depth=1.0)
        self._context.enable_only(self._context.DEPTH_TEST)
        first, wholes = 0, dict[Mesh, Skin]()
        for skin in skins:
            wholes.setdefault(skin.whole or skin.mesh, skin)
        for mesh, skin in wholes.items():
            if ALPHA in skin.picture.outputs:
                used = program_of({ALPHA: skin.picture.outputs[ALPHA]})
                uniforms: dict[str, object] = {"first_face": first, "least": LEAST_PICKED.get(skin.drawing.way, 0.5)}
                self._textures.begin()
                self._draw_skin(skin, mesh, used, self._face_programs.of(used), [], orbit, width / height, uniforms)
            else:
                self._draw(self._faces, mesh, orbit, width / height, {"first_face": first})
            first += mesh.face_count
        pixels = read(drawn)[::-1].astype(np.int32)
        return np.asarray(pixels[..., 0] + (pixels[..., 1] << 8) + (pixels[..., 2] << 16) + (pixels[..., 3] << 24) - 1)

    def release(self) -> None:
        """Free what the driver holds, but for the textures."""
        programs = self._programs, self._layer_programs, self._face_programs
        for held in (self._buffers, self._face_buffers, *programs, self._samplers):
            held.release()
        if self._layers is not None:
            self._layers.release()
            self._layers = None
        for buffer, _ in self._meshes.values():
            buffer.release()
        self._meshes.clear()
        self._faces.release()

    def _draw(self, program: Any, mesh: Mesh, orbit: Orbit, aspect: float, uniforms: dict[str, object]) -> None:
        buffer, count = self._vertices(mesh)
        for name, value in {**uniforms, "to_clip": tuple(orbit.matrix(aspect).T.ravel().tolist())}.items():
            if name in program:
                program[name] = value
        names = [name for name in ("place", "normal", "corner_uv") if name in program]
        layout = {("place",): "3f 20x", ("place", "normal"): "3f 3f 8x", ("place", "corner_uv"): "3f 12x 2f"}
        array = self._context.vertex_array(program, [(buffer, layout.get(tuple(names), "3f 3f 2f"), *names)])
        array.render(self._context.TRIANGLES, vertices=count)
        array.release()

    def _vertices(self, mesh: Mesh) -> tuple[Any, int]:
        key = mesh.content_id
        if key not in self._meshes:
            parts = [mesh.corners(), mesh.normals, mesh.uv_sets[0]]
            data = np.ascontiguousarray(np.concatenate(parts, axis=-1).reshape(-1, 8), dtype=np.float32)
            self._meshes[key] = (self._context.buffer(data.tobytes()), len(data))
            if len(self._meshes) > MOST_MESHES:
                self._meshes.popitem(last=False)[1][0].release()
        self._meshes.move_to_end(key)
        return self._meshes[key]
