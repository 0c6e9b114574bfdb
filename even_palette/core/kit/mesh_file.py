"""A mesh that a kit reads, and which of its faces were given to which regions."""

from enum import StrEnum
from typing import Annotated

import msgspec
from msgspec import Meta

from even_palette.core.limits import MOST_FACE_REGIONS, MOST_FACES, MOST_UV_SETS
from even_palette.core.ranges import Key, Natural


class Unit(StrEnum):
    """What one unit of a mesh file is."""

    METRE = "m"
    CENTIMETRE = "cm"
    MILLIMETRE = "mm"
    INCH = "in"


class Up(StrEnum):
    """The axis of a mesh file that points up."""

    Y = "y"
    Z = "z"


class FaceRegions(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Which region each of `count` faces was given to.

    `packed` is a zlib stream (RFC 1950) of one number a face: 0 for none, i + 1 for the region with the i-th key.
    Numbers have one byte, or two, the lower one first, where there are more than 255 regions.
    """

    count: Annotated[int, Meta(ge=0, le=MOST_FACES)] = 0
    regions: Annotated[tuple[str, ...], Meta(max_length=MOST_FACE_REGIONS)] = ()
    packed: bytes = b""


class MeshFile(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A mesh that the kit reads from a file; path as for maps. Its material slots lie on `sheet` or where `slots` says.

    A `reference` lies on no sheet; it is there to take region IDs from. `roots` are picked root faces, packed like
    those of FaceRegions.
    """

    key: Key
    path: str
    sheet: str
    size: Natural = 0
    sha256: str = ""
    unit: Unit = Unit.METRE
    up: Up = Up.Y
    uv_set: Annotated[int, Meta(ge=0, lt=MOST_UV_SETS)] = 0
    unwrap: bool = False
    reference: bool = False
    slots: dict[str, str] = {}
    faces: FaceRegions = FaceRegions()
    roots: bytes = b""
