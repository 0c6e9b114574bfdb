"""The kit as an immutable tree of frozen structs, and what makes one valid."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property
from typing import Protocol, TypeVar

import msgspec
from msgspec.structs import replace

from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.material.model import (
    Blending,
    Coat,
    Parameter,
    PlaneRef,
    PlaneUse,
    Value,
    Variant,
)
from even_palette.core.material.variants import MASTER
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding
from even_palette.core.regions.keying import Metric
from even_palette.core.regions.packing import Packing
from even_palette.core.regions.paint import Paint, PaintTile
from even_palette.core.regions.steps import Join
from even_palette.core.regions.unmix import Mixing
from even_palette.core.regions.weights import Resolve
from even_palette.core.tones.palette import Palette
from even_palette.core.tones.ramp import Ramp

FORMAT = 4
MOST_SHEETS = 512
MOST_REGIONS = 255
"""On one sheet: edge pairs name a region by one byte, 0 for the base."""
MOST_FACE_REGIONS = 65535
"""On one mesh, which may lie on several sheets: a face names its region by two bytes at the most, 0 for none."""
MOST_MESHES = 64
MOST_BAKES = 64
MOST_BOXES = 64
MOST_PARAMETERS = 4096
MOST_SIDE = 16384
MOST_PAINTED = 1 << 18
"""Tiles of paint in a kit, however often one and the same occurs: 16 GiB of paint."""
MOST_COATS = 16
MOST_RECIPES = 256
MOST_STEPS = 32
MOST_MAPS = 64
MOST_TONES = 64
MOST_PALETTES = 256
MOST_PADDING = 256
MOST_MIP = 12
LEAST_BAKE, MOST_BAKE = 256, 8192
MOST_UV_SETS = 16
MOST_FACES = 8_000_000
MOST_VARIANTS = 2000
LEAST_TILING, MOST_TILING = 1 / 64, 1024.0
MOST_GRID = 16
FASTEST = 100.0
FARTHEST_VALUE = 1e6
"""Parameters lie between minus this and this, so that float32 holds them well."""


class Source(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A map that the kit reads from a file: absolute path in memory, relative to the kit in kit.json.

    `key` is an identifier that stays, whatever the map is called or is for; a sheet has one map of a role at the most.
    Width and height are in texels, 0 where they are not known yet.
    """

    key: str
    role: Role
    path: str
    encoding: Encoding
    size: int = 0
    sha256: str = ""
    width: int = 0
    height: int = 0


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

    count: int = 0
    regions: tuple[str, ...] = ()
    packed: bytes = b""


