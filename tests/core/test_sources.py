"""Steps that take other things than channels: regions, ID colours, boxes, curves; and those that know paint and islands."""

from pathlib import Path

import numpy as np
import pytest
from scipy import ndimage
from scipy.interpolate import PchipInterpolator

from even_palette.core.arrays import Floats, float32
from even_palette.core.colour.oklab import linear_to_oklab
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.model import Kit
from even_palette.core.kit.sheet import Box, Region, Sheet, Step
from even_palette.core.kit.store import read_kit
from even_palette.core.kit.validate import check_kit
from even_palette.core.material.model import PlaneKind, PlaneRef, PlaneUse
from even_palette.core.mesh.kinds import ElementKind
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.regions.keying import Metric, distance_counts
from even_palette.core.regions.steps import Join
from even_palette.core.results.file_names import name_of
from even_palette.core.results.footprints import footprint_of
from even_palette.core.results.id_map import mask_size_of
from even_palette.core.results.masks import mask_of
from even_palette.core.results.sheet_mesh import elements_of
from even_palette.core.results.sheets import Sheets
from even_palette.demo import KIT_FOLDER
from tests.core.test_shapes import sheet
from tests.core.test_steps import boxes, kit_with, sized

SIZE = (517, 300)


def plain(key: str, *steps: Step, at: tuple[Box, ...] = ()) -> Region:
    return Region(key, key.upper(), (len(key), 0, 0), keyed=False, boxes=at, steps=steps)


def masks(kit: Kit, sheets: Sheets) -> dict[str, Floats]:
    at = kit.at()
    return {r.key: float32(mask_of(at, sheets, r.key).samples[..., 0]) / 65535 for r in at.sheet.regions}


@pytest.mark.parametrize("join", list(Join))
def test_the_mask_and_the_claims_of_another_region(join: Join) -> None:
    """The finished mask of a region, and its claims before the steps, join as any source does; and follow its edits."""
    rng = np.random.default_rng(3)
    one = plain("one", Step("feather", {"radius": 6.0}), at=boxes(rng))
    taken = [Step("region_mask", region="one", join=join), Step("region_claims", region="one", join=join)]
    two, three = (plain(key, step, at=boxes(rng)) for key, step in zip(("two", "six_"), taken, strict=True))
    bare = [plain(region.key, at=region.boxes) for region in (one, two, three)]
    sheets = Sheets()
    got, before = (masks(kit_with(*each, size=SIZE), sheets) for each in ((one, two, three), bare))
    formulas = {
        Join.ADD: lambda a, b: a + b - a * b, Join.SUBTRACT: lambda a, b: a * (1 - b), Join.INTERSECT: np.multiply,
        Join.STRONGEST: np.maximum, Join.REPLACE: lambda a, b: b,
    }  # fmt: skip
    assert np.abs(got["two"] - formulas[join](before["two"], got["one"])).max() < 2e-5
    assert np.abs(got["six_"] - formulas[join](before["six_"], before["one"])).max() < 2e-5
    harder = plain("one", Step("feather", {"radius": 2.0}), at=one.boxes)
    after = masks(kit_with(harder, two, three, size=SIZE), sheets)
    assert np.abs(after["two"] - formulas[join](before["two"], after["one"])).max() < 2e-5
    assert np.array_equal(after["six_"], got["six_"])


def test_circles_are_refused_with_a_sentence() -> None:
    """Two and three regions that take each other's masks, by command and in a file; claims may be taken by anyone."""
    history = History(kit_with(plain("a"), plain("b"), plain("c")))
    history.do(commands.add_step("a", Step("region_mask", region="b")))
    history.do(commands.add_step("b", Step("region_mask", region="c")))
    before = history.kit
    for key, region in (("b", "a"), ("c", "a"), ("a", "a")):
        with pytest.raises(UserError, match=r"circle: .* → "):
            history.do(commands.add_step(key, Step("region_mask", region=region)))
    assert history.kit is before
    history.do(commands.add_step("c", Step("region_claims", region="a")))
    check_kit(history.kit)
    with pytest.raises(UserError, match="not on its sheet"):
        history.do(commands.add_step("a", Step("region_mask", region="nobody")))
    with pytest.raises(UserError, match="circle"):
        check_kit(kit_with(plain("a", Step("region_mask", region="b")), plain("b", Step("region_mask", region="a"))))


