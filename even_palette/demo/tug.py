"""The ferry tug's sheet: base colour painted over bare timber, with normal, occlusion, roughness and metalness."""

from functools import cache

import numpy as np

from even_palette.core.arrays import Bools, Floats, Samples, float32
from even_palette.core.colour.hexcode import hex_to_encoded
from even_palette.core.raster.plane import Encoding, Plane, to_levels8
from even_palette.demo.noise import layered, soften, value_noise
from even_palette.demo.shapes import part_map
from even_palette.demo.tug_mesh import ID_COLOURS, SIDE, tug_mesh

PAINTS = {
    "Hull": "#8c3a2c",
    "Waterline": "#d9cfb4",
    "Deck": "#9a7a52",
    "Cabin": "#5f8a86",
    "Funnel": "#c9a24a",
    "Rails": "#b7b2a6",
    "Lamp": "#c7b98f",
    "Fenders": "#a08a5e",
}
ROUGH = {"Hull": 0.55, "Waterline": 0.6, "Deck": 0.8, "Cabin": 0.5, "Funnel": 0.42, "Rails": 0.35, "Lamp": 0.12,
         "Fenders": 0.95}  # fmt: skip
METAL = {"Rails": 1.0, "Funnel": 0.15}
REACH = 12
"""The paint goes so many texels over the edges of the islands."""


@cache
def _places() -> Samples:
    """The part of each texel by number, with paint over the edges; -1 for bare timber."""
    return part_map(*tug_mesh(), list(ID_COLOURS), SIDE, REACH)


def _shape(part: str) -> Bools:
    return np.asarray(_places() == list(ID_COLOURS).index(part))


def base_plane() -> Plane:
    """The base colour, sRGB 8 bit: timber, then the paint of every part with planks, wear and shading."""
    timber = _timber()
    colour = timber.copy()
    shape = (SIDE, SIDE)
    brush = layered(shape, (10.0, 70.0), 7)
    chips = layered(shape, (26.0, 34.0), 19, 5)
    for index, (part, colour_of_paint) in enumerate(PAINTS.items()):
        inside = soften(float32(_shape(part)), 0.6)
        shade, gaps = _relief(part, 100 + index)
        paint = float32(hex_to_encoded(colour_of_paint)) * (0.86 + 0.28 * brush[..., None]) * shade[..., None]
        worn = _worn(chips, gaps) * inside
        cover = (inside * (1 - 0.9 * worn))[..., None]
        colour = colour * (1 - cover) + paint * cover
        colour *= 1 - 0.45 * (gaps * inside)[..., None]
    colour = _windows(colour)
    grime = np.clip(layered(shape, (160.0, 60.0), 57) - 0.45, 0, 1) * 0.5
    return Plane(to_levels8(float32(colour * (1 - grime[..., None]))), Encoding.SRGB)


def _worn(chips: Floats, gaps: Floats) -> Floats:
    """Where paint is gone, 0..1."""
    return float32(np.clip((chips - 0.66 + 0.10 * gaps) * 14, 0, 1))


def dirt_plane() -> Plane:
    """Where paint is worn off to the timber (red) and where grime lies (green), 8 bit."""
    shape = (SIDE, SIDE)
    chips, worn = layered(shape, (26.0, 34.0), 19, 5), np.zeros(shape, dtype=np.float32)
    for index, part in enumerate(PAINTS):
        inside = _shape(part)
        worn[inside] = _worn(chips, _relief(part, 100 + index)[1])[inside]
    grime = np.clip(layered(shape, (160.0, 60.0), 57) - 0.45, 0, 1) * 1.6
    return Plane(to_levels8(float32(np.stack([soften(worn, 0.5), grime, np.zeros(shape)], axis=-1))), Encoding.DATA)


def finish_planes() -> dict[str, Plane]:
    """Normal (tangent space, green up), and occlusion, roughness and metalness packed in one file, 8 bit, all from the
    same planks, gaps and chips."""
    shape = (SIDE, SIDE)
    chips = layered(shape, (26.0, 34.0), 19, 5)
    rough, metal, height, open_ = np.full(shape, 0.85), np.zeros(shape), np.zeros(shape), np.ones(shape)
    for index, part in enumerate(PAINTS):
        inside = _shape(part)
        _, gaps = _relief(part, 100 + index)
        worn = _worn(chips, gaps)
        rough[inside] = (ROUGH[part] + (0.9 - ROUGH[part]) * 0.7 * worn)[inside]
        metal[inside] = METAL.get(part, 0.0) * (1 - 0.6 * worn)[inside]
        height[inside] = (-1.6 * gaps - 0.5 * worn)[inside]
        open_[inside] = (1 - 0.55 * gaps)[inside]
    height = soften(float32(height), 0.8) + 0.25 * layered(shape, (3.0, 30.0), 11, 2)
    down, right = np.asarray(np.gradient(height, axis=0)), np.asarray(np.gradient(height, axis=1))
    slope = np.stack([-right, down, np.ones(shape)], axis=-1)
    slope /= np.linalg.norm(slope, axis=-1, keepdims=True)
    packed = np.stack([soften(float32(open_), 1.5), rough, metal], axis=-1)
    return {
        "normal": Plane(to_levels8(float32(slope * 0.5 + 0.5)), Encoding.DATA),
        "packed": Plane(to_levels8(float32(packed)), Encoding.DATA),
    }


