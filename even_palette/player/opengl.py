"""Playing a package's shader through OpenGL, as an engine would include it."""

import numpy as np

from even_palette.core.arrays import Levels
from even_palette.core.errors import UserError
from even_palette.core.ship.package import Filter, Wrap
from even_palette.gl.context import offscreen_context
from even_palette.gl.draw import Draw, compile_program
from even_palette.gl.textures import upload
from even_palette.player.load import Loaded, values_of

VERTEX = """\
#version 330
in vec2 corner;
out vec2 v_uv;
void main() {
    v_uv = corner * 0.5 + 0.5;
    gl_Position = vec4(corner, 0.0, 1.0);
}
"""

FRAGMENT = """\
#version 330
in vec2 v_uv;
out vec4 out_colour;
%s
void main() {
    vec3 linear = clamp(%s(v_uv), 0.0, 1.0);
    vec3 curve = 1.055 * pow(max(linear, vec3(0.0031308)), vec3(1.0 / 2.4)) - 0.055;
    out_colour = vec4(mix(linear * 12.92, curve, step(vec3(0.0031308), linear)), 1.0);
}
"""


def play_opengl(loaded: Loaded, variant: str, width: int, height: int) -> Levels:
    """Render the sheet: (height, width, 3) uint8, encoded.

    Raises UserError if OpenGL is missing or refuses the shader.
    """
    inputs = values_of(loaded, variant)
    if not loaded.sheet.function.isidentifier():
        raise UserError("package.json: the shader function has no usable name.")
    context = offscreen_context()
    program = compile_program(context, VERTEX, FRAGMENT % (loaded.shader, loaded.sheet.function))
    textures = []
    try:
        for entry in loaded.sheet.maps:
            texture = upload(context, loaded.planes[entry.slot], mips=entry.mips)
            textures.append((entry.uniform, texture))
            sharp, mips = entry.filter == Filter.NEAREST, entry.mips
            smooth_small = context.LINEAR_MIPMAP_LINEAR if mips else context.LINEAR
            sharp_small = context.NEAREST_MIPMAP_NEAREST if mips else context.NEAREST
            texture.filter = (sharp_small, context.NEAREST) if sharp else (smooth_small, context.LINEAR)
            texture.repeat_x = texture.repeat_y = entry.wrap == Wrap.REPEAT
        uniforms = {p.uniform: inputs[p.name] for p in loaded.package.parameters}
        with Draw(context, width, height) as draw:
            pixels = draw.quad(program, textures, uniforms)
        return np.ascontiguousarray(pixels[..., :3])
    finally:
        for _, texture in textures:
            texture.release()
        program.release()
