"""Which region each face of a mesh was given to, as the kit stores it."""

import zlib
from typing import Any

import numpy as np

from even_palette.core.arrays import Bools, Samples
from even_palette.core.errors import UserError
from even_palette.core.kit.mesh_file import FaceRegions
from even_palette.core.limits import MOST_FACE_REGIONS

LEVEL = 3


def pack_faces(labels: Samples, regions: tuple[str, ...]) -> FaceRegions:
    """Labels (F,), -1 for none or the number of a region, as stored; regions that no face has are left out.

    Raises UserError for more regions than a mesh can have.
    """
    used = np.unique(labels[labels >= 0])
    if len(used) > MOST_FACE_REGIONS:
        raise UserError(f"One mesh can have faces of at most {MOST_FACE_REGIONS:,} regions.")
    place = np.zeros(len(regions) + 1, dtype=_kind(len(used)))
    place[used] = np.arange(1, len(used) + 1)
    data = place[labels]  # -1 is the last one, which stays 0
    return FaceRegions(len(labels), tuple(regions[i] for i in used), zlib.compress(data.tobytes(), LEVEL))


def unpack_faces(stored: FaceRegions, count: int) -> Samples:
    """The number of each face's region in `stored.regions`, (count,) int32, -1 for none.

    All -1 where the stored faces are not those of a mesh with `count` faces.
    """
    none = np.full(count, -1, dtype=np.int32)
    if stored.count != count or not stored.packed:
        return none
    kind = _kind(len(stored.regions))
    data = _inflated(stored.packed, count * kind.itemsize)
    if len(data) != count * kind.itemsize:
        return none
    labels = np.frombuffer(data, dtype=kind).astype(np.int32) - 1
    labels[labels >= len(stored.regions)] = -1
    return labels


def without_region(stored: FaceRegions, region: str) -> FaceRegions:
    """What is stored, with the faces of a region belonging to none; the same where it has none."""
    if region not in stored.regions:
        return stored
    labels = unpack_faces(stored, stored.count)
    labels[labels == stored.regions.index(region)] = -1
    return pack_faces(labels, stored.regions)


def is_readable(stored: FaceRegions) -> bool:
    """Whether what is stored can be unpacked to one known region number a face."""
    if not stored.packed:
        return not stored.regions
    kind = _kind(len(stored.regions))
    data = _inflated(stored.packed, stored.count * kind.itemsize)
    if len(data) != stored.count * kind.itemsize:
        return False
    return int(np.frombuffer(data, dtype=kind).max(initial=0)) <= len(stored.regions)


def _kind(regions: int) -> "np.dtype[np.unsignedinteger[Any]]":
    """In which numbers so many regions and none are told apart."""
    return np.dtype("u1" if regions < 1 << 8 else "<u2")


def pack_chosen(chosen: Bools) -> bytes:
    """Chosen faces (F,) as stored."""
    return zlib.compress(chosen.astype(np.uint8).tobytes(), LEVEL) if chosen.any() else b""


def unpack_chosen(stored: bytes, count: int) -> Bools:
    """The chosen faces (count,); none where the stored ones are not of a mesh with `count` faces."""
    data = _inflated(stored, count) if stored else b""
    return np.frombuffer(data, dtype=np.uint8) > 0 if len(data) == count else np.zeros(count, dtype=bool)


def _inflated(stored: bytes, size: int) -> bytes:
    """At most size + 1 bytes, so that a hostile stream stays small."""
    try:
        return zlib.decompressobj().decompress(stored, size + 1)
    except zlib.error:
        return b""
