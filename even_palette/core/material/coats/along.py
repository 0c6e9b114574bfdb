"""Along: colours from root to tip."""

from collections.abc import Mapping

from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.material.colour_nodes import curved
from even_palette.core.material.declare import CoatInputs, CoatKind, Group, PlaneSpec, ValueSpec
from even_palette.core.material.model import ValueKind
from even_palette.core.material.outputs import COLOUR


def formula(inputs: CoatInputs) -> Mapping[str, Node]:
    """mix(T1, T2, p) with p = along^power; with three colours T3 stands at 1/2 between them; on paint: U times that."""
    along, values = inputs.planes.get("along"), inputs.values
    if along is None:
        return {}
    position = curved(nodes.clamp(along), values["power"])
    if inputs.choices["colours"] == "three":
        lower = nodes.mix(values["root"], values["middle"], nodes.clamp(position * 2))
        mixed = nodes.mix(lower, values["tip"], nodes.clamp(position * 2 - 1))
    else:
        mixed = nodes.mix(values["root"], values["tip"], position)
    return {COLOUR: inputs.colour * mixed if inputs.choices["over"] == "paint" else mixed}


COAT = CoatKind(
    name="along",
    label="Along",
    help="Leads from one colour at the root to another at the tip.",
    values=(
        ValueSpec("root", "Root", ValueKind.COLOUR, (0.2, 0.3, 0.15), "The colour where the plane is 0."),
        ValueSpec("middle", "Middle", ValueKind.COLOUR, (0.4, 0.5, 0.2), "The colour halfway.",
                  when=("colours", ("three",))),
        ValueSpec("tip", "Tip", ValueKind.COLOUR, (0.75, 0.75, 0.45), "The colour where the plane is 1."),
        ValueSpec("power", "Power", ValueKind.NUMBER, 1.0, "Above 1 more of the root, below 1 more of the tip.",
                  0.1, 8.0),
        ValueSpec(
            "colours", "Colours", ValueKind.CHOICE, "two", "How many colours there are from root to tip.",
            choices=(("two", "Root and tip"), ("three", "One between them")),
        ),
        ValueSpec(
            "over", "The paint", ValueKind.CHOICE, "paint", "Whether the mix takes the place of the paint or tints it.",
            choices=(("paint", "Is tinted"), ("replace", "Is replaced")),
        ),
    ),
    formula=formula,
    group=Group.LOOK_UP,
    place=3,
    planes=(PlaneSpec("along", "Along", "0 at the root, 1 at the tip.", bakes=("along",)),),
)  # fmt: skip
