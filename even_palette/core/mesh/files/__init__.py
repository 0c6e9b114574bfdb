"""Meshes from files: every module of this package that declares a MESH_FORMAT. Adding a format is adding a file.

Input is hostile: counts are checked before memory is asked for.
"""

import hashlib
import struct
from pathlib import Path

import msgspec

from even_palette.core.arrays import Levels
from even_palette.core.declared import declared
from even_palette.core.disk.gate import read_bytes, reason
from even_palette.core.errors import UserError
from even_palette.core.mesh.files._declare import MeshFormat, MeshLimits
from even_palette.core.mesh.model import Mesh

MESH_FORMATS: dict[str, MeshFormat] = {
    suffix: kind for kind in declared(__name__, __path__, "MESH_FORMAT") for suffix in kind.suffixes
}
"""The formats by suffix."""
READABLE = tuple(MESH_FORMATS)
WRITABLE = tuple(suffix for kind in dict.fromkeys(MESH_FORMATS.values()) for suffix in kind.writers)
DAMAGED = (KeyError, IndexError, TypeError, ValueError, OverflowError, AttributeError, RecursionError, struct.error,
           msgspec.MsgspecError, MemoryError)  # fmt: skip


def read_mesh(path: Path, limits: MeshLimits | None = None) -> Mesh:
    """Read the triangles of a mesh file; polygons are cut into fans. Lines, points and animation are left out.

    The mesh is known by the SHA-256 of what was read (see `content_of`). Raises UserError, naming the file, for what
    cannot be read or exceeds the limits.
    """
    limits = limits or MeshLimits()
    kind = MESH_FORMATS.get(path.suffix.lower())
    if kind is None:
        raise UserError(f"{path.name}: this kind of mesh is not read; use {', '.join(READABLE)}.")
    data = read_bytes(path, limits.file_bytes)
    known_id = content_of(path, data)
    limits = limits.of_file(len(data))
    try:
        mesh = kind.read(data, path, limits, known_id)
    except DAMAGED as error:
        told = " ".join(str(error).split())[:120]
        raise UserError(f"{path.name}: the mesh is damaged ({type(error).__name__}: {told}).") from None
    if not mesh.face_count:
        raise UserError(f"{path.name}: there are no triangles in it.")
    if is_parted(path) and content_of(path, data) != known_id:
        raise UserError(f"{path.name}: a file beside it was written to while it was read; try again.")
    return mesh


def write_mesh(path: Path, mesh: Mesh, colours: Levels) -> None:
    """Write a mesh with a colour a face, (F, 3) uint8, as vertex colours, in the format of the suffix.

    Raises UserError, naming the file, where there is none, and if it cannot be written.
    """
    suffix = path.suffix.lower()
    if suffix not in WRITABLE:
        raise UserError(f"{path.name}: this kind of mesh is not written; use {' or '.join(WRITABLE)}.")
    try:
        MESH_FORMATS[suffix].writers[suffix](path, mesh, colours)
    except OSError as error:
        raise UserError(f"{path}: cannot be written ({reason(error)}).") from error


def is_parted(path: str | Path) -> bool:
    """Whether a file of this name may need others beside it."""
    suffix = Path(path).suffix.lower()
    return suffix in MESH_FORMATS and suffix in MESH_FORMATS[suffix].parted


def content_of(path: Path, data: bytes) -> str:
    """The SHA-256 of a mesh file that holds `data`, together with the files beside it that it names."""
    digest = hashlib.sha256(data)
    for other in MESH_FORMATS[path.suffix.lower()].beside(data, path) if is_parted(path) else ():
        digest.update(hashlib.sha256(read_bytes(other, MeshLimits().file_bytes)).digest())
    return digest.hexdigest()


__all__ = [
    "MESH_FORMATS",
    "READABLE",
    "WRITABLE",
    "MeshFormat",
    "MeshLimits",
    "content_of",
    "is_parted",
    "read_mesh",
    "write_mesh",
]
