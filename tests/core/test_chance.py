"""Chance by instance: draws that hang on nothing but seed and name; contrast, vibrance and pulses beside their forms."""

import hashlib
import math

import numpy as np
import pytest
from coloraide import Color

from even_palette.core.arrays import Floats, float32
from even_palette.core.chance import hashed_unit
from even_palette.core.colour import hsl, oklab, yiq
from even_palette.core.colour.srgb import linear_to_srgb, srgb_to_linear
from even_palette.core.graph import nodes, slots
from even_palette.core.graph.program import program_of
from even_palette.core.graph.reference import Environment, run
from even_palette.core.kit.coat_owners import draws_of
from even_palette.core.kit.store import read_kit
from even_palette.core.material.build import BASE_SLOT, Dressed, build_material, worn
from even_palette.core.material.chance import FIELD, drawn
from even_palette.core.material.coats.ramp import COAT, formula
from even_palette.core.material.declare import CoatInputs, Strip
from even_palette.core.material.model import Coat
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import texel_centres
from even_palette.demo import KIT_FOLDER

RNG = np.random.default_rng(22)
PAINT = RNG.integers(0, 256, (16, 16, 3)).astype(np.uint8)
B = srgb_to_linear(float32(PAINT) / 255)
SEEDS = hashed_unit(np.arange(10_000), 5)


def _draw(name: str, seed: float) -> float:
    found = run(program_of({"x": drawn(name)}), Environment(np.zeros((1, 2), np.float32), {}, {}, seed=seed))
    return float(np.asarray(found["x"]).ravel()[0])


def by_integers(name: str, seed: float) -> float:
    """The rounds of `chance` in whole numbers of any size."""
    digest = hashlib.sha256(name.encode()).digest()
    words = [int.from_bytes(digest[at : at + 4]) for at in range(0, 32, 4)]
    number = math.floor(float(np.float32(np.float32(seed) * np.float32(65535)) + np.float32(0.5)))
    high, low = divmod(number, 256)
    x, last = high, 0
    for turn, half in enumerate((0, low, high, low)):
        last, x = x, (x * (1 + words[4 + turn] % 256) + half + words[turn] % 257) ** 3 % 257
    return (last * 257 + x + 0.5) / 257**2


def test_draws_are_those_of_whole_numbers() -> None:
    """The graph, in float32, gives what exact integers give, at the ends and on random seeds."""
    for name in ("hull tint hue", "crown", ""):
        for seed in (0.0, 1.0, 0.5, *map(float, SEEDS[:300])):
            assert _draw(name, seed) == pytest.approx(by_integers(name, seed), abs=1e-7)
    assert pow(3, -1, FIELD - 1)  # cubing permutes the field
    assert len({x**3 % FIELD for x in range(FIELD)}) == FIELD


def draws(name: str, seeds: Floats = SEEDS) -> np.ndarray:
    """What instances of these seeds draw, (n,)."""
    return np.array([by_integers(name, float(seed)) for seed in seeds])


def test_two_coats_vary_apart_and_linked_ones_alike() -> None:
    """Over 10,000 instances: correlation of two names below 0.02, each evenly spread (Kolmogorov and Smirnov), none
    tied to the seed itself; many pairs are as far from 0 as pairs of a good generator are."""
    trunk, crown = draws("trunk hue"), draws("crown hue")
    assert abs(np.corrcoef(trunk, crown)[0, 1]) < 0.02
    assert abs(np.corrcoef(trunk, SEEDS)[0, 1]) < 0.02
    assert np.array_equal(draws("trunk hue", SEEDS[:50]), trunk[:50])
    for values in (trunk, crown):
        assert np.abs(np.sort(values) - (np.arange(10_000) + 0.5) / 10_000).max() < 1.63 / 100  # at 1 percent
    many = np.array([draws(f"coat {number}", SEEDS[:2000]) for number in range(40)])
    pairs = np.corrcoef(many)[np.triu_indices(40, 1)]
    assert pairs.std() < 1.15 / math.sqrt(2000)
    assert np.abs(pairs).max() < 4.5 / math.sqrt(2000)


def wear(
    coat: Coat, seed: float = 0.0, time: float = 0.0, draws: tuple[str, ...] = (), output: str = "colour"
) -> Floats:
    found = worn(Dressed("r", "R", (coat,), ((0.5, 0.5, 0.5),), draws), [])
    there = {BASE_SLOT: slots.of(Plane(PAINT.copy(), Encoding.SRGB))}
    environment = Environment(texel_centres(16, 16), there, seed=seed, time=time)
    return run(program_of({output: found.outputs[output]}), environment)[output]


