"""The output plans that a kit has: those that are ready for all, its own, and those of its masks and pictures."""

from collections.abc import Sequence
from pathlib import Path

from even_palette.core.errors import UserError
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import Names, identifier
from even_palette.core.kit.output_plan import (
    MOST_FILES,
    READY,
    Of,
    OutputPlan,
    PlanChannel,
    PlanFile,
    read_plan,
)
from even_palette.core.kit.sheet import Sheet
from even_palette.core.mesh.bakes import BAKES
from even_palette.core.raster.guess import Role
from even_palette.core.tones.kinds import TONES
from even_palette.core.tones.kinds._declare import MadeOf


def plans_of(kit: Kit) -> tuple[OutputPlan, ...]:
    """The ready plans, those of the kit itself, and by what it has: masks alone, packed, over the paint; pictures."""
    found = [*READY, *kit.plans]
    alone, packed = mask_files(kit.sheets)
    if alone := alone[: MOST_FILES - 1]:
        paint = PlanFile("base", tuple(PlanChannel(Of.MAP, Role.BASE_COLOUR, part) for part in range(3)))
        found += [
            OutputPlan("masks", "Masks, a file a region", alone),
            OutputPlan("packed_masks", "Masks, four a file", packed),
            OutputPlan("paint_and_masks", "Paint and masks, a layer each", (paint, *alone)),
        ]
    if pictures := _pictures(kit):
        found.append(OutputPlan("pictures", "Bakes, tones, ID colours", pictures))
    if strips := _strips(kit):
        found.append(OutputPlan("strips", "Palettes and ramps", strips))
    if any(not mesh.reference for mesh in kit.meshes):
        lines = PlanFile("uv_layout", (PlanChannel(Of.UV),))
        found.append(OutputPlan("uv_layout", "UV layout as lines", (lines,)))
    return tuple(found)


def mask_files(sheets: Sequence[Sheet]) -> tuple[tuple[PlanFile, ...], tuple[PlanFile, ...]]:
    """A file for the mask of each region, regions of one name on several sheets together; and files of four each."""
    most = max(len(sheet.regions) for sheet in sheets)
    packed = tuple(
        PlanFile(f"packed_{first // 4 + 1}", tuple(PlanChannel(Of.PACKED, str(first + n + 1)) for n in range(4)))
        for first in range(0, most, 4)
    )
    files, free = dict[str, PlanFile](), Names(["base", *(file.name for file in packed)], "_")
    for sheet in sheets:
        seen = set[str]()
        for region in sheet.regions:  # the first on a sheet is known by its name, others of that name by their key
            known = region.key if region.name in seen else region.name
            seen.add(region.name)
            if known not in files:
                files[known] = PlanFile(free.give(identifier(region.name)), (PlanChannel(Of.MASK, known),))
    return tuple(files.values()), packed


def _strips(kit: Kit) -> tuple[PlanFile, ...]:
    """A file for each palette and ramp."""
    names = [*((palette.key, palette.name) for palette in kit.palettes), *((ramp.key, ramp.name) for ramp in kit.ramps)]
    free = Names(joiner="_")
    return tuple(
        PlanFile(free.give(identifier(name)), tuple(PlanChannel(Of.STRIP, key, part) for part in range(3)))
        for key, name in names[:MOST_FILES]
    )


def _pictures(kit: Kit) -> tuple[PlanFile, ...]:
    """A file for each bake and tone, and for the ID colours of regions."""
    files, free = list[PlanFile](), Names(["id_colours"], "_")
    for sheet in kit.sheets:
        for bake in sheet.bakes:
            parts = range(BAKES[bake.kind].channels)
            files.append(PlanFile(free.give(bake.key), tuple(PlanChannel(Of.BAKE, bake.key, part) for part in parts)))
        for tone in sheet.tones:
            kind = TONES[tone.kind]
            one = kind.grey or kind.encoding is not None
            count = len(tone.parts) if kind.made_of == MadeOf.PLANES else 1 if one else 3
            parts = range(max(1, count))
            files.append(PlanFile(free.give(tone.key), tuple(PlanChannel(Of.TONE, tone.key, part) for part in parts)))
    if kit.regions:
        files.append(PlanFile("id_colours", tuple(PlanChannel(Of.ID, "", part) for part in range(3))))
    return tuple(files[:MOST_FILES])


def plan_of(name: str | Path, kit: Kit) -> OutputPlan:
    """A plan that a kit has by its key, or that of a file. Raises UserError."""
    there = {plan.key: plan for plan in plans_of(kit)}
    if str(name) in there:
        return there[str(name)]
    if not Path(name).suffix:
        raise UserError(f"There is no plan “{name}”; there is {', '.join(there)}, or name a file of JSON.")
    return read_plan(Path(name))
