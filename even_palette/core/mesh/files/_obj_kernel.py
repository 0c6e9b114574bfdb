"""The compiled loops that scan the text of an OBJ file: they count what there is, then read it."""

import numba as nb
import numpy as np

LINE_BREAK, RETURN, SPACE, TAB, SLASH, MINUS, DOT = 10, 13, 32, 9, 47, 45, 46


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
def count(text):  # type: ignore[no-untyped-def]
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
def parse(text, v, vt, vn, corners, marked):  # type: ignore[no-untyped-def]
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
