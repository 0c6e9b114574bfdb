"""What the three formats allow: numbers, byte orders, polygons, strips, sparse and normalized values, mirrored nodes."""

import base64
import struct
from pathlib import Path

import msgspec
import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st

from even_palette.core.mesh.files import MeshLimits, read_mesh
from even_palette.core.mesh.files.obj import read_obj
from even_palette.core.mesh.files.ply import read_ply
from even_palette.core.mesh.model import build_mesh, distinct_rows, joined
from tests.mesh.conftest import of_trimesh, quads

SQUARE = np.float32([(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)])


@given(st.lists(st.floats(-1e6, 1e6), min_size=9, max_size=9), st.sampled_from(["%r", "%.9g", "%e", "%+.12f", "%G"]))
def test_numbers_of_obj(values: list[float], form: str) -> None:
    """Every way of writing a number gives what Python's float gives, to float32."""
    words = [form % value for value in values]
    text = "".join(f"v {a} {b} {c}\n" for a, b, c in zip(*[iter(words)] * 3, strict=True)) + "f 1 2 3\n"
    corners = read_obj(text.encode(), Path("n.obj"), MeshLimits()).corners()[0]
    assert np.array_equal(corners, np.float32([float(word) for word in words]).reshape(3, 3))


@pytest.mark.parametrize(
    ("faces", "triangles"),
    [
        ("f 1 2 3 4", [(0, 1, 2), (0, 2, 3)]),
        ("f 1// 2// 3//", [(0, 1, 2)]),
        ("f 1//1 2//1 3//1", [(0, 1, 2)]),
        ("f -4 -3 -2", [(0, 1, 2)]),
        ("\tf\t1  2\t3   \r", [(0, 1, 2)]),
        ("f 1 2 3 # the front", [(0, 1, 2)]),
        ("l 1 2\np 1\nf 2 3 4", [(1, 2, 3)]),
    ],
)
def test_faces_of_obj(faces: str, triangles: list[tuple[int, int, int]]) -> None:
    """Fans, missing parts, counting back, tabs, comments, lines and points left out (OBJ, appendix B1)."""
    text = "".join(f"v {x} {y} {z}\n" for x, y, z in SQUARE) + f"vn 0 0 1\n{faces}\n"
    mesh = read_obj(text.encode(), Path("f.obj"), MeshLimits())
    assert np.allclose(mesh.corners(), SQUARE[np.array(triangles)])


@pytest.mark.parametrize("order", ["ascii", "binary_little_endian", "binary_big_endian"])
@pytest.mark.parametrize("mixed", [False, True])
def test_ply_of_every_order(order: str, mixed: bool) -> None:
    """Polygons of one size or several; doubles, shorts as colours' neighbours, and an element in between."""
    faces = [(0, 1, 2, 3), (0, 1, 2)] if mixed else [(0, 1, 2), (0, 2, 3)]
    head = (f"ply\nformat {order} 1.0\ncomment made here\nelement vertex 4\nproperty double x\nproperty double y\n"
            "property double z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\nelement tag 2\n"
            f"property short id\nelement face {len(faces)}\nproperty list uchar uint vertex_index\nend_header\n")  # fmt: skip
    colours = [(255, 0, 0), (255, 0, 0), (255, 0, 0), (0, 0, 255)]
    if order == "ascii":
        rows = [" ".join(map(str, (*p, *c))) for p, c in zip(SQUARE.tolist(), colours, strict=True)]
        body = "\n".join([*rows, "7", "8", *(f"{len(f)} " + " ".join(map(str, f)) for f in faces)]).encode()
    else:
        sign = "<" if order.endswith("little_endian") else ">"
        body = b"".join(struct.pack(f"{sign}3d3B", *p, *c) for p, c in zip(SQUARE.tolist(), colours, strict=True))
        body += struct.pack(f"{sign}2h", 7, 8)
        body += b"".join(struct.pack(f"{sign}B{len(f)}I", len(f), *f) for f in faces)
    mesh = read_ply(head.encode() + body, Path("o.ply"), MeshLimits())
    expected = [(0, 1, 2), (0, 2, 3), (0, 1, 2)] if mixed else faces
    assert np.allclose(mesh.corners(), SQUARE[np.array(expected)])
    assert mesh.colours is not None
    assert mesh.colours[0].tolist() == [[255, 0, 0]] * 3