def test_a_removed_region_takes_its_references_with_it() -> None:
    history = History(kit_with(plain("a", Step("region_mask", region="b"), Step("invert")), plain("b")))
    history.do(commands.remove_region("b"))
    check_kit(history.kit)
    assert [step.kind for step in history.kit.region("a").steps] == ["invert"]


def test_id_colour_with_tolerances_of_its_own(tmp_path: Path) -> None:
    """1 - smoothstep(inner, outer, d) of the Chebyshev distance in encoded levels, written out here."""
    rng = np.random.default_rng(8)
    ids = rng.integers(0, 256, (70, 110, 3)).astype(np.uint8)
    kit = sheet(tmp_path, np.full((7, 11, 3), 99, np.uint8), ids).kit
    step = Step(
        "id_key", {"red": 90.0, "green": 120.0, "blue": 150.0, "inner": 30.0, "outer": 140.0}, join=Join.REPLACE
    )
    kit = kit.with_sheet(Sheet("sheet_1", "S", kit.sheets[0].sources, (plain("r", step),)))
    far = np.abs(ids.astype(float) - (90, 120, 150)).max(axis=-1)
    t = np.clip((far - 30) / 110, 0, 1)
    assert np.abs(masks(kit, Sheets())["r"] - (1 - t * t * (3 - 2 * t))).max() < 2e-5


def test_box() -> None:
    """Texels whose middles lie in it, as a rectangle of a region does."""
    step = Step("box", {"left": 20.0, "top": 10.0, "right": 63.0, "bottom": 71.0})
    got = masks(kit_with(plain("a", step), plain("bb", at=(Box(0.2, 0.1, 0.63, 0.71),)), size=SIZE), Sheets())
    assert np.array_equal(got["a"], got["bb"])


def test_a_plane_through_a_curve(tmp_path: Path) -> None:
    """Levels first, then scipy's monotone cubic through the five points."""
    rng = np.random.default_rng(9)
    paint = rng.integers(0, 256, (60, 90, 3)).astype(np.uint8)
    kit = sheet(tmp_path, paint, None, Encoding.DATA).kit
    own = kit.sheets[0]
    use = PlaneUse(PlaneRef(PlaneKind.MAP, own.sources[0].key), channel=1, low=0.1, high=0.9)
    points = {"at_0": 10.0, "at_25": 60.0, "at_50": 20.0, "at_75": 90.0, "at_100": 80.0}
    step = Step("curved", points, plane=use, join=Join.REPLACE)
    kit = kit.with_sheet(Sheet(own.key, own.name, own.sources, (plain("r", step),)))
    x = np.clip((paint[..., 1] / 255 - 0.1) / 0.8, 0, 1)
    wanted = np.clip(PchipInterpolator([0, 0.25, 0.5, 0.75, 1], [v / 100 for v in points.values()])(x), 0, 1)
    assert np.abs(masks(kit, Sheets())["r"] - wanted).max() < 1e-4


def mask_on(paint: Floats, region: Region) -> Floats:
    """The mask of a region of a sheet with a base colour of our own."""
    kit, sheets = sized(kit_with(region), paint.shape[1], paint.shape[0], Encoding.LINEAR), Sheets()
    sheets.cache.get(("plane", name_of(kit.sheets[0].sources[0])), lambda: Plane(paint, Encoding.DATA))
    return masks(kit, sheets)[region.key]


def guided(mask: Floats, guide: Floats, radius: int, eps: float) -> Floats:
    """He, Sun and Tang 2010, equations 5, 6 and 8, window by window as they are written."""
    height, width = mask.shape
    pad = 2 * radius
    p, i = (np.pad(x, pad, mode="edge") for x in (mask.astype(float), guide.astype(float)))
    a, b = np.zeros_like(p), np.zeros_like(p)
    for row in range(radius, height + 3 * radius):
        for column in range(radius, width + 3 * radius):
            cut = (slice(row - radius, row + radius + 1), slice(column - radius, column + radius + 1))
            a[row, column] = ((i[cut] * p[cut]).mean() - i[cut].mean() * p[cut].mean()) / (i[cut].var() + eps)
            b[row, column] = p[cut].mean() - a[row, column] * i[cut].mean()
    out = np.empty_like(mask)
    for row in range(height):
        for column in range(width):
            cut = (slice(row + radius, row + 3 * radius + 1), slice(column + radius, column + 3 * radius + 1))
            out[row, column] = a[cut].mean() * i[row + pad, column + pad] + b[cut].mean()
    return np.clip(out, 0, 1)


