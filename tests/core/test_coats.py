"""Coats, parameters and blending, evaluated by the reference."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from skimage import color as skcolor

from even_palette.core.arrays import float32
from even_palette.core.checks import find
from even_palette.core.checks.dark_seams import seam
from even_palette.core.colour import hsl, oklab
from even_palette.core.colour.luma import luminance
from even_palette.core.colour.srgb import linear_to_srgb, srgb_to_linear
from even_palette.core.graph import nodes, slots
from even_palette.core.graph.program import program_of
from even_palette.core.graph.reference import Environment, evaluate, run
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.sheet import Step
from even_palette.core.material.build import BASE_SLOT, Dressed, acting, build_material, worn
from even_palette.core.material.coats import COATS
from even_palette.core.material.coats.tonal import shares
from even_palette.core.material.model import (
    Blending,
    Bound,
    Coat,
    Parameter,
    PlaneKind,
    PlaneRef,
    PlaneUse,
    ValueKind,
    Variant,
)
from even_palette.core.material.plane_reads import Pictures, map_plane
from even_palette.core.material.variants import MASTER, resolve
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import texel_centres
from even_palette.core.regions.packing import Packing, PackingPlan
from even_palette.core.results.base_colour import base_colour_of
from even_palette.core.results.means import means_of
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.weights import weights_of

RNG = np.random.default_rng(6)
PAINT = RNG.integers(0, 256, (16, 16, 3)).astype(np.uint8)
B = srgb_to_linear(float32(PAINT) / 255)
SPACES = ["yiq", "hsl", "oklch"]


def wear(
    kind: str, paint: np.ndarray = PAINT, mean: tuple[float, float, float] = (0.5, 0.5, 0.5), **values: object
) -> np.ndarray:
    """The paint (H, W, 3) uint8 in a coat; linear."""
    return layers([Coat(kind, values)], paint, mean)


def layers(
    coats: list[Coat],
    paint: np.ndarray = PAINT,
    mean: tuple[float, float, float] = (0.5, 0.5, 0.5),
    **planes: np.ndarray,
) -> np.ndarray:
    """The paint (H, W, 3) uint8 in several coats, with planes (H, W, 1) float32 as maps by key; linear."""
    found = worn(Dressed("r", "R", tuple(coats), (mean,) * len(coats)), [])
    there = {BASE_SLOT: slots.of(Plane(paint.copy(), Encoding.SRGB))}
    there |= {f"map_{key}": slots.of(Plane(float32(plane), Encoding.DATA)) for key, plane in planes.items()}
    return evaluate(found.outputs["colour"], Environment(texel_centres(*paint.shape[:2]), there))


def test_multiply_tint() -> None:
    """White gives the colour, black gives black, grey gives a dimmer version of the colour (common practice)."""
    ramp = np.array([[[255] * 3, [0] * 3, [128] * 3]], dtype=np.uint8)
    colour = (0.8, 0.4, 0.1)
    white, black, grey = wear("tint", ramp, colour=colour)[0]
    assert linear_to_srgb(white) == pytest.approx(colour, abs=1e-5)
    assert black == pytest.approx(0)
    assert grey == pytest.approx(white * srgb_to_linear(float32(128 / 255)), abs=1e-6)


def test_repaint_is_source_over() -> None:
    """mix(B, T, strength): simple alpha compositing (W3C Compositing and Blending Level 1, section 5.1)."""
    colour = srgb_to_linear(float32((0.2, 0.5, 0.9)))
    for strength in (0.0, 0.3, 1.0):
        got = wear("repaint", colour=(0.2, 0.5, 0.9), strength=strength)
        assert got == pytest.approx(B * (1 - strength) + colour * strength, abs=1e-6)


@pytest.mark.parametrize("space", SPACES)
def test_shift_of_nothing_is_the_identity(space: str) -> None:
    """Shift 0 degrees, 1, 0 gives the paint back within 1/255; hue 360 degrees is hue 0 (common practice)."""
    for hue in (0.0, 360.0):
        encoded = linear_to_srgb(wear("shift", space=space, hue=hue))
        assert np.abs(encoded * 255 - PAINT).max() < 0.5


@pytest.mark.parametrize("space", SPACES)
def test_saturation_0_is_grey(space: str) -> None:
    encoded = linear_to_srgb(wear("shift", space=space, saturation=0.0))
    assert np.ptp(encoded, axis=-1).max() < 1 / 255


def test_shift_in_yiq_equals_scikit_image() -> None:
    """scikit-image rgb2yiq: hue = atan2(Q, I) plus the angle, chroma times the factor, Y plus the offset."""
    y, i, q = np.moveaxis(skcolor.rgb2yiq(PAINT / 255), -1, 0)
    hue, chroma = np.arctan2(q, i) + np.radians(50), np.hypot(i, q) * 1.3
    want = skcolor.yiq2rgb(np.stack([y + 0.1, chroma * np.cos(hue), chroma * np.sin(hue)], axis=-1))
    got = linear_to_srgb(wear("shift", space="yiq", hue=50.0, saturation=1.3, brightness=0.1))
    assert np.abs(got - np.clip(want, 0, 1)).max() < 1e-4


def test_shift_in_hsl_and_oklch_equal_the_colour_modules() -> None:
    """The conversions of core.colour, which are held to colorsys and coloraide."""
    h, s, lightness = np.moveaxis(hsl.rgb_to_hsl(float32(PAINT) / 255), -1, 0)
    want = hsl.hsl_to_rgb(np.stack([h + 0.25, np.clip(s * 0.5, 0, 1), np.clip(lightness + 0.1, 0, 1)], axis=-1))
    got = linear_to_srgb(wear("shift", space="hsl", hue=90.0, saturation=0.5, brightness=0.1))
    assert np.abs(got - want).max() < 1e-4
    lch = oklab.oklab_to_oklch(oklab.linear_to_oklab(B)) * float32((1, 0.5, 1)) + float32((-0.1, 0, 0.25))
    want = np.clip(oklab.oklab_to_linear(oklab.oklch_to_oklab(lch)), 0, 1)
    got = wear("shift", space="oklch", hue=90.0, saturation=0.5, brightness=-0.1)
    assert np.abs(got - want).max() < 1e-4


@given(st.integers(0, 10**6), st.sampled_from(["channel", "luminance"]), st.tuples(*[st.floats(0.02, 0.3)] * 3))
def test_true_tint_makes_the_mean_the_chosen_colour(seed: int, mode: str, target: tuple[float, float, float]) -> None:
    """The weighted mean of a region equals the chosen colour within 0.002 linear where nothing clips."""
    rng = np.random.default_rng(seed)
    paint = rng.integers(90, 200, (24, 24, 3)).astype(np.uint8)
    weight = rng.random((24, 24))
    mean = (srgb_to_linear(float32(paint) / 255) * weight[..., None]).sum(axis=(0, 1)) / weight.sum()
    encoded = tuple(float(v) for v in linear_to_srgb(float32(target)))
    got = wear("tint", paint, tuple(map(float, mean)), colour=encoded, mode=mode)
    assert got.max() < 1
    worn = (got * weight[..., None]).sum(axis=(0, 1)) / weight.sum()
    assert np.abs(worn - target).max() < 0.002
    if mode == "luminance":
        assert np.ptp(got / float32(target), axis=-1).max() < 1e-4


def test_true_tint_on_a_whole_sheet(history: History, sheets: Sheets) -> None:
    """Through masks, 8-bit weights and the sheet's own mean; and a finding says how much clips."""
    history.do(commands.set_cell_value("region_1", "colour", (0.3, 0.2, 0.25)))
    kit = history.kit
    weights, base = weights_of(kit.at(), sheets), base_colour_of(kit.at(), sheets)
    mean = tuple(map(float, means_of(kit.at(), sheets)[0]))
    formula = worn(Dressed("region_1", "", kit.sheets[0].regions[0].coats, (mean,)), kit.parameters).outputs["colour"]
    inputs = {"region_1_colour": tuple(map(float, srgb_to_linear(float32((0.3, 0.2, 0.25)))))}
    seen = evaluate(formula, Environment(texel_centres(64, 64), {BASE_SLOT: slots.of(base)}, inputs))
    assert seen.max() < 1
    weight = weights.levels[0][..., None].astype(float)
    assert (seen * weight).sum(axis=(0, 1)) / weight.sum() == pytest.approx(inputs["region_1_colour"], abs=0.002)

    history.do(commands.set_cell_value("region_1", "colour", (0.9, 0.9, 0.9)))
    clipped = [f.text for f in find(history.kit, sheets) if "clips in Master" in f.text]
    colours, levels = base.linear()[..., :3], weights.levels[:1]
    raw = colours / means_of(kit.at(), sheets)[0] * srgb_to_linear(float32(0.9))
    share = levels[0][(raw > 1).any(axis=-1)].sum() / levels[0].sum()
    assert clipped == [f"{share:.1%} of Region 1 clips in Master (true tint)."]


