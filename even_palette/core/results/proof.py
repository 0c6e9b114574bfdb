"""A material as a runtime has it: its maps as they ship, under the conditions of its sheet; and how far off it is."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace
from functools import cached_property

from msgspec.structs import replace as with_fields

from even_palette.core.graph.nodes import Node
from even_palette.core.graph.program import GIVEN, LOOK_UPS, Program, program_of
from even_palette.core.graph.slots import Slot
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.material.build import BASE_SLOT, Material
from even_palette.core.material.model import PlaneKind
from even_palette.core.material.variants import resolve
from even_palette.core.proof.conditions import Conditions, MapConditions, MapFacts, Mips, Use, bytes_of, conditions_of
from even_palette.core.proof.degrade import degraded, degraded_chain
from even_palette.core.raster.chain import Chain
from even_palette.core.raster.coverage import covering
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding
from even_palette.core.raster.sampling import Filter
from even_palette.core.regions.packing import PAIRS_SLOT
from even_palette.core.results.id_map import mask_size_of
from even_palette.core.results.made_of import sampled_made_of
from even_palette.core.results.materials import material_of, packing_plan
from even_palette.core.results.shipped_slots import as_shipped
from even_palette.core.results.slots import slots_of
from even_palette.core.results.store import Store
from even_palette.core.results.weights import weights_of

VIEW_SIDE = 1024
"""Views of whole sheets read levels of so many texels a side at the most; finer ones may come later."""


@dataclass(frozen=True)
class Shipped:
    """A live material in the packing that ships, with its outputs, slots, and by slot what conditions ask of it.

    `look_ups` are those that a pixel takes for all outputs, `operations` all that it computes.
    """

    material: Material
    outputs: Mapping[str, Node]
    slots: Mapping[str, Slot]
    facts: Mapping[str, MapFacts]
    look_ups: int = 0
    operations: int = 0

    def inputs(self, at: Focus, variant: str, time: float = 0.0) -> dict[str, float | tuple[float, ...]]:
        """The inputs as a variant has them at a time."""
        return dict(self.material.inputs(resolve(at.kit.parameters, at.kit.variants, variant, time)))

    @cached_property
    def finest(self) -> tuple[int, int]:
        """Width and height of the finest map that lies over the sheet; edge pairs have their levels beside them."""
        sizes = [(facts.width, facts.height) for name, facts in self.facts.items() if name != PAIRS_SLOT]
        return max(sizes, default=(1, 1))

    @cached_property
    def names(self) -> list[str]:
        """The slots, the base colour first, weights last."""
        last = {name for name, facts in self.facts.items() if facts.use == Use.WEIGHTS}
        return sorted(self.facts, key=lambda name: (name in last, name != BASE_SLOT, "" if name in last else name))


def shipped(at: Focus, store: Store) -> Shipped:
    """The material of a sheet with its maps as they ship, nothing done to them.

    Raises UserError if a map cannot be read. For the thread that only looks the last one is remembered.
    """

    def build() -> Shipped:
        material = material_of(at, store, live=True)
        plan = packing_plan(at, material, size=mask_size_of(at, store))
        outputs = material.packed(plan)
        program = program_of(outputs)
        weights = weights_of(at, store)
        packed = store.cache.get(
            ("packed weights", weights.content_id, plan), lambda: tuple(plan.slots(weights.packed).items())
        )
        there = {**slots_of(at, store, material.slots), **dict(packed)}
        own = {name: _whole(store, program, name, slot) for name, slot in there.items() if name in program.slots}
        facts = {name: _facts(at, material, name, slot) for name, slot in own.items()}
        ops = [record.op for record in program.records if record.op not in GIVEN]
        return Shipped(material, outputs, own, facts, sum(op in LOOK_UPS for op in ops), len(ops))

    return store.remembered(("shipped", at.key, at.twin), sampled_made_of(at), build)


def _whole(store: Store, program: Program, name: str, slot: Slot) -> Slot:
    """A slot as it ships, with the levels that keep coverage, as whoever loads it makes them."""
    made = as_shipped(store, program, name, slot)
    kept = made.chain.keeps
    if kept is None or not made.sampler.mips:
        return made
    key = ("coverage", made.plane.content_id, kept)
    return replace(made, chains=(store.cache.get(key, lambda: covering(Chain(made.plane), kept)),))


def _facts(at: Focus, material: Material, name: str, slot: Slot) -> MapFacts:
    plane = slot.plane
    bits = plane.samples.dtype.itemsize * 8
    is_srgb = plane.encoding == Encoding.SRGB
    return MapFacts(
        _use(at, material, name, slot), plane.channels, is_srgb, bits, plane.width, plane.height,
        slot.sampler.mips, len(slot.chains), len(slot.chains) == 1 and bool(plane.levels),
    )  # fmt: skip


def _use(at: Focus, material: Material, name: str, slot: Slot) -> Use:
    if slot.shares:
        return Use.WEIGHTS
    used = material.slots.get(name)
    if used is not None and used.plane.kind in (PlaneKind.PALETTE, PlaneKind.RAMP):
        return Use.STRIP
    if slot.sampler.filter == Filter.NEAREST or (used is not None and _is_index(at, used.plane.kind, used.plane.key)):
        return Use.INDEX
    if used is not None and used.plane.kind == PlaneKind.MAP and at.sheet.map(used.plane.key).role == Role.NORMAL:
        return Use.NORMAL
    return Use.COLOUR if slot.plane.encoding != Encoding.DATA else Use.NUMBERS


def _is_index(at: Focus, kind: PlaneKind, key: str) -> bool:
    return kind == PlaneKind.TONE and bool(at.sheet.tone(key).palette)


def under(
    conditions: Conditions, found: Shipped, store: Store, cancel: CancelToken | None = None,
    only: Collection[str] | None = None,
) -> Shipped:  # fmt: skip
    """A material that ships under conditions: the same program on other slots, or on `only` some. Raises Cancelled."""
    names = found.slots if only is None else only
    told = {name: conditions_of(conditions, name, found.facts[name]) for name in names}
    slots = {name: slot_under(own, name, found, store, cancel) for name, own in told.items()}
    return replace(found, slots={**found.slots, **slots})


def slot_under(
    conditions: MapConditions, name: str, found: Shipped, store: Store, cancel: CancelToken | None = None
) -> Slot:
    """One slot of a material that ships under conditions of its own. Raises Cancelled."""
    facts = found.facts[name]

    def made(chain: Chain) -> Chain:
        stored = conditions.stored
        key = ("degraded", chain.content_id, stored, facts.use)
        whole_size = ("degraded", chain.content_id, with_fields(stored, smaller=0), facts.use)
        larger: Chain | None = store.cache.peek(whole_size)
        if conditions.smaller and larger is not None and conditions.mips != Mips.NONE:
            return larger.from_level(min(conditions.smaller, chain.count - 1))

        def whole(cancel: CancelToken | None = cancel) -> Chain:
            return store.cache.get(key, lambda: degraded_chain(chain, conditions, facts, cancel))

        large = max(chain.plane.width, chain.plane.height) >> conditions.smaller > VIEW_SIDE
        if not (store.hurries and large and conditions.block) or store.cache.peek(key) is not None:
            return whole()
        store.wish(key, whole)
        rough = ("degraded for views", *key[1:])
        return store.cache.get(rough, lambda: degraded_chain(chain, conditions, facts, cancel, VIEW_SIDE))

    return degraded(found.slots[name], conditions, made)


def map_bytes(found: Shipped, conditions: Conditions) -> dict[str, tuple[MapConditions, int]]:
    """By slot what is done to each map, and the bytes that it takes."""
    told = {name: conditions_of(conditions, name, facts) for name, facts in found.facts.items()}
    return {name: (own, bytes_of(own, found.facts[name])) for name, own in told.items()}


def slot_text(name: str) -> str:
    """A slot in words, where no more is known of it: weights count from 1.

    >>> slot_text("weights_0"), slot_text("map_dirt")
    ('weights 1', 'map dirt')
    """
    kind, _, number = name.rpartition("_")
    return f"weights {int(number) + 1}" if kind == "weights" and number.isdigit() else name.replace("_", " ")


def map_label(at: Focus, found: Shipped, name: str) -> str:
    """What artists call the map of a slot."""
    if name == BASE_SLOT:
        return "Base colour"
    used = found.material.slots.get(name)
    if used is None:
        return slot_text(name).capitalize()
    key = used.plane.key
    match used.plane.kind:
        case PlaneKind.MAP:
            source = at.sheet.map(key)
            text = key.replace("_", " ") if source.role == Role.NONE else str(source.role)
        case PlaneKind.TONE:
            text = at.sheet.tone(key).name
        case PlaneKind.PALETTE:
            text = at.kit.palette(key).name
        case PlaneKind.RAMP:
            text = at.kit.ramp(key).name
        case _:
            text = key.replace("_", " ")
    return text[:1].upper() + text[1:]
