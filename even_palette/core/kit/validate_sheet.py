"""What makes a sheet valid: its maps, regions, steps, tones and bakes."""

import math
from collections import Counter

from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit.sheet import Bake, Region, Sheet, Source, Step, Tone
from even_palette.core.kit.validate_coats import check_coats, check_plane_use
from even_palette.core.limits import LEAST_MASK, MOST_SIDE
from even_palette.core.material.model import PlaneKind, PlaneRef
from even_palette.core.mesh.bakes import BAKES
from even_palette.core.regions.steps import STEPS
from even_palette.core.tones.kinds import TONES
from even_palette.core.tones.kinds._declare import MadeOf


def distinct(what: str, names: list[str]) -> None:
    """Raise UserError for a name that is empty, or there more than once."""
    counts = Counter(names)
    for name in names:
        if not name or counts[name] > 1:
            raise UserError(f"the {what} “{name[:40]}” is there more than once or has no name.")


def check_sheet(sheet: Sheet) -> None:
    """Raise UserError for a sheet that does not hold together, but for its tones (see `check_tones`)."""
    distinct("region name", [region.name for region in sheet.regions])
    distinct("map", [source.key for source in sheet.sources])
    distinct("role of a map", [role for source in sheet.sources for role in source.roles])
    check_coats(f"sheet “{sheet.name[:40]}”", sheet.overcoats)
    for source in sheet.sources:
        _check_source(source)
    if sheet.mask_side and sheet.mask_side < LEAST_MASK:
        raise UserError(f"masks of sheet “{sheet.name[:40]}” are {sheet.mask_side} texels wide; least is {LEAST_MASK}.")
    for region in sheet.regions:
        _check_region(region)
    check_circles(sheet)
    if len(set(sheet.channels)) != len(sheet.channels):
        raise UserError(f"sheet “{sheet.name[:40]}” has a region in two channels.")
    distinct("bake", [bake.key for bake in sheet.bakes])
    for bake in sheet.bakes:
        _check_bake(bake)
    if sheet.id_bake and sheet.id_bake not in [bake.key for bake in sheet.bakes]:
        raise UserError(f"sheet “{sheet.name[:40]}” takes its IDs from a bake that is not there.")


def _check_source(source: Source) -> None:
    if (source.plain is None) != bool(source.path):
        raise UserError(f"the map “{source.key[:40]}” is neither a file nor a plain colour, or both.")
    if source.plain is not None and not (0 < source.width <= MOST_SIDE and 0 < source.height <= MOST_SIDE):
        raise UserError(f"the plain colour “{source.key[:40]}” has no size from 1 to {MOST_SIDE:,}.")


def check_tones(sheet: Sheet, palettes: set[str]) -> None:
    """Raise UserError for tones that do not hold together; `palettes` are the keys of those that are there."""
    distinct("tone", [tone.key for tone in sheet.tones])
    before: list[str] = []
    regions = {region.key for region in sheet.regions}
    pictures = {PlaneRef(PlaneKind.MAP, source.key) for source in sheet.sources}
    pictures |= {PlaneRef(PlaneKind.BAKE, bake.key) for bake in sheet.bakes}
    for tone in sheet.tones:
        _check_tone(tone, before, pictures, palettes)
        if tone.region and tone.region not in regions:
            raise UserError(f"tone “{tone.name[:40]}” is made of a mask of a region that is not on its sheet.")
        before.append(tone.key)
    if not sheet.base_tone:
        return
    if sheet.base_tone not in before:
        raise UserError(f"sheet “{sheet.name[:40]}” has a base colour made of a tone that is not there.")
    if not TONES[sheet.tone(sheet.base_tone).kind].replaces:
        raise UserError(f"{sheet.tone(sheet.base_tone).name[:40]} cannot stand in place of the base colour.")


