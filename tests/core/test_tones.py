"""Neutral, adjustment, ramps and strands against published weights, reference libraries and charts."""

import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import coloraide
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator
from scipy.ndimage import gaussian_filter
from skimage import color, data

from even_palette.core.arrays import Floats, float32
from even_palette.core.checks import find
from even_palette.core.colour.ciede2000 import ciede2000
from even_palette.core.colour.cielab import linear_to_cielab
from even_palette.core.colour.srgb import linear_to_srgb, srgb_to_linear
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.sheet import Tone
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.strip import look_up
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.maps import paint_of
from even_palette.core.results.pictures import render_reference, whole_sheet
from even_palette.core.results.planes import tone_of
from even_palette.core.results.sheets import Sheets
from even_palette.core.tones.adjust import adjusted, bands_of
from even_palette.core.tones.kinds import TONES
from even_palette.core.tones.kinds._declare import ToneGround
from even_palette.core.tones.neutral import Curve, advice, contrast_mix, grey_of, histogram_of, towards
from even_palette.core.tones.ramp import (
    Easing,
    Ramp,
    RampRow,
    Space,
    Stop,
    check_ramp,
    evenly_spaced,
    ramp_colours,
    ramp_strip,
    reversed_row,
    row_of_strip,
)
from even_palette.core.tones.strands import enlarged, smooth_strands
from tests.core.test_shapes import sheet

RNG = np.random.default_rng(10)
COLOURS = float32(RNG.random((400, 3)))


REFERENCES: dict[str, Callable[[Floats], Floats]] = {
    # ITU-R BT.709-6, item 3.2, of linear light, encoded again by coloraide's sRGB curve; and of encoded values.
    "luminance": lambda c: float32([coloraide.Color("srgb", list(x)).luminance() for x in c]),
    "luma_709": lambda c: float32(c @ [0.2126, 0.7152, 0.0722]),
    "luma_601": lambda c: float32(c @ [0.299, 0.587, 0.114]),  # ITU-R BT.601-7, section 2.5.1
    "oklab": lambda c: float32([coloraide.Color("srgb", list(x)).convert("oklab")["l"] for x in c]),
    "hsl": lambda c: float32([coloraide.Color("srgb", list(x)).convert("hsl")["l"] for x in c]),
    "hsv": lambda c: float32(color.rgb2hsv(c[None])[0, :, 2]),
    "mean": lambda c: float32(c.mean(axis=1)),
    "largest": lambda c: float32(np.sort(c, axis=1)[:, 2]),
    "smallest": lambda c: float32(np.sort(c, axis=1)[:, 0]),
    "green": lambda c: c[:, 1],
}


@pytest.mark.parametrize("method", REFERENCES)
def test_greys_are_those_of_the_references(method: str) -> None:
    """To 1e-4; luminance is compared in linear light."""
    found = grey_of(COLOURS, method)
    found = srgb_to_linear(found) if method == "luminance" else found
    np.testing.assert_allclose(found, REFERENCES[method](COLOURS), atol=1e-4)


def test_contrast_mix_is_the_first_principal_axis() -> None:
    """Of colours along one direction, that direction (numpy's SVD as the reference); white stays white."""
    along = np.array([0.7, 0.2, 0.1])
    points = float32(0.5 + 0.3 * RNG.standard_normal((500, 1)) * along)
    axis = np.abs(np.linalg.svd(points - points.mean(axis=0), full_matrices=False)[2][0])
    mix = contrast_mix(points, np.ones(500))
    np.testing.assert_allclose(mix, axis / axis.sum(), atol=1e-3)
    assert sum(mix) == pytest.approx(1)


@pytest.mark.parametrize("mean", [0.05, 0.3, 0.6])
@pytest.mark.parametrize("spread", [None, 0.05, 0.2])
def test_targets_are_met(mean: float, spread: float | None) -> None:
    """The mean in linear light within 0.002, the spread within 0.002, also where much is clipped."""
    grey = grey_of(float32(data.chelsea() / 255), "luminance")
    histogram = histogram_of(grey)
    done = towards(Curve(), histogram, mean, spread)(grey)
    assert float(srgb_to_linear(done).mean()) == pytest.approx(mean, abs=0.002)
    if spread is not None:
        assert float(done.std()) == pytest.approx(spread, abs=0.002)


