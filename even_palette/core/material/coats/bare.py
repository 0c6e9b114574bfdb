"""Bare: the paint as it was opened comes back, where a pattern says so: dirt and wear over new paint."""

from collections.abc import Mapping

from even_palette.core.graph.nodes import Node
from even_palette.core.material.declare import CoatInputs, CoatKind, Group, PlaneSpec, Reads, ValueSpec
from even_palette.core.material.model import ValueKind
from even_palette.core.material.outputs import COLOUR, HEIGHT, NORMAL

FINISH = ("metalness", "roughness", "clear_coat")


def formula(inputs: CoatInputs) -> Mapping[str, Node]:
    """The base colour, or a plane in its place; with the finish, what maps say of that, of normals and of heights."""
    found = {COLOUR: inputs.colours.get("colour", inputs.base)}
    if inputs.choices["what"] == "all":
        changed = [name for name in (NORMAL, HEIGHT) if name in inputs.changed]
        found |= {name: inputs.as_opened(name) for name in (*FINISH, *changed)}
    return found


COAT = CoatKind(
    name="bare",
    label="Bare",
    help="Brings the paint back as it was opened: dirt and wear over new paint, by a pattern.",
    values=(
        ValueSpec(
            "what", "Comes back", ValueKind.CHOICE, "colour", "Whether the finish that the maps tell comes back, too.",
            choices=(("colour", "The colour"), ("all", "Colour and finish")),
        ),
    ),
    formula=formula,
    group=Group.LAYER,
    place=3,
    sets=(COLOUR, *FINISH),
    planes=(
        PlaneSpec("colour", "Colour", "What comes back; without one, the base colour.", reads=Reads.COLOUR,
                  needed=False),
    ),
)  # fmt: skip
