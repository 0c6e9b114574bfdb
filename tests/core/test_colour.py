"""Colour spaces and differences against published values and general-purpose reference libraries."""

import colorsys

import coloraide
import colour
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from skimage import color as skcolor

from even_palette.core.arrays import float32
from even_palette.core.colour import hexcode, hsl, hsv, luma, oklab, srgb, yiq
from even_palette.core.colour.ciede2000 import ciede2000
from even_palette.core.colour.cielab import linear_to_cielab

CUBE = float32(np.stack(np.meshgrid(*[np.linspace(0, 1, 9)] * 3), axis=-1))
RGB = st.tuples(*[st.integers(0, 65535).map(lambda level: level / 65535)] * 3)


@pytest.mark.parametrize(
    ("encoded", "linear"),
    [(0.0, 0.0), (0.04045, 0.0031308), (0.5, 0.214041), (1.0, 1.0), (10 / 255, 0.003035), (188 / 255, 0.502886)],
)
def test_srgb_values_of_the_standard(encoded: float, linear: float) -> None:
    """IEC 61966-2-1: break points; the others worked out by hand from its formula."""
    assert float(srgb.srgb_to_linear(float32(encoded))) == pytest.approx(linear, abs=2e-6)
    assert float(srgb.linear_to_srgb(float32(linear))) == pytest.approx(encoded, abs=2e-5)


def test_srgb_equals_colour_science() -> None:
    """colour-science: eotf_sRGB, eotf_inverse_sRGB."""
    ramp = np.linspace(0, 1, 4096)
    assert np.allclose(srgb.srgb_to_linear(float32(ramp)), colour.models.eotf_sRGB(ramp), atol=1e-6)
    assert np.allclose(srgb.linear_to_srgb(float32(ramp)), colour.models.eotf_inverse_sRGB(ramp), atol=1e-6)


def test_luma_and_luminance_weights() -> None:
    """ITU-R BT.601-7 section 2.5.1 and BT.709-6 item 3.2."""
    assert luma.luma(float32(np.eye(3))) == pytest.approx([0.299, 0.587, 0.114])
    assert luma.luminance(float32(np.eye(3))) == pytest.approx([0.2126, 0.7152, 0.0722])


def test_yiq_equals_scikit_image() -> None:
    """scikit-image: rgb2yiq, yiq2rgb."""
    assert np.allclose(yiq.rgb_to_yiq(CUBE), skcolor.rgb2yiq(CUBE), atol=1e-6)
    assert np.allclose(yiq.yiq_to_rgb(yiq.rgb_to_yiq(CUBE)), CUBE, atol=1e-6)


@given(RGB)
def test_hsv_and_hsl_equal_colorsys(rgb: tuple[float, float, float]) -> None:
    """Python's colorsys: rgb_to_hsv, rgb_to_hls and their inverses. Hue is compared on the circle."""
    h, s, v = (float(x) for x in hsv.rgb_to_hsv(float32(rgb)))
    expected = colorsys.rgb_to_hsv(*rgb)
    assert (s, v) == pytest.approx(expected[1:], abs=1e-5)
    if min(rgb) < max(rgb) - 1e-3:
        assert abs((h - expected[0] + 0.5) % 1 - 0.5) < 1e-3
    lightness = float(hsl.rgb_to_hsl(float32(rgb))[2])
    assert lightness == pytest.approx(colorsys.rgb_to_hls(*rgb)[1], abs=1e-6)
    for there, back in ((hsv.rgb_to_hsv, hsv.hsv_to_rgb), (hsl.rgb_to_hsl, hsl.hsl_to_rgb)):
        assert back(there(float32(rgb))) == pytest.approx(rgb, abs=1e-5)


def test_hsl_to_rgb_equals_colorsys() -> None:
    """Python's colorsys: hls_to_rgb."""
    for h, s, lightness in np.random.default_rng(2).random((200, 3)):
        assert hsl.hsl_to_rgb(float32((h, s, lightness))) == pytest.approx(
            colorsys.hls_to_rgb(h, lightness, s), abs=1e-5
        )


def test_hsv_equals_scikit_image() -> None:
    """scikit-image: rgb2hsv."""
    assert np.allclose(hsv.rgb_to_hsv(CUBE), skcolor.rgb2hsv(CUBE), atol=1e-6)


@pytest.mark.parametrize(
    ("xyz", "lab"),
    [
        ((0.950, 1.000, 1.089), (1.000, 0.000, 0.000)),
        ((1.000, 0.000, 0.000), (0.450, 1.236, -0.019)),
        ((0.000, 1.000, 0.000), (0.922, -0.671, 0.263)),
        ((0.000, 0.000, 1.000), (0.153, -1.415, -0.449)),
    ],
)
def test_oklab_pairs_of_its_author(xyz: tuple[float, ...], lab: tuple[float, ...]) -> None:
    """Ottosson 2020, table of XYZ and Oklab pairs, three digits."""
    to_rgb = np.linalg.inv(colour.RGB_COLOURSPACES["ITU-R BT.709"].matrix_RGB_to_XYZ)
    assert oklab.linear_to_oklab(float32(to_rgb @ xyz)) == pytest.approx(lab, abs=2e-3)


@given(RGB)
def test_oklch_equals_coloraide(rgb: tuple[float, float, float]) -> None:
    """coloraide: srgb to oklch."""
    lightness, chroma, hue = coloraide.Color("srgb", list(rgb)).convert("oklch").coords()
    lch = oklab.oklab_to_oklch(oklab.linear_to_oklab(srgb.srgb_to_linear(float32(rgb))))
    assert (float(lch[0]), float(lch[1])) == pytest.approx((lightness, chroma), abs=5e-4)
    if chroma > 0.01:
        assert abs((float(lch[2]) - hue / 360 + 0.5) % 1 - 0.5) < 2e-3
    assert oklab.oklab_to_linear(oklab.oklch_to_oklab(lch)) == pytest.approx(
        srgb.srgb_to_linear(float32(rgb)), abs=1e-5
    )


