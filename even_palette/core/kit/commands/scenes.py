"""Commands on scenes: their placings, and single instances by placing and number."""

from collections.abc import Callable

from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit.commands._command import Command, new_name
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import new_key, retire
from even_palette.core.kit.scene import Camera, Placing, Scene, SceneLight
from even_palette.core.kit.scene_references import with_scene
from even_palette.core.limits import MOST_PLACINGS, MOST_SCENES
from even_palette.core.lineup.placings import PLACINGS


def add_scene(name: str) -> Command:
    """Add a scene in which nothing stands yet."""

    def apply(kit: Kit) -> Kit:
        if len(kit.scenes) >= MOST_SCENES:
            raise UserError(f"A kit holds at most {MOST_SCENES} scenes.")
        final = new_name(name, [scene.name for scene in kit.scenes])
        return replace(kit, scenes=(*kit.scenes, Scene(new_key(kit, final), final)))

    return Command("Add scene", apply)


def copy_scene(key: str, name: str) -> Command:
    """Add a scene in which all stands as in another: for other light, or another time. It looks the same."""

    def apply(kit: Kit) -> Kit:
        made = add_scene(name).apply(kit)
        fresh, old = made.scenes[-1], kit.scene(key)
        made = with_scene(made, replace(old, key=fresh.key, name=fresh.name, placings=()))
        for placing in old.placings:
            copy = replace(placing, key=new_key(made, placing.name), drawn_as=placing.drawn_as or placing.key)
            there = made.scene(fresh.key)
            made = with_scene(made, replace(there, placings=(*there.placings, copy)))
        return made

    return Command("Copy scene", apply)


def rename_scene(key: str, name: str) -> Command:
    """Call a scene something else; its key stays."""

    def apply(kit: Kit) -> Kit:
        final = new_name(name, [scene.name for scene in kit.scenes if scene.key != key])
        return with_scene(kit, replace(kit.scene(key), name=final))

    return Command("Rename scene", apply)


def remove_scene(key: str) -> Command:
    """Remove a scene with all that stands in it."""

    def apply(kit: Kit) -> Kit:
        gone = kit.scene(key)
        left = tuple(scene for scene in kit.scenes if scene.key != key)
        return retire(replace(kit, scenes=left), key, *(placing.key for placing in gone.placings))

    return Command("Remove scene", apply)


def set_light(scene: str, light: SceneLight) -> Command:
    """Light a scene otherwise; no instance changes."""
    return Command(
        "Change light", lambda kit: with_scene(kit, replace(kit.scene(scene), light=light)), f"light {scene}"
    )


def keep_view(scene: str, camera: Camera | None, time: float = 0.0) -> Command:
    """Keep where a scene is looked at from, and at which time in seconds; without a camera all of it is in view."""

    def apply(kit: Kit) -> Kit:
        return with_scene(kit, replace(kit.scene(scene), camera=camera, time=time if camera is not None else 0.0))

    return Command("Keep view", apply)


def add_placing(scene: str, placing: Placing) -> Command:
    """Place instances in a scene; the key and the name of the placing are made unique."""

    def apply(kit: Kit) -> Kit:
        there = kit.scene(scene)
        if len(there.placings) >= MOST_PLACINGS:
            raise UserError(f"A scene holds at most {MOST_PLACINGS} placings.")
        kit.mesh(placing.mesh)
        name = new_name(placing.name, [each.name for each in there.placings])
        made = replace(placing, key=new_key(kit, name), name=name)
        return with_scene(kit, replace(there, placings=(*there.placings, made)))

    return Command("Place instances", apply)


def change_placing(scene: str, placing: Placing) -> Command:
    """Replace the placing of this key: its kind, count, settings, shares or place."""

    def apply(kit: Kit) -> Kit:
        kit.scene(scene).placing(placing.key)
        kit.mesh(placing.mesh)
        if placing.kind not in PLACINGS:
            raise UserError(f"There is no placing “{placing.kind}”; there is {', '.join(PLACINGS)}.")
        return with_placing(kit, scene, placing.key, lambda _: placing)

    return Command("Change placing", apply, f"placing {placing.key}")


def remove_placing(scene: str, key: str) -> Command:
    """Take all instances of a placing away."""

    def apply(kit: Kit) -> Kit:
        there = kit.scene(scene)
        there.placing(key)
        left = tuple(placing for placing in there.placings if placing.key != key)
        return retire(with_scene(kit, replace(there, placings=left)), key)

    return Command("Remove placing", apply)


def move_placing(scene: str, key: str, by: int) -> Command:
    """List a placing earlier (negative) or later; nothing looks otherwise."""

    def apply(kit: Kit) -> Kit:
        there = kit.scene(scene)
        placings = list(there.placings)
        at = placings.index(there.placing(key))
        placings.insert(max(0, at + by), placings.pop(at))
        return with_scene(kit, replace(there, placings=tuple(placings)))

    return Command("Move placing", apply)


def with_placing(kit: Kit, scene: str, key: str, change: Callable[[Placing], Placing]) -> Kit:
    """The kit with one placing of a scene changed."""
    there = kit.scene(scene)
    placings = tuple(change(placing) if placing.key == key else placing for placing in there.placings)
    return with_scene(kit, replace(there, placings=placings))


__all__ = [
    "add_placing", "add_scene", "change_placing", "copy_scene", "keep_view", "move_placing", "remove_placing",
    "remove_scene", "rename_scene", "set_light",
]  # fmt: skip
