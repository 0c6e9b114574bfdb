"""Bakes against handbook cases and closed forms; ID colours out and back."""

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from even_palette.core.chance import hashed_unit
from even_palette.core.colour.numbered import number_colours
from even_palette.core.mesh.bake import make_bake
from even_palette.core.mesh.bakes import BAKES
from even_palette.core.mesh.bakes._declare import Ground
from even_palette.core.mesh.bakes.along import by_way
from even_palette.core.mesh.bakes.curvature import mean_curvature
from even_palette.core.mesh.elements import shell_labels
from even_palette.core.mesh.files import read_mesh
from even_palette.core.mesh.model import Mesh, build_mesh, face_normals
from even_palette.core.mesh.raster import rasterize
from even_palette.core.mesh.rays import build_scene
from even_palette.core.mesh.smoothing import smoothed
from even_palette.core.mesh.unwrap import unwrapped
from even_palette.core.noise import noise_at, noise_of
from even_palette.core.regions.keying import Metric, key_mask
from even_palette.demo import KIT_FOLDER
from tests.mesh.conftest import of_trimesh, quads

UP = np.float32([(0, 0, 1)])
FAR = 1e9


def open_share(mesh: Mesh, point: tuple[float, float, float], rays: int = 1024, seed: int = 1) -> float:
    return float(build_scene(mesh).open_share(np.float32([point]), UP, UP, np.arange(1), rays, FAR, seed)[0])


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_occlusion_at_the_foot_of_a_wall(seed: int) -> None:
    """A wall at 90 degrees hides half of the cosine-weighted sky at its foot (Siegel and Howell, view factors)."""
    wall = build_mesh(np.float32([(0, -9e3, -1), (0, 9e3, -1), (0, 9e3, 9e3), (0, -9e3, 9e3)]),
                      np.array([(0, 1, 2), (0, 2, 3)]))  # fmt: skip
    assert abs(open_share(wall, (1e-3, 0, 0), seed=seed) - 0.5) < 0.01


@pytest.mark.parametrize(("radius", "height"), [(1.0, 1.0), (1.0, 0.5), (2.0, 3.0), (0.3, 1.0)])
def test_occlusion_under_a_disc(radius: float, height: float) -> None:
    """A coaxial disc of radius R at height h hides R^2 / (R^2 + h^2) (Siegel and Howell, element to disc)."""
    angle = np.linspace(0, 2 * np.pi, 257)[:-1]
    ring = np.stack([radius * np.cos(angle), radius * np.sin(angle), np.full(256, height)], axis=-1)
    disc = build_mesh(
        np.float32([(0, 0, height), *ring]), np.array([(0, i + 1, (i + 1) % 256 + 1) for i in range(256)])
    )
    assert abs(1 - open_share(disc, (0, 0, 0)) - radius**2 / (radius**2 + height**2)) < 0.01


def sphere() -> Mesh:
    return unwrapped(of_trimesh(trimesh.creation.icosphere(3)))


def ground_of(mesh: Mesh) -> Ground:
    return Ground(mesh, mesh.uv_sets[0], number_colours(mesh.face_count), np.zeros(mesh.face_count, bool))


@pytest.mark.parametrize("name", [name for name in BAKES if name != "transfer"])
def test_every_bake_is_deterministic(name: str) -> None:
    """The same seed gives the same bytes, whatever the threads do; background is the declared one."""
    mesh, kind = sphere(), BAKES[name]
    one = make_bake(kind, ground_of(mesh), {}, 256, 4, 2)
    other = make_bake(kind, ground_of(mesh), {}, 256, 4, 2)
    assert one.samples.tobytes() == other.samples.tobytes()
    assert one.samples.dtype == (np.uint8 if kind.bits == 8 else np.uint16)
    assert one.samples.shape == (256, 256, kind.channels)
    assert one.covered_texels > 10_000


def test_position_and_normal_of_a_sphere() -> None:
    """On a sphere around the origin the normal is the position; both bakes tell the same within the facets' angle."""
    mesh = of_trimesh(trimesh.creation.icosphere(4))
    smooth = unwrapped(build_mesh(mesh.points, mesh.faces, normals=mesh.points[mesh.faces]))
    position = make_bake(BAKES["position"], ground_of(smooth), {}, 256, 0, 1).samples / 65535
    normal = make_bake(BAKES["normal"], ground_of(smooth), {}, 256, 0, 1).samples / 65535
    covered = rasterize(smooth.uv_sets[0], 256, 256).covered
    assert np.abs(position - normal)[covered].max() < 0.005
    assert np.allclose(normal[~covered], 0.5, atol=1e-4)


