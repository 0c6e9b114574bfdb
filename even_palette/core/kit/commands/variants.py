"""Commands on variants, and on the kit as a whole."""

from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit.commands._command import Command, new_name
from even_palette.core.kit.keyed import change_one
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import new_key, retire
from even_palette.core.kit.scene import ToldApart
from even_palette.core.kit.scene_references import fitting_scenes
from even_palette.core.limits import LONGEST_S, MOST_VARIANTS
from even_palette.core.material.model import (
    Blending,
    Easing,
    Repeat,
    Track,
    TrackKey,
    Variant,
)
from even_palette.core.material.tracks import SAME_S
from even_palette.core.material.variants import MASTER, lineage, resolve


def add_variant(name: str, parent: str | None = None) -> Command:
    """Add a variant that inherits from another, by its key, or from the master."""

    def apply(kit: Kit) -> Kit:
        if len(kit.variants) >= MOST_VARIANTS:
            raise UserError(f"A kit holds at most {MOST_VARIANTS:,} variants.")
        final = new_name(name, [variant.name for variant in kit.variants])
        return replace(kit, variants=(*kit.variants, Variant(new_key(kit, final), final, parent)))

    return Command("Add variant", apply)


def add_fade(name: str, one: str, other: str, seconds: float = 2.0, repeat: Repeat = Repeat.TO_AND_FRO) -> Command:
    """Add a variant that goes from one, by key, to another within so many seconds, "" being the master.

    It inherits from the first. What both have alike stays; each parameter goes from what it is at the beginning in one
    to what it is there in the other. Raises UserError for variants that are alike, and for no time.
    """

    def apply(kit: Kit) -> Kit:
        if not SAME_S < seconds <= LONGEST_S:
            raise UserError(f"A fade takes more than {SAME_S:g} and at most {LONGEST_S:,.0f} seconds.")
        before, after = (resolve(kit.parameters, kit.variants, key) for key in (one, other))
        ends = {key: (before[key], after[key]) for key in before if before[key] != after[key]}
        if not ends:
            names = kit.variant_names
            raise UserError(f"“{names[one]}” and “{names[other]}” are alike; there is nothing to fade.")
        made = add_variant(name, one or None).apply(kit)
        tracks = {
            key: Track((TrackKey(0.0, first, Easing.EASE_IN_OUT), TrackKey(float(seconds), last)), repeat)
            for key, (first, last) in ends.items()
        }
        return replace(made, variants=(*made.variants[:-1], replace(made.variants[-1], tracks=tracks)))

    return Command("Fade between variants", apply)


def remove_variant(key: str) -> Command:
    """Remove a variant; those that inherit from it keep their looks by taking over what it set.

    Its key is never used again.
    """

    def apply(kit: Kit) -> Kit:
        gone = kit.variant(key)
        left = []
        for variant in kit.variants:
            if variant.key == key:
                continue
            if variant.parent == key:
                tracks = {key: track for key, track in gone.tracks.items() if key not in variant.values}
                values = {**gone.values, **variant.values}
                variant = replace(variant, parent=gone.parent, values=values, tracks={**tracks, **variant.tracks})
            left.append(variant)
        kit = replace(kit, variants=tuple(left))
        return retire(fitting_scenes(kit, {key: gone.parent or MASTER}), key)

    return Command("Remove variant", apply)


def rename_variant(key: str, name: str) -> Command:
    """Give a variant another name; its key stays."""

    def apply(kit: Kit) -> Kit:
        kit.variant(key)
        final = new_name(name, [variant.name for variant in kit.variants if variant.key != key])
        return replace(kit, variants=change_one(kit.variants, lambda v: v.key == key, lambda v: replace(v, name=final)))

    return Command("Rename variant", apply)


def set_parent(key: str, parent: str | None) -> Command:
    """Let a variant inherit from another, by its key, or from the master.

    Raises UserError if it would inherit from itself.
    """

    def apply(kit: Kit) -> Kit:
        changed = replace(
            kit,
            variants=change_one(kit.variants, lambda v: v.key == key, lambda v: replace(v, parent=parent)),
        )
        try:
            lineage(changed.variants, key)
        except ValueError as error:
            raise UserError(str(error)) from None
        return changed

    return Command("Change inheritance", apply)


def set_told_apart(least: float, severity: float = 1.0) -> Command:
    """Say how far variants shall lie apart at the least (CIEDE2000, 0 for none), for which severity of deficiencies."""
    asked = ToldApart(float(least), float(severity))
    return Command("Ask for variants that differ", lambda kit: replace(kit, apart=asked), "told apart")


def set_blending(blending: Blending) -> Command:
    """Choose whether regions are mixed in linear light or as encoded values."""
    return Command(f"Blend {blending} values", lambda kit: replace(kit, blending=blending))


def rename_kit(name: str) -> Command:
    """Give the kit another name."""
    return Command("Rename kit", lambda kit: replace(kit, name=new_name(name, [])))


__all__ = [
    "add_fade", "add_variant", "remove_variant", "rename_kit", "rename_variant", "set_blending", "set_parent",
    "set_told_apart",
]  # fmt: skip