def test_uvs_at_the_corners_of_ply_faces() -> None:
    """The `texcoord` list of faces: six numbers, v upwards (common practice)."""
    head = ("ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n"
            "element face 1\nproperty list uchar int vertex_indices\nproperty list uchar float texcoord\nend_header\n")  # fmt: skip
    mesh = read_ply(head.encode() + b"0 0 0\n1 0 0\n0 1 0\n3 0 1 2 6 0 0 1 0 0 1\n", Path("w.ply"), MeshLimits())
    assert np.allclose(mesh.uv_sets[0][0], [(0, 1), (1, 1), (0, 0)])


def document(mode: int = 4, node: dict[str, object] | None = None, **attributes: tuple[np.ndarray, str, bool]) -> bytes:
    """A glTF of one primitive with these attributes: values, type, normalized."""
    blob, views, accessors, named = bytearray(), [], [], {}
    codes = {"float32": 5126, "uint8": 5121, "uint16": 5123, "uint32": 5125}
    for name, (values, kind, normalized) in attributes.items():
        views.append({"buffer": 0, "byteOffset": len(blob), "byteLength": values.nbytes})
        blob += values.tobytes() + b"\0" * (-values.nbytes % 4)
        accessors.append({"bufferView": len(views) - 1, "count": len(values), "type": kind,
                          "componentType": codes[str(values.dtype)], "normalized": normalized})  # fmt: skip
        named[name] = len(accessors) - 1
    primitive: dict[str, object] = {"mode": mode, "attributes": {k: v for k, v in named.items() if k != "indices"}}
    if "indices" in named:
        primitive["indices"] = named["indices"]
    uri = "data:application/octet-stream;base64," + base64.b64encode(bytes(blob)).decode()
    return msgspec.json.encode(
        {"asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}], "nodes": [{"mesh": 0, **(node or {})}],
         "meshes": [{"primitives": [primitive]}], "buffers": [{"byteLength": len(blob), "uri": uri}],
         "bufferViews": views, "accessors": accessors}
    )  # fmt: skip


PLACES = (SQUARE, "VEC3", False)


@pytest.mark.parametrize(
    ("mode", "triangles"),
    [(5, [(0, 1, 2), (2, 1, 3)]), (6, [(0, 1, 2), (0, 2, 3)])],
)
def test_strips_and_fans(mode: int, triangles: list[tuple[int, int, int]], tmp_path: Path) -> None:
    """glTF 2.0, section 3.7.2.1: strips {i, i + (1 + i % 2), i + (2 - i % 2)}, fans {i + 1, i + 2, 0}, by winding."""
    (tmp_path / "a.gltf").write_bytes(document(mode, POSITION=PLACES))
    corners = read_mesh(tmp_path / "a.gltf").corners()
    expected = SQUARE[np.array(triangles)]

    def turning(triangle: np.ndarray) -> float:
        return float(np.cross(triangle[1] - triangle[0], triangle[2] - triangle[0])[2])

    for ours, theirs in zip(corners, expected, strict=True):
        assert {tuple(p) for p in ours.tolist()} == {tuple(p) for p in theirs.tolist()}
        assert turning(ours) == pytest.approx(turning(theirs))


def test_normalized_values_and_two_uv_sets(tmp_path: Path) -> None:
    """Unsigned bytes and shorts stand for v / 255 and v / 65535 (glTF 2.0, section 3.11)."""
    small = np.uint8([(0, 0), (255, 0), (255, 255), (51, 255)])
    fine = np.uint16([(0, 0), (65535, 0), (65535, 65535), (13107, 65535)])
    colours = np.uint8([(10, 20, 30, 255)] * 4)
    (tmp_path / "a.gltf").write_bytes(
        document(POSITION=PLACES, TEXCOORD_0=(small, "VEC2", True), TEXCOORD_1=(fine, "VEC2", True),
                 COLOR_0=(colours, "VEC4", True), indices=(np.uint16([[0], [2], [3]]), "SCALAR", False))
    )  # fmt: skip
    mesh = read_mesh(tmp_path / "a.gltf")
    assert len(mesh.uv_sets) == 2
    assert np.allclose(mesh.uv_sets[0], mesh.uv_sets[1])
    assert np.allclose(mesh.uv_sets[0][0], [(0, 0), (1, 1), (0.2, 1)])
    assert mesh.colours is not None
    assert mesh.colours[0].tolist() == [[10, 20, 30]] * 3


