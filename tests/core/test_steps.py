"""Steps of masks and weights by tiles: against scipy and scikit-image, and no seam where tiles meet."""

from pathlib import Path

import numpy as np
import pytest
from coloraide import Color
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace
from scipy import ndimage
from scipy.interpolate import PchipInterpolator
from skimage.exposure import adjust_gamma, rescale_intensity
from skimage.filters import gaussian
from skimage.morphology import dilation, disk, erosion, remove_small_holes, remove_small_objects

from even_palette.core.arrays import float32
from even_palette.core.errors import UserError
from even_palette.core.jobs import Cancelled, CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.model import Kit
from even_palette.core.kit.sheet import Box, Region, Sheet, Source, Step
from even_palette.core.kit.validate import check_kit
from even_palette.core.material.model import PlaneKind, PlaneRef, PlaneUse
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import Sampler, sample, texel_centres
from even_palette.core.regions.resolve_kernel import resolve_tile
from even_palette.core.regions.steps import STEPS, Join, joined
from even_palette.core.regions.steps.specks import specks
from even_palette.core.regions.weights import Resolve, coverage, quantize_weights, resolve_weights
from even_palette.core.results import weights_on_disk
from even_palette.core.results.base_colour import base_colour_of
from even_palette.core.results.disk_cache import SUFFIX, DiskCache
from even_palette.core.results.masks import mask_of
from even_palette.core.results.materials import material_of
from even_palette.core.results.means import means_of
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.typical_texels import typical_texels
from even_palette.core.results.weights import weights_name, weights_of
from even_palette.core.results.weights_on_disk import lasting_weights_of

RNG = np.random.default_rng(8)


def sized(kit: Kit, width: int, height: int, encoding: Encoding = Encoding.SRGB) -> Kit:
    """A kit whose masks have this size, as its base colour has it; nothing that asks for masks alone reads that."""
    sha256 = f"{width:032x}{height:032x}"
    paint = Source("paint", Role.BASE_COLOUR, "/not/there.png", encoding, 0, sha256, width=width, height=height)
    return kit.with_sheet(replace(kit.sheets[0], sources=(paint,)))


def boxes(rng: np.random.Generator, count: int = 6) -> tuple[Box, ...]:
    made = []
    for _ in range(count):
        left, top = rng.random(2) * 0.9
        made.append(
            Box(left, top, min(1.0, left + 0.05 + rng.random() * 0.4), min(1.0, top + 0.05 + rng.random() * 0.4))
        )
    return tuple(made)


def kit_with(*regions: Region, size: tuple[int, int] | None = None, resolve: Resolve = Resolve.SHARE) -> Kit:
    """A kit of one sheet with these regions, and with masks of a width and height."""
    kit = Kit(sheets=(Sheet("sheet_1", "Sheet", regions=regions, resolve=resolve),))
    return sized(kit, *size) if size else kit


def whole(mask: np.ndarray, step: Step) -> np.ndarray:
    """An edit of a whole mask (H, W) uint16 at once, by the step's own function on the padded sheet."""
    kind = STEPS[step.kind]
    values = kind.filled(step.values)
    reach = kind.reach(values)
    floats = float32(mask) / np.float32(65535)
    act = kind.whole or kind.edit
    assert act is not None
    made = act(np.pad(floats, reach, mode="edge"), values)
    made = made if step.strength >= 1 else floats + (made - floats) * np.float32(step.strength)
    return np.asarray(np.clip(made, 0, 1) * np.float32(65535) + np.float32(0.5), dtype=np.uint16)


EDITS = sorted(kind.name for kind in STEPS.values() if kind.edit or kind.whole)


@st.composite
def edits(draw: st.DrawFn) -> Step:
    kind = draw(st.sampled_from(EDITS))
    own = {value.name: draw(st.floats(value.low, value.high)) for value in STEPS[kind].values}
    if kind in ("grow", "close"):
        own = {"radius": float(round(own["radius"]))}
    return Step(
        kind,
        own,
        strength=draw(st.sampled_from([1.0, 0.4])),
        on=draw(st.sampled_from([True, True, False])),
    )