def blend(weights: list[float], colours: list[tuple[float, float, float]], blending: Blending) -> np.ndarray:
    """One texel of white paint under repainted regions; encoded."""
    regions = [Dressed(f"r{i}", "", (Coat("repaint", {"colour": c}),), ((1, 1, 1),)) for i, c in enumerate(colours)]
    material = build_material(regions, [], blending)
    packed = np.zeros((1, 1, 4), dtype=np.float32)
    packed[0, 0, : len(weights)] = weights
    plan = PackingPlan(Packing.PLANES, tuple(region.key for region in regions))
    there = {BASE_SLOT: slots.of(Plane(np.full((1, 1, 3), 255, dtype=np.uint8), Encoding.SRGB))}
    there |= plan.slots([Plane(packed, Encoding.DATA)])
    return linear_to_srgb(evaluate(material.packed(plan)["colour"], Environment(texel_centres(1, 1), there)))[0, 0]


def test_linear_mix_has_no_dark_band() -> None:
    """Midpoint luminance of two saturated colours is the mean of the two luminances (linear light)."""
    red, green = (1.0, 0.0, 0.0), (0.0, 1.0, 0.0)
    middle = luminance(srgb_to_linear(blend([0.5, 0.5], [red, green], Blending.LINEAR)))
    assert float(middle) == pytest.approx((0.2126 + 0.7152) / 2, abs=1e-4)
    assert blend([0.5, 0.5], [red, green], Blending.ENCODED) == pytest.approx((0.5, 0.5, 0), abs=1e-4)