@pytest.mark.parametrize("radius", [0.5, 2.0])
def test_curvature_of_a_sphere(radius: float) -> None:
    """1/r everywhere; turned inside out it is -1/r; a plane has 0 (differential geometry)."""
    mesh = of_trimesh(trimesh.creation.icosphere(4, radius))
    assert np.allclose(mean_curvature(mesh), 1 / radius, rtol=0.02)
    inside_out = build_mesh(mesh.points, mesh.faces[:, ::-1])
    assert np.allclose(mean_curvature(inside_out), -1 / radius, rtol=0.02)
    assert np.allclose(mean_curvature(quads([(0, 0, 1, 1)])), 0, atol=1e-6)


def test_thickness_of_a_slab() -> None:
    """Through a wide slab of thickness d the mean of d / cos over cosine-weighted rays is 2 d (integral of 2 sin)."""
    slab = of_trimesh(trimesh.creation.box((400, 400, 1)))
    scene = build_scene(slab)
    down = np.float32([(0, 0, -1)])
    mean = scene.mean_distance(np.float32([(0, 0, 0.5)]), down, down, np.arange(1), 4096, 1000.0, 1)
    assert abs(float(mean[0]) - 2) < 0.08


def test_height_and_random() -> None:
    mesh = quads([(0.05 + 0.1 * i, 0.1, 0.13 + 0.1 * i, 0.9) for i in range(9)])
    height = make_bake(BAKES["height"], ground_of(mesh), {"axis": "x"}, 256, 0, 1).samples[128, :, 0] / 65535
    inside = make_bake(BAKES["height"], ground_of(mesh), {"axis": "x"}, 256, 0, 1).samples[128, :, 0] > 0
    u = (np.arange(256) + 0.5) / 256
    assert np.abs(height - (u - 0.05) / 0.88)[inside].max() < 1e-4
    value = make_bake(BAKES["random"], ground_of(mesh), {"seed": 4}, 256, 0, 1).samples[128, :, 0]
    centres = [int((0.09 + 0.1 * i) * 256) for i in range(9)]
    assert value[centres].tolist() == [round(float(v) * 255) for v in hashed_unit(np.arange(9), 4)]
    assert len(set(value[centres].tolist())) == 9


def test_hash_is_even() -> None:
    """10,000 numbers fall evenly into 16 bins: chi-squared of 15 degrees stays below its 99.9 % point, 37.7."""
    counts = np.histogram(hashed_unit(np.arange(10_000), 7), 16, (0, 1))[0]
    assert ((counts - 625) ** 2 / 625).sum() < 37.7
    assert len(np.unique(number_colours(100_000), axis=0)) == 100_000


def test_along_runs_from_root_to_tip() -> None:
    """By UV: 0 at the lower end, 1 at the upper one. By way: the arc length of a strip that is bent to a half circle."""
    mesh = quads([(0.1, 0.2, 0.3, 0.9), (0.5, 0.5, 0.9, 0.6)])
    along = make_bake(BAKES["along"], ground_of(mesh), {"way": "up"}, 256, 0, 1).samples[..., 0] / 65535
    v = (np.arange(256) + 0.5) / 256
    rows = (v > 0.21) & (v < 0.89)
    assert np.abs(along[rows, 51] - (0.9 - v[rows]) / 0.7).max() < 1e-3
    angle = np.linspace(0, np.pi, 200)
    rail = np.stack([np.cos(angle), np.sin(angle)], axis=-1)
    points = np.concatenate([np.c_[rail, np.zeros(200)], np.c_[rail, np.full(200, 1e-3)]]).astype(np.float32)
    faces = np.concatenate([[(i, i + 1, i + 200), (i + 1, i + 201, i + 200)] for i in range(199)])
    strip = build_mesh(points, faces, (np.zeros((398, 3, 2), np.float32),))
    ground = ground_of(strip)
    ground.roots[0] = True
    assert abs(by_way(ground).max() - np.pi) < 0.03


