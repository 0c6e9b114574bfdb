"""Noise against the published reference, a library's own, exact nearest points and what tiling means."""

import hashlib
import math

import numpy as np
import pytest
from scipy.spatial import cKDTree

from even_palette.core.jobs import Cancelled, CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.model import Kit
from even_palette.core.kit.sheet import Tone
from even_palette.core.material.model import PlaneKind, PlaneRef
from even_palette.core.noise import MIDDLE, PERLIN, Form, Noise, noise_at, noise_of, table_of
from even_palette.core.noise_kernel import fill, point_of
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.planes import plane_size, tone_of
from even_palette.core.results.sheets import Sheets
from even_palette.core.tones.kinds import TONES
from even_palette.core.tones.kinds._declare import ToneGround
from even_palette.core.tones.kinds.noise import cells_of

RNG = np.random.default_rng(22)


def test_gradient_noise_gives_the_published_value() -> None:
    """noise(3.14, 42, 7) of Perlin's reference (Improving Noise, 2002), as Rosetta Code's task "Perlin noise" has it."""
    found = noise_at(np.array([[3.14, 42.0, 7.0]]), Noise())
    assert found[0] * 2 - 1 == pytest.approx(0.13691995878400012, abs=1e-7)


def published(x: float, y: float, z: float, periods: tuple[int, ...]) -> float:
    """The reference implementation of Perlin's Improving Noise (2002), line by line from its Java text; where there are
    periods, lattice points are counted within them first."""
    p = [*PERLIN, *PERLIN]

    def wrapped(number: int, period: int) -> int:
        return (number % period if period else number) & 255

    def fade(t: float) -> float:
        return t * t * t * (t * (t * 6 - 15) + 10)

    def lerp(t: float, a: float, b: float) -> float:
        return a + t * (b - a)

    def grad(hashed: int, x: float, y: float, z: float) -> float:
        h = hashed & 15
        u = x if h < 8 else y
        v = y if h < 4 else x if h in (12, 14) else z
        return (u if (h & 1) == 0 else -u) + (v if (h & 2) == 0 else -v)

    cells = [math.floor(c) for c in (x, y, z)]
    (x0, y0, z0), (x1, y1, z1) = ([wrapped(c + d, q) for c, q in zip(cells, periods, strict=True)] for d in (0, 1))
    x, y, z = x - cells[0], y - cells[1], z - cells[2]
    u, v, w = fade(x), fade(y), fade(z)

    def at(i: int, j: int, k: int) -> int:
        return p[p[p[i] + j] + k]

    return lerp(w, lerp(v, lerp(u, grad(at(x0, y0, z0), x, y, z), grad(at(x1, y0, z0), x - 1, y, z)),
                        lerp(u, grad(at(x0, y1, z0), x, y - 1, z), grad(at(x1, y1, z0), x - 1, y - 1, z))),
                lerp(v, lerp(u, grad(at(x0, y0, z1), x, y, z - 1), grad(at(x1, y0, z1), x - 1, y, z - 1)),
                     lerp(u, grad(at(x0, y1, z1), x, y - 1, z - 1), grad(at(x1, y1, z1), x - 1, y - 1, z - 1))))  # fmt: skip


@pytest.mark.parametrize("periods", [(0, 0, 0), (5, 4, 3), (1, 2, 7)])
def test_gradient_noise_is_that_of_the_reference(periods: tuple[int, int, int]) -> None:
    places = (RNG.random((2000, 3)) - 0.5) * 900
    wanted = np.array([published(*place, periods) for place in places.tolist()])
    found = noise_at(places, Noise(periods=periods)).astype(np.float64) * 2 - 1
    assert np.abs(found - wanted).max() < 2e-7


def test_octaves_are_added_by_their_weights() -> None:
    """Each octave is half as large, has a table of its own, and counts by powers of the gain."""
    places = RNG.random((500, 3)) * 9
    single = []
    for octave in range(3):
        values = np.empty(len(places))
        tables = np.stack([table_of(7, octave)] * 19)
        fill(places * 2**octave, values, 0, 1, 1.0, 0.0, tables, 0, 0, 0, False)
        single.append(values)
    wanted = (single[0] + 0.3 * single[1] + 0.09 * single[2]) / 1.39
    assert np.abs(noise_at(places, Noise(octaves=3, gain=0.3, seed=7)) - wanted).max() < 1e-6


@pytest.mark.parametrize("flat", [False, True])
@pytest.mark.parametrize("periods", [(0, 0, 0), (1, 1, 1), (3, 2, 4)])
def test_cellular_noise_finds_the_nearest_points(flat: bool, periods: tuple[int, int, int]) -> None:
    """Distances of the nearest and the second point (Worley 1996) as a k-d tree over all points around finds them."""
    table = table_of(3)
    depth = [0] if flat else range(-4, 10)
    cells = [(i, j, k) for i in range(-4, 10) for j in range(-4, 10) for k in depth]
    points = np.array([point_of(*cell, table, *periods, flat) for cell in cells])
    places = RNG.random((3000, 3)) * 6
    if flat:
        places[:, 2] = 0
    distance, number = cKDTree(points[:, :3]).query(places, 2)
    near = noise_at(places, Noise(Form.CELLS, seed=3, flat=flat, periods=periods))
    cracks = noise_at(places, Noise(Form.CRACKS, seed=3, flat=flat, periods=periods))
    patches = noise_at(places, Noise(Form.PATCHES, seed=3, flat=flat, periods=periods))
    assert np.abs(near - np.minimum(distance[:, 0], 1)).max() < 1e-6
    assert np.abs(cracks - np.minimum(distance[:, 1] - distance[:, 0], 1)).max() < 1e-6
    apart = distance[:, 1] - distance[:, 0] > 1e-9
    assert np.array_equal(patches[apart], np.float32(points[number[:, 0], 3])[apart])


