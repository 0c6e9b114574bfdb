"""Commands on coats, their values, and the parameters that values are bound to."""

from collections.abc import Callable, Sequence

from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit.coat_owners import (
    Overcoats,
    Owner,
    RecipeCoats,
    coats_of,
    home_of,
    own_coats,
    owner_name,
    sheets_of,
    users_of,
    value_uses,
    with_coats,
)
from even_palette.core.kit.coat_values import alike, overrides, spec_of, value_of, with_own_value
from even_palette.core.kit.commands._command import Command
from even_palette.core.kit.keyed import change_one
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import identifier, new_key, unique
from even_palette.core.kit.planes import check_coats_on, coats_on
from even_palette.core.kit.sheet import Region
from even_palette.core.kit.trees import with_region
from even_palette.core.kit.validate_coats import plain_setting
from even_palette.core.limits import MOST_COATS, MOST_PARAMETERS
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import ValueSpec
from even_palette.core.material.model import (
    Bound,
    Coat,
    Parameter,
    PlaneUse,
    Setting,
    Value,
    ValueKind,
)
from even_palette.core.material.plane_numbers import PATTERN, numbers_of, with_value_in, without_idle_numbers
from even_palette.core.material.variants import MASTER


def set_coat_kind(owner: Owner, kind: str, coat: int = 0) -> Command:
    """Make a coat one of another kind; values that both kinds have are kept, and so is its pattern."""

    def apply(kit: Kit) -> Kit:
        def change(worn: Coat) -> Coat:
            old, new = COATS[worn.kind], COATS[kind]
            shared = {spec.name for spec in new.values if any(alike(spec, other) for other in old.values)}
            shared |= {name for name, (plane, _, _) in numbers_of(new).items() if plane == PATTERN}
            values = {name: value for name, value in worn.values.items() if name in shared}
            return replace(worn, kind=kind, values=values, planes={})

        return _change_coat(kit, owner, coat, change)

    return Command(f"Coat: {COATS[kind].label.lower()}", apply)


def add_coat(owner: Owner, worn: Coat) -> Command:
    """Put another coat on top of those of a region, or of a sheet's overcoats."""

    def apply(kit: Kit) -> Kit:
        check_room(kit, owner, 1)
        return _with_fitting(kit, owner, (*own_coats(kit, owner), worn))

    return Command(f"Add {COATS[worn.kind].label.lower()}", apply)


def remove_coat(owner: Owner, coat: int) -> Command:
    """Take a coat off. Raises UserError for the only coat of a region."""

    def apply(kit: Kit) -> Kit:
        home, number = home_of(kit, owner, coat)
        coats = own_coats(kit, home)
        if len(coats_of(kit, home)) == 1 and not isinstance(home, Overcoats):
            raise UserError("A region wears at least one coat; choose another kind instead.")
        if isinstance(home, RecipeCoats):
            kit = _without_values_of(kit, home.recipe, coats[number].key)
        return with_coats(kit, home, (*coats[:number], *coats[number + 1 :]))

    return Command("Remove coat", apply)


def move_coat(owner: Owner, coat: int, by: int) -> Command:
    """Put a coat on earlier (negative) or later."""

    def apply(kit: Kit) -> Kit:
        home, number = home_of(kit, owner, coat)
        coats = list(own_coats(kit, home))
        coats.insert(max(0, number + by), coats.pop(number))
        return with_coats(kit, home, tuple(coats))

    return Command("Move coat", apply)


def switch_coat(owner: Owner, coat: int, on: bool) -> Command:
    """Switch a coat on or off, in all variants."""
    return Command(
        "Switch coat on" if on else "Switch coat off",
        lambda kit: _change_coat(kit, owner, coat, lambda worn: replace(worn, on=on)),
    )


def copy_coats(owner: Owner, others: Sequence[Owner], coats: Sequence[int] = ()) -> Command:
    """Put copies of some coats of an owner, all without a choice, on top of those of others.

    Values that are bound stay bound to the same parameters. Raises UserError where more would be worn than can be.
    """

    def apply(kit: Kit) -> Kit:
        worn = coats_of(kit, owner)
        if not all(0 <= number < len(worn) for number in coats):
            raise KeyError(max(coats))
        chosen = [worn[number] for number in coats] if coats else worn
        copied = [replace(coat, key="") for coat in chosen]
        for other in others:
            check_room(kit, other, len(copied))
            kit = _with_fitting(kit, other, (*own_coats(kit, other), *coats_for(kit, other, copied)))
        return kit

    return Command("Copy coats", apply)


