"""Swap: colours looked up in a palette by an index map; another row of the palette is another look."""

from collections.abc import Mapping

from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.material.declare import CoatInputs, CoatKind, PlaneSpec, Reads, Strip, ValueSpec
from even_palette.core.material.model import PlaneKind, ValueKind
from even_palette.core.material.outputs import COLOUR


def formula(inputs: CoatInputs) -> Mapping[str, Node]:
    """nearest: the entry of the texel. four: the entries of the four texels around, mixed in light as a linear filter
    mixes. filtered: the strip at the filtered index, for palettes whose neighbours are alike.

    Between two rows the colours of both are mixed, unless rows are whole.
    """
    index, strip = inputs.indices.get("index"), inputs.strips.get("palette")
    if index is None or strip is None:
        return {}

    def colour(row: Node) -> Node:
        match inputs.choices["way"]:
            case "nearest":
                return strip.look_up(_entry(index.nearest, strip), row)
            case "filtered":
                return strip.look_up(index.filtered, row)
            case _:
                return nodes.total([strip.look_up(_entry(at, strip), row) * share for at, share in index.around()])

    row = nodes.clamp(inputs.values["row"], 0, strip.rows - 1)
    if inputs.choices["rows"] == "whole" or strip.rows == 1:
        return {COLOUR: colour(row)}
    first = nodes.floor(row)
    return {COLOUR: nodes.mix(colour(first), colour(first + 1), row - first)}


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
    ),
    formula=formula,
    planes=(
        PlaneSpec("index", "Index map", "Which entry each texel shows.", tones=("index", "packed"), reads=Reads.INDEX),
        PlaneSpec("palette", "Palette", "The palette that entries are looked up in.", reads=Reads.STRIP,
                  strips=(PlaneKind.PALETTE,)),
    ),
)  # fmt: skip
