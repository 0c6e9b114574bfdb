"""Commands: each makes a function from kit to kit, with the label that the history shows."""

from collections.abc import Callable
from dataclasses import dataclass

from msgspec.structs import replace

from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.errors import UserError
from even_palette.core.kit.assignment import without_region
from even_palette.core.kit.model import (
    MOST_COATS,
    MOST_MAPS,
    MOST_REGIONS,
    MOST_VARIANTS,
    OVER,
    Kit,
    Region,
    Source,
    Step,
    change_one,
    coats_of,
    identifier,
    keys_of,
    owner_name,
    retire,
    unique,
    users_of,
    value_uses,
    with_coats,
    with_region,
)
from even_palette.core.kit.validate import check_setting, check_steps
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import STRENGTH, ValueSpec
from even_palette.core.material.model import (
    Blending,
    Bound,
    Coat,
    Parameter,
    PlaneKind,
    PlaneUse,
    Setting,
    Value,
    ValueKind,
    Variant,
)
from even_palette.core.material.variants import MASTER, lineage, resolve
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding
from even_palette.core.regions.keying import Metric
from even_palette.core.regions.steps import STEPS
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


def add_map(sheet: str, source: Source) -> Command:
    """Take a map into a sheet. A map of the same file is renewed; no other map is displaced.

    The key is made unique. Where another map has the role already, the new one is there without a role.
    """

    def apply(kit: Kit) -> Kit:
        old = kit.sheet(sheet)
        same = next((other for other in old.sources if other.path == source.path), None)
        if same is not None:
            kept = replace(source, key=same.key, role=same.role, encoding=same.encoding)
            return kit.with_sheet(replace(old, sources=change_one(old.sources, lambda s: s is same, lambda _: kept)))
        if len(old.sources) >= MOST_MAPS:
            raise UserError(f"A sheet holds at most {MOST_MAPS} maps.")
        role = source.role if old.source(source.role) is None else Role.NONE
        made = replace(source, key=unique(identifier(source.key), keys_of(kit), "_"), role=role)
        return kit.with_sheet(replace(old, sources=(*old.sources, made)))

    return Command(f"Open {source.role}" if source.role != Role.NONE else "Open map", apply)


def remove_map(sheet: str, key: str) -> Command:
    """Take a map out of a sheet; coats that read it keep to what else they read."""

    def apply(kit: Kit) -> Kit:
        old = kit.sheet(sheet)
        left = tuple(source for source in old.sources if source.key != key)
        return retire(without_plane(kit.with_sheet(replace(old, sources=left)), sheet, PlaneKind.MAP, key), key)

    return Command("Remove map", apply)


def set_role(sheet: str, key: str, role: Role) -> Command:
    """Say what a map is; a map that had that role before takes the old one."""

    def apply(kit: Kit) -> Kit:
        old = kit.sheet(sheet)
        before = old.map(key).role

        def change(source: Source) -> Source:
            if source.key == key:
                return replace(source, role=role)
            taken = source.role == role and role != Role.NONE
            return replace(source, role=before) if taken else source

        return kit.with_sheet(replace(old, sources=tuple(map(change, old.sources))))

    return Command(f"Call it {role}", apply)


def set_encoding(sheet: str, key: str, encoding: Encoding) -> Command:
    """Say how the samples of a map are meant."""
    return _change_map(sheet, f"Read map as {encoding}", key, lambda source: replace(source, encoding=encoding))


def point_map_to(sheet: str, key: str, path: str, size: int, sha256: str, width: int = 0, height: int = 0) -> Command:
    """Point a map to another file, such as one that was moved or that the kit took in."""
    place = {"path": path, "size": size, "sha256": sha256, "width": width, "height": height}
    return _change_map(sheet, "Find map", key, lambda source: replace(source, **place))


def _change_map(sheet: str, label: str, key: str, change: Callable[[Source], Source]) -> Command:
    def apply(kit: Kit) -> Kit:
        old = kit.sheet(sheet)
        return kit.with_sheet(replace(old, sources=change_one(old.sources, lambda source: source.key == key, change)))

    return Command(label, apply)


