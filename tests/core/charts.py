"""ID charts with curved borders and junctions, whose coverage is known: cells of a multiplicatively weighted Voronoi diagram."""

from dataclasses import dataclass
from functools import cache

import numba as nb
import numpy as np

from even_palette.core.arrays import Floats, Levels, Samples
from even_palette.core.colour.srgb import linear_to_srgb, srgb_to_linear

LINES, PIECES = 32, 8


@dataclass(frozen=True)
class Chart:
    """Levels (H, W, 3) uint8; the colours (n, 3); which texels are crossed by a border, and their weights (m, n)."""

    levels: Levels
    colours: Levels
    border: Samples
    weights: Floats
    labels: Samples


def grid_colours(count: int) -> Levels:
    """4, 16 or 64 colours whose channels are 0, 85, 170 or 255; of 64 all, so many lie on lines with others."""
    steps = np.array([0, 85, 170, 255])
    every = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(-1, 3)
    if count == 4:
        every = np.array([[255, 0, 0], [0, 255, 0], [0, 0, 255], [255, 255, 0]])
    elif count == 16:
        every = every[np.random.default_rng(3).permutation(64)[:16]]
    return every.astype(np.uint8)


def chart(count: int, side: int = 1024, linear: bool = False, seed: int = 1, cells: int = 2) -> Chart:
    """A chart of `count` colours with `cells` cells of each."""
    colours = grid_colours(count)
    labels, places, weights = _coverage(count, side, seed, cells)
    pure = colours.astype(np.float64) / 255
    pure = srgb_to_linear(pure).astype(np.float64) if linear else pure
    levels = colours[labels].reshape(-1, 3)
    mixed = weights @ pure
    mixed = linear_to_srgb(mixed) if linear else mixed
    levels[places] = np.clip(np.asarray(mixed, dtype=np.float64) * 255 + 0.5, 0, 255).astype(np.uint8)
    return Chart(levels.reshape(side, side, 3), colours, places, weights, labels)


@cache
def _coverage(count: int, side: int, seed: int, cells: int) -> tuple[Samples, Samples, Floats]:
    random = np.random.default_rng(seed)
    sites = random.random((count * cells, 2)) * side
    scale = random.uniform(0.85, 1.2, count * cells)
    owner = random.permutation(np.arange(count * cells) % count)
    labels, crossed = _labels(sites, scale, owner, side)
    places = np.flatnonzero(crossed.reshape(-1))
    weights = np.zeros((len(places), count))
    _cover(sites, scale, owner, places, side, weights)
    return labels, places, weights


@nb.njit(cache=True)
def _distance(sites, scale, site, x, y):  # type: ignore[no-untyped-def]
    return np.hypot(sites[site, 0] - x, sites[site, 1] - y) * scale[site]


@nb.njit(cache=True)
def _winner(sites, scale, x, y):  # type: ignore[no-untyped-def]
    best, least = 0, np.inf
    for site in range(len(sites)):
        far = ((sites[site, 0] - x) ** 2 + (sites[site, 1] - y) ** 2) * scale[site] ** 2
        if far < least:
            best, least = site, far
    return best


@nb.njit(cache=True)
def _labels(sites, scale, owner, side):  # type: ignore[no-untyped-def]
    corners = np.empty((2 * side + 1, 2 * side + 1), dtype=np.int64)
    for row in range(2 * side + 1):
        for column in range(2 * side + 1):
            corners[row, column] = owner[_winner(sites, scale, column / 2, row / 2)]
    labels = np.empty((side, side), dtype=np.int64)
    crossed = np.zeros((side, side), dtype=np.bool_)
    for row in range(side):
        for column in range(side):
            labels[row, column] = corners[2 * row + 1, 2 * column + 1]
            for down in range(3):
                for across in range(3):
                    crossed[row, column] |= corners[2 * row + down, 2 * column + across] != labels[row, column]
    return labels, crossed


@nb.njit(cache=True)
def _cover(sites, scale, owner, places, side, weights):  # type: ignore[no-untyped-def]
    """Coverage of texels: on LINES lines across each, the lengths between borders, found where distances are equal."""
    for m in range(len(places)):
        top, left = places[m] // side, places[m] % side
        for line in range(LINES):
            y = top + (line + 0.5) / LINES
            x, site = left * 1.0, _winner(sites, scale, left * 1.0, y)
            for piece in range(PIECES):
                end = left + (piece + 1) / PIECES
                other = _winner(sites, scale, end, y)
                if owner[other] == owner[site]:
                    weights[m, owner[site]] += (end - x) / LINES
                else:
                    before = _distance(sites, scale, other, x, y) - _distance(sites, scale, site, x, y)
                    after = _distance(sites, scale, site, end, y) - _distance(sites, scale, other, end, y)
                    at = x + (end - x) * before / (before + after)
                    weights[m, owner[site]] += (at - x) / LINES
                    weights[m, owner[other]] += (end - at) / LINES
                x, site = end, other
