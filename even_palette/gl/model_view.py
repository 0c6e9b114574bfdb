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
from even_palette.core.material.drawn import OPAQUE, Drawing, Way
from even_palette.core.material.outputs import ALPHA
from even_palette.core.mesh.model import Mesh
from even_palette.core.mesh.view import Orbit, Vector
from even_palette.core.results.pictures import Picture
from even_palette.gl.buffers import Buffers, Flying
from even_palette.gl.draw import BoundTexture, compile_program, read
from even_palette.gl.layers import Layers
from even_palette.gl.programs import Programs
from even_palette.gl.textures import Samplers, Textures

MOST_MESHES = 16
SMOOTH_SAMPLES = 4
MOST_SMOOTH_FACES = 400_000

VERTEX = """\
#version 330
uniform mat4 to_clip;
in vec3 place;
in vec3 normal;
in vec2 corner_uv;
out vec3 v_place;
out vec3 v_normal;
centroid out vec2 v_uv;  // samples outside of a face would take the paint beside its island
void main() {
    v_place = place;
    v_normal = normal;
    v_uv = corner_uv;
    gl_Position = to_clip * vec4(place, 1.0);
}
"""

FACES = """\
#version 330
uniform int first_face;
out vec4 out_colour;
void main() {
    int number = gl_PrimitiveID + first_face + 1;
    out_colour = vec4(number & 255, (number >> 8) & 255, (number >> 16) & 255, (number >> 24) & 255) / 255.0;
}
"""

# The studio: a soft box that moves with the light, a dim one behind, a grey sky over a darker floor; all neutral.
# Diffuse by Lambert, highlights by GGX (Walter et al. 2007) with Schlick's Fresnel and the Smith-Schlick visibility;
# the mirrored studio by Karis' fit of the environment term (2014). Normal maps without tangents by Mikkelsen 2010.
FRAGMENT = """\
#version 330
uniform bool lit;
uniform vec3 eye;
uniform vec3 light;
uniform vec2 view_texels;
uniform bvec4 has_map;
uniform sampler2D map_normal;
uniform sampler2D map_roughness;
uniform sampler2D map_metalness;
uniform sampler2D map_occlusion;
FRONT
in vec3 v_place;
in vec3 v_normal;
centroid in vec2 v_uv;
out vec4 out_colour;
{uniforms}
{helpers}
struct Surface {{
    vec3 shown, emission, bump;
    float metalness, roughness, clear_coat, occlusion, alpha;
    bool is_bent;
}};
Surface surface(vec2 uv) {{
    vec4 pixel = vec4(dFdx(v_uv), dFdy(v_uv));
    vec2 screen = floor(gl_FragCoord.xy);
    vec3 shown = vec3(0.0), colour, emission = vec3(0.0), normal = vec3(0.5, 0.5, 1.0);
    float metalness = 0.0, roughness = 0.6, clear_coat = 0.0, occlusion = 1.0, opacity = 1.0, alpha = 1.0;
    bool has_emission = false, has_metalness = false, has_roughness = false, has_clear_coat = false;
    bool has_occlusion = false, has_opacity = false, has_alpha = false, has_normal = false;
    bool has_height = false;
    float height = 0.5;
{body}
{outputs}
    if (!has_roughness && has_map.y) roughness = texture(map_roughness, v_uv).x;
    if (!has_metalness && has_map.z) metalness = texture(map_metalness, v_uv).x;
    if (!has_occlusion && has_map.w) occlusion = texture(map_occlusion, v_uv).x;
    if (!has_normal && has_map.x) normal = texture(map_normal, v_uv).xyz;
    vec3 bump = normal * 2.0 - 1.0;
    bool is_bent = has_normal || has_map.x;
    return Surface(shown, emission, bump, metalness, roughness, clear_coat, occlusion, alpha, is_bent);
}}
vec3 decoded(vec3 c) {{
    return mix(c / 12.92, pow((c + 0.055) / 1.055, vec3(2.4)), step(vec3(0.04045), c));
}}
vec3 encoded(vec3 c) {{
    c = clamp(c, 0.0, 1.0);
    return mix(c * 12.92, 1.055 * pow(max(c, vec3(0.0031308)), vec3(1.0 / 2.4)) - 0.055, step(vec3(0.0031308), c));
}}
vec3 bent(vec3 n, vec3 bump) {{
    vec3 px = dFdx(v_place), py = dFdy(v_place);
    vec2 tx = dFdx(v_uv), ty = dFdy(v_uv);
    vec3 along_u = cross(py, n) * tx.x + cross(n, px) * ty.x;
    vec3 along_v = cross(py, n) * tx.y + cross(n, px) * ty.y;
    float scale = inversesqrt(max(max(dot(along_u, along_u), dot(along_v, along_v)), 1e-20));
    // v of the sheet runs down, the green of the map points up.
    return normalize(along_u * scale * bump.x - along_v * scale * bump.y + n * bump.z);
}}
float studio(vec3 d, float roughness) {{
    float sky = mix(0.30, 0.62, smoothstep(-0.6 - roughness, 0.6 + roughness, d.y));
    float spread = 0.10 + 0.9 * roughness;
    float box = smoothstep(0.82 - spread, 0.90 + 0.5 * spread, dot(d, light));
    float back = smoothstep(0.70 - spread, 0.95 + 0.5 * spread, dot(d, normalize(vec3(-light.x, 0.35, -light.z))));
    return sky + box * mix(2.2, 0.5, roughness) + back * mix(0.7, 0.15, roughness);
}}
vec3 shaded(vec3 base, Surface s) {{
    vec3 n = normalize(v_normal);
    vec3 v = normalize(eye - v_place);
    if (dot(n, v) < 0.0) n = -n;
    if (s.is_bent) n = bent(n, s.bump);
    float rough = s.roughness, metal = s.metalness, open = s.occlusion;
    float nv = max(dot(n, v), 1e-3), nl = max(dot(n, light), 0.0);
    vec3 h = normalize(light + v);
    float a = max(rough * rough, 0.02), nh = max(dot(n, h), 0.0), k = (rough + 1.0) * (rough + 1.0) / 8.0;
    vec3 f0 = mix(vec3(0.04), base, metal), body = base * (1.0 - metal);
    float d = a * a / (3.14159265 * pow(nh * nh * (a * a - 1.0) + 1.0, 2.0));
    float g = 1.0 / ((nl * (1.0 - k) + k) * (nv * (1.0 - k) + k));
    vec3 f = f0 + (1.0 - f0) * pow(1.0 - max(dot(v, h), 0.0), 5.0);
    vec3 direct = (body * (1.0 - f) + f * d * g * 0.25 * 3.14159265) * nl * 0.75;
    vec4 r = rough * vec4(-1.0, -0.0275, -0.572, 0.022) + vec4(1.0, 0.0425, 1.04, -0.04);
    float e = min(r.x * r.x, exp2(-9.28 * nv)) * r.x + r.y;
    vec3 mirror = f0 * (-1.04 * e + r.z) + (1.04 * e + r.w);
    float sky = mix(0.26, 0.58, 0.5 + 0.5 * n.y);
    vec3 lit_colour = direct + open * (body * sky + mirror * studio(reflect(-v, n), rough));
    // Clear coat: a second, smooth layer of varnish with Fresnel 0.04 (KHR_materials_clearcoat).
    float varnish = s.clear_coat * (0.04 + 0.96 * pow(1.0 - max(dot(n, v), 0.0), 5.0));
    return mix(lit_colour, vec3(open * studio(reflect(-v, n), 0.05)), varnish) + s.emission;
}}
void main() {{
    vec2 at = view_texels.x > 0.0 ? (floor(v_uv * view_texels) + 0.5) / view_texels : v_uv;
    Surface s = surface(at);
    vec3 colour = clamp(s.shown, 0.0, 1.0);
ENDING
}}
"""
# Faces beside those that are seen are left out at the end alone: what goes before needs all four pixels of a square.
SOLID = """\
    out_colour = vec4(lit ? encoded(shaded(decoded(colour), s)) : colour, 1.0);
    if (s.alpha < 0.5) discard;"""
