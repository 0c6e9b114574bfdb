"""Dividing the mesh on a sheet into regions: assigning chosen faces, a region for each element, scatter split."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace

from even_palette.core.arrays import Bools, Samples
from even_palette.core.colour.hexcode import Rgb8, parse_hex
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.assignment import pack_chosen, pack_faces, unpack_faces
from even_palette.core.kit.commands import Command
from even_palette.core.kit.mesh_file import FARTHEST_MOVE, MOVE_STEP, FaceRegions, move_name
from even_palette.core.kit.model import Focus, Kit
from even_palette.core.kit.names import Names, identifier, keys_of
from even_palette.core.kit.sheet import Bake, Region
from even_palette.core.limits import MOST_REGIONS
from even_palette.core.mesh.kinds import ElementKind
from even_palette.core.regions.fresh_colours import fresh_id_colours
from even_palette.core.results.sheet_mesh import (
    SheetMesh,
    elements_of,
    mesh_of_file,
    mesh_on_sheet,
    moves_of,
    reference_colours,
    regions_of_faces,
    twins_of_faces,
)
from even_palette.core.results.store import Store

TOUCH_SHARE = 0.01
"""Shells touch that come within this share of the mesh's diagonal."""


def assign(at: Focus, store: Store, chosen: Bools, region: str) -> Command:
    """Give the chosen faces (F,) of the sheet to a region, or to none with ""."""
    name = at.kit.region(region).name if region else "no region"
    return commands.set_faces(f"Give faces to {name}", _relabelled(at, store, {region: chosen}))


def unassigned(at: Focus, store: Store) -> Bools:
    """The faces (F,) of the sheet that no region has."""
    return np.asarray(regions_of_faces(at, store) < 0)


def rest_region(at: Focus, store: Store) -> Command:
    """Make a region of all faces that no region has. Raises UserError if there are none, or no room for it."""
    left = unassigned(at, store)
    if not left.any():
        raise UserError("Every face of this sheet has a region already.")
    if len(at.sheet.regions) >= MOST_REGIONS:
        raise UserError(f"A sheet holds at most {MOST_REGIONS} regions.")
    (colour,) = fresh_id_colours(1, [region.id_colour for region in at.sheet.regions])
    made = new_regions(at, ["Rest"], [colour])
    return commands.set_faces("A region for the rest", _relabelled(at, store, {made[0].key: left}), at.key, made)


def give_to_twin(at: Focus, store: Store, chosen: Bools, twin: str) -> Command:
    """Let the chosen faces (F,) of the sheet look as one of its twins does, or with "" as the sheet itself."""
    found = mesh_on_sheet(at, store)
    assert found is not None
    number = [each.key for each in at.sheet.twins].index(twin) if twin else -1
    labels = np.where(chosen, number, twins_of_faces(at, store))
    changed, first = {}, 0
    for key, count, faces in found.origins:
        stored = at.kit.mesh(key).twins
        names = tuple(dict.fromkeys((*stored.regions, *(each.key for each in at.sheet.twins))))
        whole = unpack_faces(stored, count)
        place = np.array([*(names.index(each.key) for each in at.sheet.twins), -1], dtype=np.int32)
        whole[faces] = place[labels[first : first + len(faces)]]
        changed[key] = pack_faces(whole, names)
        first += len(faces)
    name = at.kit.twin(twin)[1].name if twin else at.sheet.name
    return commands.set_twin_faces(f"Give faces to {name}", changed)


def give_to_new_twin(at: Focus, store: Store, chosen: Bools) -> Command:
    """Let the chosen faces (F,) of the sheet look as a new twin of it does. Raises UserError where there is no room."""
    add = commands.add_twin(at.key, f"{at.sheet.name} twin")
    made = add.apply(at.kit).at(at.key)
    give = give_to_twin(made, store, chosen, made.sheet.twins[-1].key)
    return Command("Give faces to a new twin", lambda kit: give.apply(add.apply(kit)))


def move_on_sheet(at: Focus, store: Store, chosen: Bools, across: int, down: int) -> Command:
    """Move the chosen faces (F,) of the sheet by so many steps to the right and down (see MOVE_STEP).

    Raises UserError where that goes too far.
    """
    return _with_moves(
        at, store, "Move on the sheet", chosen, lambda moves: moves + np.array((across, down), dtype=np.int32)
    )


