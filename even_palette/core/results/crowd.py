"""Crowds: all instances of one mesh in a scene, with the looks of its sheets, and a row of values for each."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from weakref import WeakKeyDictionary

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.errors import UserError
from even_palette.core.graph import slots
from even_palette.core.graph.binding import Rows
from even_palette.core.graph.slots import Slot
from even_palette.core.graph.types import CHANNELS, Type
from even_palette.core.kit.instances import Instance, Pick, instances_of, settings_at
from even_palette.core.kit.model import Focus, Kit
from even_palette.core.kit.scene import Scene
from even_palette.core.material.build import linear_setting
from even_palette.core.material.drawn import Drawing
from even_palette.core.material.model import Setting, ValueKind
from even_palette.core.material.shading import AS_SURFACE, Shaded
from even_palette.core.mesh.model import Mesh
from even_palette.core.raster.guess import Role
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.looks._live import live_material
from even_palette.core.results.maps import given_plane
from even_palette.core.results.pictures import Picture
from even_palette.core.results.sheet_mesh import parts_of
from even_palette.core.results.store import Store

RELIEF = (Role.NORMAL, Role.ROUGHNESS, Role.METALNESS, Role.OCCLUSION)


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
    shaded: Shaded = AS_SURFACE


@dataclass(frozen=True, eq=False)
class Standing:
    """The instances of a mesh in a scene, as arrays: the same object while nothing but values of variants changes.

    They stand at x, y, z in metres, with a scale and a turn in radians, (N, 5). `variants` are those that occur, and
    `which` (N,) says which each is in. `own` are those, by number, that have values or tracks of their own.
    """

    picks: tuple[Pick, ...]
    stands: Floats
    variants: tuple[str, ...]
    which: Samples
    seeds: Floats
    own: tuple[tuple[int, Instance], ...]
    _corners: dict[bytes, Floats] = field(default_factory=dict)

    @staticmethod
    def of(instances: Sequence[Instance]) -> "Standing":
        """These, in their order."""
        variants = tuple(dict.fromkeys(each.variant for each in instances))
        place = {variant: number for number, variant in enumerate(variants)}
        stands = [(*each.place, each.scale, math.radians(each.turn)) for each in instances]
        return Standing(
            tuple((each.placing, each.number) for each in instances),
            float32(np.array(stands)).reshape(-1, 5),
            variants,
            np.array([place[each.variant] for each in instances], dtype=np.int64),
            float32(np.array([each.seed for each in instances])),
            tuple((number, each) for number, each in enumerate(instances) if each.values or each.tracks),
        )

    def corners(self, box: Floats) -> Floats:
        """The corners of a box (2, 3), its least and largest one, where each stands: (N, 8, 3)."""
        key = box.tobytes()
        if key not in self._corners:
            self._corners.clear()
            self._corners[key] = _placed(box, self.stands)
        return self._corners[key]


@dataclass(frozen=True, eq=False)
class Crowd:
    """All instances of a mesh, by its key. `box` is the least and the largest corner of the mesh, (2, 3)."""

    mesh: str
    parts: tuple[CrowdPart, ...]
    standing: Standing
    box: Floats

    @property
    def picks(self) -> tuple[Pick, ...]:
        """Which instances they are."""
        return self.standing.picks

    @property
    def stands(self) -> Floats:
        """Where they stand, see `Standing`."""
        return self.standing.stands

    def corners(self) -> Floats:
        """The corners of the boxes of all instances, (N, 8, 3)."""
        return self.standing.corners(self.box)


def _placed(box: Floats, stands: Floats) -> Floats:
    low, high = box
    corners = np.array([[(low, high)[i >> axis & 1][axis] for axis in range(3)] for i in range(8)], dtype=np.float32)
    x, y, z, scale, turn = (stands[:, None, column] for column in range(5))
    cosine, sine = np.cos(turn), np.sin(turn)
    across = (cosine * corners[:, 0] + sine * corners[:, 2]) * scale + x
    ahead = (cosine * corners[:, 2] - sine * corners[:, 0]) * scale + z
    return float32(np.stack([across, corners[:, 1] * scale + y, ahead], axis=-1))


def crowds_of(kit: Kit, store: Store, scene: Scene, time: float = 0.0) -> list[Crowd]:
    """The crowds of a scene at a time in seconds, mesh by mesh. Raises NotReady, or UserError if a file is not read."""
    found = (_crowd(kit, store, mesh, standing, time) for mesh, standing in _standing(store, scene).items())
    return [crowd for crowd in found if crowd.parts]


def _standing(store: Store, scene: Scene) -> dict[str, Standing]:
    """The instances of a scene by mesh; for the thread that only looks once for each scene that it sees."""

    def build() -> dict[str, Standing]:
        by_mesh: dict[str, list[Instance]] = {}
        for instance in instances_of(scene):
            by_mesh.setdefault(instance.mesh, []).append(instance)
        return {mesh: Standing.of(instances) for mesh, instances in sorted(by_mesh.items())}

    return store.remembered("standing", (scene,), build)


def _crowd(kit: Kit, store: Store, key: str, standing: Standing, time: float) -> Crowd:
    pieces = [
        (kit.at(sheet, twin), mesh)
        for sheet in dict.fromkeys(kit.mesh(key).sheets)
        for twin, mesh in parts_of(kit.at(sheet), store, key).items()
    ]
    parts = tuple(_part(at, store, mesh, standing, time) for at, mesh in pieces)
    corners = np.stack([_box(mesh) for _, mesh in pieces]) if pieces else np.zeros((1, 2, 3))
    return Crowd(key, parts, standing, float32(np.stack([corners[:, 0].min(axis=0), corners[:, 1].max(axis=0)])))


_boxes: WeakKeyDictionary[Mesh, Floats] = WeakKeyDictionary()


def _box(mesh: Mesh) -> Floats:
    """The least and the largest corner of a mesh, (2, 3), looked for once."""
    if mesh not in _boxes:
        points = mesh.seen_points
        _boxes[mesh] = np.stack([points.min(axis=0), points.max(axis=0)])
    return _boxes[mesh]


def _part(at: Focus, store: Store, mesh: Mesh, standing: Standing, time: float) -> CrowdPart:
    live = live_material(at, store)
    kinds = {p.key: Type.VEC3 if p.kind == ValueKind.COLOUR else Type.FLOAT for p in live.material.parameters}
    rows = Rows.of(kinds)
    relief = tuple(_map(at, role, store) for role in RELIEF)
    given = [live.inputs(at, variant, time) for variant in standing.variants]
    own = [(number, settings_at(instance, at.kit.parameters_by_key, time)) for number, instance in standing.own]
    table = _table(given, rows, standing, own)
    return CrowdPart(mesh, picture(at, store, Look()), relief, at.sheet.drawing, rows, table, at.sheet.shaded)


def _table(
    given: Sequence[Mapping[str, float | tuple[float, ...]]],
    rows: Rows,
    standing: Standing,
    own: Sequence[tuple[int, Mapping[str, Setting]]],
) -> Floats:
    """A row an instance: what its variant gives, its own values over that, and its seed."""
    table = rows.packed([(values, 0.0) for values in given])[standing.which]
    column, channel = rows.places["seed"]
    table[:, column, CHANNELS.index(channel)] = standing.seeds
    for number, values in own:
        for key, setting in values.items():
            if key in rows.places:
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
