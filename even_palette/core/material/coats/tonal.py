"""Tonal: shadows, midtones and highlights, each with its own tint or shift."""

from collections.abc import Mapping

from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.material.colour_nodes import encode, luminance
from even_palette.core.material.declare import CoatInputs, CoatKind, Group, ValueSpec
from even_palette.core.material.input_levels import LEAST_STEP
from even_palette.core.material.model import Setting, ValueKind
from even_palette.core.material.outputs import COLOUR
from even_palette.core.material.spaces import SPACES, Move

BANDS = (("shadow", "Shadows"), ("middle", "Midtones"), ("light", "Highlights"))


def shares(tone: Node, low: Node, high: Node, softness: Node) -> tuple[Node, Node, Node]:
    """The shares of shadows, midtones and highlights at a tone 0..1; none is below 0 and they add up to 1.

    Borders are smoothsteps about `low` and `high`, twice `softness` wide.
    """
    softness = nodes.maximum(softness, LEAST_STEP / 2)  # from one level to the next at the sharpest
    above = nodes.smoothstep(low - softness, low + softness, tone)
    light = above * nodes.smoothstep(high - softness, high + softness, tone)
    return 1 - above, above - light, light


def formula(inputs: CoatInputs) -> Mapping[str, Node]:
    """The sum over the bands of share * U * T, or of share * shift(U) in OKLCh; the tone is U's encoded luminance."""
    under, values = inputs.colour, inputs.values
    found = shares(encode(luminance(under)), values["low"], values["high"], values["softness"])
    if inputs.choices["way"] == "tint":
        tint = nodes.total(values[f"{name}_colour"] * share for (name, _), share in zip(BANDS, found, strict=True))
        return {COLOUR: under * tint}
    mixed = [
        SPACES["oklch"].shift(under, Move(values[f"{name}_hue"] / 360, values[f"{name}_saturation"])) * share
        for (name, _), share in zip(BANDS, found, strict=True)
    ]
    return {COLOUR: nodes.total(mixed)}


def _for_each(
    name: str, label: str, kind: ValueKind, default: Setting, told: str, way: str, low: float, high: float, unit: str
) -> tuple[ValueSpec, ...]:
    return tuple(
        ValueSpec(f"{band}_{name}", f"{of}: {label}", kind, default, told, low, high, unit, when=("way", (way,)))
        for band, of in BANDS
    )


COAT = CoatKind(
    name="tonal",
    label="Tonal",
    help="Gives shadows, midtones and highlights of the paint each their own tint or shift.",
    values=(
        *_for_each("colour", "tint", ValueKind.COLOUR, (1.0, 1.0, 1.0), "What these tones are multiplied by.", "tint",
                   0.0, 1.0, ""),
        *_for_each("hue", "hue", ValueKind.NUMBER, 0.0, "How far the hue of these tones is turned.", "shift",
                   -180.0, 180.0, "°"),
        *_for_each("saturation", "saturation", ValueKind.NUMBER, 1.0, "Factor on the saturation of these tones.",
                   "shift", 0.0, 2.0, "×"),
        ValueSpec("low", "Shadows end", ValueKind.NUMBER, 0.33, "The tone where shadows pass into midtones."),
        ValueSpec("high", "Highlights begin", ValueKind.NUMBER, 0.66, "The tone where midtones pass into highlights."),
        ValueSpec("softness", "Softness", ValueKind.NUMBER, 0.15, "How far the bands reach into each other.", 0.0, 0.5),
        ValueSpec(
            "way", "Each band", ValueKind.CHOICE, "tint", "Whether bands are tinted or shifted.",
            choices=(("tint", "Is tinted"), ("shift", "Is shifted")),
        ),
    ),
    formula=formula,
    group=Group.COLOUR,
    place=6,
    shown={"shadow_colour": (0.5, 0.6, 1.0), "light_colour": (1.0, 0.85, 0.6)},
)  # fmt: skip