@settings(max_examples=25)
@given(st.integers(3, 620), st.integers(3, 620), st.lists(edits(), min_size=1, max_size=3), st.integers(0, 999))
def test_tiles_leave_no_seam(width: int, height: int, steps: list[Step], seed: int) -> None:
    """The tiled result equals the same functions on the whole sheet, exactly, at sizes that are no multiple of a tile."""
    rng = np.random.default_rng(seed)
    shape = boxes(rng)
    bare = kit_with(Region("a", "A", (1, 2, 3), keyed=False, boxes=shape), size=(width, height))
    want = mask_of(bare.at(), Sheets(), "a").samples[..., 0]
    for step in steps:
        if step.on:
            want = whole(want, step)
    kit = kit_with(Region("a", "A", (1, 2, 3), keyed=False, boxes=shape, steps=tuple(steps)), size=(width, height))
    got = mask_of(kit.at(), Sheets(), "a").samples[..., 0]
    assert np.array_equal(got, want)


@pytest.mark.parametrize("radius", [0.5, 1.0, 4.0, 17.5])
def test_feather_is_a_gaussian(radius: float) -> None:
    """scipy.ndimage.gaussian_filter and skimage.filters.gaussian, sigma half the radius, cut at four sigma, edges going on."""
    mask = (RNG.random((90, 70)) < 0.3).astype(np.float32)
    reach = STEPS["feather"].reach({"radius": radius})
    assert STEPS["feather"].edit is not None
    got = STEPS["feather"].edit(np.pad(mask, reach, mode="edge"), {"radius": radius})
    for want in (
        ndimage.gaussian_filter(mask.astype(float), radius / 2, mode="nearest", radius=reach),
        gaussian(mask.astype(float), radius / 2, mode="nearest", truncate=reach / (radius / 2)),
    ):
        assert np.abs(got - want).max() < 1e-5


@pytest.mark.parametrize("radius", [1, 2, 7, 23])
def test_grow_and_shrink_are_morphology_with_a_disc(radius: int) -> None:
    """skimage.morphology.dilation and erosion with disk(r); scipy.ndimage.grey_dilation. Exactly."""
    mask = (RNG.random((80, 95)) * (RNG.random((80, 95)) < 0.05)).astype(np.float32)
    padded = np.pad(mask, radius, mode="edge")
    edit = STEPS["grow"].edit
    assert edit is not None
    inner = (slice(radius, -radius), slice(radius, -radius))
    assert np.array_equal(edit(padded, {"radius": float(radius)}), dilation(padded, disk(radius))[inner])
    assert np.array_equal(edit(padded, {"radius": float(-radius)}), erosion(padded, disk(radius))[inner])
    wide = ndimage.grey_dilation(padded, footprint=disk(radius), mode="nearest")[inner]
    assert np.array_equal(edit(padded, {"radius": float(radius)}), wide)


@pytest.mark.parametrize("radius", [1, 3, 11])
def test_close_is_morphology_with_a_disc(radius: int) -> None:
    """scipy.ndimage.grey_closing with a disc, exactly, away from the edge, where each goes on in its own way."""
    mask = (RNG.random((90, 95)) * (RNG.random((90, 95)) < 0.2)).astype(np.float32)
    edit, reach = STEPS["close"].edit, 2 * radius
    assert edit is not None
    want = ndimage.grey_closing(mask, footprint=disk(radius))[reach:-reach, reach:-reach]
    assert np.array_equal(edit(mask, {"radius": float(radius)}), want)


@pytest.mark.parametrize("texels", [1, 5, 40])
def test_specks_and_holes_of_pure_masks(texels: int) -> None:
    """skimage.morphology.remove_small_objects and remove_small_holes, exactly."""
    mask = RNG.random((80, 75)) < 0.45
    for kind, want in (
        ("specks", remove_small_objects(mask, max_size=texels - 1, connectivity=2)),
        ("holes", remove_small_holes(mask, max_size=texels - 1, connectivity=1)),
    ):
        act = STEPS[kind].whole
        assert act is not None
        assert np.array_equal(act(mask.astype(np.float32), {"texels": float(texels)}, None), want.astype(np.float32))