def test_smoothing_keeps_edges_of_the_paint() -> None:
    """The guided filter of its paper, over a border of tiles; an edge of the paint stays, a flat part is smoothed."""
    rng = np.random.default_rng(4)
    height, width = 40, 280
    paint = float32(rng.random((height, width, 3)) * 0.05 + 0.2)
    paint[:, 150:] += 0.5
    box = Box(0.3, 0.2, 150 / 280, 0.8)
    step = Step("smooth", {"radius": 4.0, "edge": 6.0})
    before = mask_on(paint, plain("a", at=(box,)))
    got = mask_on(paint, plain("a", step, at=(box,)))
    guide = linear_to_oklab(paint)[..., 0]
    assert np.abs(got - guided(before, guide, 4, 0.06**2)).max() < 1e-4
    assert got[20, 148] - got[20, 152] > 0.85
    assert 0.25 < got[20, 84] < 0.75


@pytest.mark.parametrize("strength", [1.0, 0.4])
def test_nothing_crosses_the_border_of_an_island(strength: float) -> None:
    """On the demo: what a region grows and feathers onto islands that it had nothing of is gone, the rest is untouched."""
    kit, sheets = read_kit(KIT_FOLDER), Sheets()
    key = next(region.key for region in kit.sheets[0].regions if region.name == "Cabin")
    spread = (Step("grow", {"radius": 40.0}), Step("feather", {"radius": 12.0}))
    wide = commands.set_steps(key, "", spread).apply(kit)
    kept = commands.set_steps(key, "", (*spread, Step("islands", strength=strength))).apply(kit)
    claims, before, after = (
        float32(mask_of(state.at(), sheets, key, steps).samples[..., 0]) / 65535
        for state, steps in ((wide, 0), (wide, 9), (kept, 9))
    )
    at = kit.at()
    seen = footprint_of(at, sheets, *mask_size_of(at, sheets))
    assert seen is not None
    islands = elements_of(at, sheets, ElementKind.ISLAND).labels
    face = np.where(seen.nearest < 0, -1, seen.face.ravel()[seen.nearest])
    island = np.where(face < 0, -1, islands[face])
    own = np.unique(island[(claims >= 0.5) & (seen.face >= 0)])
    on = np.isin(island, own[own >= 0])
    assert (before[~on] > 0.1).sum() > 100
    assert np.abs(after[~on] - before[~on] * (1 - strength)).max() < 2e-5
    assert np.array_equal(after[on], before[on])


def test_tiles_leave_no_seam_for_smoothing() -> None:
    """A sheet that is one tile and a part: smoothed at once and by tiles it is the same."""
    rng = np.random.default_rng(5)
    paint = float32(ndimage.gaussian_filter(rng.random((270, 300)), 3)[..., None].repeat(3, axis=2))
    region = plain("a", Step("smooth", {"radius": 9.0, "edge": 3.0}), at=boxes(rng))
    got = mask_on(paint, region)
    before = mask_on(paint, plain("a", at=region.boxes))
    from even_palette.core.regions.steps.smooth import smooth

    values = {"radius": 9.0, "edge": 3.0}
    padded = smooth(
        float32(np.pad(before, 18, mode="edge")),
        float32(np.pad(paint, ((18, 18), (18, 18), (0, 0)), mode="edge")),
        values,
    )
    assert np.abs(got - padded).max() < 2e-5


@pytest.mark.parametrize("channels", [1, 3, 4])
def test_distances_are_counted(tmp_path: Path, channels: int) -> None:
    """For the histogram of tolerances: counts by distance, Chebyshev and Euclidean, on 600 rows, by scipy's cdist."""
    from scipy.spatial.distance import cdist

    rng = np.random.default_rng(2)
    levels = rng.integers(0, 256, (600, 7, channels)).astype(np.uint8)
    flat = (levels if channels > 1 else levels.repeat(3, axis=2))[..., :3].reshape(-1, 3).astype(float)
    for metric, name in ((Metric.CHEBYSHEV, "chebyshev"), (Metric.EUCLIDEAN, "euclidean")):
        far = cdist(flat, [[30.0, 200.0, 90.0]], name)[:, 0]
        wanted = np.bincount(np.minimum(np.rint(far), 255).astype(int), minlength=256)
        assert np.array_equal(distance_counts(levels, (30, 200, 90), metric), wanted)
