"""Wavefront OBJ (the file format's appendix B1 of 1995): v, vt, vn, f, usemtl, g and o; colours behind positions.

The text is scanned by compiled code: a library reads a mesh of a million faces in Python objects, drops groups, and
knows no limits.
"""

import numba as nb
import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.errors import UserError
from even_palette.core.mesh.files import MeshLimits
from even_palette.core.mesh.files._soup import check_corners, check_finite
from even_palette.core.mesh.model import Mesh, build_mesh
from even_palette.core.raster.plane import to_levels8

FAULTS = {1: "a number cannot be read", 2: "a face has fewer than three corners", 3: "a corner cannot be read"}
LINE_BREAK, RETURN, SPACE, TAB, SLASH, MINUS, DOT = 10, 13, 32, 9, 47, 45, 46


def read_obj(data: bytes, name: str, limits: MeshLimits, known_id: str = "") -> Mesh:
    """The mesh of an OBJ text; v of the file runs up and is turned down. Raises UserError."""
    data = data.replace(b"\\\r\n", b"   ").replace(b"\\\n", b"  ") if b"\\" in data else data
    text = np.frombuffer(data + b"\n", dtype=np.uint8)
    places, uvs, normals, triangles, marks = (int(count) for count in _count(text))
    for count in (places, uvs, normals):
        limits.check(name, "vertices", count)
    limits.check(name, "faces", triangles)
    v, vt, vn = np.zeros((places, 6)), np.zeros((uvs, 2)), np.zeros((normals, 3))
    corners = np.full((triangles, 3, 3), -1, dtype=np.int64)
    marked = np.zeros((marks, 2), dtype=np.int64)
    fault, line, coloured = _parse(text, v, vt, vn, corners, marked)
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


@nb.njit(nogil=True, cache=True)
def _blank(c):  # type: ignore[no-untyped-def]
    return c in (SPACE, TAB, RETURN)


@nb.njit(nogil=True, cache=True)
def _line_kind(text, at):  # type: ignore[no-untyped-def]
    """What a line starts with: 1 v, 2 vt, 3 vn, 4 f, 5 usemtl, g or o, 0 anything else; where its values start."""
    c = text[at]
    if c == LINE_BREAK or at + 1 >= len(text):
        return 0, at
    n = text[at + 1]
    if c == 118 and _blank(n):
        return 1, at + 1
    if c == 118 and at + 2 < len(text) and _blank(text[at + 2]):
        if n == 116:
            return 2, at + 2
        if n == 110:
            return 3, at + 2
    if c == 102 and _blank(n):
        return 4, at + 1
    if (c == 103 or c == 111) and _blank(n):
        return 5, at + 1
    if c == 117 and n == 115 and at + 6 < len(text) and text[at + 2] == 101 and text[at + 5] == 108:
        return 5, at + 6
    return 0, at


@nb.njit(nogil=True, cache=True)
def _count(text):  # type: ignore[no-untyped-def]
    v = vt = vn = triangles = marks = 0
    at = 0
    while at < len(text):
        while at < len(text) and _blank(text[at]):
            at += 1
        if at >= len(text):
            break
        kind, values = _line_kind(text, at)
        at = values
        if kind == 1:
            v += 1
        elif kind == 2:
            vt += 1
        elif kind == 3:
            vn += 1
        elif kind == 5:
            marks += 1
        words = 0
        inside = False
        while text[at] != LINE_BREAK:
            if text[at] == 35:  # a comment
                while text[at] != LINE_BREAK:
                    at += 1
                break
            if _blank(text[at]):
                inside = False
            elif not inside:
                inside = True
                words += 1
            at += 1
        if kind == 4 and words > 2:
            triangles += words - 2
        at += 1
    return v, vt, vn, triangles, marks