def test_transfer_by_normal_and_distance() -> None:
    """A sphere takes the halves of a slightly larger one; texels farther than the limit find nothing and are counted."""
    mesh = sphere()
    large = of_trimesh(trimesh.creation.icosphere(5, 1.01))
    left = large.corners()[..., 0].mean(axis=1) < 0
    ground = ground_of(mesh)
    ground.other, ground.other_colours = large, np.where(left[:, None], np.uint8((200, 0, 0)), np.uint8((0, 0, 200)))
    taken = make_bake(BAKES["transfer"], ground, {"limit": 0.02}, 256, 0, 1)
    place = make_bake(BAKES["position"], ground, {}, 256, 0, 1).samples[..., 0] / 65535
    covered = rasterize(mesh.uv_sets[0], 256, 256).covered
    clear = covered & (np.abs(place - 0.5) > 0.03)
    assert np.array_equal(taken.samples[clear][:, 0] == 200, place[clear] < 0.5)
    assert taken.missed_texels == 0
    half = large.part(left)
    ground.other, ground.other_colours = half, np.full((half.face_count, 3), 9, np.uint8)
    missed = make_bake(BAKES["transfer"], ground, {"limit": 0.02}, 256, 0, 1)
    share = missed.missed_texels / missed.covered_texels
    assert abs(share - (place[covered] > 0.52).mean()) < 0.03


def test_ids_out_and_back() -> None:
    """Baked ID colours, keyed again by colour, give back the assignment of every face; only edge texels differ."""
    mesh = sphere()
    labels = np.random.default_rng(3).integers(0, 6, mesh.face_count)
    palette = np.array([(220, 40, 40), (40, 200, 60), (60, 80, 230), (230, 210, 50), (160, 60, 190), (40, 200, 210)],
                       dtype=np.uint8)  # fmt: skip
    ground = ground_of(mesh)
    ground.face_colours = palette[labels]
    ids = make_bake(BAKES["id_colours"], ground, {}, 1024, 8, 4).samples
    seen = rasterize(mesh.uv_sets[0], 1024, 1024)
    masks = np.stack([key_mask(ids, tuple(map(int, c)), 4, 4, Metric.CHEBYSHEV) for c in palette])
    right = np.zeros(seen.face.shape, dtype=bool)
    right[seen.covered] = masks.argmax(axis=0)[seen.covered] == labels[seen.face[seen.covered]]
    right &= masks.max(axis=0) == 1
    wrong_share = (seen.covered & ~right).sum() / seen.covered.sum()
    assert wrong_share < 0.085  # 1,280 faces of random regions: nearly every texel at an edge of a face is mixed
    found = np.zeros((mesh.face_count, 6))
    np.add.at(found, (seen.face[seen.covered & right], masks.argmax(axis=0)[seen.covered & right]), 1)
    assert np.array_equal(found.argmax(axis=1), labels)


def test_shell_ids_follow_shells() -> None:
    mesh = quads([(0.1 * i, 0, 0.1 * i + 0.08, 1) for i in range(9)])
    ids = make_bake(BAKES["shell_ids"], ground_of(mesh), {}, 256, 0, 4).samples
    assert len(np.unique(ids.reshape(-1, 3), axis=0)) == shell_labels(mesh).max() + 2  # and the background


def facing_squares(distance: float) -> Mesh:
    """Two unit squares that look at each other, the lower with uv in the left half, the upper in the right half."""
    low = [(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)]
    high = [(0, 0, distance), (0, 1, distance), (1, 1, distance), (1, 0, distance)]
    faces = np.array([(0, 1, 2), (0, 2, 3), (4, 5, 6), (4, 6, 7)])
    left = np.float32([(0.02, 0.05), (0.48, 0.05), (0.48, 0.95), (0.02, 0.95)])
    corner = np.concatenate([left, left + np.float32((0.5, 0))])
    return build_mesh(np.float32(low + high), faces, (np.float32(corner[faces]),))


def test_spill_of_a_facing_square_is_its_view_factor() -> None:
    """Two parallel unit squares at distance 1: view factor 0.1998 (Howell, Catalog of Radiation Heat Transfer, C-11)."""
    mesh = facing_squares(1.0)
    ground = ground_of(mesh)
    light = np.zeros((64, 64, 3), np.float32)
    light[:, 32:] = (1.0, 0.5, 0.25)
    ground.light = light
    kind = BAKES["spill"]
    baked = make_bake(kind, ground, {"rays": 256.0, "reach": 1.0}, 256, 0, 1).samples.astype(float) / 65535
    receiver = baked[20:236, 8:120].reshape(-1, 3).mean(axis=0)
    assert receiver == pytest.approx(0.1998 * np.float32((1.0, 0.5, 0.25)), abs=0.01)
    assert baked[20:236, 140:240].max() == 0  # what glows sees nothing that does
    ground.light = None
    assert make_bake(kind, ground, {"rays": 16.0}, 256, 0, 1).samples.max() == 0
    behind = facing_squares(1.0)
    turned = build_mesh(behind.points, behind.faces[:, ::-1].copy(), (behind.uv_sets[0][:, ::-1].copy(),))
    away = ground_of(turned)
    away.light = light
    assert make_bake(kind, away, {"rays": 64.0, "reach": 1.0}, 256, 0, 1).samples.max() == 0  # backs give no light


