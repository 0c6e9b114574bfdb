"""The live material of a sheet, as looks at its outputs take it."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.graph.slots import Slot
from even_palette.core.kit.model import Focus
from even_palette.core.material.build import Material
from even_palette.core.material.colour_nodes import encode
from even_palette.core.material.outputs import COLOUR
from even_palette.core.material.variants import resolve
from even_palette.core.results.made_of import sampled_made_of
from even_palette.core.results.materials import material_of, packing_plan
from even_palette.core.results.pictures import SHOWN
from even_palette.core.results.slots import slots_of
from even_palette.core.results.store import Store
from even_palette.core.results.weights import weights_of


@dataclass(frozen=True)
class Live:
    """A material with its outputs as expressions and the slots that they sample."""

    material: Material
    outputs: Mapping[str, Node]
    slots: Mapping[str, Slot]

    @cached_property
    def shown(self) -> dict[str, Node]:
        """The colour as it is seen, encoded, and the other outputs as they are."""
        others = {name: node for name, node in self.outputs.items() if name != COLOUR}
        return {SHOWN: encode(nodes.clamp(self.outputs[COLOUR])), **others}

    def inputs(self, at: Focus, variant: str, time: float = 0.0) -> dict[str, float | tuple[float, ...]]:
        """The inputs as a variant has them at a time."""
        return dict(self.material.inputs(resolve(at.kit.parameters, at.kit.variants, variant, time)))


def live_material(at: Focus, store: Store) -> Live:
    """The material of a sheet whose fixed values and means are inputs. Raises UserError.

    For the thread that only looks the last one of each sheet and twin is remembered: what variants set is in its inputs
    alone, but for light that a bake spills.
    """

    def build() -> Live:
        material = material_of(at, store, live=True)
        plan = packing_plan(at, material, live=True)
        there = {**slots_of(at, store, material.slots), **plan.slots(weights_of(at, store).packed)}
        return Live(material, material.packed(plan), there)

    return store.remembered(("live", at.key, at.twin), sampled_made_of(at), build)
