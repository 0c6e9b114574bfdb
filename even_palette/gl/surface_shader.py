"""The shaders that draw meshes in their looks: one mesh, or a crowd of instances; flat, lit, in layers, or picked."""

from even_palette.core.lineup.surround import ATLAS, BORDER, ROUGHNESS, SHARP, SMALL
from even_palette.gl.srgb_text import DECODED, ENCODED
from even_palette.gl.strand_shader import STRANDS

SURFACE = ("normal", "roughness", "metalness", "occlusion")
RELIEF = tuple(f"map_{name}" for name in SURFACE)
"""Maps of what a lit view needs, where the material does not give it."""

VERTEX = """\
#version 330
uniform mat4 to_clip;
in vec3 place;
in vec3 normal;
in vec2 corner_uv;
out vec3 v_place;
out vec3 v_normal;
centroid out vec2 v_uv;  // samples outside of a face would take the paint beside its island
out vec2 v_even_uv;  // how uv goes on is seen in this alone: the other jumps at edges
void main() {
    v_place = place;
    v_normal = normal;
    v_uv = v_even_uv = corner_uv;
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

CROWD_VERTEX = """\
#version 330
uniform mat4 to_clip;
in vec3 place;
in vec3 normal;
in vec2 corner_uv;
in vec4 stands;  // where an instance stands, and its scale
in vec2 turned;  // cosine and sine of its turn about the upright axis
in int row;
out vec3 v_place;
out vec3 v_normal;
centroid out vec2 v_uv;
out vec2 v_even_uv;
flat out int v_instance;
vec3 turn(vec3 p) { return vec3(turned.x * p.x + turned.y * p.z, p.y, turned.x * p.z - turned.y * p.x); }
void main() {
    v_place = turn(place * stands.w) + stands.xyz;
    v_normal = turn(normal);
    v_uv = v_even_uv = corner_uv;
    v_instance = row;
    gl_Position = to_clip * vec4(v_place, 1.0);
}
"""

PICKED = """\
#version 330
uniform int first_instance;
flat in int v_instance;
out vec4 out_colour;
void main() {
    int number = v_instance + first_instance + 1;
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
uniform bool outdoors;
uniform vec3 sun;
uniform vec3 sky_up;
uniform vec3 sky_side;
uniform vec3 ground;
uniform int lamp_count;
uniform vec3 lamp_place[4];
uniform vec3 lamp_light[4];
uniform float stops;
uniform bool rolls_off;
uniform bvec4 has_map;
uniform sampler2D map_normal;
uniform sampler2D map_roughness;
uniform sampler2D map_metalness;
uniform sampler2D map_occlusion;
FRONT
INSTANCE_IN
in vec3 v_place;
in vec3 v_normal;
centroid in vec2 v_uv;
in vec2 v_even_uv;
out vec4 out_colour;
{uniforms}
{helpers}
struct Surface {{
    vec3 shown, emission, bump;
    float metalness, roughness, clear_coat, occlusion, alpha, strand_shift;
    bool is_bent;
}};
Surface surface(vec2 uv) {{
INSTANCE
    vec4 pixel = vec4(dFdx(v_uv), dFdy(v_uv));
    vec2 screen = floor(gl_FragCoord.xy);
    vec3 shown = vec3(0.0), colour, emission = vec3(0.0), normal = vec3(0.5, 0.5, 1.0);
    float metalness = 0.0, roughness = 0.6, clear_coat = 0.0, occlusion = 1.0, opacity = 1.0, alpha = 1.0;
    bool has_emission = false, has_metalness = false, has_roughness = false, has_clear_coat = false;
    bool has_occlusion = false, has_opacity = false, has_alpha = false, has_normal = false;
    bool has_height = false, has_strand_shift = false;
    float height = 0.5, strand_shift = 0.5;
{body}
{outputs}
    if (!has_roughness && has_map.y) roughness = texture(map_roughness, v_uv).x;
    if (!has_metalness && has_map.z) metalness = texture(map_metalness, v_uv).x;
    if (!has_occlusion && has_map.w) occlusion = texture(map_occlusion, v_uv).x;
    if (!has_normal && has_map.x) normal = texture(map_normal, v_uv).xyz;
    vec3 bump = normal * 2.0 - 1.0;
    bool is_bent = has_normal || has_map.x;
    return Surface(shown, emission, bump, metalness, roughness, clear_coat, occlusion, alpha, strand_shift, is_bent);
}}
SRGB
vec3 bent(vec3 n, vec3 bump) {{
    vec3 px = dFdx(v_place), py = dFdy(v_place);
    vec2 tx = dFdx(v_even_uv), ty = dFdy(v_even_uv);
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
SKY
TONED
STRANDS
// What a surface gives of light from one side, in units of what a white, rough one that faces it gives.
vec3 given(vec3 n, vec3 v, vec3 to, vec3 body, vec3 f0, float rough) {{
    float nv = max(dot(n, v), 1e-3), nl = max(dot(n, to), 0.0);
    vec3 h = normalize(to + v);
    float a = max(rough * rough, 0.02), nh = max(dot(n, h), 0.0), k = (rough + 1.0) * (rough + 1.0) / 8.0;
    float d = a * a / (3.14159265 * pow(nh * nh * (a * a - 1.0) + 1.0, 2.0));
    float g = 1.0 / ((nl * (1.0 - k) + k) * (nv * (1.0 - k) + k));
    vec3 f = f0 + (1.0 - f0) * pow(1.0 - clamp(dot(v, h), 0.0, 1.0), 5.0);
    return (body * (1.0 - f) + f * d * g * 0.25 * 3.14159265) * nl;
}}
// What a surface gives of the sky, with all that bounces between its facets (Fdez-Aguera 2019): a white one in the same
// light from everywhere gives just that light.
vec3 of_sky(vec3 body, vec3 f0, vec2 ab, vec3 mirrored, vec3 spread) {{
    vec3 once = f0 * ab.x + ab.y, mean = f0 + (1.0 - f0) / 21.0;
    float lost = 1.0 - (ab.x + ab.y);
    vec3 often = once * mean / (1.0 - lost * mean) * lost;
    return once * mirrored + (often + body * (1.0 - once - often)) * spread;
}}
// The same of what the sheet is: a surface, strands, or leaves that light comes through.
vec3 lit_by(vec3 n, vec3 t, vec3 v, vec3 to, vec3 base, vec3 body, vec3 f0, Surface s) {{
    if (shading == 1) return strand_light(n, t, v, to, base, s.strand_shift);
    if (shading == 0) return given(n, v, to, body, f0, s.roughness);
    return given(n, v, to, body * (1.0 - through), f0, s.roughness) + body * through * max(-dot(n, to), 0.0);
}}
// Sun, sky, ground and lamps.
vec3 lit_outdoors(vec3 base, Surface s) {{
    vec3 n = normalize(v_normal);
    vec3 v = normalize(eye - v_place);
    if (dot(n, v) < 0.0) n = -n;
    if (s.is_bent) n = bent(n, s.bump);
    float rough = s.roughness, nv = max(dot(n, v), 1e-3);
    vec3 f0 = mix(vec3(0.04), base, s.metalness), body = base * (1.0 - s.metalness);
    vec4 r = rough * vec4(-1.0, -0.0275, -0.572, 0.022) + vec4(1.0, 0.0425, 1.04, -0.04);
    float e = min(r.x * r.x, exp2(-9.28 * nv)) * r.x + r.y;
    vec2 ab = vec2(-1.04, 1.04) * e + r.zw;
    vec3 t = shading == 1 ? strand_along(n) : vec3(0.0);
    vec3 mirrored = sky(reflect(-v, n), rough), spread = spread_of(n);
    if (shading != 0) spread = mix(spread, spread_of(-n), through);
    vec3 paint = of_sky(base, vec3(0.04), ab, mirrored, spread), metal = of_sky(vec3(0.0), base, ab, mirrored, spread);
    vec3 found = shading == 1 ? base * spread * s.occlusion : mix(paint, metal, s.metalness) * s.occlusion;
    found += sun * lit_by(n, t, v, light, base, body, f0, s);
    for (int i = 0; i < lamp_count; i++) {{
        vec3 to = lamp_place[i] - v_place;
        found += lamp_light[i] / max(dot(to, to), 0.01) * lit_by(n, t, v, normalize(to), base, body, f0, s);
    }}
    float varnish = s.clear_coat * (0.04 + 0.96 * pow(max(1.0 - nv, 0.0), 5.0));
    found = mix(found, s.occlusion * sky(reflect(-v, n), 0.05), varnish);
    found += s.clear_coat * sun * given(n, v, light, vec3(0.0), vec3(0.04), 0.1);
    return found + s.emission;
}}
vec3 shaded(vec3 base, Surface s) {{
    if (outdoors) return toned(lit_outdoors(base, s));
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
    vec3 f = f0 + (1.0 - f0) * pow(1.0 - clamp(dot(v, h), 0.0, 1.0), 5.0);
    vec3 direct = (body * (1.0 - f) + f * d * g * 0.25 * 3.14159265) * nl * 0.75;
    if (shading != 0) {{
        vec3 t = shading == 1 ? strand_along(n) : vec3(0.0);
        direct = 0.75 * lit_by(n, t, v, light, base, body, f0, s);
    }}
    vec4 r = rough * vec4(-1.0, -0.0275, -0.572, 0.022) + vec4(1.0, 0.0425, 1.04, -0.04);
    float e = min(r.x * r.x, exp2(-9.28 * nv)) * r.x + r.y;
    vec3 mirror = f0 * (-1.04 * e + r.z) + (1.04 * e + r.w);
    float up = shading == 0 ? n.y : n.y * (1.0 - 2.0 * through);
    float sky = mix(0.26, 0.58, 0.5 + 0.5 * up);
    if (shading == 1) return direct + open * base * sky + s.emission;
    vec3 lit_colour = direct + open * (body * sky + mirror * studio(reflect(-v, n), rough));
    // Clear coat: a second, smooth layer of varnish with Fresnel 0.04 (KHR_materials_clearcoat).
    float varnish = s.clear_coat * (0.04 + 0.96 * pow(1.0 - clamp(dot(n, v), 0.0, 1.0), 5.0));
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

SKY = """\
// The sky and the ground below it by direction; a rough surface gathers it from a wide field.
vec3 sky(vec3 d, float wide) {
    float soft = 0.06 + 0.94 * wide;
    vec3 above = mix(sky_side, sky_up, smoothstep(0.0, 1.0, max(d.y, 0.0)));
    vec3 gathered = mix(above, 0.5 * (sky_up + sky_side), wide * 0.35);
    return mix(ground, gathered, smoothstep(-soft, soft, d.y));
}
vec3 spread_of(vec3 n) { return sky(n, 1.0); }
"""

SURROUND = f"""\
// A picture all around (see `core/lineup/surround`): sharp, mirrored by some roughness, or gathered by the cosine.
uniform sampler2D surround;
uniform float turned;
vec3 block(vec3 d, vec2 corner, vec2 size) {{
    float u = fract((atan(-d.x, d.z) - turned) / 6.28318531 + 0.5);
    float v = 0.5 - asin(clamp(d.y, -1.0, 1.0)) / 3.14159265;
    vec2 place = corner + {BORDER}.0 + vec2(u, v) * size;
    return textureLod(surround, place / vec2({ATLAS[1]}.0, {ATLAS[0]}.0), 0.0).rgb;
}}
vec3 gathered_by(vec3 d, float number) {{
    vec2 corner = vec2(number * {SMALL[1] + 2 * BORDER}.0, {SHARP[0] + 2 * BORDER}.0);
    return block(d, corner, vec2({SMALL[1]}.0, {SMALL[0]}.0));
}}
vec3 sky(vec3 d, float wide) {{
    float at = clamp(wide, 0.0, 1.0) / {ROUGHNESS[0]}, low = min(floor(at), {len(ROUGHNESS) - 1}.0);
    vec3 one = low < 0.5 ? block(d, vec2(0.0), vec2({SHARP[1]}.0, {SHARP[0]}.0)) : gathered_by(d, low - 1.0);
    return at <= low ? one : mix(one, gathered_by(d, low), at - low);
}}
vec3 spread_of(vec3 n) {{ return gathered_by(n, {len(ROUGHNESS)}.0); }}
"""

TONED = """\
// Exposure, then what is too bright rolled off: Khronos PBR Neutral (2024), which keeps what is below 0.8 as it is.
vec3 toned(vec3 colour) {
    colour *= exp2(stops);
    if (!rolls_off) return colour;
    float low = min(colour.r, min(colour.g, colour.b));
    float offset = low < 0.08 ? low - 6.25 * low * low : 0.04;
    colour -= offset;
    float peak = max(colour.r, max(colour.g, colour.b));
    if (peak < 0.76) return colour;
    float d = 0.24, fresh = 1.0 - d * d / (peak + d - 0.76);
    colour *= fresh / peak;
    float g = 1.0 - 1.0 / (0.15 * (peak - fresh) + 1.0);
    return mix(colour, vec3(fresh), g);
}
"""

BACKGROUND = """\
#version 330
uniform mat4 from_clip;
uniform vec3 eye;
uniform vec2 size;
uniform vec3 light;
uniform vec3 sun;
uniform vec3 sky_up;
uniform vec3 sky_side;
uniform vec3 ground;
uniform float stops;
uniform bool rolls_off;
out vec4 out_colour;
ENCODED
SKY
TONED
void main() {
    vec4 far = from_clip * vec4(gl_FragCoord.xy / size * 2.0 - 1.0, 1.0, 1.0);
    vec3 d = normalize(far.xyz / far.w - eye);
    vec3 seen = sky(d, 0.0) + sun * smoothstep(0.9995, 0.9998, dot(d, light)) * 4.0;
    out_colour = vec4(encoded(toned(seen)), 1.0);
}
""".replace("TONED", TONED).replace("ENCODED\n", ENCODED)

INSTANCE = """\
    int number = first_instance + v_instance + 1;
    if (s.alpha < least) discard;
    out_colour = vec4(number & 255, number >> 8 & 255, number >> 16 & 255, number >> 24 & 255) / 255.0;"""

FRONT, PICKING = (
    "uniform sampler2D front;",
    "uniform int first_face;\nuniform int first_instance;\nuniform float least;",
)
"""What layers, and what picks, read beside."""


def background(surround: bool) -> str:
    """The text of what is seen behind all: the sky, or the picture around."""
    return BACKGROUND.replace("SKY", SURROUND if surround else SKY)


def fragment(ending: str, uniforms: str = "", in_crowd: bool = False, surround: bool = False) -> str:
    """The text that a program is written into (see `Programs`), with its ending and the uniforms that this reads.

    Light from all around is that of the sky, or of a picture that takes a texture unit.
    """
    text, around = FRAGMENT, SURROUND if surround else SKY
    for name, part in (("SRGB\n", DECODED + ENCODED), ("SKY", around), ("TONED", TONED), ("STRANDS", STRANDS)):
        text = text.replace(name, part.replace("{", "{{").replace("}", "}}"))
    text = text.replace("FRONT", uniforms).replace("ENDING", ending)
    text = text.replace("INSTANCE_IN", "flat in int v_instance;" if in_crowd else "")
    return text.replace("INSTANCE", "    int instance = v_instance;" if in_crowd else "")