@pytest.mark.parametrize(("corners", "texels"), [(True, 9), (False, 9), (True, 40), (False, 3)])
def test_specks_of_soft_masks(corners: bool, texels: int) -> None:
    """What the definition says in terms of scipy.ndimage, on a soft mask at a size that is no multiple of the band."""
    mask = ndimage.gaussian_filter(np.random.default_rng(texels).random((600, 85)), 1.3)
    mask = np.clip((mask - 0.5) * 9 + 0.25, 0, 1).astype(np.float32)
    touching = np.ones((3, 3)) if corners else ndimage.generate_binary_structure(2, 1)
    solid = mask >= 0.5
    patches, _ = ndimage.label(solid, touching)
    small = solid & (np.bincount(patches.ravel()) < texels)[patches]
    wide, count = ndimage.label(mask > 0, touching)
    every = range(count + 1)
    holds = ndimage.maximum(solid & ~small, wide, every) > 0
    had = ndimage.maximum(small, wide, every) > 0
    gone = (mask > 0) & (~holds & (had | (np.bincount(wide.ravel()) < texels)))[wide]
    gone |= small | (ndimage.binary_dilation(small, touching) & ~solid)
    assert small.any()
    assert (gone & ~small).any()
    found = specks(mask, {"texels": float(texels)}, None, corners)
    assert np.array_equal(found, np.where(gone, 0, mask))
    token = CancelToken()
    token.cancel()
    with pytest.raises(Cancelled):
        specks(mask, {"texels": 9.0}, token)


def test_specks_go_with_their_soft_edge_and_mist_too() -> None:
    mask = np.zeros((40, 40), dtype=np.float32)
    mask[2:30, 2:30] = 1
    mask[30, 2:30] = 0.4
    mask[35:38, 35:38] = 0.3
    mask[36, 36] = 1
    mask[35, 5] = 0.2
    want = mask.copy()
    want[34:] = 0
    act = STEPS["specks"].whole
    assert act is not None
    assert np.array_equal(act(mask, {"texels": 10.0}, None), want)


def test_levels_curve_invert_and_snap() -> None:
    """skimage.exposure.rescale_intensity with adjust_gamma; scipy's PCHIP; 1 - m; a threshold."""
    mask = RNG.random((30, 40)).astype(np.float32)
    wide = adjust_gamma(rescale_intensity(mask.astype(float), (0.2, 0.7), (0, 1)), 1 / 2.5)
    points = {"at_0": 10.0, "at_25": 5.0, "at_50": 60.0, "at_75": 60.0, "at_100": 90.0}
    through = PchipInterpolator([0, 0.25, 0.5, 0.75, 1], [0.1, 0.05, 0.6, 0.6, 0.9])(mask)
    for name, values, want in (
        ("levels", {"low": 20.0, "high": 70.0, "gamma": 2.5}, wide),
        ("curve", points, through),
        ("invert", {}, 1 - mask),
        ("snap", {"threshold": 30.0}, mask >= np.float32(0.3)),
    ):
        edit = STEPS[name].edit
        assert edit is not None
        assert np.abs(edit(mask, values) - want).max() < 2e-6


