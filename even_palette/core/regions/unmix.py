"""Unmixing an ID map: every texel as shares of the pure ID colours that are really nearby.

Where two areas of an ID map meet, texels hold mixtures of their colours. A texel is *pure* where it and three more in
a square have one ID colour. All others are written as shares of pure colours at most three texels away: of one, two,
or, at junctions, three. The mixture decides; where several sets of colours explain it (three colours on one line in
RGB, or a mixture that happens to be the ID colour of another region), those decide that lie nearer and whose shares
are more like the areas around. This is the most probable set under Gaussian errors of the colour and of the shares.
"""

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property

import numpy as np

from even_palette.core.arrays import Bools, Floats, Levels, Samples, float32
from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.jobs import CancelToken
from even_palette.core.raster.plane import rgb_of
from even_palette.core.raster.tiles import TILE, Spot, each_tile
from even_palette.core.regions.chroma import TO_YCBCR, sharpened
from even_palette.core.regions.id_colours import IdColours

WHOLE = 65535
"""Shares are numbers of 16 bits that add up to this."""
CLEAN_ERROR, LOSSY_LUMA_ERROR, MOST_LOSSY_ERROR = 0.35, 3.0, 40.0
"""Standard deviations in 8-bit levels: of rounding; of luma from lossy files; the most that chroma may have."""
TRIAL_TEXELS = 20_000
CHROMA_ROUNDS = 4
Space = tuple[Floats, Floats, Floats]
"""Curve, slope and basis for `solve`."""
NONE = 65535
"""The label of a texel that is not pure."""


class Mixing(StrEnum):
    """In what encoding an ID map's soft edges were mixed."""

    FOUND = "found by itself"
    ENCODED = "encoded"
    LINEAR = "linear light"


@dataclass(frozen=True, eq=False)
class UnmixedTile:
    """Which colours occur on a tile, (n,) bool; the numbers of its mixed texels; whether it is of one colour alone."""

    there: Bools
    mixed: Samples
    whole: bool


