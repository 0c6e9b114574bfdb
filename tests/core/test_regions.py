"""ID colours, keying, weights and packing."""

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.ndimage import gaussian_filter

from even_palette import scripting
from even_palette.core.arrays import float32
from even_palette.core.colour.hexcode import parse_hex
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.regions.id_colours import distinct_colours, list_id_colours
from even_palette.core.regions.keying import Metric, key_mask
from even_palette.core.regions.packing import plane_and_channel
from even_palette.core.regions.resolve_kernel import resolve_tile
from even_palette.core.regions.weights import Resolve, coverage, quantize_weights, resolve_weights
from even_palette.core.results.weights import weights_of

SIXTEEN = [
    "#ff0000", "#00ff00", "#0000ff", "#ffff00", "#ff00ff", "#00ffff", "#ffffff", "#000000",
    "#800000", "#008000", "#000080", "#808000", "#800080", "#008080", "#808080", "#ff8000",
]  # fmt: skip


def chart(cell: int) -> np.ndarray:
    """A 4 x 4 chart of 16 distinct colours."""
    colours = np.array([parse_hex(text) for text in SIXTEEN], dtype=np.uint8).reshape(4, 4, 3)
    return colours.repeat(cell, axis=0).repeat(cell, axis=1)


@pytest.mark.parametrize("cell", [1, 8])
@pytest.mark.parametrize("metric", list(Metric))
def test_every_cell_of_a_chart_is_keyed_alone(cell: int, metric: Metric) -> None:
    """A 4 x 4 chart of 16 distinct colours: every cell is keyed alone by its hex value (common practice)."""
    levels = chart(cell)
    for index, text in enumerate(SIXTEEN):
        mask = key_mask(levels, parse_hex(text), 12, 64, metric)
        row, column = divmod(index, 4)
        assert mask[row * cell : (row + 1) * cell, column * cell : (column + 1) * cell].min() == 1
        assert mask.sum() == cell * cell


@pytest.mark.parametrize("cell", [1, 8])
def test_the_chart_lists_its_sixteen_colours(cell: int) -> None:
    found = list_id_colours(chart(cell))
    assert {c.levels for c in found.colours} == {parse_hex(text) for text in SIXTEEN}
    assert {c.texels for c in found.colours} == {cell * cell}
    assert found.stray == 0


def test_any_number_of_id_colours_is_listed() -> None:
    """100 colours without any red, with noise of up to 3 levels and soft edges."""
    rng = np.random.default_rng(8)
    palette = np.array([(0, g, b) for g in range(0, 250, 25) for b in range(0, 250, 25)], dtype=np.float32)
    cells = palette.reshape(10, 10, 3).repeat(24, axis=0).repeat(24, axis=1)
    soft = np.stack([gaussian_filter(cells[..., c], 0.7) for c in range(3)], axis=-1)
    noisy = np.clip(soft + rng.integers(-3, 4, soft.shape), 0, 255).astype(np.uint8)
    found = list_id_colours(noisy)
    assert len(found.colours) == 100
    centres = np.array([c.levels for c in found.colours])
    assert max(np.abs(centres - want).max(axis=-1).min() for want in palette) <= 3


def test_soft_edges_are_stray_not_colours() -> None:
    levels = np.zeros((64, 64, 3), dtype=np.float32)
    levels[:, 32:] = (200, 100, 50)
    soft = np.stack([gaussian_filter(levels[..., c], 1.0) for c in range(3)], axis=-1).astype(np.uint8)
    found = list_id_colours(soft)
    assert len(found.colours) == 2
    assert found.stray > 0
    assert sum(c.texels for c in found.colours) + found.stray == 64 * 64


@given(st.integers(0, 400), st.integers(0, 400))
def test_mask_follows_smoothstep(inner: int, outer: int) -> None:
    """1 - smoothstep(inner, outer, d); smoothstep is 3t^2 - 2t^3 (GLSL 4.60, section 8.3)."""
    ramp = np.zeros((1, 256, 3), dtype=np.uint8)
    ramp[0, :, 1] = np.arange(256)
    mask = key_mask(ramp, (0, 0, 0), inner, outer, Metric.CHEBYSHEV)[0]
    d = np.arange(256.0)
    if inner >= outer:
        assert np.array_equal(mask, d <= inner)
    else:
        t = np.clip((d - inner) / (outer - inner), 0, 1)
        assert np.allclose(mask, 1 - (3 * t**2 - 2 * t**3), atol=1e-5)


def test_distances() -> None:
    """Chebyshev takes the largest channel, Euclidean the root of the squares."""
    texel = np.array([[[3, 4, 0]]], dtype=np.uint8)
    assert key_mask(texel, (0, 0, 0), 4, 4, Metric.CHEBYSHEV)[0, 0] == 1
    assert key_mask(texel, (0, 0, 0), 3.9, 3.9, Metric.CHEBYSHEV)[0, 0] == 0
    assert key_mask(texel, (0, 0, 0), 5, 5, Metric.EUCLIDEAN)[0, 0] == 1
    assert key_mask(texel, (0, 0, 0), 4.9, 4.9, Metric.EUCLIDEAN)[0, 0] == 0


def masks(seed: int, count: int) -> np.ndarray:
    values = np.random.default_rng(seed).random((count, 12, 9)).astype(np.float32)
    values[values < 0.3] = 0
    values[values > 0.8] = 1
    return values


