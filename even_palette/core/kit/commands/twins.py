"""Commands on twins of sheets, and any command as it is done to a twin."""

from collections.abc import Mapping

from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit.assignment import without_region
from even_palette.core.kit.coat_owners import Owner, value_uses
from even_palette.core.kit.commands._command import Command, new_name
from even_palette.core.kit.commands.coats import expose
from even_palette.core.kit.keyed import by_key, change_one
from even_palette.core.kit.mesh_file import FaceRegions
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import new_key, retire
from even_palette.core.kit.twin import Twin
from even_palette.core.limits import MOST_TWINS
from even_palette.core.material.model import Bound, Setting
from even_palette.core.material.variants import MASTER


def add_twin(sheet: str, name: str) -> Command:
    """Add a twin to a sheet: it looks as the sheet does until it is given values of its own."""

    def apply(kit: Kit) -> Kit:
        old = kit.sheet(sheet)
        if len(old.twins) >= MOST_TWINS:
            raise UserError(f"A sheet has at most {MOST_TWINS} twins.")
        final = new_name(name, list(kit.surface_names.values()))
        return kit.with_sheet(replace(old, twins=(*old.twins, Twin(new_key(kit, final), final))))

    return Command("Add twin", apply)


def rename_twin(key: str, name: str) -> Command:
    """Give a twin another name; its key stays."""

    def apply(kit: Kit) -> Kit:
        own = kit.twin(key)[1].name
        final = new_name(name, [other for other in list(kit.surface_names.values()) if other != own])
        return with_twin(kit, key, replace(kit.twin(key)[1], name=final))

    return Command("Rename twin", apply)


def remove_twin(key: str) -> Command:
    """Remove a twin; its faces look as their sheet does."""

    def apply(kit: Kit) -> Kit:
        sheet, _ = kit.twin(key)
        left = tuple(twin for twin in sheet.twins if twin.key != key)
        meshes = tuple(replace(mesh, twins=without_region(mesh.twins, key)) for mesh in kit.meshes)
        return retire(replace(kit.with_sheet(replace(sheet, twins=left)), meshes=meshes), key)

    return Command("Remove twin", apply)


def set_twin_faces(label: str, faces: Mapping[str, FaceRegions]) -> Command:
    """Say which faces of meshes, by mesh key, are those of which twins."""

    def apply(kit: Kit) -> Kit:
        for key in faces:
            kit.mesh(key)
        return replace(kit, meshes=tuple(replace(mesh, twins=faces.get(mesh.key, mesh.twins)) for mesh in kit.meshes))

    return Command(label, apply)


def in_twin(command: Command, key: str) -> Command:
    """A command as it is done where a twin is in front: values that it sets are the twin's own, all else is shared.

    A fixed number or colour becomes a parameter first, so that the twin can have another one.
    """

    def apply(kit: Kit) -> Kit:
        kit.twin(key)
        worn = kit.as_twin(key)
        after = command.apply(worn)
        fixed = _fixed_changes(worn, after)
        for owner, name, coat in fixed:
            kit = expose(owner, name, coat).apply(kit)
        if fixed:
            worn = kit.as_twin(key)
            after = command.apply(worn)
        return _shared(kit, worn, after, key)

    return Command(command.label, apply, command.merge)


def with_twin(kit: Kit, key: str, twin: Twin) -> Kit:
    """The kit with the twin of a key replaced. Raises KeyError if there is none."""
    sheet, _ = kit.twin(key)
    return kit.with_sheet(replace(sheet, twins=change_one(sheet.twins, lambda t: t.key == key, lambda _: twin)))


def _fixed_changes(before: Kit, after: Kit) -> list[tuple[Owner, str, int]]:
    """The fixed numbers and colours of coats that differ: whose, of which name, of which coat by its place."""
    found: list[tuple[Owner, str, int]] = []
    if before.sheets is after.sheets and before.recipes is after.recipes:
        return found
    was = {(use.owner, use.coat, use.spec.name): use.value for use in value_uses(before)}
    for use in value_uses(after):
        old = was.get((use.owner, use.coat, use.spec.name), use.value)
        plain = not isinstance(old, Bound | str) and not isinstance(use.value, Bound | str)
        if plain and old != use.value:
            found.append((use.owner, use.spec.name, use.coat))
    return found


def _shared(kit: Kit, worn: Kit, after: Kit, key: str) -> Kit:
    """What a command made of the kit as the twin has it, with the values that all share as they were."""
    known = by_key(kit.parameters)
    twin = kit.twin(key)[1]
    own: dict[str, dict[str, Setting]] = {variant: dict(values) for variant, values in twin.values.items()}
    was = by_key(worn.parameters)
    parameters = []
    for parameter in after.parameters:
        if parameter.key in known:
            if parameter.default != was[parameter.key].default:
                own.setdefault(MASTER, {})[parameter.key] = parameter.default
            parameter = replace(parameter, default=known[parameter.key].default)
        parameters.append(parameter)
    real, before, variants = by_key(kit.variants), by_key(worn.variants), []
    for variant in after.variants:
        if variant.key in real:
            mine = own.setdefault(variant.key, {})
            seen = before[variant.key].values
            mine.update({name: value for name, value in variant.values.items() if seen.get(name) != value})
            for name in seen.keys() - variant.values.keys():
                mine.pop(name, None)
            there = real[variant.key]
            hidden = {name: track for name, track in there.tracks.items() if name not in before[variant.key].tracks}
            variant = replace(variant, values=there.values, tracks={**hidden, **variant.tracks})
        variants.append(variant)
    made = replace(after, parameters=tuple(parameters), variants=tuple(variants))
    if not any(twin.key == key for sheet in made.sheets for twin in sheet.twins):
        return made
    return with_twin(made, key, replace(made.twin(key)[1], values={v: values for v, values in own.items() if values}))


__all__ = ["add_twin", "in_twin", "remove_twin", "rename_twin", "set_twin_faces"]
