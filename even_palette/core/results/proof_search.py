"""Searching for the cheapest conditions whose results are still good, by the errors of results, not of maps."""

import math
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

import numpy as np
from msgspec.structs import replace as with_fields

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.graph.program import Program, program_of
from even_palette.core.graph.reference import Environment, outputs_of, values_of
from even_palette.core.graph.slots import Slot
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.model import Focus
from even_palette.core.material.outputs import ALPHA
from even_palette.core.proof.conditions import (
    EIGHT,
    HALF,
    PLAIN,
    Conditions,
    MapConditions,
    MapFacts,
    Mips,
    Use,
    bytes_of,
    conditions_of,
    formats_for,
)
from even_palette.core.proof.errors import Measure
from even_palette.core.proof.search import Choice, Option, all_of, front_of
from even_palette.core.raster.blocks import Block
from even_palette.core.raster.sampling import Filter
from even_palette.core.regions.packing import Packing, suggested_order
from even_palette.core.results.proof import Shipped, shipped, slot_under
from even_palette.core.results.proof_errors import errors_of
from even_palette.core.results.store import Store
from even_palette.core.results.weights import weights_of

SAMPLES = 2000
"""Places on the sheet that are compared, by chance but always the same ones."""
DISTANCES = (1, 4)
MOST_SMALLER = 3
COUNTS = {Measure.CIEDE2000: 1.0, Measure.ANGLE: 0.5, Measure.PERCENT: 0.5}
"""Errors count in ΔE00 of light; two degrees of a normal, and two percent of a number, count as much as one."""
MOST_POINTS, MOST_TRIED = 24, 200
THREADS = 2


@dataclass(frozen=True)
class Layout:
    """How weights are packed, and in which order of regions, by key."""

    packing: Packing
    channels: tuple[str, ...]


@dataclass(frozen=True)
class Point:
    """A choice with the error that all of its maps make together, as it was measured, and how weights are packed."""

    choice: Choice
    error: float
    layout: Layout


@dataclass(frozen=True)
class Found:
    """What a search found: points that none undercuts in bytes and error, the cheapest first; maps that were held, and
    the names that conditions keep for the next.
    """

    points: tuple[Point, ...]
    held: Mapping[str, MapConditions]
    kept: tuple[str, ...] = ()

    def within_error(self, ceiling: float) -> Point | None:
        """The cheapest point whose error stays under a ceiling; None if there is none."""
        return next((point for point in self.points if point.error <= ceiling), None)

    def within_bytes(self, budget: int) -> Point | None:
        """The point with the least error that fits into a budget; None if there is none."""
        return next((point for point in reversed(self.points) if point.choice.bytes <= budget), None)

    def conditions(self, point: Point) -> Conditions:
        """The conditions of a point, map by map."""
        chosen = {name: option.conditions for name, option in point.choice.maps.items()}
        return Conditions("nothing", {**self.held, **chosen}, self.kept)


def search(
    at: Focus, store: Store, variants: Sequence[str], conditions: Conditions | None = None,
    progress: Progress = silent, cancel: CancelToken | None = None, layouts: Sequence[Layout] = (),
) -> Found:  # fmt: skip
    """The best choices for the maps of a sheet, but for those that its conditions, or others, hold as they are.

    Weights are packed as they are, or, unless some are held, as the best of some `layouts` (see `layouts_of`) has them.
    An error is the mean over the sheet of the output that is off most, of the worst of the variants, near and at four
    texels a pixel: in ΔE00 for light; two degrees of normals, or two percent of numbers, count as one. Raises UserError
    for maps that cannot be read, and Cancelled.
    """
    wanted, kept = conditions or at.sheet.conditions, dict[str, list[Option]]()
    present = Layout(at.sheet.packing, at.sheet.channel_order)
    exact = shipped(_laid_out(at, Layout(Packing.PLANES, present.channels)), store)
    points, held = list[Point](), dict[str, MapConditions]()
    facts = shipped(at, store).facts
    weights_held = any(facts[name].use == Use.WEIGHTS for name in wanted.held if name in facts)
    tried = [present] if weights_held or not layouts else layouts
    for number, layout in enumerate(tried):

        def tell(share: float, doing: str, number: int = number) -> None:
            progress((number + share) / len(tried), doing)

        some, fixed = _in_layout(_laid_out(at, layout), store, variants, wanted, layout, exact, kept, tell, cancel)
        points += some
        held |= fixed
    progress(1.0, "Done")
    return Found(tuple(_undercut(points)), held, wanted.held)


