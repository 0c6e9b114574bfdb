"""Meshes by assimp (the Open Asset Import Library): runs in the process that `_apart` starts."""

from pathlib import Path
from typing import Any

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.errors import UserError
from even_palette.core.mesh.files._apart import Found
from even_palette.core.mesh.files._declare import MeshLimits
from even_palette.core.raster.plane import to_levels8

MOST_NODES = 100_000
MOST_SETS = 8


def read(path: Path, limits: MeshLimits) -> Found:
    """All triangles of a file, each mesh wherever a node places it. Raises UserError, and what the library raises."""
    import assimp_py

    steps = assimp_py.Process_Triangulate | assimp_py.Process_SortByPType | assimp_py.Process_FindInvalidData
    scene = assimp_py.import_file(str(path), steps)
    parts: list[_Part] = []
    faces = vertices = 0
    waiting = [(scene.root_node, np.eye(4))]
    seen = 0
    while waiting:
        node, above = waiting.pop()
        seen += 1
        if seen > MOST_NODES:
            raise UserError(f"it has more than {MOST_NODES:,} nodes.")
        matrix = above @ np.array(node.transformation, np.float64).reshape(4, 4)
        for number in node.mesh_indices:
            mesh = scene.meshes[number]
            faces, vertices = faces + mesh.num_faces, vertices + mesh.num_vertices
            limits.check("it", "faces", faces)
            limits.check("it", "vertices", vertices)
            part = _part(mesh, matrix, node.name)
            if part is not None:
                parts.append(part)
        waiting += [(child, matrix) for child in reversed(node.children)]
    if not parts:
        raise UserError("there are no triangles in it.")
    return _together(parts, [str(material.get("NAME", "")) or "Material" for material in scene.materials])


class _Part:
    """A mesh where a node places it; what it has at vertices, and its triangles."""

    def __init__(self, corners: Samples, positions: Samples, normals: Floats | None, mesh: Any, title: str) -> None:
        self.corners, self.positions, self.normals, self.title = corners, positions, normals, title
        self.material = int(mesh.material_index)
        sizes = list(mesh.num_uv_components or [])
        given = list(mesh.texcoords or [])[:MOST_SETS]
        self.uv_sets = [_rows(uv, size)[:, :2] for uv, size in zip(given, sizes, strict=False) if size >= 2]
        colours = [each for each in (mesh.colors or []) if each is not None]
        self.colours = _rows(colours[0], 4)[:, :3] if colours else None


def _rows(values: Any, width: int) -> Samples:
    return np.array(values, dtype=np.float64).reshape(-1, width)


def _part(mesh: Any, matrix: Samples, title: str) -> _Part | None:
    corners = np.array(mesh.indices, dtype=np.int64)
    if not len(corners) or len(corners) % 3:  # points and lines
        return None
    corners = corners.reshape(-1, 3)
    turn = matrix[:3, :3]
    positions = _rows(mesh.vertices, 3) @ turn.T + matrix[:3, 3]
    normals = None
    if mesh.normals is not None and len(mesh.normals):
        # Normals go by the cofactors, which are the inverse transposed without its division.
        cofactors = np.stack([np.cross(turn[1], turn[2]), np.cross(turn[2], turn[0]), np.cross(turn[0], turn[1])])
        normals = float32(_rows(mesh.normals, 3) @ cofactors.T)
    if np.linalg.det(turn) < 0:
        corners = corners[:, ::-1]
        normals = None if normals is None else -normals
    return _Part(corners, positions, normals, mesh, title or mesh.name or "Mesh")


def _together(parts: list[_Part], materials: list[str]) -> Found:
    first = np.cumsum([0, *(len(part.positions) for part in parts)])
    slots = tuple(dict.fromkeys(materials[part.material] for part in parts))
    objects = tuple(dict.fromkeys(part.title for part in parts))
    counts = [len(part.corners) for part in parts]
    sets = min(len(part.uv_sets) for part in parts)
    uv_sets = [np.concatenate([part.uv_sets[number][part.corners] for part in parts]) for number in range(sets)]
    normals = None
    if all(part.normals is not None for part in parts):
        normals = np.concatenate([part.normals[part.corners] for part in parts])  # type: ignore[index]
    colours = None
    if any(part.colours is not None for part in parts):
        white = [np.ones((len(p.positions), 3)) if p.colours is None else p.colours for p in parts]
        shades = np.concatenate([each[part.corners] for each, part in zip(white, parts, strict=True)])
        colours = to_levels8(np.clip(np.nan_to_num(shades), 0, 1))
    missing = sets < max(len(part.uv_sets) for part in parts)
    return Found(
        np.concatenate([part.positions for part in parts]),
        np.concatenate([part.corners + at for part, at in zip(parts, first[:-1], strict=True)]),
        tuple(float32(np.stack([uv[..., 0], 1 - uv[..., 1]], axis=-1)) for uv in uv_sets),
        normals,
        colours,
        slots,
        np.repeat([slots.index(materials[part.material]) for part in parts], counts),
        objects,
        np.repeat([objects.index(part.title) for part in parts], counts),
        ("Some of its parts have more UV sets than others; those that all have are taken.",) if missing else (),
    )
