"""Programs of pictures: each is written into a shader once and kept."""

from collections import OrderedDict
from collections.abc import Sequence
from typing import Any

from even_palette.core.errors import UserError
from even_palette.core.graph.binding import UNIFORMS, Binding
from even_palette.core.graph.program import Program
from even_palette.core.graph.slots import MOST_UNITS
from even_palette.core.graph.write import write
from even_palette.core.material.outputs import OUTPUTS
from even_palette.gl.draw import compile_program

MOST_PROGRAMS = 64
SHOWN = "shown"


class Programs:
    """Programs by what they compute. The fragment text has fields for uniforms, helpers, the body and what it sets.

    The body sets the variables `shown` and, for each surface value, one of its name. `other_units` are texture units
    that the fragment text itself takes, one less for each of the `spared` outputs that a program gives; there are
    `most_units`.
    """

    def __init__(
        self, context: Any, vertex: str, fragment: str, other_units: int = 0, spared: Sequence[str] = (),
        most_units: int = MOST_UNITS,
    ) -> None:  # fmt: skip
        self._context, self._vertex, self._fragment, self._other = context, vertex, fragment, other_units
        self._spared, self._most = spared, most_units
        self._kept: OrderedDict[tuple[Program, str], Any] = OrderedDict()

    def of(self, program: Program, binding: Binding = UNIFORMS) -> Any:
        """The compiled program. Raises UserError if it would take more texture units than there are."""
        key = program, repr(binding)
        if key not in self._kept:
            others = self._other - sum(name in program.outputs for name in self._spared)
            if len(program.slots) + others > self._most:
                room = self._most - others
                raise UserError(f"The material samples {len(program.slots)} planes; there is room for {room} here.")
            written = write(program, binding=binding)
            given = [f"    {name} = {text};" for name, text in written.outputs.items()]
            given += [f"    has_{name} = true;" for name in written.outputs if name in OUTPUTS]
            text = self._fragment.format(
                uniforms=written.declared, helpers=written.helpers, body=written.body, outputs="\n".join(given)
            )
            self._kept[key] = compile_program(self._context, self._vertex, text)
            if len(self._kept) > MOST_PROGRAMS:
                self._kept.popitem(last=False)[1].release()
        self._kept.move_to_end(key)
        return self._kept[key]

    def release(self) -> None:
        """Free them all."""
        for program in self._kept.values():
            program.release()
        self._kept.clear()
