"""The structs of package.json, which is all that a runtime needs besides the maps and the shader.

Ranges stand at the fields, so that reading checks them and the schema says them; `check_package` checks the rest.
"""

import stat
from pathlib import Path
from typing import Annotated, Final, Literal

import msgspec
from msgspec import Meta

from even_palette.core.disk.gate import read_bytes
from even_palette.core.errors import UserError
from even_palette.core.graph.binding import texture_name, uniform_name
from even_palette.core.graph.operations import INPUTS, TABLE
from even_palette.core.graph.program import LOOK_UPS, MOST_RECORDS, NodeRecord, Program, check_program
from even_palette.core.graph.types import Type
from even_palette.core.material.model import Blending
from even_palette.core.material.outputs import OUTPUTS
from even_palette.core.ranges import END, told
from even_palette.core.raster.plane import Encoding
from even_palette.core.raster.sampling import Filter

PACKAGE_FILE = "package.json"
SHADER_FILE = "material.glsl"
README_FILE = "README.txt"
FORMAT: Final = 4
MAKER = "Even Palette "
FUNCTION: Final = "even_palette_colour"
SURFACE_FUNCTION: Final = "even_palette_surface"
STRUCT = "EvenPaletteSurface"
SETUP_FUNCTION, SETUP = "even_palette_setup", "EvenPaletteSetup"
VERTEX_STAGE = "EVEN_PALETTE_VERTEX"
MOST_JSON_BYTES = 64 << 20
MOST_SIDE = 1 << 15
"""Texels; planes with their mips beside them are wider than sheets."""
FARTHEST = 1e6

Number = Annotated[float, Meta(ge=-FARTHEST, le=FARTHEST)]
RuntimeValue = float | tuple[float, float, float]
"""What a uniform is set to: a number, or a colour in linear light."""
Identifier = Annotated[str, Meta(pattern="^[a-z][a-zA-Z0-9_]{0,199}" + END)]
FileName = Annotated[str, Meta(pattern=r"^[a-z0-9][a-z0-9_.-]{0,199}" + END)]
Side = Annotated[int, Meta(ge=1, le=MOST_SIDE)]
Layer = Annotated[int, Meta(ge=-1, le=255)]