class MeshFile(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A mesh that the kit reads from a file; path as for maps. Its material slots lie on `sheet` or where `slots` says.

    A `reference` lies on no sheet; it is there to take region IDs from. `roots` are picked root faces, packed like
    those of FaceRegions.
    """

    key: str
    path: str
    sheet: str
    size: int = 0
    sha256: str = ""
    unit: Unit = Unit.METRE
    up: Up = Up.Y
    uv_set: int = 0
    unwrap: bool = False
    reference: bool = False
    slots: dict[str, str] = {}
    faces: FaceRegions = FaceRegions()
    roots: bytes = b""


class Box(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A rectangle of a sheet in uv, 0..1; it holds the texels whose centres lie in it."""

    left: float
    top: float
    right: float
    bottom: float


class Bake(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A map that is made from the mesh: a kind of `core/mesh/bakes` with its settings. Size and padding in texels.

    One that is made from light takes that of a variant, by its key; "" for the master.
    """

    key: str
    kind: str
    size: int = 1024
    padding: int = 16
    samples: int = 2
    values: dict[str, float | str] = {}
    variant: str = ""


class Step(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A part of how a region's mask is made: a kind of `core/regions/steps` with its values.

    A source reads `plane`, or the region with the key `region`, and joins the mask by `join`; `strength` 0..1 says how
    far the step acts. A step of paint has what was painted.
    """

    kind: str
    values: dict[str, float] = {}
    plane: PlaneUse | None = None
    join: Join = Join.STRONGEST
    strength: float = 1.0
    on: bool = True
    paint: Paint | None = None
    region: str = ""


class Unmix(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """How the ID map of a sheet is unmixed (see `core/regions/unmix`).

    `lossy` allows for the errors of block compression. `dissolved` colours are no areas of their own, though the map
    has areas of them: their texels go to the colours around.
    """

    mixing: Mixing = Mixing.FOUND
    lossy: bool = False
    dissolved: tuple[Rgb8, ...] = ()


class Recipe(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A named list of coats that regions of any sheet wear by link: change it once, and all of them follow.

    One with a `path` lives in a file that other kits link too (see `kit/recipe_file`); path as for maps. `sha256` is
    what the file held when it was read or written last, and `linked` are the keys in the kit by those in the file.
    """

    key: str
    name: str
    coats: tuple[Coat, ...]
    path: str = ""
    sha256: str = ""
    linked: dict[str, str] = {}


class Region(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A named area of a sheet: its ID colour, how that is keyed (tolerances in 8-bit levels), and its coats in order.

    `key` is an identifier that stays when the name changes. The region holds what is keyed in the ID map, if it is
    `keyed`, the faces of meshes that were given to it, and its boxes; then its mask goes through its steps in order.
    Where the map is unmixed, tolerances do not count, and stray colours that were given to the region are `also` its.
    What a `locked` region has, the strokes of others do not touch, and where masks overlap it comes first. A region
    that wears a `recipe` (a key) has the coats of that first, then its own; `own_values` are what it sets otherwise
    than the recipe, by the number of the coat and the name of the value, such as "0 colour".
    """

    key: str
    name: str
    id_colour: Rgb8
    inner: float = 12.0
    outer: float = 64.0
    metric: Metric = Metric.CHEBYSHEV
    keyed: bool = True
    boxes: tuple[Box, ...] = ()
    coats: tuple[Coat, ...] = (Coat("tint"),)
    steps: tuple[Step, ...] = ()
    also: tuple[Rgb8, ...] = ()
    locked: bool = False
    recipe: str = ""
    own_values: dict[str, Value] = {}

    @property
    def id_colours(self) -> tuple[Rgb8, ...]:
        """All ID colours that the region takes in where the map is unmixed, its own first."""
        return (self.id_colour, *self.also)


class Tone(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A plane that is made of a picture: a kind of `core/tones/kinds` with its values.

    `source` is the picture, None for the base colour as it was painted; a tone may be made of one that stands before
    it. `own` are values by region that differ there. `palette` is a key; `parts` are what a packed plane holds.
    """

    key: str
    name: str
    kind: str
    source: PlaneRef | None = None
    values: dict[str, float | str] = {}
    own: dict[str, dict[str, float | str]] = {}
    palette: str = ""
    parts: tuple[PlaneUse, ...] = ()


class Sheet(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One UV tile: its maps, its regions from the topmost down, and how overlaps of their masks are resolved.

    `key` is an identifier that stays when the name changes. `id_bake` is the key of a bake that serves as ID map where
    there is no file; `padding` (texels) is how far regions of mesh elements reach beyond their UV islands. Overcoats
    are put on the whole sheet, after the coats of all regions. With `unmix` the ID map is unmixed, else its colours are
    keyed by each region's tolerances. Checks look at the mips down to `lowest_mip`, 0 for the sheet alone. Weights are
    shipped as `packing` says, the regions of `channels` first, in that order. `tones` are made of its pictures; the one
    with the key `base_tone` takes the place of the base colour under all coats.
    """

    key: str
    name: str
    sources: tuple[Source, ...] = ()
    regions: tuple[Region, ...] = ()
    resolve: Resolve = Resolve.SHARE
    bakes: tuple[Bake, ...] = ()
    id_bake: str = ""
    padding: int = 16
    overcoats: tuple[Coat, ...] = ()
    unmix: Unmix | None = None
    lowest_mip: int = 0
    packing: Packing = Packing.PLANES
    channels: tuple[str, ...] = ()
    tones: tuple[Tone, ...] = ()
    base_tone: str = ""

    def tone(self, key: str) -> Tone:
        """The tone with this key. Raises KeyError if there is none."""
        for tone in self.tones:
            if tone.key == key:
                return tone
        raise KeyError(key)

    def bake(self, key: str) -> Bake:
        """The bake with this key. Raises KeyError if there is none."""
        for bake in self.bakes:
            if bake.key == key:
                return bake
        raise KeyError(key)

    @property
    def channel_order(self) -> tuple[str, ...]:
        """The keys of all regions in the order in which their weights are packed."""
        there = [region.key for region in self.regions]
        chosen = [key for key in self.channels if key in there]
        return (*chosen, *(key for key in there if key not in chosen))

    def source(self, role: Role) -> Source | None:
        """The map of a role, if there is one."""
        return next((source for source in self.sources if source.role == role), None)

    def map(self, key: str) -> Source:
        """The map with this key. Raises KeyError if there is none."""
        for source in self.sources:
            if source.key == key:
                return source
        raise KeyError(key)


class Kit(msgspec.Struct, frozen=True, forbid_unknown_fields=True, dict=True):
    """The document. Which sheet is looked at is no part of it; `at` names one where that matters.

    `retired` are keys of what was removed; they are never given to anything else.
    """

    name: str = "Untitled"
    format: int = FORMAT
    sheets: tuple[Sheet, ...] = (Sheet("sheet_1", "Sheet"),)
    meshes: tuple[MeshFile, ...] = ()
    parameters: tuple[Parameter, ...] = ()
    variants: tuple[Variant, ...] = ()
    blending: Blending = Blending.LINEAR
    retired: tuple[str, ...] = ()
    palettes: tuple[Palette, ...] = ()
    ramps: tuple[Ramp, ...] = ()
    recipes: tuple[Recipe, ...] = ()

    def at(self, key: str = "") -> "Focus":
        """The kit at one of its sheets, the first one without a key. Raises KeyError if there is none of this key."""
        key = key or self.sheets[0].key
        self.sheet(key)
        return Focus(self, key)

    def sheet(self, key: str) -> Sheet:
        """The sheet with this key. Raises KeyError if there is none."""
        return self._sheets[key]

    def sheet_of(self, region: str) -> Sheet:
        """The sheet that has the region with this key. Raises KeyError if there is none."""
        return self._regions[region][0]

    def with_sheet(self, sheet: Sheet) -> "Kit":
        """The kit with the sheet of this key replaced."""
        return replace(self, sheets=change_one(self.sheets, lambda s: s.key == sheet.key, lambda _: sheet))

    def mesh(self, key: str) -> MeshFile:
        """The mesh with this key. Raises KeyError if there is none."""
        return by_key(self.meshes)[key]

    @property
    def files(self) -> list[Source | MeshFile | Recipe]:
        """Everything that is read from files: the maps of all sheets, the meshes, and recipes that live in files."""
        maps = (source for sheet in self.sheets for source in sheet.sources)
        return [*maps, *self.meshes, *(recipe for recipe in self.recipes if recipe.path)]

    @property
    def regions(self) -> list[Region]:
        """The regions of all sheets."""
        return [region for sheet in self.sheets for region in sheet.regions]

    def region(self, key: str) -> Region:
        """The region with this key, on any sheet. Raises KeyError if there is none."""
        return self._regions[key][1]

    def parameter(self, key: str) -> Parameter:
        """The parameter with this key. Raises KeyError if there is none."""
        return self._parameters[key]

    def palette(self, key: str) -> Palette:
        """The palette with this key. Raises KeyError if there is none."""
        return by_key(self.palettes)[key]

    def ramp(self, key: str) -> Ramp:
        """The ramp with this key. Raises KeyError if there is none."""
        return by_key(self.ramps)[key]

    def recipe(self, key: str) -> Recipe:
        """The recipe with this key. Raises KeyError if there is none."""
        return by_key(self.recipes)[key]

    def wearers(self, recipe: str) -> list[Region]:
        """The regions that wear a recipe, by its key."""
        return [region for region in self.regions if region.recipe == recipe]

    def variant(self, key: str) -> Variant:
        """The variant with this key. Raises KeyError if there is none."""
        return self._variants[key]

    # What there may be very many of is looked up; a tree never changes, so what was listed once holds.

    @cached_property
    def _sheets(self) -> dict[str, Sheet]:
        return by_key(self.sheets)

    @cached_property
    def _regions(self) -> dict[str, tuple[Sheet, Region]]:
        return {region.key: (sheet, region) for sheet in reversed(self.sheets) for region in reversed(sheet.regions)}

    @cached_property
    def _parameters(self) -> dict[str, Parameter]:
        return by_key(self.parameters)

    @cached_property
    def _variants(self) -> dict[str, Variant]:
        return by_key(self.variants)

    @property
    def variant_names(self) -> dict[str, str]:
        """The names of the master and all variants, by key, in order."""
        return {MASTER: "Master", **{variant.key: variant.name for variant in self.variants}}


@dataclass(frozen=True, eq=False)
class Focus:
    """A kit and the key of the sheet that is meant: what results, looks and checks of one sheet are asked with."""

    kit: Kit
    key: str

    @property
    def sheet(self) -> Sheet:
        """The sheet that is meant."""
        return self.kit.sheet(self.key)


T = TypeVar("T")
Keyed = TypeVar("Keyed", Sheet, MeshFile, Parameter, Variant, Palette, Ramp, Recipe)
FromFile = TypeVar("FromFile", Source, MeshFile, Recipe)


def by_key(parts: Sequence[Keyed]) -> dict[str, Keyed]:
    """The parts by their keys; of two of one key the first."""
    return {part.key: part for part in reversed(parts)}


def change_one(items: tuple[T, ...], which: Callable[[T], bool], change: Callable[[T], T]) -> tuple[T, ...]:
    """The items with the change made to those that match."""
    return tuple(change(item) if which(item) else item for item in items)


def with_region(kit: Kit, key: str, change: Callable[[Region], Region]) -> Kit:
    """The kit with one region changed. Raises KeyError if there is none with this key."""
    sheet = kit.sheet_of(key)
    return kit.with_sheet(replace(sheet, regions=change_one(sheet.regions, lambda region: region.key == key, change)))


class FileChange(Protocol):
    """A change of what is read from a file, be it a map, a mesh or a recipe."""

    def __call__(self, file: FromFile, /) -> FromFile:
        """The changed map, mesh file or recipe."""
        ...


def paint_tiles(kit: Kit) -> Iterator[PaintTile]:
    """The tiles of everything that was painted."""
    for region in kit.regions:
        for step in region.steps:
            if step.paint is not None:
                yield from step.paint.tiles.values()


def with_paint_tiles(kit: Kit, change: Callable[[PaintTile], PaintTile]) -> Kit:
    """The kit with a change made to every tile of paint."""

    def of_step(step: Step) -> Step:
        if step.paint is None:
            return step
        tiles = {place: change(tile) for place, tile in step.paint.tiles.items()}
        return replace(step, paint=replace(step.paint, tiles=tiles))

    sheets = tuple(
        replace(sheet, regions=tuple(replace(r, steps=tuple(map(of_step, r.steps))) for r in sheet.regions))
        for sheet in kit.sheets
    )
    return replace(kit, sheets=sheets)


def with_files(kit: Kit, change: FileChange) -> Kit:
    """The kit with a change made to everything that is read from files."""
    sheets = tuple(replace(sheet, sources=tuple(map(change, sheet.sources))) for sheet in kit.sheets)
    recipes = tuple(change(recipe) if recipe.path else recipe for recipe in kit.recipes)
    return replace(kit, sheets=sheets, meshes=tuple(map(change, kit.meshes)), recipes=recipes)
