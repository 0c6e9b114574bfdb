"""Who wears coats: regions, sheets (their overcoats) and recipes; and every value that their coats have."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

from msgspec.structs import replace

from even_palette.core.kit.keyed import change_one
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import Names, identifier, retire
from even_palette.core.kit.sheet import Region, Sheet
from even_palette.core.kit.trees import with_region
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import ValueSpec
from even_palette.core.material.model import Bound, Coat, Value
from even_palette.core.material.plane_numbers import numbers_of
from even_palette.core.material.variants import MASTER


@dataclass(frozen=True)
class Overcoats:
    """The coats that lie on the whole of a sheet, by its key."""

    sheet: str


@dataclass(frozen=True)
class RecipeCoats:
    """The coats of a recipe, by its key."""

    recipe: str


SheetOwner = str | Overcoats
"""Who wears coats on a sheet; a text is the key of a region."""
Owner = SheetOwner | RecipeCoats
"""Who has coats."""


def owners_on(sheet: Sheet) -> list[SheetOwner]:
    """All who wear coats on a sheet: its regions from the topmost down, then its overcoats."""
    return [*(region.key for region in sheet.regions), Overcoats(sheet.key)]


def coats_of(kit: Kit, owner: Owner) -> tuple[Coat, ...]:
    """All coats that an owner wears, in order; those of a region's recipe come first. Raises KeyError."""
    own = own_coats(kit, owner)
    return (*_followed(kit, kit.region(owner)), *own) if isinstance(owner, str) else own


def own_coats(kit: Kit, owner: Owner) -> tuple[Coat, ...]:
    """The coats that belong to an owner, without those of a recipe that it wears. Raises KeyError."""
    match owner:
        case Overcoats(sheet):
            return kit.sheet(sheet).overcoats
        case RecipeCoats(recipe):
            return kit.recipe(recipe).coats
        case region:
            return kit.region(region).coats


def _followed(kit: Kit, region: Region) -> list[Coat]:
    """The coats of a region's recipe with the values that the region sets itself."""
    if not region.recipe:
        return []
    own = region.own_values
    return [
        replace(coat, values={**coat.values, **own[coat.key]}) if coat.key in own else coat
        for coat in kit.recipe(region.recipe).coats
    ]


def draws_of(kit: Kit, owner: Owner) -> tuple[str, ...]:
    """The names under which the coats of an owner draw by chance: all who wear a recipe draw alike for its coats."""
    count = recipe_length(kit, owner)
    recipe = kit.region(owner).recipe if isinstance(owner, str) else ""
    own = f"{owner.sheet} over" if isinstance(owner, Overcoats) else str(owner)
    return tuple(f"{recipe if number < count else own} {coat.key}" for number, coat in enumerate(coats_of(kit, owner)))


def recipe_length(kit: Kit, owner: Owner) -> int:
    """How many of an owner's coats are those of a recipe that it wears."""
    recipe = kit.region(owner).recipe if isinstance(owner, str) else ""
    return len(kit.recipe(recipe).coats) if recipe else 0


def sheets_of(kit: Kit, owner: Owner) -> list[Sheet]:
    """The sheets on which the coats of an owner are seen: those of all wearers of a recipe. Raises KeyError."""
    match owner:
        case Overcoats(sheet):
            return [kit.sheet(sheet)]
        case RecipeCoats(recipe):
            kit.recipe(recipe)
            return [sheet for sheet in kit.sheets if any(region.recipe == recipe for region in sheet.regions)]
        case region:
            return [kit.sheet_of(region)]


def home_of(kit: Kit, owner: Owner, coat: int) -> tuple[Owner, int]:
    """To whom the coat at this place belongs, and its place there. Raises KeyError if there is no such coat."""
    count = recipe_length(kit, owner)
    if not 0 <= coat < count + len(own_coats(kit, owner)):
        raise KeyError(coat)
    if coat < count:
        assert isinstance(owner, str)
        return RecipeCoats(kit.region(owner).recipe), coat
    return owner, coat - count


def owner_name(kit: Kit, owner: Owner) -> str:
    """What the owner of coats is called. Raises KeyError if there is none."""
    match owner:
        case RecipeCoats(recipe):
            return kit.recipe(recipe).name
        case Overcoats(sheet):
            name = kit.sheet(sheet).name
            return f"Overcoats of {name}" if len(kit.sheets) > 1 else "Overcoats"
        case region:
            return kit.region(region).name