def test_spill_in_a_closed_box_keeps_the_energy() -> None:
    """All that one wall sends out arrives somewhere: the sum of received light over the area is what was sent (2 %)."""
    box = of_trimesh(trimesh.creation.box((1.0, 0.6, 1.4)))
    mesh = unwrapped(box)
    inward = build_mesh(mesh.points, mesh.faces[:, ::-1].copy(), (mesh.uv_sets[0][:, ::-1].copy(),))
    ground = ground_of(inward)
    side = 256
    covered = rasterize(inward.uv_sets[0], side, side)
    up, _ = face_normals(inward.corners())
    lamp = up[:, 1] > 0.9
    light = np.zeros((side, side, 3), np.float32)
    faces = covered.face
    light[(faces >= 0) & lamp[np.clip(faces, 0, None)]] = 1.0
    # Texels at the borders of the lamp's islands belong to it, too.
    from scipy.ndimage import maximum_filter

    wide = maximum_filter(light, (3, 3, 1)) * (faces < 0)[..., None]
    ground.light = np.maximum(light, wide)
    baked = make_bake(BAKES["spill"], ground, {"rays": 128.0, "reach": 1.0}, side, 0, 1).samples[..., 0] / 65535
    area = np.linalg.norm(np.cross(*(inward.corners()[:, k] - inward.corners()[:, 0] for k in (1, 2))), axis=-1) / 2
    texels = np.bincount(faces[faces >= 0], minlength=inward.face_count)
    mean = np.bincount(faces[faces >= 0], baked[faces >= 0], inward.face_count) / np.maximum(texels, 1)
    sent = area[lamp].sum()
    assert (mean * area).sum() == pytest.approx(sent, rel=0.02)


def test_smoothing_lowers_noise_and_keeps_edges() -> None:
    """Noise falls to less than a half; a step between islands, or between faces at right angles, stays exactly."""
    rng = np.random.default_rng(4)
    islands = np.zeros((96, 96), np.int64)
    islands[:, 48:] = 1
    islands[90:] = -1
    normals = np.zeros((96, 96, 3), np.float32)
    normals[:40] = (0, 0, 1)
    normals[40:] = (1, 0, 0)
    clean = np.where(islands == 1, 0.8, 0.2) + np.where(np.arange(96) < 40, 0.0, 0.1)[:, None]
    noisy = np.float32(clean + rng.normal(0, 0.05, clean.shape))[..., None]
    got = smoothed(noisy, islands, normals, 3)
    inside = islands >= 0
    assert np.std((got[..., 0] - clean)[inside]) < 0.4 * np.std((noisy[..., 0] - clean)[inside])
    exact = smoothed(np.float32(clean)[..., None], islands, normals, 3)
    assert np.abs(exact[..., 0] - clean)[inside].max() < 1e-6
    assert np.array_equal(got[~inside], noisy[~inside])


def test_smoothing_is_the_bilateral_mean_of_its_paper() -> None:
    """Petschnigg et al. 2004, written out texel by texel; a radius of 8 costs one pass and no copies of the sheet."""
    import tracemalloc

    rng = np.random.default_rng(6)
    values, islands = rng.random((23, 31, 3)).astype(np.float32), rng.integers(-1, 2, (23, 31))
    normals = rng.normal(size=(23, 31, 3)).astype(np.float32)
    normals /= np.linalg.norm(normals, axis=-1, keepdims=True)
    got = smoothed(values, islands, normals, 3)
    for y, x in ((0, 0), (11, 15), (22, 30), (5, 29)):
        total, weight = values[y, x].astype(float), 1.0
        for i in range(23):
            for j in range(31):
                far = (i - y) ** 2 + (j - x) ** 2
                if 0 < far <= 9 and islands[i, j] == islands[y, x] >= 0:
                    share = np.exp(-2 * far / 9) * np.clip(normals[y, x] @ normals[i, j], 0, 1) ** 16
                    total, weight = total + share * values[i, j], weight + share
        assert got[y, x] == pytest.approx(total / weight, abs=1e-5)
    large = np.zeros((512, 512, 3), np.float32), np.zeros((512, 512), np.int64), np.zeros((512, 512, 3), np.float32)
    tracemalloc.start()
    smoothed(*large, 8)
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert peak < 2.5 * large[0].nbytes