def layouts_of(at: Focus, store: Store) -> list[Layout]:
    """The present layout of weights, and those that ship other texels: planes of four and of three in the present order
    and in one in which regions that touch are apart, and edge pairs. Raises UserError without masks.
    """
    present = Layout(at.sheet.packing, at.sheet.channel_order)
    if len(at.sheet.regions) < 2:
        return [present]
    apart = tuple(at.sheet.regions[index].key for index in suggested_order(weights_of(at, store).levels))
    found = [present]
    for packing in (Packing.PLANES, Packing.RGB):
        found += [Layout(packing, order) for order in (present.channels, apart)]
    found.append(Layout(Packing.PAIRS, present.channels))
    same = {Layout(Packing.PLANES, present.channels)} if present.packing == Packing.ARRAY else set()
    return [layout for layout in dict.fromkeys(found) if layout not in same]


def _laid_out(at: Focus, layout: Layout) -> Focus:
    if (at.sheet.packing, at.sheet.channel_order) == (layout.packing, layout.channels):
        return at
    return at.kit.with_sheet(with_fields(at.sheet, packing=layout.packing, channels=layout.channels)).at(at.key)


def _in_layout(
    at: Focus, store: Store, variants: Sequence[str], wanted: Conditions, layout: Layout, exact: Shipped,
    known: dict[str, list[Option]], progress: Progress, cancel: CancelToken | None,
) -> tuple[list[Point], dict[str, MapConditions]]:  # fmt: skip
    """The points of one layout, and what is held in it. `known` are the options of maps that all layouts share."""
    found = shipped(at, store)
    told = {name: conditions_of(wanted, name, facts) for name, facts in found.facts.items()}
    fixed = {name: own for name, own in told.items() if name in wanted.held or found.facts[name].use == Use.STRIP}
    free = [name for name in found.names if name not in fixed]
    slots = {name: slot_under(own, name, found, store, cancel) for name, own in fixed.items()}
    results = Comparison(at, found, variants, slots, exact)
    alone = results.together({})
    tried = [(name, each) for name in free if name not in known for each in candidates(found.facts[name])]

    def of_one(number: int) -> float:
        if cancel:
            cancel.check()
        name, own = tried[number]
        progress(0.8 * number / max(len(tried), 1), f"{name.replace('_', ' ')}: {own.format}")
        return results.alone(name, slot_under(own, name, found, store, cancel))

    with ThreadPoolExecutor(THREADS) as pool:
        errors = dict(zip(tried, pool.map(of_one, range(len(tried))), strict=True))
    options = {name: list(known.get(name, ())) for name in free}
    for (name, own), error in errors.items():
        options[name].append(Option(own, bytes_of(own, found.facts[name]), max(error - alone, 0.0)))
    known |= {name: options[name] for name in free if found.facts[name].use != Use.WEIGHTS}
    base = sum(bytes_of(own, found.facts[name]) for name, own in fixed.items())

    def measured(number: int) -> Point:
        if cancel:
            cancel.check()
        choice = chosen[number]
        progress(0.8 + 0.2 * number / len(chosen), f"All maps together, {number + 1} of {len(chosen)}")
        made = {name: slot_under(o.conditions, name, found, store, cancel) for name, o in choice.maps.items()}
        whole = Choice(choice.maps, choice.bytes + base, choice.error + alone)
        return Point(whole, results.together(made), layout)

    few = math.prod(len(some) for some in options.values()) <= MOST_TRIED
    chosen = all_of(options) if few else spread_over(front_of(options), MOST_POINTS)
    with ThreadPoolExecutor(THREADS) as pool:
        points = list(pool.map(measured, range(len(chosen))))
    return points, fixed


def spread_over(front: Sequence[Choice], count: int) -> list[Choice]:
    """Some choices of a front, evenly spread by the logarithm of their bytes, both ends among them."""
    if len(front) <= count:
        return list(front)
    sizes = np.log([max(choice.bytes, 1) for choice in front])
    wanted = np.linspace(sizes[0], sizes[-1], count)
    return [front[at] for at in np.unique(np.abs(sizes[None] - wanted[:, None]).argmin(axis=1))]