def test_channel_mask_colouring() -> None:
    """base (1 - min(1, r + g + b)) + c1 r + c2 g + c3 b with weights that add up to at most one (common practice)."""
    colours = [(1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)]
    got = blend([0.2, 0.3, 0.1], colours, Blending.ENCODED)
    assert got == pytest.approx((0.4 + 0.2, 0.4 + 0.3, 0.4 + 0.1), abs=1e-4)


def test_every_coat_declares_itself() -> None:
    """Name, type, range, unit, default and one sentence of help for each value."""
    assert {"tint", "repaint", "shift", "finish", "shade"} <= set(COATS)
    for kind in COATS.values():
        assert kind.help.endswith(".")
        for spec in kind.values:
            assert spec.help.endswith(".")
            assert spec.label
            assert spec.low < spec.high
            if spec.kind == ValueKind.NUMBER:
                assert spec.low <= spec.default <= spec.high  # type: ignore[operator]
            if spec.kind == ValueKind.CHOICE:
                assert spec.default in dict(spec.choices)


def test_variants_inherit() -> None:
    parameters = [Parameter("a", "an_a", ValueKind.NUMBER, 1.0), Parameter("b", "a_b", ValueKind.NUMBER, 2.0)]
    variants = [Variant("n", "Night", None, {"a": 10.0}), Variant("i", "Ice", "n", {"b": 20.0, "gone": 1.0})]
    assert resolve(parameters, variants, MASTER) == {"a": 1, "b": 2}
    assert resolve(parameters, variants, "n") == {"a": 10, "b": 2}
    assert resolve(parameters, variants, "i") == {"a": 10, "b": 20}
    with pytest.raises(KeyError):
        resolve(parameters, variants, "Fog")
    with pytest.raises(ValueError, match="inherits from itself"):
        resolve(parameters, [Variant("a", "A", "b"), Variant("b", "B", "a")], "a")


def test_live_and_shipped_materials_give_the_same() -> None:
    """A live material takes fixed values as inputs, a shipped one as constants; bound values are parameters in both.

    Keys that end in a number or read like an input's name are nobody else's inputs.
    """
    named = "fixed_plank_2_hue"
    coat = Coat("tint", {"colour": Bound(named), "mode": "channel"})
    turned = [Coat("shift", {"hue": hue, "strength": 0.5}) for hue in (10.0, 50.0, 90.0, 130.0)]
    regions = [
        Dressed("plank", "", (coat, *turned[:2]), ((0.3, 0.2, 0.1), (0.2, 0.2, 0.1), (0.4, 0.2, 0.1))),
        Dressed("plank_2", "", (turned[2],), ((0.1, 0.1, 0.1),)),
        Dressed("over", "", (Coat("tint", {"mode": "channel"}),), ((0.7, 0.6, 0.5),)),
    ]
    over = Dressed("Over", "", (turned[3],), ((0.3, 0.3, 0.3),))
    parameters = [
        Parameter(named, "suit", ValueKind.COLOUR, (0.5, 0.5, 0.5)),
        Parameter("idle", "idle", ValueKind.NUMBER, 0.5),
    ]
    weights = Plane(RNG.integers(0, 128, (16, 16, 4)).astype(np.uint8), Encoding.DATA)
    there = {BASE_SLOT: slots.of(Plane(PAINT.copy(), Encoding.SRGB))}
    results = []
    for live in (False, True):
        material = build_material(regions, parameters, live=live, overcoats=over)
        assert [p.key for p in material.parameters] == [named]
        inputs = material.inputs({named: (0.2, 0.6, 0.4)})
        for packing in (Packing.PLANES, Packing.RGB, Packing.ARRAY):
            plan = PackingPlan(packing, ("plank", "plank_2", "over"))
            around = Environment(texel_centres(16, 16), {**there, **plan.slots([weights])}, inputs)
            results.append(evaluate(material.packed(plan)["colour"], around))
    assert all(np.array_equal(results[0], other) for other in results[1:])


