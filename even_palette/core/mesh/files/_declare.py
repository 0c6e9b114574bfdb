"""What a format of mesh files declares, and what a file may ask for."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path

from even_palette.core.arrays import Levels
from even_palette.core.disk.gate import check_memory
from even_palette.core.errors import UserError
from even_palette.core.mesh.model import Mesh

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


@dataclass(frozen=True, eq=False)
class MeshFormat:
    """A format of mesh files.

    `read` gives the mesh of a file that holds these bytes, known by an id; it may raise UserError, and whatever damaged
    bytes make Python raise. Files of the suffixes in `parted` may need others: `beside` gives those that are named and
    that are there, in their order. The `writers`, by suffix, write a mesh with a colour a face, (F, 3) uint8; they
    raise OSError.
    """

    suffixes: tuple[str, ...]
    read: Callable[[bytes, Path, MeshLimits, str], Mesh]
    parted: tuple[str, ...] = ()
    beside: Callable[[bytes, Path], list[Path]] = lambda data, path: []
    writers: Mapping[str, Callable[[Path, Mesh, Levels], None]] = field(default_factory=dict)
