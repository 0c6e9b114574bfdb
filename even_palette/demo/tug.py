"""The ferry tug's sheet: base colour painted over bare timber, and an ID map with soft edges and a few flaws."""

from dataclasses import dataclass

import numpy as np

from even_palette.core.arrays import Bools, Floats, Samples, float32
from even_palette.core.colour.hexcode import Rgb8, hex_to_encoded
from even_palette.core.raster.plane import Encoding, Plane, to_levels8
from even_palette.demo.noise import layered, soften, value_noise

SIDE = 1024
BACKGROUND: Rgb8 = (16, 16, 16)


@dataclass(frozen=True)
class Part:
    """A part of the tug: its ID colour, its paint, and the boxes (left, top, right, bottom) that it fills."""

    name: str
    id_colour: Rgb8
    paint: str
    boxes: tuple[tuple[int, int, int, int], ...]


PARTS = (
    Part("Hull", (220, 40, 40), "#8c3a2c", ((16, 16, 1008, 236),)),
    Part("Waterline", (240, 215, 60), "#d9cfb4", ((16, 236, 1008, 300),)),
    Part("Deck", (50, 170, 80), "#9a7a52", ((16, 324, 600, 560),)),
    Part("Cabin", (60, 90, 220), "#5f8a86", ((624, 324, 1008, 560),)),
    Part("Funnel", (160, 60, 190), "#c9a24a", ((16, 584, 330, 776),)),
    Part("Rails", (40, 200, 210), "#b7b2a6", tuple((354, 588 + 40 * i, 700, 614 + 40 * i) for i in range(5))),
    Part("Lamp", (235, 128, 30), "#c7b98f", ((724, 584, 1008, 776),)),
    Part("Fenders", (150, 200, 80), "#a08a5e", tuple((16, 804 + 54 * i, 1008, 846 + 54 * i) for i in range(4))),
)


def id_plane() -> Plane:
    """The ID map: one flat colour a part, edges blurred by about a texel, and flaws that a painter leaves."""
    levels = np.empty((SIDE, SIDE, 3), dtype=np.float32)
    levels[:] = BACKGROUND
    for part in PARTS:
        levels[_shape(part)] = part.id_colour
    _flaws(levels)
    softened = np.stack([soften(levels[..., c], 0.75) for c in range(3)], axis=-1)
    return Plane(np.asarray(softened + 0.5, dtype=np.uint8), Encoding.DATA)


def _shape(part: Part) -> Bools:
    """The texels of a part: its boxes, less what its outline cuts away (bow and stern, sloped roof, round lamp)."""
    y, x = np.mgrid[0:SIDE, 0:SIDE]
    inside = np.zeros((SIDE, SIDE), dtype=bool)
    for left, top, right, bottom in part.boxes:
        inside[top:bottom, left:right] = True
    match part.name:
        case "Hull" | "Waterline":
            bow, stern = (x - 16) < (300 - y) * 0.35 - 60, (1008 - x) < (300 - y) * 0.22 - 40
            inside &= ~bow & ~stern
        case "Cabin":
            inside &= ~((y - 324) < (x - 860) * 0.35)
        case "Lamp":
            inside &= ((x - 866) / 142) ** 2 + ((y - 680) / 94) ** 2 < 1
    return inside


def _flaws(levels: Floats) -> None:
    """Crumbs of a wrong colour on the hull, a hole in the deck, an off-colour smear on the cabin."""
    rng = np.random.default_rng(41)
    for _ in range(26):
        x, y, size = int(rng.integers(60, 950)), int(rng.integers(60, 220)), int(rng.integers(1, 4))
        levels[y : y + size, x : x + size] = (120, 150, 40)
    y, x = np.mgrid[0:SIDE, 0:SIDE]
    levels[((x - 470) / 16) ** 2 + ((y - 452) / 7) ** 2 < 1] = BACKGROUND
    smear = (np.abs((y - 500) - (x - 700) * 0.2) < 5) & (x > 690) & (x < 780)
    levels[smear] = (96, 96, 170)


def base_plane() -> Plane:
    """The base colour, sRGB 8 bit: timber, then the paint of every part with planks, wear and shading."""
    timber = _timber()
    colour = timber.copy()
    shape = (SIDE, SIDE)
    brush = layered(shape, (10.0, 70.0), 7)
    chips = layered(shape, (26.0, 34.0), 19, 5)
    for index, part in enumerate(PARTS):
        inside = soften(float32(_shape(part)), 0.6)
        shade, gaps = _relief(part.name, 100 + index)
        paint = float32(hex_to_encoded(part.paint)) * (0.86 + 0.28 * brush[..., None]) * shade[..., None]
        worn = np.clip((chips - 0.66 + 0.10 * gaps) * 14, 0, 1) * inside
        cover = (inside * (1 - 0.9 * worn))[..., None]
        colour = colour * (1 - cover) + paint * cover
        colour *= 1 - 0.45 * (gaps * inside)[..., None]
    colour = _windows(colour)
    grime = np.clip(layered(shape, (160.0, 60.0), 57) - 0.45, 0, 1) * 0.5
    return Plane(to_levels8(float32(colour * (1 - grime[..., None]))), Encoding.SRGB)


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
            return tone * (1.12 - 0.42 * radius), np.clip(1.2 - np.abs(radius - 0.62) * 40, 0, 1)
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
