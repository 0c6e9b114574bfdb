"""Planes that lie over the sheet in tiles, and atlases: mips that fit, cells that never bleed, repeats that hide."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from even_palette.core.arrays import float32
from even_palette.core.errors import UserError
from even_palette.core.graph import nodes, slots
from even_palette.core.graph.reference import Environment, evaluate
from even_palette.core.graph.slots import Slot
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.sheet import Step
from even_palette.core.kit.validate import check_kit
from even_palette.core.material import tiling
from even_palette.core.material.build import BASE_SLOT, Dressed, worn
from even_palette.core.material.model import Coat, PlaneUse
from even_palette.core.material.plane_reads import IN_ATLAS, Pictures, map_plane
from even_palette.core.raster.chain import Chain
from even_palette.core.raster.mips import gpu_samples, halved, level_count
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import Sampler, Wrap, sample, texel_centres
from even_palette.core.raster.tiles import TiledPlane, grid_of

RNG = np.random.default_rng(8)
PAINT = Plane(RNG.integers(0, 256, (32, 32, 3)).astype(np.uint8), Encoding.SRGB)
COLOURS = float32([(1, 0, 0), (0, 1, 0), (0, 0, 1), (1, 1, 0), (1, 0, 1), (0, 1, 1), (1, 1, 1)])


def seen(coat: Coat, there: dict[str, Slot], size: tuple[int, int], side: int = 32, zoom: float = 1.0) -> np.ndarray:
    """The colour (side, side, 3) that a coat makes of the sheet, `zoom` texels a pixel."""
    found = worn(Dressed("r", "R", (coat,), ((0.5,) * 3,)), [], Pictures(size=lambda ref: size))
    step = zoom / side
    around = Environment(texel_centres(side, side), {BASE_SLOT: slots.of(PAINT), **there}, pixel=(step, 0, 0, step))
    return evaluate(found.outputs["colour"], around)


def cells_of(count: int, side: int = 15) -> dict[str, Slot]:
    """A slot of cells of one pure colour each, as the grid 3 x 3 gives them."""
    planes = tuple(Plane(np.tile(colour, (side, side, 1)), Encoding.LINEAR) for colour in COLOURS[:count])
    return {f"cells_3_3_{count}_map_atlas": slots.layers(planes, IN_ATLAS)}


@given(
    st.integers(0, 6), st.floats(0.3, 60), st.floats(-180, 180), st.sampled_from(["plain", "moved", "turned"]),
    st.floats(0.01, 200),
)  # fmt: skip
def test_no_texel_of_a_foreign_cell_is_ever_seen(
    cell: int, scale: float, turn: float, repeat: str, zoom: float
) -> None:
    """Cells of pure colours: at every scale, turn, mip and place the colour is that of the cell exactly."""
    values = {"cell": float(cell), "scale": scale, "turn": turn, "repeat": repeat}
    coat = Coat("surface", values, {"atlas": PlaneUse(map_plane("atlas"), grid=(3, 3), cells=7)})
    got = seen(coat, cells_of(7), (47, 46), zoom=zoom)
    assert np.abs(got - COLOURS[cell]).max() < 1e-5


@pytest.mark.parametrize(("count", "grid"), [(4, (2, 2)), (7, (3, 3)), (10, (4, 3)), (13, (4, 4)), (16, (4, 4))])
def test_an_atlas_is_cut_into_its_cells(history: History, sheets, tmp_path, count: int, grid) -> None:  # type: ignore[no-untyped-def]
    """Cells lie row by row; what the grid leaves over at the right and below is left out."""
    from even_palette.core.raster.files import write_plane
    from even_palette.core.raster.guess import Role
    from even_palette.core.results.materials import material_of
    from even_palette.core.results.slots import slots_of
    from tests.conftest import source

    columns, rows = grid
    side = 8
    atlas = np.zeros((rows * side + 1, columns * side + 1, 3), np.uint8)
    for number in range(count):
        top, left = number // columns * side, number % columns * side
        atlas[top : top + side, left : left + side] = number + 1
    write_plane(tmp_path / "atlas.png", Plane(atlas, Encoding.SRGB))
    history.do(commands.add_map("sheet_1", source(tmp_path / "atlas.png", Role.NONE, Encoding.SRGB)))
    key = history.kit.sheets[0].sources[-1].key
    history.do(commands.set_coat_kind("region_1", "surface"))
    history.do(commands.set_coat_plane("region_1", 0, "atlas", PlaneUse(map_plane(key), grid=grid, cells=count)))
    at = history.kit.at()
    held = slots_of(at, sheets, material_of(at, sheets).slots)[f"cells_{columns}_{rows}_{count}_map_{key}"]
    assert [int(plane.samples[0, 0, 0]) for plane in held.planes] == list(range(1, count + 1))
    assert all(np.ptp(plane.samples) == 0 and plane.samples.shape == (side, side, 3) for plane in held.planes)


def test_hidden_repeats_have_no_seam_and_do_not_repeat() -> None:
    """Neighbouring places differ no more than the cell's own; a tile is not the tile beside it, as it is when plain."""
    wave = np.sin(np.linspace(0, 2 * np.pi, 64, endpoint=False))
    cell = float32(np.stack([wave[:, None] * 0.25 + wave[None, :] * 0.25 + 0.5] * 3, axis=-1))
    there = {"cells_1_1_1_map_atlas": slots.layers([Plane(cell, Encoding.LINEAR)], IN_ATLAS)}
    steepest = float(np.abs(np.diff(cell[..., 0], axis=0)).max())
    for repeat in ("plain", "moved", "turned"):
        coat = Coat("surface", {"scale": 4.0, "repeat": repeat}, {"atlas": PlaneUse(map_plane("atlas"))})
        got = seen(coat, there, (64, 64), side=256)[..., 0]
        jumps = max(np.abs(np.diff(got, axis=axis)).max() for axis in (0, 1))
        # The shares of two patches change by 3/2 a half tile, 32 texels, and patches differ by 1 at the most.
        assert jumps < 2 * steepest + 1.5 / 32
        same = np.abs(got[:, :64] - got[:, 64:128]).max()
        assert same < 1e-4 if repeat == "plain" else same > 0.2


