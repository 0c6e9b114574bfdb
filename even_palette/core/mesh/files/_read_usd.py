"""Meshes by the library of Universal Scene Description: runs in the process that `_apart` starts."""

from pathlib import Path
from typing import Any

import numpy as np

from even_palette.core.arrays import Floats, Levels, Samples, float32
from even_palette.core.errors import UserError
from even_palette.core.mesh.files._apart import Found, fans
from even_palette.core.mesh.files._declare import MeshLimits
from even_palette.core.raster.plane import to_levels8

MOST_PRIMS = 1_000_000
MOST_SETS = 8
HIDDEN = ("guide", "proxy")
UV_TYPES = ("texCoord2f[]", "float2[]", "texCoord2d[]", "double2[]", "texCoord2h[]", "half2[]")


class _Part:
    """A mesh in the world: triangles with what they have at corners."""

    def __init__(self, title: str) -> None:
        self.title = title
        self.positions: Samples = np.zeros((0, 3))
        self.corners: Samples = np.zeros((0, 3), np.int64)
        self.uv_sets: dict[str, Floats] = {}
        self.normals: Floats | None = None
        self.colours: Levels | None = None
        self.slots: list[str] = []


def read(path: Path, limits: MeshLimits) -> Found:
    """All meshes that are drawn, at the first moment, metres and y up. Raises UserError, and what the library does."""
    from pxr import Usd, UsdGeom

    stage = Usd.Stage.Open(str(path))
    if stage is None:
        raise UserError("it is no file of Universal Scene Description.")
    places = UsdGeom.XformCache(Usd.TimeCode.EarliestTime())
    scale = float(UsdGeom.GetStageMetersPerUnit(stage))
    upright = np.eye(4)
    if UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.z:
        upright = np.array([(1, 0, 0, 0), (0, 0, -1, 0), (0, 1, 0, 0), (0, 0, 0, 1)], np.float64)
    parts: list[_Part] = []
    faces = vertices = 0
    for number, prim in enumerate(stage.Traverse(Usd.TraverseInstanceProxies())):
        if number > MOST_PRIMS:
            raise UserError(f"it has more than {MOST_PRIMS:,} parts.")
        if not prim.IsA(UsdGeom.Mesh):
            continue
        mesh = UsdGeom.Mesh(prim)
        if mesh.ComputePurpose() in HIDDEN or mesh.ComputeVisibility() == UsdGeom.Tokens.invisible:
            continue
        counts = np.array(mesh.GetFaceVertexCountsAttr().Get() or [], np.int64)
        if counts.size and counts.min() < 0:
            raise UserError("it has faces of less than no corners.")
        faces += int(np.maximum(counts - 2, 0).sum())
        points = mesh.GetPointsAttr().Get(Usd.TimeCode.EarliestTime()) or []
        vertices += len(points)
        limits.check("it", "faces", faces)
        limits.check("it", "vertices", vertices)
        matrix = np.array(places.GetLocalToWorldTransform(prim)) @ upright
        part = _part(mesh, counts, np.array(points, np.float64).reshape(-1, 3), matrix, scale)
        if part is not None:
            parts.append(part)
    if not parts:
        raise UserError("there are no triangles in it.")
    return _together(parts)


