"""PLY (Turk 1994): ASCII and binary, with UVs, normals, vertex colours, or colours and UVs at faces; and out again."""

from pathlib import Path

import numpy as np

from even_palette.core.arrays import Floats, Levels, Samples, float32
from even_palette.core.disk.whole import write_whole
from even_palette.core.errors import UserError
from even_palette.core.mesh.files._declare import MeshFormat, MeshLimits
from even_palette.core.mesh.files._soup import check_corners, check_finite
from even_palette.core.mesh.model import Mesh, build_mesh, distinct_rows
from even_palette.core.raster.plane import to_levels8

TYPES = {
    "char": "i1", "int8": "i1", "uchar": "u1", "uint8": "u1", "short": "i2", "int16": "i2", "ushort": "u2",
    "uint16": "u2", "int": "i4", "int32": "i4", "uint": "u4", "uint32": "u4", "float": "f4", "float32": "f4",
    "double": "f8", "float64": "f8",
}  # fmt: skip
ORDERS = {"ascii": "", "binary_little_endian": "<", "binary_big_endian": ">"}
UV_NAMES = (("s", "t"), ("u", "v"), ("texture_u", "texture_v"))
LONGEST_HEADER = 1 << 16
LONGEST_LIST = 1 << 16


class _Property:
    def __init__(self, words: list[str]) -> None:
        self.name = words[-1]
        self.is_list = words[1] == "list"
        self.kind = TYPES[words[3] if self.is_list else words[1]]
        self.count_kind = TYPES[words[2]] if self.is_list else ""


class _Element:
    def __init__(self, name: str, count: int) -> None:
        self.name, self.count = name, count
        self.properties: list[_Property] = []


def read_ply(data: bytes, path: Path, limits: MeshLimits, known_id: str = "") -> Mesh:
    """The mesh of a PLY file; v of the file runs up and is turned down. Raises UserError."""
    name = path.name
    order, elements, at = _header(data, name, limits)
    columns: dict[str, dict[str, Samples]] = {}
    tokens = np.array(data[at:].split(), dtype=np.float64) if not order else np.zeros(0)
    place = 0 if not order else at
    for element in elements:
        if order:
            columns[element.name], place = _binary(data, place, element, order, name)
        else:
            columns[element.name], place = _ascii(tokens, place, element, name)
    vertex, face = columns.get("vertex", {}), columns.get("face", {})
    if not all(axis in vertex for axis in "xyz"):
        raise UserError(f"{name}: the vertices have no x, y and z.")
    positions = np.stack([vertex[axis].astype(np.float64) for axis in "xyz"], axis=-1)
    polygons = face.get("vertex_indices", face.get("vertex_index"))
    if polygons is None:
        raise UserError(f"{name}: it is a cloud of points; there are no faces in it.")
    corners, owner = _fans(polygons)
    limits.check(name, "faces", len(corners))
    check_corners(name, corners, len(positions))
    check_finite(name, positions, corners)
    return build_mesh(
        float32(positions), corners, _uv_sets(vertex, face, corners, owner), _normals(vertex, corners),
        _colours(vertex, face, corners, owner), known_id=known_id,
    )  # fmt: skip


def _header(data: bytes, name: str, limits: MeshLimits) -> tuple[str, list[_Element], int]:
    end = data.find(b"end_header", 0, LONGEST_HEADER)
    if not data.startswith(b"ply") or end < 0:
        raise UserError(f"{name}: not a PLY file.")
    order, elements = "?", list[_Element]()
    for line in data[:end].decode("ascii", "replace").splitlines():
        words = line.split()
        if words[:1] == ["format"]:
            order = ORDERS[words[1]]
        elif words[:1] == ["element"]:
            count = int(words[2])
            limits.check(name, "faces" if words[1] == "face" else "vertices", count)
            elements.append(_Element(words[1], count))
        elif words[:1] == ["property"]:
            elements[-1].properties.append(_Property(words))
    if order == "?":
        raise UserError(f"{name}: the header names no format.")
    return order, elements, data.index(b"\n", end) + 1


