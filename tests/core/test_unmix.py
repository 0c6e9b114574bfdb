"""Unmixing ID maps against charts whose coverage is known, against keying, and against what a painter would say."""

import io
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from even_palette.core.arrays import Bools, Floats, Levels, Samples
from even_palette.core.checks import find
from even_palette.core.jobs import Cancelled, CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.model import Kit
from even_palette.core.kit.sheet import Unmix
from even_palette.core.raster.guess import Role
from even_palette.core.regions.id_colours import list_id_colours
from even_palette.core.regions.keying import Metric, key_mask
from even_palette.core.regions.unmix import NONE, WHOLE, Mixing, Unmixed, unmix
from even_palette.core.results.id_map import id_levels_of, unmixed_of
from even_palette.core.results.masks import mask_of
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.weights import weights_of
from tests.core.charts import Chart, chart
from tests.core.test_shapes import sheet

MOST_ERROR = {4: 0.5, 16: 2.0, 64: 3.0}
"""Mean error in 1/255 on the texels that borders cross, of the weights that are really there."""


def dense(made: Unmixed, colours: Levels) -> Floats:
    """Shares (H, W, n) of the given colours, each the nearest of those found."""
    shares = np.zeros((*made.labels.shape, len(colours)), dtype=np.float32)
    owner = np.abs(made.colours[:, None].astype(int) - colours[None]).max(axis=-1).argmin(axis=1)
    for number in range(len(colours)):
        shares[..., number] = made.shares_of(owner == number) / WHOLE
    return shares


def truth(made: Chart) -> Floats:
    """Coverage (H, W, n) of a chart."""
    shares = np.eye(len(made.colours), dtype=np.float32)[made.labels]
    shares.reshape(-1, len(made.colours))[made.border] = made.weights
    return shares


@pytest.mark.parametrize("linear", [False, True])
@pytest.mark.parametrize("count", [4, 16, 64])
def test_charts(count: int, linear: bool) -> None:
    """Weights that are there within the bars, exact sums, nothing of colours that are far, and the mixing found."""
    made = chart(count, 1024, linear, seed=count)
    found = unmix(made.levels, list_id_colours(made.levels))
    assert found.mixing == (Mixing.LINEAR if linear else Mixing.ENCODED)
    assert (found.shares.sum(axis=1, dtype=np.int64) == WHOLE).all()
    owner = np.abs(found.colours[:, None].astype(int) - made.colours[None]).max(axis=-1).argmin(axis=1)
    places = np.union1d(made.border, found.places)
    shares, real = np.zeros((2, len(places), count))
    shares[np.arange(len(places)), owner[np.minimum(found.labels.reshape(-1)[places], len(owner) - 1)]] = 1
    mixed = np.searchsorted(places, found.places)
    shares[mixed] = 0
    for part, share in zip(found.parts.T, found.shares.T, strict=True):
        np.add.at(shares, (mixed, owner[part]), share / WHOLE)
    real[np.arange(len(places)), made.labels.reshape(-1)[places]] = 1
    crossed = np.searchsorted(places, made.border)
    real[crossed] = made.weights
    error = np.abs(shares - real)
    assert 255 * error[crossed][real[crossed] > 0].mean() <= MOST_ERROR[count]
    pure = np.setdiff1d(np.arange(made.labels.size), places)
    assert (owner[found.labels.reshape(-1)[pure]] == made.labels.reshape(-1)[pure]).all()
    alone = np.delete(error, crossed, axis=0).max(axis=1, initial=0) > 0
    assert alone.sum() <= 5  # a single pure texel may look like a mixture
    assert shares[~nearby(made, places)].max() == 0


