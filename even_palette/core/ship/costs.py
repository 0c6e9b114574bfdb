"""What a way of packing weights costs, in one sentence: textures, samples, bytes, and how exact it is."""

import numpy as np

from even_palette.core.disk.gate import size_text
from even_palette.core.kit.model import Focus
from even_palette.core.regions.edge_pairs import PairExactness, exactness, pyramid_size
from even_palette.core.regions.packing import Packing, PackingPlan, rows_of_planes, shared_blocks, suggested_order
from even_palette.core.results.id_map import has_masks, mask_size_of
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.weights import weights_of

BLOCK_BYTES = 1.0
"""Of a texel in BC7, which holds four channels; RGB planes in BC1 take half of that."""


def told_of(at: Focus, sheets: Sheets) -> str:
    """The costs of the packing of a sheet; what cannot be block-compressed is said to be so. Raises UserError."""
    if not at.sheet.regions or not has_masks(at, sheets):
        return "There are no weights on this sheet yet."
    width, height = mask_size_of(at, sheets)
    plan = PackingPlan(at.sheet.packing, tuple(region.key for region in at.sheet.regions), (width, height))
    texels = width * height * 4 / 3  # with all mips
    planes = plan.units if plan.packing != Packing.ARRAY else plan.samples
    cost = f"{_count(plan.units, 'texture')}, {_count(plan.samples, 'sample')} a pixel"
    match plan.packing:
        case Packing.PAIRS:
            across, down = pyramid_size(width, height)
            plain = size_text(across * down * 4)
            return f"{cost}, {plain} with mips; numbers cannot be compressed. {exact_text(_exactness(at, sheets))}"
        case Packing.RGB:
            squeezed = size_text(round(texels * planes * BLOCK_BYTES / 2))
            return f"{cost}, {size_text(round(texels * planes * 4))}, in BC1 {squeezed}."
    squeezed = size_text(round(texels * planes * BLOCK_BYTES))
    return f"{cost}, {size_text(round(texels * planes * 4))}, in BC7 {squeezed}. {_crowd_text(at, sheets)}"


def suggested_channels(at: Focus, sheets: Sheets) -> tuple[str, ...]:
    """The regions of a sheet, by key, in an order that suits block compression (see `suggested_order`)."""
    levels = weights_of(at, sheets).levels
    return tuple(at.sheet.regions[index].key for index in suggested_order(levels))


def exact_text(found: PairExactness) -> str:
    """How exact edge pairs are, in a sentence."""
    if not found.crowded:
        return "Exact at every texel: nowhere do more than two regions meet."
    return (
        f"Exact but for {found.crowded} of {found.texels} texels, where three or more meet; "
        f"there up to {found.worst}/255 off."
    )


def _crowd_text(at: Focus, sheets: Sheets) -> str:
    """How many blocks hold edges of two regions of one plane: those lose most under block compression."""
    weights = weights_of(at, sheets)
    keys = [region.key for region in at.sheet.regions]
    order = [keys.index(key) for key in at.sheet.channel_order]
    key = ("shared blocks", weights.content_id, tuple(order))
    shared = sheets.cache.get(key, lambda: np.array([shared_blocks(weights.levels, order)]))
    return f"{int(shared[0])} blocks hold edges of two regions of one plane."


def _exactness(at: Focus, sheets: Sheets) -> PairExactness:
    weights = weights_of(at, sheets)
    key = ("exactness of pairs", weights.content_id)
    size = weights.count, weights.mask_sum.height, weights.mask_sum.width
    return sheets.cache.get(key, lambda: exactness(rows_of_planes(weights.packed, range(weights.count)), size))


def _count(number: int, what: str) -> str:
    return f"{number} {what}{'s' if number != 1 else ''}"
