"""What a pixel covers of a plane: the mip level that fits, and the probes that an anisotropic filter takes."""

from dataclasses import dataclass

import numpy as np

from even_palette.core.raster.sampling import Filter, Sampler

SAME_SIZE = 1.0001
"""A pixel of at most so many texels is as large as a texel: uv are rounded."""


@dataclass(frozen=True)
class Covered:
    """How a plane is sampled for a pixel: at a `level`, in so many `probes` along an `axis`, how far uv goes."""

    level: float
    probes: int = 1
    axis: tuple[float, float] = (0.0, 0.0)

    @property
    def shifts(self) -> list[tuple[float, float]]:
        """How far in uv each probe lies from the middle."""
        steps = [number / (self.probes + 1) - 0.5 for number in range(1, self.probes + 1)]
        return [(self.axis[0] * step, self.axis[1] * step) for step in steps]


def covered_by(width: int, height: int, pixel: tuple[float, float, float, float], sampler: Sampler) -> Covered:
    """What a pixel covers of a plane that lies over the sheet as it is, the level at least 0.

    `pixel` is how far uv goes in one pixel to the right (two numbers) and in one down; 0 where nothing is minified.
    The level is the log2 of the longer of both in texels, plus the bias (OpenGL 4.6, section 8.14.1). With anisotropy
    there are as many probes as the longer is times the shorter, at most those allowed, and the level is that of a probe
    (OpenGL 4.6, section 8.14, equations of "anisotropic filtering", as in EXT_texture_filter_anisotropic). It needs
    levels, and a linear filter.
    """
    sides = [np.hypot(pixel[at] * width, pixel[at + 1] * height) for at in (0, 2)]
    longest, probes, axis = float(max(sides)), 1, (0.0, 0.0)
    if sampler.anisotropy > 1 and sampler.mips and sampler.filter == Filter.LINEAR and longest > SAME_SIZE:
        times = longest / max(float(min(sides)), 1e-9)
        probes = int(min(np.ceil(times - 1e-4), sampler.anisotropy))
        axis = (pixel[0], pixel[1]) if sides[0] >= sides[1] else (pixel[2], pixel[3])
        longest /= probes
    if longest <= 0:
        return Covered(0.0)
    level = float(np.log2(longest)) if abs(longest - 1) > SAME_SIZE - 1 else 0.0
    return Covered(max(level + sampler.bias, 0.0), probes, axis)
