"""Finish: how shiny a region is; its colour stays."""

from collections.abc import Mapping

from even_palette.core.graph.nodes import Node
from even_palette.core.material.declare import CoatInputs, CoatKind, Group, ValueSpec
from even_palette.core.material.model import ValueKind


def formula(inputs: CoatInputs) -> Mapping[str, Node]:
    """Metalness, roughness and clear coat set to their values, or what is under it multiplied by them or raised."""
    names = ("metalness", "roughness", "clear_coat")
    match inputs.choices["way"]:
        case "scale":
            return {name: inputs.output(name) * inputs.values[name] for name in names}
        case "add":
            return {name: inputs.output(name) + inputs.values[name] for name in names}
    return {name: inputs.values[name] for name in names}


def _percent(name: str, label: str, default: float, told: str) -> ValueSpec:
    return ValueSpec(name, label, ValueKind.NUMBER, default, told)


def _start(name: str, metalness: float, roughness: float, clear_coat: float = 0.0) -> tuple[str, Mapping[str, float]]:
    return name, {"metalness": metalness, "roughness": roughness, "clear_coat": clear_coat}


COAT = CoatKind(
    name="finish",
    starts=(
        _start("Raw timber", 0.0, 0.85), _start("Matte", 0.0, 0.5), _start("Satin", 0.0, 0.2),
        _start("Varnish", 0.0, 0.45, 1.0), _start("Wet deck", 0.0, 0.3, 0.6), _start("Limewash", 0.0, 1.0),
        _start("Brushed tin", 1.0, 0.45), _start("Bright brass", 1.0, 0.12), _start("Old iron", 0.8, 0.7),
    ),
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
            choices=(("replace", "Replace the maps"), ("scale", "Multiply the maps"), ("add", "Add to the maps")),
        ),
    ),
    formula=formula,
    group=Group.SURFACE,
    place=1,
    sets=("metalness", "roughness", "clear_coat"),
)  # fmt: skip