def _binary(data: bytes, at: int, element: _Element, order: str, name: str) -> tuple[dict[str, Samples], int]:
    """The columns of an element, lists as (n, k) arrays or, where lengths differ, arrays of lists; and its end."""
    if not element.count:
        return {}, at
    lengths, probe = [], at
    for p in element.properties:
        if p.is_list:
            length = int(np.frombuffer(data, order + p.count_kind, 1, probe)[0])
            if not 0 <= length <= LONGEST_LIST:
                raise UserError(f"{name}: a list of {length} values in “{element.name}”.")
            lengths.append(length)
            probe += np.dtype(p.count_kind).itemsize + length * np.dtype(p.kind).itemsize
        else:
            lengths.append(-1)
            probe += np.dtype(p.kind).itemsize
    fields: list[tuple[str, str] | tuple[str, str, tuple[int]]] = []
    for p, length in zip(element.properties, lengths, strict=True):
        if p.is_list:
            fields.append((f"#{p.name}", order + p.count_kind))
        fields.append((p.name, order + p.kind, (length,)) if p.is_list else (p.name, order + p.kind))
    record = np.dtype(fields)
    uniform = len(data) - at >= record.itemsize * element.count and record.itemsize > 0
    if uniform:
        rows = np.frombuffer(data, record, element.count, at)
        uniform = all(
            (rows[f"#{p.name}"] == n).all() for p, n in zip(element.properties, lengths, strict=True) if n >= 0
        )
    if uniform:
        return {p.name: rows[p.name] for p in element.properties}, at + record.itemsize * element.count
    if not any(p.is_list for p in element.properties):
        raise UserError(f"{name}: the file ends before its {element.count} × “{element.name}”.")
    columns: dict[str, list[Samples]] = {p.name: [] for p in element.properties}
    for _ in range(element.count):
        for p in element.properties:
            count = 1
            if p.is_list:
                count = int(np.frombuffer(data, order + p.count_kind, 1, at)[0])
                at += np.dtype(p.count_kind).itemsize
            if not 0 <= count <= LONGEST_LIST:
                raise UserError(f"{name}: a list of {count} values in “{element.name}”.")
            columns[p.name].append(np.frombuffer(data, order + p.kind, count, at))
            at += count * np.dtype(p.kind).itemsize
    return {p.name: _column(columns[p.name], p.is_list) for p in element.properties}, at


def _ascii(tokens: Samples, at: int, element: _Element, name: str) -> tuple[dict[str, Samples], int]:
    if not any(p.is_list for p in element.properties):
        width = len(element.properties)
        if len(tokens) - at < width * element.count:
            raise UserError(f"{name}: the file ends before its {element.count} × “{element.name}”.")
        rows = tokens[at : at + width * element.count].reshape(element.count, width)
        return {p.name: rows[:, i] for i, p in enumerate(element.properties)}, at + rows.size
    columns: dict[str, list[Samples]] = {p.name: [] for p in element.properties}
    for _ in range(element.count):
        for p in element.properties:
            count = 1
            if p.is_list:
                count = int(tokens[at])
                at += 1
            if not 0 <= count <= LONGEST_LIST or at + count > len(tokens):
                raise UserError(f"{name}: the file ends before its {element.count} × “{element.name}”.")
            columns[p.name].append(tokens[at : at + count])
            at += count
    return {p.name: _column(columns[p.name], p.is_list) for p in element.properties}, at


def _column(values: list[Samples], is_list: bool) -> Samples:
    if not is_list:
        return np.concatenate(values)
    if len({len(value) for value in values}) == 1:
        return np.stack(values)
    column = np.empty(len(values), dtype=object)
    column[:] = [list(value) for value in values]
    return column


