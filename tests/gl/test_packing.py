"""How weights are shipped: RGBA planes, RGB planes, one array and edge pairs give what the weights give, in every runtime."""

from pathlib import Path

import msgspec
import numpy as np
import pytest
from msgspec.structs import replace
from scipy.ndimage import gaussian_filter, map_coordinates

from even_palette.core.arrays import Floats, Levels, float32
from even_palette.core.errors import UserError
from even_palette.core.graph import nodes
from even_palette.core.graph.program import program_of
from even_palette.core.graph.reference import Environment, run
from even_palette.core.kit import commands
from even_palette.core.kit.model import Kit
from even_palette.core.kit.store import read_kit
from even_palette.core.raster.chain import Chain, sample_level
from even_palette.core.raster.mips import level_count
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import texel_centres
from even_palette.core.regions.edge_pairs import (
    decode_pairs,
    encode_pairs,
    exactness,
    pyramid_place,
    pyramid_size,
    rows_of,
)
from even_palette.core.regions.id_colours import list_id_colours
from even_palette.core.regions.packing import Packing, PackingPlan, shared_blocks, suggested_order
from even_palette.core.regions.unmix import unmix
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.weights import weights_of
from even_palette.core.ship.write import ship
from even_palette.demo import KIT_FOLDER
from even_palette.player.load import load
from even_palette.player.opengl import play_opengl
from even_palette.player.reference import play_reference
from tests.core.charts import chart

RNG = np.random.default_rng(14)


def random_levels(count: int, height: int, width: int, most: int = 2) -> Levels:
    """Weights (R, H, W) uint8 of which, with the base, at most so many are there at a texel."""
    levels = np.zeros((count + 1, height, width), dtype=np.int64)
    for row in range(height):
        for column in range(width):
            chosen = RNG.permutation(count + 1)[: RNG.integers(1, most + 1)]
            cuts = np.sort(RNG.integers(0, 256, len(chosen) - 1))
            levels[chosen, row, column] = np.diff([0, *cuts, 255])
    return levels[1:].astype(np.uint8)