@pytest.mark.parametrize("repeat", ["plain", "turned"])
def test_a_surface_by_height_with_atlases_beside_it(repeat: str) -> None:
    """Where it is higher it is seen, in its colour and all surface values: smoothstep (GLSL 4.60, section 8.3)."""
    levels = {"roughness": 0.2, "metalness": 0.9, "occlusion": 0.4, "height": 0.7}
    there = cells_of(7)
    for name, level in levels.items():
        planes = tuple(
            Plane(np.full((15, 15, 3), level if n == 4 else 0.0, np.float32), Encoding.DATA) for n in range(7)
        )
        there[f"cells_3_3_7_map_{name}"] = slots.layers(planes, IN_ATLAS)
    ground = RNG.random((32, 32, 1)).astype(np.float32)
    there |= {"map_ground": slots.of(Plane(ground, Encoding.DATA)), BASE_SLOT: slots.of(PAINT)}
    grid = {name: PlaneUse(map_plane(name), grid=(3, 3), cells=7) for name in ("atlas", *levels)}
    values = {"cell": 4.0, "repeat": repeat, "cover": "height", "band": 0.3, "offset": -0.1}
    coat = Coat("surface", values, {**grid, "under": PlaneUse(map_plane("ground"))})
    found = worn(Dressed("r", "R", (coat,), ((0.5,) * 3,)), [], Pictures(size=lambda ref: (47, 46)))
    around = Environment(texel_centres(32, 32), there, pixel=(1 / 32, 0, 0, 1 / 32))
    t = np.clip((0.7 - ground - 0.1 + 0.3) / 0.6, 0, 1)
    share = t * t * (3 - 2 * t)
    assert evaluate(found.outputs["colour"], around) == pytest.approx(
        PAINT.linear() * (1 - share) + COLOURS[4] * share, abs=1e-5
    )
    for name, default in (("roughness", 0.6), ("metalness", 0.0), ("occlusion", 1.0)):
        got = evaluate(found.outputs[name], around)
        assert got == pytest.approx((default * (1 - share) + levels[name] * share)[..., 0], abs=1e-5)


