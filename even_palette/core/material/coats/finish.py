"""Finish: how shiny a region is; its colour stays."""

from collections.abc import Mapping

from even_palette.core.graph.nodes import Node
from even_palette.core.material.declare import CoatInputs, CoatKind, ValueSpec
from even_palette.core.material.model import ValueKind


def formula(inputs: CoatInputs) -> Mapping[str, Node]:
    """Metalness, roughness and clear coat set to their values, or the map under it multiplied by them."""
    names = ("metalness", "roughness", "clear_coat")
    if inputs.choices["way"] == "scale":
        return {name: inputs.output(name) * inputs.values[name] for name in names}
    return {name: inputs.values[name] for name in names}


def _percent(name: str, label: str, default: float, told: str) -> ValueSpec:
    return ValueSpec(name, label, ValueKind.NUMBER, default, told)


COAT = CoatKind(
    name="finish",
    label="Finish",
    help="Sets how metallic, rough and varnished a region is; its colour stays.",
    values=(
        _percent("metalness", "Metalness", 0.0, "0 for paint and timber, 1 for bare metal."),
        _percent("roughness", "Roughness", 0.5, "0 is a mirror, 1 is chalk."),
        _percent("clear_coat", "Clear coat", 0.0, "How strong a layer of varnish over it is."),
        ValueSpec(
            "way",
            "Over the map",
            ValueKind.CHOICE,
            "replace",
            "Whether the values take the place of what the maps say, or multiply it.",
            choices=(("replace", "Replace the maps"), ("scale", "Multiply the maps")),
        ),
    ),
    formula=formula,
)
