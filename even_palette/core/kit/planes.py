"""Which planes a sheet has, and what reads one that it does not have: refused by commands, mended where it is read."""

from collections.abc import Iterable, Sequence

from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit.coat_owners import keyed_coats
from even_palette.core.kit.model import Kit
from even_palette.core.kit.sheet import Region, Sheet, Source, Step, Tone
from even_palette.core.material.coats import COATS
from even_palette.core.material.model import Coat, PlaneKind, PlaneRef, PlaneUse
from even_palette.core.material.plane_numbers import without_idle_numbers
from even_palette.core.raster.guess import Role
from even_palette.core.tones.kinds import TONES
from even_palette.core.tones.kinds._declare import MadeOf

STRIPS = (PlaneKind.PALETTE, PlaneKind.RAMP)


def planes_of(kit: Kit, sheet: Sheet) -> set[PlaneRef]:
    """All planes that what lies on a sheet may read: its own, and the strips of the kit."""
    there = {PlaneRef(PlaneKind.MAP, source.key) for source in sheet.sources}
    there |= {PlaneRef(PlaneKind.BAKE, bake.key) for bake in sheet.bakes}
    there |= {PlaneRef(PlaneKind.TONE, tone.key) for tone in sheet.tones}
    there |= {PlaneRef(PlaneKind.PALETTE, palette.key) for palette in kit.palettes}
    return there | {PlaneRef(PlaneKind.RAMP, ramp.key) for ramp in kit.ramps}


def uses_of(coat: Coat) -> list[PlaneUse]:
    """The planes that a coat reads, its pattern the last."""
    return [*coat.planes.values(), *([coat.pattern] if coat.pattern else [])]


def missing_plane(kit: Kit, sheet: Sheet, coats: Iterable[Coat]) -> PlaneRef | None:
    """The first plane that coats read and that is not there for a sheet."""
    refs = [use.plane for coat in coats for use in uses_of(coat)]
    there = planes_of(kit, sheet) if refs else set()
    return next((ref for ref in refs if ref not in there), None)


def check_coats_on(kit: Kit, sheet: Sheet, who: str, coats: Iterable[Coat]) -> None:
    """Raise UserError where coats read a plane that is not there for a sheet."""
    if lacks := missing_plane(kit, sheet, coats):
        raise UserError(f"{who} reads the {lacks.kind} “{lacks.key[:40]}”, which {sheet.name[:60]} does not have.")


def check_steps_on(kit: Kit, sheet: Sheet, who: str, steps: Iterable[Step]) -> None:
    """Raise UserError where steps read a plane that is not there for a sheet."""
    check_coats_on(kit, sheet, who, (Coat("", pattern=step.plane) for step in steps if step.plane))


def check_shaded(kit: Kit, sheet: Sheet) -> None:
    """Raise UserError where strands are broken by a plane that is not there for a sheet."""
    use = sheet.shaded.broken_by
    check_coats_on(kit, sheet, "The light on it", [Coat("", pattern=use)] if use else [])
    if use and use.plane.kind in STRIPS:
        raise UserError(f"Strands are not broken by a {use.plane.kind}; choose a map, a bake or a tone.")


# From one sheet to another


def coats_on(kit: Kit, sheet: Sheet, coats: Sequence[Coat]) -> tuple[Coat, ...]:
    """Coats as they are put on a sheet: where they read planes of another, those that are the same there.

    That is a map of the same role, a bake or a tone of the same kind. Raises UserError where there is none.
    """

    def moved(coat: Coat) -> Coat:
        planes = {name: _use_on(kit, sheet, use) for name, use in coat.planes.items()}
        return replace(coat, planes=planes, pattern=_use_on(kit, sheet, coat.pattern) if coat.pattern else None)

    return tuple(map(moved, coats))


