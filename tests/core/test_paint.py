"""Painting: strokes against their closed form, however they are cut, over seams, undone, saved, damaged and killed."""

import random
from collections.abc import Callable
from hashlib import sha1
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from scipy.integrate import quad
from scipy.ndimage import gaussian_filter, zoom

from even_palette.core.arrays import Floats, float32
from even_palette.core.checks import find
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.model import Kit
from even_palette.core.kit.sheet import Box, Region, Step
from even_palette.core.kit.store import BLOBS, KitFolder, read_kit
from even_palette.core.kit.trees import paint_tiles
from even_palette.core.mesh.footprint import footprint
from even_palette.core.mesh.model import build_mesh
from even_palette.core.mesh.texels import SurfaceTexels, surface_texels
from even_palette.core.raster.tiles import Spot, spots
from even_palette.core.regions.brush import Brush, Dab, along, tip
from even_palette.core.regions.brush import Path as Stretch
from even_palette.core.regions.paint import Paint, PaintTile, over, place_name
from even_palette.core.regions.stamps import STAMPS, shipped_stamp
from even_palette.core.regions.stroke import Effect, Stroke, stroke_through
from even_palette.core.results.footprints import surface_of
from even_palette.core.results.id_map import mask_size_of
from even_palette.core.results.masks import mask_of
from even_palette.core.results.painting import Into, ground_of, inside, outside
from even_palette.core.results.sheet_mesh import mesh_on_sheet, regions_of_faces
from even_palette.core.results.sheets import Sheets
from tests.core.test_steps import boxes, kit_with, sized

SIZES = [(300, 517), (256, 256), (77, 1030)]


def plain(height: int, width: int, brush: Brush, mask: Floats | None = None, **fields: object) -> Stroke:
    """A stroke on a mask of its own, 0 unless one is given."""
    under = np.zeros((height, width), dtype=np.float32) if mask is None else mask
    below = lambda spot: under[spot.top : spot.bottom, spot.left : spot.right]  # noqa: E731
    return Stroke(width, height, None, below, brush, **fields)  # type: ignore[arg-type]


def result(stroke: Stroke) -> Floats:
    return stroke.mask((0, 0, stroke.height, stroke.width))


def uncovered(brush: Brush, x: float, y: float, start: float, end: float) -> float:
    """The closed form along a level line at height 0: exp of the integral of ln(1 - flow · tip) over the travel."""

    def rate(s: float) -> float:
        far = np.array(np.hypot(x - s, y), dtype=np.float32)
        return float(np.log1p(-brush.flow * float(tip(far, brush.radius, brush.hardness))))

    low, high = max(start, x - brush.radius - 1), min(end, x + brush.radius + 1)
    if low >= high:
        return 1.0
    return float(
        np.exp(quad(rate, low, high, limit=400, points=[x] if low < x < high else None)[0] / (2 * brush.radius))
    )


@pytest.mark.parametrize("flow", [0.1, 0.5, 0.9])
@pytest.mark.parametrize("hardness", [0.0, 0.6])
def test_fine_spacing_gives_the_closed_form(flow: float, hardness: float) -> None:
    """Towards spacing 0 every texel is covered as the integral along the path says, by scipy's quadrature.

    The error falls with the square of the spacing; at the open end of the line up to half a step may be missing yet.
    """
    places = [(30, 60), (25, 60), (20, 45), (36, 80), (30, 30), (19, 60), (30, 24), (30, 95)]
    errors = []
    for spacing in (0.16, 0.08, 0.04, 0.02):
        brush = Brush(radius=12.0, hardness=hardness, flow=flow, spacing=spacing)
        stroke = plain(60, 120, brush)
        stroke.put(along(brush, [(30.0, 30.0), (90.0, 30.0)]))
        got = result(stroke)
        wanted = [1 - uncovered(brush, column + 0.5, row + 0.5 - 30.0, 30.0, 90.0) for row, column in places]
        errors.append([abs(float(got[place]) - value) for place, value in zip(places, wanted, strict=True)])
    assert max(errors[3][:-1]) < 0.1 / 255
    assert max(errors[2][:-1]) < 0.25 / 255
    assert errors[3][-1] < 4.5 / 255


def test_coarser_spacing_stays_near() -> None:
    """Flow belongs to the travel, so that another spacing changes little: within 4/255 up to a fifth of the width."""
    made = []
    for spacing in (0.02, 0.1, 0.2):
        brush = Brush(radius=20.0, hardness=0.3, flow=0.4, spacing=spacing)
        stroke = plain(80, 200, brush)
        stroke.put(along(brush, [(40.0, 40.0), (160.0, 40.0)]))
        made.append(result(stroke)[:, 60:140])
    assert np.abs(made[1] - made[0]).max() < 4 / 255
    assert np.abs(made[2] - made[0]).max() < 4 / 255


