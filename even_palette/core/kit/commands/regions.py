"""Commands on regions, and how they are keyed and resolved."""

from collections.abc import Sequence

from msgspec.structs import replace

from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.errors import UserError
from even_palette.core.kit.assignment import without_region
from even_palette.core.kit.commands._command import Command, new_name
from even_palette.core.kit.commands.tones import remove_tone
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import Names, identifier, keys_of, retire
from even_palette.core.kit.sheet import Region, Unmix
from even_palette.core.kit.trees import with_region
from even_palette.core.limits import MOST_MIP, MOST_REGIONS
from even_palette.core.raster.guess import Role
from even_palette.core.regions.fresh_colours import fresh_id_colours
from even_palette.core.regions.keying import Metric
from even_palette.core.regions.packing import Packing
from even_palette.core.regions.weights import Resolve


def add_regions(sheet: str, colours: list[Rgb8]) -> Command:
    """Make a region of each ID colour that has none yet."""

    def apply(kit: Kit) -> Kit:
        regions, keys = list(kit.sheet(sheet).regions), Names(keys_of(kit), "_")
        names, known = Names(region.name for region in regions), {region.id_colour for region in regions}
        for colour in colours:
            if colour in known:
                continue
            known.add(colour)
            if len(regions) == MOST_REGIONS:
                raise UserError(f"A sheet holds at most {MOST_REGIONS} regions.")
            name = names.give(f"Region {len(regions) + 1}")
            regions.append(Region(keys.give(identifier(name)), name, colour))
        return kit.with_sheet(replace(kit.sheet(sheet), regions=tuple(regions)))

    return Command("Add region" if len(colours) == 1 else f"Add {len(colours)} regions", apply)


def remove_region(key: str) -> Command:
    """Remove a region, and tones of its mask; its faces belong to none, and its key is never used again.

    Raises UserError where another tone is made of such a tone.
    """

    def apply(kit: Kit) -> Kit:
        sheet = kit.sheet_of(key)
        for tone in [tone for tone in sheet.tones if tone.region == key]:
            kit = remove_tone(sheet.key, tone.key).apply(kit)
        sheet = kit.sheet(sheet.key)
        left = tuple(
            replace(region, steps=tuple(step for step in region.steps if step.region != key))
            for region in sheet.regions if region.key != key
        )  # fmt: skip
        kit = replace(kit, meshes=tuple(replace(mesh, faces=without_region(mesh.faces, key)) for mesh in kit.meshes))
        channels = tuple(other for other in sheet.channels if other != key)
        return retire(kit.with_sheet(replace(sheet, regions=left, channels=channels)), key)

    return Command("Remove region", apply)


def rename_region(key: str, name: str) -> Command:
    """Give a region another name; its key stays."""

    def apply(kit: Kit) -> Kit:
        others = [region.name for region in kit.sheet_of(key).regions if region.key != key]
        return with_region(kit, key, lambda region: replace(region, name=new_name(name, others)))

    return Command("Rename region", apply)


def move_region(key: str, by: int) -> Command:
    """Move a region up (negative) or down; with `order` the upper one wins."""

    def apply(kit: Kit) -> Kit:
        sheet = kit.sheet_of(key)
        regions = list(sheet.regions)
        at = regions.index(kit.region(key))
        regions.insert(max(0, at + by), regions.pop(at))
        return kit.with_sheet(replace(sheet, regions=tuple(regions)))

    return Command("Move region", apply)


def set_id_colour(key: str, colour: Rgb8) -> Command:
    """Give a region another ID colour, 8-bit levels."""
    return Command(
        "Change ID colour", lambda kit: with_region(kit, key, lambda region: replace(region, id_colour=colour))
    )


def make_id_colours_pure(sheet: str) -> Command:
    """Give all regions of a sheet ID colours anew: pure ones first (see `regions/fresh_colours`).

    Raises UserError where an ID map is a file, whose colours are what they are.
    """

    def apply(kit: Kit) -> Kit:
        old = kit.sheet(sheet)
        if old.source(Role.ID) is not None:
            raise UserError("The ID map of this sheet is a file; its colours are what they are.")
        colours = fresh_id_colours(len(old.regions))
        regions = tuple(replace(r, id_colour=colour, also=()) for r, colour in zip(old.regions, colours, strict=True))
        return kit.with_sheet(replace(old, regions=regions))

    return Command("Make ID colours pure", apply)


