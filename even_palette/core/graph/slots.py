"""Slots: what an expression samples, a plane or a stack of planes with the way in which it is sampled."""

from dataclasses import dataclass
from functools import cached_property

from even_palette.core.raster.plane import Plane
from even_palette.core.raster.sampling import SMOOTH, Sampler

MOST_UNITS = 16
"""Texture units that OpenGL 3.3 and WebGL 2 grant a fragment shader."""


@dataclass(frozen=True, eq=False)
class Slot:
    """A plane, or planes of one size as the layers of an array texture, with their sampler.

    With `shares` its channels say how much of something there is at a texel, and are 0 over much of the sheet: loops
    leave out what is weighed by them there.
    """

    planes: tuple[Plane, ...]
    sampler: Sampler = SMOOTH
    is_array: bool = False
    shares: bool = False

    @property
    def plane(self) -> Plane:
        """The plane, or the first layer."""
        return self.planes[0]

    @cached_property
    def content_id(self) -> str:
        """Names what the slot holds; equal names mean equal planes in equal order."""
        return "+".join(plane.content_id for plane in self.planes)


def of(plane: Plane, sampler: Sampler = SMOOTH) -> Slot:
    """The slot of a single plane."""
    return Slot((plane,), sampler)