def _check_tone(tone: Tone, before: list[str], pictures: set[PlaneRef], palettes: set[str]) -> None:
    who = f"tone “{tone.name[:40]}”"
    if tone.kind not in TONES:
        raise UserError(f"there is no tone called “{tone.kind[:40]}”.")
    if tone.palette and tone.palette not in palettes:
        raise UserError(f"{who} has a palette that is not there.")
    for values in (tone.values, *tone.own.values()):
        if not all(math.isfinite(value) for value in values.values() if isinstance(value, float)):
            raise UserError(f"{who} has a value that is no number.")
    if (tone.paint is not None) != (TONES[tone.kind].made_of == MadeOf.PAINT):
        raise UserError(f"{who} is painted and has no paint, or has paint and is not painted.")
    if tone.paint is not None and tone.paint.misplaced:
        raise UserError(f"the paint of {who} has {tone.paint.misplaced}.")
    for use in tone.parts:
        check_plane_use(who, use)
    for ref in (tone.source, *(use.plane for use in tone.parts)):
        if ref is not None and ref.kind in (PlaneKind.PALETTE, PlaneKind.RAMP):
            raise UserError(f"{who} is made of a strip; it can be made of pictures.")
        if ref is not None and ref.kind == PlaneKind.TONE and ref.key not in before:
            raise UserError(f"{who} is made of a tone that does not stand before it.")
        if ref is not None and ref.kind != PlaneKind.TONE and ref not in pictures:
            raise UserError(f"{who} is made of the {ref.kind} “{ref.key[:40]}”, which its sheet does not have.")


def _check_bake(bake: Bake) -> None:
    if bake.kind not in BAKES:
        raise UserError(f"there is no bake called “{bake.kind[:40]}”.")
    if not all(math.isfinite(value) for value in bake.values.values() if isinstance(value, float)):
        raise UserError(f"the bake “{bake.key[:40]}” has a value that is no number.")


def _check_region(region: Region) -> None:
    if not all(box.left < box.right and box.top < box.bottom for box in region.boxes):
        raise UserError(f"region “{region.name[:40]}” has a box that is turned over or empty.")
    if not region.coats and not region.recipe:
        raise UserError(f"region “{region.name[:40]}” wears no coat.")
    check_coats(f"region “{region.name[:40]}”", region.coats)
    check_steps(f"region “{region.name[:40]}”", region.steps)


def check_steps(who: str, steps: tuple[Step, ...]) -> None:
    """Raise UserError for steps that are unknown, or are set to what they cannot be."""
    for step in steps:
        if step.kind not in STEPS:
            raise UserError(f"{who} has an unknown step “{step.kind[:40]}”.")
        known = {value.name: value for value in STEPS[step.kind].values}
        for name, number in step.values.items():
            if name not in known or not known[name].low <= number <= known[name].high:
                raise UserError(f"a step of {who} cannot have {name[:20]} {number:g}.")
        if step.plane is not None and step.plane.plane.kind not in (PlaneKind.MAP, PlaneKind.BAKE):
            raise UserError(f"a step of {who} reads a tone; masks are made of maps and bakes.")
        if step.plane is not None and replace(step.plane, tiling=(1.0, 1.0), turn=0.0, speed=(0.0, 0.0)) != step.plane:
            raise UserError(f"a step of {who} reads a plane that is tiled, turned or moved; masks take it as it lies.")
        if step.plane is not None:
            check_plane_use(who, step.plane)
        if step.paint is not None and not STEPS[step.kind].is_paint:
            raise UserError(f"{who} has paint in a step that is not painted.")
        if step.paint is not None and step.paint.misplaced:
            raise UserError(f"the paint of {who} has {step.paint.misplaced}.")


def check_circles(sheet: Sheet) -> None:
    """Raise UserError where regions take each other's masks in a circle, or those of regions that are not there.

    The claims of a region depend on no mask, so they may be taken by anyone.
    """
    names = {region.key: region.name for region in sheet.regions}
    takes: dict[str, list[str]] = {}
    for region in sheet.regions:
        for step in region.steps:
            if step.region and step.region not in names:
                raise UserError(f"a step of {region.name} takes the mask of a region that is not on its sheet.")
        takes[region.key] = [step.region for step in region.steps if step.region and not STEPS[step.kind].claims_only]
    done: set[str] = set()
    for start in takes:
        path, left = [start], [list(dict.fromkeys(takes[start]))]
        while path:
            if not left[-1]:
                done.add(path.pop())
                left.pop()
                continue
            key = left[-1].pop()
            if key in path:
                round_ = " → ".join(names[each] for each in [*path[path.index(key) :], key])
                raise UserError(f"Regions cannot take each other's masks in a circle: {round_}.")
            if key not in done:
                path.append(key)
                left.append(list(dict.fromkeys(takes[key])))
