"""What is shipped of a kit: one frozen shipment, which targets read and nothing else."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np

from even_palette.core.colour.hexcode import format_hex
from even_palette.core.errors import UserError
from even_palette.core.graph.binding import texture_name
from even_palette.core.graph.program import Program
from even_palette.core.graph.slots import MOST_UNITS, Slot
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.coat_owners import coats_of
from even_palette.core.kit.model import Focus, Kit
from even_palette.core.kit.names import Names, identifier
from even_palette.core.material.build import Material, linear_light
from even_palette.core.material.coats import COATS
from even_palette.core.material.model import Parameter
from even_palette.core.material.outputs import OUTPUTS
from even_palette.core.material.shading import Highlight, Shaded, Shading
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Plane
from even_palette.core.raster.sampling import Wrap
from even_palette.core.regions.packing import (
    Packing,
    PackingPlan,
)
from even_palette.core.results.base_colour import base_colour_of
from even_palette.core.results.id_map import has_masks, mask_size_of
from even_palette.core.results.materials import material_of, packing_plan
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.shipped_slots import as_shipped
from even_palette.core.results.slots import slots_of
from even_palette.core.results.weights import weights_of
from even_palette.core.ship.described import described
from even_palette.core.ship.package import (
    FUNCTION,
    SHADER_FILE,
    SURFACE_FUNCTION,
    Package,
    PackageCoverage,
    PackageHighlight,
    PackageMap,
    PackageOutput,
    PackageRegion,
    PackageShading,
    PackageSheet,
)


@dataclass(frozen=True)
class ShippedSheet:
    """A sheet as package.json tells it, with its program and the parameters that this reads."""

    told: PackageSheet
    program: Program
    parameters: tuple[Parameter, ...]


@dataclass(frozen=True)
class Shipment:
    """All that is shipped of a kit: package.json as structs, the sheets, and the planes by file name."""

    package: Package
    sheets: tuple[ShippedSheet, ...]
    planes: Mapping[str, Plane]


def shipment_of(kit: Kit, sheets: Sheets, progress: Progress = silent, cancel: CancelToken | None = None) -> Shipment:
    """What is shipped of a kit. Raises UserError if there is no base colour or a map cannot be read, and Cancelled."""
    shipped = [sheet for sheet in kit.sheets if sheet.sources or sheet.regions] or list(kit.sheets)
    made: list[ShippedSheet] = []
    parameters: list[Parameter] = []
    planes: dict[str, Plane] = {}
    files: dict[str, str] = {}
    stems = file_stems([sheet.name for sheet in shipped])
    for number, sheet in enumerate(shipped):
        part = kit.at(sheet.key)
        prefix = f"{stems[number]}-" if len(shipped) > 1 else ""
        _check_sheet(part, sheets)
        material = material_of(part, sheets)
        plan = packing_plan(part, material, size=mask_size_of(part, sheets))
        program = material.program(plan)
        weights = weights_of(part, sheets, _share(progress, number, len(shipped)), cancel)
        _check_units(part, program, material)
        own = {**slots_of(part, sheets, material.slots), **plan.slots(weights.packed)}
        # What the program does not sample is not there, and neither are channels that it does not read.
        own = {name: as_shipped(sheets, program, name, slot) for name, slot in own.items() if name in program.slots}
        listed = _maps(part, plan, own, prefix, files)
        told = _sheet(part, sheets, plan, program, [entry for entry, _ in listed], prefix)
        made.append(ShippedSheet(told, program, material.parameters))
        planes.update({entry.file: plane for entry, plane in listed})
        parameters += [parameter for parameter in material.parameters if parameter not in parameters]
    package = described(kit, tuple(each.told for each in made), parameters)
    return Shipment(package, tuple(made), planes)


def file_stems(names: list[str]) -> list[str]:
    """The beginning of file names for each of these names: a plain identifier, no two alike.

    It is joined to what follows by a hyphen, which no identifier holds, so that no two files ever share a name.

    >>> file_stems(["A b", "a-b", "Нос", "Рот"])
    ['a_b', 'a_b_2', 'item', 'item_2']
    """
    free = Names(joiner="_")
    return [free.give(identifier(name)) for name in names]


def _check_sheet(at: Focus, sheets: Sheets) -> None:
    """Raise UserError if a sheet cannot be shipped."""
    sheet = at.sheet
    of = f" of {sheet.name}" if len(at.kit.sheets) > 1 else ""
    if sheet.source(Role.BASE_COLOUR) is None:
        raise UserError(f"There is no base colour{of} to ship; open one in Source.")
    if sheet.regions and not has_masks(at, sheets):
        raise UserError(f"The regions{of} have no ID map, no mesh and no boxes; open a map or a mesh in Source.")


def _check_units(at: Focus, program: Program, material: Material) -> None:
    """Raise UserError for more planes than a shader can count on (OpenGL 3.3, table 6.45), saying which to pack."""
    if len(program.slots) <= MOST_UNITS:
        return
    uses = [material.slots[name] for name in program.slots if name in material.slots]
    greys = [use.plane for use in uses if not (use.colour or use.cells or use.below)]
    names = {source.key: source.label for source in at.sheet.sources}
    raise UserError(
        f"The material of {at.sheet.name} samples {len(program.slots)} planes, and shaders can count on {MOST_UNITS}. "
        f"Make some of these channels of one map: {', '.join(sorted({names.get(r.key, r.key) for r in greys}))}."
    )


def _share(progress: Progress, number: int, count: int) -> Progress:
    """Progress of one of several equal pieces of work."""
    return lambda share, doing: progress((number + share) / count, doing)


def _maps(
    at: Focus, plan: PackingPlan, own: dict[str, Slot], prefix: str, files: dict[str, str]
) -> list[tuple[PackageMap, Plane]]:
    """The maps of a sheet with their planes; an array has a file a layer. What is equal is in one file.

    `files` are those of the package so far, by what they hold.
    """
    names = [at.kit.region(key).name for key in plan.regions]
    places = [plan.place(index) for index in range(len(names))]
    found = []
    for slot, held in own.items():
        for number, plane in enumerate(held.planes):
            holds = tuple(
                f"{name} as {place.channel}" if plan.packing == Packing.PAIRS else f"{name} in {place.channel.upper()}"
                for name, place in zip(names, places, strict=True)
                if place.slot == slot and place.layer in (-1, number)
            )
            suffix = ".exr" if plane.samples.dtype == np.float32 else ".png"
            wanted = f"{prefix}{slot}_{number}{suffix}" if held.is_array else f"{prefix}{slot}{suffix}"
            file = files.setdefault(plane.content_id, wanted)
            sampler, keeps = held.sampler, held.chain.keeps
            entry = PackageMap(
                slot,
                texture_name(slot),
                file,
                plane.encoding,
                plane.width,
                plane.height,
                plane.channels,
                _bits(plane),
                sampler.filter,
                sampler.mips,
                # A plane that is turned over is so by the shader itself.
                "repeat" if sampler.wrap == Wrap.REPEAT else "clamp",
                holds,
                number if held.is_array else -1,
                PackageCoverage(keeps.channel, keeps.threshold) if keeps is not None else None,
            )
            found.append((entry, plane))
    return found


def _bits(plane: Plane) -> Literal[8, 16, 32]:
    match plane.samples.dtype.itemsize:
        case 1:
            return 8
        case 2:
            return 16
    return 32


def _sheet(
    at: Focus, sheets: Sheets, plan: PackingPlan, program: Program, maps: list[PackageMap], prefix: str
) -> PackageSheet:
    sheet = at.sheet
    regions = []
    for region in sheet.regions:
        place = plan.place(plan.regions.index(region.key))
        regions.append(
            PackageRegion(
                region.key,
                region.name,
                place.slot,
                place.layer,
                place.channel,
                format_hex(region.id_colour),
                tuple(COATS[coat.kind].label for coat in coats_of(at.kit, region.key)),
            )
        )
    base = base_colour_of(at, sheets)
    return PackageSheet(
        sheet.name,
        base.width,
        base.height,
        tuple(maps),
        tuple(regions),
        f"{prefix}{SHADER_FILE}",
        FUNCTION,
        SURFACE_FUNCTION,
        tuple(
            PackageOutput(name, program.records[node].type, OUTPUTS[name].told, node)
            for name, node in program.outputs.items()
        ),
        program.records,
        sheet.drawing,
        _shading(sheet.shaded),
    )


def _shading(shaded: Shaded) -> PackageShading | None:
    if shaded.kind == Shading.SURFACE:
        return None
    if shaded.kind == Shading.LEAVES:
        return PackageShading("leaves", shaded.through)
    first, second = (_highlight(each) for each in (shaded.first, shaded.second))
    return PackageShading("strands", shaded.through, shaded.across, first, second, shaded.broken)


def _highlight(highlight: Highlight) -> PackageHighlight:
    return PackageHighlight(highlight.shift, highlight.width, linear_light(highlight.tint, highlight.strength))
