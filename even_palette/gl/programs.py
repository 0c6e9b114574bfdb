"""Programs of expressions: each is written into a shader once and kept."""

from collections import OrderedDict
from typing import Any

from even_palette.core.graph.glsl import GlslFunction, emit, texture_name, uniform_name
from even_palette.core.graph.nodes import Node
from even_palette.gl.draw import compile_program

MOST_PROGRAMS = 64


class Programs:
    """Programs by expression. The fragment text has fields for uniforms, helpers and the body of a function."""

    def __init__(self, context: Any, vertex: str, fragment: str) -> None:
        self._context, self._vertex, self._fragment = context, vertex, fragment
        self._kept: OrderedDict[Node, tuple[Any, GlslFunction]] = OrderedDict()

    def of(self, output: Node) -> tuple[Any, GlslFunction]:
        """The program that shows an expression, and what its function needs."""
        if output not in self._kept:
            function = emit(output)
            declared = [f"uniform sampler2D {texture_name(slot)};" for slot in function.slots]
            declared += [f"uniform {kind} {uniform_name(name)};" for name, kind in function.parameters]
            text = self._fragment.format(uniforms="\n".join(declared), helpers=function.helpers, body=function.body)
            self._kept[output] = (compile_program(self._context, self._vertex, text), function)
            if len(self._kept) > MOST_PROGRAMS:
                self._kept.popitem(last=False)[1][0].release()
        self._kept.move_to_end(output)
        return self._kept[output]