@pytest.mark.parametrize("repeat", ["plain", "moved", "turned"])
@pytest.mark.parametrize("turn", [0.0, 90.0, 33.0])
def test_normals_are_those_of_the_heights_as_they_lie(repeat: str, turn: float) -> None:
    """Of a cell with heights and the normals of their slopes: those that come out are the slopes, by differences, of the
    heights that come out, however the cell is turned and moved. Green points up (common practice), v runs down."""
    side, steep, scale, n = 128, 0.05, 2.0, 512
    down, across = 2 * np.pi * (np.mgrid[0:side, 0:side] + 0.5) / side
    height = 0.5 + 0.2 * np.sin(across) + 0.15 * np.cos(down + 1) + 0.1 * np.sin(across + 2 * down)
    along_u = 2 * np.pi * (0.2 * np.cos(across) + 0.1 * np.cos(across + 2 * down))
    along_v = 2 * np.pi * (-0.15 * np.sin(down + 1) + 0.2 * np.cos(across + 2 * down))
    normal = np.stack([-steep * along_u, steep * along_v, np.ones_like(height)], axis=-1)
    normal = normal / np.linalg.norm(normal, axis=-1, keepdims=True) * 0.5 + 0.5
    wide = np.repeat(height[..., None], 3, axis=-1)
    there = {
        f"cells_1_1_1_map_{name}": slots.layers([Plane(float32(cell), Encoding.DATA)], IN_ATLAS)
        for name, cell in (("atlas", wide), ("occlusion", wide), ("normal", normal))
    }
    values = {"scale": scale, "turn": turn, "across": 0.2, "repeat": repeat}
    coat = Coat("surface", values, {name: PlaneUse(map_plane(name)) for name in ("atlas", "occlusion", "normal")})
    found = worn(Dressed("r", "R", (coat,), ((0.5,) * 3,)), [], Pictures(size=lambda ref: (side, side)))
    fine = Environment(texel_centres(n, n), {BASE_SLOT: slots.of(PAINT), **there}, pixel=(1e-6, 0, 0, 1e-6))
    bent = evaluate(found.outputs["normal"], fine) * 2 - 1
    assert np.linalg.norm(bent, axis=-1) == pytest.approx(1, abs=1e-5)
    lies = evaluate(found.outputs["occlusion"], fine)
    lies = lies[..., 0] if lies.ndim == 3 else lies
    slope_v, slope_u = (np.gradient(lies, 1 / n, axis=axis) * steep / scale for axis in (0, 1))
    at = evaluate(tiling.turned(nodes.uv() * scale, nodes.constant(turn / 360)) + nodes.constant(0.2, 0), fine) % 1
    whole = (np.abs(at - 0.5) > 0.28).all(axis=-1)  # one patch alone is seen
    inside = whole if repeat != "plain" else np.ones_like(whole)
    inside[[0, -1]], inside[:, [0, -1]] = False, False
    assert inside.sum() > 4000
    for got, want in ((-bent[..., 0] / bent[..., 2], slope_u), (bent[..., 1] / bent[..., 2], slope_v)):
        assert np.abs(got - want)[inside].max() < 0.03 * np.abs(want[inside]).max() + 0.002


def test_bare_brings_normals_back() -> None:
    """Over a surface with normals of its own the map's come back; without such a surface there is no output of them."""
    normals = [Plane(np.full((8, 8, 3), level, np.float32), Encoding.DATA) for level in (0.9, 0.3)]
    there = cells_of(1) | {
        "cells_3_3_1_map_normal": slots.layers([normals[0]], IN_ATLAS),
        "map_painted": slots.of(normals[1]), BASE_SLOT: slots.of(PAINT),
    }  # fmt: skip
    grid = {name: PlaneUse(map_plane(name), grid=(3, 3), cells=1) for name in ("atlas", "normal")}
    pictures = Pictures({"normal": (PlaneUse(map_plane("painted")), True)}, lambda ref: (24, 24))
    around = Environment(texel_centres(32, 32), there, pixel=(1 / 32, 0, 0, 1 / 32))
    surface, bare = Coat("surface", {}, grid), Coat("bare", {"what": "all"})
    for coats, wanted in (((surface,), None), ((surface, bare), 0.3)):
        found = worn(Dressed("r", "R", coats, ((0.5,) * 3,) * len(coats)), [], pictures)
        got = evaluate(found.outputs["normal"], around)
        assert np.linalg.norm(got * 2 - 1, axis=-1) == pytest.approx(1, abs=1e-5) or wanted
        assert wanted is None or np.abs(got - wanted).max() < 1e-6
    assert "normal" not in worn(Dressed("r", "R", (bare,), ((0.5,) * 3,)), [], pictures).outputs


def test_scattered_numbers_are_whole_and_spread() -> None:
    """Whole numbers 0 to 288, each as often as another within what chance gives, exact at places far out."""
    rows, columns = np.mgrid[-300:300, 40_000:40_600]
    at = float32(np.stack([columns, rows], axis=-1))
    found = [evaluate(part, Environment(at)) for part in tiling.scattered(nodes.uv())]
    for numbers in found:
        assert numbers.min() == 0
        assert numbers.max() == 288
        assert np.array_equal(numbers, np.round(numbers))
        counts = np.bincount(numbers.astype(int).ravel(), minlength=289)
        assert counts.min() > 0.8 * counts.mean()
        assert counts.max() < 1.2 * counts.mean()


