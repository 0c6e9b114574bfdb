"""Writing maps by an output plan: every channel of every file from what the plan says."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.disk.folders import adding_files
from even_palette.core.disk.gate import reason
from even_palette.core.errors import UserError
from even_palette.core.graph import nodes, slots
from even_palette.core.graph.frames import run_frame
from even_palette.core.graph.fused import Frame
from even_palette.core.graph.program import program_of
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.model import Focus, Kit
from even_palette.core.kit.names import identifier
from even_palette.core.kit.output_plan import PATTERN, Of, OutputPlan, PlanChannel, PlanFile, check_plan
from even_palette.core.material.outputs import LIGHT, OUTPUTS
from even_palette.core.material.variants import resolve
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.formats import format_to_write
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane, to_levels8
from even_palette.core.regions.packing import plane_and_channel
from even_palette.core.results.id_map import has_masks
from even_palette.core.results.maps import given_plane, paint_of
from even_palette.core.results.rendering import SheetRender
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.weights import MOST_MASK_SUM, weights_of

QUICK = 1
"""Compression of PNG (see `render`)."""
ALL_VARIANTS = "all"
TOKENS = ("kit", "sheet", "variant", "map", "size")


@dataclass(frozen=True)
class Wish:
    """What shall be written: a plan, for sheets in variants (keys), and how.

    `side` is the width in texels, 0 for the sheet's own; formats of light hold 32-bit floats, others `bits` 8 or 16.
    """

    plan: OutputPlan
    variants: Sequence[str]
    sheets: Sequence[str]
    side: int = 0
    suffix: str = ".png"
    bits: int = 8
    pattern: str = PATTERN

    @property
    def depth(self) -> int:
        """Bits a channel as they are written. Raises UserError for more than the format holds."""
        kind = format_to_write(f"map{self.suffix}")
        if kind.of_light:
            return 32
        if self.bits > kind.bits:
            name = self.suffix[1:].upper()
            raise UserError(f"{name} holds {kind.bits} bits a channel; choose another format for {self.bits}.")
        return self.bits


@dataclass(frozen=True)
class Wanted:
    """A file that is to be written: its name, of which sheet and variant (keys), by which file of the plan."""

    name: str
    sheet: str
    variant: str
    file: PlanFile


@dataclass(frozen=True)
class PlannedMap:
    """What is known of a file before it is written: its size in texels, and its bytes in memory with mips."""

    wanted: Wanted
    width: int
    height: int
    memory: int


class _Sheet:
    """A sheet whose channels are asked for, at one size; what takes long is made once."""

    def __init__(self, at: Focus, store: Sheets, side: int, cancel: CancelToken | None = None) -> None:
        self.at, self.store, self._cancel = at, store, cancel
        own = self._ready.size
        self.size = (side, max(1, round(side * own[1] / own[0]))) if side else own
        self._rendered: tuple[tuple[str, ...], dict[str, Samples]] = ((), {})

    @cached_property
    def _ready(self) -> SheetRender:
        return SheetRender(self.at, self.store, cancel=self._cancel)

    def gives(self, channel: PlanChannel) -> bool:
        """Whether anything gives a channel here."""
        match channel.of:
            case Of.OUTPUT:
                return channel.name in self._ready.outputs or self._map(channel) is not None
            case Of.MAP:
                return self._map(channel) is not None
            case Of.ALPHA:
                return paint_of(self.at, self.store).channels == 4
            case Of.MASK:
                return self._region(channel) is not None
            case Of.MASKS:
                return bool(self.at.sheet.regions) and has_masks(self.at, self.store)
        return False

    def varies(self, channel: PlanChannel) -> bool:
        """Whether a channel may differ from variant to variant: what coats set may, maps and masks do not."""
        return channel.of == Of.OUTPUT and channel.name in self._ready.outputs

    def values(self, channel: PlanChannel, variant: str, outputs: Sequence[str]) -> Floats:
        """A channel as numbers (H, W) float32, light encoded in no way; `outputs` are all that the variant is asked."""
        if not self.gives(channel):
            width, height = self.size
            return np.full((height, width), channel.absent, np.float32)
        found = self._values(channel, variant, outputs)
        if (channel.low, channel.high) != (0.0, 1.0):
            found = np.clip((found - channel.low) / (channel.high - channel.low), 0, 1)
        return float32(1 - found if channel.invert else found)

    def _values(self, channel: PlanChannel, variant: str, outputs: Sequence[str]) -> Floats:
        match channel.of:
            case Of.OUTPUT if channel.name in self._ready.outputs:
                return float32(self._outputs(variant, outputs)[channel.name][..., channel.part])
            case Of.MASK:
                number = self._region(channel)
                assert number is not None
                plane, place = plane_and_channel(number)
                return self._sampled(weights_of(self.at, self.store, cancel=self._cancel).packed[plane], place)
            case Of.MASKS:
                summed = weights_of(self.at, self.store, cancel=self._cancel).mask_sum
                return np.minimum(self._sampled(summed, 0) * MOST_MASK_SUM, 1)
            case Of.ALPHA:
                return self._sampled(paint_of(self.at, self.store), 3)
        given = self._map(channel)
        assert given is not None
        return self._sampled(given, min(channel.part, given.channels - 1))

    def _outputs(self, variant: str, outputs: Sequence[str]) -> dict[str, Samples]:
        """What the material gives in a variant; all that is asked for is rendered at once."""
        wanted = (variant, *outputs)
        if self._rendered[0] != wanted:
            settings = resolve(self.at.kit.parameters, self.at.kit.variants, variant)
            asked = [name for name in outputs if name in self._ready.outputs]
            self._rendered = wanted, self._ready.render(asked, settings, self.size, cancel=self._cancel)
        return self._rendered[1]

    def _map(self, channel: PlanChannel) -> Plane | None:
        """The map that gives what a channel asks for, if there is one."""
        role = OUTPUTS[channel.name].role if channel.of == Of.OUTPUT else Role(channel.name)
        return given_plane(self.at, role, self.store) if role is not None else None

    def _region(self, channel: PlanChannel) -> int | None:
        found = (n for n, region in enumerate(self.at.sheet.regions) if channel.name in (region.key, region.name))
        return next(found, None) if has_masks(self.at, self.store) else None

    def _sampled(self, plane: Plane, channel: int) -> Floats:
        """A channel of a plane at every texel, by the filter and the mips of a runtime."""
        program = program_of({"value": nodes.texture("map", nodes.uv())["xyzw"[channel]]})
        frame = Frame(*self.size)
        return float32(run_frame(program, {"map": slots.of(plane)}, {}, frame, cancel=self._cancel)["value"][..., 0])


def named(pattern: str, tokens: Mapping[str, str]) -> str:
    """A name by a pattern with tokens in braces. Raises UserError for one that is unknown, or makes no plain name."""
    name, rest = "", pattern
    while rest:
        before, brace, rest = rest.partition("{")
        name += before
        if brace:
            token, closed, rest = rest.partition("}")
            if not closed or token not in tokens:
                raise UserError(f"“{pattern[:60]}”: there is no {{{token[:20]}}}; there is {', '.join(TOKENS)}.")
            name += tokens[token]
    if not name or name.startswith(".") or any(letter in name for letter in '/\\\0:*?"<>|') or len(name) > 200:
        raise UserError(f"“{pattern[:60]}” makes no plain file name.")
    return name


def plan_maps(kit: Kit, store: Sheets, wish: Wish, cancel: CancelToken | None = None) -> list[PlannedMap]:
    """The files that `write_planned` would write, with what they take. Raises UserError, Cancelled.

    One that is the same in all of several variants is there once, called after all of them.
    """
    check_plan(wish.plan)
    texel_bytes = wish.depth // 8
    found, names = list[PlannedMap](), set[str]()
    for key in wish.sheets:
        sheet = _Sheet(kit.at(key), store, wish.side, cancel)
        width, height = sheet.size
        there = [file for file in wish.plan.files if any(map(sheet.gives, file.channels))]
        for number, variant in enumerate(wish.variants):
            for file in there:
                varies = any(map(sheet.varies, file.channels))
                if number and not varies:
                    continue
                called = identifier(kit.variant_names[variant]) if varies or len(wish.variants) == 1 else ALL_VARIANTS
                tokens = {
                    "kit": identifier(kit.name), "sheet": identifier(kit.sheet(key).name), "variant": called,
                    "map": file.name, "size": str(width),
                }  # fmt: skip
                name = named(wish.pattern, tokens) + wish.suffix
                if name in names:
                    raise UserError(f"Two maps would be called {name}; put {{sheet}}, {{variant}} and {{map}} into it.")
                names.add(name)
                channels = {3: 4}.get(len(file.channels), len(file.channels))
                memory = width * height * channels * texel_bytes * 4 // 3
                found.append(PlannedMap(Wanted(name, key, variant, file), width, height, memory))
    if not found:
        raise UserError("Nothing gives any channel of this plan here.")
    return found


def planned_plane(sheet: _Sheet, wanted: Wanted, outputs: Sequence[str], bits: int) -> Plane:
    """A file of a plan as a plane: `bits` 8 or 16, light encoded; 32 for floats, light linear."""
    parts, light = [], False
    for channel in wanted.file.channels:
        values = sheet.values(channel, wanted.variant, outputs)
        if channel.of == Of.OUTPUT and channel.name in LIGHT:
            light = True
            values = values if bits == 32 else linear_to_srgb(np.clip(values, 0, 1))
        parts.append(values)
    whole = np.stack(parts, axis=-1)
    if bits == 8:
        samples: Samples = to_levels8(whole)
    elif bits == 16:
        samples = np.asarray(np.clip(np.nan_to_num(whole), 0, 1) * np.float32(65535) + np.float32(0.5), np.uint16)
    else:
        samples = whole
    return Plane(samples, (Encoding.LINEAR if bits == 32 else Encoding.SRGB) if light else Encoding.DATA)


def small_planned(
    kit: Kit, store: Sheets, wanted: Sequence[Wanted], side: int, cancel: CancelToken | None = None
) -> dict[str, Plane]:
    """Small pictures of files of a plan, by name, `side` texels wide. Raises UserError, Cancelled."""
    made, sheets = dict[str, Plane](), dict[str, _Sheet]()
    for each in wanted:
        if cancel is not None:
            cancel.check()
        if each.sheet not in sheets:
            sheets[each.sheet] = _Sheet(kit.at(each.sheet), store, side, cancel)
        made[each.name] = planned_plane(sheets[each.sheet], each, _asked(wanted, each), 8)
    return made


def write_planned(
    kit: Kit,
    store: Sheets,
    wish: Wish,
    folder: Path,
    progress: Progress = silent,
    cancel: CancelToken | None = None,
) -> dict[str, int]:
    """Write what is wished for; the bytes of each file. In floats light is linear, in 8 and 16 bits encoded.

    All are made before any appears; a file there that was not written here before is never replaced. Raises UserError,
    Cancelled.
    """
    files = [each.wanted for each in plan_maps(kit, store, wish, cancel)]
    sheet: _Sheet | None = None
    try:
        with adding_files(folder, [each.name for each in files], [Path(file.path) for file in kit.files]) as staging:
            for number, each in enumerate(files):
                if cancel is not None:
                    cancel.check()
                progress(number / len(files), "Maps")
                if sheet is None or sheet.at.key != each.sheet:
                    sheet = _Sheet(kit.at(each.sheet), store, wish.side, cancel)
                made = planned_plane(sheet, each, _asked(files, each), wish.depth)
                write_plane(staging / each.name, made, QUICK)
            progress(1.0, "Maps")
            return {each.name: (staging / each.name).stat().st_size for each in files}
    except OSError as error:
        raise UserError(f"{folder}: the maps could not be written ({reason(error)}).") from error


def _asked(files: Sequence[Wanted], one: Wanted) -> list[str]:
    """All outputs that files of the same sheet and variant ask for."""
    alike = (each for each in files if (each.sheet, each.variant) == (one.sheet, one.variant))
    channels = (channel for each in alike for channel in each.file.channels)
    return list(dict.fromkeys(channel.name for channel in channels if channel.of == Of.OUTPUT))
