"""Drawing a full rectangle with a program into an offscreen buffer, and reading it back."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from types import TracebackType
from typing import Any

import numpy as np

from even_palette.core.arrays import Levels
from even_palette.core.errors import UserError

CORNERS = np.array([-1, -1, 1, -1, -1, 1, 1, 1], dtype=np.float32)


def compile_program(context: Any, vertex: str, fragment: str) -> Any:
    """A linked program. Raises UserError with the driver's first complaint."""
    try:
        return context.program(vertex_shader=vertex, fragment_shader=fragment)
    except Exception as error:
        lines = [line for line in str(error).splitlines() if "error" in line.lower()]
        raise UserError(f"The shader does not compile: {(lines or [str(error)])[0][:200]}") from error


@dataclass(frozen=True)
class Bound:
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


class Draw:
    """An RGBA8 buffer to draw into. Row 0 of what is read back lies at gl_FragCoord.y = 0.5."""

    def __init__(self, context: Any, width: int, height: int) -> None:
        self._context = context
        self._size = (width, height)
        self._buffer = context.simple_framebuffer(self._size, 4)

    def __enter__(self) -> "Draw":
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        self._buffer.release()

    def quad(
        self,
        program: Any,
        textures: Sequence["Bound"],
        uniforms: Mapping[str, float | tuple[float, ...]],
    ) -> Levels:
        """Draw with these textures and uniforms by name, and read back (height, width, 4) uint8.

        Names that the program does not use are passed over.
        """
        context = self._context
        self._buffer.use()
        self._buffer.viewport = (0, 0, *self._size)
        self._buffer.clear(0, 0, 0, 0)
        for unit, bound in enumerate(textures):
            bound.use(program, unit)
        for name, value in uniforms.items():
            if name in program:
                program[name] = value
        corners = context.buffer(CORNERS.tobytes())
        array = context.vertex_array(program, [(corners, "2f", "corner")])
        try:
            array.render(context.TRIANGLE_STRIP)
            pixels = np.frombuffer(self._buffer.read(components=4, alignment=1), dtype=np.uint8)
            return pixels.reshape(self._size[1], self._size[0], 4)
        finally:
            for unit, bound in enumerate(textures):
                bound.sampler.clear(unit)
            array.release()
            corners.release()