def test_coats_are_put_on_in_order() -> None:
    """Each coat sees the colour under it; strength is source-over (W3C Compositing and Blending Level 1, section 5.1)."""
    red, blue = (0.8, 0.1, 0.1), (0.1, 0.2, 0.9)
    first, second = (srgb_to_linear(float32(c)) for c in (red, blue))
    got = layers([Coat("repaint", {"colour": red}), Coat("tint", {"colour": blue, "strength": 0.25})])
    assert got == pytest.approx(np.broadcast_to(first * 0.75 + first * second * 0.25, got.shape), abs=1e-6)
    other = layers([Coat("tint", {"colour": blue, "strength": 0.25}), Coat("repaint", {"colour": red})])
    assert other == pytest.approx(np.broadcast_to(first, other.shape), abs=1e-6)
    kept = layers([Coat("tint", {"colour": blue, "strength": 0.0}), Coat("repaint", {"strength": 0.0})])
    assert kept == pytest.approx(B, abs=1e-7)


@pytest.mark.parametrize("invert", [False, True])
def test_a_pattern_says_where_a_coat_acts(invert: bool) -> None:
    """mix(U, coat(U), strength pattern), the pattern being a plane through levels and a power."""
    plane = RNG.random((16, 16, 1)).astype(np.float32)
    use = PlaneUse(PlaneRef(PlaneKind.MAP, "mask"), 0, 0.2, 0.7, 2.0, invert)
    target = srgb_to_linear(float32((0.2, 0.9, 0.4)))
    got = layers([Coat("repaint", {"colour": (0.2, 0.9, 0.4), "strength": 0.5}, pattern=use)], mask=plane)
    share = np.clip((plane - 0.2) / 0.5, 0, 1) ** 2
    share = 0.5 * (1 - share if invert else share)
    assert got == pytest.approx(B * (1 - share) + target * share, abs=1e-5)


def test_shade_multiplies_by_its_plane() -> None:
    """U mix(1, plane, strength): multiply and source-over (W3C Compositing and Blending Level 1, sections 10.1.2, 5.1)."""
    plane = RNG.random((16, 16, 1)).astype(np.float32)
    coat = Coat("shade", {"strength": 0.6}, {"plane": PlaneUse(PlaneRef(PlaneKind.MAP, "open"))})
    assert layers([coat], open=plane) == pytest.approx(B * (1 - 0.6 + 0.6 * plane), abs=1e-6)
    assert layers([Coat("shade")]) == pytest.approx(B)


def test_finish_sets_surface_values_and_no_colour() -> None:
    """Satin is 0/20/0 % and matte 0/50/0 % of metalness, roughness and clear coat; 20 % is 51 of 255 (common practice)."""
    for rough, level in ((0.2, 51), (0.5, 128)):
        coat = Coat("finish", {"metalness": 0.0, "roughness": rough, "clear_coat": 0.0})
        outputs = worn(Dressed("r", "R", (coat,), ((0.5, 0.5, 0.5),)), []).outputs
        around = Environment(texel_centres(2, 2), {BASE_SLOT: slots.of(Plane(PAINT[:2, :2].copy(), Encoding.SRGB))})
        values = {name: evaluate(node, around) for name, node in outputs.items()}
        assert sorted(values) == ["clear_coat", "colour", "metalness", "roughness"]
        assert (np.floor(values["roughness"] * 255 + 0.5) == level).all()
        assert (values["metalness"] == 0).all()
        assert values["colour"] == pytest.approx(B[:2, :2])


