"""Surface: a tiling cell of an atlas in place of the paint."""

from collections.abc import Mapping

from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.material import tiling
from even_palette.core.material.declare import Atlas, CoatInputs, CoatKind, PlaneSpec, Reads, ValueSpec
from even_palette.core.material.model import ValueKind
from even_palette.core.material.outputs import COLOUR


def formula(inputs: CoatInputs) -> Mapping[str, Node]:
    """The cell at uv * scale, turned and moved; its mips follow the same way, so that tiles have no seams in them.

    Without repeat: four patches about each place, moved and perhaps turned by quarters by chance. An atlas of roughness
    beside it is sampled alike.
    """
    values, atlas = inputs.values, inputs.atlases.get("atlas")
    if atlas is None:
        return {}
    scale, turn = values["scale"], values["turn"] / 360
    at = tiling.turned(nodes.uv() * scale, turn) + nodes.join(values["across"], values["down"])
    steps = (tiling.turned(nodes.pixel()["xy"] * scale, turn), tiling.turned(nodes.pixel()["zw"] * scale, turn))

    def seen(one: Atlas) -> Node:
        if inputs.choices["repeat"] == "plain":
            return one.sample(values["cell"], at, steps)
        turned = inputs.choices["repeat"] == "turned"
        return tiling.patches(lambda place, ways: one.sample(values["cell"], place, ways), at, steps, turned)

    colour = seen(atlas)["xyz"]
    found = {COLOUR: inputs.colour * colour if inputs.choices["over"] == "paint" else colour}
    if "roughness" in inputs.atlases:
        found["roughness"] = seen(inputs.atlases["roughness"])["x"]
    return found


COAT = CoatKind(
    name="surface",
    label="Surface",
    help="Covers the region with a tiling surface: one cell of an atlas.",
    values=(
        ValueSpec("cell", "Cell", ValueKind.NUMBER, 0.0, "Which cell of the atlas, from 0, row by row.", 0.0, 255.0),
        ValueSpec("scale", "Scale", ValueKind.NUMBER, 4.0, "How often it lies across the sheet.", 0.1, 128.0, "×"),
        ValueSpec("turn", "Turn", ValueKind.NUMBER, 0.0, "How far the cell is turned.", -180.0, 180.0, "°"),
        ValueSpec("across", "Across", ValueKind.NUMBER, 0.0, "Moves the cell by so much of its width.", -1.0, 1.0),
        ValueSpec("down", "Down", ValueKind.NUMBER, 0.0, "Moves the cell by so much of its height.", -1.0, 1.0),
        ValueSpec(
            "repeat", "Repeat", ValueKind.CHOICE, "plain", "How the repeat of the tiles is hidden.",
            choices=(("plain", "As it is"), ("moved", "Hidden by moves"), ("turned", "Hidden by moves and turns")),
        ),
        ValueSpec(
            "over", "The paint", ValueKind.CHOICE, "replace", "Whether the cell takes the place of the paint.",
            choices=(("replace", "Is replaced"), ("paint", "Is multiplied")),
        ),
    ),
    formula=formula,
    sets=(COLOUR, "roughness"),
    planes=(
        PlaneSpec("atlas", "Atlas", "The surfaces, in a grid of cells that each tile.", reads=Reads.ATLAS),
        PlaneSpec("roughness", "Roughness atlas", "The roughness of the same cells.", reads=Reads.ATLAS, needed=False),
    ),
)  # fmt: skip
