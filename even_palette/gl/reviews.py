"""Pictures for reviews: a scene, or a mesh in each of its variants, of any size."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from even_palette.core.arrays import Levels
from even_palette.core.disk.gate import refuse_sources
from even_palette.core.errors import UserError
from even_palette.core.kit.model import Kit
from even_palette.core.kit.scene import Own, Placing, Scene, Spot
from even_palette.core.limits import MOST_FRAMES
from even_palette.core.mesh.view import Orbit
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.picture_sheet import over_ground, picture_sheet
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.crowd import Crowd, crowds_of
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.pictures import View
from even_palette.core.results.scene_light import lighting_of
from even_palette.core.results.store import Store
from even_palette.gl.context import offscreen_context
from even_palette.gl.crowd_view import CrowdRenderer
from even_palette.gl.model_view import Light
from even_palette.gl.sheet_view import SheetRenderer
from even_palette.gl.textures import Textures


def framing(crowds: Sequence[Crowd], width: int, height: int) -> Orbit:
    """A view of all instances. Raises UserError where there are none."""
    if not crowds:
        raise UserError("Nothing stands in this scene yet.")
    points = np.concatenate([crowd.corners().reshape(-1, 3) for crowd in crowds])
    return Orbit().framed(points, width / height)


def scene_picture(
    renderer: CrowdRenderer, kit: Kit, store: Store, scene: Scene, width: int, height: int, light: Light,
    orbit: Orbit | None = None, moment: float = 0.0,
) -> Levels:  # fmt: skip
    """A scene, all of it in view without an orbit: (height, width, 4) uint8, encoded, alpha 0 beside it."""
    crowds = crowds_of(kit, store, scene, moment)
    orbit = orbit or framing(crowds, width, height)
    return renderer.render(crowds, orbit, width, height, light, moment).pixels


def variant_pictures(
    sheets: SheetRenderer, renderer: CrowdRenderer, kit: Kit, store: Store, sheet: str, variants: Sequence[str],
    width: int, height: int, light: Light, orbit: Orbit | None = None,
) -> Iterator[tuple[str, Levels]]:  # fmt: skip
    """The meshes of a sheet in each variant, with its name, all through one view; the sheet itself where it has none.

    (height, width, 4) uint8, encoded, alpha 0 beside them.
    """
    names, meshes = kit.variant_names, kit.meshes_on(sheet)
    at = kit.at(sheet)
    for variant in variants:
        if not meshes:
            scale = max(1 / width, 1 / height)
            origin = (0.5 - scale * width / 2, 0.5 - scale * height / 2)
            view = View(origin, (scale, scale), width, height)
            yield names[variant], sheets.render(picture(at, store, Look(variant=variant)), view)
            continue
        own = {"0": Own(seed=0.0, variant=variant)}
        placings = [
            Placing(mesh.key, "", "list", mesh.key, 1, spots=(Spot((0.0, 0.0, 0.0)),), own=own) for mesh in meshes
        ]
        scene = Scene("variants", "", tuple(placings))
        crowds = crowds_of(kit, store, scene)
        orbit = orbit or framing(crowds, width, height)
        yield names[variant], renderer.render(crowds, orbit, width, height, light).pixels


def write_variants(
    kit: Kit, store: Store, path: Path, sheet: str, variants: Sequence[str], width: int = 640, height: int = 480,
    lit: bool = True, columns: int = 0,
) -> None:  # fmt: skip
    """Write the pictures of variants beside each other with their names; width and height are those of one.

    Raises UserError without OpenGL, and for a path that a file of the kit has.
    """
    refuse_sources(path, [Path(file.path) for file in kit.files])
    made = variant_pictures(SheetRenderer(), _renderer(), kit, store, sheet, variants, width, height, Light(lit))
    write_plane(path, Plane(picture_sheet(list(made), columns), Encoding.SRGB))


def picture_of(
    kit: Kit, store: Store, scene: Scene, width: int = 1280, height: int = 720, lit: bool = True, time: float = 0.0
) -> Levels:
    """A scene, all of it in view, over neutral grey: (height, width, 3) uint8, encoded sRGB."""
    light = Light(lit, outdoors=lighting_of(scene.light))
    return over_ground(scene_picture(_renderer(), kit, store, scene, width, height, light, moment=time))


def write_frames(
    kit: Kit, store: Store, path: Path, scene: Scene, seconds: float = 4.0, rate: float = 12.0, turns: float = 0.0,
    width: int = 640, height: int = 360, lit: bool = True,
) -> list[Path]:  # fmt: skip
    """Write a scene over time as numbered pictures: `rate` frames a second, and so many turns of the view around it.

    A frame is the same whatever frames came before. Raises UserError without OpenGL, for more than
    MOST_FRAMES of them, and for a path that a file of the kit has.
    """
    many = seconds * rate
    if not (0 < rate < math.inf and 0 <= many <= MOST_FRAMES):
        told = f"not {many:g} at {rate:g} a second"
        raise UserError(f"A rate above 0 and at most {MOST_FRAMES:,} frames can be written, {told}.")
    count = max(1, round(many))
    paths = [path.with_name(f"{path.stem}_{number:04d}{path.suffix or '.png'}") for number in range(count)]
    for each in paths:
        refuse_sources(each, [Path(file.path) for file in kit.files])
    renderer, light = _renderer(), Light(lit, outdoors=lighting_of(scene.light))
    orbit = framing(crowds_of(kit, store, scene), width, height)
    for number, each in enumerate(paths):
        view = replace(orbit, yaw=orbit.yaw + 2 * math.pi * turns * number / count)
        pixels = scene_picture(renderer, kit, store, scene, width, height, light, view, number / rate)
        write_plane(each, Plane(over_ground(pixels), Encoding.SRGB))
    return paths


def _renderer() -> CrowdRenderer:
    context = offscreen_context()
    return CrowdRenderer(context, Textures(context))
