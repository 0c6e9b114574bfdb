"""One object in several formats, written from their specifications: three parts by nodes, two materials, UVs, colours."""

from pathlib import Path

import numpy as np

from even_palette.core.mesh.files import write_mesh
from even_palette.core.mesh.model import Mesh, build_mesh

SLOTS, OBJECTS = ("Red", "Blue"), ("Left", "Right", "Top")
PLACES = {
    "Left": np.array([(2.0, 0, 0, -3), (0, 2, 0, 0.5), (0, 0, 2, 0), (0, 0, 0, 1)]),
    "Right": np.array([(0, 0, 1.0, 3), (0, 1, 0, 0), (-1, 0, 0, 0.25), (0, 0, 0, 1)]),
    "Top": np.array([(-1.0, 0, 0, 0), (0, 1, 0, 4), (0, 0, 1, 1), (0, 0, 0, 1)]),  # a mirror
}
"""The matrices of nodes, for columns."""


def shape() -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Points (8, 3), triangles (12, 3), their UVs (12, 3, 2) with v up, colours of points (8, 3) in levels, slots (12,)."""
    x, y, z = np.meshgrid((0.0, 1.0), (0.0, 0.6), (0.0, 1.4), indexing="ij")
    points = np.stack([x, y, z], axis=-1).reshape(8, 3)
    quads = [(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)]
    triangles = np.array([t for a, b, c, d in quads for t in ((a, b, c), (a, c, d))])
    rng = np.random.default_rng(9)
    return points, triangles, rng.random((12, 3, 2)), rng.integers(0, 256, (8, 3)), np.arange(12) % 3 // 2


def in_the_world() -> Mesh:
    """The object as it must come in: metres, y up, v down."""
    points, triangles, uv, colours, slots = shape()
    places, faces, uvs, shades, of_slot, of_object = [], [], [], [], [], []
    for number, name in enumerate(OBJECTS):
        matrix = PLACES[name]
        corners, own_uv, own = triangles, uv, colours[triangles]
        if np.linalg.det(matrix[:3, :3]) < 0:
            corners, own_uv, own = corners[:, ::-1], own_uv[:, ::-1], own[:, ::-1]
        faces.append(corners + 8 * number)
        places.append(points @ matrix[:3, :3].T + matrix[:3, 3])
        uvs.append(np.stack([own_uv[..., 0], 1 - own_uv[..., 1]], axis=-1))
        shades.append(own)
        of_slot.append(slots)
        of_object.append(np.full(12, number))
    return build_mesh(
        np.float32(np.concatenate(places)), np.concatenate(faces), (np.float32(np.concatenate(uvs)),), None,
        np.uint8(np.concatenate(shades)), SLOTS, np.concatenate(of_slot), OBJECTS, np.concatenate(of_object),
    )  # fmt: skip


def write_collada(path: Path) -> None:
    """COLLADA 1.4.1: centimetres, z up, one geometry placed by three nodes."""
    points, triangles, uv, colours, slots = shape()
    turned = np.stack([points[:, 0], -points[:, 2], points[:, 1]], axis=-1) * 100  # from y up to z up

    def numbers(values: np.ndarray) -> str:
        return " ".join(f"{value:.9g}" for value in np.ravel(values))

    def source(name: str, values: np.ndarray, axes: str) -> str:
        count, width = len(np.reshape(values, (-1, len(axes)))), len(axes)
        params = "".join(f'<param name="{axis}" type="float"/>' for axis in axes)
        return (
            f'<source id="{name}"><float_array id="{name}a" count="{count * width}">{numbers(values)}</float_array>'
            f'<technique_common><accessor source="#{name}a" count="{count}" stride="{width}">{params}</accessor>'
            "</technique_common></source>"
        )

    flat = np.arange(36).reshape(12, 3)
    groups = ""
    for number, name in enumerate(SLOTS):
        own = np.flatnonzero(slots == number)
        p = np.stack([triangles[own], flat[own], triangles[own]], axis=-1)
        groups += (
            f'<triangles material="m{name}" count="{len(own)}"><input semantic="VERTEX" source="#v" offset="0"/>'
            '<input semantic="TEXCOORD" source="#t" offset="1" set="0"/><input semantic="COLOR" source="#c" offset="2"/>'
            f"<p>{' '.join(map(str, p.ravel()))}</p></triangles>"
        )
    bound = "".join(f'<instance_material symbol="m{name}" target="#{name}"/>' for name in SLOTS)
    up = np.array([(1.0, 0, 0, 0), (0, 0, -1, 0), (0, 1, 0, 0), (0, 0, 0, 1)])  # y up to z up, columns
    nodes = ""
    for name in OBJECTS:
        matrix = up @ PLACES[name] @ np.linalg.inv(up)
        matrix[:3, 3] *= 100
        nodes += (
            f'<node id="{name}" name="{name}"><matrix>{numbers(matrix)}</matrix><instance_geometry url="#g">'
            f"<bind_material><technique_common>{bound}</technique_common></bind_material>"
            "</instance_geometry></node>"
        )
    effect = "<profile_COMMON><technique sid='t'><lambert/></technique></profile_COMMON>"
    path.write_text(
        '<?xml version="1.0" encoding="utf-8"?><COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" '
        'version="1.4.1"><asset><unit name="centimeter" meter="0.01"/><up_axis>Z_UP</up_axis></asset>'
        "<library_effects>" + "".join(f'<effect id="e{n}">{effect}</effect>' for n in SLOTS)
        + "</library_effects><library_materials>"
        + "".join(f'<material id="{n}" name="{n}"><instance_effect url="#e{n}"/></material>' for n in SLOTS)
        + '</library_materials><library_geometries><geometry id="g" name="Part"><mesh>'
        + source("p", turned, "XYZ") + source("t", uv, "ST")
        + source("c", np.concatenate([colours / 255, np.ones((8, 1))], axis=1), "RGBA")
        + f'<vertices id="v"><input semantic="POSITION" source="#p"/></vertices>{groups}</mesh></geometry>'
        f'</library_geometries><library_visual_scenes><visual_scene id="s">{nodes}</visual_scene>'
        '</library_visual_scenes><scene><instance_visual_scene url="#s"/></scene></COLLADA>'
    )  # fmt: skip


def write_usd(path: Path) -> None:
    """Universal Scene Description in text: centimetres, z up, materials by subsets of faces."""
    points, triangles, uv, colours, slots = shape()
    turned = np.stack([points[:, 0], -points[:, 2], points[:, 1]], axis=-1) * 100
    up = np.array([(1.0, 0, 0, 0), (0, 0, -1, 0), (0, 1, 0, 0), (0, 0, 0, 1)])

    def tuples(values: np.ndarray) -> str:
        return "[" + ", ".join(f"({', '.join(f'{v:.9g}' for v in row)})" for row in values) + "]"

    text = '#usda 1.0\n(\n    metersPerUnit = 0.01\n    upAxis = "Z"\n)\ndef Xform "Root"\n{\n'
    for name in OBJECTS:
        matrix = up @ PLACES[name] @ np.linalg.inv(up)
        matrix[:3, 3] *= 100
        rows = ", ".join(f"({', '.join(f'{v:.9g}' for v in row)})" for row in matrix.T)
        text += f'    def Mesh "{name}"\n    {{\n'
        text += f"        matrix4d xformOp:transform = ({rows})\n"
        text += '        uniform token[] xformOpOrder = ["xformOp:transform"]\n'
        text += f"        point3f[] points = {tuples(turned)}\n        int[] faceVertexCounts = {[3] * 12}\n"
        text += f"        int[] faceVertexIndices = {triangles.ravel().tolist()}\n"
        text += f"        texCoord2f[] primvars:st = {tuples(uv.reshape(-1, 2))} (\n"
        text += '            interpolation = "faceVarying"\n        )\n'
        text += f"        color3f[] primvars:displayColor = {tuples(colours / 255)} (\n"
        text += '            interpolation = "vertex"\n        )\n'
        for number, slot in enumerate(SLOTS):
            text += f'        def GeomSubset "{slot}" (\n            prepend apiSchemas = ["MaterialBindingAPI"]\n        )\n'
            text += '        {\n            uniform token elementType = "face"\n'
            text += '            uniform token familyName = "materialBind"\n'
            text += f"            int[] indices = {np.flatnonzero(slots == number).tolist()}\n"
            text += f"            rel material:binding = </Root/{slot}>\n        }}\n"
        text += "    }\n"
    text += "".join(f'    def Material "{slot}"\n    {{\n    }}\n' for slot in SLOTS) + "}\n"
    path.write_text(text)


def write_stl(path: Path) -> None:
    """Binary STL: triangles alone."""
    mesh = in_the_world()
    record = np.zeros(mesh.face_count, np.dtype([("n", "<f4", 3), ("p", "<f4", (3, 3)), ("a", "<u2")]))
    record["p"] = mesh.corners()
    path.write_bytes(bytes(80) + np.uint32(mesh.face_count).tobytes() + record.tobytes())


def write_ours(path: Path) -> None:
    """GLB, by our own writer, whose colours are those of faces."""
    mesh = in_the_world()
    write_mesh(path, mesh, np.zeros((mesh.face_count, 3), np.uint8))