def steps_on(kit: Kit, sheet: Sheet, steps: Sequence[Step]) -> tuple[Step, ...]:
    """Steps as they are put on a sheet, as `coats_on`. Raises UserError where they cannot be."""
    return tuple(replace(step, plane=_use_on(kit, sheet, step.plane)) if step.plane else step for step in steps)


def _use_on(kit: Kit, sheet: Sheet, use: PlaneUse) -> PlaneUse:
    if use.plane in planes_of(kit, sheet):
        return use
    found = _like(kit, sheet, use.plane)
    if found is None:
        raise UserError(f"This reads the {use.plane.kind} “{use.plane.key}”, which {sheet.name} does not have.")
    return replace(use, plane=found)


def _like(kit: Kit, sheet: Sheet, ref: PlaneRef) -> PlaneRef | None:
    """The plane of a sheet that is there what another one is on its own."""
    for other in kit.sheets:
        match ref.kind:
            case PlaneKind.MAP:
                role = next((source.role for source in other.sources if source.key == ref.key), Role.NONE)
                alike: list[Source] = [s for s in sheet.sources if s.role == role and role != Role.NONE]
                keys = [source.key for source in alike]
            case PlaneKind.BAKE:
                bake = next((bake for bake in other.bakes if bake.key == ref.key), None)
                keys = [mine.key for mine in sheet.bakes if bake and mine.kind == bake.kind]
            case PlaneKind.TONE:
                tone = next((tone for tone in other.tones if tone.key == ref.key), None)
                keys = [mine.key for mine in sheet.tones if tone and _alike(tone, mine)]
            case _:
                keys = []
        if keys:
            return PlaneRef(ref.kind, keys[0])
    return None


def _alike(one: Tone, other: Tone) -> bool:
    """Whether tones of two sheets stand for the same; what is painted, or a mask, must be called the same."""
    of_its_own = TONES[one.kind].made_of in (MadeOf.PAINT, MadeOf.MASK)
    return one.kind == other.kind and (not of_its_own or one.name == other.name)


# In kits that are read


def without_missing_planes(kit: Kit) -> Kit:
    """The kit with nothing that reads a plane which is not there: coats keep to what else they read, steps go."""
    return replace(kit, sheets=tuple(_mended(kit, sheet) for sheet in kit.sheets))


def _mended(kit: Kit, sheet: Sheet) -> Sheet:
    there = planes_of(kit, sheet)
    recipes = {recipe.key: recipe for recipe in kit.recipes}

    def whole(coat: Coat) -> Coat:
        if all(use.plane in there for use in uses_of(coat)):
            return coat
        pattern = coat.pattern if coat.pattern and coat.pattern.plane in there else None
        kept = {name: use for name, use in coat.planes.items() if use.plane in there}
        return without_idle_numbers(COATS[coat.kind], replace(coat, pattern=pattern, planes=kept))

    def region_of(region: Region) -> Region:
        coats = tuple(map(whole, region.coats))
        steps = tuple(step for step in region.steps if step.plane is None or step.plane.plane in there)
        worn = recipes[region.recipe].coats if region.recipe in recipes else ()
        if tuple(map(whole, worn)) != worn:
            # It lets go of a recipe that its sheet cannot have, and keeps what of it can be.
            return replace(
                region, recipe="", own_values={}, steps=steps, coats=keyed_coats((*map(whole, worn), *coats))
            )
        return replace(region, coats=coats, steps=steps)

    def tone_of(tone: Tone) -> Tone:
        source = tone.source if tone.source in there else None
        return replace(tone, source=source, parts=tuple(part for part in tone.parts if part.plane in there))

    use, shaded = sheet.shaded.broken_by, sheet.shaded
    return replace(
        sheet,
        shaded=shaded if use is None or use.plane in there else replace(shaded, broken_by=None),
        regions=tuple(map(region_of, sheet.regions)),
        overcoats=tuple(map(whole, sheet.overcoats)),
        tones=tuple(map(tone_of, sheet.tones)),
    )