def without_plane(kit: Kit, sheet: str, kind: PlaneKind, key: str) -> Kit:
    """The kit with no coat of a sheet reading a plane that goes."""

    def keeps(use: PlaneUse) -> bool:
        return (use.plane.kind, use.plane.key) != (kind, key)

    def change(coat: Coat) -> Coat:
        pattern = coat.pattern if coat.pattern is None or keeps(coat.pattern) else None
        return replace(coat, pattern=pattern, planes={name: use for name, use in coat.planes.items() if keeps(use)})

    def kept(step: Step) -> bool:
        return step.plane is None or keeps(step.plane)

    for region in kit.sheet(sheet).regions:
        left = tuple(filter(kept, region.steps))
        if left != region.steps:
            kit = set_steps(region.key, "", left).apply(kit)
    for owner in (*(region.key for region in kit.sheet(sheet).regions), OVER + sheet):
        kit = with_coats(kit, owner, tuple(map(change, coats_of(kit, owner))))
    return kit


# Regions and masks


def add_regions(sheet: str, colours: list[Rgb8]) -> Command:
    """Make a region of each ID colour that has none yet."""

    def apply(kit: Kit) -> Kit:
        regions, taken = list(kit.sheet(sheet).regions), keys_of(kit)
        for colour in colours:
            if any(region.id_colour == colour for region in regions):
                continue
            if len(regions) == MOST_REGIONS:
                raise UserError(f"A sheet holds at most {MOST_REGIONS} regions.")
            name = unique(f"Region {len(regions) + 1}", [region.name for region in regions])
            key = unique(identifier(name), taken, "_")
            taken.add(key)
            regions.append(Region(key, name, colour))
        return kit.with_sheet(replace(kit.sheet(sheet), regions=tuple(regions)))

    return Command("Add region" if len(colours) == 1 else f"Add {len(colours)} regions", apply)


def remove_region(key: str) -> Command:
    """Remove a region; its faces belong to none, and its key is never used again."""

    def apply(kit: Kit) -> Kit:
        sheet = kit.sheet_of(key)
        left = tuple(region for region in sheet.regions if region.key != key)
        kit = replace(kit, meshes=tuple(replace(mesh, faces=without_region(mesh.faces, key)) for mesh in kit.meshes))
        return retire(kit.with_sheet(replace(sheet, regions=left)), key)

    return Command("Remove region", apply)


def rename_region(key: str, name: str) -> Command:
    """Give a region another name; its key stays."""

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
    """Give a region another ID colour, 8-bit levels."""
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
    """Choose how the distance of ID colours is measured for a region."""
    return Command("Change distance", lambda kit: with_region(kit, key, lambda region: replace(region, metric=metric)))


def set_resolve(sheet: str, how: Resolve) -> Command:
    """Choose how overlapping masks of a sheet are resolved."""
    return Command(f"Resolve by {how}", lambda kit: kit.with_sheet(replace(kit.sheet(sheet), resolve=how)))


# Steps


def set_steps(key: str, label: str, steps: tuple[Step, ...], merge: str = "") -> Command:
    """Replace the steps of a region. Raises UserError for steps that cannot be."""

    def apply(kit: Kit) -> Kit:
        check_steps(f"region “{kit.region(key).name}”", steps)
        return with_region(kit, key, lambda region: replace(region, steps=steps))

    return Command(label, apply, merge)


def add_step(key: str, step: Step) -> Command:
    """Put a step behind those that a region has."""

    def apply(kit: Kit) -> Kit:
        return set_steps(key, "", (*kit.region(key).steps, step)).apply(kit)

    return Command(f"Add {STEPS[step.kind].label.lower()}", apply)


def change_step(key: str, number: int, step: Step) -> Command:
    """Replace one step of a region."""

    def apply(kit: Kit) -> Kit:
        steps = kit.region(key).steps
        if not 0 <= number < len(steps):
            raise KeyError(number)
        return set_steps(key, "", (*steps[:number], step, *steps[number + 1 :])).apply(kit)

    return Command(f"Change {STEPS[step.kind].label.lower()}", apply, f"step {key} {number}")


def remove_step(key: str, number: int) -> Command:
    """Take a step away."""

    def apply(kit: Kit) -> Kit:
        steps = kit.region(key).steps
        return set_steps(key, "", (*steps[:number], *steps[number + 1 :])).apply(kit)

    return Command("Remove step", apply)


def move_step(key: str, number: int, by: int) -> Command:
    """Let a step act earlier (negative) or later."""

    def apply(kit: Kit) -> Kit:
        steps = list(kit.region(key).steps)
        if not 0 <= number < len(steps):
            raise KeyError(number)
        steps.insert(max(0, number + by), steps.pop(number))
        return set_steps(key, "", tuple(steps)).apply(kit)

    return Command("Move step", apply)


# Recolour


def set_blending(blending: Blending) -> Command:
    """Choose whether regions are mixed in linear light or as encoded values."""
    return Command(f"Blend {blending} values", lambda kit: replace(kit, blending=blending))


