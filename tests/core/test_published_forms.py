"""Coats and packings against their published or stated forms, written out here; shifts against coloraide; a second decoder."""

import itertools
import json
from pathlib import Path

import coloraide
import numpy as np
import pytest
from PIL import Image

from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import Overcoats
from even_palette.core.kit.history import History
from even_palette.core.kit.model import Kit
from even_palette.core.kit.sheet import Tone
from even_palette.core.material.input_levels import through_levels
from even_palette.core.material.model import Coat, PlaneKind, PlaneRef, PlaneUse
from even_palette.core.material.variants import MASTER, resolve
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding
from even_palette.core.regions.packing import Packing
from even_palette.core.regions.weights import quantize_weights
from even_palette.core.results.planes import tone_of
from even_palette.core.results.rendering import SheetRender
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.weights import weights_of
from even_palette.core.ship.write import ship
from tests.core.test_packages import add_map

RNG = np.random.default_rng(8)
SIDE = 64


def decode(encoded: np.ndarray) -> np.ndarray:
    """IEC 61966-2-1."""
    return np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)


def encode(linear: np.ndarray) -> np.ndarray:
    return np.where(linear <= 0.0031308, linear * 12.92, 1.055 * np.maximum(linear, 1e-12) ** (1 / 2.4) - 0.055)


def luminance(linear: np.ndarray) -> np.ndarray:
    """ITU-R BT.709-6, item 3.2."""
    return (linear @ np.array([0.2126, 0.7152, 0.0722]))[..., None]


def smooth(low: float, high: float, x: np.ndarray) -> np.ndarray:
    """OpenGL 4.6 / GLSL 4.60, section 8.3."""
    t = np.clip((x - low) / (high - low), 0, 1)
    return t * t * (3 - 2 * t)


@pytest.fixture
def planes(history: History, tmp_path: Path) -> dict[str, np.ndarray]:
    """Maps of numbers and of a colour beside the paint; all as a shader samples them."""
    found = {}
    for name, channels in (("one", 1), ("two", 1), ("three", 1), ("colour", 3)):
        levels = RNG.integers(0, 256, (SIDE, SIDE, channels)).astype(np.uint8)
        encoding = Encoding.SRGB if channels == 3 else Encoding.DATA
        role = Role.EMISSION if channels == 3 else Role.NONE
        add_map(history, tmp_path / f"{name}.png", levels, role, encoding)
        found[name] = decode(levels / 255) if channels == 3 else levels / 255
    history.do(commands.set_role("sheet_1", "colour", Role.NONE))
    found["paint"] = decode(np.asarray(Image.open(history.kit.sheets[0].source(Role.BASE_COLOUR).path)) / 255)  # type: ignore[union-attr]
    return found


def use(key: str, **more: object) -> PlaneUse:
    return PlaneUse(PlaneRef(PlaneKind.MAP, key), **more)  # type: ignore[arg-type]


def over(history: History, sheets: Sheets, coat: Coat) -> np.ndarray:
    """What a coat over the whole sheet makes of the paint alone, linear."""
    kit = history.kit
    bare = kit.with_sheet(commands.set_role("sheet_1", "id_map", Role.NONE).apply(kit).sheets[0])
    for region in bare.regions:
        bare = commands.remove_region(region.key).apply(bare)
    made = commands.add_coat(Overcoats("sheet_1"), coat).apply(bare)
    settings = resolve(made.parameters, made.variants, MASTER)
    return np.asarray(SheetRender(made.at(), sheets).render(["colour"], settings)["colour"], dtype=float)


FIRST, SECOND, THIRD = (0.8, 0.3, 0.1), (0.1, 0.5, 0.7), (0.9, 0.9, 0.2)


def light(colour: tuple[float, float, float]) -> np.ndarray:
    return decode(np.array(colour))


def test_two_tone(history: History, sheets: Sheets, planes: dict[str, np.ndarray]) -> None:
    """mix(T1, T2, p), p a plane through its levels, or the tone of U; on paint the mix multiplies U."""
    paint, values = planes["paint"], {"first": FIRST, "second": SECOND}
    levels = use("one", low=0.2, high=0.7, power=1.5, invert=True)
    p = 1 - np.clip((planes["one"] - 0.2) / 0.5, 0, 1) ** 1.5
    wanted = light(FIRST) * (1 - p) + light(SECOND) * p
    got = over(history, sheets, Coat("two_tone", {**values, "from": "plane"}, {"plane": levels}))
    assert got == pytest.approx(wanted, abs=2e-3)
    p = encode(luminance(paint))
    wanted = paint * (light(FIRST) * (1 - p) + light(SECOND) * p)
    assert over(history, sheets, Coat("two_tone", {**values, "over": "paint"})) == pytest.approx(wanted, abs=1e-4)


