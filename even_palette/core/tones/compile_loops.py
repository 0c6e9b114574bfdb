"""Compiles the loops of this package, so that the first palette does not wait: `python -m ….tones.compile_loops`.

The compiled code is kept in the cache folders of Numba.
"""

import numpy as np

from even_palette.core.arrays import float32
from even_palette.core.noise import Noise, noise_at
from even_palette.core.tones.colours import count_colours
from even_palette.core.tones.index_map import Dither, index_map
from even_palette.core.tones.palette_fit import fit_palette
from even_palette.core.tones.strands import smooth_strands


def main() -> None:
    """Run every compiled loop on a small gradient."""
    rgb = np.arange(8 * 8 * 3, dtype=np.uint8).reshape(8, 8, 3)
    entries = fit_palette(count_colours([rgb]), 4)
    index_map(rgb, entries, Dither.DIFFUSED)
    fit_palette(count_colours([rgb[:1, :3]]), 4)
    smooth_strands(float32(rgb / 255), 2)
    noise_at(float32(rgb[0] / 255), Noise())


if __name__ == "__main__":
    main()
