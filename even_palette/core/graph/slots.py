"""Slots: what an expression samples, a chain or a stack of chains with the way in which it is sampled."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

from even_palette.core.raster.chain import Chain
from even_palette.core.raster.plane import Plane
from even_palette.core.raster.sampling import SMOOTH, Sampler

MOST_UNITS = 16
"""Texture units that OpenGL 3.3 and WebGL 2 grant a fragment shader."""


@dataclass(frozen=True, eq=False)
class Slot:
    """A plane with its mips, or planes of one size as the layers of an array texture, with their sampler.

    With `shares` its channels say how much of something there is at a texel, and are 0 over much of the sheet: loops
    leave out what is weighed by them there.
    """

    chains: tuple[Chain, ...]
    sampler: Sampler = SMOOTH
    is_array: bool = False
    shares: bool = False

    @property
    def planes(self) -> tuple[Plane, ...]:
        """The finest level of each layer."""
        return tuple(chain.plane for chain in self.chains)

    @property
    def chain(self) -> Chain:
        """The only one, or the first layer."""
        return self.chains[0]

    @property
    def plane(self) -> Plane:
        """The finest level of the only chain, or of the first layer."""
        return self.chain.plane

    @cached_property
    def content_id(self) -> str:
        """Names what the slot holds; equal names mean equal planes in equal order."""
        return "+".join(chain.content_id for chain in self.chains)


def of(plane: Plane, sampler: Sampler = SMOOTH, shares: bool = False) -> Slot:
    """The slot of a single plane."""
    return Slot((Chain(plane),), sampler, shares=shares)


def layers(planes: Sequence[Plane], sampler: Sampler = SMOOTH, shares: bool = False) -> Slot:
    """The slot of planes of one size as the layers of an array."""
    return Slot(tuple(map(Chain, planes)), sampler, is_array=True, shares=shares)