def _fans(polygons: Samples) -> tuple[Samples, Samples]:
    """Polygons cut into triangles (F, 3), and the polygon of each."""
    if polygons.dtype != object:
        count, sides = polygons.shape
        if sides < 3:
            return np.zeros((0, 3), dtype=np.int64), np.zeros(0, dtype=np.int64)
        wide = polygons.astype(np.int64)
        fans = np.stack([wide[:, [0, i, i + 1]] for i in range(1, sides - 1)], axis=1)
        return fans.reshape(-1, 3), np.repeat(np.arange(count), sides - 2)
    triangles = [(p[0], p[i], p[i + 1]) for p in polygons for i in range(1, len(p) - 1)]
    owner = np.repeat(np.arange(len(polygons)), [max(0, len(p) - 2) for p in polygons])
    return np.array(triangles, dtype=np.int64).reshape(-1, 3), owner


def _uv_sets(
    vertex: dict[str, Samples], face: dict[str, Samples], corners: Samples, owner: Samples
) -> tuple[Floats, ...]:
    for u, v in UV_NAMES:
        if u in vertex and v in vertex:
            at = np.stack([vertex[u], 1 - vertex[v].astype(np.float64)], axis=-1)
            return (float32(at[corners]),)
    wedge = face.get("texcoord")
    if wedge is not None and wedge.dtype != object and wedge.shape[1] == 6 and len(owner) == len(wedge):
        at = wedge.astype(np.float64).reshape(-1, 3, 2)
        return (float32(np.stack([at[..., 0], 1 - at[..., 1]], axis=-1)),)
    return ()


def _normals(vertex: dict[str, Samples], corners: Samples) -> Floats | None:
    if not all(axis in vertex for axis in ("nx", "ny", "nz")):
        return None
    return float32(np.stack([vertex["nx"], vertex["ny"], vertex["nz"]], axis=-1))[corners]


def _colours(vertex: dict[str, Samples], face: dict[str, Samples], corners: Samples, owner: Samples) -> Levels | None:
    for columns in (vertex, face):
        if all(channel in columns for channel in ("red", "green", "blue")):
            raw = np.stack([columns[channel] for channel in ("red", "green", "blue")], axis=-1)
            levels = to_levels8(float32(raw)) if raw.dtype.kind == "f" and raw.max(initial=0) <= 1 else raw.clip(0, 255)
            levels = levels.astype(np.uint8)
            return levels[corners] if columns is vertex else np.repeat(levels[owner][:, None], 3, axis=1)
    return None


def write_ply(path: Path, mesh: Mesh, colours: Levels) -> None:
    """Write a mesh as binary PLY with a colour a face, (F, 3) uint8, as vertex colours; v is turned up again.

    Vertices are split where colours, normals or UVs differ. Raises OSError.
    """
    uv = mesh.uv_sets[0] if mesh.uv_sets else np.zeros((mesh.face_count, 3, 2), dtype=np.float32)
    wide = np.concatenate([mesh.corners(), mesh.normals, uv], axis=-1).reshape(-1, 8).astype("<f4")
    shades = np.repeat(colours, 3, axis=0)
    first, number = distinct_rows(np.concatenate([wide.view(np.uint32), shades.astype(np.uint32)], axis=1))
    axes = ("x", "y", "z", "nx", "ny", "nz", *(("s", "t") if mesh.uv_sets else ()))
    fields = [*((axis, "<f4") for axis in axes),
              *((channel, "u1") for channel in ("red", "green", "blue"))]  # fmt: skip
    vertices = np.empty(len(first), dtype=fields)
    wide[:, 7] = 1 - wide[:, 7]
    for index, axis in enumerate(axes):
        vertices[axis] = wide[first, index]
    for index, channel in enumerate(("red", "green", "blue")):
        vertices[channel] = shades[first, index]
    faces = np.empty(mesh.face_count, dtype=[("count", "u1"), ("corners", "<i4", (3,))])
    faces["count"], faces["corners"] = 3, number.reshape(-1, 3)
    names = {"<f4": "float", "u1": "uchar"}
    header = ["ply", "format binary_little_endian 1.0", f"element vertex {len(first)}"]
    header += [f"property {names[kind]} {field}" for field, kind in fields]
    header += [f"element face {len(faces)}", "property list uchar int vertex_indices", "end_header", ""]
    write_whole(path, "\n".join(header).encode() + vertices.tobytes() + faces.tobytes())


MESH_FORMAT = MeshFormat((".ply",), read_ply, writers={".ply": write_ply})