@pytest.mark.parametrize("blending", list(Blending))
def test_outputs_mix_by_weights_where_a_region_sets_them(blending: Blending) -> None:
    """An output that one of two regions sets: its weight of that, the rest as the map says; overcoats go over all."""
    rough = RNG.random((16, 16, 1)).astype(np.float32)
    weights = Plane(RNG.integers(0, 128, (16, 16, 4)).astype(np.uint8), Encoding.DATA)
    mean = ((0.5, 0.5, 0.5),)
    regions = [
        Dressed("r0", "", (Coat("finish", {"roughness": 0.25}),), mean),
        Dressed("r1", "", (Coat("tint"),), mean),
    ]
    over = Dressed("over", "", (Coat("repaint", {"colour": (1.0, 1.0, 1.0), "strength": 0.5}),), mean)
    material = build_material(
        regions, [], blending, overcoats=over, pictures=Pictures({"roughness": (PlaneUse(map_plane("rough")), True)})
    )
    plan = PackingPlan(Packing.ARRAY, ("r0", "r1"))
    there = {
        BASE_SLOT: slots.of(Plane(PAINT.copy(), Encoding.SRGB)),
        "map_rough": slots.of(Plane(rough, Encoding.DATA)),
    }
    found = run(material.program(plan), Environment(texel_centres(16, 16), {**there, **plan.slots([weights])}))
    share = weights.samples[..., 0] / 255
    assert found["roughness"] == pytest.approx(rough[..., 0] * (1 - share) + 0.25 * share, abs=1e-6)
    assert found["colour"] == pytest.approx(B * 0.5 + 0.5, abs=1e-5)
    assert set(found) == {"colour", "roughness", "metalness", "clear_coat"}


GREYS = np.repeat(np.arange(256, dtype=np.uint8)[None, :, None], 3, axis=2)
FIRST, SECOND = (0.9, 0.1, 0.2), (0.1, 0.6, 0.95)


def light(encoded: tuple[float, float, float]) -> np.ndarray:
    return srgb_to_linear(float32(encoded))


def map_use(key: str, **how: object) -> PlaneUse:
    return PlaneUse(map_plane(key), **how)  # type: ignore[arg-type]


@pytest.mark.parametrize("over", ["replace", "paint"])
def test_two_tone_on_black_and_white_is_the_two_colours(over: str) -> None:
    """A plane of 0 gives the first colour and of 1 the second, between them their linear mix (common practice)."""
    plane = np.linspace(0, 1, 256, dtype=np.float32)[None, :, None]
    values = {"first": FIRST, "second": SECOND, "from": "plane", "over": over}
    white = np.full((1, 256, 3), 255, np.uint8)
    got = layers([Coat("two_tone", values, {"plane": map_use("ramp")})], white, ramp=plane)
    assert got == pytest.approx(light(FIRST) * (1 - plane) + light(SECOND) * plane, abs=1e-6)
    by_tone = layers([Coat("two_tone", {"first": FIRST, "second": SECOND})], GREYS)
    assert by_tone[0, 0] == pytest.approx(light(FIRST), abs=1e-6)
    assert by_tone[0, -1] == pytest.approx(light(SECOND), abs=1e-5)


@pytest.mark.parametrize("blending", list(Blending))
def test_a_mix_of_two_saturated_colours_is_dark_only_where_it_is_encoded(blending: Blending) -> None:
    """Luminance halfway is the mean of both in linear light; encoded mixing is darker (common practice, gamma)."""
    red, green = (1.0, 0.0, 0.0), (0.0, 1.0, 0.0)
    regions = [Dressed(name, name, (Coat("repaint", {"colour": colour}),), ((0.5,) * 3,)) for name, colour in
               (("a", red), ("b", green))]  # fmt: skip
    built = build_material(regions, [], blending)
    plan = PackingPlan(Packing.PLANES, ("a", "b"))
    half = Plane(np.full((1, 1, 2), 0.5, np.float32), Encoding.DATA)
    there = {BASE_SLOT: slots.of(Plane(PAINT.copy(), Encoding.SRGB)), "weights_0": slots.of(half)}
    got = evaluate(built.packed(plan)["colour"], Environment(float32([[[0.5, 0.5]]]), there))[0, 0]
    mean = (luminance(light(red)) + luminance(light(green))) / 2
    if blending == Blending.LINEAR:
        assert luminance(got) == pytest.approx(mean, abs=1e-5)
    else:
        assert luminance(got) < 0.5 * mean