def set_tolerance(key: str, inner: float, outer: float) -> Command:
    """Both in 8-bit levels; the outer one is kept at or above the inner one."""
    return Command(
        "Change tolerance",
        lambda kit: with_region(kit, key, lambda region: replace(region, inner=inner, outer=max(inner, outer))),
        f"tolerance {key}",
    )


def set_tolerances(keys: Sequence[str], inner: float, outer: float) -> Command:
    """The same tolerances for several regions."""

    def apply(kit: Kit) -> Kit:
        for key in keys:
            kit = set_tolerance(key, inner, outer).apply(kit)
        return kit

    return Command("Change tolerances", apply)


def set_lowest_mip(sheet: str, level: int) -> Command:
    """Name the lowest mip of a sheet that is looked at in a game, 0 for none; checks then look at it."""
    held = min(max(level, 0), MOST_MIP)
    label = "Name the lowest mip"
    return Command(label, lambda kit: kit.with_sheet(replace(kit.sheet(sheet), lowest_mip=held)), f"mip {sheet}")


def set_packing(sheet: str, packing: Packing) -> Command:
    """Choose how the weights of a sheet are shipped."""
    return Command("Change packing", lambda kit: kit.with_sheet(replace(kit.sheet(sheet), packing=packing)))


def set_divide_weights(sheet: str, on: bool) -> Command:
    """Whether the formula of a sheet divides weights by their sum, so that the base has no part where regions are."""
    label = "Divide weights by their sum" if on else "Take weights as they are"
    return Command(label, lambda kit: kit.with_sheet(replace(kit.sheet(sheet), divide_weights=on)))


def set_channels(sheet: str, order: Sequence[str]) -> Command:
    """Pack the weights of a sheet's regions, by key, in this order: four a plane. Raises UserError for other keys."""

    def apply(kit: Kit) -> Kit:
        own = kit.sheet(sheet)
        if sorted(order) != sorted(region.key for region in own.regions):
            raise UserError("The order of channels must have each region of the sheet once.")
        return kit.with_sheet(replace(own, channels=tuple(order)))

    return Command("Order channels", apply)


def set_metric(key: str, metric: Metric) -> Command:
    """Choose how the distance of ID colours is measured for a region."""
    return Command("Change distance", lambda kit: with_region(kit, key, lambda region: replace(region, metric=metric)))


def set_locked(key: str, locked: bool) -> Command:
    """Keep the strokes of other regions off what a region has, or let them."""
    label = "Lock region" if locked else "Unlock region"
    return Command(label, lambda kit: with_region(kit, key, lambda region: replace(region, locked=locked)))


def set_unmix(sheet: str, unmix: Unmix | None) -> Command:
    """Have the ID map of a sheet unmixed, in this way, or have it keyed by tolerances (None)."""
    label = "Key by tolerances" if unmix is None else "Unmix"
    return Command(label, lambda kit: kit.with_sheet(replace(kit.sheet(sheet), unmix=unmix)))


def dissolve_colours(sheet: str, colours: Sequence[Rgb8]) -> Command:
    """Give the texels of colours of an ID map that is unmixed to the colours around them."""

    def apply(kit: Kit) -> Kit:
        how = kit.sheet(sheet).unmix or Unmix()
        every = tuple(dict.fromkeys((*how.dissolved, *colours)))
        return kit.with_sheet(replace(kit.sheet(sheet), unmix=replace(how, dissolved=every)))

    return Command("Dissolve stray colours", apply)


def give_colours(key: str, colours: Sequence[Rgb8]) -> Command:
    """Have a region take in further colours of an ID map that is unmixed."""

    def apply(kit: Kit) -> Kit:
        def change(region: Region) -> Region:
            return replace(
                region, also=tuple(c for c in dict.fromkeys((*region.also, *colours)) if c != region.id_colour)
            )

        return with_region(kit, key, change)

    return Command("Give colours to region", apply)


def set_resolve(sheet: str, how: Resolve) -> Command:
    """Choose how overlapping masks of a sheet are resolved."""
    return Command(f"Resolve by {how}", lambda kit: kit.with_sheet(replace(kit.sheet(sheet), resolve=how)))


__all__ = [
    "add_regions", "dissolve_colours", "give_colours", "make_id_colours_pure", "move_region", "remove_region",
    "rename_region", "set_channels", "set_divide_weights", "set_id_colour", "set_locked", "set_lowest_mip",
    "set_metric", "set_packing", "set_resolve", "set_tolerance", "set_tolerances", "set_unmix",
]  # fmt: skip
