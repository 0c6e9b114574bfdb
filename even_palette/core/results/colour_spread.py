"""The mean colours of regions in variants, or of instances: what is seen of them from afar."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.lineup.apart import Pair, closest_pairs, differences
from even_palette.core.material.model import Setting
from even_palette.core.material.variants import resolve
from even_palette.core.results.materials import colours_in_coats, dressed
from even_palette.core.results.store import Store
from even_palette.core.results.typical_texels import owner_row, typical_texels


@dataclass(frozen=True)
class Shown:
    """A variant, by its key, as one instance has it: with values of its own, by parameter, and its seed."""

    name: str
    variant: str
    values: Mapping[str, Setting]
    seed: float = 0.0


MOST_COMPARED = 256
"""Every two are compared: of more variants the first are."""


def variants_shown(at: Focus) -> list[Shown]:
    """The master and the variants, the first ones of very many."""
    return [Shown(name, key, {}) for key, name in at.kit.variant_names.items()][: MOST_COMPARED + 1]


def mean_colours(
    at: Focus, store: Store, shown: Sequence[Shown], regions: Sequence[str], cancel: CancelToken | None = None
) -> Floats:
    """The mean linear colour of typical texels of regions in their coats: (len(shown), len(regions), 3).

    Raises UserError if a plane cannot be read, or Cancelled.
    """
    spots = typical_texels(at, store)
    found = np.zeros((len(shown), len(regions), 3), dtype=np.float32)
    for column, region in enumerate(regions):
        worn, uv = dressed(at, store, region), spots[owner_row(at, region)]
        for row, each in enumerate(shown):
            if cancel:
                cancel.check()
            settings = {**resolve(at.kit.parameters, at.kit.variants, each.variant), **each.values}
            found[row, column] = colours_in_coats(at, store, worn, settings, uv, each.seed).mean(axis=0)
    return float32(found)


def told_apart(colours: Floats, severity: float = 1.0) -> list[Pair]:
    """Pairs of what is shown, by mean colours (n, regions, 3); two are as far apart as in the region where they differ
    most. Those that are hardest to tell apart come first.
    """
    between = np.stack([differences(colours[:, region], severity) for region in range(colours.shape[1])])
    return closest_pairs(between.max(axis=0)) if len(between) else []
