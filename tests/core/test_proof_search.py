"""The search: its front against every combination, and on small kits against measuring them all."""

from itertools import product
from pathlib import Path

import msgspec
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from even_palette.core.errors import UserError
from even_palette.core.jobs import Cancelled, CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import Overcoats
from even_palette.core.kit.history import History
from even_palette.core.kit.sheet import Tone
from even_palette.core.material.model import Coat, PlaneKind, PlaneRef, PlaneUse
from even_palette.core.proof.conditions import AS_MEANT, Beyond, Conditions, MapConditions, Mips, ReadAs, Use, bytes_of
from even_palette.core.proof.search import Option, front_of
from even_palette.core.raster.sampling import Filter
from even_palette.core.regions.packing import Packing
from even_palette.core.results.proof import map_bytes, shipped, slot_under, under
from even_palette.core.results.proof_search import Comparison, candidates, layouts_of, search
from even_palette.core.results.sheets import Sheets
from even_palette.core.tones.palette import new_palette

OPTION = st.tuples(st.integers(1, 400), st.floats(0, 9, width=16)).map(lambda pair: Option(AS_MEANT, *pair))


@settings(max_examples=150)
@given(options=st.lists(st.lists(OPTION, min_size=1, max_size=5), min_size=1, max_size=4))
def test_the_front_is_that_of_all_combinations(options: list[list[Option]]) -> None:
    """Every point of it is one of them, and none of them has fewer or as many bytes with less error than all points."""
    front = front_of({str(number): some for number, some in enumerate(options)})
    every = [(sum(o.bytes for o in some), sum(o.error for o in some)) for some in product(*options)]
    points = [(choice.bytes, choice.error) for choice in front]
    assert points == sorted(points, key=lambda point: point[0])
    for taken, error in points:
        assert any(taken == other[0] and error == pytest.approx(other[1], abs=1e-9) for other in every)
    for taken, error in every:
        assert min((e for b, e in points if b <= taken), default=np.inf) <= error + 1e-9


KITS = {
    "as it is": [],
    "weights held": [commands.set_conditions("sheet_1", Conditions(held=("weights_0",)))],
    "strong colours": [
        commands.set_cell_value("region_1", "colour", (1.0, 0.0, 0.0)),
        commands.set_cell_value("region_4", "colour", (0.0, 1.0, 0.2)),
    ],
    "repainted": [commands.set_coat_kind(f"region_{number}", "repaint") for number in (1, 2, 3, 4)],
    "hardly seen": [commands.set_cell_value("region_2", "strength", 0.1)],
    "base held": [commands.set_conditions("sheet_1", Conditions("half", held=("base_colour",)))],
}


@pytest.mark.parametrize("name", list(KITS))
def test_small_kits_against_exhaustive_search(name: str, history: History, sheets: Sheets) -> None:
    """For ceilings and budgets: no combination of all candidates, measured whole, is better than what is found."""
    for command in KITS[name]:
        history.do(command)
    at, variants = history.kit.at(), ["", "day", "dusk"]
    found = search(at, sheets, variants)
    there = shipped(at, sheets)
    held = under(at.sheet.conditions, there, sheets).slots
    results = Comparison(at, there, variants, {slot: held[slot] for slot in found.held}, there)
    free = [slot for slot in there.names if slot not in found.held]
    every = []
    for some in product(*(candidates(there.facts[slot]) for slot in free)):
        conditions = Conditions("nothing", {**found.held, **dict(zip(free, some, strict=True))})
        slots = under(conditions, there, sheets).slots
        taken = sum(bytes_of(own, there.facts[slot]) for slot, own in conditions.maps.items())
        every.append((taken, results.together({slot: slots[slot] for slot in free})))
    assert len(every) > 6
    for ceiling in (0.02, 0.3, 1.0, 3.0):
        best = min((taken for taken, error in every if error <= ceiling), default=None)
        point = found.within_error(ceiling)
        assert (point.choice.bytes if point else None) == best, ceiling
    for budget in (3_000, 9_000, 20_000, 90_000):
        least = min((error for taken, error in every if taken <= budget), default=None)
        point = found.within_bytes(budget)
        assert (point.error if point else None) == (pytest.approx(least, abs=1e-6) if least is not None else None)


def test_filters_and_levels_of_index_maps_are_searched(history: History, sheets: Sheets) -> None:
    """A filtered index over entries that have nothing in common shows what is in neither: single texels, and the entry
    that occurs most often, are better for the same bytes. Found is what all candidates, measured whole, give.
    """
    entries = np.random.default_rng(3).integers(0, 256, (12, 3)).astype(np.uint8)
    history.do(commands.add_palette(new_palette("palette", "Palette", entries)))
    history.do(commands.add_tone("sheet_1", Tone("index", "Index", "index", palette="palette")))
    uses = {"index": PlaneUse(PlaneRef(PlaneKind.TONE, "index")),
            "palette": PlaneUse(PlaneRef(PlaneKind.PALETTE, "palette"))}  # fmt: skip
    coat = Coat("swap", values={"way": "filtered"}, planes=uses)
    history.do(commands.add_coat(Overcoats("sheet_1"), coat))
    at = history.kit.at()
    there = shipped(at, sheets)
    (index,) = (name for name, facts in there.facts.items() if facts.use == Use.INDEX)
    ways = candidates(there.facts[index])
    assert {own.filter for own in ways} == {None, Filter.NEAREST}
    assert {own.mips for own in ways} == {Mips.LINEAR, Mips.FREQUENT, Mips.NONE}
    wanted = Conditions(held=tuple(name for name in there.facts if name != index))
    found = search(at, sheets, [""], wanted)
    results = Comparison(at, there, [""], under(wanted, there, sheets, only=wanted.held).slots, there)
    fixed = sum(bytes_of(found.held[name], there.facts[name]) for name in found.held)
    every = []
    for own in ways:
        slot = under(Conditions(maps={index: own}), there, sheets, only=[index]).slots[index]
        every.append((fixed + bytes_of(own, there.facts[index]), results.together({index: slot}), own))
    for budget in sorted({taken for taken, _, _ in every}):
        least = min(error for taken, error, _ in every if taken <= budget)
        point = found.within_bytes(budget)
        assert point is not None
        assert point.error == pytest.approx(least, abs=1e-6)
    without_levels = min(every, key=lambda each: each[0])
    assert without_levels[2].mips == Mips.NONE


