"""Meshes to test with: generated ones of trimesh, real ones out of PyVista's wheel."""

from pathlib import Path

import numpy as np
import pytest
import pyvista.examples
import trimesh

from even_palette.core.mesh.model import Mesh, build_mesh

REAL = Path(pyvista.examples.__file__).parent


def of_trimesh(made: trimesh.Trimesh, split: bool = False) -> Mesh:
    """Our mesh of a trimesh; `split` gives every face corners of its own, as exporters do at hard edges."""
    vertices, faces = np.asarray(made.vertices, dtype=np.float32), np.asarray(made.faces)
    if split:
        return build_mesh(vertices[faces].reshape(-1, 3), np.arange(faces.size).reshape(-1, 3))
    return build_mesh(vertices, faces)


def quads(boxes: list[tuple[float, float, float, float]]) -> Mesh:
    """A mesh of separate rectangles in the plane z = 0 whose UVs are their places (left, top, right, bottom)."""
    places, faces, uv = [], [], []
    for number, (left, top, right, bottom) in enumerate(boxes):
        ring = [(left, top), (right, top), (right, bottom), (left, bottom)]
        places += [(x, -y, 0.01 * number) for x, y in ring]
        for triangle in ((0, 3, 2), (0, 2, 1)):
            faces.append([4 * number + i for i in triangle])
            uv.append([ring[i] for i in triangle])
    return build_mesh(np.float32(places), np.array(faces), (np.float32(uv),))


@pytest.fixture(scope="session")
def plane_mesh() -> Path:
    """A real mesh of an airplane, PLY, of the PyVista wheel."""
    return REAL / "airplane.ply"