def move_back(at: Focus, store: Store, chosen: Bools) -> Command:
    """Put the chosen faces (F,) of the sheet where they lie in their file."""
    return _with_moves(at, store, "Move back on the sheet", chosen, np.zeros_like)


def _with_moves(at: Focus, store: Store, label: str, chosen: Bools, change: Callable[[Samples], Samples]) -> Command:
    found = mesh_on_sheet(at, store)
    assert found is not None
    changed, first = {}, 0
    for key, count, faces in found.origins:
        moves, own = moves_of(at.kit.mesh(key), count), faces[chosen[first : first + len(faces)]]
        moves[own] = change(moves[own])
        first += len(faces)
        if np.abs(moves).max(initial=0) > FARTHEST_MOVE:
            raise UserError(f"Faces are moved by at most {FARTHEST_MOVE * MOVE_STEP:g} sheets.")
        there, labels = np.unique(moves, axis=0, return_inverse=True)
        names = tuple(move_name(int(right), int(below)) for right, below in there)
        labels = labels.reshape(-1).astype(np.int32)
        labels[(moves == 0).all(axis=1)] = -1
        changed[key] = pack_faces(labels, names) if moves.any() else FaceRegions()
    return commands.set_moved(label, changed)


def divide(at: Focus, store: Store, kind: ElementKind) -> Command:
    """Make a region of each element of a kind and give it its faces. Raises UserError if there are too many."""
    found = elements_of(at, store, kind)
    room = MOST_REGIONS - len(at.sheet.regions)
    if found.count > room:
        raise UserError(
            f"There are {found.count} of them and room for {room} more regions on this sheet; "
            "select some and assign them, or use scatter split."
        )
    colours = fresh_id_colours(found.count, [region.id_colour for region in at.sheet.regions])
    if kind == ElementKind.COLOUR and found.names[0].startswith("#"):
        taken = {region.id_colour for region in at.sheet.regions}
        own = [parse_hex(name) for name in found.names]
        colours = [mine if mine not in taken else fresh for mine, fresh in zip(own, colours, strict=True)]
    made = new_regions(at, [found.name(number) for number in range(found.count)], colours)
    parts = {region.key: found.labels == number for number, region in enumerate(made)}
    return commands.set_faces(f"A region per {kind}", _relabelled(at, store, parts), at.key, made)


def new_regions(at: Focus, wanted: list[str], colours: list[Rgb8]) -> tuple[Region, ...]:
    """Regions of these names, made unique, that are not keyed from the ID map."""
    names, keys = Names(region.name for region in at.sheet.regions), Names(keys_of(at.kit), "_")
    made = []
    for want, colour in zip(wanted, colours, strict=True):
        name = names.give(" ".join(want.split())[:60] or "Region")
        made.append(Region(keys.give(identifier(name)), name, colour, keyed=False))
    return tuple(made)


@dataclass(frozen=True)
class Split:
    """A scatter split as a command, how many shells each region gets, and how many touching pairs are of one region."""

    command: Command
    counts: tuple[int, ...]
    shares: tuple[float, ...]
    conflicts: int


def scatter_split(
    at: Focus,
    store: Store,
    chosen: Bools,
    shares: dict[str, float],
    seed: int,
    by_area: bool = False,
    keep_apart: bool = False,
) -> Split:
    """Give the shells that hold chosen faces (F,) to regions, by key, at random in these shares.

    Raises UserError if there is nothing to divide.
    """
    from even_palette.core.mesh.scatter import scatter

    wanted = {key: share for key, share in shares.items() if share > 0}
    if not wanted:
        raise UserError("Give at least one region a share above 0.")
    shells = elements_of(at, store, ElementKind.SHELL)
    numbers = np.unique(shells.labels[chosen])
    if not len(numbers):
        raise UserError("Select the shells to be scattered first.")
    pairs = _pairs_among(at, store, numbers) if keep_apart else None
    sizes = shells.area_shares[numbers]
    found = scatter(sizes, list(wanted.values()), seed, by_area, pairs)
    part_of = np.full(shells.count, -1, dtype=np.int64)
    part_of[numbers] = found.parts
    parts = {key: part_of[shells.labels] == number for number, key in enumerate(wanted)}
    total = float(sizes.sum()) or 1.0
    return Split(
        commands.set_faces(f"Scatter split, seed {seed}", _relabelled(at, store, parts)),
        tuple(int((found.parts == number).sum()) for number in range(len(wanted))),
        tuple(float(sizes[found.parts == number].sum()) / total for number in range(len(wanted))),
        found.conflicts,
    )


