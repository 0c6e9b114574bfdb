"""ID colours, keying, weights and packing."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.ndimage import gaussian_filter

from even_palette.core.arrays import float32
from even_palette.core.colour.hexcode import parse_hex
from even_palette.core.regions.id_colours import distinct_colours, list_id_colours
from even_palette.core.regions.keying import Metric, key_mask
from even_palette.core.regions.packing import pack_weights, plane_and_channel, unpack_weights
from even_palette.core.regions.weights import Resolve, coverage, quantize_weights, resolve_weights

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


def test_a_pure_texel_has_one_channel_at_255() -> None:
    """A pure ID texel has one channel at 255 and the others at 0 (common practice)."""
    pure = np.zeros((6, 1, 6), dtype=np.float32)
    for region in range(6):
        pure[region, 0, region] = 1
    table, index = quantize_weights(pure)[:, 0], np.arange(6)[None]
    first, second = (pack_weights(part, index).samples for part in (table[:4], table[4:]))
    assert first[0].tolist() == [[255, 0, 0, 0], [0, 255, 0, 0], [0, 0, 255, 0], [0, 0, 0, 255], [0] * 4, [0] * 4]
    assert second[0].tolist() == [[0] * 4] * 4 + [[255, 0, 0, 0], [0, 255, 0, 0]]


def test_packed_weights_are_unpacked_from_where_they_are() -> None:
    """Four regions a plane: the region with index 6 is the third channel of the second plane."""
    levels = np.random.default_rng(1).integers(0, 255, (7, 20)).astype(np.uint8)
    index = np.arange(20).reshape(4, 5)
    planes = [pack_weights(levels[:4], index), pack_weights(levels[4:], index)]
    assert plane_and_channel(6) == (1, 2)
    for row, level in enumerate(unpack_weights(planes, 7)):
        assert np.array_equal(level.ravel(), levels[row])


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
