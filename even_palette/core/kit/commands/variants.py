"""Commands on variants, and on the kit as a whole."""

from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit.commands._command import Command, new_name
from even_palette.core.kit.model import (
    MOST_VARIANTS,
    Kit,
    change_one,
)
from even_palette.core.material.model import (
    Blending,
    Variant,
)
from even_palette.core.material.variants import lineage


def add_variant(name: str, parent: str | None = None) -> Command:
    """Add a variant that inherits from another, or from the master."""

    def apply(kit: Kit) -> Kit:
        if len(kit.variants) >= MOST_VARIANTS:
            raise UserError(f"A kit holds at most {MOST_VARIANTS:,} variants.")
        made = Variant(new_name(name, [variant.name for variant in kit.variants]), parent)
        return replace(kit, variants=(*kit.variants, made))

    return Command("Add variant", apply)


def remove_variant(name: str) -> Command:
    """Remove a variant; those that inherit from it keep their looks by taking over what it set."""

    def apply(kit: Kit) -> Kit:
        gone = kit.variant(name)
        left = []
        for variant in kit.variants:
            if variant.name == name:
                continue
            if variant.parent == name:
                variant = replace(variant, parent=gone.parent, values={**gone.values, **variant.values})
            left.append(variant)
        return replace(kit, variants=tuple(left))

    return Command("Remove variant", apply)


def rename_variant(name: str, new: str) -> Command:
    """Give a variant another name, also where others inherit from it."""

    def apply(kit: Kit) -> Kit:
        final = new_name(new, [variant.name for variant in kit.variants if variant.name != name])

        def change(variant: Variant) -> Variant:
            return replace(
                variant,
                name=final if variant.name == name else variant.name,
                parent=final if variant.parent == name else variant.parent,
            )

        return replace(kit, variants=tuple(change(variant) for variant in kit.variants))

    return Command("Rename variant", apply)


def set_parent(name: str, parent: str | None) -> Command:
    """Let a variant inherit from another, or from the master. Raises UserError if it would inherit from itself."""

    def apply(kit: Kit) -> Kit:
        changed = replace(
            kit,
            variants=change_one(kit.variants, lambda v: v.name == name, lambda v: replace(v, parent=parent)),
        )
        try:
            lineage(changed.variants, name)
        except ValueError as error:
            raise UserError(str(error)) from None
        return changed

    return Command(f"Inherit from {parent or 'Master'}", apply)


def set_blending(blending: Blending) -> Command:
    """Choose whether regions are mixed in linear light or as encoded values."""
    return Command(f"Blend {blending} values", lambda kit: replace(kit, blending=blending))


def rename_kit(name: str) -> Command:
    """Give the kit another name."""
    return Command("Rename kit", lambda kit: replace(kit, name=new_name(name, [])))