def steps_over_edges(mesh: Mesh, baked: np.ndarray, into: float) -> tuple[np.ndarray, np.ndarray]:
    """How far a bake differs between two points `into` metres beside an edge, over seams of the UVs and within them."""
    side = baked.shape[0]
    corners, uv = mesh.corners().astype(np.float64), mesh.uv_sets[0].astype(np.float64)
    sides: dict[tuple[bytes, bytes], list[tuple[float, np.ndarray]]] = {}
    for face in range(mesh.face_count):
        for corner in range(3):
            one, other, third = corner, (corner + 1) % 3, (corner + 2) % 3
            ends = sorted((corners[face, one].tobytes(), corners[face, other].tobytes()))
            middle = (corners[face, one] + corners[face, other]) / 2
            share = into / max(np.linalg.norm(corners[face, third] - middle), 1e-9)
            if share > 0.4:
                continue
            rim = (uv[face, one] + uv[face, other]) / 2
            at = rim + (uv[face, third] - rim) * share
            column, row = (np.clip(at * side, 0, side - 1)).astype(int)
            sides.setdefault((ends[0], ends[1]), []).append((float(baked[row, column]), rim))
    pairs = [found for found in sides.values() if len(found) == 2]
    seams = [abs(a[0] - b[0]) for a, b in pairs if np.abs(a[1] - b[1]).max() > 1e-6]
    inside = [abs(a[0] - b[0]) for a, b in pairs if np.abs(a[1] - b[1]).max() <= 1e-6]
    return np.array(seams), np.array(inside)


def test_noise_in_the_space_of_the_object_shows_no_seam() -> None:
    """On the demo's tug, steps over seams of the UVs are as those over edges within islands."""
    mesh = read_mesh(KIT_FOLDER / "maps" / "ferry_tug.glb")
    baked = (
        make_bake(BAKES["noise"], ground_of(mesh), {"size": 1.0, "octaves": 1.0}, 1024, 8, 2).samples[..., 0] / 65535
    )
    seams, inside = steps_over_edges(mesh, baked, 0.01)
    assert min(len(seams), len(inside)) > 200
    assert np.percentile(seams, 99) <= np.percentile(inside, 99) * 1.1
    assert seams.max() <= inside.max() * 1.1


def test_noise_of_the_object_is_that_of_its_places() -> None:
    """Every texel holds the noise at the place that the position bake tells; stretched, at places that are squeezed."""
    mesh = sphere()
    place = make_bake(BAKES["position"], ground_of(mesh), {}, 256, 0, 1)
    low, high = mesh.points.min(axis=0), mesh.points.max(axis=0)
    points = place.samples / 65535 * (high - low) + low
    there = place.samples.any(axis=-1)
    for along, squeeze in (("none", (1, 1, 1)), ("y", (1, 5, 1))):
        settings = {"size": 0.4, "along": along, "stretch": 5.0, "octaves": 2.0, "contrast": 2.0}
        baked = make_bake(BAKES["noise"], ground_of(mesh), settings, 256, 0, 1).samples[..., 0] / 65535
        noise = noise_of(BAKES["noise"].settings(settings))
        wanted = noise_at(points[there] / 0.4 / squeeze, noise)
        assert np.abs(baked[there] - wanted).max() < 2e-3