def with_coats(kit: Kit, owner: Owner, coats: Sequence[Coat]) -> Kit:
    """The kit with the coats that belong to an owner replaced. Raises KeyError.

    Those that have no key yet get one that was never used, and so do those that come under one that another has; into
    a recipe also those that come under one that another had, as regions of other kits may set values of that. What is
    there already keeps its key.
    """
    before, keys = ([coat.key for coat in each] for each in (own_coats(kit, owner), coats))
    if keys != before or "" in keys:
        retired, others = kit.retired, set[str]()
        if isinstance(owner, RecipeCoats):
            retired = kit.recipe(owner.recipe).retired
            others = set(retired)
        elif isinstance(owner, str) and (linked := kit.region(owner).recipe):
            others = {coat.key for coat in kit.recipe(linked).coats}
        coats = keyed_coats(coats, (*retired, *before), others - set(before))
    made, gone = tuple(coats), sorted(set(before) - {coat.key for coat in coats})
    match owner:
        case Overcoats(sheet):
            return retire(kit.with_sheet(replace(kit.sheet(sheet), overcoats=made)), *gone)
        case RecipeCoats(recipe):
            worn = kit.recipe(recipe)
            changed = replace(worn, coats=made, retired=tuple(sorted((*worn.retired, *gone))))
            return replace(kit, recipes=change_one(kit.recipes, lambda r: r.key == recipe, lambda _: changed))
        case region:
            return retire(with_region(kit, region, lambda worn: replace(worn, coats=made)), *gone)


def keyed_coats(coats: Sequence[Coat], used: Iterable[str] = (), others: Iterable[str] = ()) -> tuple[Coat, ...]:
    """Coats with a key each, no two the same: one that they have stays, unless it is among those of `others`.

    None that is given is among the `used` ones.
    """
    seen, free = set(others), Names({*used, *others, *(coat.key for coat in coats)}, "_")
    found = []
    for coat in coats:
        if not coat.key or coat.key in seen:
            coat = replace(coat, key=free.give(identifier(coat.kind)))
        seen.add(coat.key)
        found.append(coat)
    return tuple(found)


@dataclass(frozen=True)
class ValueUse:
    """One value of one coat: whose coat it is (see `coats_of`), its place, what declares it and what it is set to."""

    owner: Owner
    coat: int
    spec: ValueSpec
    value: Value


def value_uses(kit: Kit, owner: Owner | None = None) -> Iterator[ValueUse]:
    """Every value of every coat, defaults filled in: of one owner with its recipe, or of the kit, each once.

    Numbers of planes are among them where they are not fixed (see `plane_numbers`).
    """
    if owner is not None:
        yield from _uses(owner, coats_of(kit, owner))
        return
    for recipe in kit.recipes:
        yield from _uses(RecipeCoats(recipe.key), recipe.coats)
    for sheet in kit.sheets:
        for region in sheet.regions:
            worn = _followed(kit, region)
            for use in _uses(region.key, (*worn, *region.coats)):
                if use.coat >= len(worn) or use.spec.name in region.own_values.get(worn[use.coat].key, ()):
                    yield use
        yield from _uses(Overcoats(sheet.key), sheet.overcoats)


def _uses(owner: Owner, coats: Sequence[Coat]) -> Iterator[ValueUse]:
    for number, coat in enumerate(coats):
        kind = COATS[coat.kind]
        for spec in kind.values:
            yield ValueUse(owner, number, spec, coat.values.get(spec.name, spec.default))
        if coat.values and (coat.planes or coat.pattern is not None):
            for name, (_, _, spec) in numbers_of(kind).items():
                if name in coat.values:
                    yield ValueUse(owner, number, spec, coat.values[name])


def followed_by(coats: Sequence[Coat]) -> set[str]:
    """The keys of the parameters that coats follow."""
    values = (value for coat in coats for value in coat.values.values())
    return {value.parameter for value in values if isinstance(value, Bound)}


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
        replace(
            v,
            values={key: value for key, value in v.values.items() if key in used},
            tracks={key: track for key, track in v.tracks.items() if key in used},
        )
        for v in kit.variants
    )
    idle = [parameter.key for parameter in kit.parameters if parameter.key not in used]
    kept = tuple(parameter for parameter in kit.parameters if parameter.key in used)
    sheets = tuple(_without_unused(sheet, used, {MASTER, *(v.key for v in variants)}) for sheet in kit.sheets)
    return retire(replace(kit, parameters=kept, variants=variants, sheets=sheets), *idle)


def _without_unused(sheet: Sheet, parameters: set[str], variants: set[str]) -> Sheet:
    """A sheet whose twins set values of these parameters and variants alone."""
    if not sheet.twins:
        return sheet
    twins = []
    for twin in sheet.twins:
        values = {
            variant: {key: value for key, value in own.items() if key in parameters}
            for variant, own in twin.values.items()
            if variant in variants
        }
        twins.append(replace(twin, values={variant: own for variant, own in values.items() if own}))
    return replace(sheet, twins=tuple(twins))
