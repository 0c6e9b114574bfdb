"""Writing maps by an output plan: every channel of every file from what the plan says."""

from collections import deque
from collections.abc import Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.disk.folders import adding_files
from even_palette.core.disk.gate import reason
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import Names, identifier
from even_palette.core.kit.output_plan import PATTERN, Of, OutputPlan, PlanChannel, PlanFile, check_plan
from even_palette.core.limits import MOST_ROW_TEXELS
from even_palette.core.raster.alpha import carried
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.formats import IMAGE_FORMATS, LAYERED, format_to_write
from even_palette.core.raster.plane import Encoding, Plane, to_levels8
from even_palette.core.results.sheets import Sheets
from even_palette.core.ship.plan_channels import PlanSheet, Size, is_light

QUICK = 1
"""Compression of PNG: of 4096 x 4096 texels level 1 takes half the time of level 6 for 3 % more bytes (measured)."""
WRITERS = 2
ALL = "all"
"""What a name says of sheets or variants where a file is of none of them."""
TOKENS = ("kit", "sheet", "variant", "map", "size")


@dataclass(frozen=True)
class Wish:
    """What shall be written: a plan, for surfaces in variants (keys), and how.

    A surface is a sheet or a twin of one. `side` is the width in texels, 0 for that of the paint, and of the masks
    where a file holds nothing else; rows of strips are `row_texels` high. Formats of light hold 32-bit floats, others
    `bits` 8 or 16.
    """

    plan: OutputPlan
    variants: Sequence[str]
    surfaces: Sequence[str]
    side: int = 0
    suffix: str = ".png"
    bits: int = 8
    pattern: str = PATTERN
    row_texels: int = 1

    @property
    def in_layers(self) -> bool:
        """Whether all files of a sheet and variant become layers of one."""
        return self.suffix in LAYERED

    @property
    def depth(self) -> int:
        """Bits a channel as they are written. Raises UserError for more than the format holds."""
        if self.in_layers:
            return self.bits
        kind = format_to_write(f"map{self.suffix}")
        if kind.of_light:
            return 32
        if self.bits > kind.bits:
            name = self.suffix[1:].upper()
            raise UserError(f"{name} holds {kind.bits} bits a channel; choose another format for {self.bits}.")
        return self.bits


@dataclass(frozen=True)
class Wanted:
    """A file that is to be written: its name, of which surface and variant (keys), by which file of the plan.

    One of `layers` has all files of the plan that are there, from the lowest up.
    """

    name: str
    surface: str
    variant: str
    file: PlanFile
    layers: tuple[PlanFile, ...] = ()

    @property
    def channels(self) -> list[PlanChannel]:
        """The channels of all that it holds."""
        return [channel for file in self.layers or (self.file,) for channel in file.channels]

    @property
    def channels_in_memory(self) -> int:
        """How many channels a texel takes on a graphics card, which has none of three."""
        counts = [len(file.channels) for file in self.layers or (self.file,)]
        return sum(4 if count == 3 else count for count in counts)


@dataclass(frozen=True)
class PlannedMap:
    """What is known of a file before it is written: its size in texels, and its bytes in memory with mips."""

    wanted: Wanted
    width: int
    height: int
    memory: int


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


def plan_maps(
    kit: Kit, store: Sheets, wishes: Sequence[Wish], cancel: CancelToken | None = None
) -> list[list[PlannedMap]]:
    """The files that `write_planned` would write for each wish, with what they take. Raises UserError, Cancelled."""
    names = set[str]()
    found = [_planned(kit, store, wish, names, cancel) for wish in wishes]
    if not names:
        raise UserError("Nothing gives any channel of this plan here.")
    return found


