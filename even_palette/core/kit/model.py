"""The kit as an immutable tree of frozen structs, and what makes one valid."""

import math
import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from enum import StrEnum
from typing import Protocol, TypeVar

import msgspec
from msgspec.structs import replace

from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.errors import UserError
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import ValueSpec
from even_palette.core.material.model import (
    Blending,
    Bound,
    Coat,
    Parameter,
    Setting,
    Value,
    ValueKind,
    Variant,
)
from even_palette.core.mesh.bakes import BAKE_NAMES
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding
from even_palette.core.regions.keying import Metric
from even_palette.core.regions.weights import Resolve

FORMAT = 2
MOST_REGIONS = 60
"""Four regions a plane, fifteen planes and the base colour fill the 16 texture units that OpenGL 3.3 grants."""
MOST_PADDING = 256
LEAST_BAKE, MOST_BAKE = 256, 8192
MOST_UV_SETS = 16
MOST_FACES = 8_000_000
MOST_VARIANTS = 2000
FARTHEST_VALUE = 1e6
"""Parameters lie between minus this and this, so that float32 holds them well."""

IDENTIFIER = re.compile(r"(?=.{1,64}$)[a-z][a-z0-9]*(_[a-z0-9]+)*")
"""What keys and parameter names look like; GLSL (4.60, section 3.7) reserves doubled underscores."""


