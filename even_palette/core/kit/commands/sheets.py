"""Commands that add, rename and remove sheets."""

from collections.abc import Sequence

from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit.assignment import without_region
from even_palette.core.kit.commands._command import Command
from even_palette.core.kit.commands.regions import set_channels
from even_palette.core.kit.keyed import change_one
from even_palette.core.kit.mesh_file import MeshFile
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import new_key, retire, unique
from even_palette.core.kit.planes import check_shaded
from even_palette.core.kit.scene_references import fitting_scenes
from even_palette.core.kit.sheet import Sheet
from even_palette.core.limits import MOST_SHEETS
from even_palette.core.material.drawn import Drawing
from even_palette.core.material.shading import Shaded
from even_palette.core.proof.conditions import Conditions, check_conditions
from even_palette.core.regions.packing import Packing


def add_sheet(name: str) -> Command:
    """Add an empty sheet."""

    def apply(kit: Kit) -> Kit:
        if len(kit.sheets) >= MOST_SHEETS:
            raise UserError(f"A kit holds at most {MOST_SHEETS} sheets.")
        final = unique(" ".join(name.split())[:60] or "Sheet", [sheet.name for sheet in kit.sheets])
        key = new_key(kit, final)
        return replace(kit, sheets=(*kit.sheets, Sheet(key, final)))

    return Command("Add sheet", apply)


def rename_sheet(key: str, name: str) -> Command:
    """Give a sheet another name; its key stays."""

    def apply(kit: Kit) -> Kit:
        wanted = " ".join(name.split())[:60]
        if not wanted:
            raise UserError("A name needs at least one letter.")
        final = unique(wanted, [sheet.name for sheet in kit.sheets if sheet.key != key])
        return replace(
            kit, sheets=change_one(kit.sheets, lambda s: s.key == key, lambda sheet: replace(sheet, name=final))
        )

    return Command("Rename sheet", apply)


def set_drawing(key: str, drawing: Drawing) -> Command:
    """Say how a sheet is drawn where its opacity is not 1."""
    return Command(
        "How it is drawn", lambda kit: kit.with_sheet(replace(kit.sheet(key), drawing=drawing)), f"drawing {key}"
    )


def set_shaded(key: str, shaded: Shaded) -> Command:
    """Say what light does on a sheet. Raises UserError for a plane that it does not have."""

    def apply(kit: Kit) -> Kit:
        sheet = replace(kit.sheet(key), shaded=shaded)
        check_shaded(kit, sheet)
        return kit.with_sheet(sheet)

    return Command("How it is lit", apply, f"shaded {key}")


def set_conditions(
    key: str, conditions: Conditions, packing: Packing | None = None, order: Sequence[str] = ()
) -> Command:
    """Say what the runtime does to the maps of a sheet, and perhaps how its weights are packed, with regions by key in
    an order. Raises UserError for formats and presets that are not there, and for keys of other regions.
    """

    def apply(kit: Kit) -> Kit:
        check_conditions(conditions)
        own = replace(kit.sheet(key), conditions=conditions)
        if packing is not None:
            own = replace(own, packing=packing)
        changed = kit.with_sheet(own)
        return set_channels(key, order).apply(changed) if order else changed

    return Command("Change conditions", apply, f"conditions {key}")


def remove_sheet(key: str) -> Command:
    """Remove a sheet with its regions, and the meshes that lie on it alone; the last sheet stays."""

    def apply(kit: Kit) -> Kit:
        left = tuple(sheet for sheet in kit.sheets if sheet.key != key)
        if not left:
            raise UserError("A kit needs at least one sheet.")
        gone = kit.sheet(key)
        keys = [
            part.key for parts in (gone.sources, gone.regions, gone.bakes, gone.tones, gone.twins) for part in parts
        ]
        meshes = [_moved_off(mesh, key, left[0].key) for mesh in kit.meshes]
        for region in gone.regions:
            meshes = [mesh and replace(mesh, faces=without_region(mesh.faces, region.key)) for mesh in meshes]
        for twin in gone.twins:
            meshes = [mesh and replace(mesh, twins=without_region(mesh.twins, twin.key)) for mesh in meshes]
        keys += [old.key for old, mesh in zip(kit.meshes, meshes, strict=True) if mesh is None]
        left_over = replace(kit, sheets=left, meshes=tuple(mesh for mesh in meshes if mesh))
        return retire(fitting_scenes(left_over), key, *keys)

    return Command("Remove sheet", apply)


def _moved_off(mesh: MeshFile, sheet: str, other: str) -> MeshFile | None:
    """A mesh without what lies on a sheet that goes; None if nothing of it lies elsewhere."""
    slots = {name: key for name, key in mesh.slots.items() if key != sheet}
    mesh = replace(mesh, tiles={tile: key for tile, key in mesh.tiles.items() if key != sheet})
    if mesh.sheet != sheet:
        return replace(mesh, slots=slots)
    if mesh.reference:
        return replace(mesh, sheet=other, slots=slots)
    left = (*slots.values(), *mesh.tiles.values())
    return replace(mesh, sheet=left[0], slots=slots) if left else None


__all__ = ["add_sheet", "remove_sheet", "rename_sheet", "set_conditions", "set_drawing", "set_shaded"]
