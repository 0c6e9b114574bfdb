"""Pictures for small views, of the levels that such a view reads: finer ones need not be uploaded for it."""

from dataclasses import replace

import numpy as np

from even_palette.core.arrays import Levels
from even_palette.core.graph.program import program_of
from even_palette.core.graph.slots import Slot
from even_palette.core.kit.model import Focus
from even_palette.core.raster.chain import Chain
from even_palette.core.results.behind import over
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.pictures import SHOWN, Picture, render_reference, whole_sheet
from even_palette.core.results.store import Store

FINER = 2
"""So many samples a pixel each way, where a look is made small."""

ASK_FOR_LEVELS = ("sample_lod", "layer_lod")
"""Look-ups that say which level they read, counted from the whole plane."""


def small_picture_of(shown: Picture, store: Store, most_side: int) -> Picture:
    """A picture with planes of at most so many texels a side, for views in which no more can be seen.

    Planes that are read without mips, or at levels that the expression asks for, stay as they are.
    """
    if all(max(slot.plane.width, slot.plane.height) <= most_side for slot in shown.slots.values()):
        return shown
    asked = {str(record.payload[0]) for record in shown.program.records if record.op in ASK_FOR_LEVELS}

    def small(name: str, slot: Slot) -> Slot:
        if name in asked or not slot.sampler.mips:
            return slot
        return small_slot_of(slot, store, most_side)

    return replace(shown, slots={name: small(name, slot) for name, slot in shown.slots.items()})


def small_slot_of(slot: Slot, store: Store, most_side: int) -> Slot:
    """A slot without the levels that have more texels a side."""
    return replace(slot, chains=tuple(_small_chain_of(chain, store, most_side) for chain in slot.chains))


def _small_chain_of(chain: Chain, store: Store, most_side: int) -> Chain:
    """The part of a chain that begins with its finest level of at most so many texels a side."""
    number, side = 0, max(chain.plane.width, chain.plane.height)
    while side >> number > most_side:
        number += 1
    if not number:
        return chain
    return store.cache.get(("levels", chain.content_id, number), lambda: chain.from_level(number))


def look_made_small(at: Focus, store: Store, look: Look, most_side: int) -> Levels:
    """A look by the reference, (h, w, 3) uint8 of at most so many pixels a side, kept by what it is made of.

    Raises UserError.
    """
    shown = over(picture(at, store, look))
    program = program_of({SHOWN: shown.outputs[SHOWN]})
    wide, high = shown.finest
    scale = most_side / max(wide, high)
    width, height = (max(1, round(side * scale)) * FINER for side in (wide, high))

    def make() -> Levels:
        fine = render_reference(shown, whole_sheet(width, height)).astype(np.float32)
        rows = fine.reshape(height // FINER, FINER, width // FINER, FINER, 3)
        return np.asarray(rows.mean(axis=(1, 3)) + 0.5, dtype=np.uint8)

    made_of = program.records, tuple(shown.sampled.items()), tuple(shown.inputs.items()), shown.seed, shown.time
    return store.cache.get(("small picture", width, height, made_of), make)