def take_ids(at: Focus, store: Store, by: str, limit: float) -> Command:
    """Let the parts of the reference mesh, `by` slots or colours, be the ID map of the sheet.

    A region is made of each part that has none yet. `limit` is a share of the diagonal. Raises UserError without a
    reference, or if there are too many parts.
    """
    reference = next((file for file in at.kit.meshes if file.reference), None)
    if reference is None:
        raise UserError("There is no other mesh to take IDs from; open one in Source and call it a reference.")
    _, named = reference_colours(mesh_of_file(reference, store), by)
    if len(named) > MOST_REGIONS:
        raise UserError(f"The other mesh has {len(named)} parts; the limit is {MOST_REGIONS} regions on one sheet.")

    def apply(before: Kit) -> Kit:
        sheet = before.sheet(at.key)
        old = next((bake for bake in sheet.bakes if bake.kind == "transfer"), None)
        values: dict[str, float | str] = {"by": by, "limit": limit}
        if old is None:
            bake = Bake("transfer", "transfer", 1024, sheet.padding, 1, values)
            after = commands.add_bake(at.key, bake).apply(before)
            key = after.sheet(at.key).bakes[-1].key
        else:
            after, key = commands.set_bake(at.key, replace(old, values=values)).apply(before), old.key
        taken = {region.id_colour for region in sheet.regions}
        fresh = [(name, colour) for name, colour in named if colour not in taken]
        made = new_regions(before.at(at.key), [name for name, _ in fresh], [colour for _, colour in fresh])
        keyed = tuple(replace(region, keyed=True, inner=4.0, outer=4.0) for region in made)
        return commands.put_regions(at.key, keyed).apply(commands.set_id_bake(at.key, key).apply(after))

    return Command("Take IDs from another mesh", apply)


def choose_roots(at: Focus, store: Store, chosen: Bools) -> Command:
    """Make the chosen faces (F,) of the sheet those at which *along* starts."""
    found = _mesh_of(at, store)
    roots = {}
    for (key, count, faces), part in _parts(found, chosen):
        whole = np.zeros(count, dtype=bool)
        whole[faces] = part
        roots[key] = pack_chosen(whole)
    return commands.set_roots(roots)


def _pairs_among(at: Focus, store: Store, numbers: Samples) -> Samples:
    """Pairs of touching shells, as places in `numbers`."""
    from even_palette.core.mesh.surface import touching

    found, shells = _mesh_of(at, store), elements_of(at, store, ElementKind.SHELL)
    within = TOUCH_SHARE * float(np.linalg.norm(np.ptp(found.mesh.points, axis=0)))
    pairs: Samples = store.cache.get(
        ("touching", found.content_id), lambda: touching(found.mesh, shells.labels, within)
    )
    place = np.full(shells.count, -1, dtype=np.int64)
    place[numbers] = np.arange(len(numbers))
    inside = place[pairs]
    return inside[(inside >= 0).all(axis=1)]


def _mesh_of(at: Focus, store: Store) -> SheetMesh:
    found = mesh_on_sheet(at, store)
    if found is None:
        raise UserError("There is no mesh with UVs on this sheet; open one in Source.")
    return found


def _parts(found: SheetMesh, values: Samples) -> list[tuple[tuple[str, int, Samples], Samples]]:
    """What belongs to the faces of each mesh file."""
    ends = np.cumsum([len(faces) for _, _, faces in found.origins])
    return list(zip(found.origins, np.split(values, ends[:-1]), strict=True))


def _relabelled(at: Focus, store: Store, parts: dict[str, Bools]) -> dict[str, FaceRegions]:
    """The stored faces of each mesh on the sheet with those of each part (F,) given to the region of its key."""
    found = _mesh_of(at, store)
    changed = {}
    for number, (key, count, faces) in enumerate(found.origins):
        stored = at.kit.mesh(key).faces
        names = [*stored.regions, *(name for name in parts if name and name not in stored.regions)]
        labels = unpack_faces(stored, count)
        for name, chosen in parts.items():
            own = _parts(found, chosen)[number][1]
            labels[faces[own]] = names.index(name) if name else -1
        changed[key] = pack_faces(labels, tuple(names))
    return changed
