"""Pictures for reviews: a scene, or a mesh in each of its variants, of any size."""

import math
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from even_palette.core.arrays import Levels
from even_palette.core.disk.gate import refuse_sources
from even_palette.core.errors import UserError
from even_palette.core.kit.model import Kit
from even_palette.core.kit.scene import Own, Placing, Scene, Spot
from even_palette.core.limits import MOST_FRAMES
from even_palette.core.mesh.view import Orbit
from even_palette.core.raster.animation import SUFFIX, write_animation
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.picture_sheet import over_ground, picture_sheet
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.crowd import crowds_of
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.pictures import Drawing, View
from even_palette.core.results.scene_light import lighting_of
from even_palette.core.results.scene_view import framing, view_of
from even_palette.core.results.store import Store
from even_palette.gl.context import offscreen_context
from even_palette.gl.crowd_view import CrowdRenderer
from even_palette.gl.model_view import Light
from even_palette.gl.sheet_view import SheetRenderer
from even_palette.gl.textures import Textures


@dataclass(frozen=True)
class Shots:
    """Pictures of a scene: so large, lit or flat, `rate` a second for so many seconds (one without), while the view
    goes around so many times. Without an orbit the view is the one that was kept of the scene, else all is in it.
    """

    width: int = 1280
    height: int = 720
    lit: bool = True
    seconds: float = 0.0
    rate: float = 12.0
    turns: float = 0.0
    orbit: Orbit | None = None

    @property
    def count(self) -> int:
        """How many pictures that is. Raises UserError for more than MOST_FRAMES, or no usable rate."""
        many = self.seconds * self.rate
        if not (0 < self.rate < math.inf and 0 <= many <= MOST_FRAMES):
            told = f"not {many:g} at {self.rate:g} a second"
            raise UserError(f"A rate above 0 and at most {MOST_FRAMES:,} frames can be written, {told}.")
        return max(1, round(many))


def scene_drawings(
    renderer: CrowdRenderer, kit: Kit, store: Store, scene: Scene, shots: Shots, begin: float = 0.0
) -> Iterator[Drawing]:
    """The pictures of a scene from a time on, as drawings under way; each is the same whatever came before."""
    light = Light(shots.lit, outdoors=lighting_of(scene.light, store))
    orbit = shots.orbit
    for number in range(shots.count):
        moment = begin + number / shots.rate
        crowds = crowds_of(kit, store, scene, moment)
        orbit = orbit or view_of(scene, crowds, shots.width, shots.height)
        view = replace(orbit, yaw=orbit.yaw + 2 * math.pi * shots.turns * number / shots.count)
        yield renderer.render(crowds, view, shots.width, shots.height, light, moment)


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
    kit: Kit, store: Store, scene: Scene, width: int = 1280, height: int = 720, lit: bool = True,
    time: float | None = None,
) -> Levels:  # fmt: skip
    """A scene over neutral grey, at its time without another: (height, width, 3) uint8, encoded sRGB."""
    begin = scene.time if time is None else time
    (drawing,) = scene_drawings(_renderer(), kit, store, scene, Shots(width, height, lit), begin)
    return over_ground(drawing.pixels)


def write_frames(
    kit: Kit, store: Store, path: Path, scene: Scene, seconds: float = 4.0, rate: float = 12.0, turns: float = 0.0,
    width: int = 640, height: int = 360, lit: bool = True,
) -> list[Path]:  # fmt: skip
    """Write a scene over time: one animated WebP, or numbered pictures of another format. See `Shots`.

    Raises UserError without OpenGL, for too many frames, and for a path that a file of the kit has.
    """
    shots = Shots(width, height, lit, seconds, rate, turns)
    paths = paths_of(kit, path, shots)
    frames = (over_ground(each.pixels) for each in scene_drawings(_renderer(), kit, store, scene, shots))
    write_shots(paths, frames, rate)
    return paths


def paths_of(kit: Kit, path: Path, shots: Shots) -> list[Path]:
    """Where pictures go: one for a single one and for WebP, else one a frame, numbered.

    Raises UserError for too many frames, and for a path that a file of the kit has.
    """
    path = path if path.suffix else path.with_suffix(".png")
    count = shots.count
    paths = [path]
    if count > 1 and path.suffix.lower() != SUFFIX:
        paths = [path.with_name(f"{path.stem}_{number:04d}{path.suffix}") for number in range(count)]
    for each in paths:
        refuse_sources(each, [Path(file.path) for file in kit.files])
    return paths


def write_shots(paths: Sequence[Path], frames: Iterable[Levels], rate: float) -> None:
    """Write frames (height, width, 3) where `paths_of` says. Raises UserError."""
    if paths[0].suffix.lower() == SUFFIX:
        write_animation(paths[0], frames, rate)
        return
    for path, frame in zip(paths, frames, strict=True):
        write_plane(path, Plane(frame, Encoding.SRGB))


def _renderer() -> CrowdRenderer:
    context = offscreen_context()
    return CrowdRenderer(context, Textures(context))