@pytest.mark.parametrize(("height", "width"), [(1, 1), (7, 5), (64, 64), (33, 100)])
def test_levels_are_means_of_two_by_two(height: int, width: int) -> None:
    """Each level has half the texels, rounded down, down to 1 x 1 (OpenGL 4.6, section 8.14.3)."""
    plane = Plane(RNG.random((height, width, 2)).astype(np.float32), Encoding.DATA)
    wanted, number = plane.samples, 0
    while wanted.shape[:2] != (1, 1):
        wanted, number = halved(wanted), number + 1
        assert Chain(plane).level(number).samples == pytest.approx(wanted, abs=1e-6)
    assert Chain(plane).level(number + 9) is Chain(plane).level(number)


@pytest.mark.parametrize(("height", "width"), [(300, 517), (1000, 260), (64, 700), (3, 290), (256, 256), (1, 5)])
@pytest.mark.parametrize("encoding", [Encoding.SRGB, Encoding.DATA])
def test_levels_by_tiles_are_those_of_the_whole_plane(height: int, width: int, encoding: Encoding) -> None:
    """Each level put together of parts of tiles, some of them constant, at sizes that are no multiple of a tile."""
    samples = RNG.integers(0, 256, (height, width, 3)).astype(np.uint8)
    samples[: min(256, height), : min(256, width)] = 77
    plane = Plane(samples, encoding)
    for number in range(level_count(height, width)):
        want = Chain(plane).level(number)
        stored = gpu_samples(want.samples, encoding) if number == 0 else want.samples
        for kind in (plane, TiledPlane(grid_of(samples), encoding)):
            got = Chain(kind).stored([number])[number]
            assert got.shape == stored.shape
            assert np.array_equal(got, stored)


def test_tiled_turned_and_moving_planes() -> None:
    """Twice over the sheet is the plane at twice the uv; a quarter turn about the middle; movement by time."""
    plane = Plane(RNG.random((64, 64, 3)).astype(np.float32), Encoding.LINEAR)
    there = {"colour_repeat_map_p": slots.of(plane, Sampler(wrap=Wrap.REPEAT))}
    uv = texel_centres(32, 32)

    def blended(**how: object) -> np.ndarray:
        use = PlaneUse(map_plane("p"), wrap=Wrap.REPEAT, **how)  # type: ignore[arg-type]
        found = worn(Dressed("r", "R", (Coat("blend", {}, {"colour": use}),), ((0.5,) * 3,)), [],
                     Pictures(size=lambda ref: (64, 64)))  # fmt: skip
        around = Environment(uv, {BASE_SLOT: slots.of(PAINT), **there}, time=3.0, pixel=(1 / 32, 0, 0, 1 / 32))
        return evaluate(found.outputs["colour"], around)

    repeat = Sampler(wrap=Wrap.REPEAT)
    assert blended(tiling=(0.5, 0.5)) == pytest.approx(sample(plane, uv * 0.5, repeat), abs=1e-5)
    # Twice over 32 texels is four texels a pixel: the second level.
    assert blended(tiling=(2.0, 2.0)) == pytest.approx(sample(Chain(plane).level(2), uv * 2, repeat), abs=1e-5)
    quarter = np.stack([1 - uv[..., 1], uv[..., 0]], axis=-1)
    assert blended(turn=90.0) == pytest.approx(sample(Chain(plane).level(1), quarter, repeat), abs=1e-5)
    moved = uv + float32((0.1, -0.2)) * 3
    assert blended(speed=(0.1, -0.2)) == pytest.approx(sample(Chain(plane).level(1), moved, repeat), abs=1e-5)


@pytest.mark.parametrize(
    ("wrong", "said"),
    [({"tiling": (0.0, 1.0)}, "tiling cannot be 0; it is at least 0.015625"),
     ({"tiling": (float("nan"), 1.0)}, "tiling cannot be nan"), ({"turn": 1e9}, "turn cannot be 1e.09; it is at most 360"),
     ({"speed": (float("inf"), 0.0)}, "speed cannot be inf"), ({"grid": (0, 2)}, "grid cannot be 0"),
     ({"grid": (2, 99)}, "grid cannot be 99"), ({"cells": -1}, "cells cannot be -1; it is at least 0"),
     ({"grid": (2, 2), "cells": 5}, "uses 5 cells of an atlas of 2 × 2")],
)  # fmt: skip
def test_planes_out_of_range_are_refused(history: History, wrong: dict[str, object], said: str) -> None:
    use = PlaneUse(map_plane("base_colour"), **wrong)  # type: ignore[arg-type]
    kit = commands.add_coat("region_1", Coat("tint", pattern=use)).apply(history.kit)
    with pytest.raises(UserError, match=said):
        check_kit(kit)


def test_masks_take_planes_as_they_lie(history: History) -> None:
    step = Step("channel", plane=PlaneUse(map_plane("base_colour"), tiling=(2.0, 2.0)))
    with pytest.raises(UserError, match="masks take it as it lies"):
        check_kit(commands.add_step("region_1", step).apply(history.kit))