def set_coat_kind(owner: str, kind: str, coat: int = 0) -> Command:
    """Make a coat one of another kind; values that both kinds have are kept, and so is its pattern."""

    def apply(kit: Kit) -> Kit:
        def change(worn: Coat) -> Coat:
            old, new = COATS[worn.kind], COATS[kind]
            shared = {spec.name for spec in new.values if any(_alike(spec, other) for other in old.values)}
            return Coat(kind, {n: v for n, v in worn.values.items() if n in shared}, {}, worn.pattern)

        return _change_coat(kit, owner, coat, change)

    return Command(f"Coat: {COATS[kind].label.lower()}", apply)


def add_coat(owner: str, worn: Coat) -> Command:
    """Put another coat on top of those of a region, or of a sheet's overcoats."""

    def apply(kit: Kit) -> Kit:
        coats = coats_of(kit, owner)
        if len(coats) >= MOST_COATS:
            raise UserError(f"At most {MOST_COATS} coats can be worn.")
        return with_coats(kit, owner, (*coats, worn))

    return Command(f"Add {COATS[worn.kind].label.lower()}", apply)


def remove_coat(owner: str, coat: int) -> Command:
    """Take a coat off. Raises UserError for the only coat of a region."""

    def apply(kit: Kit) -> Kit:
        coats = coats_of(kit, owner)
        if len(coats) == 1 and not owner.startswith(OVER):
            raise UserError("A region wears at least one coat; choose another kind instead.")
        return with_coats(kit, owner, (*coats[:coat], *coats[coat + 1 :]))

    return Command("Remove coat", apply)


def move_coat(owner: str, coat: int, by: int) -> Command:
    """Put a coat on earlier (negative) or later."""

    def apply(kit: Kit) -> Kit:
        coats = list(coats_of(kit, owner))
        if not 0 <= coat < len(coats):
            raise KeyError(coat)
        coats.insert(max(0, coat + by), coats.pop(coat))
        return with_coats(kit, owner, tuple(coats))

    return Command("Move coat", apply)


def set_pattern(owner: str, coat: int, pattern: PlaneUse | None) -> Command:
    """Let a plane say how far a coat acts, or let it act everywhere."""
    return Command(
        "Change pattern" if pattern else "Remove pattern",
        lambda kit: _change_coat(kit, owner, coat, lambda worn: replace(worn, pattern=pattern)),
        f"pattern {owner} {coat}" if pattern else "",
    )


def set_coat_plane(owner: str, coat: int, name: str, use: PlaneUse | None) -> Command:
    """Choose a plane that a coat reads."""

    def change(worn: Coat) -> Coat:
        others = {key: value for key, value in worn.planes.items() if key != name}
        return replace(worn, planes={**others, name: use} if use else others)

    return Command(f"Choose {name}", lambda kit: _change_coat(kit, owner, coat, change), f"plane {owner} {coat} {name}")


def set_choice(owner: str, value_name: str, choice: str, coat: int = 0) -> Command:
    """Choose one of the ways of a coat."""
    return Command("Change coat", lambda kit: with_value(kit, owner, value_name, choice, coat))


def set_cell_value(owner: str, value_name: str, setting: Setting, variant: str = MASTER, coat: int = 0) -> Command:
    """Set a value of a coat in the master or in a variant.

    In a variant, a value that is still fixed is first bound to a parameter of its own. Raises UserError for a value out
    of its range.
    """

    def apply(kit: Kit) -> Kit:
        value, spec = _value(kit, owner, value_name, coat), _spec(kit, owner, value_name, coat)
        assert not isinstance(spec.default, str)
        bound = kit.parameter(value.parameter) if isinstance(value, Bound) else None
        check_setting(bound or Parameter(spec.label, spec.kind, spec.default, spec.low, spec.high), setting)
        if variant == MASTER and not isinstance(value, Bound):
            return with_value(kit, owner, value_name, setting, coat)
        if not isinstance(value, Bound):
            kit = expose(owner, value_name, coat).apply(kit)
            value = _value(kit, owner, value_name, coat)
            assert isinstance(value, Bound)
        return with_setting(kit, value.parameter, setting, variant)

    return Command(f"Change {value_name}", apply, f"value {owner} {coat} {value_name} {variant}")