def test_a_neutral_through_a_curve_of_its_own() -> None:
    """Levels, then scipy's PCHIP through the five points, then contrast; a target is met behind them as well."""
    rgb = np.ascontiguousarray(data.coffee()[::3, ::3])
    kind, source = TONES["neutral"], Plane(rgb, Encoding.SRGB)
    points = {"at_0": 0.1, "at_25": 0.2, "at_50": 0.7, "at_75": 0.75, "at_100": 0.9}
    own = {"method": "luma_709", "black": 0.1, "white": 0.8, "gamma": 1.4, "contrast": 1.2, "curve": "own", **points}
    found = kind.make(ToneGround(source), kind.settings(own))[..., 0]
    grey = np.clip((rgb / 255 @ [0.2126, 0.7152, 0.0722] - 0.1) / 0.7, 0, 1) ** (1 / 1.4)
    through = PchipInterpolator([0, 0.25, 0.5, 0.75, 1], list(points.values()))(grey)
    want = np.clip((through - 0.5) * 1.2 + 0.5, 0, 1) * 255
    assert np.abs(found - want).max() <= 0.51
    straight = {**own, "curve": "straight"}
    assert not np.array_equal(kind.make(ToneGround(source), kind.settings(straight))[..., 0], found)
    reached = kind.make(ToneGround(source), kind.settings({**own, "reach": "mean", "mean": 0.6}))
    light = Plane(reached, Encoding.SRGB).linear().mean()
    assert light == pytest.approx(float(srgb_to_linear(float32([0.6]))[0]), abs=0.002)


def test_alpha_stays_beside_the_grey() -> None:
    """A second channel with the alpha as painted; opaque paint has one channel."""
    rgba = np.random.default_rng(4).integers(0, 256, (30, 41, 4)).astype(np.uint8)
    kind = TONES["neutral"]
    found = kind.make(ToneGround(Plane(rgba, Encoding.SRGB)), kind.settings({}))
    opaque = kind.make(ToneGround(Plane(np.ascontiguousarray(rgba[..., :3]), Encoding.SRGB)), kind.settings({}))
    assert np.array_equal(found[..., 1], rgba[..., 3])
    assert np.array_equal(found[..., :1], opaque)


def test_mud_is_told_and_mended_both_ways(tmp_path: Path) -> None:
    """A light green over dark red paint lands far off (CIEDE2000); as a true tint or on neutral paint it does not."""
    ids = np.zeros((48, 56, 3), dtype=np.uint8)
    ids[:, :28, 0], ids[:, 28:, 1] = 255, 255
    paint = np.empty((48, 56, 3), dtype=np.uint8)
    paint[:] = np.where(np.arange(56)[:, None] < 28, (120, 30, 24), (200, 200, 200))
    history = sheet(tmp_path, paint, ids)
    history.do(commands.add_regions("sheet_1", [(255, 0, 0), (0, 255, 0)]))
    red, grey = (region.key for region in history.kit.sheets[0].regions)
    for region in (red, grey):
        history.do(commands.set_coat_kind(region, "tint"))
        history.do(commands.set_cell_value(region, "colour", (0.5, 0.8, 0.3)))
    sheets = Sheets()
    (found,) = [finding for finding in find(history.kit, sheets) if "lands" in finding.text]
    off = commands.switch_coat(history.kit.regions[0].key, 0, False).apply(history.kit)
    assert not [finding for finding in find(off, sheets) if "lands" in finding.text]  # it tints nothing
    assert found.region == red
    assert len(found.mends) == 2
    swatch = linear_to_cielab(srgb_to_linear(float32([0.5, 0.8, 0.3])))
    for mend in found.mends:
        after = mend.command.apply(history.kit)
        assert not any("lands" in finding.text for finding in find(after, sheets))
        shown = render_reference(picture(after.at(), sheets, Look()), whole_sheet(56, 48))
        mean = srgb_to_linear(float32(shown[:, 2:26] / 255)).mean(axis=(0, 1))
        assert float(ciede2000(linear_to_cielab(float32(mean)), swatch)) < 12
    again = found.mends[1].command.apply(found.mends[1].command.apply(history.kit))
    assert len(again.sheets[0].tones) == 1


def test_evened_regions_take_a_tint_alike() -> None:
    """Three regions of a photograph, brought to one mean and spread: means in one tint within CIEDE2000 0.5."""
    rgb = np.ascontiguousarray(data.coffee())
    height, width = rgb.shape[:2]
    weights = {}
    for number in range(3):
        weight = np.zeros((height, width), np.float32)
        weight[:, number * 200 : number * 200 + 200] = 1
        weight[:, max(0, number * 200 - 2) : number * 200] = 0.5 if number else 0
        weight[:, number * 200 + 198 : number * 200 + 200] = 0.5
        weights[f"r{number}"] = weight
    kind = TONES["neutral"]
    own = {key: kind.settings({"reach": "both", "mean": 0.6, "spread": 0.1}) for key in weights}
    ground = ToneGround(Plane(rgb, Encoding.SRGB), own, lambda key: weights[key])
    light = Plane(kind.make(ground, kind.settings({})), Encoding.SRGB).linear()
    tint = srgb_to_linear(float32([0.8, 0.2, 0.3]))
    means = [np.average(light[..., 0], weights=weights[key]) * tint for key in weights]
    labs = [linear_to_cielab(float32(mean)) for mean in means]
    assert max(float(ciede2000(one, other)) for one in labs for other in labs) < 0.5
    target = float(srgb_to_linear(float32([0.6]))[0])
    assert all(mean[0] / tint[0] == pytest.approx(target, abs=0.002) for mean in means)


