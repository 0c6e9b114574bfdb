"""Commands: each makes a function from kit to kit, with the label that the history shows."""

from collections.abc import Callable
from dataclasses import dataclass

from msgspec.structs import replace

from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.errors import UserError
from even_palette.core.kit.model import (
    MOST_REGIONS,
    MOST_VARIANTS,
    Kit,
    Region,
    Source,
    change_one,
    identifier,
    unique,
    users_of,
    value_uses,
    with_region,
)
from even_palette.core.kit.validate import check_setting
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import ValueSpec
from even_palette.core.material.model import Blending, Bound, Coat, Parameter, Setting, Value, ValueKind, Variant
from even_palette.core.material.variants import MASTER, lineage, resolve
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding
from even_palette.core.regions.keying import Metric
from even_palette.core.regions.weights import Resolve


@dataclass(frozen=True)
class Command:
    """A change of the kit. Commands in a row with the same `merge` are one step of the history (a drag).

    `apply` raises UserError where the change is not possible.
    """

    label: str
    apply: Callable[[Kit], Kit]
    merge: str = ""


# Source


def set_source(sheet: str, source: Source) -> Command:
    """Take a map into the sheet; a map of the same role is replaced."""

    def apply(kit: Kit) -> Kit:
        others = tuple(s for s in kit.sheet(sheet).sources if s.role != source.role and s.path != source.path)
        return kit.with_sheet(replace(kit.sheet(sheet), sources=(*others, source)))

    return Command(f"Open {source.role}", apply)


def remove_source(sheet: str, role: Role) -> Command:
    def apply(kit: Kit) -> Kit:
        left = tuple(source for source in kit.sheet(sheet).sources if source.role != role)
        return kit.with_sheet(replace(kit.sheet(sheet), sources=left))

    return Command(f"Remove {role}", apply)


def set_role(sheet: str, role: Role, new: Role) -> Command:
    """Say what a map is; a map that had that role before takes the old one."""
    swap = {role: new, new: role}

    def apply(kit: Kit) -> Kit:
        sources = tuple(replace(source, role=swap.get(source.role, source.role)) for source in kit.sheet(sheet).sources)
        return kit.with_sheet(replace(kit.sheet(sheet), sources=sources))

    return Command(f"Call {role} {new}", apply)


def set_encoding(sheet: str, role: Role, encoding: Encoding) -> Command:
    return _change_source(sheet, f"Read {role} as {encoding}", role, lambda source: replace(source, encoding=encoding))


def point_source_to(sheet: str, role: Role, path: str, size: int, sha256: str) -> Command:
    """Point a map to another file, such as one that was moved or that the kit took in."""

    def change(source: Source) -> Source:
        return replace(source, path=path, size=size, sha256=sha256)

    return _change_source(sheet, f"Find {role}", role, change)


def _change_source(sheet: str, label: str, role: Role, change: Callable[[Source], Source]) -> Command:
    def apply(kit: Kit) -> Kit:
        sources = change_one(kit.sheet(sheet).sources, lambda source: source.role == role, change)
        return kit.with_sheet(replace(kit.sheet(sheet), sources=sources))

    return Command(label, apply)


# Regions and masks


def add_regions(sheet: str, colours: list[Rgb8]) -> Command:
    """Make a region of each ID colour that has none yet."""

    def apply(kit: Kit) -> Kit:
        regions, taken = list(kit.sheet(sheet).regions), [region.key for region in kit.regions]
        for colour in colours:
            if any(region.id_colour == colour for region in regions):
                continue
            if len(regions) == MOST_REGIONS:
                raise UserError(f"A sheet holds at most {MOST_REGIONS} regions.")
            name = unique(f"Region {len(regions) + 1}", [region.name for region in regions])
            key = unique(identifier(name), taken, "_")
            taken.append(key)
            regions.append(Region(key, name, colour))
        return kit.with_sheet(replace(kit.sheet(sheet), regions=tuple(regions)))

    return Command("Add region" if len(colours) == 1 else f"Add {len(colours)} regions", apply)


