"""Compiles the loops of this package, so that the first ID map does not wait: `python -m ….regions.compile_loops`.

The compiled code is kept in the cache folders of Numba.
"""

import numpy as np

from even_palette.core.regions.id_colours import list_id_colours
from even_palette.core.regions.resolve_kernel import resolve_tile
from even_palette.core.regions.unmix import unmix


def main() -> None:
    """Run every compiled loop on a border between two colours."""
    levels = np.zeros((8, 8, 3), dtype=np.uint8)
    levels[:, 4], levels[:, 5:] = 120, 255
    unmix(levels, list_id_colours(levels))
    resolve_tile(np.zeros((1, 2, 2), dtype=np.uint16), False)


if __name__ == "__main__":
    main()
