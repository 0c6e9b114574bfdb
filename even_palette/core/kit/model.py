"""The kit as an immutable tree of frozen structs, and what makes one valid."""

import math
import re
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import TypeVar

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
from even_palette.core.material.variants import lineage
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding
from even_palette.core.regions.keying import Metric
from even_palette.core.regions.weights import Resolve

FORMAT = 2
MOST_REGIONS = 60
"""Four regions a plane, fifteen planes and the base colour fill the 16 texture units that OpenGL 3.3 grants."""


IDENTIFIER = re.compile(r"(?=.{1,64}$)[a-z][a-z0-9]*(_[a-z0-9]+)*")
"""What keys and parameter names look like; GLSL (4.60, section 3.7) reserves doubled underscores."""


class Source(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A map that the kit reads from a file: absolute path in memory, relative to the kit in kit.json."""

    role: Role
    path: str
    encoding: Encoding
    size: int = 0
    sha256: str = ""


class Region(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A named area of a sheet: its ID colour, how that is keyed (tolerances in 8-bit levels), and its coat.

    `key` is an identifier that stays when the name changes.
    """

    key: str
    name: str
    id_colour: Rgb8
    inner: float = 12.0
    outer: float = 64.0
    metric: Metric = Metric.CHEBYSHEV
    coat: Coat = Coat("tint")


class Sheet(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One UV tile: its maps, its regions from the topmost down, and how overlaps of their masks are resolved.

    `key` is an identifier that stays when the name changes.
    """

    key: str
    name: str
    sources: tuple[Source, ...] = ()
    regions: tuple[Region, ...] = ()
    resolve: Resolve = Resolve.SHARE

    def source(self, role: Role) -> Source | None:
        return next((source for source in self.sources if source.role == role), None)


class Kit(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """The document. `front` is the key of the sheet that is worked on."""

    name: str = "Untitled"
    format: int = FORMAT
    sheets: tuple[Sheet, ...] = (Sheet("sheet_1", "Sheet"),)
    front: str = "sheet_1"
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

    @property
    def sources(self) -> list[Source]:
        """The maps of all sheets."""
        return [source for sheet in self.sheets for source in sheet.sources]

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


def with_sources(kit: Kit, change: Callable[[Source], Source]) -> Kit:
    """The kit with a change made to the maps of all sheets."""
    sheets = tuple(replace(sheet, sources=tuple(map(change, sheet.sources))) for sheet in kit.sheets)
    return replace(kit, sheets=sheets)


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
    _distinct("parameter", [parameter.name for parameter in kit.parameters])
    _distinct("variant", [variant.name for variant in kit.variants])
    for parameter in kit.parameters:
        if not IDENTIFIER.fullmatch(parameter.name):
            raise UserError(f"parameter “{parameter.name[:40]}” is not a plain identifier.")
        if parameter.kind == ValueKind.CHOICE or not (parameter.low < parameter.high):
            raise UserError(f"parameter “{parameter.name}” has no usable range.")
        check_setting(parameter, parameter.default)
    for use in value_uses(kit):
        _check_use(kit, use)
    for variant in kit.variants:
        _check_variant(kit, variant)


def check_setting(parameter: Parameter, setting: Setting) -> None:
    """Raise UserError unless the setting is of the parameter's kind and finite."""
    parts = setting if isinstance(setting, tuple) else (setting,)
    if isinstance(setting, tuple) != (parameter.kind == ValueKind.COLOUR) or not all(map(math.isfinite, parts)):
        raise UserError(f"parameter “{parameter.name}” cannot be {str(setting)[:40]}.")


def _distinct(what: str, names: list[str]) -> None:
    for name in names:
        if not name or names.count(name) > 1:
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


def _check_region(region: Region) -> None:
    if not IDENTIFIER.fullmatch(region.key):
        raise UserError(f"region key “{region.key[:40]}” is not a plain identifier.")
    if not all(0 <= level <= 255 for level in region.id_colour):
        raise UserError(f"region “{region.name[:40]}” has an ID colour outside 0..255.")
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
        check_setting(Parameter(use.spec.name, kind, use.spec.default), value)  # type: ignore[arg-type]


def _check_variant(kit: Kit, variant: Variant) -> None:
    try:
        lineage(kit.variants, variant.name)
    except KeyError:
        raise UserError(f"variant “{variant.name[:40]}” has an ancestor that is not there.") from None
    except ValueError as error:
        raise UserError(str(error)) from None
    for name, setting in variant.values.items():
        try:
            parameter = kit.parameter(name)
        except KeyError:
            raise UserError(f"variant “{variant.name[:40]}” sets “{name[:40]}”, which is not there.") from None
        check_setting(parameter, setting)