@given(st.floats(0, 1), st.floats(0, 1), st.floats(0, 0.5))
def test_tonal_shares_add_up_to_one(low: float, high: float, softness: float) -> None:
    """At every tone the three shares are not below 0 and add up to 1, wherever the borders lie."""
    tone = nodes.uv()["x"]
    found = shares(tone, nodes.constant(low), nodes.constant(high), nodes.constant(softness))
    uv = np.zeros((1, 257, 2), np.float32)
    uv[..., 0] = np.linspace(0, 1, 257)
    values = [evaluate(share, Environment(uv)) for share in found]
    assert min(value.min() for value in values) >= 0
    assert sum(values) == pytest.approx(1, abs=1e-6)


@pytest.mark.parametrize("way", ["tint", "shift"])
def test_tonal_gives_each_band_its_own(way: str) -> None:
    """Darks, middles and lights of a grey ramp take only their own tint; shifts of nothing give the paint back."""
    values = {"shadow_colour": FIRST, "middle_colour": (1.0, 1.0, 1.0), "light_colour": SECOND, "way": way}
    got = layers([Coat("tonal", values)], GREYS)
    under = light(tuple(GREYS[0, 30] / 255)), light(tuple(GREYS[0, 127] / 255)), light(tuple(GREYS[0, 250] / 255))
    tints = (light(FIRST), 1.0, light(SECOND)) if way == "tint" else (1.0, 1.0, 1.0)
    for at, paint, tint in zip((30, 127, 250), under, tints, strict=True):
        assert got[0, at] == pytest.approx(paint * tint, abs=1e-5)
    if way == "shift":
        turned = layers([Coat("tonal", {"way": "shift", "light_saturation": 0.0})])
        assert np.abs(turned - B).max() > 0.01


def test_along_leads_from_root_to_tip() -> None:
    """Ends and middle are exact; power p has the middle at along = 0.5^(1/p)."""
    plane = float32([0, 0.25, 0.5, 0.5**0.5, 1])[None, :, None]
    paint = np.full((1, 5, 3), 255, np.uint8)
    values = {"root": FIRST, "tip": SECOND, "middle": (0.3, 0.3, 0.3)}
    use = {"along": map_use("a")}
    two = layers([Coat("along", values, use)], paint, a=plane)[0]
    three = layers([Coat("along", {**values, "colours": "three", "power": 2.0}, use)], paint, a=plane)[0]
    assert two == pytest.approx(light(FIRST) * (1 - plane[0]) + light(SECOND) * plane[0], abs=1e-6)
    for at, want in ((0, FIRST), (3, (0.3, 0.3, 0.3)), (4, SECOND)):
        assert three[at] == pytest.approx(light(want), abs=1e-6)


def test_blend_by_height_lets_the_higher_one_win() -> None:
    """A mask of 0 or 1 decides whatever the heights; at 1/2 the higher one wins beyond the band."""
    other = RNG.random((16, 16, 3)).astype(np.float32)
    over, under = RNG.random((16, 16, 1)).astype(np.float32), RNG.random((16, 16, 1)).astype(np.float32)
    for level in (0.0, 0.5, 1.0):
        planes = {"colour_map_other": other, "over": over, "under": under, "mask": np.full((16, 16, 1), level)}
        uses = {name: map_use(name) for name in ("over", "under", "mask")}
        coat = Coat("blend", {"way": "height", "band": 0.05}, {"colour": map_use("other"), **uses})
        found = worn(Dressed("r", "R", (coat,), ((0.5,) * 3,)), [])
        there = {BASE_SLOT: slots.of(Plane(PAINT.copy(), Encoding.SRGB))}
        there |= {(name if name.startswith("colour") else f"map_{name}"): slots.of(Plane(float32(plane), Encoding.DATA))
                  for name, plane in planes.items()}  # fmt: skip
        got = evaluate(found.outputs["colour"], Environment(texel_centres(16, 16), there))
        if level == 0.5:
            higher, lower = (over - under)[..., 0] > 0.051, (over - under)[..., 0] < -0.051
            assert got[higher] == pytest.approx(other[higher], abs=1e-6)
            assert got[lower] == pytest.approx(B[lower], abs=1e-6)
        else:
            assert got == pytest.approx(other if level else B, abs=1e-6)


