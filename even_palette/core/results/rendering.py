"""Full-size outputs of a sheet's material."""

from collections.abc import Mapping, Sequence

from even_palette.core.arrays import Samples
from even_palette.core.errors import UserError
from even_palette.core.graph.frames import run_frame
from even_palette.core.graph.fused import Frame
from even_palette.core.graph.slots import Slot
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.model import Focus
from even_palette.core.material.build import Material, linear_setting
from even_palette.core.material.model import Setting
from even_palette.core.material.outputs import LIGHT
from even_palette.core.results.base_colour import base_colour_of
from even_palette.core.results.id_map import mask_size_of
from even_palette.core.results.materials import material_of, packing_plan
from even_palette.core.results.slots import slots_of
from even_palette.core.results.store import Store
from even_palette.core.results.weights import weights_of


class SheetRender:
    """A sheet's material made ready to be rendered in any variant. Raises UserError if a plane cannot be read."""

    def __init__(self, at: Focus, store: Store, progress: Progress = silent, cancel: CancelToken | None = None) -> None:
        self._material: Material = material_of(at, store)
        plan = packing_plan(at, self._material, size=mask_size_of(at, store))
        self._whole = self._material.program(plan)
        weights = weights_of(at, store, progress, cancel)
        self._slots: Mapping[str, Slot] = {
            **slots_of(at, store, self._material.slots),
            **plan.slots(weights.packed),
        }
        base = base_colour_of(at, store)
        self.size = base.width, base.height

    @property
    def outputs(self) -> list[str]:
        """The names of all outputs that something sets."""
        return list(self._whole.outputs)

    def render(
        self,
        names: Sequence[str],
        settings: Mapping[str, Setting],
        size: tuple[int, int] | None = None,
        in_levels: bool = False,
        seed: float = 0.0,
        time: float = 0.0,
        progress: Progress = silent,
        cancel: CancelToken | None = None,
    ) -> dict[str, Samples]:
        """Outputs with parameters as `settings` say by key: (H, W, n) float32, or 8-bit levels, light encoded.

        Raises UserError for an output that nothing sets, and Cancelled.
        """
        for name in names:
            if name not in self._whole.outputs:
                raise UserError(f"Nothing sets “{name}” on this sheet; there is {', '.join(self._whole.outputs)}.")
        program = self._whole.only(names)
        known = {parameter.key: parameter.name for parameter in self._material.parameters}
        inputs = {name: linear_setting(settings[key]) for key, name in known.items()}
        width, height = size or self.size
        stores = {name: ("encoded" if name in LIGHT else "level") for name in names} if in_levels else {}
        return run_frame(program, self._slots, inputs, Frame(width, height), stores, seed, time, progress, cancel)
