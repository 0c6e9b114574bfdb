"""Commands for meshes, their slots, the faces given to regions, boxes and bakes."""

from collections.abc import Callable, Iterable, Mapping

from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit.commands._command import Command
from even_palette.core.kit.commands.maps import without_plane
from even_palette.core.kit.keyed import change_one
from even_palette.core.kit.mesh_file import FaceRegions, MeshFile
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import new_key, retire
from even_palette.core.kit.scene_references import fitting_scenes
from even_palette.core.kit.sheet import Bake, Box, Region
from even_palette.core.kit.trees import with_region
from even_palette.core.limits import MOST_BAKES, MOST_BOXES, MOST_MESHES, MOST_PADDING, MOST_REGIONS
from even_palette.core.material.model import PlaneKind


def add_mesh(file: MeshFile) -> Command:
    """Take a mesh into the kit.

    One of the same path is read anew and keeps what was given to it: its sheets, slots, unit, faces and roots.
    """

    def apply(kit: Kit) -> Kit:
        same = next((mesh for mesh in kit.meshes if mesh.path == file.path), None)
        if same is not None:
            renewed = replace(same, size=file.size, sha256=file.sha256)
            return replace(kit, meshes=change_one(kit.meshes, lambda mesh: mesh is same, lambda _: renewed))
        if len(kit.meshes) >= MOST_MESHES:
            raise UserError(f"A kit holds at most {MOST_MESHES} meshes.")
        made = replace(file, key=new_key(kit, file.key))
        return replace(kit, meshes=(*kit.meshes, made))

    return Command("Open mesh", apply)


def remove_mesh(key: str) -> Command:
    """Take a mesh out of the kit, and its instances out of scenes; its file stays."""

    def apply(kit: Kit) -> Kit:
        left = replace(kit, meshes=tuple(mesh for mesh in kit.meshes if mesh.key != key))
        return retire(fitting_scenes(left), key)

    return Command("Remove mesh", apply)


def change_mesh(key: str, label: str, change: Callable[[MeshFile], MeshFile]) -> Command:
    """Change one mesh: its unit, axis, UV set, unwrapping, or what it is for."""
    return Command(label, lambda kit: replace(kit, meshes=change_one(kit.meshes, lambda mesh: mesh.key == key, change)))


def put_slot(key: str, slot: str, sheet: str) -> Command:
    """Lay a material slot of a mesh on a sheet."""
    return change_mesh(key, "Lay slot on sheet", lambda mesh: replace(mesh, slots={**mesh.slots, slot: sheet}))


def merge_slots(key: str, sheet: str) -> Command:
    """Lay all material slots of a mesh on one sheet."""
    return change_mesh(key, "Merge slots to one sheet", lambda mesh: replace(mesh, sheet=sheet, slots={}))


def set_faces(
    label: str, faces: Mapping[str, FaceRegions], sheet: str = "", regions: tuple[Region, ...] = ()
) -> Command:
    """Give faces of meshes, by mesh key, to regions; `regions` are new ones that are added to a sheet."""

    def apply(kit: Kit) -> Kit:
        _check_there(kit, faces)
        meshes = tuple(replace(mesh, faces=faces.get(mesh.key, mesh.faces)) for mesh in kit.meshes)
        kit = replace(kit, meshes=meshes)
        if not regions:
            return kit
        old = kit.sheet(sheet)
        if len(old.regions) + len(regions) > MOST_REGIONS:
            raise UserError(f"A sheet holds at most {MOST_REGIONS} regions.")
        return kit.with_sheet(replace(old, regions=(*old.regions, *regions)))

    return Command(label, apply)


def put_regions(sheet: str, regions: tuple[Region, ...]) -> Command:
    """Add regions, ready made, to a sheet."""
    return set_faces("Add region" if len(regions) == 1 else f"Add {len(regions)} regions", {}, sheet, regions)


def set_moved(label: str, moved: Mapping[str, FaceRegions]) -> Command:
    """Say which faces of meshes, by mesh key, lie elsewhere on their sheet than in the file (see `move_name`)."""

    def apply(kit: Kit) -> Kit:
        _check_there(kit, moved)
        return replace(kit, meshes=tuple(replace(m, moved=moved.get(m.key, m.moved)) for m in kit.meshes))

    return Command(label, apply)


def set_roots(roots: Mapping[str, bytes]) -> Command:
    """Choose the faces, by mesh key, at which *along* starts."""

    def apply(kit: Kit) -> Kit:
        _check_there(kit, roots)
        return replace(kit, meshes=tuple(replace(m, roots=roots.get(m.key, m.roots)) for m in kit.meshes))

    return Command("Choose root faces", apply)