LAYER = """\
    vec3 light_seen = decoded(colour);
    out_colour = vec4(lit ? clamp(shaded(light_seen, s), 0.0, 1.0) : light_seen, 1.0) * s.alpha;
    // Depths are kept in 24 bits: what lies no further than their rounding behind the layer before is that layer.
    if (s.alpha <= 0.0 || gl_FragCoord.z <= texelFetch(front, ivec2(gl_FragCoord.xy), 0).r + 1.2e-7) discard;"""

FACE = """\
    int face = first_face + gl_PrimitiveID + 1;
    if (s.alpha < least) discard;
    out_colour = vec4(face & 255, face >> 8 & 255, face >> 16 & 255, face >> 24 & 255) / 255.0;"""
LEAST_PICKED = {Way.BLENDED: 0.1}
"""Of what is less seen than that, faces are not picked; without a word a half."""


@dataclass(frozen=True, eq=False)
class Skin:
    """A mesh in a look, with its first UV set.

    `relief` are its sheet's normal, roughness, metalness and occlusion, where they are there. A look that is `data`,
    such as weights or IDs, is never lit. `drawing` is that of its sheet.
    Where the mesh is a part of what lies on the sheet, that is the `whole`.
    """

    mesh: Mesh
    picture: Picture
    relief: tuple[Slot | None, Slot | None, Slot | None, Slot | None] = (None, None, None, None)
    data: bool = False
    drawing: Drawing = OPAQUE
    whole: Mesh | None = None

    @property
    def is_blended(self) -> bool:
        """Whether what lies behind it shines through."""
        return self.drawing.way == Way.BLENDED and ALPHA in self.picture.outputs


@dataclass(frozen=True)
class Light:
    """Lit or flat, and where the light comes from (a unit vector in the world).

    Edges that are not `smooth` cost a quarter on a software rasterizer; that is for views in motion.
    """

    lit: bool = False
    towards: Vector = (0.35, 0.72, 0.60)
    smooth: bool = True


class ModelRenderer:
    """Keeps programs by expression and meshes by content. Lives on the thread of the context."""

    def __init__(self, context: Any, textures: Textures) -> None:
        self._context, self._textures = context, textures
        solid = FRAGMENT.replace("FRONT", "").replace("ENDING", SOLID)
        layer = FRAGMENT.replace("FRONT", "uniform sampler2D front;").replace("ENDING", LAYER)
        self._programs = Programs(context, VERTEX, solid, len(RELIEF))
        self._layer_programs = Programs(context, VERTEX, layer, len(RELIEF) + 1)
        face = FRAGMENT.replace("FRONT", "uniform int first_face;\nuniform float least;").replace("ENDING", FACE)
        self._face_programs = Programs(context, VERTEX, face, len(RELIEF))
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
                if relief is not None and light.lit:
                    bound.append(BoundTexture(name, self._textures.of(relief), self._samplers.of(relief.sampler)))
            width_px, height_px = skin.picture.finest
            uniforms = {
                "lit": light.lit and not skin.data,
                "eye": orbit.eye(),
                "light": light.towards,
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


RELIEF = ("map_normal", "map_roughness", "map_metalness", "map_occlusion")
