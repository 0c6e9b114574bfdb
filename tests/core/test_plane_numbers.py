"""Numbers of planes as values of coats: the same fixed and bound, kept, shared, let go of, shipped."""

from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.graph import nodes, slots
from even_palette.core.graph.program import program_of
from even_palette.core.graph.reference import Environment, run
from even_palette.core.graph.types import Type
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import RecipeCoats, users_of
from even_palette.core.kit.coat_values import value_of
from even_palette.core.kit.history import History
from even_palette.core.kit.model import Kit
from even_palette.core.kit.only_values import only_values_differ
from even_palette.core.kit.store import decode_kit, encode_kit
from even_palette.core.material.coats import COATS
from even_palette.core.material.model import Bound, PlaneKind, PlaneRef, PlaneUse
from even_palette.core.material.plane_numbers import NUMBERS, numbers_of
from even_palette.core.material.plane_reads import Pictures, PlaneReads
from even_palette.core.material.variants import MASTER
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import Filter, Wrap, texel_centres
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.pictures import render_reference, whole_sheet
from even_palette.core.results.sheets import Sheets
from even_palette.core.ship.write import ship
from even_palette.player.load import load
from even_palette.player.reference import play_reference

REF = PlaneRef(PlaneKind.MAP, "grid")
RNG = np.random.default_rng(8)
GRID = Plane(RNG.integers(0, 256, (23, 37, 4)).astype(np.uint8), Encoding.DATA)
OTHER = {
    "low": 0.3, "high": 0.6, "power": 2.3, "tiling_across": 2.7, "tiling_down": 0.6, "turn": 31.0,
    "offset_across": 0.4, "offset_down": -0.3, "speed_across": 0.7, "speed_down": -1.3,
}  # fmt: skip
VIEW = whole_sheet(64, 64)


def read(use: PlaneUse, bound: dict[str, float]) -> np.ndarray:
    """What a use gives on 31 x 19 pixels, after 1.7 seconds, with numbers that the runtime sets."""
    reads = PlaneReads(Pictures(size=lambda ref: (GRID.width, GRID.height)))
    node = reads.value(use, {name: nodes.parameter(name, Type.FLOAT) for name in bound})
    held = {name: slots.of(GRID, held.sampler) for name, held in reads.slots.items()}
    pixel = (1 / 31, 0.0, 0.0, 1 / 19)
    environment = Environment(texel_centres(19, 31), held, bound, 0.0, 1.7, pixel)
    return np.broadcast_to(run(program_of({"value": node}), environment)["value"], (19, 31))


@pytest.mark.parametrize("wrap", list(Wrap))
@pytest.mark.parametrize("filter_", list(Filter))
@pytest.mark.parametrize("mips", [False, True])
@pytest.mark.parametrize("number", [number.name for number in NUMBERS])
def test_a_number_that_is_bound_gives_what_it_gives_fixed(number: str, wrap: Wrap, filter_: Filter, mips: bool) -> None:
    """Each alone and among all others; nearest texels may change where rounding puts a place on their border."""
    one = next(each for each in NUMBERS if each.name == number)
    whole = PlaneUse(REF, channel=2, filter=filter_, wrap=wrap, mips=mips)
    for each in NUMBERS:
        whole = each.put(whole, OTHER[each.name])
    for use in (one.put(PlaneUse(REF, filter=filter_, wrap=wrap, mips=mips), OTHER[number]), whole):
        apart = np.abs(read(use, {}) - read(one.put(use, one.get(PlaneUse(REF))), {number: OTHER[number]}))
        assert (apart > 1e-4).mean() <= (0.01 if filter_ == Filter.NEAREST else 0)
    every = np.abs(read(whole, {}) - read(PlaneUse(REF, channel=2, filter=filter_, wrap=wrap, mips=mips), OTHER))
    assert (every > 1e-4).mean() <= (0.01 if filter_ == Filter.NEAREST else 0)


def test_levels_that_meet_are_a_threshold() -> None:
    """Where the runtime sets both levels to the same value it is what it is fixed: a threshold."""
    use = PlaneUse(REF, low=0.4, high=0.4)
    assert np.allclose(read(use, {}), read(PlaneUse(REF), {"low": 0.4, "high": 0.4}), atol=1e-5)
    assert np.allclose(read(replace(use, low=0.5), {}), read(PlaneUse(REF), {"low": 0.5, "high": 0.4}), atol=1e-5)


def test_no_two_values_of_a_coat_have_one_name() -> None:
    """Numbers of planes have names of their own, and what declares them fits what they are without a word."""
    for kind in COATS.values():
        numbers = numbers_of(kind)
        assert not set(numbers) & {spec.name for spec in kind.values}
        for _, number, spec in numbers.values():
            assert spec.low <= number.get(PlaneUse(REF)) == spec.default <= spec.high


@pytest.fixture
def patterned(history: History) -> History:
    """The small kit with the ID map as pattern of region 2's coat."""
    key = history.kit.sheets[0].sources[1].key
    history.do(commands.set_pattern("region_2", 0, PlaneUse(PlaneRef(PlaneKind.MAP, key), wrap=Wrap.REPEAT, turn=30.0)))
    return history


def drawn(kit: Kit, variant: str = MASTER) -> np.ndarray:
    return render_reference(picture(kit.at(), Sheets(), Look(variant=variant)), VIEW).astype(int)