def _check_there(kit: Kit, keys: Iterable[str]) -> None:
    gone = set(keys) - {mesh.key for mesh in kit.meshes}
    if gone:
        raise UserError(f"There is no mesh “{min(gone)[:40]}” in the kit.")


def set_keyed(key: str, keyed: bool) -> Command:
    """Say whether a region takes in what is keyed in the ID map."""
    return Command(
        "Key the ID map" if keyed else "Leave out the ID map",
        lambda kit: with_region(kit, key, lambda region: replace(region, keyed=keyed)),
    )


def add_box(key: str, box: Box) -> Command:
    """Give a rectangle of the sheet to a region. Raises UserError if it lies off the sheet or is empty."""

    def apply(kit: Kit) -> Kit:
        inside = Box(*(min(max(value, 0.0), 1.0) for value in (box.left, box.top, box.right, box.bottom)))
        if inside.right <= inside.left or inside.bottom <= inside.top:
            raise UserError("The box holds no part of the sheet; draw it larger.")
        if len(kit.region(key).boxes) >= MOST_BOXES:
            raise UserError(f"A region holds at most {MOST_BOXES} boxes.")
        return with_region(kit, key, lambda region: replace(region, boxes=(*region.boxes, inside)))

    return Command("Add box", apply)


def clear_boxes(key: str) -> Command:
    """Take all boxes of a region away."""
    return Command("Remove boxes", lambda kit: with_region(kit, key, lambda region: replace(region, boxes=())))


def set_padding(sheet: str, texels: int) -> Command:
    """How far regions of mesh elements reach beyond their islands on a sheet."""
    return Command("Change padding", lambda kit: kit.with_sheet(replace(kit.sheet(sheet), padding=texels)), "padding")


def set_pad_maps(sheet: str, on: bool, texels: int = 0) -> Command:
    """Whether maps of a sheet are padded as its regions are; the padding has so many texels at the least then."""

    def apply(kit: Kit) -> Kit:
        found = kit.sheet(sheet)
        return kit.with_sheet(replace(found, pad_maps=on, padding=max(found.padding, min(texels, MOST_PADDING))))

    return Command("Pad maps" if on else "Do not pad maps", apply)


def add_bake(sheet: str, bake: Bake) -> Command:
    """Add a bake to a sheet."""

    def apply(kit: Kit) -> Kit:
        if len(kit.sheet(sheet).bakes) >= MOST_BAKES:
            raise UserError(f"A sheet holds at most {MOST_BAKES} bakes.")
        made = replace(bake, key=new_key(kit, bake.key))
        return kit.with_sheet(replace(kit.sheet(sheet), bakes=(*kit.sheet(sheet).bakes, made)))

    return Command("Add bake", apply)


def remove_bake(sheet: str, key: str) -> Command:
    """Take a bake off a sheet."""

    def apply(kit: Kit) -> Kit:
        left = tuple(bake for bake in kit.sheet(sheet).bakes if bake.key != key)
        id_bake = kit.sheet(sheet).id_bake if kit.sheet(sheet).id_bake != key else ""
        kit = kit.with_sheet(replace(kit.sheet(sheet), bakes=left, id_bake=id_bake))
        return retire(without_plane(kit, sheet, PlaneKind.BAKE, key), key)

    return Command("Remove bake", apply)


def set_bake(sheet: str, bake: Bake) -> Command:
    """Replace the bake of this key."""

    def apply(kit: Kit) -> Kit:
        changed = change_one(kit.sheet(sheet).bakes, lambda other: other.key == bake.key, lambda _: bake)
        return kit.with_sheet(replace(kit.sheet(sheet), bakes=changed))

    return Command("Change bake", apply, f"bake {bake.key}")


def set_id_bake(sheet: str, key: str) -> Command:
    """Let a bake serve as the ID map of a sheet, where there is no file; "" for none."""
    return Command("Take IDs from bake", lambda kit: kit.with_sheet(replace(kit.sheet(sheet), id_bake=key)))


__all__ = [
    "add_bake", "add_box", "add_mesh", "change_mesh", "clear_boxes", "merge_slots", "put_regions", "put_slot",
    "remove_bake", "remove_mesh", "set_bake",
    "set_faces", "set_id_bake",
    "set_keyed", "set_moved", "set_pad_maps", "set_padding", "set_roots",
]  # fmt: skip
