"""Output plans: which output, map or mask goes into which channel of which file."""

import json
from enum import StrEnum
from pathlib import Path
from typing import Annotated

import msgspec
from msgspec import Meta

from even_palette.core.disk.gate import read_bytes
from even_palette.core.errors import UserError
from even_palette.core.material.outputs import OUTPUTS
from even_palette.core.ranges import Key, Share, told
from even_palette.core.raster.guess import Role

PLAN_FORMAT = 1
ROLES = [role for role in Role if role != Role.NONE]
MOST_FILES = 256
MOST_PLAN_BYTES = 1 << 20
PATTERN = "{sheet}-{variant}-{map}"
"""How files are called without a wish."""


class Of(StrEnum):
    """What a channel is taken from."""

    OUTPUT = "output"
    MAP = "map"
    ALPHA = "base alpha"
    MASK = "mask"
    PACKED = "packed mask"
    MASKS = "sum of masks"
    ID = "ID colours"
    BAKE = "bake"
    TONE = "tone"
    STRIP = "strip"
    UV = "UV lines"
    CONSTANT = "constant"


class PlanChannel(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What one channel of a file holds.

    `name` is that of an output of the material, the role of a map, the key or name of a region, of a packed mask its
    number from 1 on, the key of a bake, or the key or name of a tone, palette or ramp; `part` the channel of what has
    more than one. An output that no coat sets is what the sheet's maps say. Values go
    through levels, `low` to 0 and `high` to 1, then are turned where it is `invert`. Where nothing gives it, `absent`
    stands, as it is.
    """

    of: Of
    name: str = ""
    part: Annotated[int, Meta(ge=0, le=3)] = 0
    low: Share = 0.0
    high: Share = 1.0
    invert: bool = False
    absent: Share = 0.0


class PlanFile(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A file of a plan: what it is called within a name (see `PATTERN`), and what its channels hold.

    Where the fourth channel is 0, one with `carry` has the colour of the nearest texel where it is not, so that no
    filter and no mip brings in what was never seen.
    """

    name: Key
    channels: Annotated[tuple[PlanChannel, ...], Meta(min_length=1, max_length=4)]
    carry: bool = False

    @property
    def is_strip(self) -> bool:
        """Whether it holds a palette or ramp, which is of no sheet."""
        return any(channel.of == Of.STRIP for channel in self.channels)


class OutputPlan(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Files for every sheet and variant; one of which nothing gives any channel is not written."""

    key: Key
    name: str
    files: Annotated[tuple[PlanFile, ...], Meta(min_length=1, max_length=MOST_FILES)]
    format: int = PLAN_FORMAT


def output(name: str, part: int = 0, invert: bool = False) -> PlanChannel:
    """An output of the material; where nothing gives it, what it is by default."""
    usual = OUTPUTS[name].default[part]
    return PlanChannel(Of.OUTPUT, name, part, invert=invert, absent=1 - usual if invert else usual)


def _three(name: str) -> tuple[PlanChannel, ...]:
    return tuple(output(name, part) for part in range(3))


_COLOUR, _EMISSION, _NORMAL = (PlanFile(name, _three(name)) for name in ("colour", "emission", "normal"))
_HEIGHT = PlanChannel(Of.MAP, Role.HEIGHT, absent=0.5)


def _single(name: str) -> PlanFile:
    return PlanFile(name, (output(name),))


READY = (
    OutputPlan(
        "separate",
        "Separate files",
        (
            _COLOUR, _EMISSION, _NORMAL,
            *map(_single, ("metalness", "roughness", "clear_coat", "occlusion", "opacity")),
            PlanFile("height", (_HEIGHT,)),
        ),
    ),
    OutputPlan(
        "occlusion_roughness_metalness",
        "Occlusion + roughness + metalness",
        (
            _COLOUR, _EMISSION, _NORMAL,
            PlanFile("occlusion_roughness_metalness", (output("occlusion"), output("roughness"), output("metalness"))),
        ),
    ),
    OutputPlan(
        "metalness_occlusion_height_smoothness",
        "Metalness + occlusion + height + smoothness",
        (
            _COLOUR, _EMISSION, _NORMAL,
            PlanFile(
                "metalness_occlusion_height_smoothness",
                (output("metalness"), output("occlusion"), _HEIGHT, output("roughness", invert=True)),
            ),
        ),
    ),
    OutputPlan(
        "finish",
        "Finish: metalness, roughness, clear coat",
        (
            _COLOUR, _NORMAL,
            PlanFile("metalness_roughness_clear_coat", tuple(map(output, ("metalness", "roughness", "clear_coat")))),
        ),
    ),
    OutputPlan(
        "colour_opacity",
        "Colour with opacity in its alpha",
        (
            PlanFile("colour_opacity", (*_three("colour"), output("opacity")), carry=True), _EMISSION, _NORMAL,
            PlanFile("occlusion_roughness_metalness", (output("occlusion"), output("roughness"), output("metalness"))),
        ),
    ),
)  # fmt: skip
"""Plans that the trade uses, called by their content: common practice."""


def check_plan(plan: OutputPlan) -> None:
    """Raise UserError for a plan that does not hold together."""
    who = f"plan “{plan.name[:40]}”"
    if plan.format != PLAN_FORMAT:
        raise UserError(f"{who} has format {plan.format}; this version reads format {PLAN_FORMAT}.")
    names = [file.name for file in plan.files]
    if len(set(names)) != len(names):
        raise UserError(f"{who} has two files of one name.")
    for file in plan.files:
        if file.carry and len(file.channels) < 4:
            raise UserError(f"{who} carries colour in “{file.name[:40]}”, which has no fourth channel.")
        if file.is_strip and any(channel.of not in (Of.STRIP, Of.CONSTANT) for channel in file.channels):
            raise UserError(f"{who} has a file “{file.name[:40]}” of a strip and of what lies on sheets.")
        for channel in file.channels:
            if channel.of == Of.OUTPUT and channel.name not in OUTPUTS:
                raise UserError(f"{who} has a channel of the output “{channel.name[:40]}”; there is none.")
            if channel.of == Of.OUTPUT and channel.part >= len(OUTPUTS[channel.name].default):
                raise UserError(f"{who} has part {channel.part} of “{channel.name}”, which has none.")
            if channel.of == Of.MAP and channel.name not in ROLES:
                raise UserError(f"{who} has a channel of the role “{channel.name[:40]}”; there is none.")
            if channel.low >= channel.high:
                raise UserError(f"{who} has levels that begin where they end.")


def read_plan(path: Path) -> OutputPlan:
    """A plan from a file of JSON. Raises UserError, naming the file."""
    data = read_bytes(path, MOST_PLAN_BYTES)
    try:
        whole = json.loads(data)
        plan = msgspec.convert(whole, OutputPlan)
        check_plan(plan)
    except (ValueError, RecursionError) as error:
        if isinstance(error, msgspec.ValidationError):
            raise UserError(f"{path}: not an output plan: {told(error, whole, 'plan')}") from None
        raise UserError(f"{path}: not an output plan: it is no JSON.") from None
    except UserError as error:
        raise UserError(f"{path}: {error}") from None
    return plan


def plan_text(plan: OutputPlan) -> bytes:
    """A plan as a file of JSON holds it."""
    return msgspec.json.format(msgspec.json.encode(plan), indent=2) + b"\n"


def plan_schema() -> dict[str, object]:
    """The JSON Schema of files of plans."""
    return msgspec.json.schema(OutputPlan)
