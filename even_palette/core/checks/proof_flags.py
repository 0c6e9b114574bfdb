"""Maps that the runtime would decode wrongly."""

from collections.abc import Iterator

import numpy as np
from msgspec.structs import replace

from even_palette.core.checks._finding import Finding, Mend, Severity
from even_palette.core.checks._proof import meant_of
from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.jobs import CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.model import Focus
from even_palette.core.proof.conditions import MapFacts, ReadAs, conditions_of
from even_palette.core.results.proof import map_label
from even_palette.core.results.sheets import Sheets


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """Of the conditions of a sheet: numbers that are read as colour, and colour that is not decoded."""
    conditions, found = at.sheet.conditions, meant_of(at, sheets)
    if found is None:
        return
    for name in found.names:
        own = conditions_of(conditions, name, found.facts[name])
        if not is_misread(own.read_as, found.facts[name]):
            continue
        label = map_label(at, found, name)
        if found.facts[name].is_srgb:
            told = f"{label} is read without decoding: a mid-grey of 0.5 counts as 0.5, and not as {_half():.2f}."
        else:
            told = f"{label} is read as if it were sRGB colour: 0.5 counts as {_half():.2f}."
        mended = {**conditions.maps, name: replace(own, read_as=ReadAs.MEANT)}
        command = commands.set_conditions(at.key, replace(conditions, maps=mended))
        yield Finding("Proof", Severity.WARNING, told, look="runtime", mend=Mend("Read it as it is meant", command))


def is_misread(read_as: ReadAs, facts: MapFacts) -> bool:
    """Whether a map is not decoded as it is meant."""
    return read_as == (ReadAs.DATA if facts.is_srgb else ReadAs.SRGB)


def _half() -> float:
    return float(srgb_to_linear(np.array([0.5], dtype=np.float32))[0])