def test_cielab_equals_colour_science() -> None:
    """colour-science: XYZ_to_Lab with the D65 white of Rec. 709."""
    xyz = colour.RGB_to_XYZ(CUBE, "ITU-R BT.709", apply_cctf_decoding=False)
    expected = colour.XYZ_to_Lab(xyz, colour.RGB_COLOURSPACES["ITU-R BT.709"].whitepoint)
    assert np.allclose(linear_to_cielab(CUBE), expected, atol=0.02)


SHARMA = """
50.0000 2.6772 -79.7751 50.0000 0.0000 -82.7485 2.0425
50.0000 3.1571 -77.2803 50.0000 0.0000 -82.7485 2.8615
50.0000 2.8361 -74.0200 50.0000 0.0000 -82.7485 3.4412
50.0000 -1.3802 -84.2814 50.0000 0.0000 -82.7485 1.0000
50.0000 -1.1848 -84.8006 50.0000 0.0000 -82.7485 1.0000
50.0000 -0.9009 -85.5211 50.0000 0.0000 -82.7485 1.0000
50.0000 0.0000 0.0000 50.0000 -1.0000 2.0000 2.3669
50.0000 -1.0000 2.0000 50.0000 0.0000 0.0000 2.3669
50.0000 2.4900 -0.0010 50.0000 -2.4900 0.0009 7.1792
50.0000 2.4900 -0.0010 50.0000 -2.4900 0.0010 7.1792
50.0000 2.4900 -0.0010 50.0000 -2.4900 0.0011 7.2195
50.0000 2.4900 -0.0010 50.0000 -2.4900 0.0012 7.2195
50.0000 -0.0010 2.4900 50.0000 0.0009 -2.4900 4.8045
50.0000 -0.0010 2.4900 50.0000 0.0010 -2.4900 4.8045
50.0000 -0.0010 2.4900 50.0000 0.0011 -2.4900 4.7461
50.0000 2.5000 0.0000 50.0000 0.0000 -2.5000 4.3065
50.0000 2.5000 0.0000 73.0000 25.0000 -18.0000 27.1492
50.0000 2.5000 0.0000 61.0000 -5.0000 29.0000 22.8977
50.0000 2.5000 0.0000 56.0000 -27.0000 -3.0000 31.9030
50.0000 2.5000 0.0000 58.0000 24.0000 15.0000 19.4535
50.0000 2.5000 0.0000 50.0000 3.1736 0.5854 1.0000
50.0000 2.5000 0.0000 50.0000 3.2972 0.0000 1.0000
50.0000 2.5000 0.0000 50.0000 1.8634 0.5757 1.0000
50.0000 2.5000 0.0000 50.0000 3.2592 0.3350 1.0000
60.2574 -34.0099 36.2677 60.4626 -34.1751 39.4387 1.2644
63.0109 -31.0961 -5.8663 62.8187 -29.7946 -4.0864 1.2630
61.2901 3.7196 -5.3901 61.4292 2.2480 -4.9620 1.8731
35.0831 -44.1164 3.7933 35.0232 -40.0716 1.5901 1.8645
22.7233 20.0904 -46.6940 23.0331 14.9730 -42.5619 2.0373
36.4612 47.8580 18.3852 36.2715 50.5065 21.2231 1.4146
90.8027 -2.0831 1.4410 91.1528 -1.6435 0.0447 1.4441
90.9257 -0.5406 -0.9208 88.6381 -0.8985 -0.7239 1.5381
6.7747 -0.2908 -2.4247 5.8714 -0.0985 -2.2286 0.6377
2.0776 0.0795 -1.1350 0.9033 -0.0636 -0.5514 0.9082
"""


def test_ciede2000_table_of_its_paper() -> None:
    """Sharma, Wu, Dalal 2005, table 1: all 34 pairs, four digits, both ways round."""
    rows = np.array([[float(x) for x in line.split()] for line in SHARMA.split("\n") if line])
    assert rows.shape == (34, 7)
    assert np.abs(ciede2000(rows[:, :3], rows[:, 3:6]) - rows[:, 6]).max() < 1e-4
    assert np.abs(ciede2000(rows[:, 3:6], rows[:, :3]) - rows[:, 6]).max() < 1e-4


def test_ciede2000_equals_colour_science() -> None:
    """colour-science: delta_E_CIE2000."""
    labs = np.random.default_rng(4).uniform((0, -90, -90), (100, 90, 90), (2, 2000, 3))
    assert np.allclose(ciede2000(labs[0], labs[1]), colour.delta_E(labs[0], labs[1], method="CIE 2000"), atol=1e-3)


@pytest.mark.parametrize(
    ("text", "levels"), [("#3a7bd5", (58, 123, 213)), ("F80", (255, 136, 0)), (" #000 ", (0, 0, 0))]
)
def test_hex_notation(text: str, levels: tuple[int, int, int]) -> None:
    """CSS Color Module Level 4, section 5.2."""
    assert hexcode.parse_hex(text) == levels
    assert hexcode.parse_hex(hexcode.format_hex(levels)) == levels
    assert hexcode.encoded_to_hex(hexcode.hex_to_encoded(text)) == hexcode.format_hex(levels)


@pytest.mark.parametrize("text", ["", "#12", "#12345", "#gggggg", "red", "#1234567"])
def test_what_is_no_hex_is_refused_with_the_cure(text: str) -> None:
    with pytest.raises(ValueError, match="six digits"):
        hexcode.parse_hex(text)