def _undercut(points: Sequence[Point]) -> list[Point]:
    """Points that no other undercuts, as they were measured."""
    found: list[Point] = []
    for point in sorted(points, key=lambda each: (each.choice.bytes, each.error)):
        if not found or point.error < found[-1].error:
            found.append(point)
    return found


def candidates(facts: MapFacts) -> list[MapConditions]:
    """Ways to store a map that are worth a try: its formats at its size, a half, a quarter and an eighth, its levels
    made in each way that may be the best one; of index maps, which keep their size, each filter of look-ups, too.
    """
    sizes = [0] if facts.use in (Use.INDEX, Use.STRIP) else range(min(MOST_SMALLER, _halvings(facts)) + 1)
    formats = [name for name in formats_for(facts) if name in _WORTH]
    methods = _METHODS.get(facts.use, (Mips.LINEAR,)) if facts.has_mips else (Mips.NONE,)
    filters = (None, Filter.NEAREST) if facts.use == Use.INDEX and facts.has_mips else (None,)
    return [
        MapConditions(name, smaller, mips, filtered)
        for smaller in sizes
        for name in formats
        for mips in methods
        for filtered in filters
    ]


_METHODS = {Use.NORMAL: (Mips.NORMALS, Mips.LINEAR), Use.INDEX: (Mips.LINEAR, Mips.FREQUENT, Mips.NONE)}
"""How levels may be made best: of other maps they are meant to be means in linear light."""
_WORTH = (PLAIN, EIGHT, HALF, Block.BC1, Block.BC4, Block.BC5, Block.BC7)


def _halvings(facts: MapFacts) -> int:
    return max(min(facts.width, facts.height).bit_length() - 3, 0)


class Comparison:
    """What maps do to results: what is meant is kept, and only what hangs on a map is worked out anew."""

    def __init__(
        self, at: Focus, found: Shipped, variants: Sequence[str], fixed: Mapping[str, Slot], exact: Shipped
    ) -> None:
        """`exact` has the weights in a packing that loses nothing: what is meant."""
        names = [name for name in found.outputs if name != ALPHA]
        self._program: Program = program_of({name: found.outputs[name] for name in names})
        meant_program = program_of({name: exact.outputs[name] for name in names})
        width, height = found.finest
        uv = float32(np.random.default_rng(0).random((1, SAMPLES, 2)))
        inputs = _stacked([exact.inputs(at, variant) for variant in variants])
        self._variants = len(variants)
        self._places: list[tuple[Environment, list[Floats], dict[str, Floats]]] = []
        for distance in DISTANCES:
            pixel = (distance / width, 0.0, 0.0, distance / height)
            meant = Environment(uv, exact.slots, inputs, 0.0, 0.0, pixel)
            wanted = outputs_of(meant_program, values_of(meant_program, meant), meant)
            held = Environment(uv, {**found.slots, **fixed}, inputs, 0.0, 0.0, pixel)
            self._places.append((held, values_of(self._program, held), wanted))

    def alone(self, name: str, slot: Slot) -> float:
        """The error where one map is another, for the worst variant; the mean over distances."""
        return self._worst({name: slot}, name)

    def together(self, slots: Mapping[str, Slot]) -> float:
        """The error where several maps are others."""
        return self._worst(slots, "")

    def _worst(self, slots: Mapping[str, Slot], alone: str) -> float:
        found = np.zeros(self._variants)
        for held, before, wanted in self._places:
            there = replace(held, slots={**held.slots, **slots})
            values = values_of(self._program, there, before if alone else (), alone)
            found += _errors(wanted, outputs_of(self._program, values, there), self._variants)
        return float(found.max(initial=0.0)) / len(DISTANCES)


def _stacked(inputs: Sequence[Mapping[str, float | tuple[float, ...]]]) -> dict[str, Floats]:
    """The inputs of several variants as one: numbers (V, 1) and vectors (V, 1, n), so that what does not hang on a
    variant is worked out once for all.
    """
    names = inputs[0] if inputs else {}
    return {name: float32([each[name] for each in inputs])[:, None] for name in names}


def _errors(wanted: Mapping[str, Floats], shown: Mapping[str, Floats], variants: int) -> Samples:
    """Of each variant the mean error of the output that is off most, (V,)."""
    worst = np.zeros(variants)
    for name, one in wanted.items():
        measure, off, _ = errors_of(name, *np.broadcast_arrays(one, shown[name]))
        worst = np.maximum(worst, off.reshape(-1, SAMPLES).mean(axis=1) * COUNTS[measure])
    return worst