def test_where_a_coat_acts_is_its_mask_times_pattern_and_strength() -> None:
    """By height, half its strength, within a pattern: smoothstep (GLSL 4.60, section 8.3) of the heights apart."""
    over, under, where = (RNG.random((16, 16, 1)).astype(np.float32) for _ in range(3))
    uses = {name: map_use(name) for name in ("over", "under")}
    values = {"way": "height", "band": 0.4, "offset": 0.1, "strength": 0.5}
    coat = Coat("blend", values, {"colour": map_use("other"), **uses}, map_use("where"))
    region = Dressed("r", "R", (Coat("tint"), coat), ((0.5,) * 3,) * 2)
    planes = {"map_over": over, "map_under": under, "map_where": where, "colour_map_other": np.ones((16, 16, 3))}
    there = {name: slots.of(Plane(float32(plane), Encoding.DATA)) for name, plane in planes.items()}
    environment = Environment(texel_centres(16, 16), {BASE_SLOT: slots.of(Plane(PAINT.copy(), Encoding.SRGB)), **there})
    got = evaluate(acting(region, 1, []).outputs["share"], environment)
    t = np.clip((over - under + 0.1 + 0.4) / 0.8, 0, 1)
    assert got == pytest.approx((t * t * (3 - 2 * t) * where * 0.5)[..., 0], abs=1e-6)
    assert evaluate(acting(region, 0, []).outputs["share"], environment) == pytest.approx(1.0)


@given(st.integers(0, 10**6))
def test_overcoats_are_covered_by_no_paint(seed: int) -> None:
    """Where dirt is 1 the dirt's colour is seen exactly, and bare timber is bare, whatever coats are under them."""
    rng = np.random.default_rng(seed)
    dirt = (rng.random((16, 16, 1)) > 0.6).astype(np.float32)
    wear_ = (rng.random((16, 16, 1)) > 0.6).astype(np.float32)
    paints = [Coat(kind, {"colour": tuple(rng.random(3))}) for kind in rng.choice(["tint", "repaint"], 3)]
    shifted = Coat("shift", {"hue": float(rng.uniform(-180, 180)), "saturation": float(rng.random() * 2)})
    use = {name: map_use(name) for name in ("dirt", "wear")}
    coats = [*paints, shifted, Coat("bare", pattern=use["wear"]),
             Coat("repaint", {"colour": FIRST}, pattern=use["dirt"])]  # fmt: skip
    got = layers(coats, dirt=dirt, wear=wear_)
    dirty, bare = dirt[..., 0] == 1, (wear_[..., 0] == 1) & (dirt[..., 0] == 0)
    assert np.abs(got[dirty] - light(FIRST)).max(initial=0) < 1e-6
    assert np.abs(got[bare] - B[bare]).max(initial=0) < 1e-6


def test_glow_adds_light_and_leaves_the_colour() -> None:
    """emission + T * mask * intensity, above 1 where it is strong; a second colour by a plane."""
    mask, second = RNG.random((16, 16, 1)).astype(np.float32), RNG.random((16, 16, 1)).astype(np.float32)
    values = {"colour": FIRST, "other": SECOND, "colours": "two", "intensity": 7.0}
    coat = Coat("glow", values, {"mask": map_use("mask"), "second": map_use("second")})
    found = worn(Dressed("r", "R", (coat, coat), ((0.5,) * 3,) * 2), [])
    there = {BASE_SLOT: slots.of(Plane(PAINT.copy(), Encoding.SRGB))}
    there |= {f"map_{name}": slots.of(Plane(plane, Encoding.DATA)) for name, plane in
              (("mask", mask), ("second", second))}  # fmt: skip
    around = Environment(texel_centres(16, 16), there)
    want = 2 * 7 * mask * (light(FIRST) * (1 - second) + light(SECOND) * second)
    assert evaluate(found.outputs["emission"], around) == pytest.approx(want, abs=1e-5)
    assert want.max() > 1
    assert evaluate(found.outputs["colour"], around) == pytest.approx(B)


def test_finish_over_a_map() -> None:
    """Replace, multiply and add; satin is roughness 20 %, 51 of 255, and matte 50 % (common practice)."""
    rough = RNG.random((16, 16, 1)).astype(np.float32)
    for way, want in (
        ("replace", np.full_like(rough, 0.2)),
        ("scale", rough * 0.2),
        ("add", np.minimum(rough + 0.2, 1)),
    ):
        coat = Coat("finish", {"roughness": 0.2, "way": way})
        pictures = Pictures({"roughness": (PlaneUse(map_plane("rough")), True)})
        found = worn(Dressed("r", "R", (coat,), ((0.5,) * 3,)), [], pictures)
        there = {
            BASE_SLOT: slots.of(Plane(PAINT.copy(), Encoding.SRGB)),
            "map_rough": slots.of(Plane(rough, Encoding.DATA)),
        }
        got = evaluate(found.outputs["roughness"], Environment(texel_centres(16, 16), there))
        assert got == pytest.approx(np.broadcast_to(want[..., 0], got.shape), abs=1e-6)
    assert round(0.2 * 255) == 51


