"""Playing a package's shader through OpenGL, as an engine would include it."""

import numpy as np

from even_palette.core.arrays import Levels
from even_palette.core.errors import UserError
from even_palette.core.graph.types import Type
from even_palette.core.material.outputs import ALPHA, LIGHT
from even_palette.core.ship.package import SETUP, SETUP_FUNCTION, VERTEX_STAGE
from even_palette.gl.context import offscreen_context
from even_palette.gl.draw import BoundTexture, compile_program, draw_quad, read
from even_palette.gl.textures import Samplers, Textures
from even_palette.player.load import Loaded, values_of

VERTEX = """\
#version 330
in vec2 corner;
out vec2 v_uv;
%s
void main() {
    v_uv = corner * 0.5 + 0.5;
    %s
    gl_Position = vec4(corner, 0.0, 1.0);
}
"""

FRAGMENT = """\
#version 330
in vec2 v_uv;
out vec4 out_colour;
%s
%s
void main() {
    vec3 linear = clamp(%s, 0.0, 1.0);
    float alpha = %s;
#if %d
    out_colour = vec4(linear, alpha);
#else
    vec3 curve = 1.055 * pow(max(linear, vec3(0.0031308)), vec3(1.0 / 2.4)) - 0.055;
    out_colour = vec4(mix(linear * 12.92, curve, step(vec3(0.0031308), linear)), alpha);
#endif
}
"""


def play_opengl(
    loaded: Loaded,
    variant: str,
    width: int,
    height: int,
    output: str = "colour",
    time: float = 0.0,
    seed: float = 0.0,
    twin: str = "",
) -> Levels:
    """Render an output of the sheet: (height, width, 3) uint8; light is encoded, numbers are grey. Colour of a sheet
    that is not drawn opaque has its alpha as a fourth channel.

    `time` is in seconds, `seed` that of the instance, 0..1; a `twin` of the sheet has values of its own.

    Raises UserError if OpenGL is missing or refuses the shader.
    """
    inputs, wanted = values_of(loaded, variant, twin, time), loaded.output(output)
    names = (loaded.sheet.function, loaded.sheet.surface_function, output)
    if not all(name.isidentifier() for name in names):
        raise UserError("package.json: a shader function or an output has no usable name.")
    before = SETUP in loaded.shader  # what is the same at every texel is worked out at the corners
    surface = f"{loaded.sheet.surface_function}(v_uv{', v_setup' if before else ''})"
    call, alpha = f"{surface}.{output}", f"{surface}.{ALPHA}" if loaded.has_alpha(output) else "1.0"
    if output == "colour" and not before:
        call = f"{loaded.sheet.function}(v_uv)"
    call = call if wanted.type == Type.VEC3 else f"vec3({call})"
    context = offscreen_context()
    given = f"#define {VERTEX_STAGE}\n{loaded.shader}\nflat out {SETUP} v_setup;" if before else ""
    vertex = VERTEX % (given, f"v_setup = {SETUP_FUNCTION}();" if before else "")
    taken = f"flat in {SETUP} v_setup;" if before else ""
    program = compile_program(context, vertex, FRAGMENT % (loaded.shader, taken, call, alpha, output not in LIGHT))
    textures, samplers, kept = [], Samplers(context), Textures(context)
    buffer = context.simple_framebuffer((width, height), 4)
    try:
        uniforms = {entry.slot: entry.uniform for entry in loaded.sheet.maps}
        for slot, uniform in uniforms.items():
            held = loaded.slots[slot]
            textures.append(BoundTexture(uniform, kept.of(held), samplers.of(held.sampler)))
        values = {p.uniform: inputs[p.name] for p in loaded.package.parameters}
        values |= {"time": time, "instance_seed": seed}
        draw_quad(context, buffer, program, textures, values)
        return np.ascontiguousarray(read(buffer)[..., : 4 if loaded.has_alpha(output) else 3])
    finally:
        buffer.release()
        kept.release()
        samplers.release()
        program.release()