def expose(owner: str, value_name: str, coat: int = 0) -> Command:
    """Bind a fixed value to a new parameter of its own, named after its owner and the value."""

    def apply(kit: Kit) -> Kit:
        value = _value(kit, owner, value_name, coat)
        if isinstance(value, Bound):
            return kit
        name, spec = owner_name(kit, owner), _spec(kit, owner, value_name, coat)
        assert not isinstance(value, str)
        wanted = identifier(f"{name} {value_name}")
        like = (wanted, spec.kind, spec.low, spec.high)
        idle = any((p.name, p.kind, p.low, p.high) == like for p in kit.parameters)
        if idle and not users_of(kit, wanted):
            # What variants set it to is still there; only its default is the value of now.
            kit = with_setting(kit, wanted, value, MASTER)
            return with_value(kit, owner, value_name, Bound(wanted), coat)
        made = Parameter(
            unique(wanted, [parameter.name for parameter in kit.parameters], "_"),
            spec.kind,
            value,
            spec.low,
            spec.high,
            spec.unit,
            f"{spec.label} of {name}. {spec.help}",
        )
        kit = replace(kit, parameters=(*kit.parameters, made))
        return with_value(kit, owner, value_name, Bound(made.name), coat)

    return Command("Make parameter", apply)


def fits(parameter: Parameter, spec: ValueSpec) -> bool:
    """Whether a parameter can drive a value: it is of the value's kind, and never leaves the value's range."""
    inside = spec.kind == ValueKind.COLOUR or spec.low <= parameter.low <= parameter.high <= spec.high
    return parameter.kind == spec.kind and inside


def bind(owner: str, value_name: str, parameter: str, coat: int = 0) -> Command:
    """Bind a value to a parameter that is there already and fits; both users then share it."""

    def apply(kit: Kit) -> Kit:
        spec = _spec(kit, owner, value_name, coat)
        if not fits(kit.parameter(parameter), spec):
            raise UserError(f"“{parameter}” is of another kind or range than {spec.label.lower()}.")
        return with_value(kit, owner, value_name, Bound(parameter), coat)

    return Command(f"Bind to {parameter}", apply)


def unbind(owner: str, value_name: str, coat: int = 0) -> Command:
    """Fix a value at its parameter's default, held in the value's range; an unused parameter stays until the save."""

    def apply(kit: Kit) -> Kit:
        value = _value(kit, owner, value_name, coat)
        if not isinstance(value, Bound):
            return kit
        default, spec = kit.parameter(value.parameter).default, _spec(kit, owner, value_name, coat)
        if not isinstance(default, tuple):
            default = min(max(default, spec.low), spec.high)
        return with_value(kit, owner, value_name, default, coat)

    return Command("Fix value", apply)


def rename_parameter(name: str, new: str) -> Command:
    """Rename a parameter in the coats and variants that use it; the name is made a plain identifier."""

    def apply(kit: Kit) -> Kit:
        others = [parameter.name for parameter in kit.parameters if parameter.name != name]
        final = unique(identifier(new), others, "_")
        for use in users_of(kit, name):
            kit = with_value(kit, use.owner, use.spec.name, Bound(final), use.coat)
        parameters = change_one(kit.parameters, lambda p: p.name == name, lambda p: replace(p, name=final))
        variants = tuple(
            replace(v, values={final if key == name else key: value for key, value in v.values.items()})
            for v in kit.variants
        )
        return replace(kit, parameters=parameters, variants=variants)

    return Command("Rename parameter", apply)


# Variants


def add_variant(name: str, parent: str | None = None) -> Command:
    """Add a variant that inherits from another, or from the master."""

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
    """Give a variant another name, also where others inherit from it."""

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


def clear_cell(owner: str, variant: str) -> Command:
    """Return the values of an owner's coats in a variant to what is inherited; in the master, to their defaults."""

    def apply(kit: Kit) -> Kit:
        if variant == MASTER:
            bare = tuple(replace(coat, values={}) for coat in coats_of(kit, owner))
            return with_coats(kit, owner, bare)
        bound = set(bound_parameters(kit, owner).values())

        def change(v: Variant) -> Variant:
            return replace(v, values={name: value for name, value in v.values.items() if name not in bound})

        return replace(kit, variants=change_one(kit.variants, lambda v: v.name == variant, change))

    return Command("Return to inherited", apply)


@dataclass(frozen=True)
class Cell:
    """What copying a cell of the board takes along: the coats without values, and for each its choices and settings."""

    coats: tuple[Coat, ...]
    choices: tuple[dict[str, str], ...]
    settings: tuple[dict[str, Setting], ...]