def test_ranges_of_the_paint() -> None:
    """Lightness, chroma and hue as coloraide (a library) gives them in OKLCh."""
    names = ["red", "lime", "blue", "grey", "white", "orange"]
    linear = np.array([Color(name).convert("srgb-linear").coords() for name in names], dtype=np.float32)[None]
    lch = [Color(name).convert("oklch").coords() for name in names]
    for kind, low, high, own in (
        ("lightness", 45.0, 63.0, [100 * lightness for lightness, _, _ in lch]),
        ("chroma", 60.0, 75.0, [100 * chroma / 0.4 for _, chroma, _ in lch]),
    ):
        source = STEPS[kind].source
        assert source is not None
        got = source(linear, {"low": low, "high": high, "soft": 0.0})[0]
        assert list(got) == [float(low <= value <= high) for value in own]
    source = STEPS["hue"].source
    assert source is not None
    got = source(linear, {"hue": 10.0, "width": 40.0, "soft": 100.0})[0]
    beyond = [max(0.0, abs((h - 10 + 180) % 360 - 180) - 20) if c > 0.04 else 999 for _, c, h in lch]
    shares = [max(0.0, 1 - each / 100) for each in beyond]
    assert got == pytest.approx([t * t * (3 - 2 * t) for t in shares], abs=1e-3)


def test_a_range_of_the_paint_joins_the_mask(history: History, sheets: Sheets) -> None:
    """At the texels of the mask, whatever the size of the base colour."""
    step = Step("lightness", {"low": 0.0, "high": 55.0, "soft": 20.0}, join=Join.REPLACE)
    before = weights_name(history.kit.at(), sheets)
    history.do(commands.add_step("region_2", step))
    at = history.kit.at()
    assert weights_name(at, sheets) != before
    mask = mask_of(at, sheets, "region_2").samples[..., 0]
    values = sample(base_colour_of(at, sheets), texel_centres(*mask.shape), Sampler())[..., :3]
    source = STEPS["lightness"].source
    assert source is not None
    assert np.abs(mask / 65535 - source(values, STEPS["lightness"].filled(step.values))).max() < 1e-4


def test_joins() -> None:
    """a + b - ab, a (1 - b), ab, the larger, b; with a strength, so far from a to that (source-over of coverage)."""
    a, b = RNG.random((2, 40, 40)).astype(np.float32)
    want = {Join.ADD: a + b - a * b, Join.SUBTRACT: a * (1 - b), Join.INTERSECT: a * b, Join.STRONGEST: np.maximum(a, b),
            Join.REPLACE: b}  # fmt: skip
    for join, values in want.items():
        assert joined(a, b, join, 1.0) == pytest.approx(values, abs=1e-6)
        assert joined(a, b, join, 0.25) == pytest.approx(a * 0.75 + values * 0.25, abs=1e-6)


@pytest.mark.parametrize("join", list(Join))
def test_a_channel_of_a_plane_joins_the_mask(history: History, sheets: Sheets, join: Join) -> None:
    """Through levels, at texels of the mask, which has the size of the ID map; undone with the map that it reads."""
    use = PlaneUse(PlaneRef(PlaneKind.MAP, "base_colour"), 1, 0.2, 0.8)
    before = float32(mask_of(history.kit.at(), sheets, "region_2").samples[..., 0]) / 65535
    history.do(commands.add_step("region_2", Step("channel", plane=use, join=join)))
    paint = base_colour_of(history.kit.at(), sheets).linear()[..., 1]
    got = float32(mask_of(history.kit.at(), sheets, "region_2").samples[..., 0]) / 65535
    want = joined(before, np.clip((paint - np.float32(0.2)) / np.float32(0.6), 0, 1), join, 1.0)
    assert np.abs(got - want).max() < 2e-5
    history.do(commands.remove_map("sheet_1", "base_colour"))
    assert not history.kit.region("region_2").steps
    history.undo()
    assert history.kit.region("region_2").steps


@given(st.integers(1, 12), st.integers(0, 999), st.booleans())
def test_the_compiled_loop_equals_the_reference(count: int, seed: int, by_order: bool) -> None:
    """resolve_weights and quantize_weights, at every texel; weights and base add up to 255; the same coverage."""
    rng = np.random.default_rng(seed)
    masks = rng.integers(0, 65536, (count, 9, 11)).astype(np.uint16)
    masks[rng.random(masks.shape) < 0.4] = 0
    masks[rng.random(masks.shape) < 0.3] = 65535
    how = Resolve.ORDER if by_order else Resolve.SHARE
    floats = float32(masks) / np.float32(65535)
    levels, quarter, counts = resolve_tile(masks, by_order)
    assert np.array_equal(levels, quantize_weights(resolve_weights(floats, how)))
    total = floats.sum(axis=0, dtype=np.float32)
    assert np.abs(quarter / 65535 * 4 - np.minimum(total, 4)).max() < 1e-4
    told = coverage(total.ravel(), np.ones(total.size))
    assert counts / total.size == pytest.approx([told.covered, told.over, told.empty])


