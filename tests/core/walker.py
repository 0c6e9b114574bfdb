"""A client of packages, written from README.txt and package.json's own documentation alone: nothing of the program.

Pictures are read by Pillow and OpenImageIO, formulas are walked in float64.
"""

import json
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

Array = np.ndarray[Any, Any]


class Walker:
    """One sheet of a package."""

    def __init__(self, folder: Path, sheet: int = 0) -> None:
        self.folder = folder
        self.package = json.loads((folder / "package.json").read_text())
        self.sheet = self.package["sheets"][sheet]
        self.maps: dict[str, list[dict[str, Any]]] = {}
        for entry in self.sheet["maps"]:
            self.maps.setdefault(entry["slot"], []).append(entry)
        self.levels = {
            slot: [chain(decoded(folder, entry)) for entry in sorted(entries, key=lambda e: e["layer"])]
            for slot, entries in self.maps.items()
        }

    def values(self, variant: str = "", time: float = 0.0) -> dict[str, Any]:
        parameters = {parameter["name"]: parameter for parameter in self.package["parameters"]}
        if not variant:
            return {name: parameter["default"] for name, parameter in parameters.items()}
        found = next(each for each in self.package["variants"] if each["name"] == variant)
        moved = {name: at_time(track, parameters[name], time) for name, track in found["tracks"].items()}
        return {**found["values"], **moved}

    def outputs(self, uv: Array, variant: str = "", seed: float = 0.0, time: float = 0.0) -> dict[str, Array]:
        """All outputs at uv (h, w, 2), where a pixel is as large as the distance of the uvs."""
        height, width = uv.shape[:2]
        found: list[Array] = []
        values = self.values(variant, time)
        for node in self.sheet["program"]:
            args = [found[at] for at in node.get("args", ())]
            found.append(self.value(node, args, uv, values, seed, time, (1 / width, 0, 0, 1 / height)))
        size = uv.shape[:-1]
        return {
            output["name"]: np.broadcast_to(found[output["node"]], (*size, LANES[output["type"]]))
            for output in self.sheet["outputs"]
        }

    def value(
        self, node: Any, args: list[Array], uv: Array, values: Any, seed: float, time: float, pixel: Any
    ) -> Array:
        op, payload = node["op"], node.get("payload", [])
        match op:
            case "constant":
                return np.array(payload, float)
            case "parameter":
                return np.atleast_1d(np.array(values[payload[0]], float))
            case "uv":
                return uv
            case "seed" | "time":
                return np.array([seed if op == "seed" else time])
            case "pixel":
                return np.array(pixel, float)
            case "screen":
                rows, columns = np.mgrid[: uv.shape[0], : uv.shape[1]]
                return np.stack([columns, rows], -1).astype(float)
            case "join":
                shape = np.broadcast_shapes(*(a.shape[:-1] for a in args))
                return np.concatenate([np.broadcast_to(a, (*shape, a.shape[-1])) for a in args], axis=-1)
            case "swizzle":
                return args[0][..., ["xyzw".index(c) for c in payload[0]]]
            case "matrix":
                return args[0] @ np.array(payload).reshape(3, 3).T
            case "sample" | "layer":
                return self.minified(payload[0], int(payload[1]) if op == "layer" else 0, args[0], pixel)
            case "sample_lod":
                return self.at_level(payload[0], 0, args[0], args[1])
            case "layer_lod":
                return self.by_number(lambda m: self.at_level(payload[0], m, args[0], args[2]), args[1], args[0])
            case "strip":
                return self.strip(payload, args[0], args[1])
        return FORMULAS[op](*args)

    def by_number(self, sampled: Any, number: Array, at: Array) -> Array:
        shape = np.broadcast_shapes(number.shape[:-1], at.shape[:-1])
        wanted = np.broadcast_to(np.floor(number[..., 0] + 0.5), shape).astype(int)
        out = np.zeros((*shape, 4))
        for each in np.unique(wanted):
            out = np.where((wanted == each)[..., None], np.broadcast_to(sampled(int(each)), out.shape), out)
        return out

    def minified(self, slot: str, layer: int, at: Array, pixel: Any) -> Array:
        """From the levels whose texels are as large as a pixel (OpenGL 4.6, section 8.14.1)."""
        entry = self.maps[slot][0]
        longest = max(pixel[0] * entry["width"], pixel[3] * entry["height"])
        lod = max(0.0, float(np.log2(longest))) if entry["mips"] and longest > 1.0001 else 0.0
        if entry["filter"] == "nearest":
            return self.texel(slot, layer, at, int(np.floor(lod + 0.5)))
        low = int(lod)
        return self.texel(slot, layer, at, low) * (1 - lod + low) + self.texel(slot, layer, at, low + 1) * (lod - low)

    def texel(self, slot: str, layer: int, at: Array, number: int) -> Array:
        entry, layers = self.maps[slot][0], self.levels[slot]
        levels = layers[min(max(layer, 0), len(layers) - 1)]
        level = levels[min(max(number, 0), len(levels) - 1)]
        height, width = level.shape[:2]

        def fetch(i: Array, j: Array) -> Array:
            if entry["wrap"] == "repeat":
                i, j = i % width, j % height
            return level[np.clip(j, 0, height - 1).astype(int), np.clip(i, 0, width - 1).astype(int)]

        x, y = at[..., 0] * width, at[..., 1] * height
        if entry["filter"] == "nearest":
            return fetch(np.floor(x), np.floor(y))
        x, y = x - 0.5, y - 0.5
        i, j = np.floor(x), np.floor(y)
        a, b = (x - i)[..., None], (y - j)[..., None]
        upper = fetch(i, j) * (1 - a) + fetch(i + 1, j) * a
        return upper * (1 - b) + (fetch(i, j + 1) * (1 - a) + fetch(i + 1, j + 1) * a) * b

    def at_level(self, slot: str, layer: int, at: Array, lod: Array) -> Array:
        lod = np.clip(lod, 0, len(self.levels[slot][0]) - 1)

        def of_level(number: Array) -> Array:
            return self.by_number(lambda n: self.texel(slot, layer, at, n), number, at)

        if self.maps[slot][0]["filter"] == "nearest":
            return of_level(lod)
        low = np.floor(lod)
        return of_level(low) * (1 - lod + low) + of_level(low + 1) * (lod - low)

    def strip(self, payload: Any, position: Array, row: Array) -> Array:
        slot, width, height = payload
        assert self.levels[slot][0][0].shape[:2] == (height, width)
        u = (np.clip(position, 0, 1) * (width - 1) + 0.5) / width
        v = (np.clip(np.floor(row + 0.5), 0, height - 1) + 0.5) / height
        u, v = np.broadcast_arrays(u, v)
        return self.texel(slot, 0, np.concatenate([u, v], axis=-1), 0)


