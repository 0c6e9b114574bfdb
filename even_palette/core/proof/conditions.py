"""Conditions: what a runtime does to the maps of a material, map by map, and the presets of the trade."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Annotated

import msgspec
from msgspec import Meta

from even_palette.core.errors import UserError
from even_palette.core.ranges import Key
from even_palette.core.raster.blocks import CHANNELS, Block, block_bytes
from even_palette.core.raster.sampling import Filter

MOST_SMALLER, MOST_ANISOTROPY, MOST_BIAS = 8, 16, 2
MOST_KINDS = 64
PLAIN, EIGHT, HALF = "plain", "8 bits", "half float"
"""Formats of texels that are not in blocks: as they are, and for those of more than 8 bits with less."""
FORMATS = (PLAIN, EIGHT, HALF, *(block.value for block in Block))
DEPTHS = {8: "u1", 16: "u2", 32: "f4"}
"""In which numbers texels as they are are stored, by their bits."""


class Use(StrEnum):
    """What a map is to the formula: what may be done to it hangs on that."""

    COLOUR = "colour"
    WEIGHTS = "weights"
    NORMAL = "normal"
    NUMBERS = "numbers"
    INDEX = "index"
    STRIP = "strip"


class Mips(StrEnum):
    """How levels are made: boxes in linear light, or of values as they are encoded; normals made of length 1 again; the
    entry that occurs most often; read from the map's file, which has its own; or none.
    """

    LINEAR = "linear"
    ENCODED = "encoded"
    NORMALS = "normals"
    FREQUENT = "frequent"
    FILE = "file"
    NONE = "none"


class ReadAs(StrEnum):
    """How the runtime decodes a map: as it is meant, as sRGB, or not at all."""

    MEANT = "meant"
    SRGB = "srgb"
    DATA = "data"


class Beyond(StrEnum):
    """What a runtime finds beyond the edge of a map. Mirrors are part of the formula, so they are none of this."""

    CLAMP = "clamp"
    REPEAT = "repeat"


class MapConditions(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What is done to a map: one of FORMATS, how often its sides are halved, how its levels are made, another filter
    and another wrap than it is meant for, and how it is decoded.

    `anisotropy` is how many samples a look-up takes at the most along a slanted pixel, and `bias` goes to the number of
    the level that is read (OpenGL 4.6, sections 8.14 and 8.14.1, where 2 is what each driver allows).
    """

    format: str = PLAIN
    smaller: Annotated[int, Meta(ge=0, le=MOST_SMALLER)] = 0
    mips: Mips = Mips.LINEAR
    filter: Filter | None = None
    read_as: ReadAs = ReadAs.MEANT
    wrap: Beyond | None = None
    anisotropy: Annotated[int, Meta(ge=1, le=MOST_ANISOTROPY)] = 1
    bias: Annotated[float, Meta(ge=-MOST_BIAS, le=MOST_BIAS)] = 0.0

    @property
    def block(self) -> Block | None:
        """The block format, None for texels that are not in blocks."""
        return None if self.format in (PLAIN, EIGHT, HALF) else Block(self.format)

    @property
    def stored(self) -> "MapConditions":
        """What texels and levels hang on; all else is how they are sampled."""
        return MapConditions(self.format, self.smaller, self.mips, read_as=self.read_as)


AS_MEANT = MapConditions()