def _planned(kit: Kit, store: Sheets, wish: Wish, names: set[str], cancel: CancelToken | None) -> list[PlannedMap]:
    """The files of one wish; their names are added to those that are taken.

    One that is the same in all of several variants is there once, called after all of them; a strip is there once, and
    with its sheet so is what twins share with it.
    """
    check_plan(wish.plan)
    if not 1 <= wish.row_texels <= MOST_ROW_TEXELS:
        raise UserError(f"Rows of strips are 1 to {MOST_ROW_TEXELS} texels high, not {wish.row_texels}.")
    found, strips = list[PlannedMap](), set[str]()
    surfaces, variants = _labels(kit.surface_names), _labels(kit.variant_names)
    for key in wish.surfaces:
        at = kit.at_surface(key)
        sheet = _sheet(kit, store, key, wish, cancel)
        there = [file for file in wish.plan.files if file.name not in strips and any(map(sheet.gives, file.channels))]
        strips.update(file.name for file in there if file.is_strip)
        if wish.in_layers:
            layers = tuple(file for file in there if not file.is_strip)
            wanted = [Wanted("", key, "", layers[0], layers)] if layers else []
        else:
            wanted = [Wanted("", key, "", file) for file in there]
        for number, variant in enumerate(wish.variants):
            for each in wanted:
                varies = any(map(sheet.varies, each.channels))
                if not varies and (number or (at.twin and at.key in wish.surfaces)):
                    continue
                of_one, (width, height) = varies or len(wish.variants) == 1, sheet.size_of(each.file)
                tokens = {
                    "kit": identifier(kit.name), "sheet": ALL if each.file.is_strip else surfaces[key],
                    "variant": variants[variant] if of_one and not each.file.is_strip else ALL,
                    "map": "layers" if each.layers else each.file.name, "size": str(width),
                }  # fmt: skip
                name = named(wish.pattern, tokens) + wish.suffix
                if name in names:
                    raise UserError(f"Two maps would be called {name}; put {{sheet}}, {{variant}} and {{map}} into it.")
                names.add(name)
                memory = width * height * each.channels_in_memory * (wish.depth // 8) * 4 // 3
                found.append(PlannedMap(replace(each, name=name, variant=variant), width, height, memory))
    return found


def _labels(names: Mapping[str, str]) -> dict[str, str]:
    """How files call what has these names, by key; no two alike, and none as what stands for all."""
    free = Names([ALL], "_")
    return {key: free.give(identifier(name)) for key, name in names.items()}


def _sheet(kit: Kit, store: Sheets, key: str, wish: Wish, cancel: CancelToken | None) -> PlanSheet:
    return PlanSheet(kit.at_surface(key), store, wish.side, wish.depth, wish.row_texels, cancel)


class _Maker:
    """Makes planes of files one after the other; what several of a surface and variant share is made once."""

    def __init__(
        self, kit: Kit, store: Sheets, wish: Wish, wanted: Sequence[Wanted], cancel: CancelToken | None
    ) -> None:
        self._kit, self._store, self._wish, self._cancel = kit, store, wish, cancel
        self._sheet: PlanSheet | None = None
        self._surface = ""
        self._asked = dict[tuple[str, str], list[PlanChannel]]()
        for each in wanted:
            channels = self._asked.setdefault((each.surface, each.variant), [])
            channels += [channel for channel in each.channels if channel.of == Of.OUTPUT and channel not in channels]

    def planes(self, wanted: Wanted) -> dict[str, Plane]:
        """The planes of a file by the names of its layers. Raises Cancelled."""
        if self._cancel is not None:
            self._cancel.check()
        if self._sheet is None or wanted.surface != self._surface:
            self._surface = wanted.surface
            self._sheet = _sheet(self._kit, self._store, wanted.surface, self._wish, self._cancel)
        sheet, size = self._sheet, self._sheet.size_of(wanted.file)
        return {file.name: self._plane(sheet, file, wanted, size) for file in wanted.layers or (wanted.file,)}

    def _plane(self, sheet: PlanSheet, file: PlanFile, wanted: Wanted, size: Size) -> Plane:
        asked, bits = self._asked[wanted.surface, wanted.variant], self._wish.depth
        whole = np.stack([sheet.values(each, wanted.variant, asked, size) for each in file.channels], axis=-1)
        if file.carry:
            whole = carried(whole)
        if bits == 8:
            samples: Samples = to_levels8(whole)
        elif bits == 16:
            samples = np.asarray(np.clip(np.nan_to_num(whole), 0, 1) * np.float32(65535) + np.float32(0.5), np.uint16)
        else:
            samples = whole
        light = any(is_light(each) and sheet.gives(each) for each in file.channels)
        return Plane(samples, (Encoding.LINEAR if bits == 32 else Encoding.SRGB) if light else Encoding.DATA)


def small_planned(
    kit: Kit, store: Sheets, wish: Wish, wanted: Sequence[Wanted], side: int, cancel: CancelToken | None = None
) -> dict[str, Plane]:
    """Small pictures of files of a wish, by name, `side` texels wide. Raises UserError, Cancelled."""
    maker = _Maker(kit, store, replace(wish, side=side, suffix=".png", bits=8), wanted, cancel)
    return {each.name: next(iter(maker.planes(each).values())) for each in wanted}


def write_planned(
    kit: Kit,
    store: Sheets,
    wishes: Sequence[Wish],
    folder: Path,
    progress: Progress = silent,
    cancel: CancelToken | None = None,
) -> dict[str, int]:
    """Write all that is wished for; the bytes of each file. In floats light is linear, in 8 and 16 bits encoded.

    All are made before any appears; a file there that was not written here before is never replaced. A file is written
    while the next is made, so that memory does not grow with their number. Raises UserError, Cancelled.
    """
    wanted = [[each.wanted for each in files] for files in plan_maps(kit, store, wishes, cancel)]
    names = [each.name for files in wanted for each in files]
    sources, done = [Path(file.path) for file in kit.files], 0
    try:
        with adding_files(folder, names, sources) as staging, ThreadPoolExecutor(WRITERS) as pool:
            writing = deque[Future[None]]()
            for wish, files in zip(wishes, wanted, strict=True):
                maker = _Maker(kit, store, wish, files, cancel)
                for each in files:
                    progress(done / len(names), "Maps")
                    planes = maker.planes(each)
                    if len(writing) == WRITERS:
                        writing.popleft().result()
                    writing.append(pool.submit(_write, staging / each.name, planes))
                    done += 1
            for job in writing:
                job.result()
            progress(1.0, "Maps")
            return {name: (staging / name).stat().st_size for name in names}
    except OSError as error:
        raise UserError(f"{folder}: the maps could not be written ({reason(error)}).") from error


def _write(path: Path, planes: Mapping[str, Plane]) -> None:
    write_layers = IMAGE_FORMATS[path.suffix].write_layers
    if write_layers:
        write_layers(path, planes)
    else:
        write_plane(path, next(iter(planes.values())), QUICK)
