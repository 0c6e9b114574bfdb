"""IDs from another mesh in the same place: by the closest hit along the normal, else by distance, within a limit."""

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken
from even_palette.core.mesh.bakes._declare import BakeKind, Ground, Reads, Tracer
from even_palette.core.mesh.bakes.occlusion import corners, unit
from even_palette.core.settings import Settings, SettingSpec


def tracer(ground: Ground, settings: Settings) -> Tracer:
    """Gives the ID colour that the other mesh has at points with normals, (n, 3), encoded 0..1."""
    from even_palette.core.mesh.rays import build_scene
    from even_palette.core.mesh.surface import NearestFace

    if ground.other is None or ground.other_colours is None:
        raise UserError("There is no other mesh to take IDs from; open one in Source and call it a reference.")
    scene, limit = build_scene(ground.other), float(settings["limit"]) * ground.diagonal
    nearest = NearestFace(ground.other, limit)
    colours = float32(ground.other_colours) / 255

    def trace(values: Floats, numbers: Samples, cancel: CancelToken | None) -> Floats:
        if cancel:
            cancel.check()
        points, normals = values[:, :3], float32(unit(values[:, 3:6]))
        # From beyond the limit on one side to beyond it on the other; the hit closest to the point counts.
        above, up = scene.first_hit(points + normals * np.float32(limit), -normals, limit)
        below, down = scene.first_hit(points - normals * np.float32(limit), normals, limit)
        up, down = np.float32(limit) - up, np.float32(limit) - down
        face = np.where((above >= 0) & ((below < 0) | (up <= down)), above, below)
        lost = np.flatnonzero(face < 0)
        if len(lost):
            face[lost] = nearest.find(points[lost])[0]
        found = np.zeros((len(points), 3), dtype=np.float32)
        found[face >= 0] = colours[face[face >= 0]]
        return found

    return trace


BAKE = BakeKind(
    "transfer", "IDs from another mesh", "Slots or vertex colours of a reference mesh in the same place.", 12, 3, 8,
    corners, tracer, index_like=True, counts_lost=True, reads=frozenset({Reads.OTHER}),
    values=(
        SettingSpec("by", "By", "slots", "What tells the parts of the other mesh apart.",
                  choices=(("slots", "Material slots"), ("colours", "Vertex colours"))),
        SettingSpec("limit", "Limit", 0.02, "The farthest that the other mesh may be, as a share of the diagonal.",
                  0.001, 0.5),
    ),
)  # fmt: skip