def test_stepped_and_looked_up_weights_agree(history: History, sheets: Sheets) -> None:
    """A step that changes nothing takes the way by texels; it gives the weights of the way by classes."""
    plain = weights_of(history.kit.at(), sheets)
    history.do(commands.add_step("region_1", Step("grow", {"radius": 0.0})))
    stepped = weights_of(history.kit.at(), sheets)
    assert [plane.content_id for plane in plain.packed] == [plane.content_id for plane in stepped.packed]
    assert plain.mask_sum.content_id == stepped.mask_sum.content_id
    assert plain.coverage == pytest.approx(stepped.coverage) if isinstance(plain.coverage, tuple) else True


def test_an_edit_makes_only_the_tiles_within_its_reach() -> None:
    """A box moved in one corner of 5 x 4 tiles: the others are the same objects, in masks and in weights."""
    corner, middle = Box(0.02, 0.02, 0.1, 0.1), Box(0.4, 0.4, 0.6, 0.6)
    steps = (Step("feather", {"radius": 20.0}), Step("grow", {"radius": 9.0}))
    sheets = Sheets()
    found = []
    for box in (corner, replace(corner, right=0.12)):
        first = Region("a", "A", (1, 2, 3), keyed=False, boxes=(box,), steps=steps)
        second = Region("b", "B", (3, 2, 1), keyed=False, boxes=(middle,), steps=steps[:1])
        at = kit_with(first, second, size=(1200, 900)).at()
        found.append((mask_of(at, sheets, "a"), weights_of(at, sheets)))
    (mask, weights), (mask_after, weights_after) = found
    for one, other in (
        (mask, mask_after),
        (weights.packed[0], weights_after.packed[0]),
        (weights.mask_sum, weights_after.mask_sum),
    ):
        same = [a is b for a, b in zip(one.grid.tiles, other.grid.tiles, strict=True)]
        assert same == [False, *[True] * 19]
    assert mask.grid.nbytes < 4 * 256 * 256 * 2


def test_a_region_that_has_no_texel_has_a_mean(history: History, sheets: Sheets) -> None:
    """One more region whose weight is 0 everywhere changes no byte of the weights, but how many there are."""
    one = history.kit
    assert len(means_of(one.at(), sheets)) == 4
    history.do(commands.remove_region("region_4"))
    three = history.kit
    history.do(commands.add_regions(three.sheets[0].key, [(9, 9, 9)]))
    assert len(means_of(three.at(), sheets)) == 3
    assert means_of(history.kit.at(), sheets).shape == (4, 3)
    assert typical_texels(history.kit.at(), sheets).shape[0] == 5
    material_of(history.kit.at(), sheets)


@pytest.mark.parametrize(
    "sizes", [((300, 260), (150, 130)), ((130, 90), (600, 420)), ((64, 64), (64, 64)), ((257, 300), (100, 333))]
)
def test_means_at_unequal_sizes(sizes: tuple[tuple[int, int], tuple[int, int]]) -> None:
    """Weights sampled linearly at the texels of the base colour (scipy.ndimage.map_coordinates), then a weighted mean."""
    from even_palette.core.raster.tiles import TiledPlane, grid_of
    from even_palette.core.regions.weights import Coverage
    from even_palette.core.results.cache import Cache
    from even_palette.core.results.means import region_means
    from even_palette.core.results.weights import SheetWeights

    (width, height), (mask_width, mask_height) = sizes
    base = Plane(RNG.random((height, width, 3)).astype(np.float32), Encoding.LINEAR)
    levels = RNG.integers(0, 256, (mask_height, mask_width, 4)).astype(np.uint8)
    plane = TiledPlane(grid_of(levels))
    weights = SheetWeights(3, (plane,), plane, Coverage(1, 0, 0))
    got = region_means(base, weights, Cache(), float32((0.2, 0.2, 0.2)))
    rows = (np.arange(height) + 0.5) * mask_height / height - 0.5
    columns = (np.arange(width) + 0.5) * mask_width / width - 0.5
    at = np.stack(np.meshgrid(rows, columns, indexing="ij"))
    for number in range(3):
        share = ndimage.map_coordinates(levels[..., number].astype(float), at, order=1, mode="nearest")
        want = (base.samples * share[..., None]).sum(axis=(0, 1)) / share.sum()
        assert got[number] == pytest.approx(want, rel=1e-4)


