"""Resolving variants: from a name to the value of every parameter."""

from collections.abc import Sequence

from even_palette.core.material.model import Parameter, Setting, Variant

MASTER = ""
"""The name under which the parameters' own defaults are asked for."""


def lineage(variants: Sequence[Variant], name: str) -> list[Variant]:
    """The variant and its ancestors, nearest first; empty for the master.

    Raises KeyError for an unknown name and ValueError for a variant that inherits from itself.
    """
    by_name = {variant.name: variant for variant in variants}
    line: list[Variant] = []
    at: str | None = name or None
    while at is not None:
        variant = by_name[at]
        if variant in line:
            raise ValueError(f"Variant “{name}” inherits from itself.")
        line.append(variant)
        at = variant.parent
    return line


def resolve(parameters: Sequence[Parameter], variants: Sequence[Variant], name: str) -> dict[str, Setting]:
    """The value of every parameter in a variant: its own, else its nearest ancestor's, else the default."""
    settings = {parameter.name: parameter.default for parameter in parameters}
    for variant in reversed(lineage(variants, name)):
        settings.update({key: value for key, value in variant.values.items() if key in settings})
    return settings