def test_what_is_sampled_otherwise_is_not_encoded_again(history: History, sheets: Sheets) -> None:
    """Filter, wrap, bias and anisotropy leave the chain that was made; another format, or decoding, does not."""
    there = shipped(history.kit.at(), sheets)
    own = MapConditions("BC7")
    (chain,) = slot_under(own, "base_colour", there, sheets).chains
    others = ({"filter": Filter.NEAREST}, {"bias": -1.0}, {"anisotropy": 8}, {"wrap": Beyond.REPEAT})
    for fields in others:
        slot = slot_under(msgspec.structs.replace(own, **fields), "base_colour", there, sheets)
        assert slot.chains[0] is chain
        assert slot.sampler != slot_under(own, "base_colour", there, sheets).sampler
    for fields in ({"format": "BC1"}, {"read_as": ReadAs.DATA}, {"mips": Mips.ENCODED}):
        assert slot_under(msgspec.structs.replace(own, **fields), "base_colour", there, sheets).chains[0] is not chain


def test_variants_together_are_variants_alone(history: History, sheets: Sheets) -> None:
    """The error over several is the worst of each, for a map alone and for all of them; also in an array of weights."""
    for packing in (Packing.PLANES, Packing.ARRAY):
        at = history.kit.with_sheet(msgspec.structs.replace(history.kit.sheets[0], packing=packing)).at("sheet_1")
        there = shipped(at, sheets)
        slots = under(Conditions("half"), there, sheets).slots

        def error(*variants: str, at=at, there=there, slots=slots) -> tuple[float, float]:  # type: ignore[no-untyped-def]
            both = Comparison(at, there, variants, {}, there)
            return both.alone("base_colour", slots["base_colour"]), both.together(slots)

        each = [error(variant) for variant in ("", "day", "dusk")]
        assert len({one for one, _ in each}) > 1
        assert error("", "day", "dusk") == pytest.approx(tuple(max(some) for some in zip(*each, strict=True)), rel=1e-5)


def test_what_is_found_can_be_set(history: History, sheets: Sheets) -> None:
    """The conditions of a point give the bytes that it was told with; the search can be cancelled."""
    at = history.kit.at()
    found = search(at, sheets, ["day"])
    point = found.within_error(1.0)
    assert point is not None
    conditions = found.conditions(point)
    history.do(commands.set_conditions("sheet_1", conditions))
    told = {slot: bytes_of(own, shipped(at, sheets).facts[slot]) for slot, own in conditions.maps.items()}
    assert sum(told.values()) == point.choice.bytes
    token = CancelToken()
    token.cancel()
    with pytest.raises(Cancelled):
        search(at, sheets, ["day"], None, lambda share, doing: None, token)


def test_a_missing_map_is_told(history: History, tmp_path: Path) -> None:
    Path(history.kit.sheets[0].sources[0].path).unlink()
    with pytest.raises(UserError):
        search(history.kit.at(), Sheets(), [""], Conditions("nothing", {"base_colour": MapConditions("BC1")}))


def test_packings_are_searched_against_each_of_them(history: History, sheets: Sheets) -> None:
    """What is found over all layouts is the best of what is found in each, and can be set as it was told."""
    history.do(commands.set_conditions("sheet_1", Conditions(held=("base_colour",))))
    at, variants = history.kit.at(), ["", "day"]
    layouts = layouts_of(at, sheets)
    assert {layout.packing for layout in layouts} == {Packing.PLANES, Packing.RGB, Packing.PAIRS}
    found = search(at, sheets, variants, layouts=layouts)
    each = [search(at, sheets, variants, layouts=[layout]) for layout in layouts]
    for ceiling in (0.05, 0.3, 1.0, 3.0):
        best = [point.choice.bytes for one in each if (point := one.within_error(ceiling))]
        point = found.within_error(ceiling)
        assert (point.choice.bytes if point else None) == min(best, default=None)
    assert len({point.layout.packing for point in found.points}) > 1
    for point in found.points:
        layout = point.layout
        history.do(commands.set_conditions("sheet_1", found.conditions(point), layout.packing, layout.channels))
        now = history.kit.at()
        told = map_bytes(shipped(now, sheets), now.sheet.conditions)
        assert sum(taken for _, taken in told.values()) == point.choice.bytes
        history.undo()
    held = search(at, sheets, variants, Conditions(held=("weights_0",)), layouts=layouts)
    assert {point.layout.packing for point in held.points} == {Packing.PLANES}
