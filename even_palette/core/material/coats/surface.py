"""Surface: a tiling cell of an atlas in place of the paint."""

from collections.abc import Callable, Mapping

from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.material import tiling
from even_palette.core.material.declare import Atlas, CoatInputs, CoatKind, Group, PlaneSpec, Reads, ValueSpec
from even_palette.core.material.model import ValueKind
from even_palette.core.material.outputs import COLOUR, NORMAL
from even_palette.core.raster.guess import Role

BESIDE = ("roughness", "metalness", "occlusion")
"""Surface values of which atlases may lie beside that of colours; and that of normals."""


def _as_it_is(value: Node, turn: Callable[[Node], Node]) -> Node:
    return value


def _bent_back(value: Node, turn: Callable[[Node], Node]) -> Node:
    """A vec4 with a normal where a cell is turned: slopes turn back with it. Green points up, v runs down."""
    slope = turn(nodes.join(value["x"] * 2 - 1, 1 - value["y"] * 2))
    return nodes.join(slope["x"], -slope["y"], value["z"] * 2 - 1, value["w"])


def _normal(inputs: CoatInputs, atlas: Atlas) -> Node:
    """The normal of the cell, of length 1, as maps store it."""
    bent = _seen(inputs, atlas, _bent_back)["xyz"]
    return bent / nodes.length(bent) * 0.5 + 0.5


def _seen(inputs: CoatInputs, atlas: Atlas, back: Callable[[Node, Callable[[Node], Node]], Node] = _as_it_is) -> Node:
    """The vec4 of the cell at uv * scale, turned and moved; its mips follow the same way, so tiles have no seams.

    `back` is given what a cell says and how a direction in it is turned back onto the sheet.
    """
    values = inputs.values
    scale, turn = values["scale"], values["turn"] / 360
    at = tiling.turned(nodes.uv() * scale, turn) + nodes.join(values["across"], values["down"])
    steps = nodes.pixel()["xy"] * scale, nodes.pixel()["zw"] * scale
    if not atlas.square:
        steps = tiling.turned(steps[0], turn), tiling.turned(steps[1], turn)

    def upright(slope: Node) -> Node:
        return tiling.turned(slope, -turn)

    if inputs.choices["repeat"] == "plain":
        return back(atlas.sample(values["cell"], at, steps), upright)

    def sample(place: Node, ways: tuple[Node, Node]) -> Node:
        value = atlas.sample(values["cell"], place, steps if atlas.square else ways)
        return value if turned else back(value, upright)

    def quarters_back(value: Node, quarters: Node) -> Node:
        return back(value, lambda slope: upright(tiling.quarter_turned(slope, tiling.opposite(quarters))))

    turned = inputs.choices["repeat"] == "turned"
    return tiling.patches(sample, at, steps, turned, quarters_back)


def share(inputs: CoatInputs) -> Node:
    """How far the surface is seen: everywhere, or by height, smoothstep(-band, band, its height - that under + offset).

    A height that is not there is 1/2.
    """
    if inputs.choices["cover"] == "all":
        return nodes.constant(1.0)
    atlas, band = inputs.atlases.get("height"), inputs.values["band"]
    over = _seen(inputs, atlas)["x"] if atlas is not None else nodes.constant(0.5)
    under = inputs.planes.get("under", nodes.constant(0.5))
    return nodes.smoothstep(-band, band, over - under + inputs.values["offset"])


def formula(inputs: CoatInputs) -> Mapping[str, Node]:
    """mix(U, the cell, share), for the colour and for all surface values whose atlases are there.

    Without repeat: four patches about each place, moved and perhaps turned by quarters by chance.
    """
    atlas = inputs.atlases.get("atlas")
    if atlas is None:
        return {}
    colour = _seen(inputs, atlas)["xyz"]
    found = {COLOUR: inputs.colour * colour if inputs.choices["over"] == "paint" else colour}
    found |= {name: _seen(inputs, inputs.atlases[name])["x"] for name in BESIDE if name in inputs.atlases}
    if NORMAL in inputs.atlases:
        found[NORMAL] = _normal(inputs, inputs.atlases[NORMAL])
    if inputs.choices["cover"] == "all":
        return found
    seen = share(inputs)
    return {name: nodes.mix(inputs.output(name), value, seen) for name, value in found.items()}


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
        ValueSpec(
            "cover", "Covers", ValueKind.CHOICE, "all", "Where the surface is seen.",
            choices=(("all", "Everything"), ("height", "Where it is higher")),
        ),
        ValueSpec("band", "Band", ValueKind.NUMBER, 0.1, "How far heights may differ and both are seen.", 0.01, 1.0,
                  when=("cover", ("height",))),
        ValueSpec("offset", "Offset", ValueKind.NUMBER, 0.0, "Lifts the surface above what is under it.", -1.0, 1.0,
                  when=("cover", ("height",))),
    ),
    formula=formula,
    group=Group.LAYER,
    place=2,
    share=share,
    share_when=("cover", ("height",)),
    sets=(COLOUR, *BESIDE, NORMAL),
    planes=(
        PlaneSpec("atlas", "Atlas", "The surfaces, in a grid of cells that each tile.", reads=Reads.ATLAS),
        PlaneSpec("roughness", "Roughness atlas", "The roughness of the same cells.", reads=Reads.ATLAS, needed=False),
        PlaneSpec("metalness", "Metalness atlas", "The metalness of the same cells.", reads=Reads.ATLAS, needed=False),
        PlaneSpec("occlusion", "Occlusion atlas", "The occlusion of the same cells.", reads=Reads.ATLAS, needed=False),
        PlaneSpec(NORMAL, "Normal atlas", "The normals of the same cells, green up.", reads=Reads.ATLAS, needed=False),
        PlaneSpec("height", "Height atlas", "The height of the same cells.", reads=Reads.ATLAS, needed=False,
                  when=("cover", ("height",))),
        PlaneSpec("under", "Height under it", "The height of what is under it.", (Role.HEIGHT,), ("height",),
                  when=("cover", ("height",)), needed=False),
    ),
)  # fmt: skip