def test_sparse_values(tmp_path: Path) -> None:
    """A sparse accessor replaces the values at its indices (glTF 2.0, section 3.6.2.3)."""
    plain = msgspec.json.decode(document(POSITION=PLACES, indices=(np.uint8([[0], [1], [2]]), "SCALAR", False)))
    extra = np.float32([(0, 0, 7)]).tobytes() + np.uint16([1]).tobytes() + b"\0\0"
    old = base64.b64decode(plain["buffers"][0]["uri"].partition(",")[2])
    plain["buffers"] = [
        {"byteLength": len(old + extra), "uri": "data:;base64," + base64.b64encode(old + extra).decode()}
    ]
    plain["bufferViews"] += [{"buffer": 0, "byteOffset": len(old), "byteLength": 12},
                             {"buffer": 0, "byteOffset": len(old) + 12, "byteLength": 2}]  # fmt: skip
    plain["accessors"][0]["sparse"] = {
        "count": 1, "indices": {"bufferView": 3, "componentType": 5123}, "values": {"bufferView": 2},
    }  # fmt: skip
    (tmp_path / "a.gltf").write_bytes(msgspec.json.encode(plain))
    assert np.allclose(read_mesh(tmp_path / "a.gltf").corners()[0], [(0, 0, 0), (0, 0, 7), (1, 1, 0)])


@pytest.mark.parametrize("node", [{"scale": [-1, 1, 1]}, {"scale": [2, 3, 4]}, {"rotation": [0, 0.6, 0, 0.8]}])
def test_nodes_keep_the_front_outside(node: dict[str, object], tmp_path: Path) -> None:
    """The volume by the divergence theorem stays positive under mirrored nodes (glTF 2.0, section 3.7.4)."""
    box = trimesh.creation.box()
    places, indices = np.float32(box.vertices), box.faces.astype(np.uint16).reshape(-1, 1)
    normals = np.float32(box.vertex_normals)
    (tmp_path / "a.gltf").write_bytes(
        document(node=node, POSITION=(places, "VEC3", False), NORMAL=(normals, "VEC3", False),
                 indices=(indices, "SCALAR", False))
    )  # fmt: skip
    mesh = read_mesh(tmp_path / "a.gltf")
    corners = mesh.corners().astype(float)
    volume = np.einsum("fi,fi->f", corners[:, 0], np.cross(corners[:, 1], corners[:, 2])).sum() / 6
    assert volume == pytest.approx(float(np.prod(np.abs(node.get("scale", [1, 1, 1])))), rel=1e-5)
    outward = (mesh.normals * corners).sum(axis=-1)
    assert (outward > 0).all()


def test_joined_meshes_share_points_and_slots() -> None:
    one, other = quads([(0, 0, 1, 1)]), quads([(1, 0, 2, 1)])
    both = joined([one, other])
    assert both.face_count == 4
    assert len(both.points) == 6  # the edge between them is one
    assert both.slots == ("Material",)
    assert np.allclose(both.uv_sets[0], np.concatenate([one.uv_sets[0], other.uv_sets[0]]))


@given(st.lists(st.tuples(st.integers(0, 3), st.integers(0, 3)), min_size=1, max_size=40))
def test_distinct_rows_in_order_of_use(rows: list[tuple[int, int]]) -> None:
    """Against a dictionary."""
    first, number = distinct_rows(np.array(rows, dtype=np.uint32))
    seen: dict[tuple[int, int], int] = {}
    expected = [seen.setdefault(row, len(seen)) for row in rows]
    assert number.tolist() == expected
    assert [rows[i] for i in first] == list(seen)


def test_flat_normals_where_there_are_none() -> None:
    """glTF 2.0, section 3.7.2.1; against trimesh's face normals."""
    made = trimesh.creation.icosphere(2)
    assert np.allclose(of_trimesh(made).normals, np.repeat(made.face_normals[:, None], 3, axis=1), atol=1e-5)
    empty = build_mesh(SQUARE, np.array([(0, 0, 1)]))
    assert (empty.normals == 0).all()
