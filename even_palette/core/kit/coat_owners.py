"""Who wears coats: regions, sheets (their overcoats) and recipes; and every value that their coats have."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from msgspec.structs import replace

from even_palette.core.kit.keyed import change_one
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import retire
from even_palette.core.kit.sheet import Region, Sheet
from even_palette.core.kit.trees import with_region
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import ValueSpec
from even_palette.core.material.model import Bound, Coat, Value

OVER = "/"
"""What the overcoats of a sheet are called beside the keys of regions: this sign and the key of the sheet."""


RECIPE = ":"
"""What the coats of a recipe are called beside the keys of regions: this sign and the key of the recipe."""


def coats_of(kit: Kit, owner: str) -> tuple[Coat, ...]:
    """All coats that an owner wears, in order; those of a region's recipe come first. Raises KeyError.

    An owner is a region by its key, the overcoats of a sheet by OVER and its key, or a recipe by RECIPE and its key.
    """
    own = own_coats(kit, owner)
    if owner.startswith((OVER, RECIPE)):
        return own
    region = kit.region(owner)
    return (*_followed(kit, region), *own)


def own_coats(kit: Kit, owner: str) -> tuple[Coat, ...]:
    """The coats that belong to an owner, without those of a recipe that it wears. Raises KeyError."""
    if owner.startswith(OVER):
        return kit.sheet(owner[1:]).overcoats
    if owner.startswith(RECIPE):
        return kit.recipe(owner[1:]).coats
    return kit.region(owner).coats


def _followed(kit: Kit, region: Region) -> list[Coat]:
    """The coats of a region's recipe with the values that the region sets itself."""
    if not region.recipe:
        return []
    found = list(kit.recipe(region.recipe).coats)
    for place, value in region.own_values.items():
        number, name = place.split(" ", 1)
        if int(number) < len(found):
            coat = found[int(number)]
            found[int(number)] = replace(coat, values={**coat.values, name: value})
    return found


def recipe_length(kit: Kit, owner: str) -> int:
    """How many of an owner's coats are those of a recipe that it wears."""
    if owner.startswith((OVER, RECIPE)) or not kit.region(owner).recipe:
        return 0
    return len(kit.recipe(kit.region(owner).recipe).coats)


def sheets_of(kit: Kit, owner: str) -> list[Sheet]:
    """The sheets on which the coats of an owner are seen: those of all wearers of a recipe. Raises KeyError."""
    if owner.startswith(OVER):
        return [kit.sheet(owner[1:])]
    if owner.startswith(RECIPE):
        kit.recipe(owner[1:])
        return [sheet for sheet in kit.sheets if any(region.recipe == owner[1:] for region in sheet.regions)]
    return [kit.sheet_of(owner)]


def home_of(kit: Kit, owner: str, coat: int) -> tuple[str, int]:
    """To whom the coat with this number belongs, and its number there. Raises KeyError if there is no such coat."""
    count = recipe_length(kit, owner)
    if not 0 <= coat < count + len(own_coats(kit, owner)):
        raise KeyError(coat)
    return (RECIPE + kit.region(owner).recipe, coat) if coat < count else (owner, coat - count)


def owner_name(kit: Kit, owner: str) -> str:
    """What the owner of coats is called. Raises KeyError if there is none."""
    if owner.startswith(RECIPE):
        return kit.recipe(owner[1:]).name
    if not owner.startswith(OVER):
        return kit.region(owner).name
    several = len(kit.sheets) > 1
    return f"Overcoats of {kit.sheet(owner[1:]).name}" if several else "Overcoats"


def with_coats(kit: Kit, owner: str, coats: tuple[Coat, ...]) -> Kit:
    """The kit with the coats that belong to an owner replaced. Raises KeyError."""
    if owner.startswith(OVER):
        return kit.with_sheet(replace(kit.sheet(owner[1:]), overcoats=coats))
    if owner.startswith(RECIPE):
        changed = replace(kit.recipe(owner[1:]), coats=coats)
        return replace(kit, recipes=change_one(kit.recipes, lambda r: r.key == changed.key, lambda _: changed))
    return with_region(kit, owner, lambda region: replace(region, coats=coats))


@dataclass(frozen=True)
class ValueUse:
    """One value of one coat: whose coat it is (see `coats_of`), its place, what declares it and what it is set to."""

    owner: str
    coat: int
    spec: ValueSpec
    value: Value


def value_uses(kit: Kit, owner: str = "") -> Iterator[ValueUse]:
    """Every value of every coat, defaults filled in: of one owner with its recipe, or of the kit, each once."""
    if owner:
        yield from _uses(owner, coats_of(kit, owner), 0)
        return
    for recipe in kit.recipes:
        yield from _uses(RECIPE + recipe.key, recipe.coats, 0)
    lengths = {recipe.key: len(recipe.coats) for recipe in kit.recipes}
    for sheet in kit.sheets:
        for region in sheet.regions:
            count = lengths[region.recipe] if region.recipe else 0
            for use in _uses(region.key, (*_followed(kit, region), *region.coats), 0):
                if use.coat >= count or f"{use.coat} {use.spec.name}" in region.own_values:
                    yield use
        yield from _uses(OVER + sheet.key, sheet.overcoats, 0)


def _uses(owner: str, coats: Sequence[Coat], first: int) -> Iterator[ValueUse]:
    for number, coat in enumerate(coats, first):
        for spec in COATS[coat.kind].values:
            yield ValueUse(owner, number, spec, coat.values.get(spec.name, spec.default))


def users_of(kit: Kit, parameter: str) -> list[ValueUse]:
    """The values that are bound to a parameter, by its key."""
    return users_of_all(kit).get(parameter, [])


def users_of_all(kit: Kit) -> dict[str, list[ValueUse]]:
    """The values that are bound to each parameter, by its key; for whoever asks for many."""
    found: dict[str, list[ValueUse]] = {}
    for use in value_uses(kit):
        if isinstance(use.value, Bound):
            found.setdefault(use.value.parameter, []).append(use)
    return found


def without_unused(kit: Kit) -> Kit:
    """The kit as it is saved: without parameters that no coat uses, and without what variants set of them."""
    used = {use.value.parameter for use in value_uses(kit) if isinstance(use.value, Bound)}
    variants = tuple(
        replace(v, values={key: value for key, value in v.values.items() if key in used}) for v in kit.variants
    )
    idle = [parameter.key for parameter in kit.parameters if parameter.key not in used]
    kept = tuple(parameter for parameter in kit.parameters if parameter.key in used)
    return retire(replace(kit, parameters=kept, variants=variants), *idle)
