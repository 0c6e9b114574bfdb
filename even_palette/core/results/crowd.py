"""Crowds: all instances of one mesh in a scene, with the looks of its sheets, and a row of values for each."""

import hashlib
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.errors import UserError
from even_palette.core.graph import slots
from even_palette.core.graph.binding import Rows
from even_palette.core.graph.slots import Slot
from even_palette.core.graph.types import CHANNELS, Type
from even_palette.core.kit.instances import Instance, instances_of
from even_palette.core.kit.model import Focus, Kit
from even_palette.core.kit.scene import Scene
from even_palette.core.material.build import linear_setting
from even_palette.core.material.drawn import Drawing
from even_palette.core.material.model import ValueKind
from even_palette.core.mesh.model import Mesh
from even_palette.core.raster.guess import Role
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.looks._live import live_material
from even_palette.core.results.maps import given_plane
from even_palette.core.results.pictures import Picture
from even_palette.core.results.sheet_mesh import mesh_on_sheet, twins_of_faces
from even_palette.core.results.store import Store

RELIEF = (Role.NORMAL, Role.ROUGHNESS, Role.METALNESS, Role.OCCLUSION)
Pick = tuple[str, int]
"""An instance: the key of its placing, and its number there."""


@dataclass(frozen=True, eq=False)
class CrowdPart:
    """What of a mesh looks as one sheet, or one twin, does.

    `rows` say where the parameters of the picture stand in the `table`, (N, columns, 4) float32, a row an instance.
    """

    mesh: Mesh
    picture: Picture
    relief: tuple[Slot | None, ...]
    drawing: Drawing
    rows: Rows
    table: Floats


@dataclass(frozen=True, eq=False)
class Crowd:
    """All instances of a mesh, by its key. They stand at x, y, z in metres, with a scale and a turn in radians, (N, 5).

    `box` is the least and the largest corner of the mesh, (2, 3).
    """

    mesh: str
    parts: tuple[CrowdPart, ...]
    stands: Floats
    picks: tuple[Pick, ...]
    box: Floats

    def corners(self) -> Floats:
        """The corners of the boxes of all instances, (N, 8, 3)."""
        low, high = self.box
        box = np.array([[(low, high)[i >> axis & 1][axis] for axis in range(3)] for i in range(8)], dtype=np.float32)
        x, y, z, scale, turn = (self.stands[:, None, column] for column in range(5))
        cosine, sine = np.cos(turn), np.sin(turn)
        across = (cosine * box[:, 0] + sine * box[:, 2]) * scale + x
        ahead = (cosine * box[:, 2] - sine * box[:, 0]) * scale + z
        return float32(np.stack([across, box[:, 1] * scale + y, ahead], axis=-1))


def crowds_of(kit: Kit, store: Store, scene: Scene, time: float = 0.0) -> list[Crowd]:
    """The crowds of a scene at a time in seconds, mesh by mesh. Raises NotReady, or UserError if a file is not read."""
    by_mesh: dict[str, list[Instance]] = {}
    for instance in instances_of(scene):
        by_mesh.setdefault(instance.mesh, []).append(instance)
    found = (_crowd(kit, store, mesh, instances, time) for mesh, instances in sorted(by_mesh.items()))
    return [crowd for crowd in found if crowd.parts]


def _crowd(kit: Kit, store: Store, key: str, instances: Sequence[Instance], time: float) -> Crowd:
    pieces = [piece for sheet in dict.fromkeys(kit.mesh(key).sheets) for piece in _pieces(kit.at(sheet), store, key)]
    parts = tuple(_part(kit.at(at.key, twin), store, mesh, instances, time) for at, twin, mesh in pieces)
    stands = [(*each.place, each.scale, math.radians(each.turn)) for each in instances]
    points = [mesh.seen_points for _, _, mesh in pieces]
    whole = np.concatenate(points) if points else np.zeros((1, 3), np.float32)
    return Crowd(
        key,
        parts,
        float32(np.array(stands)).reshape(-1, 5),
        tuple((each.placing, each.number) for each in instances),
        np.stack([whole.min(axis=0), whole.max(axis=0)]),
    )


def _pieces(at: Focus, store: Store, key: str) -> list[tuple[Focus, str, Mesh]]:
    """What of one mesh lies on a sheet, in parts: as the sheet looks, then as each of its twins does."""
    found = mesh_on_sheet(at, store)
    if found is None:
        return []
    own = np.concatenate([np.full(len(faces), name == key) for name, _, faces in found.origins])
    labels = twins_of_faces(at, store)
    pieces = []
    for number, twin in enumerate(["", *(each.key for each in at.sheet.twins)], -1):
        chosen = own & (labels == number)
        if chosen.any():
            digest = hashlib.sha256(found.content_id.encode() + np.packbits(chosen).tobytes()).hexdigest()
            mesh = store.cache.get(("crowd mesh", digest), lambda c=chosen: found.mesh.part(c))  # type: ignore[misc]
            pieces.append((at, twin, mesh))
    return pieces


def _part(at: Focus, store: Store, mesh: Mesh, instances: Sequence[Instance], time: float) -> CrowdPart:
    live = live_material(at, store)
    kinds = {p.key: Type.VEC3 if p.kind == ValueKind.COLOUR else Type.FLOAT for p in live.material.parameters}
    rows = Rows.of(kinds)
    relief = tuple(_map(at, role, store) for role in RELIEF)
    inputs = partial(live.inputs, time=time)
    table = _table(at, inputs, rows, kinds, instances)
    return CrowdPart(mesh, picture(at, store, Look()), relief, at.sheet.drawing, rows, table)


def _table(at: Focus, inputs, rows: Rows, kinds: Mapping[str, Type], instances: Sequence[Instance]) -> Floats:  # type: ignore[no-untyped-def]
    """A row an instance: the values of its variant, its own ones over those, and its seed."""
    variants = list(dict.fromkeys(each.variant for each in instances))
    of_variant = rows.packed([(inputs(at, variant), 0.0) for variant in variants])
    place = {variant: number for number, variant in enumerate(variants)}
    table = of_variant[[place[each.variant] for each in instances]]

    column, channel = rows.places["seed"]
    table[:, column, CHANNELS.index(channel)] = [each.seed for each in instances]
    for number, each in enumerate(instances):
        for key, setting in each.values.items():
            if key in kinds:
                column, channels = rows.places[key]
                first = CHANNELS.index(channels[0])
                table[number, column, first : first + len(channels)] = linear_setting(setting)
    return table


def _map(at: Focus, role: Role, store: Store) -> Slot | None:
    try:
        plane = given_plane(at, role, store)
    except UserError:
        return None
    return slots.of(plane) if plane else None