def test_hue_noise_of_nothing_is_the_plain_shift() -> None:
    """A plane of 1/2, or 0 degrees of noise, turns nothing; a plane of 0 and 1 turns back and on by the degrees."""
    plain, use = wear("shift", hue=40.0), {"noise": map_use("n")}
    for degrees, level, hue in ((0.0, 1.0, 40.0), (30.0, 0.5, 40.0), (30.0, 1.0, 70.0), (30.0, 0.0, 10.0)):
        noise = np.full((16, 16, 1), level, np.float32)
        got = layers([Coat("shift", {"hue": 40.0, "noise": degrees}, use)], n=noise)
        want = plain if hue == 40.0 else wear("shift", hue=hue)
        assert got == pytest.approx(want, abs=2e-6)


@pytest.mark.parametrize(
    "coat",
    [Coat("tint"), Coat("shift"), Coat("repaint", {"strength": 0.0}), Coat("shade", {"strength": 0.0},
     {"plane": map_use("o")}), Coat("shift", {"space": "yiq"}, {"noise": map_use("n")}), Coat("two_tone", {"strength": 0.0})],
)  # fmt: skip
def test_coats_that_change_nothing_leave_the_program(coat: Coat) -> None:
    """A shipped program is that of the base colour alone; a live one keeps its values changeable."""
    region = Dressed("r", "R", (coat,), ((0.5,) * 3,))
    bare = worn(Dressed("r", "R", (), ()), [])
    assert worn(region, []).outputs["colour"] == bare.outputs["colour"]
    assert len(program_of(build_material([region], [], live=True).outputs).records) > len(
        program_of(bare.outputs).records
    )


def test_no_sines_of_what_is_known() -> None:
    """Angles that are fixed are worked out once, not at every texel."""
    found = worn(Dressed("r", "R", (Coat("shift", {"hue": 50.0}),), ((0.5,) * 3,)), [])
    assert not {"sin", "cos"} & {record.op for record in program_of(found.outputs).records}


def test_a_dark_seam_of_encoded_blending_is_found(history: History, sheets: Sheets) -> None:
    """Red beside green: encoded mixing is darker halfway (common practice); linear light has none, greys next to none."""
    assert seam(light((1.0, 0.0, 0.0)), light((0.0, 1.0, 0.0))) > 6
    assert seam(light((0.5, 0.5, 0.5)), light((0.55, 0.55, 0.55))) < 1
    for region, colour in (("region_1", (0.9, 0.05, 0.05)), ("region_2", (0.05, 0.8, 0.05))):
        history.do(commands.set_coat_kind(region, "repaint"))
        history.do(commands.set_cell_value(region, "colour", colour))
        history.do(commands.add_step(region, Step("grow", {"radius": 3.0})))
        history.do(commands.add_step(region, Step("feather", {"radius": 4.0})))

    def seams() -> list[str]:
        return [finding.text for finding in find(history.kit, sheets) if "dark seam" in finding.text]

    assert seams() == []
    history.do(commands.set_blending(Blending.ENCODED))
    assert any("Region 1 and Region 2" in text for text in seams())
    found = next(finding for finding in find(history.kit, sheets) if "dark seam" in finding.text)
    assert found.mend
    history.do(found.mend.command)
    assert seams() == []


def test_spilled_light_is_known_by_what_it_comes_from(history: History) -> None:
    """Another state of a map, of the glow, of a variant's value or of a region's place is other light; a tint is not."""
    from msgspec.structs import replace

    from even_palette.core.kit.sheet import Bake
    from even_palette.core.kit.trees import with_files

    bake = Bake("spill", "spill", variant="day")
    history.do(commands.add_coat("region_1", Coat("glow", {"intensity": 2.0}, {"mask": map_use("base_colour")})))
    kit, sheets = history.kit, Sheets()
    light = sheets.light
    assert light is not None
    before = light.key(kit.at(), sheets, bake)
    assert light.key(commands.set_cell_value("region_2", "colour", FIRST).apply(kit).at(), sheets, bake) == before
    others = [
        with_files(kit, lambda file: replace(file, sha256="0" * 64, width=64, height=64)),
        commands.set_cell_value("region_1", "intensity", 3.0, coat=1).apply(kit),
        commands.set_cell_value("region_1", "intensity", 3.0, "day", 1).apply(kit),
        commands.add_step("region_1", Step("grow", {"radius": 3.0})).apply(kit),
        commands.switch_coat("region_1", 1, False).apply(kit),
    ]
    keys = [light.key(other.at(), sheets, bake) for other in others]
    assert before not in keys
    assert len(set(keys)) == len(keys)
