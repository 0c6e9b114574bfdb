"""The ferry tug's mesh: clinker-built hull planks, deck, cabin, funnel, rails, lamp and fenders; metres, y up."""

from itertools import pairwise

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.mesh.model import Mesh
from even_palette.demo.shapes import Modeller, Texels

SIDE = 1024
LENGTH, BEAM = 8.0, 1.5
ROWS, WATER_ROWS = 9, 2
LAP = 0.03
GAP = 3.0

ID_COLOURS: dict[str, Rgb8] = {
    "Hull": (220, 40, 40),
    "Waterline": (240, 215, 60),
    "Deck": (50, 170, 80),
    "Cabin": (60, 90, 220),
    "Funnel": (160, 60, 190),
    "Rails": (40, 200, 210),
    "Lamp": (235, 128, 30),
    "Fenders": (150, 200, 80),
}


def tug_mesh() -> tuple[Mesh, tuple[str, ...]]:
    """The mesh, and the part of each face."""
    made = Modeller(SIDE)
    _hull(made)
    _stem(made)
    _deck(made)
    _cabin(made)
    _funnel(made)
    _rails(made)
    _lamp(made)
    _fenders(made)
    return made.mesh(ID_COLOURS)


def half_width(t: Samples, level: Samples) -> Samples:
    """Half the beam at t 0 (stern) .. 1 (bow) and level 0 (keel) .. 1 (gunwale)."""
    plan = np.where(t < 0.62, 0.80 + 0.20 * np.sin(np.pi * np.clip(t / 0.62, 0, 1) / 2 + 0.2), 0.0)
    bow = np.sqrt(np.clip(1 - ((t - 0.62) / 0.38) ** 2, 0, 1))
    plan = np.where(t < 0.62, plan, bow * 0.98)
    flare = 0.30 + 0.70 * np.sin(np.clip(level, 0, 1) * np.pi / 2) ** 0.8
    return np.asarray(BEAM * plan * flare)


def height(t: Samples, level: Samples) -> Samples:
    """Metres above the water; the gunwale rises towards the bow."""
    sheer = 0.62 + 0.55 * np.clip(t - 0.35, 0, 1) ** 2 + 0.12 * np.clip(0.2 - t, 0, 1)
    return np.asarray(-0.75 + level * (0.75 + sheer))


def along(t: Samples) -> Samples:
    return np.asarray((t - 0.5) * LENGTH)


def _hull(made: Modeller) -> None:
    """Seven rows of planks above two of the waterline on each side; each lies over the one below. Then the transom."""
    for row in range(ROWS):
        part = "Waterline" if row >= ROWS - WATER_ROWS else "Hull"
        top = 16 + 31 * row if row < 7 else 236 + 32 * (row - 7)
        bottom = top + (31 if row < 7 else 32)
        upper, lower = 1 - row / ROWS, 1 - (row + 1.12) / ROWS
        for side in (-1, 1):
            joints = np.linspace(0, 1, 5)
            joints[1:-1] += 0.05 * (1 if row % 2 else -1)
            first = 16 if side < 0 else 512
            for start, end in pairwise(joints):
                left, right = first + 496 * start, first + 496 * end
                t = np.linspace(start + 0.0006, end - 0.0006, 7)[None, :]
                level = np.array([[upper], [max(lower, 0.0)]])
                out = np.array([[0.0], [LAP]])
                x = side * (half_width(t, level) + out)
                points = np.stack(np.broadcast_arrays(x, height(t, level), along(t)), axis=-1)
                at = (left + GAP, top + GAP, right - GAP, bottom - GAP / 2)
                if side > 0:
                    points = points[:, ::-1]
                made.grid(points, at, part, "Painted wood")
    level = np.linspace(1, 0, 6)[:, None]
    share = np.linspace(-1, 1, 7)[None, :]
    width = half_width(np.zeros((1, 1)), level)
    points = np.stack(
        np.broadcast_arrays(-share * width, height(np.zeros((1, 1)), level), along(np.full((1, 1), 0.0))), -1
    )
    made.grid(points, (824, 332, 904, 434), "Hull", "Painted wood", turned=False)


