"""The mean colours of regions in variants, or of instances: what is seen of them from afar."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.colour.oklab import linear_to_oklab
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.instances import instances_of, settings_at
from even_palette.core.kit.model import Focus
from even_palette.core.kit.scene import Scene
from even_palette.core.lineup.apart import Pair, closest_pairs, differences
from even_palette.core.material.model import Setting
from even_palette.core.material.variants import resolve
from even_palette.core.results.materials import colours_in_coats, dressed
from even_palette.core.results.store import Store
from even_palette.core.results.typical_texels import owner_row, typical_texels


@dataclass(frozen=True)
class Shown:
    """A variant, by its key, as one instance has it at a time: with values of its own, by parameter, and its seed."""

    name: str
    variant: str
    values: Mapping[str, Setting]
    seed: float = 0.0
    time: float = 0.0


MOST_COMPARED, MOST_INSTANCES_COMPARED = 256, 96
"""Every two are compared: of more variants the first are, of more instances so many, evenly from all."""


def variants_shown(at: Focus) -> list[Shown]:
    """The master and the variants, the first ones of very many."""
    return [Shown(name, key, {}) for key, name in at.kit.variant_names.items()][: MOST_COMPARED + 1]


def instances_shown(at: Focus, scene: Scene, time: float = 0.0) -> list[Shown]:
    """The instances of a scene whose mesh lies on the sheet, at a time in seconds; of very many some from all over."""
    there = [each for each in instances_of(scene) if at.key in at.whole.mesh(each.mesh).sheets]
    evenly = np.linspace(0, max(len(there) - 1, 0), min(len(there), MOST_INSTANCES_COMPARED))
    chosen = evenly.round().astype(int).tolist()
    names = {placing.key: placing.name for placing in scene.placings}
    parameters = at.kit.parameters_by_key
    return [
        Shown(f"{names[one.placing]} {one.number + 1}", one.variant, settings_at(one, parameters, time), one.seed, time)
        for one in (there[number] for number in chosen)
    ]


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
            settings = {**resolve(at.kit.parameters, at.kit.variants, each.variant, each.time), **each.values}
            found[row, column] = colours_in_coats(at, store, worn, settings, uv, each.seed).mean(axis=0)
    return float32(found)


@dataclass(frozen=True)
class ColourCounts:
    """How many colours have which hue, in equal parts of the circle of OKLCh from 0 degrees, and which lightness in
    OKLab, from 0 to 1; and the mean linear colour of each part. Those without hue are counted by lightness alone.
    """

    hues: Samples
    hue_colours: Floats
    lightnesses: Samples
    lightness_colours: Floats


HUES, LIGHTNESSES, GREY_CHROMA = 24, 20, 0.02


def counted(linear: Floats) -> ColourCounts:
    """The counts of linear colours (n, 3)."""
    lab = linear_to_oklab(float32(np.clip(linear, 0, 1)).reshape(-1, 3)).astype(np.float64)
    chroma = np.hypot(lab[:, 1], lab[:, 2])
    hue = np.degrees(np.arctan2(lab[:, 2], lab[:, 1])) % 360
    parts = np.minimum((hue / 360 * HUES).astype(int), HUES - 1)
    steps = np.clip((lab[:, 0] * LIGHTNESSES).astype(int), 0, LIGHTNESSES - 1)
    hued = chroma >= GREY_CHROMA
    return ColourCounts(
        *_parts(parts[hued], linear.reshape(-1, 3)[hued], HUES), *_parts(steps, linear.reshape(-1, 3), LIGHTNESSES)
    )


def _parts(numbers: Samples, linear: Floats, count: int) -> tuple[Samples, Floats]:
    counts = np.bincount(numbers, minlength=count)
    sums = np.stack([np.bincount(numbers, weights=linear[:, c], minlength=count) for c in range(3)], axis=-1)
    return counts, float32(sums / np.maximum(counts, 1)[:, None])


def told_apart(colours: Floats, severity: float = 1.0) -> list[Pair]:
    """Pairs of what is shown, by mean colours (n, regions, 3); two are as far apart as in the region where they differ
    most. Those that are hardest to tell apart come first.
    """
    between = np.stack([differences(colours[:, region], severity) for region in range(colours.shape[1])])
    return closest_pairs(between.max(axis=0)) if len(between) else []
