"""Commands on the tones of a sheet, and on the palettes and ramps of the kit."""

from collections.abc import Callable, Sequence

from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit.commands._command import Command
from even_palette.core.kit.commands.maps import without_plane
from even_palette.core.kit.keyed import change_one
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import new_key, retire, unique
from even_palette.core.kit.sheet import Sheet, Tone
from even_palette.core.kit.validate_sheet import check_tones
from even_palette.core.limits import MOST_PALETTES, MOST_TONES
from even_palette.core.material.model import PlaneKind, PlaneRef, PlaneUse
from even_palette.core.regions.paint import Paint
from even_palette.core.tones.palette import Palette, check_palette
from even_palette.core.tones.ramp import Ramp, check_ramp


def add_tone(sheet: str, tone: Tone) -> Command:
    """Add a tone to a sheet; its key and name are made unique."""

    def apply(kit: Kit) -> Kit:
        old = kit.sheet(sheet)
        if len(old.tones) >= MOST_TONES:
            raise UserError(f"A sheet holds at most {MOST_TONES} tones.")
        name = unique(tone.name, [other.name for other in old.tones])
        made = replace(tone, key=new_key(kit, tone.key or name), name=name)
        return _checked(kit, replace(old, tones=(*old.tones, made)))

    return Command(f"Add {tone.name.lower()}", apply)


def remove_tone(sheet: str, key: str) -> Command:
    """Take a tone away, and from what reads it. Raises UserError while another tone is made of it."""

    def apply(kit: Kit) -> Kit:
        old = kit.sheet(sheet)
        gone = old.tone(key)
        ref = PlaneRef(PlaneKind.TONE, key)
        for other in old.tones:
            if ref in (other.source, *(use.plane for use in other.parts)):
                raise UserError(f"{other.name} is made of {gone.name}; remove that first.")
        left = tuple(tone for tone in old.tones if tone.key != key)
        base = "" if old.base_tone == key else old.base_tone
        kit = kit.with_sheet(replace(old, tones=left, base_tone=base))
        return retire(without_plane(kit, sheet, PlaneKind.TONE, key), key)

    return Command("Remove tone", apply)


def _change_tone(sheet: str, key: str, label: str, change: Callable[[Tone], Tone], merge: str = "") -> Command:
    def apply(kit: Kit) -> Kit:
        old = kit.sheet(sheet)
        old.tone(key)
        return _checked(kit, replace(old, tones=change_one(old.tones, lambda tone: tone.key == key, change)))

    return Command(label, apply, merge)


def _checked(kit: Kit, sheet: Sheet) -> Kit:
    check_tones(sheet, {palette.key for palette in kit.palettes})
    return kit.with_sheet(sheet)


def rename_tone(sheet: str, key: str, name: str) -> Command:
    """Give a tone another name."""
    return _change_tone(sheet, key, "Rename tone", lambda tone: replace(tone, name=name.strip() or tone.name))


def set_tone_value(sheet: str, key: str, name: str, value: float | str, regions: Sequence[str] = ()) -> Command:
    """Set a value of a tone, or what regions have there of their own."""

    def change(tone: Tone) -> Tone:
        if not regions:
            return replace(tone, values={**tone.values, name: value})
        own = {region: {**tone.own.get(region, {}), name: value} for region in regions}
        return replace(tone, own={**tone.own, **own})

    return _change_tone(sheet, key, f"Change {name}", change, f"tone {key} {name} {' '.join(regions)}")


def clear_tone_regions(sheet: str, key: str, regions: Sequence[str]) -> Command:
    """Let regions have the values of the whole sheet again."""

    def change(tone: Tone) -> Tone:
        return replace(tone, own={region: own for region, own in tone.own.items() if region not in regions})

    return _change_tone(sheet, key, "Same tone as the sheet", change)


def even_tone(sheet: str, key: str, regions: Sequence[str], mean: float, spread: float) -> Command:
    """Bring regions of a neutral to one mean (encoded grey 0..1) and spread, so that they take one colour alike."""

    def change(tone: Tone) -> Tone:
        reach: dict[str, float | str] = {"reach": "both", "mean": mean, "spread": spread}
        return replace(tone, own={**tone.own, **{each: {**tone.own.get(each, {}), **reach} for each in regions}})

    return _change_tone(sheet, key, "Even tone", change)


def set_tone_source(sheet: str, key: str, source: PlaneRef | None) -> Command:
    """Say which picture a tone is made of; None for the base colour."""
    return _change_tone(sheet, key, "Choose picture", lambda tone: replace(tone, source=source))


def set_tone_palette(sheet: str, key: str, palette: str) -> Command:
    """Say by which palette an index map is made, by its key."""
    return _change_tone(sheet, key, "Choose palette", lambda tone: replace(tone, palette=palette))


def set_tone_region(sheet: str, key: str, region: str) -> Command:
    """Say of which region's mask a tone is made, by its key."""
    return _change_tone(sheet, key, "Choose region", lambda tone: replace(tone, region=region))


def paint_tone(sheet: str, key: str, paint: Paint, label: str = "Paint") -> Command:
    """Give a painted tone what is painted now. Raises UserError for a tone of another kind."""
    return _change_tone(sheet, key, label, lambda tone: replace(tone, paint=paint))