def nearby(made: Chart, places: Samples) -> Bools:
    """Which colours are really there within three texels of some places, (m, n) bool."""
    height, width = made.labels.shape
    near = np.zeros((len(places), len(made.colours)), dtype=bool)
    row_of = np.full(made.labels.size, -1)
    row_of[made.border] = np.arange(len(made.border))
    for down, across in np.ndindex(7, 7):
        rows = np.clip(places // width + down - 3, 0, height - 1)
        at = rows * width + np.clip(places % width + across - 3, 0, width - 1)
        near[np.arange(len(places)), made.labels.reshape(-1)[at]] = True
        crossed = row_of[at] >= 0
        near[crossed] |= made.weights[row_of[at[crossed]]] > 0
    return near


@pytest.mark.parametrize(("subsampling", "count"), [(0, 4), (2, 4), (0, 16), (2, 16)])
def test_lossy_files(subsampling: int, count: int) -> None:
    """JPEG of quality 90 (ITU-T T.81 by Pillow), full and halved chroma: at most half of the error of the best tolerances."""
    made = chart(count, 512, seed=7)
    kept = io.BytesIO()
    Image.fromarray(made.levels).save(kept, "JPEG", quality=90, subsampling=subsampling)
    levels = np.asarray(Image.open(kept))
    found = unmix(levels, list_id_colours(levels), lossy=True)
    there = made.weights > 0
    flat = levels.reshape(-1, 3)[made.border]

    def error(shares: Floats) -> float:
        return 255 * float(np.abs(shares - made.weights)[there].mean())

    keyed = []
    tolerances = [(inner, outer) for inner in (8, 16, 32, 64) for outer in (32, 64, 96, 128, 160, 200, 255)]
    for inner, outer in tolerances:
        if inner >= outer:
            continue
        masks = [key_mask(flat[None], tuple(map(int, c)), inner, outer, Metric.CHEBYSHEV)[0] for c in made.colours]
        stacked = np.stack(masks, axis=1)
        keyed.append(error(stacked / np.maximum(1, stacked.sum(axis=1, keepdims=True))))
    unmixed = error(dense(found, made.colours).reshape(-1, count)[made.border])
    assert unmixed <= min(keyed) / 2
    assert (found.shares.sum(axis=1, dtype=np.int64) == WHOLE).all()


def test_a_mixture_that_is_another_colour() -> None:
    """Half of black and white is grey: along the edge it is a mixture, in the grey area it is grey."""
    levels = np.zeros((32, 32, 3), dtype=np.uint8)
    levels[:, 16] = 128
    levels[:, 17:] = 255
    levels[20:, 24:] = 128
    found = unmix(levels, list_id_colours(levels), mixing=Mixing.ENCODED)
    shares = dense(found, np.array([[0, 0, 0], [255, 255, 255], [128, 128, 128]], dtype=np.uint8))
    assert shares[:, 16, 2].max() == 0
    assert shares[:, 16, 0] == pytest.approx(127 / 255, abs=0.002)
    assert shares[20:, 24:, 2].min() == 1


def test_thin_lines_and_single_texels_keep_their_colour() -> None:
    """A line one texel wide that is no mixture of what is beside it stays what it is; so does a chart of single texels."""
    levels = np.full((16, 16, 3), (200, 0, 0), dtype=np.uint8)
    levels[8] = (0, 0, 255)
    found = unmix(levels, list_id_colours(levels), others=((0, 0, 255),))
    assert (found.shares_of(found.of_colour((0, 0, 255), 0))[8] == WHOLE).all()
    levels = np.arange(48, dtype=np.uint8).reshape(4, 4, 3) * 5
    found = unmix(levels, list_id_colours(levels), others=tuple(tuple(map(int, c)) for c in levels.reshape(-1, 3)))
    for row, column in np.ndindex(4, 4):
        own = found.of_colour(tuple(map(int, levels[row, column])), 0)
        alone = np.zeros((4, 4), dtype=np.uint16)
        alone[row, column] = WHOLE
        assert (found.shares_of(own) == alone).all()


@pytest.mark.parametrize("absent", [(), (1,), (0, 4, 6)])
def test_seven_colours_split_in_one_step(absent: tuple[int, ...], tmp_path: Path) -> None:
    """Red, green, blue, cyan, magenta, yellow and white, also with some absent; with the base all add up to 255."""
    seven = [(255, 0, 0), (0, 255, 0), (0, 0, 255), (0, 255, 255), (255, 0, 255), (255, 255, 0), (255, 255, 255)]
    made = chart(4, 300, seed=5, cells=6)
    there = [colour for number, colour in enumerate(seven) if number not in absent]
    cells = np.array([there[label % len(there)] for label in range(4)], dtype=np.float64)
    shares = truth(made)
    levels = np.asarray(shares.astype(np.float64) @ cells + 0.5, dtype=np.uint8)
    history, sheets = sheet(tmp_path, np.zeros((300, 300, 3), np.uint8), levels), Sheets()
    history.do(commands.add_regions("sheet_1", seven))
    assert history.kit.sheets[0].unmix == Unmix()
    weights = weights_of(history.kit.at(), sheets)
    total = np.sum(weights.levels, axis=0, dtype=int)
    assert (total == 255).all()
    for number, colour in enumerate(seven):
        of_it = sum(shares[..., label] for label in range(4) if tuple(cells[label].astype(int)) == colour)
        difference = weights.levels[number] / 255 - of_it
        assert np.abs(difference).mean() < 0.5 / 255


def test_tiles_are_the_whole(tmp_path: Path) -> None:
    """Masks by tiles are the shares of the whole sheet, on a size that is no multiple of the tile, and with boxes on top."""
    made = chart(16, 601, seed=2)
    history, sheets = sheet(tmp_path, np.zeros((601, 601, 3), np.uint8), made.levels), Sheets()
    history.do(commands.add_regions("sheet_1", [tuple(map(int, colour)) for colour in made.colours]))
    at = history.kit.at()
    plane = id_levels_of(at, sheets)
    assert plane is not None
    found, _ = unmixed_of(at, sheets, plane)
    for region in at.sheet.regions:
        mask = mask_of(at, sheets, region.key).samples[..., 0]
        assert (mask == found.shares_of(found.of_colour(region.id_colour, 8))).all()
    levels = np.stack(weights_of(at, sheets).levels)
    assert (levels.sum(axis=0, dtype=int) == 255).all()


def test_stray_colours_are_dissolved_or_given(tmp_path: Path) -> None:
    """A blot of an odd colour: nothing's until it goes to the colour around it, or to the region that it is given to."""
    levels = np.full((64, 64, 3), (0, 0, 200), dtype=np.uint8)
    levels[:, 32:] = (200, 0, 0)
    levels[10:15, 10:15] = (90, 120, 10)
    history, sheets = sheet(tmp_path, np.zeros((64, 64, 3), np.uint8), levels), Sheets()
    history.do(commands.add_regions("sheet_1", [(0, 0, 200), (200, 0, 0)]))

    def weight(number: int) -> Levels:
        return weights_of(history.kit.at(), sheets).levels[number]

    assert weight(0)[10:15, 10:15].max() == 0
    assert strays(history.kit, sheets) == []  # 25 of 4,096 texels may be an area
    history.do(commands.dissolve_colours("sheet_1", [(90, 120, 10)]))
    assert (weight(0)[:, :32] == 255).all()
    history.undo()
    history.do(commands.give_colours("region_2", [(90, 120, 10)]))
    assert weight(1)[10:15, 10:15].min() == 255
    assert weight(0)[10:15, 10:15].max() == 0


def strays(kit: Kit, sheets: Sheets) -> list[str]:
    return [finding.text for finding in find(kit, sheets) if "stray" in finding.text]


def test_small_stray_areas_are_found(tmp_path: Path) -> None:
    """Told with their count, until they are given away or dissolved; soft edges are none."""
    levels = np.full((256, 256, 3), (0, 0, 200), dtype=np.uint8)
    levels[:, 128:] = (200, 0, 0)
    levels[:, 127] = (100, 0, 100)
    levels[10:15, 10:15] = (90, 120, 10)
    levels[50:54, 50:54] = (10, 220, 210)
    history, sheets = sheet(tmp_path, np.zeros((256, 256, 3), np.uint8), levels), Sheets()
    history.do(commands.add_regions("sheet_1", [(0, 0, 200), (200, 0, 0)]))
    assert strays(history.kit, sheets)[0].startswith("2 stray colours of the ID map, on 41 texels,")
    history.do(commands.dissolve_colours("sheet_1", [(90, 120, 10)]))
    assert strays(history.kit, sheets)[0].startswith("1 stray colour of the ID map, on 16 texels,")
    history.do(commands.give_colours("region_1", [(10, 220, 210)]))
    assert strays(history.kit, sheets) == []


def test_an_id_colour_that_is_a_little_off(tmp_path: Path) -> None:
    """A region takes the pure colour that is nearest to its own, and no area is left between the two."""
    levels = np.full((32, 32, 3), (254, 0, 2), dtype=np.uint8)
    levels[:, 16:] = (0, 200, 0)
    history, sheets = sheet(tmp_path, np.zeros((32, 32, 3), np.uint8), levels), Sheets()
    history.do(commands.add_regions("sheet_1", [(255, 0, 0), (3, 198, 5)]))
    weights = weights_of(history.kit.at(), sheets)
    assert weights.levels[0][:, :16].min() == 255
    assert weights.levels[1][:, 16:].min() == 255


def test_first_id_map_is_unmixed(tmp_path: Path) -> None:
    """JPEG files as lossy ones; one that had tolerances keeps them."""
    levels = np.zeros((8, 8, 3), np.uint8)
    history = sheet(tmp_path, levels, levels)
    source = history.kit.sheets[0].source(Role.ID)
    assert source is not None
    history.do(commands.set_unmix("sheet_1", None))
    history.do(commands.set_role("sheet_1", source.key, Role.ID))
    assert history.kit.sheets[0].unmix is None


def test_unmixing_can_be_cancelled() -> None:
    made = chart(16, 300, seed=3)
    token = CancelToken()
    token.cancel()
    with pytest.raises(Cancelled):
        unmix(made.levels, list_id_colours(made.levels), cancel=token)


def test_labels_of_noisy_areas() -> None:
    """Areas of a lossy map are pure though their texels differ, by the distances of the colours in RGB."""
    random = np.random.default_rng(1)
    levels = np.full((40, 40, 3), 120, dtype=np.int16) + random.integers(-4, 5, (40, 40, 3))
    levels[:, 20:] = np.array((220, 40, 40)) + random.integers(-4, 5, (40, 20, 3))
    found = unmix(levels.astype(np.uint8), list_id_colours(levels.astype(np.uint8)), lossy=True)
    apart = np.abs(np.arange(40) - 19.5) > 1
    assert (found.labels[:, apart] != NONE).all()
    assert np.array_equal(found.shares_of(found.of_colour((120, 120, 120), 8)) == WHOLE, np.indices((40, 40))[1] < 20)