def bound_to(kit: Kit, name: str, owner: str = "region_2") -> str:
    value = value_of(kit, owner, name, 0)
    assert isinstance(value, Bound)
    return value.parameter


def test_a_number_becomes_a_parameter_and_is_fixed_again(patterned: History) -> None:
    """Its default is the number; a variant sets another; fixed again it stands in the use; undone step by step."""
    before, seen = patterned.kit, drawn(patterned.kit)
    patterned.do(commands.expose("region_2", "pattern_turn"))
    key = bound_to(patterned.kit, "pattern_turn")
    assert patterned.kit.parameter(key).default == 30.0
    assert (patterned.kit.parameter(key).low, patterned.kit.parameter(key).high) == (-360.0, 360.0)
    assert np.abs(drawn(patterned.kit) - seen).max() <= 1
    patterned.do(commands.set_cell_value("region_2", "pattern_turn", 75.0, "day"))
    turned = replace(before.region("region_2").coats[0].pattern, turn=75.0)  # type: ignore[type-var]
    fixed = commands.set_pattern("region_2", 0, turned).apply(before)
    assert np.abs(drawn(patterned.kit, "day") - drawn(fixed, "day")).max() <= 1
    assert np.abs(drawn(patterned.kit, "day") - drawn(before, "day")).max() > 20
    assert decode_kit(encode_kit(patterned.kit, Path("/")), Path("/")) == patterned.kit
    patterned.do(commands.unbind("region_2", "pattern_turn"))
    assert patterned.kit.region("region_2").coats[0] == before.region("region_2").coats[0]
    for _ in range(3):
        patterned.undo()
    assert patterned.kit == before


def test_numbers_are_set_fixed_as_well(patterned: History) -> None:
    """Setting one in the master changes the use; the loops of a view are others then, and names of results change."""
    before = patterned.kit
    patterned.do(commands.set_cell_value("region_2", "pattern_offset_across", 0.25))
    pattern = patterned.kit.region("region_2").coats[0].pattern
    assert pattern is not None
    assert pattern.offset == (0.25, 0.0)
    assert not only_values_differ(before, patterned.kit)
    with pytest.raises(UserError, match="it is -1 to 1"):
        patterned.do(commands.set_cell_value("region_2", "pattern_offset_across", 1.5))


def test_what_is_not_read_is_not_followed(patterned: History) -> None:
    """A pattern that is removed takes its numbers along; a coat of another kind keeps them with the pattern."""
    patterned.do(commands.expose("region_2", "pattern_power"))
    key = bound_to(patterned.kit, "pattern_power")
    patterned.do(commands.set_coat_kind("region_2", "tint"))
    assert bound_to(patterned.kit, "pattern_power") == key
    assert [use.spec.name for use in users_of(patterned.kit, key)] == ["pattern_power"]
    patterned.do(commands.set_pattern("region_2", 0, None))
    assert users_of(patterned.kit, key) == []
    assert patterned.kit.region("region_2").coats[0].values.keys().isdisjoint(numbers_of(COATS["tint"]))


def test_a_wearer_of_a_recipe_sets_a_number_itself(patterned: History) -> None:
    """Bound to a parameter of its own, or fixed for this region alone; the recipe stays as it is."""
    patterned.do(commands.make_recipe("region_2", "Rust"))
    recipe = patterned.kit.recipes[0]
    patterned.do(commands.wear_recipe("region_3", recipe.key))
    plain = drawn(patterned.kit)
    patterned.do(commands.set_own_value("region_3", "pattern_turn", 0, 120.0))
    own = drawn(patterned.kit)
    assert np.abs(own - plain).max() > 20
    assert value_of(patterned.kit, "region_2", "pattern_turn", 0) == 30.0
    assert value_of(patterned.kit, RecipeCoats(recipe.key), "pattern_turn", 0) == 30.0
    patterned.do(commands.expose("region_3", "pattern_turn"))
    assert isinstance(patterned.kit.region("region_3").own_values[recipe.coats[0].key]["pattern_turn"], Bound)
    assert np.abs(drawn(patterned.kit) - own).max() <= 1


def test_a_package_has_it_as_a_uniform(patterned: History, tmp_path: Path) -> None:
    """Of a number that follows a parameter, whatever plays it sets it; a fixed one costs no uniform."""
    ship(patterned.kit, Sheets(), tmp_path / "fixed")
    patterned.do(commands.expose("region_2", "pattern_tiling_across"))
    patterned.do(commands.set_cell_value("region_2", "pattern_tiling_across", 3.5, "day"))
    ship(patterned.kit, Sheets(), tmp_path / "bound")
    name = patterned.kit.parameter(bound_to(patterned.kit, "pattern_tiling_across")).name
    assert name in (tmp_path / "bound" / "package.json").read_text()
    assert name not in (tmp_path / "fixed" / "package.json").read_text()
    loaded = load(tmp_path / "bound")
    for variant, key in (("", MASTER), ("Day", "day")):
        played = play_reference(loaded, variant, 64, 64)[..., :3].astype(int)
        assert np.abs(played - drawn(patterned.kit, key)).max() <= 1
    assert np.abs(drawn(patterned.kit, "day") - drawn(patterned.kit, "dusk")).max() > 0