def test_a_tint_by_chance_is_the_colour_moved_in_oklch() -> None:
    """By the draws of its name: hue turned, chroma times, lightness plus; coloraide moves the same colour."""
    colour = (0.55, 0.35, 0.3)
    values = {
        "colour": colour,
        "chance": "instance",
        "hue_range": 40.0,
        "saturation_range": 0.5,
        "lightness_range": 0.1,
    }
    seen = set()
    for seed in (0.13, 0.52, 0.97):
        got = wear(Coat("tint", values, key="t"), seed, draws=("trunk t",))
        hue, saturation, lightness = (
            by_integers(f"trunk t {what}", seed) * 2 - 1 for what in ("hue", "saturation", "lightness")
        )
        moved = Color("srgb", list(colour)).convert("oklch")
        moved["hue"] += hue * 40
        moved["chroma"] *= 1 + saturation * 0.5
        moved["lightness"] += lightness * 0.1
        want = np.clip(moved.convert("srgb-linear").coords(), 0, 1)
        assert np.abs(got - np.clip(B * want, 0, 1)).max() < 1e-4
        seen.add(tuple(np.round(want, 3)))
    assert len(seen) == 3
    shared = {**values, "draw": "c"}
    one, other = (wear(Coat("tint", shared, key=key), 0.3, draws=(key,)) for key in ("a", "b"))
    assert np.array_equal(one, other)
    assert np.array_equal(wear(Coat("tint", {"colour": colour})), wear(Coat("tint", {**values, "chance": "none"}), 0.4))


def test_a_shift_by_chance_is_a_shift() -> None:
    values = {"hue": 20.0, "chance": "instance", "hue_range": 90.0, "saturation_range": 0.8, "lightness_range": 0.2}
    hue, saturation, lightness = (by_integers(f"s {what}", 0.71) * 2 - 1 for what in ("hue", "saturation", "lightness"))
    plain = {"hue": 20 + hue * 90, "saturation": 1 + saturation * 0.8, "brightness": lightness * 0.2}
    for space in ("oklch", "yiq", "hsl"):
        got = wear(Coat("shift", {**values, "space": space}, key="s"), 0.71)
        assert np.abs(got - wear(Coat("shift", {**plain, "space": space}))).max() < 2e-5


def test_wearers_of_a_recipe_draw_alike() -> None:
    """Coats of a recipe draw by its key; coats of their own by the key of the region, overcoats by that of the sheet."""
    kit = read_kit(KIT_FOLDER)
    wearers = [region.key for region in kit.regions if region.recipe]
    alike = [key for key in wearers if kit.region(key).recipe == kit.region(wearers[0]).recipe]
    assert len(alike) > 1
    count = len(kit.recipe(kit.region(wearers[0]).recipe).coats)
    assert len({draws_of(kit, key)[:count] for key in alike}) == 1
    own = [draws_of(kit, region.key) for region in kit.regions if not region.recipe]
    assert len({name for names in own for name in names}) == sum(map(len, own))


@pytest.mark.parametrize("contrast", [0.0, 0.6, 2.5])
def test_contrast_of_a_shift_keeps_hue_and_chroma(contrast: float) -> None:
    """Lightness goes away from 0.5 by the factor: of OKLab, of luma in YIQ and of HSL."""
    lch = oklab.oklab_to_oklch(oklab.linear_to_oklab(B))
    lch[..., 0] = 0.5 + (lch[..., 0] - 0.5) * contrast
    want = np.clip(oklab.oklab_to_linear(oklab.oklch_to_oklab(lch)), 0, 1)
    assert np.abs(wear(Coat("shift", {"contrast": contrast})) - want).max() < 1e-4
    y = yiq.rgb_to_yiq(float32(PAINT) / 255)
    y[..., 0] = 0.5 + (y[..., 0] - 0.5) * contrast
    want = np.clip(yiq.yiq_to_rgb(y), 0, 1)
    assert np.abs(linear_to_srgb(wear(Coat("shift", {"contrast": contrast, "space": "yiq"}))) - want).max() < 1e-4
    h = hsl.rgb_to_hsl(float32(PAINT) / 255)
    h[..., 2] = np.clip(0.5 + (h[..., 2] - 0.5) * contrast, 0, 1)
    got = linear_to_srgb(wear(Coat("shift", {"contrast": contrast, "space": "hsl"})))
    assert np.abs(got - hsl.hsl_to_rgb(h)).max() < 1e-4


