"""Palettes: colours by number, with rows that say what each number is in a variant."""

from collections.abc import Sequence
from typing import Annotated

import msgspec
import numpy as np
from msgspec import Meta
from msgspec.structs import replace

from even_palette.core.arrays import Floats, Levels, Samples
from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.errors import UserError
from even_palette.core.limits import MOST_ROWS
from even_palette.core.ranges import Key, check_declared
from even_palette.core.raster.plane import decode_levels, to_levels8
from even_palette.core.tones.adjust import shifted
from even_palette.core.tones.colours import to_levels, to_oklab

MOST_ENTRIES = 256
Entries = Annotated[tuple[Rgb8, ...], Meta(min_length=1, max_length=MOST_ENTRIES)]


class PaletteRow(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What the entries look like in one variant."""

    name: str
    colours: Entries


class Palette(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A palette of the kit. `key` stays when the name changes.

    `fitted` are the colours by which index maps are made: changing what an entry looks like in a row changes no index.
    All rows have as many colours. `kept` are those that a new fit must have.
    """

    key: Key
    name: str
    fitted: Entries
    rows: Annotated[tuple[PaletteRow, ...], Meta(min_length=1, max_length=MOST_ROWS)]
    kept: Annotated[tuple[Rgb8, ...], Meta(max_length=MOST_ENTRIES)] = ()

    @property
    def size(self) -> int:
        """How many entries it has."""
        return len(self.fitted)


def colours_of(entries: Levels) -> tuple[Rgb8, ...]:
    """Entries (n, 3) uint8 as tuples."""
    return tuple((int(red), int(green), int(blue)) for red, green, blue in entries)


def levels_of_colours(colours: Sequence[Rgb8]) -> Levels:
    """Colours as an array (n, 3) uint8."""
    return np.array(colours, dtype=np.uint8).reshape(-1, 3)


def new_palette(key: str, name: str, entries: Levels, row: str = "As painted") -> Palette:
    """A palette of one row."""
    found = colours_of(entries)
    return Palette(key, name, found, (PaletteRow(row, found),))


def strip_of(palette: Palette) -> Levels:
    """The strip of a palette, (rows, n, 3) uint8, encoded."""
    return np.stack([levels_of_colours(row.colours) for row in palette.rows])


def permuted(palette: Palette, order: Sequence[int] | Samples) -> Palette:
    """The palette with its entries, by their numbers, in another order, or with some left out."""
    chosen = [int(number) for number in order]
    rows = tuple(replace(row, colours=tuple(row.colours[n] for n in chosen)) for row in palette.rows)
    return replace(palette, fitted=tuple(palette.fitted[n] for n in chosen), rows=rows)


def merged(palette: Palette, first: int, second: int) -> Palette:
    """Two entries as one that lies between them; it stands where the first was."""

    def between(colours: tuple[Rgb8, ...]) -> tuple[Rgb8, ...]:
        lab = to_oklab(levels_of_colours([colours[first], colours[second]])).mean(axis=0)
        middle = colours_of(to_levels(lab[None]))[0]
        return tuple(middle if n == first else colour for n, colour in enumerate(colours) if n != second)

    if palette.size <= 2:
        raise UserError("A palette has at least two entries.")
    rows = tuple(replace(row, colours=between(row.colours)) for row in palette.rows)
    return replace(palette, fitted=between(palette.fitted), rows=rows)


def split(palette: Palette, entry: int, apart: tuple[Rgb8, Rgb8]) -> Palette:
    """An entry as two, which take its texels by these two colours; both look as it did, but for the first row."""
    if palette.size >= MOST_ENTRIES:
        raise UserError(f"A palette has at most {MOST_ENTRIES} entries.")

    def doubled(colours: tuple[Rgb8, ...], by: tuple[Rgb8, Rgb8]) -> tuple[Rgb8, ...]:
        return (*colours[:entry], *by, *colours[entry + 1 :])

    rows = [
        replace(row, colours=doubled(row.colours, apart if n == 0 else (row.colours[entry],) * 2))
        for n, row in enumerate(palette.rows)
    ]
    return replace(palette, fitted=doubled(palette.fitted, apart), rows=tuple(rows))


def shifted_row(
    row: PaletteRow, name: str, hue_turns: float, saturation: float, lightness: float, space: str = "oklch"
) -> PaletteRow:
    """A row whose colours are those of another one with hue, saturation and lightness moved."""
    encoded = levels_of_colours(row.colours).astype(np.float32) / np.float32(255)
    moved = shifted(encoded, hue_turns, saturation, lightness, space)
    return PaletteRow(name, colours_of(np.floor(moved * 255 + 0.5).astype(np.uint8)))


def row_along(row: PaletteRow, name: str, strip: Levels) -> PaletteRow:
    """A row whose entries take the colours of a strip (m, 3) uint8 by their own lightness, dark ones from its start."""
    light = to_oklab(levels_of_colours(row.colours))[:, 0]
    span = max(1e-6, float(light.max() - light.min()))
    at = np.round((light - light.min()) / span * (len(strip) - 1)).astype(int)
    return PaletteRow(name, colours_of(strip[at]))


def row_from_picture(palette: Palette, name: str, indices: Levels, rgb: Levels) -> PaletteRow:
    """A row of the mean colours that another picture of the same shapes (H, W, 3) has where each entry occurs.

    `indices` (H, W) are numbers of entries. One that does not occur keeps the colour of the first row.
    """
    if indices.shape != rgb.shape[:2]:
        raise UserError(
            f"The picture is {rgb.shape[1]} × {rgb.shape[0]}, the index map {indices.shape[1]} × {indices.shape[0]}; "
            "they must be of one size."
        )
    light: Floats = decode_levels(rgb).reshape(-1, 3)
    counts = np.bincount(indices.ravel(), minlength=palette.size)
    sums = np.stack([np.bincount(indices.ravel(), light[:, c], palette.size) for c in range(3)], axis=-1)
    means = to_levels8(linear_to_srgb((sums / np.maximum(counts, 1)[:, None]).astype(np.float32)))
    first = levels_of_colours(palette.rows[0].colours)
    return PaletteRow(name, colours_of(np.where(counts[:, None] > 0, means, first)))


def used_entries(indices: Levels, count: int) -> Samples:
    """How many texels of an index map (H, W) show each of `count` entries, (count,)."""
    return np.bincount(indices.ravel(), minlength=count)[:count]


def read_strip(levels: Levels) -> Levels:
    """The colours of a strip from elsewhere, (n, 3) uint8: its middle row, of any height. Raises UserError.

    A picture of cells, each several texels wide, gives each cell once, where cells are of one width.
    """
    row = levels[levels.shape[0] // 2, :, :3]
    begins = np.concatenate([[0], np.flatnonzero(np.any(row[1:] != row[:-1], axis=1)) + 1, [len(row)]])
    width = int(np.gcd.reduce(np.diff(begins)))
    found = row[:: max(1, width)] if len(row) > MOST_ENTRIES or width > 1 else row
    if not 1 <= len(found) <= MOST_ENTRIES:
        raise UserError(f"The strip has {len(found)} colours; a palette has up to {MOST_ENTRIES}.")
    return found


def check_palette(palette: Palette) -> None:
    """Raise UserError for a palette that was made here and does not hold."""
    check_declared(palette, "palette")
    check_rows(palette)


def check_rows(palette: Palette) -> None:
    """Raise UserError for a palette whose rows have not as many colours as it has entries."""
    if any(len(row.colours) != palette.size for row in palette.rows):
        raise UserError(f"palette “{palette.name[:40]}” has rows of different lengths.")