def test_advice_names_what_is_wrong() -> None:
    for low, high, word in (
        (0.9, 1.0, "flat"),
        (0.0, 0.2, "Near black"),
        (0.86, 0.999, "flat"),
        (0.2, 0.9, "shows well"),
    ):
        assert word in advice(histogram_of(float32(np.linspace(low, high, 1000))))


@given(st.floats(0, 1), st.floats(0.05, 0.5), st.floats(0.5, 0.95))
def test_bands_add_up_to_one(tone: float, low: float, high: float) -> None:
    """At every tone, none below 0."""
    bands = bands_of(float32([tone]), low, high)
    assert float(sum(bands)[0]) == pytest.approx(1, abs=1e-6)
    assert min(float(band[0]) for band in bands) >= 0


IDENTITY = {
    "hue": 0.0,
    "saturation": 1.0,
    "lightness": 0.0,
    "brightness": 0.0,
    "contrast": 1.0,
    "low": 0.25,
    "high": 0.75,
} | {f"{band}_{what}": 0.0 for band in ("shadows", "midtones", "highlights") for what in ("hue", "amount")}


@pytest.mark.parametrize("space", ["yiq", "hsl", "oklch"])
def test_adjustment_in_spaces(space: str) -> None:
    """The identity gives the paint back; no saturation gives greys; a hue turn is that of the reference."""
    np.testing.assert_allclose(adjusted(COLOURS, IDENTITY, space), COLOURS, atol=1e-6)
    grey = adjusted(COLOURS, {**IDENTITY, "saturation": 0.0}, space)
    assert np.ptp(grey, axis=1).max() < 2e-3
    soft = 0.4 + COLOURS * 0.2  # stays within the gamut
    turned = adjusted(float32(soft), {**IDENTITY, "hue": 30.0}, space)
    if space == "hsl":
        expected = [coloraide.Color("srgb", list(c)).convert("hsl") for c in soft]
        wanted = [c.set("h", (c["h"] + 30) % 360 if c["s"] > 0 else 0).convert("srgb").coords() for c in expected]
    elif space == "oklch":
        expected = [coloraide.Color("srgb", list(map(float, c))).convert("oklch") for c in soft]
        wanted = [c.set("h", lambda h: (h + 30) % 360).convert("srgb").coords() for c in expected]
    else:
        y, i, q = np.moveaxis(color.rgb2yiq(soft[None])[0], -1, 0)
        angle = np.radians(30)
        back = np.stack([y, i * np.cos(angle) - q * np.sin(angle), i * np.sin(angle) + q * np.cos(angle)], -1)
        wanted = color.yiq2rgb(back[None])[0]
    np.testing.assert_allclose(turned, np.clip(wanted, 0, 1), atol=3e-3)


def test_what_is_offered_is_known_without_compiled_loops() -> None:
    """Declarations are read at every start; the loops behind them take half a second to import."""
    told = (
        "import sys, even_palette.core.kit.validate; sys.exit('numba' in sys.modules or 'scipy.sparse' in sys.modules)"
    )
    assert subprocess.run([sys.executable, "-c", told], check=False).returncode == 0


# Ramps

STOPS = (Stop(0.1, (200, 30, 40)), Stop(0.5, (250, 240, 200)), Stop(0.9, (20, 60, 180)))
SOFT = (Stop(0.1, (150, 110, 110)), Stop(0.5, (200, 190, 160)), Stop(0.9, (110, 120, 160)))
OURS_TO_THEIRS = {
    Space.LINEAR: {"space": "srgb-linear"},
    Space.ENCODED: {"space": "srgb"},
    Space.OKLAB: {"space": "oklab"},
    Space.SHORTER: {"space": "oklch", "hue": "shorter"},
    Space.LONGER: {"space": "oklch", "hue": "longer"},
}


