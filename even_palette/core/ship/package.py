"""The structs of package.json, which is all that a runtime needs besides the maps and the shader."""

import stat
from pathlib import Path

import msgspec

from even_palette.core.disk.gate import read_bytes
from even_palette.core.errors import UserError
from even_palette.core.graph.program import NodeRecord
from even_palette.core.graph.types import Type
from even_palette.core.raster.plane import Encoding
from even_palette.core.raster.sampling import Filter, Wrap

PACKAGE_FILE = "package.json"
SHADER_FILE = "material.glsl"
README_FILE = "README.txt"
FORMAT = 2
MAKER = "Even Palette "
MOST_JSON_BYTES = 64 << 20

RuntimeValue = float | tuple[float, float, float]
"""What a uniform is set to: a number, or a colour in linear light."""


class PackageMap(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One texture, or one layer of an array texture: maps of one `uniform` with `layer` 0, 1 … make the array.

    `srgb` maps are decoded by the sampler; `data` and `linear` maps are not. `layer` is -1 for a texture of its own.
    """

    slot: str
    uniform: str
    file: str
    encoding: Encoding
    width: int
    height: int
    channels: int
    bits: int
    filter: Filter = Filter.LINEAR
    mips: bool = True
    wrap: Wrap = Wrap.CLAMP
    holds: tuple[str, ...] = ()
    layer: int = -1


class PackageRegion(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A region: where its weight is packed, its ID colour and its coats.

    That is a slot, the layer of an array or -1, and a channel; in edge pairs the channel is the region's number.
    """

    key: str
    name: str
    slot: str
    layer: int
    channel: str
    id_colour: str
    coats: tuple[str, ...]


class PackageParameter(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A uniform. `default` is in linear light for colours; `default_hex` is the same colour as it was picked.

    `kind` says whether it is a colour, a number, a switch (0 or 1) or a row (a whole number).
    """

    name: str
    uniform: str
    type: Type
    default: RuntimeValue
    default_hex: str
    low: float
    high: float
    unit: str
    help: str
    used_by: tuple[str, ...]
    kind: str = ""
    group: str = ""


class PackageVariant(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A variant: what it sets itself, and the value of every parameter after inheritance."""

    name: str
    parent: str | None
    own: dict[str, RuntimeValue]
    values: dict[str, RuntimeValue]


class PackageOutput(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What the material gives: its name (a field of the shader's struct), type, meaning, and place in the program."""

    name: str
    type: Type
    told: str
    node: int


class PackageSheet(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A sheet with its maps and regions, its shader functions and the same formulas as a program.

    `function` gives the colour alone, `surface_function` a struct of all outputs.
    """

    name: str
    width: int
    height: int
    maps: tuple[PackageMap, ...]
    regions: tuple[PackageRegion, ...]
    shader: str
    function: str
    surface_function: str
    outputs: tuple[PackageOutput, ...]
    program: tuple[NodeRecord, ...]


class Package(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """package.json."""

    format: int
    name: str
    made_by: str
    blending: str
    sheets: tuple[PackageSheet, ...]
    parameters: tuple[PackageParameter, ...]
    variants: tuple[PackageVariant, ...]


def package_schema() -> dict[str, object]:
    """JSON Schema of package.json."""
    return msgspec.json.schema(Package)


class _Files(msgspec.Struct):
    """What tells our own files, whatever the format."""

    format: int
    made_by: str
    sheets: list[dict[str, object]]


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
    names = [README_FILE]
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
    """The package in a folder. Raises UserError, naming the file, if it cannot be read or points outside the folder."""
    path = folder / PACKAGE_FILE
    try:
        package = msgspec.json.decode(read_bytes(path, MOST_JSON_BYTES), type=Package)
    except (msgspec.MsgspecError, RecursionError, UnicodeDecodeError) as error:
        raise UserError(f"{path}: not a package: {' '.join(str(error).split())[:200]}") from None
    if package.format != FORMAT:
        raise UserError(f"{path}: format {package.format}; this version reads format {FORMAT}.")
    files = [name for sheet in package.sheets for name in (sheet.shader, *(m.file for m in sheet.maps))]
    for name in files:
        if not name or Path(name).name != name or name in (".", "..") or "\0" in name:
            raise UserError(f"{path}: the file name “{name[:40]}” leaves the package.")
    return package
