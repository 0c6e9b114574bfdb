"""Which cells of the board look otherwise in another kit."""

from collections.abc import Set as AbstractSet

from even_palette.core.kit.coat_owners import SheetOwner, coats_of, followed_by, owners_on
from even_palette.core.kit.model import Focus, Kit
from even_palette.core.material.variants import lineage


def changed_cells(before: Focus, after: Focus) -> AbstractSet[tuple[SheetOwner, str]] | None:
    """The cells, owner and variant, in which a sheet wears other values, or sets others itself.

    None where more differs than what variants set: any cell may look otherwise then. Quick where the kits share their
    parts, as steps of a history do.
    """
    one, other = before.kit, after.kit
    shared = (name for name in Kit.__struct_fields__ if name != "variants")
    if before.key != after.key or any(getattr(one, name) is not getattr(other, name) for name in shared):
        return None
    if [(v.key, v.name, v.parent) for v in one.variants] != [(v.key, v.name, v.parent) for v in other.variants]:
        return None
    changed = {
        a.key: {
            *(name for name in a.values.keys() | b.values.keys() if a.values.get(name) != b.values.get(name)),
            *(name for name in a.tracks.keys() | b.tracks.keys() if a.tracks.get(name) != b.tracks.get(name)),
        }
        for a, b in zip(one.variants, other.variants, strict=True) if a is not b
    }  # fmt: skip
    if not changed:
        return frozenset()
    bound = {owner: followed_by(coats_of(other, owner)) for owner in owners_on(after.sheet)}
    found = set[tuple[SheetOwner, str]]()
    for variant in other.variants:
        names = set().union(*(changed.get(above.key, ()) for above in lineage(other.variants, variant.key)))
        found.update((owner, variant.key) for owner, used in bound.items() if used & names)
    return found