def _stem(made: Modeller) -> None:
    """The post at the bow, from keel to gunwale."""
    level = np.linspace(1.04, 0.0, 8)
    path = np.stack([np.zeros(8), height(np.ones(8), level), along(np.full(8, 1.0)) - 0.02], axis=-1)
    made.tube(path, 0.075, (360, 780, 694, 800), "Hull", "Painted wood", 6)


def _deck(made: Modeller) -> None:
    """Fifteen planks from stern to bow, cut to the shape of the hull."""
    count = 15
    t = np.linspace(0.004, 0.985, 25)
    edge = half_width(t, np.array(0.86)) - 0.02
    y = height(t, np.array(0.86))
    for number in range(count):
        inner, outer = (-1 + 2 * (number + step) / count for step in (0.03, 0.97))
        left, right = np.clip(inner * BEAM * 0.98, -edge, edge), np.clip(outer * BEAM * 0.98, -edge, edge)
        keep = right - left > 0.012
        if keep.sum() < 2:
            continue
        points = np.stack(
            [np.stack([x[keep], y[keep] + 0.002, along(t[keep])], axis=-1) for x in (left, right)], axis=1
        )
        column = 16 + 37 * number
        at: Texels = (column + GAP, 332, column + 37 - GAP, 552)
        made.grid(points[::-1], at, "Deck", "Bare wood", turned=True)


def _box_wall(low: tuple[float, float], high: tuple[float, float], base: float, top: float) -> Samples:
    """A wall (2, 2, 3) from one place on the ground (x, z) to another, seen from outside with columns to the right."""
    return np.array(
        [[(low[0], top, low[1]), (high[0], top, high[1])], [(low[0], base, low[1]), (high[0], base, high[1])]]
    )


def _cabin(made: Modeller) -> None:
    base, top = float(height(np.array(0.5), np.array(0.86))), 2.05
    x, front, back = 0.78, 1.45, -0.55
    ring = [(x, back), (-x, back), (-x, front), (x, front), (x, back)]
    # Seen from outside a wall runs to the right: stern, port, bow, starboard.
    for number in range(4):
        left = 624 + 96 * number
        a, b = ring[number], ring[number + 1]
        made.grid(_box_wall(a, b, base, top), (left + GAP, 446, left + 96 - GAP, 556), "Cabin", "Painted wood")
    over, ridge = 0.12, top + 0.34
    for side, left in ((-1, 624), (1, 720)):
        eave = side * (x + over)
        points = np.array(
            [
                [(0.004 * side, ridge, back - over), (0.004 * side, ridge, front + over)],
                [(eave, top - 0.02, back - over), (eave, top - 0.02, front + over)],
            ]
        )
        made.grid(
            points if side < 0 else points[:, ::-1], (left + GAP, 332, left + 96 - GAP, 436), "Cabin", "Painted wood"
        )
    for z, left, flip in ((back, 912, False), (front, 960, True)):
        edge = np.array([[(-0.001, ridge - 0.02, z), (0.001, ridge - 0.02, z)], [(-x, top, z), (x, top, z)]])
        edge = edge if flip else edge[:, ::-1]
        made.grid(edge, (left + GAP, 332, left + 48 - GAP, 436), "Cabin", "Painted wood")


def _funnel(made: Modeller) -> None:
    centre, low, high = -1.55, 0.5, 2.6
    path = np.stack([np.zeros(9), np.linspace(low, high, 9), np.full(9, centre)], axis=-1)
    radius = 0.34 + 0.03 * np.cos(np.linspace(0, 4 * np.pi, 9)) + np.where(np.arange(9) == 8, 0.05, 0)
    made.tube(path, radius, (24, 592, 322, 716), "Funnel", "Iron", 20)
    made.dome((0, high - 0.05, centre), 1, 1, 0.33, (24, 724, 72, 772), "Funnel", "Iron")


