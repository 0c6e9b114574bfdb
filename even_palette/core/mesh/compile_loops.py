"""Compiles the loops of this package, so that the first mesh does not wait: `python -m …mesh.compile_loops`.

The compiled code is kept in the cache folders of Numba.
"""

from pathlib import Path

import numpy as np

from even_palette.core.arrays import float32
from even_palette.core.mesh.bake import make_bake
from even_palette.core.mesh.bakes import BAKES
from even_palette.core.mesh.bakes._declare import Ground
from even_palette.core.mesh.files import MeshLimits
from even_palette.core.mesh.files.obj import read_obj
from even_palette.core.mesh.footprint import footprint
from even_palette.core.mesh.raster import overlapping_faces
from even_palette.core.mesh.scatter import scatter
from even_palette.core.mesh.smoothing import smoothed
from even_palette.core.mesh.texels import surface_texels
from even_palette.core.mesh.uv_lines import uv_lines

TRIANGLE = b"v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nvn 0 0 1\nf 1/1/1 2/2/1 3/3/1\n"


def main() -> None:
    """Run every compiled loop on one triangle."""
    mesh = read_obj(TRIANGLE, Path("triangle.obj"), MeshLimits())
    ground = Ground(mesh, mesh.uv_sets[0], np.zeros((1, 3), np.uint8), np.zeros(1, dtype=bool))
    for name in ("id_colours", "occlusion", "thickness"):
        make_bake(BAKES[name], ground, {"rays": 16.0}, 256, 2, 2)
    seen = footprint(ground.uv, 64, 64, 2, 2)
    surface_texels(mesh, ground.uv, seen)
    overlapping_faces(float32(np.repeat(ground.uv, 2, axis=0)), seen.claims * 2)
    uv_lines(ground.uv, 64, 64)
    smoothed(np.zeros((4, 4, 3), np.float32), np.zeros((4, 4), np.int64), np.zeros((4, 4, 3), np.float32), 1)
    scatter(np.ones(4), [1.0, 1.0], 1, False, np.array([[0, 1], [1, 2]]))


if __name__ == "__main__":
    main()