@pytest.mark.parametrize("stamp", ["", "cracks"])
def test_a_stroke_does_not_depend_on_how_it_is_cut(stamp: str) -> None:
    """The same line in one piece, in 7 and in 200 random pieces, with pressure along it: equal at every texel."""
    rng = random.Random(6)
    brush = Brush(radius=15.0, flow=0.6, spacing=0.13, stamp=stamp, jitter=0.5 if stamp else 0.0, pressure_flow=True)
    ends = ((20.0, 30.0), (270.0, 130.0))
    texels = []
    for pieces in (1, 7, 200):
        cuts = sorted(rng.random() for _ in range(pieces - 1))
        shares = [0.0, *cuts, 1.0]
        points = [tuple(a + (b - a) * t for a, b in zip(*ends, strict=True)) for t in shares]
        stroke = plain(160, 300, brush, stamp=shipped_stamp(stamp) if stamp else None)
        texels.append(stroke_through(stroke, along(brush, points, [0.3 + 0.7 * t for t in shares])).samples())
    for other in texels[1:]:
        assert np.abs(other.astype(int) - texels[0].astype(int)).max() <= 1


def test_a_click_is_one_whole_dab_and_a_line_begins_without_a_blot() -> None:
    brush = Brush(radius=10.0, hardness=1.0, flow=0.3, spacing=0.1)
    stroke = plain(64, 64, brush)
    path = Stretch(brush)
    stroke.put(path.extend((32.0, 32.0)))
    assert result(stroke)[32, 32] == pytest.approx(0.3, abs=1e-6)
    assert path.restarts
    stroke.restart()
    stroke.put(path.extend((52.0, 32.0)))
    assert not path.restarts
    assert result(stroke)[32, 33] < 0.25  # half a width of travel
    assert result(stroke).max() <= 0.3 + 1e-5


@pytest.mark.parametrize("size", SIZES)
def test_paint_over_a_mask_is_painting_on_the_mask(size: tuple[int, int]) -> None:
    """Strokes that add, take away, paint a value, soften and smear, kept as value and cover over the mask below, give
    what the same strokes give on the mask itself (Porter and Duff 1984, over), to the rounding of 16 bits."""
    rng = np.random.default_rng(2)
    height, width = size
    mask = float32(gaussian_filter(rng.random(size), 6))
    mask = float32((mask - mask.min()) / (mask.max() - mask.min()))
    paint: Paint | None = None
    direct = mask
    for number in range(10):
        effect = (Effect.VALUE, Effect.VALUE, Effect.SOFTEN, Effect.SMEAR)[number % 4]
        brush = Brush(radius=float(rng.uniform(3, 40)), flow=float(rng.uniform(0.2, 1)), hardness=0.4, spacing=0.2)
        points = [(float(x), float(y)) for x, y in rng.random((3, 2)) * (width, height)]
        value = float(rng.choice([0.0, 1.0, 0.35]))
        stroke = plain(height, width, brush, mask, value=value, effect=effect)
        stroke.base = paint
        paint = stroke_through(stroke, along(brush, points))
        on_mask = plain(height, width, brush, direct, value=value, effect=effect)
        on_mask.put(along(brush, points))
        direct = result(on_mask)
        assert np.abs(over(mask, paint.samples()) - direct).max() < 3e-4
    assert np.array_equal(
        paint.samples(),  # type: ignore[union-attr]
        Paint(width, height, dict(paint.tiles)).samples(),  # type: ignore[union-attr]
    )


@pytest.mark.parametrize("size", SIZES)
def test_tiles_leave_no_seam(size: tuple[int, int]) -> None:
    """A dab over the corner where tiles meet is the tip at every texel, as computed for the whole sheet at once."""
    height, width = size
    brush = Brush(radius=50.0, hardness=0.2)
    x, y = min(256.0, width / 2) + 0.3, min(256.0, height / 2) - 0.2
    stroke = plain(height, width, brush)
    stroke.put([Dab(x, y, 50.0, 1.0, 1.0)])
    rows, columns = np.mgrid[0:height, 0:width] + 0.5
    whole = tip(float32(np.hypot(columns - x, rows - y)), 50.0, 0.2)
    assert np.abs(result(stroke) - whole).max() < 1e-5