def coats_for(kit: Kit, owner: Owner, coats: Sequence[Coat]) -> tuple[Coat, ...]:
    """Coats as another owner wears them: planes of another sheet become those that are the same on its own.

    Those of a recipe stay as they are where several sheets wear it, or none. Raises KeyError and UserError.
    """
    sheets = sheets_of(kit, owner)
    return coats_on(kit, sheets[0], coats) if len(sheets) == 1 else tuple(coats)


def set_pattern(owner: Owner, coat: int, pattern: PlaneUse | None) -> Command:
    """Let a plane say how far a coat acts, or let it act everywhere."""
    return Command(
        "Change pattern" if pattern else "Remove pattern",
        lambda kit: _change_coat(kit, owner, coat, lambda worn: replace(worn, pattern=pattern)),
        f"pattern {owner} {coat}" if pattern else "",
    )


def set_coat_plane(owner: Owner, coat: int, name: str, use: PlaneUse | None) -> Command:
    """Choose a plane that a coat reads."""

    def change(worn: Coat) -> Coat:
        if name not in [spec.name for spec in COATS[worn.kind].planes]:
            raise UserError(f"{COATS[worn.kind].label} reads no plane “{name}”.")
        others = {key: value for key, value in worn.planes.items() if key != name}
        return replace(worn, planes={**others, name: use} if use else others)

    return Command(f"Choose {name}", lambda kit: _change_coat(kit, owner, coat, change), f"plane {owner} {coat} {name}")


def set_choice(owner: Owner, value_name: str, choice: str, coat: int = 0) -> Command:
    """Choose one of the ways of a coat."""
    return Command("Change coat", lambda kit: with_value(kit, owner, value_name, choice, coat))


def set_cell_value(owner: Owner, value_name: str, setting: Setting, variant: str = MASTER, coat: int = 0) -> Command:
    """Set a value of a coat in the master or in a variant.

    In a variant, a value that is still fixed is first bound to a parameter of its own. Raises UserError for a value out
    of its range.
    """

    def apply(kit: Kit) -> Kit:
        value, spec = value_of(kit, owner, value_name, coat), spec_of(kit, owner, value_name, coat)
        bound = kit.parameter(value.parameter) if isinstance(value, Bound) else None
        plain = plain_setting(bound or spec, setting)
        if variant == MASTER and not isinstance(value, Bound):
            return with_value(kit, owner, value_name, plain, coat)
        if not isinstance(value, Bound):
            kit = expose(owner, value_name, coat).apply(kit)
            value = value_of(kit, owner, value_name, coat)
            assert isinstance(value, Bound)
        return with_setting(kit, value.parameter, plain, variant)

    return Command(f"Change {value_name}", apply, f"value {owner} {coat} {value_name} {variant}")


def expose(owner: Owner, value_name: str, coat: int = 0) -> Command:
    """Bind a fixed value to a new parameter of its own, named after its owner and the value."""

    def apply(kit: Kit) -> Kit:
        value = value_of(kit, owner, value_name, coat)
        if isinstance(value, Bound):
            return kit
        home = owner if overrides(kit, owner, value_name, coat) else home_of(kit, owner, coat)[0]
        name, spec = owner_name(kit, home), spec_of(kit, owner, value_name, coat)
        if isinstance(value, str):
            raise UserError(f"{spec.label} is chosen among ways; a parameter cannot drive it.")
        wanted = identifier(f"{name} {value_name}")
        like = (wanted, spec.kind, spec.low, spec.high)
        for old in kit.parameters:
            if (old.name, old.kind, old.low, old.high) == like and not users_of(kit, old.key):
                # What variants set it to is still there; only its default is the value of now.
                kit = with_setting(kit, old.key, value, MASTER)
                return with_value(kit, owner, value_name, Bound(old.key), coat)
        if len(kit.parameters) >= MOST_PARAMETERS:
            raise UserError(f"A kit holds at most {MOST_PARAMETERS:,} parameters.")
        made = Parameter(
            new_key(kit, wanted),
            unique(wanted, [parameter.name for parameter in kit.parameters], "_"),
            spec.kind,
            value,
            spec.low,
            spec.high,
            spec.unit,
            f"{spec.label} of {name}. {spec.help}",
        )
        kit = replace(kit, parameters=(*kit.parameters, made))
        return with_value(kit, owner, value_name, Bound(made.key), coat)

    return Command("Make parameter", apply)


def fits(parameter: Parameter, spec: ValueSpec) -> bool:
    """Whether a parameter can drive a value: colours drive colours, others numbers whose range they never leave."""
    if spec.kind == ValueKind.COLOUR or parameter.kind == ValueKind.COLOUR:
        return spec.kind == parameter.kind
    return spec.kind == ValueKind.NUMBER and spec.low <= parameter.low <= parameter.high <= spec.high