@pytest.mark.parametrize("form", list(Form))
def test_whole_periods_meet(form: Form) -> None:
    """What lies a whole period apart is the same, with octaves and warp, to the last bit of the sum of places."""
    periods = (4, 3, 5)
    noise = Noise(form, octaves=4, gain=0.6, warp=0.75, seed=5, periods=periods)
    places = np.round(RNG.random((2000, 3)) * 4096) / 1024
    there = noise_at(places, noise)
    for axis, period in enumerate(periods):
        away = places.copy()
        away[:, axis] += 8 * period
        assert np.abs(noise_at(away, noise) - there).max() < 1e-6


def test_contrast_warp_and_places_that_are_no_numbers() -> None:
    """Contrast is about the middle, warp pushes places by gradient noise, and nothing hangs on what is no number."""
    places = RNG.random((1000, 3)) * 20
    plain = noise_at(places, Noise(octaves=2, seed=9)).astype(np.float64)
    assert np.abs(noise_at(places, Noise(octaves=2, seed=9, contrast=2)) - np.clip(plain * 2 - 0.5, 0, 1)).max() < 1e-6
    assert (noise_at(places, Noise(octaves=2, seed=9, contrast=0)) == 0.5).all()
    for form in Form:
        for flat in (False, True):
            assert abs(float(noise_at(places, Noise(form, 3, flat=flat)).mean()) - MIDDLE[form]) < 0.08
        spread = noise_at(places, Noise(form, 3, contrast=3))
        assert 0.1 < float(spread.mean()) < 0.9
        assert ((spread > 0) & (spread < 1)).mean() > 0.5
    assert np.abs(noise_at(places, Noise(octaves=2, seed=9, warp=0.5)) - plain).max() > 0.05
    odd = np.array([[np.nan, 0, 0], [np.inf, -np.inf, 1e300], [-1e18, 0.5, 0.5]])
    for form in Form:
        assert np.isfinite(noise_at(odd, Noise(form, octaves=8, warp=4))).all()


def test_the_same_seed_gives_the_same_bytes() -> None:
    """What these bytes were when noise was made; another seed gives others."""
    assert sorted(PERLIN) == list(range(256))
    assert PERLIN[:6] == bytes([151, 160, 137, 91, 90, 15])  # Perlin 2002, the first of `permutation`
    places = np.stack(np.meshgrid(*[np.arange(24) * 0.3] * 3), axis=-1).reshape(-1, 3)
    told = hashlib.sha256()
    for form in Form:
        told.update(noise_at(places, Noise(form, octaves=3, warp=0.5, seed=4)).tobytes())
    assert told.hexdigest() == "76eda573e6f7f6e01c07e1afcd725e25312d8067cd541b33d5f629afb8808b0d"
    one, other = (noise_at(places, Noise(seed=seed)) for seed in (1, 2))
    assert abs(np.corrcoef(one, other)[0, 1]) < 0.1
    for seed in range(40):
        assert sorted(table_of(seed, 3)[:256]) == list(range(256))


def test_long_noise_can_be_ended() -> None:
    cancel = CancelToken()
    cancel.cancel()
    with pytest.raises(Cancelled):
        noise_at(places=RNG.random((10, 3)), noise=Noise(), cancel=cancel)


@pytest.mark.parametrize("form", ["clouds", "cells", "cracks", "patches"])
def test_a_plane_of_noise_tiles_without_an_edge(form: str) -> None:
    """Steps over the edges of the plane are no larger than those within; stretched shapes are as much longer."""
    kind = TONES["noise"]
    settings = kind.settings({"form": form, "size": 41.0, "side": "256", "warp": 0.4, "contrast": 1.0, "octaves": 2.0})
    made = kind.make(ToneGround(Plane(np.zeros((1, 1, 1), np.uint8), Encoding.DATA)), settings)[..., 0].astype(
        np.float64
    )
    assert made.shape == (256, 256)
    assert cells_of(settings) == (6, 6)
    for axis in (0, 1):
        inside = np.abs(np.diff(made, axis=axis)).max(axis=axis)
        over = np.abs(np.take(made, 0, axis) - np.take(made, -1, axis))
        assert over.max() <= inside.max()
    long = kind.settings({"size": 16.0, "stretch": 8.0, "along": "down", "side": "256", "octaves": 1.0})
    assert cells_of(long) == (16, 2)
    stretched = kind.make(ToneGround(Plane(np.zeros((1, 1, 1), np.uint8), Encoding.DATA)), long)[..., 0].astype(
        np.float64
    )
    across, down = (np.abs(np.diff(stretched, axis=axis)).mean() for axis in (1, 0))
    assert 6 < across / down < 10


def test_a_tone_of_noise_needs_no_paint() -> None:
    """On a sheet without any map it has the size that was chosen, is known by it, and follows its seed."""
    history = History(Kit())
    history.do(commands.add_tone("sheet_1", Tone("noise", "Noise", "noise", values={"side": "128"})))
    sheets, at = Sheets(), history.kit.at()
    made = tone_of(at, sheets, at.sheet.tones[0])
    assert (made.width, made.height) == plane_size(at, sheets, PlaneRef(PlaneKind.TONE, "noise")) == (128, 128)
    settings = TONES["noise"].settings({"side": "128"})
    x, y = (np.arange(128) + 0.5) / 128, (np.arange(128) + 0.5) / 128
    places = np.stack([*np.meshgrid(x, y), np.full((128, 128), 0.5)], axis=-1).reshape(-1, 3)
    wanted = noise_at(places, noise_of(settings, True, (1, 1, 0))).reshape(128, 128)
    assert np.abs(made.values()[..., 0] - wanted).max() < 1e-5
