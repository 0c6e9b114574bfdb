"""What a check finds."""

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum

from even_palette.core.arrays import Bools, Floats, Samples
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.commands import Command
from even_palette.core.raster.plane import Plane
from even_palette.core.regions.patches import Patches, patches_in, patches_where
from even_palette.core.results.looks import Look

PIXELS_AROUND = 4

Place = tuple[float, float, float, float]
"""Left, top, right and bottom of a place in uv."""


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

    `sheet` and `region` are keys of what it is about, "" where it is about none; `look` is the kind of look that shows
    it best. `place` is where that is, left, top, right, bottom in uv. `other` is another way to mend it, and `variant`
    where it is worst, if that is not everywhere. `distance` is from how far it is seen, in texels a pixel.
    """

    stage: str
    severity: Severity
    text: str
    region: str = ""
    look: str = ""
    sheet: str = ""
    place: Place | None = None
    mend: Mend | None = None
    other: Mend | None = None
    variant: str = ""
    distance: int = 1

    @property
    def mends(self) -> tuple[Mend, ...]:
        """All ways to mend it, the first one being what most want."""
        return tuple(mend for mend in (self.mend, self.other) if mend is not None)


def look_at(finding: Finding, variant: str) -> Look | None:
    """What shows a finding best, in the variant that is selected; None for one that nothing shows."""
    match finding.look:
        case "":
            return None
        case "result":
            return Look(variant=finding.variant or variant)
        case "runtime":
            return Look("runtime", finding.variant or variant, distance=finding.distance)
        case "weight":
            return Look("weight", region=finding.region)
        case kind:
            return Look(kind)


def look_of(finding: Finding) -> Look:
    """What shows best what a mend of a finding changes."""
    if finding.look in ("result", "runtime"):
        return Look(finding.look, finding.variant, distance=finding.distance)
    return Look("weight", region=finding.region) if finding.look == "weight" else Look("mask_sum")


def place_of(chosen: Bools, cancel: CancelToken | None = None) -> Place | None:
    """The rectangle around the largest patch of chosen texels (H, W). Raises Cancelled."""
    return place_among(patches_in(chosen, False, cancel))


def place_around(uv: Floats, distance: int, size: tuple[int, int]) -> Place:
    """The rectangle around a point, the first of uv (n, 2), of some pixels of so many texels each of a sheet's size."""
    across, down = (PIXELS_AROUND * distance / side for side in size)
    u, v = (float(part) for part in uv.reshape(-1, 2)[0] % 1.0)
    return max(0.0, u - across), max(0.0, v - down), min(1.0, u + across), min(1.0, v + down)


def place_where(plane: Plane, choose: Callable[[Samples], Bools], cancel: CancelToken | None = None) -> Place | None:
    """The same of the texels that are chosen by the samples (h, w) of a plane's first channel. Raises Cancelled."""
    return place_among(patches_where(plane, choose, False, cancel))


def place_among(patches: Patches, which: Bools | None = None) -> Place | None:
    """The rectangle around the largest of the patches that are chosen (count,), or of all."""
    sizes = patches.sizes if which is None else patches.sizes * which
    if not sizes.any():
        return None
    left, top, right, bottom = patches.bounds(int(sizes.argmax()))
    return left / patches.width, top / patches.height, right / patches.width, bottom / patches.height