LANES = {"float": 1, "vec2": 2, "vec3": 3, "vec4": 4}


def decoded(folder: Path, entry: dict[str, Any]) -> Array:
    """A map (h, w, 4) as a shader samples it: a missing colour is 0, a missing alpha 1."""
    path = folder / entry["file"]
    if entry["bits"] == 32:
        import OpenImageIO as oiio

        whole = oiio.ImageBuf(str(path)).get_pixels(oiio.FLOAT).astype(float)
    elif entry["bits"] == 16 and entry["channels"] > 1:
        import OpenImageIO as oiio  # Pillow holds no colours of 16 bits

        whole = oiio.ImageBuf(str(path)).get_pixels(oiio.UINT16).astype(float) / 65535
    else:
        whole = np.asarray(Image.open(path)).astype(float) / (65535 if entry["bits"] == 16 else 255)
    whole = whole.reshape(entry["height"], entry["width"], entry["channels"])
    if entry["encoding"] == "srgb":
        colours = whole[..., :3]
        light = np.where(colours <= 0.04045, colours / 12.92, ((colours + 0.055) / 1.055) ** 2.4)
        whole = np.concatenate([light, whole[..., 3:]], axis=-1)
    out = np.zeros((*whole.shape[:2], 4))
    out[..., 3] = 1
    out[..., : whole.shape[2]] = whole
    return out