@pytest.mark.parametrize("way", ["up", "right"])
def test_strands_of_a_shell_have_roots_and_tips_of_their_own(way: str) -> None:
    """By strand: all texels of one are moved alike, neighbours otherwise, and other shells too; by noise: no steps."""
    mesh = quads([(0.0, 0.0, 0.5, 1.0), (0.5, 0.0, 1.0, 1.0)])
    ground, side, strands = ground_of(mesh), 240, 6

    def made(**values: float | str) -> np.ndarray:
        settings = {"way": way, "strands": float(strands), **values}
        found = make_bake(BAKES["along"], ground, settings, side, 0, 1).samples[..., 0] / 65535
        return found if way == "up" else found[:, ::-1].T  # along goes down the rows

    plain, apart = made(), made(apart=0.5)
    assert plain.tobytes() == made(apart=0.0, by="noise", seed=4.0).tobytes()
    moved = apart - plain
    free = (apart > 0) & (apart < 1)
    wide = side // (2 * strands) if way == "up" else side // strands  # texels a strand
    draws = []
    for first in range(0, side, wide):
        inside = np.zeros_like(free)
        rows = slice(None) if way == "up" else slice(0, side // 2)
        inside[rows, first : first + wide] = True
        offsets = moved[inside & free]
        assert offsets.max() - offsets.min() < 1e-3
        draws.append(float(np.median(offsets)))
    assert np.abs(draws).max() <= 0.25
    assert len({round(draw, 4) for draw in draws}) == len(draws)
    assert np.array_equal(apart, np.clip(apart, 0, 1))
    soft = made(apart=0.5, by="noise") - plain
    assert soft.std() > 0.01
    columns = slice(0, side // 2) if way == "up" else slice(None)
    rows = slice(None) if way == "up" else slice(0, side // 2)
    assert np.abs(np.diff(soft[rows, columns], axis=1)).max() < np.abs(np.diff(moved[rows, columns], axis=1)).max() / 2


@pytest.mark.parametrize("along", ["across", "down"])
def test_noise_runs_along_strands_of_the_sheet(along: str) -> None:
    """Shapes are so many times as long along the strands, at the size that they have in metres; shells differ."""
    mesh = quads([(0.0, 0.0, 0.5, 1.0), (0.5, 0.0, 1.0, 1.0)])
    ground = ground_of(mesh)
    settings = {"along": along, "stretch": 8.0, "size": 1 / 24, "octaves": 1.0, "contrast": 1.0}
    baked = make_bake(BAKES["noise"], ground, settings, 256, 0, 1).samples[..., 0] / 65535
    one, other = baked[:, :128], baked[:, 128:]
    assert np.abs(one - other).mean() > 0.05
    v, u = (np.mgrid[:256, :128] + 0.5) / 256  # a unit of these UVs is a metre
    long = (1, 8) if along == "down" else (8, 1)
    places = np.stack([u.ravel() * 24 / long[0], v.ravel() * 24 / long[1], np.zeros(u.size)], axis=-1)
    wanted = noise_at(places, noise_of(BAKES["noise"].settings(settings))).reshape(256, 128)
    assert np.abs(one - wanted).max() < 1e-3
    twice = Ground(replace(mesh, points=mesh.points * 2), mesh.uv_sets[0])
    larger = make_bake(BAKES["noise"], twice, {**settings, "size": 1 / 12}, 256, 0, 1).samples[..., 0] / 65535
    assert np.abs(one - larger[:, :128]).max() < 1e-3


@pytest.mark.parametrize("way", ["along", "around", "point"])
def test_gradients_in_space_are_in_metres(way: str) -> None:
    """Every texel holds what its place, told by the position bake, has: a height, an angle, or a distance; turned over
    where the end lies below the start; the same height on a mesh of another size at the same value."""
    mesh = sphere()
    place = make_bake(BAKES["position"], ground_of(mesh), {}, 256, 0, 1)
    low, high = mesh.points.min(axis=0), mesh.points.max(axis=0)
    there = place.samples.any(axis=-1)
    points = (place.samples / 65535 * (high - low) + low)[there]
    settings = {"way": way, "axis": "z", "start": 0.7, "end": -0.2, "centre_x": 0.1, "centre_y": -0.3}
    baked = make_bake(BAKES["gradient"], ground_of(mesh), settings, 256, 0, 1).samples[..., 0][there] / 65535
    away = points - (0.1, -0.3, 0)
    if way == "around":
        wanted = np.degrees(np.arctan2(away[:, 1], away[:, 0])) / 360 % 1
        error = np.abs(baked - wanted)
        assert np.minimum(error, 1 - error).max() < 2e-3
    else:
        at = away[:, 2] if way == "along" else np.linalg.norm(away, axis=1)
        assert np.abs(baked - np.clip((0.7 - at) / 0.9, 0, 1)).max() < 1e-3
    if way == "along":
        larger = replace(mesh, points=mesh.points * 2)
        again = make_bake(BAKES["gradient"], ground_of(larger), settings, 256, 0, 1).samples[..., 0][there] / 65535
        assert np.abs(again - np.clip((0.7 - 2 * points[:, 2]) / 0.9, 0, 1)).max() < 1e-3