def _timber() -> Floats:
    shape = (SIDE, SIDE)
    bend = value_noise(shape, (90.0, 260.0), 3) * 60
    rows = np.arange(SIDE)[:, None] + bend
    grain = 0.5 + 0.5 * np.sin(rows * 0.55 + 5 * layered(shape, (14.0, 200.0), 5))
    fine = layered(shape, (2.0, 40.0), 9)
    tone = 0.72 + 0.14 * grain + 0.22 * fine
    return float32(float32(hex_to_encoded("#8a6b4a")) * tone[..., None])


def _relief(name: str, seed: int) -> tuple[Floats, Floats]:
    """Light and dark of a part's form, and where its gaps, rims and strands are, 0..1."""
    y, x = np.mgrid[0:SIDE, 0:SIDE].astype(np.float32)
    tone = 0.9 + 0.2 * value_noise((SIDE, SIDE), (40.0, 300.0), seed)
    match name:
        case "Hull" | "Waterline":
            plank = (y - 16) % 31
            gap = np.clip(1.6 - np.abs(plank - 1.5), 0, 1)
            butt = np.clip(1.3 - np.abs((x + 137 * np.floor((y - 16) / 31)) % 330 - 2), 0, 1)
            rivet = _dots((x + 40 * np.floor((y - 16) / 31)) % 82 - 41, plank - 15, 2.6)
            return tone * (1.06 - 0.010 * plank) * (1 + 0.25 * rivet), np.maximum(gap, butt)
        case "Deck":
            plank = (x - 16) % 37
            board = 0.86 + 0.28 * np.random.default_rng(seed).random(64)[((x - 16) // 37).astype(int) % 64]
            return tone * board, np.clip(1.8 - np.abs(plank - 1.5), 0, 1)
        case "Cabin":
            across, down = (x - 624) % 96, (y - 324) % 118
            panel = np.minimum(np.minimum(across, 96 - across), np.minimum(down, 118 - down))
            return tone * (0.92 + 0.10 * np.clip(panel / 10, 0, 1)), np.clip(1.5 - np.abs(panel - 1), 0, 1)
        case "Funnel":
            round_ = 0.62 + 0.46 * np.sin(np.clip((x - 16) / 314, 0, 1) * np.pi)
            hoop = np.clip(2.5 - np.abs((y - 584) % 64 - 4), 0, 1)
            return tone * round_, hoop * 0.8
        case "Rails":
            bar = np.clip(((y - 588) % 40) / 26, 0, 1)
            return tone * (0.60 + 0.55 * np.sin(bar * np.pi)), np.clip(1.5 - np.abs((x - 354) % 115 - 4), 0, 1)
        case "Lamp":
            radius = np.hypot((x - 866) / 142, (y - 680) / 94)
            return tone * (1.12 - 0.30 * np.minimum(radius, 1)), np.clip(1.2 - np.abs(radius - 0.62) * 40, 0, 1)
        case _:
            bar = np.clip(((y - 804) % 54) / 42, 0, 1)
            strand = 0.5 + 0.5 * np.sin((x + bar * 60) * 0.21)
            return tone * (0.58 + 0.5 * np.sin(bar * np.pi)) * (0.78 + 0.3 * strand), np.clip(0.25 - strand, 0, 1) * 3


def _dots(x: Samples, y: Samples, radius: float) -> Floats:
    return float32(np.clip(radius - np.hypot(x, y), 0, 1))


def _windows(colour: Floats) -> Floats:
    """Dark glass in the cabin wall."""
    y, x = np.mgrid[0:SIDE, 0:SIDE].astype(np.float32)
    glass = np.zeros((SIDE, SIDE), dtype=np.float32)
    for left in (650, 746, 842):
        box = np.maximum(np.abs(x - left - 24) - 24, np.abs(y - 486) - 34)
        glass = np.maximum(glass, np.clip(-box, 0, 1))
    sheen = float32(0.10 + 0.10 * ((x + y) % 140 < 40))
    tint = np.stack([sheen * 0.8, sheen * 1.05, sheen * 1.2], axis=-1)
    return float32(colour * (1 - glass[..., None]) + tint * glass[..., None])
