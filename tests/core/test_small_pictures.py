"""Small views of large planes: drawn of mips they are what they are of the whole planes."""

import numpy as np
import pytest

from even_palette.core.graph import slots
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import SHARP, Sampler
from even_palette.core.results.pictures import View, map_picture, render_reference
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.small_pictures import small_picture_of


@pytest.mark.parametrize(("height", "width"), [(640, 1280), (513, 1027), (900, 300)])
@pytest.mark.parametrize("encoding", [Encoding.SRGB, Encoding.DATA])
def test_a_small_view_is_the_same(height: int, width: int, encoding: Encoding) -> None:
    """Sizes that are no powers of two, and odd ones: within a level at every pixel, of a fraction of the texels."""
    noise = np.random.default_rng(height).integers(0, 256, (height, width, 3)).astype(np.uint8)
    whole, store = map_picture(Plane(noise, encoding)), Sheets()
    small = small_picture_of(whole, store, 256)
    assert 128 < max(small.finest) <= 256
    assert small_picture_of(small, store, 256) is small
    view = View((0.02, 0.01), (1 / 60, 1 / 40), 60, 40)
    drawn = [render_reference(shown, view).astype(int) for shown in (whole, small)]
    assert np.abs(drawn[0] - drawn[1]).max() <= 1
    assert small.slots["map"].content_id == small_picture_of(whole, store, 256).slots["map"].content_id


def test_what_is_read_without_mips_stays_whole() -> None:
    plane = Plane(np.zeros((600, 600, 1), np.uint8), Encoding.DATA)
    shown = map_picture(plane)
    for sampler in (Sampler(mips=False), SHARP):
        held = slots.of(plane, sampler)
        kept = small_picture_of(type(shown)(shown.outputs, {"map": held}, {}), Sheets(), 256).slots["map"]
        assert (kept.plane is plane) == (not sampler.mips)