@pytest.mark.parametrize("space", list(Space))
def test_ramps_are_those_of_coloraide(space: Space) -> None:
    """`coloraide.Color.interpolate` (CSS Color Module Level 4, section 12), clipped by channel; ends and stops exact."""
    row = RampRow("r", STOPS)
    at = np.linspace(0.1, 0.9, 41)
    found = ramp_colours(row, float32(at), space)
    for number, p in enumerate(at):
        pair = (0, 1) if p < 0.5 else (1, 2)
        one, other = (coloraide.Color("srgb", [level / 255 for level in STOPS[n].colour]) for n in pair)
        mixed = coloraide.Color.interpolate([one, other], **OURS_TO_THEIRS[space])((p - STOPS[pair[0]].position) / 0.4)
        wanted = np.clip(mixed.convert("srgb-linear").coords(), 0, 1)
        np.testing.assert_allclose(found[number], wanted, atol=2e-3)
    for stop in STOPS:
        there = ramp_colours(row, float32([stop.position]), space)[0]
        np.testing.assert_allclose(there, srgb_to_linear(float32(stop.colour) / 255), atol=1e-6)
    ends = ramp_colours(row, float32([0, 1]), space)
    np.testing.assert_allclose(ends, srgb_to_linear(float32([STOPS[0].colour, STOPS[2].colour]) / 255), atol=1e-6)


@pytest.mark.parametrize("mirrored", [False, True])
@pytest.mark.parametrize("space", [Space.OKLAB, Space.LINEAR, Space.SHORTER])
def test_a_strip_of_256_gives_the_ramp(space: Space, mirrored: bool) -> None:
    """Looked up at any p it equals the ramp within 1/255, encoded, but within a texel of a stop, where it has a corner."""
    # Round the hue, colours that stay within the gamut: where one is clipped the ramp has a corner, too.
    stops = SOFT if space == Space.SHORTER else STOPS
    ramp = Ramp("r", "R", (RampRow("r", stops),), space, mirrored)
    p = float32(RNG.random(500))
    strip = Plane(ramp_strip(ramp), Encoding.SRGB)
    seen = look_up(strip, p, np.zeros_like(p))
    off = np.abs(linear_to_srgb(seen) - linear_to_srgb(ramp_colours(ramp.rows[0], p, space, mirrored))).max(axis=1)
    at = 1 - np.abs(2 * p - 1) if mirrored else p
    reach = (2 if mirrored else 1) / 255
    away = np.all([np.abs(at - stop.position) > reach for stop in stops], axis=0)
    assert away.sum() > 450
    assert off[away].max() <= 1 / 255
    assert off.max() <= 8 / 255


def test_easings_reverse_and_spacing() -> None:
    """Smooth is 3t² − 2t³ (smoothstep), step holds until the next stop; reversed is the mirror image."""

    def row(easing: Easing) -> RampRow:
        return RampRow("r", (Stop(0, (0, 0, 0), easing), Stop(1, (255, 255, 255))))

    p = float32([0.25, 0.5, 0.99])
    np.testing.assert_allclose(ramp_colours(row(Easing.SMOOTH), p, Space.LINEAR)[:, 0], 3 * p**2 - 2 * p**3, atol=1e-6)
    np.testing.assert_allclose(ramp_colours(row(Easing.STEP), p, Space.LINEAR), 0)
    eased = RampRow("r", (Stop(0, (9, 9, 9), Easing.SMOOTH), Stop(0.3, (99, 9, 9)), Stop(1, (9, 200, 9))))
    at = float32(np.linspace(0, 1, 33))
    turned = ramp_colours(reversed_row(eased), at)
    np.testing.assert_allclose(turned, ramp_colours(eased, 1 - at), atol=1e-5)
    assert [stop.position for stop in evenly_spaced(eased).stops] == [0, 0.5, 1]


def test_a_strip_is_read_back_as_few_stops() -> None:
    ramp = Ramp("r", "R", (RampRow("r", STOPS),))
    strip = ramp_strip(ramp)[0]
    row = row_of_strip("again", strip)
    assert len(row.stops) <= 12
    again = ramp_strip(Ramp("r", "R", (row,)))[0]
    assert np.abs(again.astype(int) - strip).max() <= 3


@pytest.mark.parametrize(
    "stops", [(), (Stop(0.5, (0, 0, 0)), Stop(0.2, (0, 0, 0))), (Stop(-0.1, (0, 0, 0)),), (Stop(0.1, (0, 0, 256)),)]
)
def test_impossible_ramps_are_refused(stops: tuple[Stop, ...]) -> None:
    with pytest.raises(UserError, match="ramp"):
        check_ramp(Ramp("r", "R", (RampRow("r", stops),)))


# Strands