def test_locks_and_limits() -> None:
    """What a locked region has, and what lies outside a limit, keeps its paint."""
    size = (300, 280)
    rng = np.random.default_rng(1)
    one = Region("one", "One", (1, 0, 0), keyed=False, boxes=boxes(rng))
    two = Region("two", "Two", (2, 0, 0), keyed=False, boxes=boxes(rng), locked=True)
    at, sheets = kit_with(one, two, size=size[::-1]).at(), Sheets()
    ground = ground_of(at, sheets, Into("one"))
    brush = Brush(radius=400.0, hardness=1.0)
    stroke = ground.stroke(brush)
    stroke.put([Dab(140.0, 150.0, 400.0, 1.0, 1.0)])
    locked = mask_of(at, sheets, "two").samples[..., 0] > 0
    paint = stroke.paint().samples()
    assert locked.any()
    assert not paint[locked].any()
    assert (paint[~locked] >= 65535 - 1).all()
    mine = mask_of(at, sheets, "one")
    limited = ground.stroke(brush, 0.0, limits=(inside(mine),))
    limited.put([Dab(140.0, 150.0, 400.0, 1.0, 1.0)])
    cover = limited.paint().samples()[..., 1] > 0
    assert np.array_equal(cover, (mine.samples[..., 0] > 0) & ~locked)
    assert outside(mine)((0, 0, *size)).shape == size  # type: ignore[union-attr]


