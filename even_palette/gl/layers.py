"""Layers of blended faces, front to back, in whatever order they are drawn: depth peeling (Everitt 2001).

Each pass draws the nearest faces of all that lie behind those of the pass before; what is seen of them goes under the
sum so far by Porter and Duff's *over* (1984), in linear light. Faces that cross are right at every pixel.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from even_palette.gl import raw
from even_palette.gl.draw import QUAD_VERTEX, BoundTexture, compile_program, draw_quad
from even_palette.gl.srgb_text import DECODED, ENCODED

MOST_LAYERS, MOST_IN_MOTION = 8, 4
"""What lies behind so many layers is not seen: a hundredth of it would be, behind eight that let half through."""
FINER = 2
"""Pixels a side that one is made of at rest: there are no samples within pixels here."""

UNDER = """\
#version 330
uniform sampler2D layer;
out vec4 out_colour;
void main() { out_colour = texelFetch(layer, ivec2(gl_FragCoord.xy), 0); }
"""

# Colours are linear light times their alpha until the end, which gives straight alpha and encoded colour.
TOGETHER = """\
#version 330
uniform sampler2D layers;
uniform sampler2D solid;
uniform int finer;
out vec4 out_colour;
SRGBvoid main() {
    vec4 sum = vec4(0.0);
    for (int y = 0; y < finer; y++) for (int x = 0; x < finer; x++) {
        ivec2 at = ivec2(gl_FragCoord.xy) * finer + ivec2(x, y);
        vec4 front = texelFetch(layers, at, 0), behind = texelFetch(solid, at, 0);
        sum += front + (1.0 - front.a) * vec4(decoded(behind.rgb) * behind.a, behind.a);
    }
    sum /= float(finer * finer);
    out_colour = vec4(encoded(sum.rgb / max(sum.a, 1e-6)), sum.a);
}
""".replace("SRGB", DECODED + ENCODED)


@dataclass(frozen=True)
class _Targets:
    """What is drawn into at a size: solid faces, two layers in turn, and the sum of layers."""

    solid: Any
    layers: tuple[Any, Any]
    sum: Any

    def release(self) -> None:
        for target in (self.solid, *self.layers, self.sum):
            for attachment in (*target.color_attachments, target.depth_attachment):
                if attachment is not None:
                    attachment.release()
            target.release()


class Layers:
    """Draws solid faces and layers of blended ones into a buffer. Targets of one size are kept."""

    def __init__(self, context: Any) -> None:
        self._context = context
        self._under = compile_program(context, QUAD_VERTEX, UNDER)
        self._together = compile_program(context, QUAD_VERTEX, TOGETHER)
        self._exact = context.sampler(filter=(context.NEAREST, context.NEAREST))
        self._kept: tuple[tuple[int, int], _Targets] | None = None

    def draw(
        self,
        width: int,
        height: int,
        smooth: bool,
        solid: Callable[[], None],
        blended: Callable[[BoundTexture], None],
        into: Any,
    ) -> None:
        """Draw `solid` faces and, behind each front depth that they are given, the nearest of the `blended` ones.

        `blended` gives linear light times alpha. The buffer of that size gets straight alpha, and colour encoded.
        """
        context = self._context
        finer = FINER if smooth else 1
        targets = self._targets(width * finer, height * finer)
        targets.solid.use()
        targets.solid.clear(0, 0, 0, 0, depth=1.0)
        solid()
        targets.sum.use()
        targets.sum.clear(0, 0, 0, 0)
        for number in range(MOST_LAYERS if smooth else MOST_IN_MOTION):
            target, before = targets.layers[number % 2], targets.layers[(number + 1) % 2]
            if number == 0:
                before.use()
                before.clear(0, 0, 0, 0, depth=0.0)
            target.use()
            target.clear(0, 0, 0, 0, depth=1.0)
            raw.copy_depth(targets.solid, target)
            target.use()
            blended(BoundTexture("front", before.depth_attachment, self._exact))
            context.enable_only(context.BLEND)
            context.blend_func = context.ONE_MINUS_DST_ALPHA, context.ONE
            layer = BoundTexture("layer", target.color_attachments[0], self._exact)
            draw_quad(context, targets.sum, self._under, [layer], {}, clear=False)
            context.enable_only(context.NOTHING)
        textures = [
            BoundTexture("layers", targets.sum.color_attachments[0], self._exact),
            BoundTexture("solid", targets.solid.color_attachments[0], self._exact),
        ]
        draw_quad(context, into, self._together, textures, {"finer": finer})

    def _targets(self, width: int, height: int) -> _Targets:
        if self._kept is None or self._kept[0] != (width, height):
            self.release_targets()
            self._kept = (
                (width, height),
                _Targets(
                    self._target(width, height, "f1"),
                    (self._target(width, height, "f2"), self._target(width, height, "f2")),
                    self._target(width, height, "f2", deep=False),
                ),
            )
        return self._kept[1]

    def _target(self, width: int, height: int, kind: str, deep: bool = True) -> Any:
        context, size = self._context, (width, height)
        depth = context.depth_texture(size) if deep else None
        if depth is not None:
            depth.compare_func = ""
        return context.framebuffer([context.texture(size, 4, dtype=kind)], depth)

    def release_targets(self) -> None:
        """Free what was drawn into."""
        if self._kept is not None:
            self._kept[1].release()
            self._kept = None

    def release(self) -> None:
        """Free what the driver holds."""
        self.release_targets()
        for held in (self._under, self._together, self._exact):
            held.release()