@pytest.mark.parametrize("angle", [0, 17, 30, 45, 63, 90, 120])
def test_lines_keep_their_contrast_and_lose_their_noise(angle: int) -> None:
    """Parallel noisy lines at any angle: contrast at least 95 %, the variance of the noise falls at least 4 ×."""
    turn, side = np.radians(angle), 192
    y, x = np.mgrid[:side, :side]
    lines = 0.3 * np.sin((x * np.cos(turn) + y * np.sin(turn)) * 2 * np.pi / 10)
    noise = RNG.normal(0, 0.08, lines.shape)
    inner = (slice(32, -32),) * 2
    out = smooth_strands(float32(0.5 + lines + noise)[..., None], 8)[..., 0][inner] - 0.5
    contrast = (out * lines[inner]).sum() / np.square(lines[inner]).sum()
    assert contrast >= 0.95
    assert np.var(noise[inner]) >= 4 * np.var(out - contrast * lines[inner])


def test_quarter_turns_commute_and_constants_stay() -> None:
    """Byte for byte in 8 bits, on an odd size."""
    values = float32(RNG.random((61, 83, 3)))
    turned = np.rot90(smooth_strands(np.ascontiguousarray(np.rot90(values)), 4, passes=2), -1)
    assert np.array_equal(np.round(turned * 255), np.round(smooth_strands(values, 4, passes=2) * 255))
    flat = np.full((9, 7, 2), 0.37, np.float32)
    np.testing.assert_allclose(smooth_strands(flat, 6), flat, atol=1e-7)
    np.testing.assert_allclose(enlarged(flat), np.full((18, 14, 2), 0.37), atol=1e-6)


def test_normals_have_length_one() -> None:
    values = float32(RNG.random((32, 40, 3)))
    vectors = smooth_strands(values, 4, normals=True) * 2 - 1
    np.testing.assert_allclose(np.linalg.norm(vectors, axis=-1), 1, atol=1e-4)


def test_dirt_is_found_where_paint_is_not_that_of_its_region() -> None:
    """Two paints in light and shade, with spots of rust: only the spots are dirt, whatever the shade.

    OKLab is homogeneous: scaled linear light scales L, a and b alike (Ottosson 2020), so shade is no dirt.
    """
    side = 96
    down, across = np.mgrid[0:side, 0:side]
    shade = (0.25 + 0.75 * (0.5 + 0.5 * np.sin(across / 9) * np.cos(down / 7)))[..., None]
    left = across[..., None] < side // 2
    paint = np.where(left, srgb_to_linear(float32([0.2, 0.5, 0.6])), srgb_to_linear(float32([0.8, 0.75, 0.3])))
    spots = ((across % 24 - 12) ** 2 + (down % 24 - 12) ** 2 < 36)[..., None]
    picture = np.where(spots, srgb_to_linear(float32([0.55, 0.28, 0.12])), paint) * shade
    source = Plane(np.round(linear_to_srgb(float32(picture)) * 65535).astype(np.uint16), Encoding.SRGB)
    weights = {"left": float32(left[..., 0]), "right": float32(~left[..., 0])}
    ground = ToneGround(source, weight=weights.__getitem__, regions=("left", "right"))
    kind = TONES["dirt"]
    found = kind.make(ground, kind.settings({"soften": 0.0}))[..., 0] / 65535
    assert found[~spots[..., 0]].max() < 1e-3
    assert found[spots[..., 0]].min() > 0.5
    # without its region's weight a texel is no dirt, and a region may have settings of its own
    bare = ToneGround(source, {"left": {"from": 0.4, "to": 0.5}}, weights.__getitem__, regions=("left",))
    assert kind.make(bare, kind.settings({"soften": 0.0})).max() == 0
    darker = kind.make(ground, kind.settings({"soften": 0.0, "lightness": 1.0}))[..., 0] / 65535
    assert darker[~spots[..., 0]].max() > 0.9
    soft = kind.make(ground, kind.settings({"soften": 3.0}))[..., 0] / 65535
    assert soft == pytest.approx(gaussian_filter(found, 3.0, mode="nearest"), abs=2e-5)


def test_found_dirt_follows_the_masks(history: History, sheets: Sheets) -> None:
    history.do(commands.add_tone("sheet_1", Tone("dirt", "Dirt", "dirt")))
    at = history.kit.at()
    first = tone_of(at, sheets, at.sheet.tone("dirt"))
    assert (first.height, first.width) == (paint_of(at, sheets).height, paint_of(at, sheets).width)
    history.do(commands.remove_region("region_2"))
    other = tone_of(history.kit.at(), sheets, history.kit.at().sheet.tone("dirt"))
    assert first.content_id != other.content_id