@given(st.integers(0, 10**6), st.integers(1, 9), st.sampled_from(list(Resolve)))
def test_weights_and_base_add_up_to_one(seed: int, count: int, how: Resolve) -> None:
    """Weights are never negative, and with the base they add up to one; packed to 8 bits they do so exactly."""
    weights = resolve_weights(masks(seed, count), how)
    assert weights.min() >= 0
    assert weights.sum(axis=0).max() <= 1 + 1e-5
    levels = quantize_weights(weights)
    base = 255 - levels.astype(int).sum(axis=0)
    assert base.min() >= 0
    assert np.abs(levels / 255 - weights).max() < 1.01 / 255
    assert np.abs(base / 255 - (1 - weights.sum(axis=0))).max() < 1.01 / 255


def test_share_and_order() -> None:
    """share: in proportion where the sum exceeds one. order: over, as in Porter and Duff 1984, the first on top."""
    both = float32([[[1.0]], [[1.0]]])
    assert resolve_weights(both, Resolve.SHARE).ravel() == pytest.approx([0.5, 0.5])
    assert resolve_weights(both, Resolve.ORDER).ravel() == pytest.approx([1, 0])
    half = float32([[[0.5]], [[1.0]]])
    assert resolve_weights(half, Resolve.SHARE).ravel() == pytest.approx([1 / 3, 2 / 3])
    assert resolve_weights(half, Resolve.ORDER).ravel() == pytest.approx([0.5, 0.5])
    apart = float32([[[0.3]], [[0.2]]])
    assert resolve_weights(apart, Resolve.SHARE).ravel() == pytest.approx([0.3, 0.2])
    assert resolve_weights(apart, Resolve.ORDER).ravel() == pytest.approx([0.3, 0.14])


def test_a_pure_texel_has_one_channel_at_255(tmp_path: Path) -> None:
    """A pure ID texel has one channel at 255 and the others at 0 (common practice); four regions a plane, in order."""
    colours = [
        (250, 20, 20),
        (20, 250, 20),
        (20, 20, 250),
        (250, 250, 20),
        (20, 250, 250),
        (250, 20, 250),
        (120, 60, 0),
    ]
    ids = np.array([colours], dtype=np.uint8).repeat(3, axis=0)
    write_plane(tmp_path / "id.png", Plane(ids, Encoding.SRGB))
    with scripting.new_kit("Pure") as kit:
        kit.add_map(tmp_path / "id.png", role="ID map")
        kit.do("add_regions", kit.at().key, colours)
        weights = weights_of(kit.at(), kit.results)
    assert plane_and_channel(6) == (1, 2)
    planes = np.concatenate([plane.samples for plane in weights.packed], axis=-1)
    assert planes.shape == (3, 7, 8)
    assert np.array_equal(planes[1], np.eye(7, 8, dtype=np.uint8) * 255)
    for number, level in enumerate(weights.levels):
        assert np.array_equal(level, planes[..., number])
        assert weights.areas[number] == pytest.approx(1 / 7)
    rows, columns = np.array([0, 2]), np.array([1, 3, 6])
    for level, picked in zip(weights.levels, weights.picked(rows, columns), strict=True):
        assert np.array_equal(picked, level[np.ix_(rows, columns)])


def test_coverage_counts() -> None:
    sums, counts = float32([0, 0.5, 1, 1.5]), np.array([10, 20, 30, 40])
    seen = coverage(sums, counts)
    assert (seen.empty, seen.covered, seen.over) == pytest.approx((0.1, 0.7, 0.4))


def test_distinct_colours_reassemble_the_map() -> None:
    levels = np.random.default_rng(3).integers(0, 6, (20, 30, 3)).astype(np.uint8) * 40
    colours, index, counts = distinct_colours(levels)
    assert np.array_equal(colours[index][:, :, 0], levels)
    assert counts.sum() == 600
    assert len(np.unique(colours.reshape(-1, 3), axis=0)) == len(colours)


@pytest.mark.parametrize("how", list(Resolve))
def test_locked_regions_keep_what_they_have(how: Resolve) -> None:
    """A locked region has what it would have alone with the others that are locked; the rest shares what is left, at
    every texel, and by the compiled loop the same; without locks nothing changes."""
    rng = np.random.default_rng(6)
    masks = float32(rng.random((5, 30, 40)) * (rng.random((5, 30, 40)) < 0.7))
    masks[:, 0] = 1
    locked = [False, True, False, True, False]
    weights = resolve_weights(masks, how, locked)
    alone = resolve_weights(masks[[1, 3]], how)
    assert np.array_equal(weights[[1, 3]], alone)
    left = 1 - alone.sum(axis=0)
    others = weights[[0, 2, 4]].sum(axis=0)
    wanted = np.minimum(left, masks[[0, 2, 4]].sum(axis=0))
    if how == Resolve.SHARE:
        assert np.abs(others - wanted).max() < 1e-6
        total = masks[[0, 2, 4]].sum(axis=0)
        some = total > 0
        for at in (0, 2, 4):
            assert np.abs(weights[at] * total - masks[at] * wanted)[some].max() < 1e-6
    else:
        assert np.abs(weights[0] - masks[0] * (1 - masks[1]) * (1 - masks[3])).max() < 1e-6
    assert weights.sum(axis=0).max() <= 1 + 1e-6
    levels = np.asarray(masks * 65535 + 0.5, dtype=np.uint16)
    found, _, _ = resolve_tile(levels, how == Resolve.ORDER, locked)
    exact = quantize_weights(resolve_weights(float32(levels) / np.float32(65535), how, locked))
    assert np.abs(found.astype(int) - exact).max() <= 1
    assert (found != exact).mean() < 0.001
    assert np.array_equal(resolve_weights(masks, how, [False] * 5), resolve_weights(masks, how))