def _part(mesh: Any, counts: Samples, points: Samples, matrix: Samples, scale: float) -> _Part | None:
    """A mesh under a matrix (rows are vectors, as the library has it), then scaled to metres."""
    from pxr import Usd, UsdGeom

    moment = Usd.TimeCode.EarliestTime()
    indices = np.array(mesh.GetFaceVertexIndicesAttr().Get(moment) or [], np.int64)
    if counts.sum() != len(indices):
        raise UserError("its faces have more or fewer corners than they say.")
    if indices.size and not 0 <= indices.min() <= indices.max() < len(points):
        raise UserError("a face points to a vertex that is not there.")
    at_corner, owner = fans(counts)
    if not len(owner):
        return None
    made = _Part(str(mesh.GetPrim().GetName()))
    turn = matrix[:3, :3]
    made.positions = (points @ turn + matrix[3, :3]) * scale
    made.corners = indices[at_corner]

    def spread(values: Samples, how: str, width: int) -> Samples | None:
        """What is given by an interpolation, at the corners of triangles (F, 3, width); None where it does not fit."""
        values = np.asarray(values, np.float64).reshape(-1, width)
        wanted = {"constant": 1, "uniform": len(counts), "vertex": len(points), "varying": len(points),
                  "faceVarying": len(indices)}.get(how, -1)  # fmt: skip
        if len(values) != wanted:
            return None
        if how == "constant":
            return np.broadcast_to(values, (*at_corner.shape, width))
        if how == "uniform":
            return np.repeat(values[owner][:, None], 3, axis=1)
        return values[at_corner] if how == "faceVarying" else values[made.corners]

    for primvar in UsdGeom.PrimvarsAPI(mesh).GetPrimvarsWithValues():
        name, kind = str(primvar.GetPrimvarName()), str(primvar.GetTypeName())
        if kind in UV_TYPES and len(made.uv_sets) < MOST_SETS:
            uv = spread(primvar.ComputeFlattened(moment), primvar.GetInterpolation(), 2)
            if uv is not None:
                made.uv_sets[name] = float32(np.stack([uv[..., 0], 1 - uv[..., 1]], axis=-1))
        if name == "displayColor" and primvar.ComputeFlattened(moment):
            shades = spread(primvar.ComputeFlattened(moment), primvar.GetInterpolation(), 3)
            if shades is not None and len(shades):
                made.colours = to_levels8(np.clip(np.nan_to_num(shades), 0, 1))
    normals = UsdGeom.PrimvarsAPI(mesh).GetPrimvar("normals")
    given, how = mesh.GetNormalsAttr().Get(moment), mesh.GetNormalsInterpolation()
    if normals and normals.HasValue():
        given, how = normals.ComputeFlattened(moment), normals.GetInterpolation()
    if given:
        found = spread(given, how, 3)
        cofactors = np.stack([np.cross(turn[1], turn[2]), np.cross(turn[2], turn[0]), np.cross(turn[0], turn[1])])
        made.normals = None if found is None else float32(found @ cofactors)
    turned = str(mesh.GetOrientationAttr().Get() or "") == "leftHanded"
    if (np.linalg.det(turn) < 0) != turned:
        made.corners = made.corners[:, ::-1]
        made.uv_sets = {name: uv[:, ::-1] for name, uv in made.uv_sets.items()}
        made.colours = None if made.colours is None else made.colours[:, ::-1]
        made.normals = None if made.normals is None else made.normals[:, ::-1]
    if np.linalg.det(turn) < 0 and made.normals is not None:
        made.normals = -made.normals
    names = _slots(mesh, len(counts))
    made.slots = [names[number] for number in owner.tolist()]
    return made


def _slots(mesh: Any, count: int) -> list[str]:
    """The name of the material of each polygon: that of the subset that has it, else of the mesh."""
    from pxr import UsdGeom, UsdShade

    whole, _ = UsdShade.MaterialBindingAPI(mesh.GetPrim()).ComputeBoundMaterial()
    names = [str(whole.GetPrim().GetName()) if whole else "Material"] * count
    for subset in UsdGeom.Subset.GetGeomSubsets(mesh, UsdGeom.Tokens.face, "materialBind"):
        bound, _ = UsdShade.MaterialBindingAPI(subset.GetPrim()).ComputeBoundMaterial()
        name = str((bound or subset).GetPrim().GetName())
        for number in subset.GetIndicesAttr().Get() or []:
            if 0 <= number < count:
                names[number] = name
    return names


def _together(parts: list[_Part]) -> Found:
    first = np.cumsum([0, *(len(part.positions) for part in parts)])
    slots = tuple(dict.fromkeys(name for part in parts for name in part.slots))
    objects = tuple(dict.fromkeys(part.title for part in parts))
    place = {name: number for number, name in enumerate(slots)}
    counts = [len(part.corners) for part in parts]
    shared = [name for name in parts[0].uv_sets if all(name in part.uv_sets for part in parts)]
    colours = None
    if any(part.colours is not None for part in parts):
        white = [
            np.full((n, 3, 3), 255, np.uint8) if p.colours is None else p.colours
            for n, p in zip(counts, parts, strict=True)
        ]
        colours = np.concatenate(white)
    normals = None
    if all(part.normals is not None for part in parts):
        normals = np.concatenate([part.normals for part in parts])
    missing = any(set(part.uv_sets) - set(shared) for part in parts)
    return Found(
        np.concatenate([part.positions for part in parts]),
        np.concatenate([part.corners + at for part, at in zip(parts, first[:-1], strict=True)]),
        tuple(np.concatenate([part.uv_sets[name] for part in parts]) for name in shared),
        normals,
        colours,
        slots,
        np.array([place[name] for part in parts for name in part.slots], np.int32),
        objects,
        np.repeat([objects.index(part.title) for part in parts], counts),
        ("Some of its parts have UV sets that others have not; those that all have are taken.",) if missing else (),
    )
