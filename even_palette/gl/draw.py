"""Drawing a full rectangle with a program into an offscreen buffer, and reading it back."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from even_palette.core.arrays import Levels
from even_palette.core.errors import UserError

CORNERS = np.array([-1, -1, 1, -1, -1, 1, 1, 1], dtype=np.float32)
QUAD_VERTEX = """\
#version 330
in vec2 corner;
void main() { gl_Position = vec4(corner, 0.0, 1.0); }
"""
"""Of a program that `draw_quad` draws with."""


def compile_program(context: Any, vertex: str, fragment: str) -> Any:
    """A linked program. Raises UserError with the driver's first complaint."""
    try:
        return context.program(vertex_shader=vertex, fragment_shader=fragment)
    except Exception as error:
        lines = [line for line in str(error).splitlines() if "error" in line.lower()]
        raise UserError(f"The shader does not compile: {(lines or [str(error)])[0][:200]}") from error


@dataclass(frozen=True)
class BoundTexture:
    """A texture with its sampler, under the name of a uniform."""

    name: str
    texture: Any
    sampler: Any

    def use(self, program: Any, unit: int) -> None:
        """Bind to a texture unit, where the program samples it."""
        if self.name in program:
            self.texture.use(unit)
            self.sampler.use(unit)
            program[self.name] = unit


def draw_quad(
    context: Any,
    buffer: Any,
    program: Any,
    textures: Sequence[BoundTexture],
    uniforms: Mapping[str, float | tuple[float, ...]],
    clear: bool = True,
) -> None:
    """Fill a buffer, with these textures and uniforms by name; names that the program does not use are passed over.

    What was in it counts only where it is not to be cleared.

    Row 0 of what is read back lies at gl_FragCoord.y = 0.5.
    """
    buffer.use()
    buffer.viewport = (0, 0, *buffer.size)
    if clear:
        buffer.clear(0, 0, 0, 0)
    for unit, bound in enumerate(textures):
        bound.use(program, unit)
    for name, value in uniforms.items():
        if name in program:
            program[name] = value
    corners = context.buffer(CORNERS.tobytes())
    array = context.vertex_array(program, [(corners, "2f", "corner")])
    try:
        array.render(context.TRIANGLE_STRIP)
    finally:
        for unit, bound in enumerate(textures):
            bound.sampler.clear(unit)
        array.release()
        corners.release()


def read(buffer: Any) -> Levels:
    """The pixels of a buffer, (height, width, 4) uint8; waits until they are drawn."""
    width, height = buffer.size
    pixels = np.frombuffer(buffer.read(components=4, alignment=1), dtype=np.uint8)
    return pixels.reshape(height, width, 4)
