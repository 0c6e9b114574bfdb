"""The instances of a scene: each with its variant, seed and values, and where it stands."""

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.chance import hashed_unit
from even_palette.core.kit.scene import Own, Placing, Scene
from even_palette.core.lineup.placings import PLACINGS
from even_palette.core.lineup.placings._declare import placed
from even_palette.core.material.model import Parameter, Setting, Track
from even_palette.core.material.tracks import values_at
from even_palette.core.material.variants import MASTER
from even_palette.core.regions.remainders import whole_shares

SEEDS, VARIANTS = 307, 401
"""Draws of placings are moved by this for the seeds of instances, and for who is in which variant."""
NOTHING = Own()
Pick = tuple[str, int]
"""An instance: the key of its placing, and its number there."""


@dataclass(frozen=True)
class Instance:
    """An instance: of which placing, its number there, and what it is. Place in metres, turn in degrees, y up."""

    placing: str
    number: int
    mesh: str
    variant: str
    seed: float
    values: Mapping[str, Setting]
    place: tuple[float, float, float]
    turn: float
    scale: float
    locked: bool
    tracks: Mapping[str, Track] = field(default_factory=dict)


def settings_at(instance: Instance, parameters: Mapping[str, Parameter], time: float) -> dict[str, Setting]:
    """What an instance has of its own at a time in seconds, of these parameters, by key."""
    return {**instance.values, **values_at(instance.tracks, parameters, time)}


def instances_of(scene: Scene) -> list[Instance]:
    """All instances of a scene, placing by placing; none hangs on the order of those or on another placing."""
    return [instance for placing in scene.placings for instance in placed_by(placing)]


def found_instances(scene: Scene, picks: Sequence[Pick]) -> list[Instance]:
    """The instances of a scene that are picked, in the order of the picking; those that are not there are left out."""
    there = {
        (each.placing, each.number): each
        for placing in scene.placings
        if any(key == placing.key for key, _ in picks)
        for each in placed_by(placing)
    }
    return [there[pick] for pick in picks if pick in there]


def placed_by(placing: Placing) -> list[Instance]:
    """The instances of a placing."""
    spots = spots_of(placing)
    seeds = hashed_unit(np.arange(len(spots)), _mixed(placing, placing.draw) + SEEDS).tolist()
    variants = variants_of(placing, len(spots))
    x, y, z = placing.place
    found = []
    for number, (spot, seed, variant) in enumerate(zip(spots.tolist(), seeds, variants, strict=True)):
        own = placing.own.get(str(number), NOTHING)
        if own.gone:
            continue
        found.append(
            Instance(
                placing.key,
                number,
                placing.mesh,
                variant if own.variant is None else own.variant,
                seed if own.seed is None else own.seed,
                own.values,
                own.place or (x + spot[0], y + spot[1], z + spot[2]),
                spot[3] if own.turn is None else own.turn,
                spot[4] if own.scale is None else own.scale,
                own.locked,
                own.tracks,
            )
        )
    return found


def spots_of(placing: Placing) -> Samples:
    """Where the instances of a placing stand about its place, (n, 5) float64: x, y, z, turn, scale."""
    if PLACINGS[placing.kind].make is None:
        return np.array([(*spot.place, spot.turn, spot.scale) for spot in placing.spots]).reshape(-1, 5)
    return _spots(placing.kind, placing.count, tuple(sorted(placing.values.items())), _mixed(placing, placing.seed))


def _mixed(placing: Placing, seed: int) -> int:
    """A seed that no other placing has, though both were given the same, but for copies in other scenes."""
    return int.from_bytes(hashlib.sha256(f"{placing.drawn_as or placing.key} {seed}".encode()).digest()[:4])


@lru_cache(maxsize=64)
def _spots(kind: str, count: int, values: tuple[tuple[str, float | str], ...], seed: int) -> Samples:
    return placed(PLACINGS[kind], count, dict(values), seed)


def variants_of(placing: Placing, count: int) -> list[str]:
    """The variant of each of so many instances: each has its share of them within one, and chance says who."""
    shares = {variant: share for variant, share in placing.shares.items() if share > 0} or {MASTER: 1.0}
    wanted = np.array(list(shares.values()), dtype=np.float64)
    counts = whole_shares((wanted / wanted.sum() * count)[:, None], count, 1e-9)[:, 0]
    order = np.argsort(hashed_unit(np.arange(count), _mixed(placing, placing.draw) + VARIANTS), kind="stable")
    names = np.empty(count, dtype=object)
    names[order] = np.repeat(np.array(list(shares), dtype=object), counts)
    return [str(name) for name in names]
