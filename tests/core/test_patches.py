"""Patches and edges of masks against scipy.ndimage of the whole."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage

from even_palette.core.arrays import Bools
from even_palette.core.jobs import Cancelled, CancelToken
from even_palette.core.raster.tiles import TiledPlane, grid_of
from even_palette.core.regions.edges import border_length, texels_between
from even_palette.core.regions.patches import patches_in, patches_where

TOUCHING = {True: np.ones((3, 3)), False: ndimage.generate_binary_structure(2, 1)}


def assert_alike(chosen: Bools, corners: bool) -> None:
    """The same patches in the same order, with their sizes, rims and rectangles."""
    found, (height, width) = patches_in(chosen, corners), chosen.shape
    labels, count = ndimage.label(chosen, TOUCHING[corners])
    assert found.count == count
    everywhere = np.arange(chosen.size)
    assert np.array_equal(found.at(everywhere) + 1, labels.ravel())
    assert np.array_equal(found.sizes, np.bincount(labels.ravel(), minlength=count + 1)[1:])
    rim = np.unique(np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]]))
    assert np.array_equal(np.flatnonzero(found.at_rim) + 1, rim[rim > 0])
    which = np.arange(count) % 2 == 0
    places, patch = found.texels(which)
    assert np.array_equal(places, np.flatnonzero((labels % 2 == 1).ravel()))
    assert np.array_equal(patch + 1, labels.ravel()[places])
    for number, (rows, columns) in enumerate(ndimage.find_objects(labels)):
        assert found.bounds(number) == (columns.start, rows.start, columns.stop, rows.stop)
    assert (found.height, found.width) == (height, width)


@settings(max_examples=120, deadline=None)
@given(st.integers(1, 40), st.integers(1, 40), st.floats(0, 1), st.booleans(), st.integers(0, 99))
def test_patches_of_noise(height: int, width: int, share: float, corners: bool, seed: int) -> None:
    assert_alike(np.random.default_rng(seed).random((height, width)) < share, corners)


@pytest.mark.parametrize("corners", [True, False])
def test_patches_across_bands(corners: bool) -> None:
    """Larger than a band of rows, with patches that go round corners."""
    soft = ndimage.gaussian_filter(np.random.default_rng(3).random((700, 310)), 2.5)
    assert_alike(soft > 0.5, corners)
    assert_alike(np.ones((600, 5), dtype=bool), corners)
    assert_alike(np.zeros((300, 9), dtype=bool), corners)
    assert_alike(np.indices((300, 31)).sum(axis=0) % 2 == 0, corners)


def test_edges_by_bands() -> None:
    """Counts of a mask of tiles are those of the whole; a token that is cancelled ends each."""
    soft = ndimage.gaussian_filter(np.random.default_rng(5).random((600, 310)), 3)
    mask = np.uint16(np.clip((soft - 0.5) * 8 + 0.5, 0, 1) * 65535)
    plane, solid = TiledPlane(grid_of(mask[..., None])), mask >= 32768
    assert border_length(plane) == (solid[1:] != solid[:-1]).sum() + (solid[:, 1:] != solid[:, :-1]).sum()
    assert texels_between(plane, 6554, 50000) == ((mask > 6554) & (mask < 50000)).sum()
    token = CancelToken()
    token.cancel()
    for act in (border_length, lambda plane, cancel: texels_between(plane, 0, 9, cancel),
                lambda plane, cancel: patches_where(plane, lambda mask: mask > 9, True, cancel)):  # fmt: skip
        with pytest.raises(Cancelled):
            act(plane, token)
