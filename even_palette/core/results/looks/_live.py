"""The live material of a sheet, as looks at its outputs take it."""

from collections.abc import Mapping
from dataclasses import dataclass

from even_palette.core.graph.nodes import Node
from even_palette.core.graph.slots import Slot
from even_palette.core.kit.model import Focus
from even_palette.core.material.build import Material
from even_palette.core.material.variants import resolve
from even_palette.core.results.materials import material_of, packing_plan
from even_palette.core.results.slots import slots_of
from even_palette.core.results.store import Store
from even_palette.core.results.weights import weights_of


@dataclass(frozen=True)
class Live:
    """A material with its outputs as expressions and the slots that they sample."""

    material: Material
    outputs: dict[str, Node]
    slots: Mapping[str, Slot]

    def inputs(self, at: Focus, variant: str) -> dict[str, float | tuple[float, ...]]:
        """The inputs as a variant has them."""
        return dict(self.material.inputs(resolve(at.kit.parameters, at.kit.variants, variant)))


def live_material(at: Focus, store: Store) -> Live:
    """The material of a sheet whose fixed values and means are inputs. Raises UserError."""
    material = material_of(at, store, live=True)
    plan = packing_plan(at, material, live=True)
    there = {**slots_of(at, store, material.slots), **plan.slots(weights_of(at, store).packed)}
    return Live(material, dict(material.packed(plan)), there)
