"""A mesh that a kit reads, and which of its faces were given to which regions."""

from enum import StrEnum
from typing import Annotated

import msgspec
from msgspec import Meta

from even_palette.core.limits import MOST_FACE_REGIONS, MOST_FACES, MOST_UV_SETS
from even_palette.core.ranges import END, Key, Natural


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


Tile = Annotated[str, Meta(pattern=f"^-?[0-9]{{1,2}} -?[0-9]{{1,2}}{END}")]
"""A tile of UVs by how many lie left of it and above it, such as "1 0" for that to the right of the first."""


MOVE_STEP = 0.25
"""Faces are moved by multiples of this, in widths and heights of the sheet."""
FARTHEST_MOVE = 40


def move_name(across: int, down: int) -> str:
    """What a move by so many steps to the right and down is called.

    >>> move_name(2, -1), move_of("2 -1")
    ('2 -1', (2, -1))
    """
    return f"{across} {down}"


def move_of(name: str) -> tuple[int, int]:
    """The steps to the right and down of a move by its name. Raises ValueError for none, or one that goes too far."""
    across, down = map(int, name.split(" "))
    if move_name(across, down) != name or max(abs(across), abs(down)) > FARTHEST_MOVE:
        raise ValueError(name)
    return across, down


class MeshFile(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A mesh that the kit reads from a file; path as for maps. Its material slots lie on `sheet` or where `slots` says;
    faces whose UVs are in other `tiles` than the first lie on the sheets that those are given.

    A `reference` lies on no sheet; it is there to take region IDs from. One that `casts` throws shade and light on
    other meshes where these are baked. `twins` are the faces of twins of sheets, packed like those of regions, and
    `moved` those that lie elsewhere on the sheet than in the file, by how far (see `move_name`); `roots` are picked
    root faces, packed like those of FaceRegions.
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
    casts: bool = True
    slots: dict[str, str] = {}
    tiles: dict[Tile, str] = {}
    faces: FaceRegions = FaceRegions()
    twins: FaceRegions = FaceRegions()
    moved: FaceRegions = FaceRegions()
    roots: bytes = b""

    @property
    def sheets(self) -> tuple[str, ...]:
        """The keys of the sheets that it may lie on."""
        return self.sheet, *self.slots.values(), *self.tiles.values()