def bind(owner: Owner, value_name: str, parameter: str, coat: int = 0) -> Command:
    """Bind a value to a parameter, by its key, that is there already and fits; both users then share it."""

    def apply(kit: Kit) -> Kit:
        spec = spec_of(kit, owner, value_name, coat)
        there = kit.parameter(parameter)
        if not fits(there, spec):
            raise UserError(f"“{there.name}” is of another kind or range than {spec.label.lower()}.")
        return with_value(kit, owner, value_name, Bound(parameter), coat)

    return Command("Bind to parameter", apply)


def unbind(owner: Owner, value_name: str, coat: int = 0) -> Command:
    """Fix a value at its parameter's default, held in the value's range; an unused parameter stays until the save."""

    def apply(kit: Kit) -> Kit:
        value = value_of(kit, owner, value_name, coat)
        if not isinstance(value, Bound):
            return kit
        default, spec = kit.parameter(value.parameter).default, spec_of(kit, owner, value_name, coat)
        if not isinstance(default, tuple):
            default = min(max(default, spec.low), spec.high)
        return with_value(kit, owner, value_name, default, coat)

    return Command("Fix value", apply)


def bound_parameters(kit: Kit, owner: Owner) -> dict[tuple[int, str], str]:
    """Number of the coat and name of the value to key of the parameter, for the values of an owner that are bound."""
    return {
        (use.coat, use.spec.name): use.value.parameter for use in value_uses(kit, owner) if isinstance(use.value, Bound)
    }


def with_value(kit: Kit, owner: Owner, value_name: str, value: Value, coat: int = 0) -> Kit:
    """The kit with one value of a coat replaced: in the recipe that is worn, unless the region sets it itself."""
    if isinstance(owner, str) and overrides(kit, owner, value_name, coat):
        return with_own_value(kit, owner, coat, value_name, value)
    return _change_coat(kit, owner, coat, lambda worn: with_value_in(COATS[worn.kind], worn, value_name, value))


def _without_values_of(kit: Kit, recipe: str, coat: str) -> Kit:
    """The kit where no wearer sets a value of a recipe's coat, by its key, itself."""

    def left(region: Region) -> Region:
        return replace(region, own_values={key: own for key, own in region.own_values.items() if key != coat})

    for region in kit.wearers(recipe):
        if coat in region.own_values:
            kit = with_region(kit, region.key, left)
    return kit


def check_room(kit: Kit, owner: Owner, more: int) -> None:
    """Raise UserError where an owner, or a wearer of that recipe, would wear more coats than can be."""
    wearers = [region.key for region in kit.wearers(owner.recipe)] if isinstance(owner, RecipeCoats) else []
    for each in (owner, *wearers):
        if len(coats_of(kit, each)) + more > MOST_COATS:
            raise UserError(f"{owner_name(kit, each)}: at most {MOST_COATS} coats can be worn.")


def _change_coat(kit: Kit, owner: Owner, coat: int, change: Callable[[Coat], Coat]) -> Kit:
    home, number = home_of(kit, owner, coat)
    coats = own_coats(kit, home)
    changed = change(coats[number])
    changed = without_idle_numbers(COATS[changed.kind], changed)
    if isinstance(home, RecipeCoats) and changed.kind != coats[number].kind:
        kit = _without_values_of(kit, home.recipe, changed.key)
    return _with_fitting(kit, home, (*coats[:number], changed, *coats[number + 1 :]))


def _with_fitting(kit: Kit, owner: Owner, coats: Sequence[Coat]) -> Kit:
    """The kit with the coats of an owner replaced. Raises UserError where they read what is not there on a sheet."""
    for sheet in sheets_of(kit, owner):
        check_coats_on(kit, sheet, owner_name(kit, owner), coats)
    return with_coats(kit, owner, coats)


def with_setting(kit: Kit, parameter: str, setting: Setting, variant: str) -> Kit:
    """The kit with a parameter set in a variant, or its default replaced for the master."""
    if variant == MASTER:
        return replace(
            kit,
            parameters=change_one(kit.parameters, lambda p: p.key == parameter, lambda p: replace(p, default=setting)),
        )
    return replace(
        kit,
        variants=change_one(
            kit.variants,
            lambda v: v.key == variant,
            lambda v: replace(v, values={**v.values, parameter: setting}),
        ),
    )


__all__ = [
    "add_coat", "bind", "bound_parameters", "copy_coats", "expose", "fits", "move_coat", "remove_coat",
    "set_cell_value", "set_choice", "set_coat_kind", "set_coat_plane", "set_pattern", "switch_coat", "unbind",
]  # fmt: skip