@pytest.mark.parametrize(("space", "most"), [("oklch", 0.33), ("yiq", 0.64)])
def test_vibrance_counts_more_for_pale_paint(space: str, most: float) -> None:
    """Chroma times 1 + v (1 - c), c the share of about the most chroma there is; greys stay grey, and 0 is nothing."""
    lab = oklab.linear_to_oklab(B) if space == "oklch" else yiq.rgb_to_yiq(float32(PAINT) / 255)
    for vibrance in (-0.7, 0.8):
        chroma = np.linalg.norm(lab[..., 1:], axis=-1, keepdims=True)
        factor = 1 + vibrance * (1 - np.clip(chroma / most, 0, 1))
        moved = np.concatenate([lab[..., :1], lab[..., 1:] * factor], axis=-1)
        want = (
            oklab.oklab_to_linear(moved) if space == "oklch" else srgb_to_linear(np.clip(yiq.yiq_to_rgb(moved), 0, 1))
        )
        got = wear(Coat("shift", {"vibrance": vibrance, "space": space}))
        assert np.abs(got - np.clip(want, 0, 1)).max() < 1e-4
    corners = np.array(np.meshgrid([0, 1], [0, 1], [0, 1])).reshape(3, -1).T.astype(np.float32)
    chromas = [
        np.linalg.norm(lab[..., 1:], axis=-1).max() for lab in (oklab.linear_to_oklab(corners), yiq.rgb_to_yiq(corners))
    ]
    assert chromas == pytest.approx([0.3225, 0.633], abs=0.005)


def test_shift_of_nothing_leaves_the_program() -> None:
    """At their defaults contrast, vibrance and chance cost nothing: the base colour itself comes out."""
    for values in ({}, {"contrast": 1.0, "vibrance": 0.0}, {"space": "yiq", "chance": "none", "hue_range": 90.0}):
        found = worn(Dressed("r", "R", (Coat("shift", values),), ((0.5,) * 3,)), [])
        assert found.outputs["colour"] is nodes.texture(BASE_SLOT, nodes.uv())["xyz"]
    many = build_material([Dressed("r", "R", (Coat("shift", {"saturation": 4.0}),), ((0.5,) * 3,))], [])
    assert many.outputs["colour"] is not None


def test_glow_pulses_with_time() -> None:
    """low + (high - low) (1 - cos 2 pi (rate t + phase)) / 2 times the light; the phase of an instance is its draw."""
    values = {"colour": (1.0, 0.5, 0.25), "intensity": 3.0, "pulse": "together", "rate": 0.5, "low": 0.2, "high": 0.9,
              "phase": 0.1}  # fmt: skip
    light = srgb_to_linear(float32((1.0, 0.5, 0.25))) * 3
    for time in (0.0, 0.4, 1.3, 77.7):
        for pulse, own in (("together", 0.0), ("apart", by_integers("lamp pulse", 0.37))):
            turn = 0.5 * time + 0.1 + own
            share = 0.2 + 0.7 * (1 - math.cos(2 * math.pi * turn)) / 2
            got = wear(Coat("glow", {**values, "pulse": pulse}), 0.37, time, ("lamp",), "emission")
            assert np.abs(got - light * share).max() < (2e-3 if time > 10 else 1e-4)
    steady = wear(Coat("glow", {**values, "pulse": "steady"}), time=3.3, output="emission")
    assert np.abs(steady - light).max() < 1e-6


def test_glow_in_the_regions_own_colour() -> None:
    """The colour under the coat times the intensity."""
    got = wear(Coat("glow", {"colours": "own", "intensity": 2.5}), output="emission")
    assert np.abs(got - B * 2.5).max() < 1e-5


def test_a_ramp_takes_the_draw_of_its_own() -> None:
    """`draw` is another position than `seed`, the one that its name draws."""
    seen: list[object] = []

    class Spy(Strip):
        def look_up(self, position: object, row: object = 0.0) -> nodes.Node:
            seen.append(position)
            return nodes.constant(0.0, 0.0, 0.0)

    values = {spec.name: nodes.constant(float(spec.default)) for spec in COAT.values if spec.bindable}
    base = nodes.constant(0.5, 0.5, 0.5)
    for way in ("seed", "draw"):
        inputs = CoatInputs({"colour": base}, base, base, values, {"from": way}, strips={"ramp": Spy("s", 4, 1)},
                            draw=lambda what: drawn(f"tide {what}"))  # fmt: skip
        formula(inputs)
    found = run(program_of({"x": seen[0], "y": seen[1]}), Environment(np.zeros((1, 2), np.float32), {}, {}, seed=0.41))
    assert float(np.ravel(found["x"])[0]) == pytest.approx(0.41)
    assert float(np.ravel(found["y"])[0]) == pytest.approx(by_integers("tide position", 0.41), abs=1e-6)
