"""Commands on single instances of scenes, by placing and number."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from msgspec.structs import replace

from even_palette.core.chance import hashed_unit
from even_palette.core.errors import UserError
from even_palette.core.kit.commands._command import Command
from even_palette.core.kit.commands.scenes import add_placing, with_placing
from even_palette.core.kit.commands.variants import add_variant
from even_palette.core.kit.instances import NOTHING, Instance, Pick, placed_by
from even_palette.core.kit.model import Kit
from even_palette.core.kit.scene import Own, Placing, Spot
from even_palette.core.kit.validate_coats import plain_setting, plain_track
from even_palette.core.limits import MOST_INSTANCES
from even_palette.core.material.model import Setting, Track
from even_palette.core.material.tracks import with_value

LIST = "list"


def set_instances(scene: str, picks: Sequence[Pick], change: Mapping[str, Any]) -> Command:
    """Give single instances fields of their own (see `Own`); None gives one back to the placing."""

    def apply(kit: Kit) -> Kit:
        parameters = kit.parameters_by_key
        values: Mapping[str, Setting] = change.get("values", {})
        fields = dict(change)
        if values:
            fields["values"] = {key: plain_setting(parameters[key], value) for key, value in values.items()}
        if "tracks" in change:
            fields["tracks"] = {key: plain_track(parameters[key], track) for key, track in change["tracks"].items()}
        try:
            return _with_own(kit, scene, picks, lambda instance, own: replace(own, **fields))
        except TypeError as error:
            raise UserError(f"An instance has no such field: {error}.") from None

    return Command("Change instances", apply, f"instances {scene} {list(picks)} {sorted(change)}")


def set_in_instances(scene: str, picks: Sequence[Pick], parameter: str, setting: Setting, time: float = 0.0) -> Command:
    """Set one parameter on single instances, as the game does; what else each has of its own stays.

    One that has it over time gets a key at a time in seconds.
    """

    def apply(kit: Kit) -> Kit:
        plain = plain_setting(kit.parameter(parameter), setting)

        def changed(_: Instance, own: Own) -> Own:
            if parameter in own.tracks:
                return replace(own, tracks={**own.tracks, parameter: with_value(own.tracks[parameter], time, plain)})
            return replace(own, values={**own.values, parameter: plain})

        return _with_own(kit, scene, picks, changed)

    return Command("Change instances", apply, f"set {scene} {list(picks)} {parameter}")


def set_track_in_instances(scene: str, picks: Sequence[Pick], parameter: str, track: Track | None) -> Command:
    """Let a parameter go over time on single instances, on top of what their variants do; None lets it be still."""

    def apply(kit: Kit) -> Kit:
        plain = None if track is None else plain_track(kit.parameter(parameter), track)

        def changed(_: Instance, own: Own) -> Own:
            others = {key: each for key, each in own.tracks.items() if key != parameter}
            return replace(own, tracks=others if plain is None else {**others, parameter: plain})

        return _with_own(kit, scene, picks, changed)

    return Command("Change over time", apply, f"track {scene} {list(picks)} {parameter}")


def keep_as_variant(scene: str, picks: Sequence[Pick], name: str) -> Command:
    """Make a variant of what the first of some instances has, on top of the variant that it is in; all are in it."""

    def apply(kit: Kit) -> Kit:
        found = [each for instances in _by_mesh(kit, scene, picks[:1]).values() for each in instances]
        if not found:
            raise UserError("Pick an instance first.")
        first = found[0]
        kit = add_variant(name, first.variant or None).apply(kit)
        made = replace(kit.variants[-1], values=dict(first.values), tracks=dict(first.tracks))
        kit = replace(kit, variants=(*kit.variants[:-1], made))
        return _with_own(kit, scene, picks, lambda _, own: replace(own, variant=made.key, values={}, tracks={}))

    return Command("Keep as variant", apply)


def clear_instances(scene: str, picks: Sequence[Pick]) -> Command:
    """Let instances be as their placing makes them."""

    def apply(kit: Kit) -> Kit:
        for key in dict.fromkeys(key for key, _ in picks):
            numbers = {number for other, number in picks if other == key}
            kit = with_placing(kit, scene, key, lambda p, n=numbers: _without_own(p, n))  # type: ignore[misc]
        return kit

    return Command("Reset instances", apply)


def move_instances(scene: str, picks: Sequence[Pick], by: tuple[float, float, float]) -> Command:
    """Move instances by so many metres; no colour changes."""

    def moved(instance: Instance, own: Own) -> Own:
        x, y, z = (place + way for place, way in zip(instance.place, by, strict=True))
        return replace(own, place=(x, y, z))

    return Command("Move instances", lambda kit: _with_own(kit, scene, picks, moved), f"move {scene} {list(picks)}")


def remove_instances(scene: str, picks: Sequence[Pick]) -> Command:
    """Take instances away; others stay where they are, and as they are."""

    def gone(instance: Instance, own: Own) -> Own:
        return replace(own, gone=True)

    return Command("Remove instances", lambda kit: _with_own(kit, scene, picks, gone))


def duplicate_instances(scene: str, picks: Sequence[Pick], by: tuple[float, float, float]) -> Command:
    """Put copies of instances so many metres beside them, each as the one that it was made of, one by one in lists."""

    def apply(kit: Kit) -> Kit:
        for mesh, found in _by_mesh(kit, scene, picks).items():
            there = kit.scene(scene)
            lists = [placing for placing in there.placings if placing.kind == LIST and placing.mesh == mesh]
            if not lists:
                kit = add_placing(scene, Placing("", "Copies", LIST, mesh)).apply(kit)
                lists = [kit.scene(scene).placings[-1]]
            old = lists[-1]
            spots, own = list(old.spots), dict(old.own)
            if len(spots) + len(found) > MOST_INSTANCES:
                raise UserError(f"A placing holds at most {MOST_INSTANCES:,} instances.")
            for instance in found:
                x, y, z = (p + way - o for p, way, o in zip(instance.place, by, old.place, strict=True))
                values, tracks = dict(instance.values), dict(instance.tracks)
                own[str(len(spots))] = Own(instance.seed, instance.variant, values, tracks, locked=instance.locked)
                spots.append(Spot((x, y, z), instance.turn, instance.scale))
            changed = replace(old, spots=tuple(spots), count=len(spots), own=own)
            kit = with_placing(kit, scene, old.key, lambda _, made=changed: made)  # type: ignore[misc]
        return kit

    return Command("Duplicate instances", apply)


def draw_anew(scene: str, key: str, seed: int) -> Command:
    """Let all instances of a placing draw anew, who is in which variant too; locked ones stay as they are."""

    def apply(kit: Kit) -> Kit:
        def kept(instance: Instance, own: Own) -> Own:
            return replace(own, seed=instance.seed, variant=instance.variant)

        kit = _with_locked(kit, scene, key, kept)
        return with_placing(kit, scene, key, lambda placing: replace(placing, draw=seed))

    return Command("Draw anew", apply)


def place_anew(scene: str, key: str, seed: int) -> Command:
    """Let chance place the instances of a placing anew; locked ones stay where they are, and no colour changes."""

    def apply(kit: Kit) -> Kit:
        def kept(instance: Instance, own: Own) -> Own:
            return replace(own, place=instance.place, turn=instance.turn, scale=instance.scale)

        kit = _with_locked(kit, scene, key, kept)
        return with_placing(kit, scene, key, lambda placing: replace(placing, seed=seed))

    return Command("Place anew", apply)


def draw_instances_anew(scene: str, picks: Sequence[Pick], seed: int) -> Command:
    """Let single instances draw anew; those that are locked do not."""

    def drawn(instance: Instance, own: Own) -> Own:
        import numpy as np

        fresh = float(hashed_unit(np.array([instance.number]), seed)[0])
        return own if instance.locked else replace(own, seed=fresh)

    return Command("Draw anew", lambda kit: _with_own(kit, scene, picks, drawn))


def _with_own(kit: Kit, scene: str, picks: Sequence[Pick], change: Callable[[Instance, Own], Own]) -> Kit:
    """The kit with what single instances have of their own changed; those that do not stand there are left out."""
    for key in dict.fromkeys(key for key, _ in picks):
        placing = kit.scene(scene).placing(key)
        numbers, own = {number for other, number in picks if other == key}, dict(placing.own)
        for instance in placed_by(placing):
            if instance.number in numbers:
                name = str(instance.number)
                own[name] = change(instance, own.get(name, NOTHING))
        kept = {number: each for number, each in own.items() if each != NOTHING}
        kit = with_placing(kit, scene, key, lambda p, own=kept: replace(p, own=own))  # type: ignore[misc]
    return kit


def _with_locked(kit: Kit, scene: str, key: str, change: Callable[[Instance, Own], Own]) -> Kit:
    locked = [(key, each.number) for each in placed_by(kit.scene(scene).placing(key)) if each.locked]
    return _with_own(kit, scene, locked, change)


def _without_own(placing: Placing, numbers: set[int]) -> Placing:
    return replace(placing, own={number: own for number, own in placing.own.items() if int(number) not in numbers})


def _by_mesh(kit: Kit, scene: str, picks: Sequence[Pick]) -> dict[str, list[Instance]]:
    """The instances that are picked, by the mesh that they show."""
    found: dict[str, list[Instance]] = {}
    for placing in kit.scene(scene).placings:
        numbers = {number for key, number in picks if key == placing.key}
        for instance in placed_by(placing) if numbers else ():
            if instance.number in numbers:
                found.setdefault(instance.mesh, []).append(instance)
    return found


__all__ = [
    "clear_instances", "draw_anew", "draw_instances_anew", "duplicate_instances", "keep_as_variant", "move_instances",
    "place_anew", "remove_instances", "set_in_instances", "set_instances", "set_track_in_instances",
]  # fmt: skip