def read_cell(kit: Kit, owner: str, variant: str, settings: dict[str, Setting] | None = None) -> Cell:
    """The coats of an owner as they are in a variant. Raises KeyError for an unknown owner or variant.

    `settings` are those of the variant, where they are known already.
    """
    settings = settings or resolve(kit.parameters, kit.variants, variant)
    coats = coats_of(kit, owner)
    choices: list[dict[str, str]] = [{} for _ in coats]
    values: list[dict[str, Setting]] = [{} for _ in coats]
    for use in value_uses(kit, owner):
        if isinstance(use.value, str):
            choices[use.coat][use.spec.name] = use.value
        else:
            bound = settings[use.value.parameter] if isinstance(use.value, Bound) else use.value
            values[use.coat][use.spec.name] = bound
    bare = tuple(replace(coat, values={}) for coat in coats)
    return Cell(bare, tuple(choices), tuple(values))


def paste_cell(cell: Cell, owner: str, variant: str) -> Command:
    """Give an owner the values of a copied cell.

    In the master the coats come along with their kinds, choices, planes and patterns. In a variant they are the
    master's, so only values that they have are taken; raises UserError if there are none.
    """

    def apply(kit: Kit) -> Kit:
        if variant == MASTER:
            old = coats_of(kit, owner)
            kept = tuple(
                replace(coat, values=old[number].values if number < len(old) and old[number].kind == coat.kind else {})
                for number, coat in enumerate(cell.coats)
            )
            kit = with_coats(kit, owner, kept)
        taken = False
        for number, (mine, theirs) in enumerate(zip(coats_of(kit, owner), cell.coats, strict=False)):
            specs = {spec.name: spec for spec in COATS[mine.kind].values}
            source = COATS[theirs.kind]
            if variant == MASTER:
                for name, choice in cell.choices[number].items():
                    kit = with_value(kit, owner, name, choice, number)
            for name, setting in cell.settings[number].items():
                if name in specs and _alike(specs[name], source.value(name)):
                    taken = taken or name != STRENGTH.name
                    kit = set_cell_value(owner, name, setting, variant, number).apply(kit)
        if not taken and variant != MASTER:
            raise UserError("The copied coats have no value that these coats have; paste them in Master first.")
        return kit

    return Command("Paste coat", apply)


def fill_cells(cell: Cell, targets: list[tuple[str, str]]) -> Command:
    """Give the values of a cell to others, by owner and variant, in one step."""

    def apply(kit: Kit) -> Kit:
        for owner, variant in targets:
            kit = paste_cell(cell, owner, variant).apply(kit)
        return kit

    return Command("Fill cells", apply)


def rename_kit(name: str) -> Command:
    """Give the kit another name."""
    return Command("Rename kit", lambda kit: replace(kit, name=_new_name(name, [])))


# What commands are made of


def bound_parameters(kit: Kit, owner: str) -> dict[tuple[int, str], str]:
    """Number of the coat and name of the value to name of the parameter, for the values of an owner that are bound."""
    return {
        (use.coat, use.spec.name): use.value.parameter for use in value_uses(kit, owner) if isinstance(use.value, Bound)
    }


def with_value(kit: Kit, owner: str, value_name: str, value: Value, coat: int = 0) -> Kit:
    """The kit with one value of a coat replaced."""
    return _change_coat(kit, owner, coat, lambda worn: replace(worn, values={**worn.values, value_name: value}))


def _change_coat(kit: Kit, owner: str, coat: int, change: Callable[[Coat], Coat]) -> Kit:
    coats = coats_of(kit, owner)
    if not 0 <= coat < len(coats):
        raise KeyError(coat)
    return with_coats(kit, owner, (*coats[:coat], change(coats[coat]), *coats[coat + 1 :]))


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


def _value(kit: Kit, owner: str, value_name: str, coat: int) -> Value:
    spec = _spec(kit, owner, value_name, coat)
    return coats_of(kit, owner)[coat].values.get(value_name, spec.default)


def _spec(kit: Kit, owner: str, value_name: str, coat: int) -> ValueSpec:
    coats = coats_of(kit, owner)
    if not 0 <= coat < len(coats):
        raise KeyError(coat)
    return COATS[coats[coat].kind].value(value_name)


def _alike(one: ValueSpec, other: ValueSpec) -> bool:
    same_choices = one.kind != ValueKind.CHOICE or one.choices == other.choices
    return one.name == other.name and one.kind == other.kind and same_choices


def _new_name(name: str, others: list[str]) -> str:
    cleaned = " ".join(name.split())[:60]
    if not cleaned:
        raise UserError("A name needs at least one letter.")
    return unique(cleaned, others)