def remove_region(key: str) -> Command:
    def apply(kit: Kit) -> Kit:
        sheet = kit.sheet_of(key)
        left = tuple(region for region in sheet.regions if region.key != key)
        return without_unused(kit.with_sheet(replace(sheet, regions=left)))

    return Command("Remove region", apply)


def rename_region(key: str, name: str) -> Command:
    def apply(kit: Kit) -> Kit:
        others = [region.name for region in kit.sheet_of(key).regions if region.key != key]
        return with_region(kit, key, lambda region: replace(region, name=_new_name(name, others)))

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
    return Command(
        "Change ID colour", lambda kit: with_region(kit, key, lambda region: replace(region, id_colour=colour))
    )


def set_tolerance(key: str, inner: float, outer: float) -> Command:
    """Both in 8-bit levels; the outer one is kept at or above the inner one."""
    return Command(
        "Change tolerance",
        lambda kit: with_region(kit, key, lambda region: replace(region, inner=inner, outer=max(inner, outer))),
        f"tolerance {key}",
    )


def set_metric(key: str, metric: Metric) -> Command:
    return Command("Change distance", lambda kit: with_region(kit, key, lambda region: replace(region, metric=metric)))


def set_resolve(sheet: str, how: Resolve) -> Command:
    return Command(f"Resolve by {how}", lambda kit: kit.with_sheet(replace(kit.sheet(sheet), resolve=how)))


# Recolour


def set_blending(blending: Blending) -> Command:
    return Command(f"Blend {blending} values", lambda kit: replace(kit, blending=blending))


def set_coat_kind(key: str, kind: str) -> Command:
    """Dress a region in another kind of coat; values that both kinds have are kept."""

    def apply(kit: Kit) -> Kit:
        def change(region: Region) -> Region:
            old, new = COATS[region.coat.kind], COATS[kind]
            shared = {spec.name for spec in new.values if any(_alike(spec, other) for other in old.values)}
            values = {name: value for name, value in region.coat.values.items() if name in shared}
            return replace(region, coat=Coat(kind, values))

        return without_unused(with_region(kit, key, change))

    return Command(f"Coat: {COATS[kind].label.lower()}", apply)


def set_choice(key: str, value_name: str, choice: str) -> Command:
    return Command("Change coat", lambda kit: with_value(kit, key, value_name, choice))


def set_cell_value(key: str, value_name: str, setting: Setting, variant: str = MASTER) -> Command:
    """Set a value of a region's coat in the master or in a variant.

    In a variant, a value that is still fixed is first bound to a parameter of its own.
    """

    def apply(kit: Kit) -> Kit:
        value, spec = _value(kit, key, value_name), _spec(kit, key, value_name)
        assert not isinstance(spec.default, str)
        bound = kit.parameter(value.parameter) if isinstance(value, Bound) else None
        check_setting(bound or Parameter(spec.label, spec.kind, spec.default, spec.low, spec.high), setting)
        if variant == MASTER and not isinstance(value, Bound):
            return with_value(kit, key, value_name, setting)
        if not isinstance(value, Bound):
            kit = expose(key, value_name).apply(kit)
            value = _value(kit, key, value_name)
            assert isinstance(value, Bound)
        return with_setting(kit, value.parameter, setting, variant)

    return Command(f"Change {value_name}", apply, f"value {key} {value_name} {variant}")


def expose(key: str, value_name: str) -> Command:
    """Bind a fixed value to a new parameter of its own, named after the region and the value."""

    def apply(kit: Kit) -> Kit:
        value = _value(kit, key, value_name)
        if isinstance(value, Bound):
            return kit
        region, spec = kit.region(key), _spec(kit, key, value_name)
        assert not isinstance(value, str)
        name = unique(identifier(f"{region.name} {value_name}"), [parameter.name for parameter in kit.parameters], "_")
        made = Parameter(
            name, spec.kind, value, spec.low, spec.high, spec.unit, f"{spec.label} of {region.name}. {spec.help}"
        )
        kit = replace(kit, parameters=(*kit.parameters, made))
        return with_value(kit, key, value_name, Bound(name))

    return Command("Make parameter", apply)


