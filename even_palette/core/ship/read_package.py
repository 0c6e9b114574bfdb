"""Reading packages, and what a schema cannot say of them."""

import stat
from pathlib import Path

import msgspec

from even_palette.core.disk.gate import read_bytes
from even_palette.core.errors import UserError
from even_palette.core.graph.binding import texture_name, uniform_name
from even_palette.core.graph.program import Program, check_program
from even_palette.core.kit.validate_coats import check_tracks
from even_palette.core.material.drawn import Way
from even_palette.core.material.model import Parameter, ValueKind
from even_palette.core.material.outputs import ALPHA, OPACITY, OUTPUTS
from even_palette.core.ranges import told
from even_palette.core.ship.package import (
    FORMAT,
    MAKER,
    PACKAGE_FILE,
    README_FILE,
    Package,
    PackageMap,
    PackageParameter,
    PackageSheet,
    PackageTwin,
    PackageVariant,
    RuntimeValue,
)

MOST_JSON_BYTES = 64 << 20


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
    _distinct("sheet or twin", [*(sheet.name for sheet in package.sheets), *(twin.name for twin in package.twins)])
    for twin in package.twins:
        _check_twin(package, twin)
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
    check_tracks(who, variant.tracks, {name: plain_parameter(each) for name, each in parameters.items()})
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


def _check_twin(package: Package, twin: PackageTwin) -> None:
    who = f"twin “{twin.name[:40]}”"
    if twin.sheet not in [sheet.name for sheet in package.sheets]:
        raise UserError(f"{who} is of a sheet that is not there.")
    if twin.values.keys() != {"", *(variant.name for variant in package.variants)}:
        raise UserError(f"{who} has not values for each variant.")
    parameters = {parameter.name: parameter for parameter in package.parameters}
    for values in twin.values.values():
        if values.keys() != parameters.keys():
            raise UserError(f"{who} has not a value for each parameter.")
        for name, value in values.items():
            _check_value(parameters[name], value, who)
    if not twin.tracks.keys() <= twin.values.keys():
        raise UserError(f"{who} goes over time in a variant that is not there.")
    for tracks in twin.tracks.values():
        check_tracks(who, tracks, {name: plain_parameter(each) for name, each in parameters.items()})


def plain_parameter(parameter: PackageParameter) -> Parameter:
    """The kind and range of a parameter, as tracks take them; its colours are linear light."""
    return Parameter(
        parameter.name,
        parameter.name,
        ValueKind(parameter.kind),
        parameter.default,
        parameter.low,
        parameter.high,
    )


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
    named = {output.name for output in sheet.outputs}
    if (ALPHA in named) != (sheet.drawing.way != Way.OPAQUE) or (ALPHA in named and OPACITY not in named):
        raise UserError(f"the sheet “{sheet.name[:40]}” is not drawn as its outputs tell.")
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
