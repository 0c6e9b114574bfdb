"""glTF 2.0 and GLB: the triangles of the default scene, with materials, colours and all UV sets; GLB out again."""

import base64
import binascii
import contextlib
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import msgspec
import numpy as np

from even_palette.core.arrays import Samples, float32
from even_palette.core.disk.gate import read_bytes
from even_palette.core.errors import UserError
from even_palette.core.mesh.files._declare import MeshFormat, MeshLimits
from even_palette.core.mesh.files._soup import check_corners, check_finite
from even_palette.core.mesh.files._write_glb import BINARY_CHUNK, JSON_CHUNK, TRIANGLES, Document, write_glb
from even_palette.core.mesh.model import Mesh, build_mesh
from even_palette.core.raster.plane import to_levels8

COMPONENTS = {5120: "<i1", 5121: "<u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
UNDERSTOOD = {"KHR_mesh_quantization", "KHR_materials_unlit", "KHR_texture_transform", "KHR_materials_variants"}
STRIP, FAN = 5, 6
MOST_NODES = 100_000
DEEPEST = 256


class _Reader:
    def __init__(self, document: Document, binary: bytes, path: Path, limits: MeshLimits) -> None:
        self.document, self.binary, self.path, self.limits = document, binary, path, limits
        self._buffers: dict[int, bytes] = {}

    def buffer(self, index: int) -> bytes:
        if index not in self._buffers:
            entry = self.document["buffers"][index]
            data = self._load(entry["uri"]) if "uri" in entry else self.binary
            if len(data) < entry["byteLength"]:
                raise UserError(f"{self.path.name}: a buffer has {len(data)} of its {entry['byteLength']} bytes.")
            self._buffers[index] = data
        return self._buffers[index]

    def _load(self, uri: str) -> bytes:
        if uri.startswith("data:"):
            try:
                return base64.b64decode(uri.partition(",")[2], validate=True)
            except binascii.Error:
                raise UserError(f"{self.path.name}: an embedded buffer cannot be decoded.") from None
        return read_bytes(_beside(self.path, uri), self.limits.file_bytes)

    def counts(self, primitive: Document) -> tuple[int, int]:
        """Vertices and at most so many triangles of a primitive, by its accessors alone."""
        entries = self.document["accessors"]
        vertices = _whole(entries[_whole(primitive["attributes"]["POSITION"])]["count"])
        order = _whole(entries[_whole(primitive["indices"])]["count"]) if "indices" in primitive else vertices
        return vertices, order // 3 if primitive.get("mode", TRIANGLES) == TRIANGLES else max(0, order - 2)

    def accessor(self, index: int) -> Samples:
        """The values (n, width), integers that are normalized as floats 0..1."""
        entry = self.document["accessors"][_whole(index)]
        count, width = _whole(entry["count"]), WIDTHS[entry["type"]]
        self.limits.check(self.path.name, "vertices", count // 3 if width == 1 else count)
        kind = np.dtype(COMPONENTS[entry["componentType"]])
        if "bufferView" in entry:
            values = self._view(entry["bufferView"], entry.get("byteOffset", 0), kind, count, width)
        else:
            values = np.zeros((count, width), dtype=kind)
        if "sparse" in entry:
            values = self._sparse(values.copy(), entry["sparse"], kind, width)
        if entry.get("normalized") and kind.kind in "iu":
            return np.maximum(values.astype(np.float64) / np.iinfo(kind).max, -1)
        return values

    def _view(self, view: int, offset: int, kind: np.dtype[Any], count: int, width: int) -> Samples:
        entry = self.document["bufferViews"][_whole(view)]
        start = _whole(entry.get("byteOffset", 0))
        data = memoryview(self.buffer(_whole(entry["buffer"])))[start : start + _whole(entry["byteLength"])]
        packed = kind.itemsize * width
        stride = _whole(entry.get("byteStride", packed)) or packed
        needed = _whole(offset) + (stride * (count - 1) + packed if count else 0)
        if needed > len(data) or stride < packed:
            raise UserError(f"{self.path.name}: an accessor reads beyond its buffer view.")
        if not count:
            return np.zeros((0, width), dtype=kind)
        return np.ndarray((count, width), kind, data, offset, (stride, kind.itemsize))

    def _sparse(self, values: Samples, entry: Document, kind: np.dtype[Any], width: int) -> Samples:
        count, where, what = _whole(entry["count"]), entry["indices"], entry["values"]
        index_kind = np.dtype(COMPONENTS[where["componentType"]])
        places = self._view(where["bufferView"], where.get("byteOffset", 0), index_kind, count, 1)[:, 0]
        values[places] = self._view(what["bufferView"], what.get("byteOffset", 0), kind, count, width)
        return values


def _beside(path: Path, uri: str) -> Path:
    """The file that a glTF names, which lies beside it or below. Raises UserError for any other."""
    wanted = Path(unquote(uri))
    found = (path.parent / wanted).resolve() if "\0" not in unquote(uri) else Path("/")
    outside = ":" in uri or wanted.is_absolute() or ".." in wanted.parts
    if outside or not found.is_relative_to(path.parent.resolve()):
        raise UserError(f"{path.name}: the buffer “{uri[:60]}” leaves the folder of the file.")
    return found


def files_beside(data: bytes, path: Path) -> list[Path]:
    """The files beside a .gltf that its buffers name and that are there, in their order."""
    try:
        buffers = msgspec.json.decode(data, type=_Buffers).buffers
    except (msgspec.MsgspecError, ValueError, RecursionError):
        return []
    found = []
    for buffer in buffers[:MOST_NODES]:
        if buffer.uri and not buffer.uri.startswith("data:"):
            with contextlib.suppress(UserError):
                if (place := _beside(path, buffer.uri)).is_file():
                    found.append(place)
    return found


class _Buffer(msgspec.Struct):
    uri: str = ""


class _Buffers(msgspec.Struct):
    """What a .gltf says of its buffers."""

    buffers: list[_Buffer] = []


def _whole(value: Any) -> int:
    if not isinstance(value, int) or isinstance(value, bool) or value < 0:
        raise ValueError(f"{str(value)[:40]} is no count or index")
    return value


def read_gltf(data: bytes, path: Path, limits: MeshLimits, known_id: str = "") -> Mesh:
    """The mesh of a glTF or GLB file in the pose of its nodes. Raises UserError."""
    document, binary = _chunks(data, path.name)
    needed = set(document.get("extensionsRequired", ())) - UNDERSTOOD
    if needed:
        raise UserError(f"{path.name}: needs {', '.join(sorted(map(str, needed)))}, which is not read; export without.")
    reader = _Reader(document, binary, path, limits)
    pieces = list[_Piece]()
    faces = vertices = 0
    for node, matrix in _placed(document, path.name):
        if "mesh" not in node:
            continue
        entry = document["meshes"][_whole(node["mesh"])]
        title = str(entry.get("name") or node.get("name") or f"Mesh {node['mesh'] + 1}")[:80]
        for primitive in entry["primitives"]:
            if primitive.get("mode", TRIANGLES) in (TRIANGLES, STRIP, FAN):
                ahead = reader.counts(primitive)
                vertices, faces = vertices + ahead[0], faces + ahead[1]
                limits.check(path.name, "vertices", vertices)
                limits.check(path.name, "faces", faces)
                pieces.append(_Piece(reader, primitive, matrix, title))
    if not pieces:
        raise UserError(f"{path.name}: there are no triangles in it.")
    return _together(pieces, known_id)


def _chunks(data: bytes, name: str) -> tuple[Document, bytes]:
    text, binary = data, b""
    if data[:4] == b"glTF":
        version, length = np.frombuffer(data, "<u4", 2, 4).tolist()
        if version != 2:
            raise UserError(f"{name}: glTF version {version}; version 2 is read.")
        if length > len(data):
            raise UserError(f"{name}: the file ends after {len(data)} of its {length} bytes.")
        text, at = b"", 12
        while at + 8 <= length:
            size, kind = np.frombuffer(data, "<u4", 2, at).tolist()
            if at + 8 + size > len(data):
                raise UserError(f"{name}: a chunk reaches beyond the end of the file.")
            chunk = data[at + 8 : at + 8 + size]
            text = chunk if kind == JSON_CHUNK and not text else text
            binary = chunk if kind == BINARY_CHUNK and not binary else binary
            at += 8 + size
    document = msgspec.json.decode(text)
    if not isinstance(document, dict) or "asset" not in document:
        raise UserError(f"{name}: not a glTF file.")
    return document, binary


def _placed(document: Document, name: str) -> list[tuple[Document, Samples]]:
    """The nodes of the default scene with their matrices to the world."""
    nodes = document.get("nodes", [])
    scenes = document.get("scenes", [])
    roots = scenes[document.get("scene", 0)].get("nodes", []) if scenes else list(range(len(nodes)))
    found, left = list[tuple[Document, Samples]](), [(_whole(root), np.eye(4), 0) for root in reversed(roots)]
    while left:
        index, parent, depth = left.pop()
        if depth > DEEPEST or len(found) > MOST_NODES:
            raise UserError(f"{name}: its nodes contain each other, or there are more than {MOST_NODES}.")
        node = nodes[index]
        matrix = parent @ _matrix(node)
        found.append((node, matrix))
        left += [(_whole(child), matrix, depth + 1) for child in reversed(node.get("children", []))]
    return found


def _matrix(node: Document) -> Samples:
    if "matrix" in node:
        return np.array(node["matrix"], dtype=np.float64).reshape(4, 4).T
    x, y, z, w = map(float, node.get("rotation", (0, 0, 0, 1)))
    turn = np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    )
    made = np.eye(4)
    made[:3, :3] = turn * np.array(node.get("scale", (1, 1, 1)), dtype=np.float64)
    made[:3, 3] = node.get("translation", (0, 0, 0))
    return made


class _Piece:
    """One primitive, placed."""

    def __init__(self, reader: _Reader, primitive: Document, matrix: Samples, title: str) -> None:
        name, attributes = reader.path.name, primitive["attributes"]
        places = reader.accessor(attributes["POSITION"]).astype(np.float64)
        if places.shape[1] != 3:
            raise ValueError("positions need three values")
        order = reader.accessor(primitive["indices"])[:, 0] if "indices" in primitive else np.arange(len(places))
        self.title = title
        self.corners = _triangles(order.astype(np.int64), primitive.get("mode", TRIANGLES))
        check_corners(name, self.corners, len(places))
        if np.linalg.det(matrix[:3, :3]) < 0:
            self.corners = self.corners[:, ::-1]
        self.positions = places @ matrix[:3, :3].T + matrix[:3, 3]
        check_finite(name, self.positions, self.corners)
        self.normals = None
        if "NORMAL" in attributes:
            upright = np.linalg.pinv(matrix[:3, :3])
            self.normals = self._at_corners(reader, attributes["NORMAL"], 3) @ upright
        self.uv: list[Samples] = []
        while f"TEXCOORD_{len(self.uv)}" in attributes:
            self.uv.append(self._at_corners(reader, attributes[f"TEXCOORD_{len(self.uv)}"], 2))
        self.colours = None
        if "COLOR_0" in attributes:
            self.colours = to_levels8(float32(self._at_corners(reader, attributes["COLOR_0"], 3)))
        materials = reader.document.get("materials", [])
        at = primitive.get("material")
        self.slot = "Material" if at is None else str(materials[_whole(at)].get("name") or f"Material {at + 1}")[:80]

    def _at_corners(self, reader: _Reader, accessor: int, width: int) -> Samples:
        values = reader.accessor(accessor)
        if values.shape[1] < width or len(values) < len(self.positions):
            raise ValueError("an attribute is shorter than the positions")
        return np.asarray(values[:, :width].astype(np.float64)[self.corners])


def _triangles(order: Samples, mode: int) -> Samples:
    if mode == TRIANGLES:
        return order[: len(order) // 3 * 3].reshape(-1, 3)
    count = max(0, len(order) - 2)
    at = np.arange(count)[:, None]
    if mode == FAN:
        return order[np.concatenate([np.zeros_like(at), at + 1, at + 2], axis=1)] if count else order[:0].reshape(0, 3)
    turned = np.where(at % 2 == 1, [[1, 0, 2]], [[0, 1, 2]])
    return order[at + turned] if count else order[:0].reshape(0, 3)


def _together(pieces: list["_Piece"], known_id: str) -> Mesh:
    offsets = np.cumsum([0, *(len(piece.positions) for piece in pieces)])
    counts = [len(piece.corners) for piece in pieces]
    slots = tuple(dict.fromkeys(piece.slot for piece in pieces))
    objects = tuple(dict.fromkeys(piece.title for piece in pieces))
    sets = min(len(piece.uv) for piece in pieces)
    notes = []
    if sets < max(len(piece.uv) for piece in pieces):
        notes.append("some parts have fewer UV sets, so only those that all have are kept")
    colours = None
    if any(piece.colours is not None for piece in pieces):
        white = [np.full((n, 3, 3), 255, np.uint8) if p.colours is None else p.colours
                 for p, n in zip(pieces, counts, strict=True)]  # fmt: skip
        colours = np.concatenate(white)
    normals = None
    if any(piece.normals is not None for piece in pieces):
        none = [np.zeros((n, 3, 3)) if p.normals is None else p.normals for p, n in zip(pieces, counts, strict=True)]
        normals = float32(np.concatenate(none))
    return build_mesh(
        float32(np.concatenate([piece.positions for piece in pieces])),
        np.concatenate([piece.corners + offset for piece, offset in zip(pieces, offsets[:-1], strict=True)]),
        tuple(float32(np.concatenate([piece.uv[index] for piece in pieces])) for index in range(sets)),
        normals,
        colours,
        slots,
        np.repeat([slots.index(piece.slot) for piece in pieces], counts),
        objects,
        np.repeat([objects.index(piece.title) for piece in pieces], counts),
        tuple(notes),
        known_id,
    )


MESH_FORMAT = MeshFormat((".glb", ".gltf"), read_gltf, (".gltf",), files_beside, {".glb": write_glb})