class Conditions(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A preset, by its name; what is otherwise for `kinds` of maps, by use and channels (see `kind_of`), and by slot
    for single maps. Searches leave alone what is `held`.
    """

    preset: str = "nothing"
    maps: dict[str, MapConditions] = {}
    held: tuple[str, ...] = ()
    kinds: Annotated[dict[str, MapConditions], Meta(max_length=MOST_KINDS)] = {}


class OwnPreset(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Conditions that a kit keeps under a name, for maps by their kinds alone. Sheets that take them have their own
    copy, so that a preset that goes changes nothing.
    """

    key: Key
    name: str
    conditions: Conditions


@dataclass(frozen=True)
class Preset:
    """Conditions of the trade: for each map by its use and its channels."""

    label: str
    told: str
    of: Callable[[Use, int], MapConditions]


@dataclass(frozen=True)
class MapFacts:
    """What conditions ask of a map: its use, channels, whether it is colour that is decoded, bits, size and levels;
    and whether its file has levels of its own.
    """

    use: Use
    channels: int
    is_srgb: bool
    bits: int
    width: int
    height: int
    has_mips: bool
    layers: int = 1
    own_levels: bool = False


def _half(use: Use, channels: int) -> MapConditions:
    """Half a byte a texel where a block of 8 bytes holds the map."""
    return _in_blocks(use, {1: Block.BC4, 2: Block.BC5, 3: Block.BC1, 4: Block.BC3}, channels)


def _whole(use: Use, channels: int) -> MapConditions:
    return _in_blocks(use, {1: Block.BC4, 2: Block.BC5, 3: Block.BC7, 4: Block.BC7}, channels)


def _mobile(use: Use, channels: int) -> MapConditions:
    blocks = {1: Block.EAC_R, 2: Block.EAC_RG, 3: Block.ETC2_RGB, 4: Block.ETC2_RGBA}
    found = _in_blocks(use, blocks, channels)
    return found if use in (Use.STRIP, Use.INDEX) else msgspec.structs.replace(found, smaller=1)


def _in_blocks(use: Use, blocks: Mapping[int, Block], channels: int) -> MapConditions:
    if use == Use.STRIP or (use == Use.INDEX and channels > 1):
        return AS_MEANT  # numbers in more channels are looked up one by one, and strips are too small
    mips = Mips.NORMALS if use == Use.NORMAL else Mips.LINEAR
    block = blocks[2] if use == Use.NORMAL else blocks[channels]
    return MapConditions(block.value, 0, mips)


def _wrong_flag(use: Use, channels: int) -> MapConditions:
    masks = use in (Use.WEIGHTS, Use.NUMBERS)
    return MapConditions(read_as=ReadAs.SRGB) if masks else AS_MEANT


def _encoded_mips(use: Use, channels: int) -> MapConditions:
    return MapConditions(mips=Mips.ENCODED) if use == Use.COLOUR else AS_MEANT


PRESETS = {
    "nothing": Preset("Nothing done", "Texels as they are, levels as they are meant.", lambda use, channels: AS_MEANT),
    "half": Preset(
        "Blocks of half a byte",
        "BC1 for colour and three weights, BC4 for one channel, BC5 for normals; four channels take a byte (BC3).",
        _half,
    ),
    "byte": Preset("Blocks of a byte", "BC7, for one channel BC4, for normals BC5.", _whole),
    "mobile": Preset("Mobile", "ETC2 and EAC, at half of the width and height.", _mobile),
    "wrong_flag": Preset(
        "Wrong flag on masks", "Weights and numbers are decoded as if they were sRGB colour.", _wrong_flag
    ),
    "encoded_mips": Preset(
        "Mips of encoded colour", "Levels of colour are means of encoded values: too dark.", _encoded_mips
    ),
}


def check_conditions(conditions: Conditions) -> None:
    """Raise UserError for a preset or a format that is not there."""
    if conditions.preset not in PRESETS:
        raise UserError(f"There is no preset “{conditions.preset[:40]}”; there is {', '.join(PRESETS)}.")
    for slot, own in (*conditions.maps.items(), *conditions.kinds.items()):
        if own.format not in FORMATS:
            raise UserError(f"“{slot[:40]}” has the format “{own.format[:40]}”; there is {', '.join(FORMATS)}.")


def conditions_of(conditions: Conditions, slot: str, facts: MapFacts) -> MapConditions:
    """What is done to a map, by the name of its slot: what it has of its own, else what the preset says.

    Strips keep their size: shaders look up in so many entries.
    """
    for own in (conditions.maps.get(slot), conditions.kinds.get(kind_of(facts))):
        if own is not None and fits(own, facts):
            return own if facts.use != Use.STRIP else msgspec.structs.replace(own, smaller=0)
    preset = PRESETS.get(conditions.preset, PRESETS["nothing"])
    return preset.of(facts.use, facts.channels)


def kind_of(facts: MapFacts) -> str:
    """Names the maps that a preset does the same to: by what they are to the formula, and their channels."""
    return f"{facts.use} {facts.channels}"


def of_kinds(conditions: Conditions, facts: Mapping[str, MapFacts]) -> Conditions:
    """The same for maps by their kinds: of each kind what most of its maps have, where the preset says otherwise.

    `facts` are those of all maps of a sheet, by slot. Strips keep their size, which is not theirs to set.
    """
    found: dict[str, list[MapConditions]] = {}
    for slot, each in facts.items():
        found.setdefault(kind_of(each), []).append(conditions_of(conditions, slot, each))
    plain = {kind_of(each): conditions_of(Conditions(conditions.preset), "", each) for each in facts.values()}
    most = {kind: max(each, key=each.count) for kind, each in found.items()}
    return Conditions(conditions.preset, kinds={kind: own for kind, own in most.items() if own != plain[kind]})


def fits(conditions: MapConditions, facts: MapFacts) -> bool:
    """Whether a format holds the channels of a map, and its file the levels that are asked for.

    Of normals two channels are enough; colour that is decoded is no float.
    """
    block = conditions.block
    if conditions.mips == Mips.FILE and not facts.own_levels:
        return False
    if conditions.format in (EIGHT, HALF):
        return facts.bits > 8 and not (facts.is_srgb and conditions.format == HALF)
    needed = 2 if facts.use == Use.NORMAL else facts.channels
    return block is None or CHANNELS[block] >= needed


def formats_for(facts: MapFacts) -> list[str]:
    """The formats that hold a map."""
    return [name for name in FORMATS if fits(MapConditions(name), facts)]


def depth_of(conditions: MapConditions, facts: MapFacts) -> str:
    """In which numbers texels are stored, or go into blocks: "u1", "u2", "f2" or "f4"."""
    if conditions.format == HALF:
        return "f2"
    return DEPTHS[facts.bits] if conditions.format == PLAIN else "u1"


def sizes_of(conditions: MapConditions, facts: MapFacts) -> list[tuple[int, int]]:
    """Width and height of each level that a map has."""
    width, height = max(1, facts.width >> conditions.smaller), max(1, facts.height >> conditions.smaller)
    has_mips = facts.has_mips and conditions.mips != Mips.NONE
    count = max(width, height).bit_length() if has_mips else 1
    return [(max(1, width >> level), max(1, height >> level)) for level in range(count)]


def bytes_of(conditions: MapConditions, facts: MapFacts) -> int:
    """Bytes that a map takes with its levels; three channels of texels as they are take four, as textures hold them."""
    channels, block = 4 if facts.channels == 3 else facts.channels, conditions.block
    texel = channels * int(depth_of(conditions, facts)[1])
    sizes = sizes_of(conditions, facts)
    return facts.layers * sum(block_bytes(block, *size) if block else size[0] * size[1] * texel for size in sizes)
