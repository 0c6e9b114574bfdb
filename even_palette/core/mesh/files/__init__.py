"""Meshes from files: OBJ, PLY, glTF and GLB. Input is hostile: counts are checked before memory is asked for."""

from __future__ import annotations

import hashlib
import struct
from dataclasses import dataclass, replace
from pathlib import Path

import msgspec

from even_palette.core.disk.gate import check_memory, read_bytes
from even_palette.core.errors import UserError
from even_palette.core.mesh.model import Mesh

READABLE = (".obj", ".ply", ".glb", ".gltf")
DAMAGED = (KeyError, IndexError, TypeError, ValueError, OverflowError, AttributeError, RecursionError, struct.error,
           msgspec.MsgspecError, MemoryError)  # fmt: skip

FACE_BYTES, VERTEX_BYTES = 320, 100
"""About what a face and a vertex take in memory while a mesh is built."""
LEAST_FACE, LEAST_VERTEX = 1, 3
"""Bytes that a face and a vertex take in a file at the least."""
REPEATED_FACES, REPEATED_VERTICES = 600_000, 2_000_000
"""What a small file may ask for by naming the same mesh many times."""


@dataclass(frozen=True)
class MeshLimits:
    """What a mesh file may ask for."""

    faces: int = 8_000_000
    vertices: int = 24_000_000
    file_bytes: int = 2 << 30

    def check(self, name: str, what: str, count: int) -> None:
        """Raise UserError if a count of faces or vertices is beyond the limit, below 0, or too much for the memory."""
        most = self.faces if what == "faces" else self.vertices
        if not 0 <= count <= most:
            raise UserError(f"{name}: says it has {count:,} {what}; the limit is {most:,} for this file.")
        check_memory(name, count * (FACE_BYTES if what == "faces" else VERTEX_BYTES), f"a mesh of {count:,} {what}")

    def of_file(self, size: int) -> MeshLimits:
        """The limits for a file of so many bytes: what is written out takes bytes, what is repeated may be small."""
        return replace(
            self,
            faces=min(self.faces, max(REPEATED_FACES, size // LEAST_FACE)),
            vertices=min(self.vertices, max(REPEATED_VERTICES, size // LEAST_VERTEX)),
        )


def read_mesh(path: Path, limits: MeshLimits | None = None) -> Mesh:
    """Read the triangles of a mesh file; polygons are cut into fans. Lines, points and animation are left out.

    The mesh is known by the SHA-256 of what was read (see `content_of`). Raises UserError, naming the file, for what
    cannot be read or exceeds the limits.
    """
    limits = limits or MeshLimits()
    suffix = path.suffix.lower()
    if suffix not in READABLE:
        raise UserError(f"{path.name}: this kind of mesh is not read; use {', '.join(READABLE)}.")
    data = read_bytes(path, limits.file_bytes)
    known_id = content_of(path, data)
    limits = limits.of_file(len(data))
    try:
        if suffix == ".obj":
            from even_palette.core.mesh.files.obj import read_obj

            mesh = read_obj(data, path.name, limits, known_id)
        elif suffix == ".ply":
            from even_palette.core.mesh.files.ply import read_ply

            mesh = read_ply(data, path.name, limits, known_id)
        else:
            from even_palette.core.mesh.files.gltf import read_gltf

            mesh = read_gltf(data, path, limits, known_id)
    except DAMAGED as error:
        told = " ".join(str(error).split())[:120]
        raise UserError(f"{path.name}: the mesh is damaged ({type(error).__name__}: {told}).") from None
    if not mesh.face_count:
        raise UserError(f"{path.name}: there are no triangles in it.")
    if suffix == ".gltf" and content_of(path, data) != known_id:
        raise UserError(f"{path.name}: a file beside it was written to while it was read; try again.")
    return mesh


def content_of(path: Path, data: bytes) -> str:
    """The SHA-256 of a mesh file that holds `data`; of a .gltf together with the files beside it that it names."""
    digest = hashlib.sha256(data)
    if path.suffix.lower() == ".gltf":
        from even_palette.core.mesh.files.gltf import files_beside

        for other in files_beside(data, path):
            digest.update(hashlib.sha256(read_bytes(other, MeshLimits().file_bytes)).digest())
    return digest.hexdigest()