@pytest.mark.parametrize(
    "step", [Step("explode"), Step("grow", {"radius": 1e9}), Step("grow", {"size": 1.0}), Step("feather", strength=2.0),
             Step("channel", plane=PlaneUse(PlaneRef(PlaneKind.MAP, "x"), 7))],
)  # fmt: skip
def test_steps_that_cannot_be(kit: Kit, step: Step) -> None:
    region = replace(kit.sheets[0].regions[0], steps=(step,))
    odd = kit.with_sheet(replace(kit.sheets[0], regions=(region, *kit.sheets[0].regions[1:])))
    with pytest.raises(UserError):
        check_kit(odd)


def test_steps_are_commands(history: History) -> None:
    """Added, changed, moved, switched off and removed; a drag of a value is one step of the history."""
    key = "region_1"
    history.do(commands.add_step(key, Step("feather")))
    history.do(commands.add_step(key, Step("grow", {"radius": 3.0})))
    before = len(history.undo_labels)
    for radius in (1.0, 2.0, 5.0):
        history.do(commands.change_step(key, 0, Step("feather", {"radius": radius})))
    assert len(history.undo_labels) == before + 1
    history.do(commands.move_step(key, 0, 1))
    assert [step.kind for step in history.kit.region(key).steps] == ["grow", "feather"]
    history.do(commands.remove_step(key, 0))
    assert [step.values for step in history.kit.region(key).steps] == [{"radius": 5.0}]
    with pytest.raises(UserError, match="cannot have radius"):
        history.do(commands.add_step(key, Step("grow", {"radius": 900.0})))
    assert history.kit.sheets[0].source(Role.ID) is not None


@pytest.mark.parametrize("size", [(300, 517), (256, 256), (31, 700)])
def test_weights_last_on_disk(size: tuple[int, int], tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Weights of an opened kit come from the disk, tile for tile as they were made, and without being made."""
    rng = np.random.default_rng(4)
    regions = [
        Region(f"r{number}", f"R{number}", (number, 0, 0), keyed=False, boxes=boxes(rng),
               steps=(Step("feather", {"radius": 3.0}),))
        for number in range(5)
    ]  # fmt: skip
    at = kit_with(*regions, size=size).at()
    first = Sheets()
    first.cache.disk = DiskCache(tmp_path)
    made = lasting_weights_of(at, first)
    again = Sheets()
    again.cache.disk = DiskCache(tmp_path)
    monkeypatch.setattr(weights_on_disk, "make_weights", None)
    kept = lasting_weights_of(at, again)
    assert (kept.count, kept.coverage) == (made.count, made.coverage)
    for one, other in zip((*kept.packed, kept.mask_sum), (*made.packed, made.mask_sum), strict=True):
        assert one.content_id == other.content_id
        assert np.array_equal(one.samples, other.samples)
    assert len(list(tmp_path.glob(f"*{SUFFIX}"))) == 1
    monkeypatch.undo()
    edited = replace(regions[0], boxes=regions[0].boxes[:3])
    again = Sheets()
    again.cache.disk = DiskCache(tmp_path)
    assert lasting_weights_of(kit_with(edited, *regions[1:], size=size).at(), again).content_id != made.content_id