def test_along(history: History, sheets: Sheets, planes: dict[str, np.ndarray]) -> None:
    """mix(T1, T2, along^power), with T3 halfway between; on paint U times that."""
    values = {"root": FIRST, "middle": THIRD, "tip": SECOND, "power": 2.0}
    p = planes["one"] ** 2
    wanted = light(FIRST) * (1 - p) + light(SECOND) * p
    coat = Coat("along", {**values, "over": "replace"}, {"along": use("one")})
    assert over(history, sheets, coat) == pytest.approx(wanted, abs=1e-4)
    lower = light(FIRST) * (1 - np.minimum(2 * p, 1)) + light(THIRD) * np.minimum(2 * p, 1)
    high = np.maximum(2 * p - 1, 0)
    wanted = planes["paint"] * (lower * (1 - high) + light(SECOND) * high)
    coat = Coat("along", {**values, "colours": "three"}, {"along": use("one")})
    assert over(history, sheets, coat) == pytest.approx(wanted, abs=1e-4)


def test_tonal(history: History, sheets: Sheets, planes: dict[str, np.ndarray]) -> None:
    """Shares of shadows, midtones and highlights are smoothsteps about their borders and add up to 1."""
    paint = planes["paint"]
    tone = encode(luminance(paint))
    above = smooth(0.3 - 0.1, 0.3 + 0.1, tone)
    highlights = above * smooth(0.6 - 0.1, 0.6 + 0.1, tone)
    shares = (1 - above, above - highlights, highlights)
    assert sum(shares) == pytest.approx(np.ones_like(tone))
    colours = (FIRST, SECOND, THIRD)
    values = {f"{name}_colour": colour for name, colour in zip(("shadow", "middle", "light"), colours, strict=True)}
    wanted = paint * sum(share * light(colour) for share, colour in zip(shares, colours, strict=True))
    got = over(history, sheets, Coat("tonal", {**values, "low": 0.3, "high": 0.6, "softness": 0.1}))
    assert got == pytest.approx(wanted, abs=1e-4)


def test_blend_by_height(history: History, sheets: Sheets, planes: dict[str, np.ndarray]) -> None:
    """smoothstep(-band, band, h2 - h1 + offset + (2 m - 1)(1 + band)): the higher one wins, a mask of 0 or 1 alone decides."""
    h1, h2, m = planes["one"], planes["two"], planes["three"]
    share = smooth(-0.2, 0.2, h2 - h1 + 0.1 + (2 * m - 1) * 1.2)
    wanted = planes["paint"] * (1 - share) + planes["colour"] * share
    read = {"colour": use("colour"), "mask": use("three"), "over": use("two"), "under": use("one")}
    got = over(history, sheets, Coat("blend", {"way": "height", "band": 0.2, "offset": 0.1}, read))
    assert got == pytest.approx(wanted, abs=1e-4)


def test_tint_is_multiplication(history: History, sheets: Sheets, planes: dict[str, np.ndarray]) -> None:
    """W3C Compositing and Blending Level 1, section 9.1.3: multiply; with strength s the source is over by s."""
    wanted = planes["paint"] * (0.4 + 0.6 * light(FIRST))
    got = over(history, sheets, Coat("tint", {"colour": FIRST, "strength": 0.6}))
    assert got == pytest.approx(wanted, abs=1e-5)


