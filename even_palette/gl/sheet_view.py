"""The sheet pane's renderer: evaluates a look for the pixels of a view, and only for them."""

from even_palette.core.arrays import Levels
from even_palette.core.graph.binding import texture_name, uniform_name
from even_palette.core.graph.program import program_of
from even_palette.core.graph.slots import MOST_UNITS
from even_palette.core.graph.uniform_work import setup_values
from even_palette.core.results.pictures import SHOWN, Picture, View
from even_palette.gl.buffers import Buffers, Flying
from even_palette.gl.context import offscreen_context
from even_palette.gl.draw import QUAD_VERTEX, BoundTexture, draw_quad
from even_palette.gl.programs import Programs
from even_palette.gl.textures import Samplers, Textures

FRAGMENT = """\
#version 330
uniform vec2 view_origin;
uniform vec2 view_scale;
uniform vec2 view_texels;
out vec4 out_colour;
{uniforms}
{helpers}
vec3 seen(vec2 uv, vec4 pixel, vec2 screen) {{
    vec3 shown, colour, emission, normal;
{body}
{outputs}
    return shown;
}}
void main() {{
    vec2 uv = view_origin + gl_FragCoord.xy * view_scale;
    vec2 at = view_texels.x > 0.0 ? (floor(uv * view_texels) + 0.5) / view_texels : uv;
    vec2 step = view_texels.x > 0.0 ? 1.0 / view_texels : view_scale;
    vec3 colour = seen(at, vec4(step.x, 0.0, 0.0, step.y), floor(gl_FragCoord.xy));
    bool inside = all(greaterThanEqual(uv, vec2(0.0))) && all(lessThan(uv, vec2(1.0)));
    out_colour = inside ? vec4(clamp(colour, 0.0, 1.0), 1.0) : vec4(0.0);
}}
"""


RASTERIZERS = ("llvmpipe", "softpipe", "swrast", "swiftshader", "software")


class SheetRenderer:
    """Keeps programs by expression and textures by content. Lives on the thread of the context.

    `units` are those that the driver has for textures. Raises UserError on making if there is no OpenGL.
    """

    def __init__(self) -> None:
        self._context = offscreen_context()
        self.textures = Textures(self._context)
        self.units = max(MOST_UNITS, self._context.info["GL_MAX_TEXTURE_IMAGE_UNITS"])
        self._programs = Programs(self._context, QUAD_VERTEX, FRAGMENT)
        self._comparing = Programs(self._context, QUAD_VERTEX, FRAGMENT, most_units=self.units)
        self._samplers = Samplers(self._context)
        self._buffers = Buffers(self._context)

    @property
    def in_software(self) -> bool:
        """Whether OpenGL is done by the processor."""
        return any(name in str(self._context.info["GL_RENDERER"]).lower() for name in RASTERIZERS)

    def render(self, shown: Picture, view: View, filtered: bool = True) -> Levels:
        """A picture through a view: (height, width, 4) uint8, encoded, alpha 0 off the sheet."""
        return self.begin(shown, view, filtered).pixels

    def begin(self, shown: Picture, view: View, filtered: bool = True) -> Flying:
        """The same as a drawing under way.

        `filtered` samples where pixels are; otherwise texels of the finest plane are squares, each sampled at its
        centre.
        """
        self.textures.begin()
        only = program_of({SHOWN: shown.outputs[SHOWN]})
        program = (self._comparing if shown.compares else self._programs).of(only)
        bound = [
            BoundTexture(
                texture_name(name),
                self.textures.of(shown.slots[name]),
                self._samplers.of(shown.slots[name].sampler),
            )
            for name in only.slots
        ]
        uniforms: dict[str, float | tuple[float, ...]] = {uniform_name(k): v for k, v in shown.inputs.items()}
        width, height = shown.finest
        uniforms.update(
            view_origin=view.origin,
            view_scale=view.scale,
            view_texels=(0.0, 0.0) if filtered else (float(width), float(height)),
            **setup_values(only, shown.inputs),
            instance_seed=shown.seed,
            time=shown.time,
        )
        draw_quad(self._context, self._buffers.of(view.width, view.height), program, bound, uniforms)
        return self._buffers.fly(view.width, view.height)

    def release(self) -> None:
        """Free what the driver holds, which it does not by itself; drawing begins anew."""
        for held in (self._buffers, self._programs, self._comparing, self.textures, self._samplers):
            held.release()
