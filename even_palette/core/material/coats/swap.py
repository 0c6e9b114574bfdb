"""Swap: colours looked up in a palette by an index map; another row of the palette is another look."""

from collections.abc import Mapping

from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.material.declare import CoatInputs, CoatKind, Group, IndexMap, PlaneSpec, Reads, Strip, ValueSpec
from even_palette.core.material.model import PlaneKind, ValueKind
from even_palette.core.material.outputs import COLOUR


def formula(inputs: CoatInputs) -> Mapping[str, Node]:
    """The colours of entries, looked up in a way (see `looked_up`).

    Between two rows the colours of both are mixed, unless rows are whole. Rows that go round move on with time, the
    last into the first.
    """
    index, strip = inputs.indices.get("index"), inputs.strips.get("palette")
    if index is None or strip is None:
        return {}

    def colour(row: Node) -> Node:
        return looked_up(inputs.choices["way"], index, strip, row)

    last, row, whole = strip.rows - 1, inputs.values["row"], inputs.choices["rows"] == "whole"
    if last == 0:
        return {COLOUR: colour(nodes.as_node(0.0))}
    if inputs.choices["moves"] == "still":
        row = nodes.clamp(row, 0, last)
        first = nodes.floor(row)
        return {COLOUR: colour(row) if whole else nodes.mix(colour(first), colour(first + 1), row - first)}
    way = nodes.fract(inputs.values["speed"] * nodes.time() / strip.rows)  # taken off before it is added
    row = nodes.fract(row / strip.rows + way) * strip.rows
    first = nodes.minimum(nodes.floor(row + 0.5 if whole else row), strip.rows if whole else last)
    after = first if whole else first + 1
    after = after - nodes.step(last + 0.5, after) * strip.rows
    return {COLOUR: colour(after) if whole else nodes.mix(colour(first), colour(after), row - first)}


def looked_up(way: str, index: IndexMap, strip: Strip, row: Node) -> Node:
    """nearest: the entry of the texel. four: the entries of the four texels around, mixed in light as a linear filter
    mixes. filtered: the strip at the filtered index, for palettes whose neighbours are alike.
    """
    match way:
        case "nearest":
            return strip.look_up(_entry(index.nearest, strip), row)
        case "filtered":
            return strip.look_up(index.filtered, row)
        case _:
            return nodes.total([strip.look_up(_entry(at, strip), row) * share for at, share in index.around()])


def _entry(stored: Node, strip: Strip) -> Node:
    """The position of the entry that a stored index means."""
    last = max(1, strip.count - 1)
    return nodes.floor(stored * last + 0.5) / last


COAT = CoatKind(
    name="swap",
    label="Swap",
    help="Looks the colour up in a palette by an index map; another row is another look.",
    values=(
        ValueSpec("row", "Row", ValueKind.NUMBER, 0.0, "The row of the palette, from 0.", 0.0, 255.0),
        ValueSpec(
            "way", "Look-up", ValueKind.CHOICE, "four", "How texels between two indices are shown.",
            choices=(("nearest", "Nearest index"), ("four", "Four look-ups, mixed"), ("filtered", "Index filtered")),
        ),
        ValueSpec(
            "rows", "Between rows", ValueKind.CHOICE, "mixed", "Whether a row such as 0.5 mixes two rows.",
            choices=(("mixed", "Mix two rows"), ("whole", "The nearest row")),
        ),
        ValueSpec(
            "moves", "Over time", ValueKind.CHOICE, "still", "Whether the rows follow each other by themselves.",
            choices=(("still", "The row stays"), ("round", "Rows go round")),
        ),
        ValueSpec("speed", "Speed", ValueKind.NUMBER, 0.25, "Rows that go by in a second.", -8.0, 8.0, "rows/s",
                  when=("moves", ("round",))),
    ),
    formula=formula,
    group=Group.LOOK_UP,
    place=2,
    planes=(
        PlaneSpec("index", "Index map", "Which entry each texel shows.", tones=("index", "packed"), reads=Reads.INDEX),
        PlaneSpec("palette", "Palette", "The palette that entries are looked up in.", reads=Reads.STRIP,
                  strips=(PlaneKind.PALETTE,)),
    ),
)  # fmt: skip
