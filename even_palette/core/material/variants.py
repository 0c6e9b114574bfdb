"""Resolving variants: from a name to the value of every parameter."""

from collections.abc import Sequence

from even_palette.core.material.model import Parameter, Setting, Variant

MASTER = ""
"""The name under which the parameters' own defaults are asked for."""


def lineage(variants: Sequence[Variant], name: str) -> list[Variant]:
    """The variant and its ancestors, nearest first; empty for the master.

    Raises KeyError for an unknown name and ValueError for a variant that inherits from itself.
    """
    if not name:
        return []
    by_name = {variant.name: variant for variant in variants}
    line: dict[str, Variant] = {}
    at: str | None = name
    while at is not None:
        if at in line:
            raise ValueError(f"Variant “{name}” inherits from itself.")
        line[at] = by_name[at]
        at = by_name[at].parent
    return list(line.values())


def resolve_all(parameters: Sequence[Parameter], variants: Sequence[Variant]) -> dict[str, dict[str, Setting]]:
    """What `resolve` gives for the master and every variant, by name; each is worked out once from its parent's.

    Raises KeyError or ValueError as `lineage` does.
    """
    found = {MASTER: {parameter.name: parameter.default for parameter in parameters}}
    by_name = {variant.name: variant for variant in variants}
    for variant in variants:
        line: dict[str, Variant] = {}
        at = variant.name
        while at not in found:
            if at in line:
                raise ValueError(f"Variant “{variant.name}” inherits from itself.")
            line[at] = by_name[at]
            at = by_name[at].parent or MASTER
        for name, one in reversed(line.items()):
            above = found[one.parent or MASTER]
            found[name] = {**above, **{key: value for key, value in one.values.items() if key in above}}
    return found


def resolve(parameters: Sequence[Parameter], variants: Sequence[Variant], name: str) -> dict[str, Setting]:
    """The value of every parameter in a variant: its own, else its nearest ancestor's, else the default."""
    settings = {parameter.name: parameter.default for parameter in parameters}
    for variant in reversed(lineage(variants, name)):
        settings.update({key: value for key, value in variant.values.items() if key in settings})
    return settings
