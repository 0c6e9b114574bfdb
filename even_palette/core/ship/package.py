"""The structs of package.json, which is all that a runtime needs besides the maps and the shader.

Ranges stand at the fields, so that reading checks them and the schema says them; `read_package` checks the rest.
"""

from typing import Annotated, Final, Literal

import msgspec
from msgspec import Meta

from even_palette.core.graph.operations import INPUTS, TABLE
from even_palette.core.graph.program import LOOK_UPS, MOST_RECORDS, NodeRecord
from even_palette.core.graph.types import Type
from even_palette.core.material.drawn import OPAQUE, Drawing
from even_palette.core.material.model import Blending, Track
from even_palette.core.material.outputs import OUTPUTS
from even_palette.core.material.shading import Tilt, Width
from even_palette.core.ranges import END, Share
from even_palette.core.raster.plane import Encoding
from even_palette.core.raster.sampling import Filter

PACKAGE_FILE = "package.json"
SHADER_FILE = "material.glsl"
README_FILE = "README.txt"
FORMAT: Final = 7
MAKER = "Even Palette "
FUNCTION: Final = "even_palette_colour"
SURFACE_FUNCTION: Final = "even_palette_surface"
STRUCT = "EvenPaletteSurface"
SETUP_FUNCTION, SETUP = "even_palette_setup", "EvenPaletteSetup"
VERTEX_STAGE = "EVEN_PALETTE_VERTEX"
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


class PackageCoverage(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What the mips of a map keep: of a channel, the share of texels that have a threshold or more."""

    channel: Annotated[int, Meta(ge=0, le=3)]
    threshold: Share


class PackageMap(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One texture, or one layer of an array texture: maps of one `uniform` with `layer` 0, 1 … make the array.

    `srgb` maps are decoded by the sampler; `data` and `linear` maps are not. `layer` is -1 for a texture of its own.
    Several maps may be in one file. Mips keep the `coverage`: a level's alpha is scaled for it. Integers of 8 and 16
    bits are PNG, floats of 32 bits OpenEXR.
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
    coverage: PackageCoverage | None = None


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

    `kind` says whether it is a colour, a number, a switch (0 or 1) or a row (a whole number). A colour that players
    choose is one of the `swatches`, in linear light, if there are any; else its lightness in OKLab and its hue in
    OKLCh, in degrees from one up to the other, are within these; all hues are where both are the same.
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
    swatches: tuple[tuple[Number, Number, Number], ...] = ()
    lightness: tuple[Number, Number] = (0.0, 1.0)
    hues: tuple[Number, Number] = (0.0, 0.0)


class PackageVariant(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A variant: what it sets itself, and the value of every parameter after inheritance, as it is at the beginning.

    `tracks` say what parameters are over time, by name, after inheritance too; colours in linear light.
    """

    name: Annotated[str, Meta(min_length=1)]
    parent: str | None
    own: dict[str, RuntimeValue]
    values: dict[str, RuntimeValue]
    tracks: dict[str, Track] = {}


class PackageTwin(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A twin of a sheet: a material slot of its own with the maps and the shader of the sheet, and other values.

    `values` has for each variant, by name, and for "" (none) the value of every parameter; `tracks`, for variants that
    have some, what goes over time.
    """

    name: Annotated[str, Meta(min_length=1)]
    sheet: Annotated[str, Meta(min_length=1)]
    values: dict[str, dict[str, RuntimeValue]]
    tracks: dict[str, dict[str, Track]] = {}


class PackageOutput(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What the material gives: its name (a field of the shader's struct), type, meaning, and place in the program."""

    name: str
    type: Type
    told: str
    node: Annotated[int, Meta(ge=0, lt=MOST_RECORDS)]


class PackageHighlight(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A highlight of strands: shift and width in degrees, its colour in linear light, already times its strength."""

    shift: Tilt
    width: Width
    tint: tuple[Number, Number, Number]


class PackageShading(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What light does on strands or leaves. Strands run down the sheet, or `across` it; highlights are shifted further
    by `broken` degrees times 2 s - 1, s being the output strand_shift, 0.5 without it.
    """

    kind: Literal["strands", "leaves"]
    through: Share
    across: bool = False
    first: PackageHighlight | None = None
    second: PackageHighlight | None = None
    broken: Annotated[float, Meta(ge=0, le=45)] = 0.0


class PackageSheet(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A sheet with its maps and regions, its shader functions and the same formulas as a program.

    `function` gives the colour alone, `surface_function` a struct of all outputs. One whose `drawing` is not opaque has
    the outputs opacity and alpha. `shading` says what light does where it is no plain surface.
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
    drawing: Drawing = OPAQUE
    shading: PackageShading | None = None


class Package(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """package.json. `mips` says how levels are made: a texel is the mean of the `area` that it covers one level up.

    `target` is for whom it was written; `beside` are files of the target that no sheet names.
    """

    format: Literal[7]
    name: str
    made_by: Annotated[str, Meta(pattern=f"^{MAKER}")]
    blending: Blending
    sheets: Annotated[tuple[PackageSheet, ...], Meta(min_length=1, max_length=512)]
    parameters: tuple[PackageParameter, ...]
    variants: tuple[PackageVariant, ...]
    mips: Literal["area"] = "area"
    target: Identifier = "glsl"
    beside: tuple[FileName, ...] = ()
    twins: tuple[PackageTwin, ...] = ()


def package_schema() -> dict[str, object]:
    """JSON Schema of package.json."""
    schema = msgspec.json.schema(Package)
    parts = schema["$defs"]
    operations = {*TABLE, *INPUTS, *LOOK_UPS, "constant", "parameter", "join"}
    parts["NodeRecord"]["properties"]["op"]["enum"] = sorted(operations)
    parts["NodeRecord"]["properties"]["args"]["items"]["minimum"] = 0
    for name in ("PackageParameter", "PackageVariant", "PackageTwin"):
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
