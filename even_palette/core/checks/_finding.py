"""What a check finds."""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from even_palette.core.arrays import Bools
from even_palette.core.kit.commands import Command
from even_palette.core.results.looks import Look, LookKind


class Severity(StrEnum):
    ERROR = "error"
    WARNING = "warning"
    NOTE = "note"


@dataclass(frozen=True, eq=False)
class Mend:
    """What would mend a finding: a few words, and the command that does it."""

    label: str
    command: Command


@dataclass(frozen=True)
class Finding:
    """One finding: the stage where it is mended, how bad it is, and one sentence with the numbers.

    `sheet` and `region` are keys of what it is about, "" where it is about none; `look` is what shows it best: "heat",
    "layout", "id", "weight", "source" or "result". `place` is where that is, left, top, right, bottom in uv.
    """

    stage: str
    severity: Severity
    text: str
    region: str = ""
    look: str = ""
    sheet: str = ""
    place: tuple[float, float, float, float] | None = None
    mend: Mend | None = None


def look_of(finding: Finding) -> Look:
    """What shows best what a mend of a finding changes."""
    return Look(LookKind.WEIGHT, region=finding.region) if finding.look == "weight" else Look(LookKind.HEAT)


def place_of(chosen: Bools) -> tuple[float, float, float, float] | None:
    """The rectangle in uv around the largest patch of chosen texels (H, W)."""
    from scipy.ndimage import find_objects, label

    patches, count = label(chosen)
    if not count:
        return None
    largest = int(np.bincount(patches.ravel())[1:].argmax())
    rows, columns = find_objects(patches)[largest]
    height, width = chosen.shape
    return (columns.start / width, rows.start / height, columns.stop / width, rows.stop / height)