class Source(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A map that the kit reads from a file: absolute path in memory, relative to the kit in kit.json."""

    role: Role
    path: str
    encoding: Encoding
    size: int = 0
    sha256: str = ""


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

    `packed` is a zlib stream (RFC 1950) of one byte a face: 0 for none, i + 1 for the region with the i-th key.
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
    """A map that is made from the mesh: a kind of `core/mesh/bakes` with its settings. Size and padding in texels."""

    key: str
    kind: str
    size: int = 1024
    padding: int = 16
    samples: int = 2
    values: dict[str, float | str] = {}


class Region(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A named area of a sheet: its ID colour, how that is keyed (tolerances in 8-bit levels), and its coat.

    `key` is an identifier that stays when the name changes. The region holds what is keyed in the ID map, if it is
    `keyed`, the faces of meshes that were given to it, and its boxes.
    """

    key: str
    name: str
    id_colour: Rgb8
    inner: float = 12.0
    outer: float = 64.0
    metric: Metric = Metric.CHEBYSHEV
    keyed: bool = True
    boxes: tuple[Box, ...] = ()
    coat: Coat = Coat("tint")


class Sheet(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One UV tile: its maps, its regions from the topmost down, and how overlaps of their masks are resolved.

    `key` is an identifier that stays when the name changes. `id_bake` is the key of a bake that serves as ID map where
    there is no file; `padding` (texels) is how far regions of mesh elements reach beyond their UV islands.
    """

    key: str
    name: str
    sources: tuple[Source, ...] = ()
    regions: tuple[Region, ...] = ()
    resolve: Resolve = Resolve.SHARE
    bakes: tuple[Bake, ...] = ()
    id_bake: str = ""
    padding: int = 16

    def bake(self, key: str) -> Bake:
        """The bake with this key. Raises KeyError if there is none."""
        for bake in self.bakes:
            if bake.key == key:
                return bake
        raise KeyError(key)

    def source(self, role: Role) -> Source | None:
        return next((source for source in self.sources if source.role == role), None)


class Kit(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """The document. `front` is the key of the sheet that is worked on."""

    name: str = "Untitled"
    format: int = FORMAT
    sheets: tuple[Sheet, ...] = (Sheet("sheet_1", "Sheet"),)
    front: str = "sheet_1"
    meshes: tuple[MeshFile, ...] = ()
    parameters: tuple[Parameter, ...] = ()
    variants: tuple[Variant, ...] = ()
    blending: Blending = Blending.LINEAR

    @property
    def sheet(self) -> Sheet:
        """The sheet that is worked on."""
        return next(sheet for sheet in self.sheets if sheet.key == self.front)

    def showing(self, key: str) -> "Kit":
        """The kit with another sheet in front. Raises KeyError if there is none with this key."""
        if all(sheet.key != key for sheet in self.sheets):
            raise KeyError(key)
        return replace(self, front=key)

    def with_sheet(self, sheet: Sheet) -> "Kit":
        """The kit with the sheet of this key replaced."""
        return replace(self, sheets=change_one(self.sheets, lambda s: s.key == sheet.key, lambda _: sheet))

    def mesh(self, key: str) -> MeshFile:
        """The mesh with this key. Raises KeyError if there is none."""
        for mesh in self.meshes:
            if mesh.key == key:
                return mesh
        raise KeyError(key)

    @property
    def files(self) -> list[Source | MeshFile]:
        """Everything that is read from files: the maps of all sheets, then the meshes."""
        return [*(source for sheet in self.sheets for source in sheet.sources), *self.meshes]

    @property
    def regions(self) -> list[Region]:
        """The regions of all sheets."""
        return [region for sheet in self.sheets for region in sheet.regions]

    def region(self, key: str) -> Region:
        """The region with this key, on any sheet. Raises KeyError if there is none."""
        for region in self.regions:
            if region.key == key:
                return region
        raise KeyError(key)

    def parameter(self, name: str) -> Parameter:
        """The parameter with this name. Raises KeyError if there is none."""
        for parameter in self.parameters:
            if parameter.name == name:
                return parameter
        raise KeyError(name)

    def variant(self, name: str) -> Variant:
        """The variant with this name. Raises KeyError if there is none."""
        for variant in self.variants:
            if variant.name == name:
                return variant
        raise KeyError(name)


@dataclass(frozen=True)
class ValueUse:
    """One value of one region's coat: what declares it and what it is set to."""

    region: Region
    spec: ValueSpec
    value: Value


def value_uses(kit: Kit) -> Iterator[ValueUse]:
    """Every value of every coat on all sheets, defaults filled in, in the order of the regions."""
    for region in kit.regions:
        for spec in COATS[region.coat.kind].values:
            yield ValueUse(region, spec, region.coat.values.get(spec.name, spec.default))


def users_of(kit: Kit, parameter: str) -> list[ValueUse]:
    """The values that are bound to a parameter."""
    return [use for use in value_uses(kit) if isinstance(use.value, Bound) and use.value.parameter == parameter]


T = TypeVar("T")
FromFile = TypeVar("FromFile", Source, MeshFile)


def change_one(items: tuple[T, ...], which: Callable[[T], bool], change: Callable[[T], T]) -> tuple[T, ...]:
    """The items with the change made to those that match."""
    return tuple(change(item) if which(item) else item for item in items)


def with_region(kit: Kit, key: str, change: Callable[[Region], Region]) -> Kit:
    """The kit with one region changed. Raises KeyError if there is none with this key."""
    kit.region(key)
    for sheet in kit.sheets:
        if any(region.key == key for region in sheet.regions):
            kit = kit.with_sheet(
                replace(sheet, regions=change_one(sheet.regions, lambda region: region.key == key, change))
            )
    return kit


class FileChange(Protocol):
    """A change of what is read from a file, be it a map or a mesh."""

    def __call__(self, file: FromFile, /) -> FromFile: ...


def with_files(kit: Kit, change: FileChange) -> Kit:
    """The kit with a change made to the maps of all sheets and to the meshes."""
    sheets = tuple(replace(sheet, sources=tuple(map(change, sheet.sources))) for sheet in kit.sheets)
    return replace(kit, sheets=sheets, meshes=tuple(map(change, kit.meshes)))


def unique(wanted: str, taken: Iterable[str], joiner: str = " ") -> str:
    """`wanted`, with a number behind it if it is taken."""
    names = set(taken)
    number, name = 2, wanted
    while name in names:
        name, number = f"{wanted}{joiner}{number}", number + 1
    return name


def identifier(text: str) -> str:
    """A lower-case ASCII identifier made from any text, without doubled underscores (GLSL reserves those)."""
    letters = "".join(c if c.isascii() and c.isalnum() else "_" for c in text.lower())
    words = [word for word in letters.split("_") if word]
    name = "_".join(words)[:48].rstrip("_") or "item"
    return f"n{name}" if name[0].isdigit() else name


def check_kit(kit: Kit) -> None:
    """Raise UserError for a kit that decodes but does not hold together."""
    if kit.format != FORMAT:
        raise UserError(f"the kit has format {kit.format}; this version reads format {FORMAT}.")
    _distinct("sheet", [sheet.key for sheet in kit.sheets])
    _distinct("sheet name", [sheet.name for sheet in kit.sheets])
    if kit.front not in [sheet.key for sheet in kit.sheets]:
        raise UserError(f"the sheet in front, “{kit.front[:40]}”, is not there.")
    _distinct("region", [region.key for region in kit.regions])
    for sheet in kit.sheets:
        _check_sheet(sheet)
    _distinct("mesh", [mesh.key for mesh in kit.meshes])
    for mesh in kit.meshes:
        _check_mesh(mesh, [sheet.key for sheet in kit.sheets])
    _distinct("parameter", [parameter.name for parameter in kit.parameters])
    _distinct("variant", [variant.name for variant in kit.variants])
    for parameter in kit.parameters:
        if not IDENTIFIER.fullmatch(parameter.name):
            raise UserError(f"parameter “{parameter.name[:40]}” is not a plain identifier.")
        low, high = parameter.low, parameter.high
        if parameter.kind == ValueKind.CHOICE or not -FARTHEST_VALUE <= low < high <= FARTHEST_VALUE:
            raise UserError(f"parameter “{parameter.name}” has no usable range.")
        check_setting(parameter, parameter.default)
    for use in value_uses(kit):
        _check_use(kit, use)
    _check_variants(kit)


def check_setting(parameter: Parameter, setting: Setting) -> None:
    """Raise UserError unless the setting is of the parameter's kind and in its range; colours are 0..1, encoded."""
    is_colour = parameter.kind == ValueKind.COLOUR
    parts = setting if isinstance(setting, tuple) else (setting,)
    low, high = (0.0, 1.0) if is_colour else (parameter.low, parameter.high)
    if isinstance(setting, tuple) != is_colour or not all(low <= part <= high for part in parts):
        raise UserError(f"“{parameter.name}” cannot be {str(setting)[:40]}; it is {low:g} to {high:g}.")


def _distinct(what: str, names: list[str]) -> None:
    counts = Counter(names)
    for name in names:
        if not name or counts[name] > 1:
            raise UserError(f"the {what} “{name[:40]}” is there more than once or has no name.")


def _check_sheet(sheet: Sheet) -> None:
    if not IDENTIFIER.fullmatch(sheet.key):
        raise UserError(f"sheet key “{sheet.key[:40]}” is not a plain identifier.")
    if len(sheet.regions) > MOST_REGIONS:
        raise UserError(f"{len(sheet.regions)} regions; the limit is {MOST_REGIONS} on one sheet.")
    _distinct("region name", [region.name for region in sheet.regions])
    _distinct("map", [source.role for source in sheet.sources])
    for region in sheet.regions:
        _check_region(region)
    if not 0 <= sheet.padding <= MOST_PADDING:
        raise UserError(f"sheet “{sheet.name[:40]}” has a padding outside 0..{MOST_PADDING} texels.")
    _distinct("bake", [bake.key for bake in sheet.bakes])
    for bake in sheet.bakes:
        if not IDENTIFIER.fullmatch(bake.key):
            raise UserError(f"bake key “{bake.key[:40]}” is not a plain identifier.")
        _check_bake(bake)
    if sheet.id_bake and sheet.id_bake not in [bake.key for bake in sheet.bakes]:
        raise UserError(f"sheet “{sheet.name[:40]}” takes its IDs from a bake that is not there.")


def _check_bake(bake: Bake) -> None:
    if bake.kind not in BAKE_NAMES:
        raise UserError(f"there is no bake called “{bake.kind[:40]}”.")
    if not (LEAST_BAKE <= bake.size <= MOST_BAKE and 0 <= bake.padding <= MOST_PADDING and 1 <= bake.samples <= 4):
        raise UserError(f"the bake “{bake.key[:40]}” has a size, padding or samples out of range.")
    if not all(math.isfinite(value) for value in bake.values.values() if isinstance(value, float)):
        raise UserError(f"the bake “{bake.key[:40]}” has a value that is no number.")


def _check_mesh(mesh: MeshFile, sheets: list[str]) -> None:
    if not IDENTIFIER.fullmatch(mesh.key):
        raise UserError(f"mesh key “{mesh.key[:40]}” is not a plain identifier.")
    for key in (mesh.sheet, *mesh.slots.values()):
        if key not in sheets:
            raise UserError(f"mesh “{mesh.key}” lies on sheet “{key[:40]}”, which is not there.")
    if not 0 <= mesh.uv_set < MOST_UV_SETS:
        raise UserError(f"mesh “{mesh.key}” has no UV set {mesh.uv_set}.")
    if not 0 <= mesh.faces.count <= MOST_FACES or len(mesh.faces.regions) > 254:
        raise UserError(f"mesh “{mesh.key}” has an impossible assignment of faces.")


def _check_region(region: Region) -> None:
    if not IDENTIFIER.fullmatch(region.key):
        raise UserError(f"region key “{region.key[:40]}” is not a plain identifier.")
    if not all(0 <= level <= 255 for level in region.id_colour):
        raise UserError(f"region “{region.name[:40]}” has an ID colour outside 0..255.")
    for box in region.boxes:
        if not (0 <= box.left < box.right <= 1 and 0 <= box.top < box.bottom <= 1):
            raise UserError(f"region “{region.name[:40]}” has a box outside the sheet.")
    if not (0 <= region.inner <= 512 and 0 <= region.outer <= 512):
        raise UserError(f"region “{region.name[:40]}” has tolerances outside 0..512 levels.")
    if region.coat.kind not in COATS:
        raise UserError(f"region “{region.name[:40]}” wears an unknown coat “{region.coat.kind[:40]}”.")
    known = {spec.name for spec in COATS[region.coat.kind].values}
    for name in region.coat.values:
        if name not in known:
            raise UserError(f"the coat of region “{region.name[:40]}” has no value “{name[:40]}”.")


def _check_use(kit: Kit, use: ValueUse) -> None:
    where = f"“{use.spec.label}” of region “{use.region.name[:40]}”"
    value, kind = use.value, use.spec.kind
    if isinstance(value, Bound):
        try:
            parameter = kit.parameter(value.parameter)
        except KeyError:
            raise UserError(f"{where} is bound to “{value.parameter[:40]}”, which is not there.") from None
        if parameter.kind != kind:
            raise UserError(f"{where} is bound to “{parameter.name}”, which is a {parameter.kind}.")
    elif kind == ValueKind.CHOICE:
        if value not in [name for name, _ in use.spec.choices]:
            raise UserError(f"{where} cannot be {str(value)[:40]}.")
    elif isinstance(value, str):
        raise UserError(f"{where} cannot be a word.")
    else:
        spec = use.spec
        check_setting(Parameter(spec.name, kind, spec.default, spec.low, spec.high), value)  # type: ignore[arg-type]


def _check_variants(kit: Kit) -> None:
    if len(kit.variants) > MOST_VARIANTS:
        raise UserError(f"{len(kit.variants):,} variants; the limit is {MOST_VARIANTS:,}.")
    parents = {variant.name: variant.parent for variant in kit.variants}
    parameters = {parameter.name: parameter for parameter in kit.parameters}
    sound: set[str] = set()
    for variant in kit.variants:
        line: dict[str, None] = {}
        at: str | None = variant.name
        while at is not None and at not in sound:
            if at in line:
                raise UserError(f"Variant “{variant.name[:40]}” inherits from itself.")
            if at not in parents:
                raise UserError(f"variant “{variant.name[:40]}” has an ancestor that is not there.")
            line[at] = None
            at = parents[at]
        sound |= line.keys()
        for name, setting in variant.values.items():
            if name not in parameters:
                raise UserError(f"variant “{variant.name[:40]}” sets “{name[:40]}”, which is not there.")
            check_setting(parameters[name], setting)
