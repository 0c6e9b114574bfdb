"""The sheet pane's renderer: evaluates a look for the pixels of a view, and only for them."""

from even_palette.core.arrays import Levels
from even_palette.core.graph.glsl import texture_name, uniform_name
from even_palette.core.results.looks import Picture, View
from even_palette.gl.context import offscreen_context
from even_palette.gl.draw import Draw
from even_palette.gl.programs import Programs
from even_palette.gl.textures import Textures

VERTEX = """\
#version 330
in vec2 corner;
void main() { gl_Position = vec4(corner, 0.0, 1.0); }
"""

FRAGMENT = """\
#version 330
uniform vec2 view_origin;
uniform vec2 view_scale;
uniform vec2 view_texels;
out vec4 out_colour;
{uniforms}
{helpers}
vec3 shown(vec2 uv) {{
{body}
}}
void main() {{
    vec2 uv = view_origin + gl_FragCoord.xy * view_scale;
    vec2 at = view_texels.x > 0.0 ? (floor(uv * view_texels) + 0.5) / view_texels : uv;
    vec3 colour = shown(at);
    bool inside = all(greaterThanEqual(uv, vec2(0.0))) && all(lessThan(uv, vec2(1.0)));
    out_colour = inside ? vec4(clamp(colour, 0.0, 1.0), 1.0) : vec4(0.0);
}}
"""


class SheetRenderer:
    """Keeps programs by expression and textures by content. Lives on the thread of the context.

    Raises UserError on making if there is no OpenGL.
    """

    def __init__(self) -> None:
        self._context = offscreen_context()
        self.textures = Textures(self._context)
        self._programs = Programs(self._context, VERTEX, FRAGMENT)
        context = self._context
        self._smooth = context.sampler(
            repeat_x=False, repeat_y=False, filter=(context.LINEAR_MIPMAP_LINEAR, context.LINEAR)
        )
        self._sharp = context.sampler(
            repeat_x=False, repeat_y=False, filter=(context.NEAREST_MIPMAP_NEAREST, context.NEAREST)
        )
        self._texels = context.sampler(repeat_x=False, repeat_y=False, filter=(context.NEAREST, context.NEAREST))

    def render(self, shown: Picture, view: View, filtered: bool = True) -> Levels:
        """A picture through a view: (height, width, 4) uint8, encoded, alpha 0 off the sheet.

        `filtered` samples as a runtime does (mips, linear filter); otherwise texels are squares.
        """
        program, function = self._programs.of(shown.output)
        textures = [(texture_name(slot), self.textures.of(shown.textures[slot])) for slot in function.slots]
        uniforms: dict[str, float | tuple[float, ...]] = {uniform_name(k): v for k, v in shown.inputs.items()}
        finest = max(shown.textures.values(), key=lambda plane: plane.width)
        uniforms.update(
            view_origin=view.origin,
            view_scale=view.scale,
            view_texels=(0.0, 0.0) if filtered else (float(finest.width), float(finest.height)),
        )
        sampler = self._sharp if shown.sharp else self._smooth
        with Draw(self._context, view.width, view.height) as draw:
            return draw.quad(program, textures, uniforms, sampler if filtered else self._texels)