def chain(level: Array) -> list[Array]:
    """All levels: floor(n / 2) texels, each the mean of the area that it covers one level up."""
    levels = [level]
    while max(levels[-1].shape[:2]) > 1:
        last = levels[-1]
        for axis in (0, 1):
            n = last.shape[axis]
            m = max(1, n // 2)
            edges = np.arange(m + 1) * n / m
            sums = np.concatenate([np.zeros_like(np.take(last, [0], axis)), np.cumsum(last, axis)], axis)
            low = np.minimum(np.floor(edges).astype(int), n - 1)
            part = (edges - low).reshape([-1 if a == axis else 1 for a in range(3)])
            whole = np.take(sums, low, axis) + np.take(last, low, axis) * part
            last = np.diff(whole, axis=axis) * m / n
        levels.append(last)
    return levels


def _power(x: Array, e: Array) -> Array:
    with np.errstate(all="ignore"):
        return np.where(x > 0, np.maximum(x, 1e-300) ** e, np.where(e == 0, 1.0, 0.0))


def _smooth(low: Array, high: Array, x: Array) -> Array:
    with np.errstate(all="ignore"):
        t = np.clip((x - low) / np.where(high == low, 1, high - low), 0, 1)
    return np.where(low >= high, (x >= low) * 1.0, t * t * (3 - 2 * t))


def _divide(a: Array, b: Array) -> Array:
    return np.where(b == 0, 0, a / np.where(b == 0, 1, b))


FORMULAS: dict[str, Any] = {
    "add": np.add, "subtract": np.subtract, "multiply": np.multiply, "divide": _divide, "minimum": np.minimum,
    "maximum": np.maximum, "clamp": lambda x, a, b: np.minimum(np.maximum(x, a), b),
    "mix": lambda a, b, t: a * (1 - t) + b * t, "step": lambda edge, x: (x >= edge) * 1.0, "smoothstep": _smooth,
    "equal": lambda a, b: (a == b) * 1.0,
    "abs": np.abs, "sqrt": lambda x: np.sqrt(np.maximum(x, 0)), "pow": _power,
    "log2": lambda x: np.log2(np.maximum(x, 1e-30)), "floor": np.floor, "fract": lambda x: x - np.floor(x),
    "sin": np.sin, "cos": np.cos,
    "atan2": lambda y, x: np.where(y == 0, np.where(x < 0, np.pi, 0.0), np.arctan2(y, x)),
    "select": lambda c, a, b: np.where(c > 0.5, a, b),
    "length": lambda x: np.sqrt((x * x).sum(axis=-1, keepdims=True)),
    "dot": lambda a, b: (a * b).sum(axis=-1, keepdims=True),
}  # fmt: skip
"""Those of GLSL, with the cases closed as README.txt says."""


BEZIERS = {
    "ease": (0.25, 0.1, 0.25, 1), "ease-in": (0.42, 0, 1, 1), "ease-out": (0, 0, 0.58, 1), "ease-in-out": (0.42, 0, 0.58, 1),
}  # fmt: skip


def inside(repeat: str, a: float, b: float, t: float) -> float:
    """A time, or a number, brought between a and b as "repeat" says."""
    if a == b:
        return a
    if repeat == "once":
        return min(max(t, a), b)
    if repeat == "loop":
        return a + (t - a) % (b - a)
    w = (t - a) % (2 * (b - a))
    return a + min(w, 2 * (b - a) - w)


def eased(easing: str, x: float) -> float:
    """A curve of CSS by a fine table."""
    if easing in ("linear", "hold"):
        return x if easing == "linear" else 0.0
    x1, y1, x2, y2 = BEZIERS[easing]
    t = np.linspace(0, 1, 200_001)

    def curve(p: float, q: float) -> Array:
        return np.asarray(3 * (1 - t) ** 2 * t * p + 3 * (1 - t) * t**2 * q + t**3)

    return float(np.interp(x, curve(x1, x2), curve(y1, y2)))


def at_time(track: dict[str, Any], parameter: dict[str, Any], time: float) -> Any:
    """The value of a parameter at a time."""
    keys, repeat, whole = track["keys"], track["repeat"], parameter["kind"] in ("row", "switch")
    t = inside(repeat, keys[0]["time"], keys[-1]["time"], time)
    value = keys[-1]["value"]
    for one, other in pairwise(keys):
        if one["time"] <= t < other["time"]:
            share = 0.0 if whole else eased(one["easing"], (t - one["time"]) / (other["time"] - one["time"]))
            value = (np.array(one["value"]) * (1 - share) + np.array(other["value"]) * share).tolist()
            break
    if track["rate"] and parameter["type"] == "float":
        value = inside(repeat, parameter["low"], parameter["high"], value + track["rate"] * time)
    return float(np.rint(value)) if whole else value