@pytest.mark.parametrize("space", ["oklch", "hsl"])
@pytest.mark.parametrize("hue", [-100.0, 0.0, 70.0])
def test_shift_on_whole_materials(
    space: str, hue: float, history: History, sheets: Sheets, planes: dict[str, np.ndarray]
) -> None:
    """coloraide turns, scales and lifts each texel in OKLCh or HSL; clipped by channel as a runtime does."""
    got = over(history, sheets, Coat("shift", {"space": space, "hue": hue, "saturation": 1.3, "brightness": 0.1}))
    paint = planes["paint"]
    for y, x in itertools.product(range(0, SIDE, 9), range(3, SIDE, 11)):
        colour = coloraide.Color("srgb-linear", paint[y, x].tolist()).convert(
            "srgb" if space == "hsl" else "srgb-linear"
        )
        moved = colour.convert(space)
        if space == "oklch":
            moved["l"], moved["c"], moved["h"] = moved["l"] + 0.1, moved["c"] * 1.3, (moved["h"] + hue) % 360
        else:
            moved["h"] = (moved["h"] + hue) % 360
            moved["s"], moved["l"] = min(1, moved["s"] * 1.3), min(1, moved["l"] + 0.1)
        wanted = np.clip(moved.convert("srgb-linear").coords(), 0, 1)
        assert encode(got[y, x]) == pytest.approx(encode(wanted), abs=1.5 / 255), (y, x)


def test_levels_of_a_packed_tone(history: History, sheets: Sheets, planes: dict[str, np.ndarray]) -> None:
    """A part of a packed plane goes through the levels, power and turning round that it is given."""
    part = use("one", low=0.2, high=0.7, power=1.5, invert=True)
    history.do(commands.add_tone("sheet_1", Tone("packed", "Packed", "packed", parts=(part, use("two")))))
    got = tone_of(history.kit.at(), sheets, history.kit.at().sheet.tone("packed")).samples
    wanted = 1 - np.clip((planes["one"] - 0.2) / 0.5, 0, 1) ** 1.5
    assert np.abs(got[..., 0] / 255 - wanted[..., 0]).max() <= 1 / 255
    assert np.array_equal(got[..., 1], np.uint8(planes["two"][..., 0] * 255 + 0.5))
    turned = commands.set_tone_parts("sheet_1", "packed", (use("one"), use("two"))).apply(history.kit)
    assert np.array_equal(
        tone_of(turned.at(), sheets, turned.at().sheet.tone("packed")).samples[..., 0],
        np.uint8(planes["one"][..., 0] * 255 + 0.5),
    )


def test_thresholds_and_powers() -> None:
    """Of what 8 bits hold, levels that are equal are a threshold and powers are powers."""
    x = np.arange(256) / 255
    low = 97 / 255
    assert np.array_equal(through_levels(np.float32(x), use("one", low=low, high=low)) > 0.5, np.arange(256) >= 97)
    assert through_levels(np.float32(x), use("one", power=0.3)) == pytest.approx(x**0.3, abs=1e-5)


# Edge pairs by a second decoder


def test_edge_pairs_decoded_by_their_documentation(kit: Kit, sheets: Sheets, tmp_path: Path) -> None:
    """README.txt: two numbers of regions in R and G (0: the base), the share of the first in B; here of the picture itself."""
    ship(commands.set_packing("sheet_1", Packing.PAIRS).apply(kit), sheets, tmp_path / "package")
    told = json.loads((tmp_path / "package" / "package.json").read_text())["sheets"][0]
    (entry,) = [entry for entry in told["maps"] if entry["slot"] == "edge_pairs"]
    pairs = np.asarray(Image.open(tmp_path / "package" / entry["file"])).astype(int)[:SIDE, :SIDE]
    weights = weights_of(kit.at(), sheets).levels
    for region, level in zip(told["regions"], weights, strict=True):
        number = int(region["channel"])
        share = pairs[..., 2]
        found = np.where(pairs[..., 0] == number, share, 0)
        found = np.where((pairs[..., 1] == number) & (pairs[..., 0] != number), 255 - share, found)
        assert np.abs(found - level.astype(int)).max() <= 1


# Largest remainder by brute force


@pytest.mark.parametrize("count", [1, 2, 3])
def test_largest_remainder_is_the_nearest_that_adds_up(count: int) -> None:
    """Of all whole numbers beside the values that with the base add up to 255, none is nearer (Euclid)."""
    shares = RNG.dirichlet(np.ones(count + 1), 60)
    got = quantize_weights(np.float32(shares[:, :count].T[:, None]))[:, 0].T.astype(int)
    for share, levels in zip(shares, got, strict=True):
        exact = share * 255
        best = min(
            np.square(np.array(each) - exact).sum()
            for each in itertools.product(*[range(max(0, int(v) - 1), int(v) + 3) for v in exact])
            if sum(each) == 255
        )
        whole = np.array([*levels, 255 - levels.sum()])
        assert np.square(whole - exact).sum() == pytest.approx(best, abs=2e-3)
