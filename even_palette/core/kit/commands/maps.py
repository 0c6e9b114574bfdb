"""Commands on the maps of a sheet."""

from collections.abc import Callable

from msgspec.structs import replace

from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.errors import UserError
from even_palette.core.kit.coat_owners import (
    RecipeCoats,
    own_coats,
    owners_on,
    with_coats,
)
from even_palette.core.kit.commands._command import Command
from even_palette.core.kit.commands.steps import set_steps
from even_palette.core.kit.keyed import change_one
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import new_key, retire
from even_palette.core.kit.sheet import Sheet, Source, Step, Unmix
from even_palette.core.limits import MOST_MAPS
from even_palette.core.material.drawn import Way
from even_palette.core.material.model import (
    Coat,
    PlaneKind,
    PlaneRef,
    PlaneUse,
)
from even_palette.core.raster.formats import is_lossy
from even_palette.core.raster.guess import COLOUR_ROLES, Role
from even_palette.core.raster.layouts import GIVES, Hold
from even_palette.core.raster.plane import Encoding


def add_map(sheet: str, source: Source, way: Way = Way.CUT_OUT) -> Command:
    """Take a map into a sheet. A map of the same file is renewed; no other map is displaced.

    The key is made unique. What another map gives already, the new one does not: it is there without that role. An
    opaque sheet that gets its first opacity is drawn in this `way` from then on.
    """

    def apply(kit: Kit) -> Kit:
        old = kit.sheet(sheet)
        same = next((other for other in old.sources if other.path == source.path), None)
        if same is not None:
            told = {"role": same.role, "encoding": same.encoding, "layout": same.layout, "green_down": same.green_down}
            told |= {"keep_coverage": same.keep_coverage, "premultiplied": same.premultiplied}
            told["strength"] = same.strength
            kept = replace(source, key=same.key, **told)
            return kit.with_sheet(replace(old, sources=change_one(old.sources, lambda s: s is same, lambda _: kept)))
        if len(old.sources) >= MOST_MAPS:
            raise UserError(f"A sheet holds at most {MOST_MAPS} maps.")
        role = source.role if old.given(source.role) is None else Role.NONE
        free = tuple(Hold.NOTHING if _is_given(old, hold) else hold for hold in source.layout)
        made = replace(source, key=new_key(kit, source.key), role=role, layout=free)
        taken = _with_way_of_keying(replace(old, sources=(*old.sources, made)), old)
        if Role.OPACITY in made.roles and old.drawing.way == Way.OPAQUE:
            taken = replace(taken, drawing=replace(old.drawing, way=way))
        return kit.with_sheet(taken)

    return Command(f"Open {source.role}" if source.role != Role.NONE else "Open map", apply)


def _is_given(sheet: Sheet, hold: Hold) -> bool:
    return hold in GIVES and sheet.given(GIVES[hold]) is not None


def _with_way_of_keying(sheet: Sheet, before: Sheet) -> Sheet:
    """The sheet, its ID map set to be unmixed if it is the first one; files of lossy formats as such."""
    source = sheet.source(Role.ID)
    if source is None or before.source(Role.ID) is not None or sheet.unmix is not None:
        return sheet
    return replace(sheet, unmix=Unmix(lossy=is_lossy(source.path)))


def remove_map(sheet: str, key: str) -> Command:
    """Take a map out of a sheet; coats that read it keep to what else they read."""

    def apply(kit: Kit) -> Kit:
        old = kit.sheet(sheet)
        left = tuple(source for source in old.sources if source.key != key)
        return retire(without_plane(kit.with_sheet(replace(old, sources=left)), sheet, PlaneKind.MAP, key), key)

    return Command("Remove map", apply)