def set_tone_parts(sheet: str, key: str, parts: tuple[PlaneUse, ...]) -> Command:
    """Say which planes a packed one holds, at most four."""
    return _change_tone(sheet, key, "Choose planes", lambda tone: replace(tone, parts=parts))


def set_base_tone(sheet: str, key: str) -> Command:
    """Let a tone take the place of the base colour under all coats; "" for the paint itself."""

    def apply(kit: Kit) -> Kit:
        old = kit.sheet(sheet)
        if key:
            old.tone(key)
        return _checked(kit, replace(old, base_tone=key))

    return Command("Put tone under coats" if key else "Put paint under coats", apply)


def take_colour_out(sheet: str, regions: Sequence[str], mean: float) -> Command:
    """Put a neutral under all coats, and bring regions to a mean (encoded grey 0..1), where tints keep their colour.

    A neutral that lies there already is used.
    """

    def apply(kit: Kit) -> Kit:
        old = kit.sheet(sheet)
        if not old.base_tone or old.tone(old.base_tone).kind != "neutral":
            kit = add_tone(sheet, Tone("neutral", "Neutral", "neutral")).apply(kit)
            kit = set_base_tone(sheet, kit.sheet(sheet).tones[-1].key).apply(kit)
        key = kit.sheet(sheet).base_tone
        for name, value in (("reach", "mean"), ("mean", mean)):
            kit = set_tone_value(sheet, key, name, value, regions).apply(kit)
        return kit

    return Command("Take the colour out", apply)


def add_palette(palette: Palette) -> Command:
    """Add a palette; its key and name are made unique."""

    def apply(kit: Kit) -> Kit:
        if len(kit.palettes) >= MOST_PALETTES:
            raise UserError(f"A kit holds at most {MOST_PALETTES} palettes.")
        name = unique(palette.name, [other.name for other in kit.palettes])
        made = replace(palette, key=new_key(kit, palette.key or name), name=name)
        check_palette(made)
        return replace(kit, palettes=(*kit.palettes, made))

    return Command("Add palette", apply)


def change_palette(key: str, label: str, change: Callable[[Palette], Palette], merge: str = "") -> Command:
    """Change a palette: its entries, their order, its rows."""

    def apply(kit: Kit) -> Kit:
        made = replace(change(kit.palette(key)), key=key)
        check_palette(made)
        return replace(kit, palettes=change_one(kit.palettes, lambda palette: palette.key == key, lambda _: made))

    return Command(label, apply, merge)


def remove_palette(key: str) -> Command:
    """Take a palette away, and from what reads it."""

    def apply(kit: Kit) -> Kit:
        gone = kit.palette(key)
        for sheet in kit.sheets:
            for tone in sheet.tones:
                if tone.palette == key:
                    raise UserError(f"{tone.name} is made by {gone.name}; remove that first.")
        return _without_strip(
            replace(kit, palettes=tuple(p for p in kit.palettes if p.key != key)), PlaneKind.PALETTE, key
        )

    return Command("Remove palette", apply)


def add_ramp(ramp: Ramp) -> Command:
    """Add a ramp; its key and name are made unique."""

    def apply(kit: Kit) -> Kit:
        if len(kit.ramps) >= MOST_PALETTES:
            raise UserError(f"A kit holds at most {MOST_PALETTES} ramps.")
        name = unique(ramp.name, [other.name for other in kit.ramps])
        made = replace(ramp, key=new_key(kit, ramp.key or name), name=name)
        check_ramp(made)
        return replace(kit, ramps=(*kit.ramps, made))

    return Command("Add ramp", apply)


def change_ramp(key: str, label: str, change: Callable[[Ramp], Ramp], merge: str = "") -> Command:
    """Change a ramp: its stops, its rows, how it is mixed."""

    def apply(kit: Kit) -> Kit:
        made = replace(change(kit.ramp(key)), key=key)
        check_ramp(made)
        return replace(kit, ramps=change_one(kit.ramps, lambda ramp: ramp.key == key, lambda _: made))

    return Command(label, apply, merge)


def remove_ramp(key: str) -> Command:
    """Take a ramp away, and from the coats that read it."""

    def apply(kit: Kit) -> Kit:
        kit.ramp(key)
        return _without_strip(replace(kit, ramps=tuple(r for r in kit.ramps if r.key != key)), PlaneKind.RAMP, key)

    return Command("Remove ramp", apply)


def _without_strip(kit: Kit, kind: PlaneKind, key: str) -> Kit:
    for sheet in kit.sheets:
        kit = without_plane(kit, sheet.key, kind, key)
    return retire(kit, key)


__all__ = [
    "add_palette", "add_ramp", "add_tone", "change_palette", "change_ramp", "clear_tone_regions", "even_tone",
    "paint_tone", "remove_palette", "remove_ramp", "remove_tone", "rename_tone", "set_base_tone", "set_tone_palette",
    "set_tone_parts", "set_tone_region", "set_tone_source", "set_tone_value", "take_colour_out",
]  # fmt: skip
