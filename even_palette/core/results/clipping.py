"""How much of a region is too bright for its coats: what exceeds 1 before it is clipped."""

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from even_palette.core.arrays import Floats
from even_palette.core.graph.fused import Frame, run_fused
from even_palette.core.graph.program import program_of
from even_palette.core.graph.reference import Environment, run
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.coat_owners import SheetOwner
from even_palette.core.kit.commands import read_cell
from even_palette.core.kit.model import Focus
from even_palette.core.material.build import linear_setting, worn
from even_palette.core.material.model import Setting
from even_palette.core.raster.sampling import texel_centres
from even_palette.core.raster.tiles import TILE
from even_palette.core.regions.packing import plane_and_channel
from even_palette.core.results.materials import dressed, pictures_of
from even_palette.core.results.slots import slots_of
from even_palette.core.results.store import Store
from even_palette.core.results.typical_texels import owner_row
from even_palette.core.results.weights import weights_of

FEW_TEXELS = 1 << 18
"""Up to here the reference is quicker than compiling a loop."""


def clipped_share(
    at: Focus,
    store: Store,
    owner: SheetOwner,
    variant: str,
    settings: Mapping[str, Setting],
    cancel: CancelToken | None = None,
) -> float:
    """Share of a region's weight, 0..1, where a coat's colour exceeds 1 in a channel before it is clipped."""
    region, weights = dressed(at, store, owner), weights_of(at, store)
    number = owner_row(at, owner)
    cell = read_cell(at.kit, owner, variant, dict(settings))
    found = worn(region, at.kit.parameters, pictures_of(at, store), live=True)
    read = slots_of(at, store, found.slots)
    planes = tuple((name, slot.content_id) for name, slot in sorted(read.items()))
    plane, channel = plane_and_channel(number)
    packed = weights.packed[plane]
    key = ("clipped", planes, packed.content_id, channel, repr(region), repr(cell.settings))

    def compute() -> Floats:
        program = program_of({f"coat_{index}": node for index, node in enumerate(found.unclipped)})
        inputs = {**found.extra, **{name: linear_setting(setting) for name, setting in settings.items()}}
        there = {name: replace(slot, sampler=replace(slot.sampler, mips=False))
                 for name, slot in read.items()}  # fmt: skip
        step = 1 / packed.width, 1 / packed.height
        clipped = total = 0.0
        for first in range(0, packed.height, TILE):
            level = packed.rows(first, min(first + TILE, packed.height)).samples[..., channel]
            if not level.any():
                continue
            if cancel:
                cancel.check()
            if packed.width * packed.height <= FEW_TEXELS:
                uv = texel_centres(packed.height, packed.width)[first : first + TILE]
                results = run(program, Environment(uv, there, inputs, pixel=(step[0], 0.0, 0.0, step[1]))).values()
            else:
                frame = Frame(packed.width, len(level), (0.0, first * step[1]), step)
                results = run_fused(program, there, inputs, frame, cancel=cancel).values()
            over = np.any([np.any(result > 1 + 1e-6, axis=-1) for result in results], axis=0)
            clipped += float(level[over].sum(dtype=np.float64))
            total += float(level.sum(dtype=np.float64))
        return np.array([clipped / total if total else 0.0])

    return float(store.cache.get_lasting(np.ndarray, key, compute)[0])