def set_role(sheet: str, key: str, role: Role) -> Command:
    """Say what a map is in all of its channels; a map that had that role before takes the old one.

    A channel that gave the role holds nothing any more. What lies beside colour stays beside colour.
    """

    def apply(kit: Kit) -> Kit:
        old = kit.sheet(sheet)
        before = old.map(key).role

        def change(source: Source) -> Source:
            if source.key == key:
                beside = source.layout if Hold.COLOUR in source.layout and role in COLOUR_ROLES else ()
                return replace(source, role=role, layout=beside)
            taken = source.role == role and role != Role.NONE
            return replace(_without_roles(source, [role]), role=before if taken else source.role)

        return kit.with_sheet(_with_way_of_keying(replace(old, sources=tuple(map(change, old.sources))), old))

    return Command(f"Call it {role}", apply)


def set_green_down(sheet: str, key: str, on: bool) -> Command:
    """Say which way the green of a normal map points; what is made of it has green up."""
    told = "Green points down" if on else "Green points up"
    return _change_map(sheet, told, key, lambda source: replace(source, green_down=on))


def set_keep_coverage(sheet: str, key: str, on: bool) -> Command:
    """Say whether the mips of a map of opacity show as much of what is cut out as the map does."""
    told = "Keep coverage" if on else "Do not keep coverage"
    return _change_map(sheet, told, key, lambda source: replace(source, keep_coverage=on))


def set_premultiplied(sheet: str, key: str, on: bool) -> Command:
    """Say whether the colour of a map was multiplied by its alpha; what is made of it is straight."""
    told = "Divide by alpha" if on else "Alpha is straight"
    return _change_map(sheet, told, key, lambda source: replace(source, premultiplied=on))


def set_normal_strength(sheet: str, key: str, value: float) -> Command:
    """Multiply the slopes of a normal map: 0 is flat, 1 as it is stored."""
    change = _change_map(sheet, "Strength of normals", key, lambda source: replace(source, strength=value))
    return Command(change.label, change.apply, f"strength {key}")


def add_plain_colour(sheet: str, colour: Rgb8, width: int = 1024) -> Command:
    """Let a sheet without paint have a base colour that is one colour all over, so many texels wide and high."""

    def apply(kit: Kit) -> Kit:
        old = kit.sheet(sheet)
        if old.source(Role.BASE_COLOUR) is not None:
            raise UserError("The sheet has a base colour already.")
        made = Source(
            new_key(kit, "plain_colour"), Role.BASE_COLOUR, "", Encoding.SRGB, width=width, height=width, plain=colour
        )
        return kit.with_sheet(replace(old, sources=(*old.sources, made)))

    return Command("Use a plain colour", apply)


def set_plain_colour(sheet: str, key: str, colour: Rgb8) -> Command:
    """Give a plain base another colour, 8-bit levels."""
    return _change_plain(
        sheet, "Change plain colour", key, lambda source: replace(source, plain=colour), f"plain {key}"
    )


def set_plain_size(sheet: str, key: str, width: int, height: int) -> Command:
    """Give a plain base another size, in texels."""
    return _change_plain(sheet, "Change size", key, lambda source: replace(source, width=width, height=height))


def _change_plain(sheet: str, label: str, key: str, change: Callable[[Source], Source], merge: str = "") -> Command:
    def apply(kit: Kit) -> Kit:
        old = kit.sheet(sheet)
        if old.map(key).plain is None:
            raise UserError("That map is a file, and no plain colour.")
        return kit.with_sheet(replace(old, sources=change_one(old.sources, lambda s: s.key == key, change)))

    return Command(label, apply, merge)


def set_mask_side(sheet: str, width: int) -> Command:
    """Say how wide masks are that no ID map gives, in texels; 0 for as wide as the base colour."""
    return Command("Size of masks", lambda kit: kit.with_sheet(replace(kit.sheet(sheet), mask_side=width)))


