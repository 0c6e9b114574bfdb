"""A mesh as GLB (glTF 2.0), with a colour a face."""

from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from even_palette import __version__
from even_palette.core.arrays import Levels, Samples
from even_palette.core.disk.whole import write_whole
from even_palette.core.mesh.model import Mesh, distinct_rows

JSON_CHUNK, BINARY_CHUNK = 0x4E4F534A, 0x004E4942
TRIANGLES = 4
Document = dict[str, Any]


def write_glb(path: Path, mesh: Mesh, colours: Levels) -> None:
    """Write a mesh as GLB with a colour a face, (F, 3) uint8, as COLOR_0, a primitive for each slot.

    The levels are written as they are, not decoded to linear light as a renderer would expect (glTF 2.0, section
    3.7.2.1), so that a tool that reads them gets the ID colours back exactly. Raises OSError.
    """
    blob = bytearray()
    views: list[Document] = []
    accessors: list[Document] = []

    def add(values: Samples, target: int, extra: Document) -> int:
        views.append({"buffer": 0, "byteOffset": len(blob), "byteLength": values.nbytes, "target": target})
        if target == 34962:
            views[-1]["byteStride"] = values.strides[0]
        blob.extend(values.tobytes())
        blob.extend(b"\0" * (-len(blob) % 4))
        accessors.append({"bufferView": len(views) - 1, "count": len(values), **extra})
        return len(accessors) - 1

    primitives = []
    corners = mesh.corners()
    for slot in range(len(mesh.slots)):
        own = mesh.face_slot == slot
        if not own.any():
            continue
        parts = [corners[own], mesh.normals[own], *(uv[own] for uv in mesh.uv_sets)]
        wide = np.concatenate(parts, axis=-1).reshape(-1, 6 + 2 * len(mesh.uv_sets)).astype("<f4")
        shades = np.repeat(colours[own], 3, axis=0)
        first, number = distinct_rows(np.concatenate([wide.view(np.uint32), shades.astype(np.uint32)], axis=1))
        kept = np.ascontiguousarray(wide[first])
        length = np.linalg.norm(kept[:, 3:6], axis=1, keepdims=True)
        normals = np.where(length > 0, kept[:, 3:6] / np.where(length > 0, length, 1), (0, 1, 0)).astype("<f4")
        places = np.ascontiguousarray(kept[:, :3])
        rgba = np.full((len(first), 4), 255, dtype=np.uint8)
        rgba[:, :3] = shades[first]
        vec3 = {"componentType": 5126, "type": "VEC3"}
        low, high = places.min(axis=0).tolist(), places.max(axis=0).tolist()
        attributes = {
            "POSITION": add(places, 34962, {**vec3, "min": low, "max": high}),
            "NORMAL": add(normals, 34962, vec3),
            "COLOR_0": add(rgba, 34962, {"componentType": 5121, "type": "VEC4", "normalized": True}),
        }
        for index in range(len(mesh.uv_sets)):
            uv = np.ascontiguousarray(kept[:, 6 + 2 * index : 8 + 2 * index])
            attributes[f"TEXCOORD_{index}"] = add(uv, 34962, {"componentType": 5126, "type": "VEC2"})
        indices = add(number.astype("<u4"), 34963, {"componentType": 5125, "type": "SCALAR"})
        primitives.append({"attributes": attributes, "indices": indices, "material": slot, "mode": TRIANGLES})
    document = {
        "asset": {"version": "2.0", "generator": f"Even Palette {__version__}"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0, "name": path.stem}],
        "meshes": [{"name": path.stem, "primitives": primitives}],
        "materials": [{"name": name} for name in mesh.slots],
        "buffers": [{"byteLength": len(blob)}],
        "bufferViews": views,
        "accessors": accessors,
    }
    text = msgspec.json.encode(document)
    text += b" " * (-len(text) % 4)
    sizes = np.array([0x46546C67, 2, 28 + len(text) + len(blob), len(text), JSON_CHUNK], dtype="<u4").tobytes()
    tail = np.array([len(blob), BINARY_CHUNK], dtype="<u4").tobytes()
    write_whole(path, sizes + text + tail + bytes(blob))