def bind(key: str, value_name: str, parameter: str) -> Command:
    """Bind a value to a parameter that is there already; both users then share it."""

    def apply(kit: Kit) -> Kit:
        if kit.parameter(parameter).kind != _spec(kit, key, value_name).kind:
            raise UserError(f"“{parameter}” is of another kind.")
        return without_unused(with_value(kit, key, value_name, Bound(parameter)))

    return Command(f"Bind to {parameter}", apply)


def unbind(key: str, value_name: str) -> Command:
    """Fix a value at its parameter's default; a parameter without users goes."""

    def apply(kit: Kit) -> Kit:
        value = _value(kit, key, value_name)
        if not isinstance(value, Bound):
            return kit
        return without_unused(with_value(kit, key, value_name, kit.parameter(value.parameter).default))

    return Command("Fix value", apply)


def rename_parameter(name: str, new: str) -> Command:
    """Rename a parameter in the coats and variants that use it; the name is made a plain identifier."""

    def apply(kit: Kit) -> Kit:
        others = [parameter.name for parameter in kit.parameters if parameter.name != name]
        final = unique(identifier(new), others, "_")
        for use in users_of(kit, name):
            kit = with_value(kit, use.region.key, use.spec.name, Bound(final))
        parameters = change_one(kit.parameters, lambda p: p.name == name, lambda p: replace(p, name=final))
        variants = tuple(
            replace(v, values={final if key == name else key: value for key, value in v.values.items()})
            for v in kit.variants
        )
        return replace(kit, parameters=parameters, variants=variants)

    return Command("Rename parameter", apply)


# Variants


def add_variant(name: str, parent: str | None = None) -> Command:
    def apply(kit: Kit) -> Kit:
        if len(kit.variants) >= MOST_VARIANTS:
            raise UserError(f"A kit holds at most {MOST_VARIANTS:,} variants.")
        made = Variant(_new_name(name, [variant.name for variant in kit.variants]), parent)
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
    def apply(kit: Kit) -> Kit:
        final = _new_name(new, [variant.name for variant in kit.variants if variant.name != name])

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


def clear_cell(key: str, variant: str) -> Command:
    """Return a region's values in a variant to what is inherited; in the master, to the coat's defaults."""

    def apply(kit: Kit) -> Kit:
        if variant == MASTER:
            kit = with_region(kit, key, lambda region: replace(region, coat=Coat(region.coat.kind)))
            return without_unused(kit)
        bound = set(bound_parameters(kit, key).values())

        def change(v: Variant) -> Variant:
            return replace(v, values={name: value for name, value in v.values.items() if name not in bound})

        return replace(kit, variants=change_one(kit.variants, lambda v: v.name == variant, change))

    return Command("Return to inherited", apply)


@dataclass(frozen=True)
class Cell:
    """What copying a cell of the board takes along: the kind of coat, its choices, and its values as they look."""

    kind: str
    choices: dict[str, str]
    settings: dict[str, Setting]


def read_cell(kit: Kit, key: str, variant: str) -> Cell:
    """The coat of a region as it is in a variant. Raises KeyError for an unknown region or variant."""
    settings = resolve(kit.parameters, kit.variants, variant)
    region = kit.region(key)
    choices: dict[str, str] = {}
    values: dict[str, Setting] = {}
    for use in value_uses(kit):
        if use.region.key != key:
            continue
        if isinstance(use.value, str):
            choices[use.spec.name] = use.value
        else:
            values[use.spec.name] = settings[use.value.parameter] if isinstance(use.value, Bound) else use.value
    return Cell(region.coat.kind, choices, values)