def set_layout(sheet: str, key: str, layout: tuple[Hold, ...]) -> Command:
    """Say what each channel of a map holds, from the first; () where all are what its role says.

    What it gives now, no other map of the sheet does. A map that holds colour keeps its role of colour, or becomes the
    base colour where there is none; any other has just the roles of its channels.
    """

    def apply(kit: Kit) -> Kit:
        old = kit.sheet(sheet)
        map_, given = old.map(key), [GIVES[hold] for hold in layout if hold in GIVES]
        role = map_.role
        if Hold.COLOUR in layout and role not in COLOUR_ROLES:
            role = Role.BASE_COLOUR if old.source(Role.BASE_COLOUR) is None else Role.NONE
        elif layout and Hold.COLOUR not in layout:
            role = Role.NONE
        changed = replace(map_, role=role, layout=layout)
        sources = tuple(changed if source.key == key else _without_roles(source, given) for source in old.sources)
        return kit.with_sheet(replace(old, sources=sources))

    return Command("Say what channels hold", apply)


def _without_roles(source: Source, roles: list[Role]) -> Source:
    """The map, none of whose channels gives one of these roles, nor itself as a whole."""
    layout = tuple(Hold.NOTHING if GIVES.get(hold) in roles else hold for hold in source.layout)
    return replace(source, role=Role.NONE if source.role in roles else source.role, layout=layout)


def set_encoding(sheet: str, key: str, encoding: Encoding) -> Command:
    """Say how the samples of a map are meant."""
    return _change_map(sheet, f"Read map as {encoding}", key, lambda source: replace(source, encoding=encoding))


def point_map_to(sheet: str, key: str, path: str, size: int, sha256: str, width: int = 0, height: int = 0) -> Command:
    """Point a map to another file, such as one that was moved or that the kit took in."""
    place = {"path": path, "size": size, "sha256": sha256, "width": width, "height": height, "plain": None}
    return _change_map(sheet, "Find map", key, lambda source: replace(source, **place))


def _change_map(sheet: str, label: str, key: str, change: Callable[[Source], Source]) -> Command:
    def apply(kit: Kit) -> Kit:
        old = kit.sheet(sheet)
        return kit.with_sheet(replace(old, sources=change_one(old.sources, lambda source: source.key == key, change)))

    return Command(label, apply)


def without_plane(kit: Kit, sheet: str, kind: PlaneKind, key: str) -> Kit:
    """The kit with nothing of a sheet reading a plane that goes: no coat, step or tone, which then takes the base
    colour, and no light on strands.
    """

    def keeps(use: PlaneUse) -> bool:
        return (use.plane.kind, use.plane.key) != (kind, key)

    def change(coat: Coat) -> Coat:
        pattern = coat.pattern if coat.pattern is None or keeps(coat.pattern) else None
        return replace(coat, pattern=pattern, planes={name: use for name, use in coat.planes.items() if keeps(use)})

    def kept(step: Step) -> bool:
        return step.plane is None or keeps(step.plane)

    old = kit.sheet(sheet)
    gone = PlaneRef(kind, key)
    tones = tuple(
        replace(
            tone,
            source=None if tone.source == gone else tone.source,
            parts=tuple(part for part in tone.parts if part.plane != gone),
        )
        for tone in old.tones
    )
    shaded, broken_by = old.shaded, old.shaded.broken_by
    if broken_by is not None and not keeps(broken_by):
        shaded = replace(shaded, broken_by=None)
    if tones != old.tones or shaded != old.shaded:
        kit = kit.with_sheet(replace(old, tones=tones, shaded=shaded))
    for region in kit.sheet(sheet).regions:
        left = tuple(filter(kept, region.steps))
        if left != region.steps:
            kit = set_steps(region.key, "", left).apply(kit)
    recipes = (RecipeCoats(recipe.key) for recipe in kit.recipes)
    for owner in (*owners_on(kit.sheet(sheet)), *recipes):
        kit = with_coats(kit, owner, tuple(map(change, own_coats(kit, owner))))
    return kit


__all__ = [
    "add_map", "add_plain_colour", "point_map_to", "remove_map", "set_encoding", "set_green_down",
    "set_keep_coverage", "set_layout", "set_mask_side", "set_normal_strength", "set_plain_colour", "set_plain_size",
    "set_premultiplied", "set_role", "without_plane",
]  # fmt: skip
