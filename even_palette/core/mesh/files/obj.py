"""Wavefront OBJ (the file format's appendix B1 of 1995): v, vt, vn, f, usemtl, g and o; colours behind positions.

The text is scanned by compiled code: a library reads a mesh of a million faces in Python objects, drops groups, and
knows no limits.
"""

from pathlib import Path

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.errors import UserError
from even_palette.core.mesh.files._declare import MeshFormat, MeshLimits
from even_palette.core.mesh.files._soup import check_corners, check_finite
from even_palette.core.mesh.model import Mesh, build_mesh
from even_palette.core.raster.plane import to_levels8

FAULTS = {1: "a number cannot be read", 2: "a face has fewer than three corners", 3: "a corner cannot be read"}


def read_obj(data: bytes, path: Path, limits: MeshLimits, known_id: str = "") -> Mesh:
    """The mesh of an OBJ text; v of the file runs up and is turned down. Raises UserError."""
    from even_palette.core.mesh.files._obj_kernel import count, parse

    name = path.name
    data = data.replace(b"\\\r\n", b"   ").replace(b"\\\n", b"  ") if b"\\" in data else data
    text = np.frombuffer(data + b"\n", dtype=np.uint8)
    places, uvs, normals, triangles, marks = map(int, count(text))
    for vertices in (places, uvs, normals):
        limits.check(name, "vertices", vertices)
    limits.check(name, "faces", triangles)
    v, vt, vn = np.zeros((places, 6)), np.zeros((uvs, 2)), np.zeros((normals, 3))
    corners = np.full((triangles, 3, 3), -1, dtype=np.int64)
    marked = np.zeros((marks, 2), dtype=np.int64)
    fault, line, coloured = parse(text, v, vt, vn, corners, marked)
    if fault:
        raise UserError(f"{name}: line {line}: {FAULTS[fault]}.")
    check_corners(name, corners[..., 0], places, least=0)
    check_corners(name, corners[..., 1], uvs, least=-1)
    check_corners(name, corners[..., 2], normals, least=-1)
    check_finite(name, v[:, :3], corners[..., 0])
    notes: list[str] = []
    uv_sets: tuple[Floats, ...] = ()
    if uvs and (corners[..., 1] >= 0).all():
        at = vt[corners[..., 1]]
        uv_sets = (float32(np.stack([at[..., 0], 1 - at[..., 1]], axis=-1)),)
    elif uvs and (corners[..., 1] >= 0).any():
        notes.append("some faces have no UVs, so the UVs are left out")
    at_corners = None
    if normals:
        padded = np.concatenate([vn, np.zeros((1, 3))])
        at_corners = float32(padded[corners[..., 2]])
    colours = None
    if coloured == places and places:
        shades = v[:, 3:] / (255 if v[:, 3:].max(initial=0) > 1 else 1)
        colours = to_levels8(float32(shades))[corners[..., 0]]
    slots, face_slot, objects, face_object = _named(data, marked, triangles)
    return build_mesh(
        float32(v[:, :3]), corners[..., 0], uv_sets, at_corners, colours, slots, face_slot, objects, face_object,
        tuple(notes), known_id,
    )  # fmt: skip


def _named(data: bytes, marked: Samples, triangles: int) -> tuple[tuple[str, ...], Samples, tuple[str, ...], Samples]:
    """Names of materials and of groups and objects, and each face's number of both."""
    faces = {"usemtl": np.zeros(triangles, dtype=np.int32), "g": np.zeros(triangles, dtype=np.int32)}
    names: dict[str, dict[str, int]] = {"usemtl": {}, "g": {}}
    known = {"usemtl": "Material", "g": "Mesh"}
    begun = {"usemtl": 0, "g": 0}

    def close(kind: str, upto: int) -> None:
        if upto > begun[kind]:
            faces[kind][begun[kind] : upto] = names[kind].setdefault(known[kind], len(names[kind]))
            begun[kind] = upto

    for start, triangle in marked.tolist():
        end = data.find(b"\n", start)
        word, _, rest = data[start : end if end >= 0 else None].partition(b" ")
        kind = "usemtl" if word == b"usemtl" else "g"
        close(kind, triangle)
        known[kind] = " ".join(rest.decode("utf-8", "replace").split())[:80] or known[kind]
    for kind in names:
        close(kind, triangles)
    return tuple(names["usemtl"]) or ("Material",), faces["usemtl"], tuple(names["g"]) or ("Mesh",), faces["g"]


MESH_FORMAT = MeshFormat((".obj",), read_obj)