def paste_cell(cell: Cell, key: str, variant: str) -> Command:
    """Give a region the values of a copied cell.

    In the master the kind of coat comes along. In a variant the kind is the master's, so only values that it has are
    taken; raises UserError if there are none.
    """

    def apply(kit: Kit) -> Kit:
        if variant == MASTER and kit.region(key).coat.kind != cell.kind:
            kit = set_coat_kind(key, cell.kind).apply(kit)
        specs = {spec.name: spec for spec in COATS[kit.region(key).coat.kind].values}
        source = COATS[cell.kind]
        names = [name for name in cell.settings if name in specs and _alike(specs[name], source.value(name))]
        if not names:
            raise UserError("The copied coat has no value that this coat has; paste it in Master first.")
        if variant == MASTER:
            for name, choice in cell.choices.items():
                kit = with_value(kit, key, name, choice)
        for name in names:
            kit = set_cell_value(key, name, cell.settings[name], variant).apply(kit)
        return kit

    return Command("Paste coat", apply)


def fill_cells(cell: Cell, targets: list[tuple[str, str]]) -> Command:
    """Give the values of a cell to others, by region key and variant, in one step."""

    def apply(kit: Kit) -> Kit:
        for key, variant in targets:
            kit = paste_cell(cell, key, variant).apply(kit)
        return kit

    return Command("Fill cells", apply)


def rename_kit(name: str) -> Command:
    return Command("Rename kit", lambda kit: replace(kit, name=_new_name(name, [])))


# What commands are made of


def bound_parameters(kit: Kit, key: str) -> dict[str, str]:
    """Value name to parameter name, for the values of a region that are bound."""
    return {
        use.spec.name: use.value.parameter
        for use in value_uses(kit)
        if use.region.key == key and isinstance(use.value, Bound)
    }


def with_value(kit: Kit, key: str, value_name: str, value: Value) -> Kit:
    """The kit with one value of a region's coat replaced."""

    def change(region: Region) -> Region:
        return replace(region, coat=Coat(region.coat.kind, {**region.coat.values, value_name: value}))

    return with_region(kit, key, change)


def with_setting(kit: Kit, parameter: str, setting: Setting, variant: str) -> Kit:
    """The kit with a parameter set in a variant, or its default replaced for the master."""
    if variant == MASTER:
        return replace(
            kit,
            parameters=change_one(kit.parameters, lambda p: p.name == parameter, lambda p: replace(p, default=setting)),
        )
    return replace(
        kit,
        variants=change_one(
            kit.variants,
            lambda v: v.name == variant,
            lambda v: replace(v, values={**v.values, parameter: setting}),
        ),
    )


def without_unused(kit: Kit) -> Kit:
    """The kit without parameters that no coat uses, and without what variants set of them."""
    used = {use.value.parameter for use in value_uses(kit) if isinstance(use.value, Bound)}
    variants = tuple(
        replace(v, values={name: value for name, value in v.values.items() if name in used}) for v in kit.variants
    )
    return replace(kit, parameters=tuple(p for p in kit.parameters if p.name in used), variants=variants)


def _value(kit: Kit, key: str, value_name: str) -> Value:
    return kit.region(key).coat.values.get(value_name, _spec(kit, key, value_name).default)


def _spec(kit: Kit, key: str, value_name: str) -> ValueSpec:
    return COATS[kit.region(key).coat.kind].value(value_name)


def _alike(one: ValueSpec, other: ValueSpec) -> bool:
    same_choices = one.kind != ValueKind.CHOICE or one.choices == other.choices
    return one.name == other.name and one.kind == other.kind and same_choices


def _new_name(name: str, others: list[str]) -> str:
    cleaned = " ".join(name.split())[:60]
    if not cleaned:
        raise UserError("A name needs at least one letter.")
    return unique(cleaned, others)
