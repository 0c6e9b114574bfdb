"""Resolving variants: from a key to the value of every parameter."""

from collections.abc import Sequence

from even_palette.core.material.model import Parameter, Setting, Track, Variant
from even_palette.core.material.tracks import values_at

MASTER = ""
"""The key under which the parameters' own defaults are asked for."""


def lineage(variants: Sequence[Variant], key: str) -> list[Variant]:
    """The variant and its ancestors, nearest first; empty for the master.

    Raises KeyError for an unknown key and ValueError for a variant that inherits from itself.
    """
    if key == MASTER:
        return []
    by_key = {variant.key: variant for variant in variants}
    line: dict[str, Variant] = {}
    at: str | None = key
    while at is not None:
        if at in line:
            raise ValueError(f"Variant “{by_key[key].name}” inherits from itself.")
        line[at] = by_key[at]
        at = by_key[at].parent
    return list(line.values())


def resolve_all(parameters: Sequence[Parameter], variants: Sequence[Variant]) -> dict[str, dict[str, Setting]]:
    """What `resolve` gives for the master and every variant, by key; each is worked out once from its parent's.

    Raises KeyError or ValueError as `lineage` does.
    """
    found = {MASTER: {parameter.key: parameter.default for parameter in parameters}}
    kinds = {parameter.key: parameter for parameter in parameters}
    by_key = {variant.key: variant for variant in variants}
    for variant in variants:
        line: dict[str, Variant] = {}
        at = variant.key
        while at not in found:
            if at in line:
                raise ValueError(f"Variant “{variant.name}” inherits from itself.")
            line[at] = by_key[at]
            at = by_key[at].parent or MASTER
        for key, one in reversed(line.items()):
            above = found[one.parent or MASTER]
            own = {name: value for name, value in one.values.items() if name in above}
            found[key] = {**above, **own, **values_at(one.tracks, kinds, 0.0)}
    return found


def resolve(
    parameters: Sequence[Parameter], variants: Sequence[Variant], key: str, time: float = 0.0
) -> dict[str, Setting]:
    """The value of every parameter in a variant at a time in seconds, by key: its own, else its nearest ancestor's,
    else the default. This is the one resolver for window, packages and bakes.
    """
    settings = {parameter.key: parameter.default for parameter in parameters}
    kinds = {parameter.key: parameter for parameter in parameters}
    for variant in reversed(lineage(variants, key)):
        settings.update({name: value for name, value in variant.values.items() if name in settings})
        settings.update(values_at(variant.tracks, kinds, time))
    return settings


def tracks_of(variants: Sequence[Variant], key: str) -> dict[str, Track]:
    """The tracks of a variant, by parameter: its own, else its nearest ancestor's that no value lies over."""
    found = dict[str, Track]()
    for variant in reversed(lineage(variants, key)):
        found = {name: track for name, track in found.items() if name not in variant.values} | variant.tracks
    return found