def ball(rows: int = 24, columns: int = 48, gap: float = 0.02) -> tuple[object, Floats]:
    """A unit sphere in two UV islands, cut along meridians, turned in UV, with a gap between them."""
    from even_palette.core.mesh.files import MeshLimits
    from even_palette.core.mesh.files.obj import read_obj

    lines, uvs, faces = [], [], []
    for half in range(2):
        for i in range(rows + 1):
            for j in range(columns // 2 + 1):
                theta, phi = np.pi * i / rows, 2 * np.pi * (j / columns + half / 2)
                lines.append(
                    f"v {np.sin(theta) * np.cos(phi):.9f} {np.cos(theta):.9f} {np.sin(theta) * np.sin(phi):.9f}"
                )
                s, t = j / (columns // 2), i / rows
                u, v = (s, t) if half == 0 else (t, 1 - s)
                uvs.append(f"vt {gap + half / 2 + u * (0.5 - 2 * gap):.9f} {gap + v * (1 - 2 * gap):.9f}")
        first, across = half * (rows + 1) * (columns // 2 + 1), columns // 2 + 1
        for i in range(rows):
            for j in range(columns // 2):
                a = first + i * across + j + 1
                for corners in ((a, a + 1, a + across), (a + 1, a + across + 1, a + across)):
                    faces.append("f " + " ".join(f"{c}/{c}" for c in corners))
    mesh = read_obj("\n".join([*lines, *uvs, *faces]).encode(), Path("ball.obj"), MeshLimits())
    return mesh, mesh.uv_sets[0]


def bilinear(texels: Floats, uv: Floats) -> Floats:
    height, width = texels.shape
    x, y = uv[:, 0] * width - 0.5, uv[:, 1] * height - 0.5
    column, row = np.floor(x).astype(int), np.floor(y).astype(int)
    fx, fy = x - column, y - row
    return float32(
        texels[row, column] * (1 - fx) * (1 - fy) + texels[row, column + 1] * fx * (1 - fy)
        + texels[row + 1, column] * (1 - fx) * fy + texels[row + 1, column + 1] * fx * fy
    )  # fmt: skip


def seam_of(mesh: object) -> tuple[Floats, Floats]:
    """UVs (n, 2) on both sides of every edge whose faces lie in different islands, 9 along each."""
    uv = mesh.uv_sets[0]  # type: ignore[attr-defined]
    edges: dict[tuple[int, int], list[tuple[Floats, Floats]]] = {}
    for face, points in enumerate(mesh.faces):  # type: ignore[attr-defined]
        for side in range(3):
            a, b = int(points[side]), int(points[(side + 1) % 3])
            ends = (uv[face, side], uv[face, (side + 1) % 3])
            edges.setdefault((min(a, b), max(a, b)), []).append(ends if a < b else ends[::-1])
    one, other = [], []
    for pair in edges.values():
        if len(pair) == 2 and np.abs(np.array(pair[0]) - np.array(pair[1])).max() > 1e-4:
            for t in np.linspace(0.05, 0.95, 9):
                one.append(pair[0][0] * (1 - t) + pair[0][1] * t)
                other.append(pair[1][0] * (1 - t) + pair[1][1] * t)
    return float32(one), float32(other)


def painted_in_space(surface: SurfaceTexels, points: list[tuple[float, float, float]], brush: Brush) -> Floats:
    height, width = surface.face.shape
    stroke = plain(height, width, brush, surface=surface)
    path = Stretch(brush, surface.texel)
    for point in points:
        if path.restarts:
            stroke.restart()
        stroke.put(path.extend(point))
    return result(stroke)


@pytest.mark.parametrize("size", [(512, 512), (389, 701)])
def test_no_break_over_the_seams_of_a_sphere(size: tuple[int, int]) -> None:
    """A stroke around the ball meets itself over both seams: 2/255 at most between their sides, filtered."""
    mesh, uv = ball()
    surface = surface_texels(mesh, uv, footprint(uv, size[1], size[0], 1, 8))  # type: ignore[arg-type]
    turns = np.linspace(0, 2 * np.pi, 90)
    points = [(float(np.cos(t)), float(0.2 * np.sin(3 * t)), float(np.sin(t))) for t in turns]
    texels = painted_in_space(surface, points, Brush(radius=24.0, hardness=0.3, flow=0.8, spacing=0.1))
    one, other = seam_of(mesh)
    a, b = bilinear(texels, one), bilinear(texels, other)
    assert len(one) > 300
    assert a.max() > 0.6
    assert np.abs(a - b).max() < 2 / 255


def test_mirrored_strokes_mirror() -> None:
    """Dabs mirrored at x = 0 paint the ball alike on both sides of it: compared at mirrored points of the surface."""
    mesh, uv = ball()
    surface = surface_texels(mesh, uv, footprint(uv, 640, 512, 1, 8))  # type: ignore[arg-type]
    brush = Brush(radius=30.0, hardness=0.2, flow=0.7)
    stroke = plain(512, 640, brush, surface=surface)
    stroke.put([Dab(0.8, 0.2, 30.0, 0.7, 1.0, z=0.55), Dab(-0.8, 0.2, 30.0, 0.7, 1.0, z=0.55)])
    made = result(stroke)
    rows, columns = np.nonzero((surface.face >= 0) & (made > 0.01))
    places = surface.places[rows, columns]
    from scipy.spatial import KDTree

    valid = surface.face >= 0
    tree = KDTree(surface.places[:512, :640][valid])
    far, nearest = tree.query(places * (-1, 1, 1))
    close = far < surface.texel * 0.2
    assert close.sum() > 100
    assert np.abs(made[valid][nearest[close]] - made[rows[close], columns[close]]).max() < 6 / 255


def plain_boxes(rng: np.random.Generator) -> tuple[Box, ...]:
    return tuple(Box(*(float(v) for v in (b.left, b.top, b.right, b.bottom))) for b in boxes(rng))


def random_kit(size: tuple[int, int]) -> tuple[History, Sheets]:
    rng = np.random.default_rng(3)
    regions = [Region(f"r{n}", f"R{n}", (n, 0, 0), keyed=False, boxes=plain_boxes(rng)) for n in range(3)]
    return History(kit_with(*regions, size=size)), Sheets()


def stroke_at_random(history: History, sheets: Sheets, rng: random.Random) -> None:
    """A stroke of any effect in any region, or an edit of its steps."""
    at = history.kit.at()
    region = rng.choice(at.sheet.regions)
    if rng.random() < 0.25:
        if region.steps and rng.random() < 0.5:
            number = rng.randrange(len(region.steps))
            step = replace(region.steps[number], strength=round(rng.random(), 2), on=rng.random() < 0.7)
            history.do(commands.change_step(region.key, number, step))
        elif region.steps and rng.random() < 0.4:
            history.do(commands.remove_step(region.key, rng.randrange(len(region.steps))))
        elif len(region.steps) < 6:
            history.do(commands.add_step(region.key, Step("feather", {"radius": 3.0})))
        history.end_merge()
        return
    ground = ground_of(at, sheets, Into(region.key))
    brush = Brush(radius=rng.uniform(2, 30), flow=rng.random(), hardness=rng.random())
    stroke = ground.stroke(brush, rng.choice([0.0, 1.0]), rng.choice([Effect.VALUE, Effect.VALUE, Effect.SOFTEN]))
    points: list[tuple[float, ...]] = [(rng.uniform(0, 400), rng.uniform(0, 300)) for _ in range(2)]
    history.do(commands.paint_step(region.key, ground.into.number, stroke_through(stroke, along(brush, points))))


def test_200_strokes_and_edits_undone_and_redone_byte_for_byte() -> None:
    rng = random.Random(12)
    history, sheets = random_kit((400, 300))
    states = []
    for _ in range(200):
        stroke_at_random(history, sheets, rng)
        for tile in rng.sample(list(paint_tiles(history.kit)), min(2, len(list(paint_tiles(history.kit))))):
            tile.pack()
        if rng.random() < 0.1:
            history.undo()
        states.append(painted_bytes(history.kit))
    last = states[-1]
    assert history.dropped == 0
    seen = [last]
    while history.undo():
        seen.append(painted_bytes(history.kit))
    assert seen[-1] == painted_bytes(random_kit((400, 300))[0].kit)
    for wanted in reversed(seen[:-1]):
        assert history.redo()
        assert painted_bytes(history.kit) == wanted
    assert painted_bytes(history.kit) == last


def painted_bytes(kit: Kit) -> object:
    """All paint of a kit, byte for byte, and the steps that have it."""
    return [
        [
            (step.kind, step.on, step.strength, sha1(step.paint.samples()).hexdigest() if step.paint else "")
            for step in region.steps
        ]
        for region in kit.regions
    ]


def test_history_is_bounded_by_touched_tiles() -> None:
    """100 strokes on 8192²: what they keep is bounded by the tiles that they touched, packed, not by the sheet."""
    rng = random.Random(3)
    history = History(kit_with(Region("r0", "R0", (1, 0, 0), keyed=False), size=(8192, 8192)))
    sheets = Sheets()
    touched = 0
    for _ in range(100):
        ground = ground_of(history.kit.at(), sheets, Into("r0"))
        brush = Brush(radius=64.0, flow=0.7)
        x, y = rng.uniform(200, 7900), rng.uniform(200, 7900)
        stroke = ground.stroke(brush)
        history.do(
            commands.paint_step("r0", ground.into.number, stroke_through(stroke, along(brush, [(x, y), (x + 90, y)])))
        )
        touched += len(stroke._tiles)
    assert history.bytes < touched * 256 * 256 * 4 + 100 * 2000
    for tile in paint_tiles(history.kit):
        tile.pack()
    loose = sum(tile.nbytes for tile in paint_tiles(history.kit))
    assert loose < touched * 256 * 256 * 4 / 5
    assert history.dropped == 0


def saved(folder: Path) -> Kit:
    history, sheets = random_kit((400, 300))
    rng = random.Random(4)
    for _ in range(12):
        stroke_at_random(history, sheets, rng)
    held = KitFolder.create(folder)
    held.save(history.kit)
    held.close()
    return history.kit


def test_paint_is_saved_as_blobs_and_only_what_is_new(tmp_path: Path) -> None:
    """A kit comes back byte for byte; saving again writes no tile anew; tiles that are no longer used go."""
    kit = saved(tmp_path / "kit")
    again = read_kit(tmp_path / "kit")
    assert again == kit
    assert painted_bytes(again) == painted_bytes(kit)
    blobs = tmp_path / "kit" / BLOBS
    stamps = {path.name: path.stat().st_mtime_ns for path in blobs.iterdir()}
    assert len(stamps) == len({tile.name for tile in paint_tiles(kit)})
    held = KitFolder(tmp_path / "kit")
    held.save(again)
    assert {path.name: path.stat().st_mtime_ns for path in blobs.iterdir()} == stamps
    bare = commands.set_steps("r0", "", ()).apply(again)
    held.save(bare)
    held.close()
    assert {path.stem for path in blobs.iterdir()} == {tile.name for tile in paint_tiles(bare)}


def test_an_autosave_keeps_paint(tmp_path: Path) -> None:
    kit = saved(tmp_path / "kit")
    held = KitFolder(tmp_path / "kit")
    more = commands.paint_step("r1", len(kit.region("r1").steps), painted(400, 300)).apply(kit)
    held.autosave(more)
    recovered = held.open().recovered
    held.close()
    assert recovered is not None
    assert painted_bytes(recovered) == painted_bytes(more)


def painted(width: int, height: int) -> Paint:
    stroke = plain(height, width, Brush(radius=40.0))
    return stroke_through(stroke, along(stroke.brush, [(100.0, 100.0), (200.0, 120.0)]))


@pytest.mark.parametrize("harm", ["gone", "cut", "flipped", "empty", "another"])
def test_damaged_paint_is_told_and_everything_else_opens(tmp_path: Path, harm: str) -> None:
    """A tile that is missing or damaged paints nothing, is a finding, and keeps its name: put back, it is there again."""
    kit = saved(tmp_path / "kit")
    path = sorted((tmp_path / "kit" / BLOBS).iterdir())[0]
    whole = path.read_bytes()
    flipped = bytes([*whole[:40], whole[40] ^ 255, *whole[41:]])
    other = PaintTile.of(np.full((256, 256, 2), 9, dtype=np.uint16)).packed
    path.unlink() if harm == "gone" else path.write_bytes(
        {"cut": whole[: len(whole) // 2], "flipped": flipped, "empty": b"", "another": other}[harm]
    )
    damaged = read_kit(tmp_path / "kit")
    assert damaged == kit
    lost = [tile for tile in paint_tiles(damaged) if not tile.is_there]
    assert {tile.name for tile in lost} == {path.stem}
    findings = [f for f in find(sized(damaged, 400, 300), Sheets()) if "paint" in f.text]
    assert len(findings) >= 1
    held = KitFolder(tmp_path / "kit")
    held.save(damaged)
    held.close()
    assert read_kit(tmp_path / "kit") == kit
    path.write_bytes(whole)
    assert painted_bytes(read_kit(tmp_path / "kit")) == painted_bytes(kit)


@pytest.mark.parametrize(
    ("change", "told"),
    [
        (lambda text: text.replace(b'"width": 400', b'"width": 0'), "width cannot be 0; it is at least 1"),
        (lambda text: text.replace(b'"0 1": "', b'"7 9": "'), "tiles beside"),
        (lambda text: text.replace(b'"0 1": "', b'"0 1": "../../../'), "PaintTile"),
    ],
)
def test_impossible_paint_is_refused(tmp_path: Path, change: Callable[[bytes], bytes], told: str) -> None:
    saved(tmp_path / "kit")
    path = tmp_path / "kit" / "kit.json"
    changed = change(path.read_bytes())
    assert changed != path.read_bytes()
    path.write_bytes(changed)
    with pytest.raises(UserError, match=told):
        read_kit(tmp_path / "kit")


def test_paint_follows_a_sheet_of_another_size() -> None:
    """An ID map of twice the size: the painting is scaled, filtered, and strokes go on from there."""
    paint = painted(400, 300)
    kit, sheets = kit_with(Region("r0", "R0", (1, 0, 0), keyed=False, steps=(Step("paint", paint=paint),))), Sheets()
    small, large = (
        mask_of(sized(kit, *size).at(), sheets, "r0").samples[..., 0].astype(float) / 65535
        for size in ((400, 300), (800, 600))
    )
    doubled = zoom(small, 2, order=1, mode="nearest", grid_mode=True)
    assert np.abs(large - doubled).max() < 2e-4
    ground = ground_of(sized(kit, 800, 600).at(), sheets, Into("r0"))
    assert ground.paint is not None
    assert (ground.paint.width, ground.paint.height) == (800, 600)


def test_stamps_lie_within_their_square() -> None:
    """Every shipped stamp is 0..1, has something to paint, fades before its edge, and is the same each time."""
    for name in STAMPS:
        stamp = shipped_stamp(name)
        assert stamp.shape == (128, 128)
        assert stamp.min() >= 0
        assert 0.3 < stamp.max() <= 1
        rim = np.concatenate([stamp[0], stamp[-1], stamp[:, 0], stamp[:, -1]])
        assert rim.max() < 0.35, name
        assert np.array_equal(stamp, STAMPS[name]())


def test_only_touched_tiles_are_made() -> None:
    stroke = plain(2000, 3000, Brush(radius=30.0))
    stroke.put([Dab(700.0, 700.0, 30.0, 1.0, 1.0)])
    places = {place_name(spot) for spot in spots(2000, 3000) if spot.top <= 730 and spot.bottom > 670
              and spot.left <= 730 and spot.right > 670}  # fmt: skip
    assert set(stroke.paint().tiles) == places


@pytest.mark.parametrize("region", ["Hull", "Cabin", "Funnel"])
def test_no_break_over_the_seams_of_the_tug(region: str) -> None:
    """A stroke through the middle of each of three regions of the demo: 2/255 at most over seams that it crosses."""
    from even_palette.demo import KIT_FOLDER

    kit = read_kit(KIT_FOLDER)
    at, sheets = kit.at(), Sheets()
    size = mask_size_of(at, sheets)
    surface, found = surface_of(at, sheets, *size), mesh_on_sheet(at, sheets)
    assert surface is not None
    assert found is not None
    number = [r.name for r in at.sheet.regions].index(region)
    places = found.mesh.corners()[regions_of_faces(at, sheets) == number].mean(axis=1)
    order = np.argsort(places @ np.linalg.svd(places - places.mean(axis=0), full_matrices=False)[2][0])
    points = [tuple(float(c) for c in places[i]) for i in order[:: max(1, len(order) // 12)]]
    texels = painted_in_space(surface, points, Brush(radius=40.0, hardness=0.0, flow=0.6, spacing=0.1))
    one, other = seam_of(found.mesh)
    width, height = size
    room = [1.5 / width, 1.5 / height]
    fits = np.all((one > room) & (one < 1 - np.array(room)) & (other > room) & (other < 1 - np.array(room)), axis=1)
    a, b = bilinear(texels, one[fits]), bilinear(texels, other[fits])
    crossed = (a > 0.02) & (a < 0.98)
    assert crossed.sum() > 20
    assert np.abs(a - b)[crossed].max() < 2 / 255


def test_paint_from_a_script() -> None:
    """OpenKit.paint paints the same, takes what it adds from others, leaves locked ones, and refuses what cannot be."""
    from even_palette.scripting import new_kit

    with new_kit() as kit:
        rng = np.random.default_rng(5)
        for key in ("one", "two", "kept"):
            region = Region(key, key, (len(key), 0, 0), keyed=False, boxes=plain_boxes(rng), locked=key == "kept")
            kit.do(commands.put_regions("sheet_1", [region]))
        before = kit.weights()
        assert kit.paint("one", [(0.2, 0.3), (0.8, 0.6)], radius=90.0, hardness=1.0)
        after = kit.weights()
        middle = after["one"] > 0.99
        assert middle.sum() > (before["one"] > 0.99).sum()
        held = before["kept"] == 1
        assert np.array_equal(after["kept"][held], before["kept"][held])
        sums = sum(after.values())
        assert np.asarray(sums).max() <= 1 + 1e-6
        assert kit.undo()
        assert np.array_equal(kit.weights()["one"], before["one"])
        for arguments, told in (
            ({"radius": "x"}, "Brush|float|number|radius"), ({"shape": 3}, "shape"), ({"effect": "melt"}, "melt"),
            ({"stamp": "nowhere.png"}, "nowhere"),
        ):  # fmt: skip
            with pytest.raises(UserError, match=told):
                kit.paint("one", [(0.2, 0.2)], **arguments)
        with pytest.raises(UserError, match="no region"):
            kit.paint("nobody", [(0.2, 0.2)])


def test_stamps_are_printed_whole() -> None:
    """A stroke with a stamp is its prints, each the stamp times the flow, turned by nothing: scipy's map_coordinates."""
    from scipy.ndimage import map_coordinates

    brush = Brush(radius=30.0, flow=0.8, spacing=1.0, stamp="dots")
    stamp = shipped_stamp("dots")
    stroke = plain(100, 260, brush, stamp=stamp)
    dabs = list(along(brush, [(50.0, 50.0), (200.0, 50.0)]))
    assert [(dab.x, dab.travel) for dab in dabs] == [(50.0, 1.0), (110.0, 1.0), (170.0, 1.0)]
    stroke.put(dabs)
    rest = np.ones((100, 260))
    rows, columns = np.mgrid[0:100, 0:260] + 0.5
    for dab in dabs:
        at = [(y - c) * 128 / 60 + 63.5 for y, c in ((rows, dab.y), (columns, dab.x))]
        rest *= 1 - 0.8 * np.clip(map_coordinates(stamp.astype(float), at, order=1, mode="constant"), 0, 1)
    assert np.abs(result(stroke) - (1 - rest)).max() < 1e-4


@pytest.mark.parametrize("turn", [0.0, 40.0])
def test_a_stamp_on_a_flat_mesh_is_that_on_the_sheet(turn: float) -> None:
    """A square that faces the eye, its sheet upright: the same print, to rounding, wherever it lies in space."""
    side = 200
    for place in ((0.0, 0.0, 0.0), (3.0, -2.0, 5.0)):
        points = float32([(-1, -1, 0), (1, -1, 0), (1, 1, 0), (-1, 1, 0)]) + float32(place)
        uv = float32([[(0, 1), (1, 1), (1, 0)], [(0, 1), (1, 0), (0, 0)]])
        mesh = build_mesh(points, np.array([(0, 1, 2), (0, 2, 3)]), (uv,))
        surface = surface_texels(mesh, uv, footprint(uv, side, side, 1, 2))
        brush = Brush(radius=40.0, flow=0.9, stamp="cracks", turn_deg=turn)
        stamp, angle = shipped_stamp("cracks"), float(np.radians(turn))
        on_mesh, on_sheet = (plain(side, side, brush, stamp=stamp, surface=each) for each in (surface, None))
        on_sheet.put([Dab(110.0, 90.0, 40.0, 0.9, 1.0, angle)])
        x, y = 110.0 / side * 2 - 1 + place[0], 1 - 90.0 / side * 2 + place[1]
        on_mesh.put([Dab(x, y, 40.0, 0.9, 1.0, angle, place[2])])
        assert result(on_sheet).max() > 0.5
        assert np.abs(result(on_mesh) - result(on_sheet)).max() < 2e-3


def test_a_stamp_prints_no_far_side() -> None:
    """Around a ball as large as the stamp, what lies more than half its radius off the plane stays clean."""
    mesh, uv = ball()
    surface = surface_texels(mesh, uv, footprint(uv, 512, 512, 1, 8))  # type: ignore[arg-type]
    radius = 1.0 / surface.texel
    stroke = plain(512, 512, Brush(radius=radius, stamp="grain"), stamp=shipped_stamp("grain"), surface=surface)
    stroke.put([Dab(1.0, 0.0, radius, 1.0, 1.0)])
    painted = result(stroke) > 0
    places = surface.places[:512, :512]
    assert painted.any()
    assert places[painted][:, 0].min() > 0.2


def test_smearing_on_a_flat_mesh_is_that_on_the_sheet() -> None:
    """Pulled by whole texels over a square that faces the eye, a mask is drawn along as on its sheet."""
    side = 160
    points = float32([(-1, -1, 0), (1, -1, 0), (1, 1, 0), (-1, 1, 0)])
    uv = float32([[(0, 1), (1, 1), (1, 0)], [(0, 1), (1, 0), (0, 0)]])
    surface = surface_texels(build_mesh(points, np.array([(0, 1, 2), (0, 2, 3)]), (uv,)), uv,
                             footprint(uv, side, side, 1, 2))  # fmt: skip
    mask = np.float32(np.arange(side) < 80)[None].repeat(side, axis=0)

    def below(spot: Spot) -> Floats:
        return mask[spot.top : spot.bottom, spot.left : spot.right]

    made = []
    for on in (None, surface):
        stroke = Stroke(side, side, None, below, Brush(radius=20.0, hardness=0.6), effect=Effect.SMEAR, surface=on)
        for step in range(12):
            x, y = 70.5 + 3 * step, 80.5
            place = (x, y, 0.0) if on is None else (x / side * 2 - 1, 1 - y / side * 2, 0.0)
            stroke.put([Dab(place[0], place[1], 20.0, 1.0, 1.0, 0.0, place[2])])
        made.append(stroke.mask((0, 0, side, side)))
    assert made[0][80, 95] > 0.5  # it was drawn along
    assert np.abs(made[0] - made[1]).max() < 0.02


def test_a_kill_loses_the_stroke_in_hand_alone(tmp_path: Path) -> None:
    """A process paints and keeps each stroke, and is killed at a random moment; what is opened then has every stroke
    that it said was kept, byte for byte. Five times."""
    import os
    import signal
    import subprocess
    import sys
    import time

    kit = saved(tmp_path / "kit")
    paints = [painted(400, 300)]
    for number in range(40):
        stroke = plain(300, 400, Brush(radius=12.0))
        stroke.base = paints[-1]
        paints.append(stroke_through(stroke, along(stroke.brush, [(number * 9.0, 40.0), (number * 9.0 + 30, 260.0)])))
    names = [paint.content_id for paint in paints]
    rng = random.Random(9)
    for _ in range(5):
        worker = subprocess.Popen(
            [sys.executable, "-c", PAINTER, str(tmp_path / "kit")], stdout=subprocess.PIPE, text=True
        )
        assert worker.stdout is not None
        for _ in range(rng.randint(1, 12)):
            kept = int(worker.stdout.readline())
        time.sleep(rng.random() * 0.02)
        os.kill(worker.pid, signal.SIGKILL)
        told = [int(line) for line in worker.stdout.read().split()]
        worker.wait()
        kept = told[-1] if told else kept
        held = KitFolder(tmp_path / "kit")
        opened = held.open()
        held.close()
        assert opened.saved == kit
        assert opened.recovered is not None
        paint = opened.recovered.region("r2").steps[-1].paint
        assert paint is not None
        assert all(tile.is_there for tile in paint_tiles(opened.recovered))
        assert paint.content_id in names[kept : kept + 2]
        assert paint.samples().tobytes() == paints[names.index(paint.content_id)].samples().tobytes()


PAINTER = """
import sys
from pathlib import Path
from even_palette.core.kit import commands
from even_palette.core.kit.store import KitFolder
from even_palette.core.regions.brush import Brush, along
from even_palette.core.regions.stroke import stroke_through
from tests.core.test_paint import painted, plain
held = KitFolder(Path(sys.argv[1]))
kit = held.open().saved
number = len(kit.region("r2").steps)
paint = painted(400, 300)
for stroke_number in range(41):
    kit = commands.paint_step("r2", number, paint).apply(kit)
    held.autosave(kit)
    print(stroke_number, flush=True)
    number = len(kit.region("r2").steps) - 1
    stroke = plain(300, 400, Brush(radius=12.0))
    stroke.base = paint
    points = [(stroke_number * 9.0, 40.0), (stroke_number * 9.0 + 30, 260.0)]
    paint = stroke_through(stroke, along(stroke.brush, points))
"""