def _rails(made: Modeller) -> None:
    """Top rails on both sides with eight posts each, the stern rail and the mast."""
    t = np.linspace(0.06, 0.90, 22)
    for number, side in enumerate((-1, 1)):
        x = side * (half_width(t, np.array(1.0)) - 0.05)
        path = np.stack([x, height(t, np.array(1.0)) + 0.5, along(t)], axis=-1)
        made.tube(path, 0.032, (360, 590 + 40 * number, 694, 612 + 40 * number), "Rails", "Iron", 6)
        for post, place in enumerate(np.linspace(0.07, 0.89, 8)):
            foot = np.array([side * (float(half_width(np.array(place), np.array(1.0))) - 0.05),
                             float(height(np.array(place), np.array(0.9))), float(along(np.array(place)))])  # fmt: skip
            tip = foot + np.array([0, float(height(np.array(place), np.array(1.0))) + 0.5 - foot[1], 0])
            left = 354 + 43.25 * post
            at = (left + GAP, 670 + 40 * number, left + 43.25 - GAP, 692 + 40 * number)
            made.tube(np.linspace(foot, tip, 3), 0.024, at, "Rails", "Iron", 6)
    width = float(half_width(np.array(0.06), np.array(1.0))) - 0.05
    y, z = float(height(np.array(0.06), np.array(1.0))) + 0.5, float(along(np.array(0.055)))
    made.tube(np.linspace((-width, y, z), (width, y, z), 5), 0.032, (360, 750, 520, 772), "Rails", "Iron", 6)
    made.tube(np.linspace((0, 2.2, 0.5), (0, 4.1, 0.3), 5), np.linspace(0.055, 0.03, 5), (530, 750, 694, 772), "Rails",
              "Iron", 6)  # fmt: skip


def _lamp(made: Modeller) -> None:
    centre = (0.0, 2.56, 1.3)
    for sign, left in ((1, 729), (-1, 871)):
        made.dome(centre, 2, sign, 0.24, (left, 614, left + 132, 746), "Lamp", "Glass")


def _fenders(made: Modeller) -> None:
    """A thick rope around the bow, ropes along both gunwales, and eight tyres on the hull."""
    for bar, side in ((0, -1), (0, 1), (1, -1), (1, 1)):
        low, high = (0.72, 0.985) if bar == 0 else (0.05, 0.70)
        for number in range(6):
            t = np.linspace(low + (high - low) * number / 6 + 0.002, low + (high - low) * (number + 1) / 6 - 0.002, 6)
            x = side * (half_width(t, np.array(1.0)) + 0.03)
            path = np.stack([x, height(t, np.array(1.0)) + 0.02, along(t)], axis=-1)
            left = 16 + 496 * (side > 0) + 82.6 * number
            at = (left + GAP, 808 + 54 * bar, left + 82.6 - GAP, 842 + 54 * bar)
            made.tube(path, 0.10 if bar == 0 else 0.07, at, "Fenders", "Rope", 8)
    for number in range(8):
        side, place = (-1, 1)[number % 2], 0.18 + 0.15 * (number // 2)
        middle = np.array([side * (float(half_width(np.array(place), np.array(0.7))) + 0.12),
                           float(height(np.array(place), np.array(0.72))), float(along(np.array(place)))])  # fmt: skip
        turn = np.linspace(0, 2 * np.pi, 13)
        path = middle + 0.26 * np.stack([np.zeros(13), np.sin(turn), np.cos(turn)], axis=-1)
        path[-1] = path[0]
        left = 16 + 124 * number
        made.tube(path, 0.09, (left + GAP, 916, left + 124 - GAP, 950), "Fenders", "Rope", 8)