class PackageMap(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One texture, or one layer of an array texture: maps of one `uniform` with `layer` 0, 1 … make the array.

    `srgb` maps are decoded by the sampler; `data` and `linear` maps are not. `layer` is -1 for a texture of its own.
    Several maps may be in one file. Integers of 8 and 16 bits are PNG, floats of 32 bits OpenEXR.
    """

    slot: Identifier
    uniform: Identifier
    file: FileName
    encoding: Encoding
    width: Side
    height: Side
    channels: Annotated[int, Meta(ge=1, le=4)]
    bits: Literal[8, 16, 32]
    filter: Filter = Filter.LINEAR
    mips: bool = True
    wrap: Literal["clamp", "repeat"] = "clamp"
    holds: tuple[str, ...] = ()
    layer: Layer = -1


class PackageRegion(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A region: where its weight is packed, its ID colour and its coats.

    That is a slot, the layer of an array or -1, and a channel; in edge pairs the channel is the region's number. The
    map is there only if the program reads it.
    """

    key: Identifier
    name: str
    slot: Identifier
    layer: Layer
    channel: Annotated[str, Meta(pattern="^([rgba]|[1-9][0-9]{0,2})" + END)]
    id_colour: Annotated[str, Meta(pattern="^#[0-9a-f]{6}" + END)]
    coats: tuple[str, ...]


class PackageParameter(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A uniform. `default` is in linear light for colours; `default_hex` is the same colour as it was picked.

    `kind` says whether it is a colour, a number, a switch (0 or 1) or a row (a whole number).
    """

    name: Identifier
    uniform: Identifier
    type: Literal["float", "vec3"]
    default: RuntimeValue
    default_hex: Annotated[str, Meta(pattern="^(#[0-9a-f]{6})?" + END)]
    low: Number
    high: Number
    unit: str
    help: str
    used_by: tuple[str, ...]
    kind: Literal["colour", "number", "switch", "row"] = "number"
    group: str = ""


class PackageVariant(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A variant: what it sets itself, and the value of every parameter after inheritance."""

    name: Annotated[str, Meta(min_length=1)]
    parent: str | None
    own: dict[str, RuntimeValue]
    values: dict[str, RuntimeValue]


class PackageOutput(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What the material gives: its name (a field of the shader's struct), type, meaning, and place in the program."""

    name: str
    type: Type
    told: str
    node: Annotated[int, Meta(ge=0, lt=MOST_RECORDS)]


class PackageSheet(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A sheet with its maps and regions, its shader functions and the same formulas as a program.

    `function` gives the colour alone, `surface_function` a struct of all outputs.
    """

    name: Annotated[str, Meta(min_length=1)]
    width: Side
    height: Side
    maps: tuple[PackageMap, ...]
    regions: tuple[PackageRegion, ...]
    shader: FileName
    function: Literal["even_palette_colour"]
    surface_function: Literal["even_palette_surface"]
    outputs: Annotated[tuple[PackageOutput, ...], Meta(min_length=1)]
    program: Annotated[tuple[NodeRecord, ...], Meta(min_length=1, max_length=MOST_RECORDS)]


class Package(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """package.json. `mips` says how levels are made: a texel is the mean of the `area` that it covers one level up.

    `target` is for whom it was written; `beside` are files of the target that no sheet names.
    """

    format: Literal[4]
    name: str
    made_by: Annotated[str, Meta(pattern=f"^{MAKER}")]
    blending: Blending
    sheets: Annotated[tuple[PackageSheet, ...], Meta(min_length=1, max_length=512)]
    parameters: tuple[PackageParameter, ...]
    variants: tuple[PackageVariant, ...]
    mips: Literal["area"] = "area"
    target: Identifier = "glsl"
    beside: tuple[FileName, ...] = ()


def package_schema() -> dict[str, object]:
    """JSON Schema of package.json."""
    schema = msgspec.json.schema(Package)
    parts = schema["$defs"]
    operations = {*TABLE, *INPUTS, *LOOK_UPS, "constant", "parameter", "join"}
    parts["NodeRecord"]["properties"]["op"]["enum"] = sorted(operations)
    parts["NodeRecord"]["properties"]["args"]["items"]["minimum"] = 0
    for name in ("PackageParameter", "PackageVariant"):
        _bound_numbers(parts[name])
    parts["PackageOutput"]["properties"]["name"]["enum"] = list(OUTPUTS)
    return schema


def _bound_numbers(part: object) -> None:
    """Say the range of all numbers in a part of a schema; it cannot stand at the members of a union of types."""
    if isinstance(part, dict):
        if part.get("type") == "number":
            part.update(minimum=-FARTHEST, maximum=FARTHEST)
        for each in part.values():
            _bound_numbers(each)
    elif isinstance(part, list):
        for each in part:
            _bound_numbers(each)


class _Files(msgspec.Struct):
    """What tells our own files, whatever the format."""

    format: int
    made_by: str
    sheets: list[dict[str, object]]
    beside: list[str] = []


def package_files(folder: Path) -> list[str] | None:
    """Names of the files of a package, package.json last; None if the folder holds no package of ours.

    Packages of all formats are known by their content; a name that is no plain file is none of ours.
    """
    try:
        found = msgspec.json.decode(read_bytes(folder / PACKAGE_FILE, MOST_JSON_BYTES), type=_Files)
    except (UserError, msgspec.MsgspecError, RecursionError, UnicodeDecodeError):
        return None
    if not found.made_by.startswith(MAKER):
        return None
    names = [README_FILE, *found.beside]
    for sheet in found.sheets:
        maps = sheet.get("maps", ())
        listed = [entry.get("file") for entry in maps if isinstance(entry, dict)] if isinstance(maps, list) else []
        names += [name for name in (sheet.get("shader"), *listed) if isinstance(name, str)]
    plain = [name for name in dict.fromkeys(names) if name != PACKAGE_FILE and Path(name).name == name]
    return [name for name in (*plain, PACKAGE_FILE) if _is_plain_file(folder / name)]


def _is_plain_file(path: Path) -> bool:
    try:
        return stat.S_ISREG(path.lstat().st_mode)
    except (OSError, ValueError):
        return False


def read_package(folder: Path) -> Package:
    """The package in a folder. Raises UserError, naming the file, if it cannot be read or does not hold together."""
    path = folder / PACKAGE_FILE
    data = read_bytes(path, MOST_JSON_BYTES)
    stored: object = None
    try:
        stored = msgspec.json.decode(data)
        found = msgspec.convert(stored, _Format)
        if found.format != FORMAT:
            raise UserError(f"{path}: format {found.format}; this version reads format {FORMAT}.")
        package = msgspec.convert(stored, Package)
        check_package(package)
    except (msgspec.MsgspecError, RecursionError, ValueError) as error:
        raise UserError(f"{path}: not a package: {' '.join(told(error, stored).split())[:200]}") from None
    except UserError as error:
        what = str(error)
        raise UserError(what if what.startswith(str(path)) else f"{path}: {what}") from None
    return package


class _Format(msgspec.Struct):
    format: int


def check_package(package: Package) -> None:
    """Raise UserError for what a schema cannot say: names that are there twice, and what points nowhere."""
    _distinct("sheet", [sheet.name for sheet in package.sheets])
    _distinct("parameter", [parameter.name for parameter in package.parameters])
    _distinct("variant", [variant.name for variant in package.variants])
    for parameter in package.parameters:
        _check_parameter(parameter)
    for variant in package.variants:
        _check_variant(package, variant)
    files: dict[str, tuple[object, ...]] = {}
    for sheet in package.sheets:
        _check_sheet(package, sheet)
        for entry in sheet.maps:
            seen = (entry.width, entry.height, entry.channels, entry.bits)
            if files.setdefault(entry.file, seen) != seen:
                raise UserError(f"{entry.file} is told to be of two sizes.")


def _distinct(what: str, names: list[str]) -> None:
    if len(set(names)) != len(names):
        twice = next(name for name in names if names.count(name) > 1)
        raise UserError(f"the {what} “{twice[:40]}” is there twice.")


def _check_parameter(parameter: PackageParameter) -> None:
    who = f"parameter “{parameter.name[:40]}”"
    if parameter.uniform != uniform_name(parameter.name):
        raise UserError(f"{who} has the uniform “{parameter.uniform[:40]}”.")
    if (parameter.kind == "colour") != (parameter.type == "vec3"):
        raise UserError(f"{who} is a {parameter.kind} of type {parameter.type}.")
    if bool(parameter.default_hex) != (parameter.kind == "colour") or parameter.low >= parameter.high:
        raise UserError(f"{who} has no usable range or colour.")
    _check_value(parameter, parameter.default, who)


def _check_value(parameter: PackageParameter, value: RuntimeValue, who: str) -> None:
    colour = isinstance(value, tuple)
    low, high = (0.0, 1.0) if colour else (parameter.low, parameter.high)
    parts = value if isinstance(value, tuple) else (value,)
    if colour != (parameter.type == "vec3") or not all(low <= part <= high for part in parts):
        raise UserError(f"{who} has a value that “{parameter.name[:40]}” cannot have.")


def _check_variant(package: Package, variant: PackageVariant) -> None:
    who = f"variant “{variant.name[:40]}”"
    parameters = {parameter.name: parameter for parameter in package.parameters}
    if variant.values.keys() != parameters.keys():
        odd = min(variant.values.keys() ^ parameters.keys())
        raise UserError(f"{who} has not a value for each parameter: “{odd[:40]}”.")
    for name, value in variant.values.items():
        _check_value(parameters[name], value, who)
    if any(name not in parameters or variant.values[name] != value for name, value in variant.own.items()):
        raise UserError(f"{who} sets a value of its own that it does not have.")
    by_name = {other.name: other for other in package.variants}
    seen: set[str] = set()
    at: PackageVariant | None = variant
    while at is not None:
        if at.name in seen:
            raise UserError(f"{who} inherits from itself.")
        seen.add(at.name)
        if at.parent is not None and at.parent not in by_name:
            raise UserError(f"{who} has an ancestor that is not there.")
        at = by_name[at.parent] if at.parent is not None else None


def _check_sheet(package: Package, sheet: PackageSheet) -> None:
    for name in (sheet.shader, *(entry.file for entry in sheet.maps)):
        if name in (PACKAGE_FILE, README_FILE) or Path(name).name != name:
            raise UserError(f"the file name “{name[:40]}” leaves the package.")
    _distinct("output", [output.name for output in sheet.outputs])
    _distinct("region", [region.key for region in sheet.regions])
    _distinct("map", [f"{entry.slot} {entry.layer}" for entry in sheet.maps])
    program = Program(sheet.program, {output.name: output.node for output in sheet.outputs})
    check_program(program)
    for output in sheet.outputs:
        if output.name not in OUTPUTS or program.records[output.node].type != output.type:
            raise UserError(f"the output “{output.name[:40]}” is not of the type that it is told to be.")
        if OUTPUTS[output.name].type != output.type:
            raise UserError(f"the output “{output.name[:40]}” is a {OUTPUTS[output.name].type}.")
    there: dict[str, list[PackageMap]] = {}
    for entry in sheet.maps:
        if entry.uniform != texture_name(entry.slot):
            raise UserError(f"the map “{entry.slot[:40]}” has the uniform “{entry.uniform[:40]}”.")
        there.setdefault(entry.slot, []).append(entry)
    for slot, entries in there.items():
        layers = sorted(entry.layer for entry in entries)
        alike = {(e.width, e.height, e.channels, e.bits, e.encoding, e.filter, e.mips, e.wrap) for e in entries}
        if layers not in ([-1], list(range(len(entries)))) or len(alike) > 1:
            raise UserError(f"the layers of “{slot[:40]}” are not whole.")
    if program.slots.keys() != there.keys():
        odd = min(program.slots.keys() ^ there.keys())
        raise UserError(f"“{odd[:40]}” is sampled and not there, or there and not sampled.")
    for slot, is_array in program.slots.items():
        if is_array != (there[slot][0].layer >= 0):
            raise UserError(f"“{slot[:40]}” is sampled as what it is not, an array or a single map.")
    for record in sheet.program:
        if record.op == "strip":
            strip = there[str(record.payload[0])][0]
            if record.payload[1:] != (strip.width, strip.height):
                raise UserError(f"“{strip.slot[:40]}” is looked up in as a strip of another size.")
    parameters = {parameter.name: parameter.type for parameter in package.parameters}
    for name, kind in program.parameters.items():
        if parameters.get(name) != kind:
            raise UserError(f"the program reads the parameter “{name[:40]}”, which is not there as a {kind}.")