@nb.njit(nogil=True, cache=True)
def _number(text, at):  # type: ignore[no-untyped-def]
    """A decimal number and where it ends; -1 where there is none."""
    sign = 1.0
    if text[at] == MINUS:
        sign = -1.0
        at += 1
    elif text[at] == 43:
        at += 1
    mantissa = 0.0
    digits = scale = 0
    while 48 <= text[at] <= 57:
        mantissa = mantissa * 10.0 + (text[at] - 48)
        digits += 1
        at += 1
    if text[at] == DOT:
        at += 1
        while 48 <= text[at] <= 57:
            if digits < 18:
                mantissa = mantissa * 10.0 + (text[at] - 48)
                scale -= 1
            digits += 1
            at += 1
    if digits == 0:
        return 0.0, -1
    if text[at] == 101 or text[at] == 69:
        at += 1
        negative = text[at] == MINUS
        if text[at] == MINUS or text[at] == 43:
            at += 1
        power = 0
        if not 48 <= text[at] <= 57:
            return 0.0, -1
        while 48 <= text[at] <= 57:
            power = min(power * 10 + (text[at] - 48), 9999)
            at += 1
        scale += -power if negative else power
    value = mantissa / 10.0**-scale if scale < 0 else mantissa * 10.0**scale
    return sign * value, at


@nb.njit(nogil=True, cache=True)
def _index(text, at):  # type: ignore[no-untyped-def]
    negative = text[at] == MINUS
    if negative:
        at += 1
    if not 48 <= text[at] <= 57:
        return 0, -1
    value = 0
    while 48 <= text[at] <= 57:
        value = min(value * 10 + (text[at] - 48), 1 << 40)
        at += 1
    return -value if negative else value, at


@nb.njit(nogil=True, cache=True)
def _parse(text, v, vt, vn, corners, marked):  # type: ignore[no-untyped-def]
    """Fill the arrays. Gives a fault (0 for none), the line where it is, and how many positions have colours."""
    counts = np.zeros(3, dtype=np.int64)
    triangle = mark = coloured = line = 0
    first = np.full(3, -1, dtype=np.int64)
    before = np.full(3, -1, dtype=np.int64)
    now = np.full(3, -1, dtype=np.int64)
    at = 0
    while at < len(text):
        line += 1
        while at < len(text) and _blank(text[at]):
            at += 1
        if at >= len(text):
            break
        start = at
        kind, at = _line_kind(text, at)
        if 1 <= kind <= 3:
            width = 8 if kind == 1 else 3
            words = 0
            values = np.zeros(8)
            while True:
                while _blank(text[at]):
                    at += 1
                if text[at] == LINE_BREAK or text[at] == 35 or words == width:
                    break
                values[words], at = _number(text, at)
                if at < 0:
                    return 1, line, coloured
                words += 1
            if words < (1 if kind == 2 else 3):
                return 1, line, coloured
            if kind == 1:
                v[counts[0], :3] = values[:3]
                if words >= 6:
                    shift = 4 if words == 7 else 3
                    v[counts[0], 3:] = values[shift : shift + 3]
                    coloured += 1
            elif kind == 2:
                vt[counts[1]] = values[:2]
            else:
                vn[counts[2]] = values[:3]
            counts[kind - 1] += 1
        elif kind == 4:
            words = 0
            while True:
                while _blank(text[at]):
                    at += 1
                if text[at] == LINE_BREAK or text[at] == 35:
                    break
                now[:] = -1
                for part in range(3):
                    if part and text[at] != SLASH:
                        break
                    if part:
                        at += 1
                        if part == 1 and text[at] == SLASH:
                            continue
                        if _blank(text[at]) or text[at] == LINE_BREAK:
                            break
                    value, at = _index(text, at)
                    if at < 0:
                        return 3, line, coloured
                    now[part] = counts[part] + value if value < 0 else value - 1
                    if now[part] < 0:
                        now[part] = 1 << 40
                if not (_blank(text[at]) or text[at] == LINE_BREAK):
                    return 3, line, coloured
                if words == 0:
                    first[:] = now
                elif words >= 2:
                    corners[triangle, 0] = first
                    corners[triangle, 1] = before
                    corners[triangle, 2] = now
                    triangle += 1
                before[:] = now
                words += 1
            if words < 3:
                return 2, line, coloured
        elif kind == 5:
            marked[mark, 0] = start
            marked[mark, 1] = triangle
            mark += 1
        while text[at] != LINE_BREAK:
            at += 1
        at += 1
    return 0, 0, coloured