def packed(levels: Levels) -> list[Plane]:
    """The RGBA planes of weights."""
    count, height, width = levels.shape
    whole = np.zeros((-(-count // 4) * 4, height, width), dtype=np.uint8)
    whole[:count] = levels
    return [Plane(np.moveaxis(whole[i : i + 4], 0, -1).copy(), Encoding.DATA) for i in range(0, len(whole), 4)]


@pytest.mark.parametrize("count", [1, 2, 5, 255])
def test_pairs_are_exact_where_two_meet(count: int) -> None:
    """Byte for byte, with 255 regions too, and nothing is said to be crowded."""
    levels = random_levels(count, 13, 17)
    pairs = encode_pairs(levels)
    assert all(np.array_equal(decode_pairs(pairs, index), level) for index, level in enumerate(levels))
    found = exactness(rows_of(levels), levels.shape)
    assert (found.texels, found.crowded, found.worst) == (13 * 17, 0, 0)


def test_crowded_texels_are_counted_and_measured() -> None:
    """Where three or four meet the two strongest share 255 in proportion; counts and the largest error by a plain loop."""
    levels = random_levels(6, 40, 50, most=4)
    base = 255 - levels.astype(int).sum(axis=0)
    every = np.concatenate([base[None], levels]).astype(int)
    crowded = int(((every > 0).sum(axis=0) > 2).sum())
    pairs, worst = encode_pairs(levels), 0.0
    for row, column in np.ndindex(40, 50):
        here = every[:, row, column]
        first, second = sorted(np.argsort(-here, kind="stable")[:2])
        share = here[first] / (here[first] + here[second])
        for index in range(6):
            wanted = share if index + 1 == first else 1 - share if index + 1 == second else 0.0
            got = int(decode_pairs(pairs, index)[row, column])
            assert abs(got - 255 * wanted) <= 0.51
            worst = max(worst, abs(got - here[index + 1]))
    found = exactness(rows_of(levels), levels.shape)
    assert (found.crowded, found.worst) == (crowded, worst)
    assert crowded > 100


def evaluated(plan: PackingPlan, region: str, planes: list[Plane], uv: Floats) -> Floats:
    program = program_of({"w": nodes.join(plan.weight(region), 0.0, 0.0)})
    return run(program, Environment(uv, plan.slots(planes)))["w"][..., 0]


@pytest.mark.parametrize("packing", list(Packing))
@pytest.mark.parametrize("size", [(13, 29), (64, 64)])
def test_every_packing_gives_the_weights_filtered(packing: Packing, size: tuple[int, int]) -> None:
    """At texel centres the weights themselves, and enlarged twice what linear filtering gives (scipy), with 7 regions."""
    levels = random_levels(7, *size)
    plan = PackingPlan(packing, tuple(f"r{i}" for i in range(7)), (size[1], size[0]))
    planes = packed(levels)
    for scale in (1, 2):
        uv = texel_centres(size[0] * scale, size[1] * scale)
        rows, columns = uv[..., 1] * size[0] - 0.5, uv[..., 0] * size[1] - 0.5
        for index in range(7):
            wanted = map_coordinates(levels[index] / 255.0, [rows, columns], order=1, mode="nearest")
            got = evaluated(plan, f"r{index}", planes, uv)
            assert np.abs(got - wanted).max() < (1e-4 if scale == 1 else 1 / 255)


def test_samples_and_units_are_told() -> None:
    keys = tuple(f"r{i}" for i in range(10))
    told = {packing: (PackingPlan(packing, keys).units, PackingPlan(packing, keys).samples) for packing in Packing}
    assert told == {Packing.PLANES: (3, 3), Packing.ARRAY: (1, 3), Packing.RGB: (4, 4), Packing.PAIRS: (1, 8)}


@pytest.mark.parametrize("packing", [Packing.RGB, Packing.ARRAY, Packing.PAIRS])
def test_shipped_packings_play_alike(packing: Packing, tmp_path: Path) -> None:
    """The demo's sheets in each packing: GLSL player and reference player show what RGBA planes show, within 1/255, at
    1:1 and the smaller one enlarged twice; there 8 texels are crowded, and those around them may differ."""
    kit, sheets = read_kit(KIT_FOLDER), Sheets()
    for number, name in enumerate(("Ferry tug", "Oar and crate")):
        side = 1024 if number == 0 else 512
        played = []
        for wanted in (Packing.PLANES, packing):
            folder = tmp_path / f"{number} {wanted}"
            own = replace(kit.sheets[number], packing=wanted)
            one = replace(kit, sheets=(own,), meshes=tuple(m for m in kit.meshes if m.sheet == own.key))
            ship(one, sheets, folder)
            loaded = load(folder, name)
            variant = loaded.package.variants[2].name
            played.append(
                [play_opengl(loaded, variant, n, n).astype(int) for n in ((side,) if number == 0 else (side, 2 * side))]
            )
            part = play_reference(loaded, variant, side // 2, side // 2).astype(int)
            assert part.shape == (side // 2, side // 2, 3)
        weights = np.stack(weights_of(kit.at(kit.sheets[number].key), sheets).levels)
        crowded = ((weights > 0).sum(axis=0) + (weights.astype(int).sum(axis=0) < 255)) > 2
        near = np.zeros((side, side), dtype=bool)
        for row, column in np.argwhere(crowded):
            near[max(0, row - 1) : row + 2, max(0, column - 1) : column + 2] = packing == Packing.PAIRS
        for at, (planes, other) in enumerate(zip(*played, strict=True)):
            free = ~np.kron(near, np.ones((at + 1, at + 1), dtype=bool))
            assert np.abs(planes - other).max(axis=-1)[free].max() <= 1


@pytest.mark.parametrize("count", [4, 16])
def test_pairs_on_the_charts(count: int) -> None:
    """Unmixed charts: exact wherever at most two meet; three meet at junctions alone, under a twentieth of a percent."""
    made = chart(count, 512, seed=count)
    found = unmix(made.levels, list_id_colours(made.levels))
    shares = np.stack([found.shares_of(np.arange(len(found.colours)) == i) for i in range(len(found.colours))])
    from even_palette.core.regions.weights import quantize_weights

    levels = np.concatenate([
        quantize_weights(float32(shares[:, top : top + 128]) / np.float32(65535)) for top in range(0, 512, 128)
    ], axis=1)  # fmt: skip
    pairs = encode_pairs(levels)
    few = (levels > 0).sum(axis=0) + (levels.astype(int).sum(axis=0) < 255) <= 2
    for index, level in enumerate(levels):
        assert np.array_equal(decode_pairs(pairs, index)[few], level[few])
    told = exactness(rows_of(levels), levels.shape)
    assert told.crowded == int((~few).sum())
    assert told.crowded < 0.01 * told.texels


def test_a_package_tells_its_pairs(tmp_path: Path, kit: Kit, sheets: Sheets) -> None:
    """package.json and README.txt say how the map is to be loaded, and which number is which region."""
    own = replace(kit.sheets[0], packing=Packing.PAIRS)
    ship(replace(kit, sheets=(own,)), sheets, tmp_path / "p")
    package = msgspec.json.decode((tmp_path / "p" / "package.json").read_bytes())
    sheet = package["sheets"][0]
    (entry,) = [each for each in sheet["maps"] if each["slot"] == "edge_pairs"]
    assert (entry["filter"], entry["mips"], entry["channels"]) == ("nearest", False, 3)
    assert [region["channel"] for region in sheet["regions"]] == [str(i + 1) for i in range(len(sheet["regions"]))]
    assert "edge pairs" in (tmp_path / "p" / "README.txt").read_text()


@pytest.mark.parametrize("size", [(1, 1), (13, 29), (64, 64), (37, 5), (256, 100)])
@pytest.mark.parametrize("lod", [0.0, 0.4, 1.0, 1.5, 2.75, 9.0])
def test_pairs_have_mips(size: tuple[int, int], lod: float) -> None:
    """Minified, a pair's weight is that of the weight's own mips, mixed between two levels as OpenGL mixes them."""
    height, width = size
    level = np.clip(gaussian_filter(RNG.normal(0.5, 1.5, size), 1.0, mode="nearest") * 255, 0, 255).astype(np.uint8)
    plan, plane = PackingPlan(Packing.PAIRS, ("r0",), (width, height)), Plane(level[..., None], Encoding.DATA)
    uv = texel_centres(11, 7)
    step = 2.0**lod
    program = program_of({"w": plan.weight("r0")})
    pixel = (step / width, 0.0, 0.0, step / height)
    got = run(program, Environment(uv, plan.slots(packed(level[None])), pixel=pixel))["w"]
    last = level_count(height, width) - 1
    held = min(lod, last)
    low, high = (sample_level(Chain(plane), uv, number)[..., 0] for number in (int(held), min(int(held) + 1, last)))
    wanted = low * (1 - held % 1) + high * (held % 1)
    assert np.abs(got - wanted).max() < 1.01 / 255


@pytest.mark.parametrize("size", [(1, 1), (5, 300), (301, 77), (8, 8), (7, 7)])
def test_mips_of_pairs_lie_beside_each_other(size: tuple[int, int]) -> None:
    """No two levels share a texel, and all lie inside of the plane; at each, shares are of weights that add up to 255."""
    height, width = size
    across, down = pyramid_size(width, height)
    used = np.zeros((down, across), dtype=int)
    for number in range(level_count(height, width)):
        left, top, wide, high = pyramid_place(number, width, height)
        assert left + wide <= across
        assert top + high <= down
        used[top : top + high, left : left + wide] += 1
    assert used.max() == 1


def test_many_regions_with_soft_edges_as_pairs() -> None:
    """200 regions in boxes: one texture, eight samples, and exact where two meet."""
    keys = tuple(f"r{i}" for i in range(200))
    plan = PackingPlan(Packing.PAIRS, keys, (40, 30))
    levels = random_levels(200, 30, 40)
    got = evaluated(plan, "r150", packed(levels), texel_centres(30, 40))
    assert np.abs(got - levels[150] / 255.0).max() < 1e-4
    assert (plan.units, plan.samples) == (1, 8)


@pytest.mark.parametrize("packing", [Packing.PLANES, Packing.ARRAY, Packing.RGB])
def test_weights_divided_by_their_sum(packing: Packing) -> None:
    """Whatever textures hold, they add up to 1, in the same proportions; where they hold nothing, to nothing."""
    levels = random_levels(5, 21, 18)
    levels[:, :9] = levels[:, :9] * 0.7  # as blocks would leave them
    levels[:, 0] = 0
    keys = tuple(f"r{i}" for i in range(5))
    plan = PackingPlan(packing, keys, (18, 21), divided=True)
    uv = texel_centres(21, 18)
    found = np.array([evaluated(plan, key, packed(levels), uv) for key in keys])
    total = levels.sum(axis=0, dtype=float)
    assert np.abs(found.sum(axis=0)[total > 0] - 1).max() < 1e-4
    assert (found[:, 0] == 0).all()
    assert np.abs(found - levels / np.maximum(total, 1)).max() < 1e-4


@pytest.mark.parametrize("packing", list(Packing))
@pytest.mark.parametrize("count", [1, 3, 5, 6, 9])
def test_channels_in_another_order(packing: Packing, count: int) -> None:
    """Moved about, every region still finds its weight; an alpha that nobody has is not written."""
    levels = random_levels(count, 21, 18)
    keys = tuple(f"r{i}" for i in range(count))
    order = tuple(RNG.permutation(keys).tolist())
    plan = PackingPlan(packing, order, (18, 21), keys)
    slots = plan.slots(packed(levels))
    for index, key in enumerate(keys):
        got = evaluated(plan, key, packed(levels), texel_centres(21, 18))
        assert np.abs(got - levels[index] / 255.0).max() < 1e-4
    if packing == Packing.PLANES:
        alone = {1: 1, 2: 3, 3: 3, 0: 4}[count % 4]
        assert [slot.plane.channels for slot in slots.values()] == [4] * (count // 4) + ([alone] if count % 4 else [])


def test_a_suggested_order_keeps_neighbours_apart() -> None:
    """Eight stripes whose neighbours share blocks at their borders: as suggested no two of a plane do."""
    side = 128
    levels = np.zeros((8, side, side), dtype=np.uint8)
    for index in range(8):
        levels[index, :, index * 16 : index * 16 + 16] = 255
    soft = [np.uint8(gaussian_filter(level.astype(float), 1.2) + 0.5) for level in levels]
    order = suggested_order(soft)
    assert sorted(order) == list(range(8))
    assert shared_blocks(soft, order) == 0
    assert shared_blocks(soft, range(8)) > 0


def test_channels_are_part_of_the_kit(kit: Kit, sheets: Sheets, tmp_path: Path) -> None:
    """An order is a command that is refused for other regions, ships, and forgets a region that is removed."""
    keys = [region.key for region in kit.sheets[0].regions]
    turned = commands.set_channels("sheet_1", keys[::-1]).apply(kit)
    ship(turned, sheets, tmp_path / "p")
    package = msgspec.json.decode((tmp_path / "p" / "package.json").read_bytes())
    told = {region["key"]: (region["slot"], region["channel"]) for region in package["sheets"][0]["regions"]}
    assert told == {key: ("weights_0", "rgba"[i]) for i, key in enumerate(keys[::-1])}
    with pytest.raises(UserError, match="once"):
        commands.set_channels("sheet_1", keys[1:]).apply(kit)
    without = commands.remove_region(keys[0]).apply(turned)
    assert without.sheets[0].channel_order == tuple(keys[:0:-1])