@dataclass(frozen=True, eq=False)
class Unmixed:
    """An ID map as shares of pure colours.

    `colours` (n, 3) uint8 are the pure colours, `labels` (H, W) uint16 the colour of each texel that is of one alone.
    The others stand at `places` (m,), numbers of texels row by row in rising order, with three colours each in
    `parts` (m, 3) uint16 and their `shares` (m, 3) uint16, which add up to WHOLE. `mixing` is how the edges are mixed.
    """

    colours: Levels
    labels: Samples
    places: Samples
    parts: Samples
    shares: Samples
    mixing: Mixing

    @cached_property
    def tiles(self) -> list["UnmixedTile"]:
        """What is on each tile: which pure colours, and which of the mixed texels; row by row."""
        height, width = self.labels.shape
        across, rows = -(-width // TILE), self.places // width
        number = rows // TILE * across + self.places % width // TILE
        order = np.argsort(number, kind="stable")
        ends = np.searchsorted(number[order], np.arange(across * -(-height // TILE) + 1))

        def tile(spot: Spot) -> UnmixedTile:
            at = spot.down * across + spot.across
            mixed = order[ends[at] : ends[at + 1]]
            there = np.zeros(NONE + 1, dtype=bool)
            there[self.labels[spot.top : spot.bottom, spot.left : spot.right]] = True
            there = there[: len(self.colours)]
            whole = there.copy()
            there[self.parts[mixed][self.shares[mixed] > 0]] = True
            return UnmixedTile(there, mixed, len(mixed) == 0 and int(whole.sum()) == 1)

        return each_tile(height, width, tile)

    def tile_shares(self, colours: Bools, spot: Spot) -> Samples:
        """The share (h, w) uint16 that the chosen colours, (n,) bool, have of the texels of a tile together."""
        width = self.labels.shape[1]
        tile = self.tiles[spot.down * -(-width // TILE) + spot.across]
        if not (tile.there & colours).any():
            return np.broadcast_to(np.uint16(0), spot.shape)
        if tile.whole:
            return np.broadcast_to(np.uint16(WHOLE), spot.shape)
        labels = self.labels[spot.top : spot.bottom, spot.left : spot.right]
        chosen = np.append(colours, False)
        made = np.where(chosen[np.minimum(labels, len(colours))], np.uint16(WHOLE), np.uint16(0))
        places = self.places[tile.mixed]
        made[places // width - spot.top, places % width - spot.left] = self.mixed_shares(colours, tile.mixed)
        return made

    def shares_of(self, colours: Bools) -> Samples:
        """The share (H, W) uint16 that the chosen colours, (n,) bool, have of each texel together."""
        whole = np.where(np.append(colours, False)[np.minimum(self.labels, len(colours))], WHOLE, 0)
        whole = whole.astype(np.uint16)
        whole.reshape(-1)[self.places] = self.mixed_shares(colours, slice(None))
        return whole

    def mixed_shares(self, colours: Bools, which: Samples | slice) -> Samples:
        """The share, (k,) uint16, that the chosen colours have of some of the mixed texels."""
        parts, shares = self.parts[which], self.shares[which]
        return np.asarray(np.where(colours[parts], shares, 0).sum(axis=1, dtype=np.uint32), dtype=np.uint16)

    def of_colour(self, colour: Rgb8, tolerance: float) -> Bools:
        """Which pure colours an ID colour means: the nearest within a tolerance in levels (Chebyshev); (n,) bool."""
        distance = np.abs(self.colours.astype(np.int16) - np.array(colour, dtype=np.int16)).max(axis=1)
        return np.asarray((distance <= tolerance) & (distance == distance.min(initial=255)))


def unmix(
    levels: Samples,
    found: IdColours,
    others: tuple[Rgb8, ...] = (),
    mixing: Mixing = Mixing.FOUND,
    lossy: bool = False,
    cancel: CancelToken | None = None,
) -> Unmixed:
    """Unmix an ID map of levels (H, W, C) uint8.

    `found` are its colours as `list_id_colours` lists them, `others` colours that are pure wherever a square of four
    texels has them. With `lossy` the errors of the map, which block compression spread around its edges, are measured
    in Y'CbCr and allowed for; where chroma at half the size explains them better, that is undone. Raises Cancelled.
    """
    from even_palette.core.regions.unmix_kernel import pure_labels, solve

    def solved(rgb: Levels, space: Space, errors: Floats) -> tuple[Samples, Floats]:
        parts, shares, _ = solve(rgb, labels, table, places, *space, errors, cancel=cancel)
        parts, shares, _ = solve(rgb, labels, table, places, *space, errors, parts=parts, shares=shares, cancel=cancel)
        return parts, shares

    def lossy_errors(rgb: Levels) -> Floats:
        """How far lossy files are off, measured where borders are."""
        errors = np.array([LOSSY_LUMA_ERROR, 20.0, 20.0])
        for _ in range(3):
            errors[1:] = solve(rgb, labels, table, trial, *_space(Mixing.ENCODED, True), errors)[2][1:]
            errors = np.clip(errors, LOSSY_LUMA_ERROR, MOST_LOSSY_ERROR)
        return errors

    rgb = np.ascontiguousarray(rgb_of(levels))
    colours = _colours(found, others)
    table = np.array(colours, dtype=np.uint8).reshape(-1, 3)
    if not len(table):
        table = np.zeros((1, 3), dtype=np.uint8)
    noise = _noise(rgb, table) if lossy else 0
    labels = pure_labels(rgb, table, noise, cancel)
    unsure = at_borders(labels) if lossy else labels == NONE
    places = np.flatnonzero(unsure)
    trial = places[:: max(1, len(places) // TRIAL_TEXELS)]
    errors = lossy_errors(rgb) if lossy else np.full(3, CLEAN_ERROR)
    if mixing == Mixing.FOUND:
        misfits = {
            way: float(np.square(solve(rgb, labels, table, trial, *_space(way, lossy), errors)[2]).sum())
            for way in (Mixing.ENCODED, Mixing.LINEAR)
        }
        mixing = min(misfits, key=lambda way: misfits[way])
    space = _space(mixing, lossy)
    parts, shares = solved(rgb, space, errors)
    for round_ in range(CHROMA_ROUNDS if lossy else 0):
        sharp = sharpened(rgb, _pictured(labels, table, places, parts, shares, space[0]), cancel)
        sharp_errors = lossy_errors(sharp)
        if round_ == 0 and sharp_errors[1:].sum() >= errors[1:].sum():
            break  # its chroma is whole
        parts, shares = solved(sharp, space, sharp_errors)
    labels.reshape(-1)[places] = NONE
    return Unmixed(table, labels, places, parts, _in_16_bits(shares), mixing)


def _pictured(
    labels: Samples, table: Levels, places: Samples, parts: Samples, shares: Floats, curve: Floats
) -> Callable[[int, int], Floats]:
    """The ID map that shares tell of, some rows at a time, in levels."""

    def rows(first: int, last: int) -> Floats:
        height, width = last - first, labels.shape[1]
        own = slice(*np.searchsorted(places, (first * width, last * width)))
        picture = float32(table)[np.minimum(labels[first:last], len(table) - 1)]
        mixed = np.einsum("mk,mkc->mc", shares[own], curve[table][parts[own]])
        picture.reshape(height * width, 3)[places[own] - first * width] = np.interp(mixed, curve, np.arange(256))
        return picture

    return rows


def at_borders(labels: Samples) -> Bools:
    """Texels of labels (H, W) that are not pure, or touch one of another label: blurred borders reach that far."""
    padded = np.pad(labels, 1, mode="edge")
    height, width = labels.shape
    found: Bools = np.asarray(labels == NONE)
    for down, across in ((0, 0), (0, 1), (0, 2), (1, 0), (1, 2), (2, 0), (2, 1), (2, 2)):
        found |= padded[down : down + height, across : across + width] != labels
    return found


def _colours(found: IdColours, others: tuple[Rgb8, ...]) -> list[Rgb8]:
    """The listed colours, and those of the others that are none of them."""
    colours = [colour.levels for colour in found.colours]
    return [*colours, *(other for other in dict.fromkeys(others) if other not in colours)]


def _space(mixing: Mixing, lossy: bool) -> Space:
    """Curve, slope and basis for `solve`."""
    levels = np.arange(256)
    basis = float32(TO_YCBCR if lossy else np.eye(3))
    if mixing == Mixing.ENCODED:
        return float32(levels), float32(np.ones(256)), basis
    curve = srgb_to_linear(float32(levels / 255)) * np.float32(255)
    slope = np.gradient(levels, curve.astype(np.float64))
    return float32(curve), float32(slope), basis


def _noise(rgb: Levels, colours: Levels) -> int:
    """Within how many levels of its colour an area of a lossy map still counts as pure."""
    if len(colours) < 2:
        return 24
    distance = np.abs(colours[:, None].astype(np.int16) - colours[None]).max(axis=-1) + 999 * np.eye(len(colours))
    return int(np.clip(distance.min() // 3, 3, 24))


def _in_16_bits(shares: Floats) -> Samples:
    """Shares (m, 3) as 16-bit numbers that add up to WHOLE; what rounding leaves goes to the largest."""
    levels = np.asarray(np.floor(shares.astype(np.float64) * WHOLE + 0.5), dtype=np.int32)
    levels[np.arange(len(levels)), levels.argmax(axis=1)] += WHOLE - levels.sum(axis=1)
    return levels.astype(np.uint16)
