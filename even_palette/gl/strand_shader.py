"""The part of the mesh shaders that lights strands and leaves: the formulas of `core/material/shading`."""

import math

from even_palette.core.material.build import linear_light
from even_palette.core.material.shading import LIT_FROM_BEHIND, Shaded, Shading

NUMBERS = {Shading.SURFACE: 0, Shading.STRANDS: 1, Shading.LEAVES: 2}

STRANDS = """\
uniform int shading;
uniform bool strands_across;
uniform vec2 strand_shifts;
uniform vec2 strand_widths;
uniform vec3 first_tint;
uniform vec3 second_tint;
uniform float strand_broken;
uniform float through;
// The way in which v of the sheet runs over the mesh, or u; dPdv of P(x, y) and uv(x, y) on the screen.
vec3 strand_along(vec3 n) {
    vec3 px = dFdx(v_place), py = dFdy(v_place);
    vec2 tx = dFdx(v_even_uv), ty = dFdy(v_even_uv);
    float turned = tx.x * ty.y - tx.y * ty.x;
    vec3 way = (strands_across ? px * ty.y - py * tx.y : py * tx.x - px * ty.x) * sign(turned);
    way -= n * dot(n, way);
    return way * inversesqrt(max(dot(way, way), 1e-20));
}
vec3 strand_light(vec3 n, vec3 t, vec3 v, vec3 to, vec3 base, float shift) {
    float tl = clamp(dot(t, to), -1.0, 1.0), tv = clamp(dot(t, v), -1.0, 1.0), nl = dot(n, to);
    float halfway = 0.5 * (asin(tl) + asin(tv));
    float wrapped = clamp(BEHIND + (1.0 - BEHIND) * nl, 0.0, 1.0);
    vec3 found = base * (sqrt(1.0 - tl * tl) * wrapped * (1.0 - through) + through * max(-nl, 0.0));
    vec2 away = halfway - strand_shifts - strand_broken * (2.0 * shift - 1.0);
    vec2 lobes = exp(-away * away / (2.0 * strand_widths * strand_widths)) * wrapped;
    return found + first_tint * lobes.x + second_tint * base * lobes.y;
}
""".replace("BEHIND", f"{LIT_FROM_BEHIND}")


def shading_uniforms(shaded: Shaded) -> dict[str, object]:
    """What shaders read of how a sheet is lit."""
    found: dict[str, object] = {"shading": NUMBERS[shaded.kind], "through": shaded.through}
    if shaded.kind != Shading.STRANDS:
        return found
    both = (shaded.first, shaded.second)
    first, second = (linear_light(each.tint, each.strength) for each in both)
    return {
        **found, "strands_across": shaded.across, "strand_broken": math.radians(shaded.broken),
        "strand_shifts": tuple(math.radians(each.shift) for each in both),
        "strand_widths": tuple(math.radians(each.width) for each in both),
        "first_tint": first, "second_tint": second,
    }  # fmt: skip
