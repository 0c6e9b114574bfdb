"""What the window can do to a kit, from Python and without a window: see docs/scripting.md for examples.

Everything that changes a kit is a command of its history, the same ones as the window's, so it can be undone.
"""

import inspect
from collections.abc import Callable, Sequence
from pathlib import Path
from types import TracebackType
from typing import Any

import msgspec
import numpy as np
from msgspec.structs import replace

from even_palette.core.arrays import Floats, Levels, float32
from even_palette.core.checks import Finding, find
from even_palette.core.colour.hexcode import parse_hex
from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.disk.gate import exists, refuse_sources
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import Overcoats, RecipeCoats
from even_palette.core.kit.commands import Command
from even_palette.core.kit.fingerprints import as_on_disk, fingerprint
from even_palette.core.kit.history import History
from even_palette.core.kit.mesh_file import MOVE_STEP, MeshFile
from even_palette.core.kit.model import Focus, Kit, Recipe
from even_palette.core.kit.names import identifier, keys_called
from even_palette.core.kit.output_plan import PATTERN, OutputPlan
from even_palette.core.kit.ready_plans import plan_of
from even_palette.core.kit.recipe_file import content_id, read_recipe, recipe_of, write_recipe
from even_palette.core.kit.scene import LightKind
from even_palette.core.kit.sheet import Source
from even_palette.core.kit.store import KIT_FILE, KitFolder, as_kept
from even_palette.core.material.drawn import Way, likely_way
from even_palette.core.material.variants import MASTER, resolve
from even_palette.core.raster.guess import Role, guess_encoding
from even_palette.core.raster.layouts import guess_map, opacity_of
from even_palette.core.raster.normals import points_down
from even_palette.core.raster.plane import Encoding, to_levels8
from even_palette.core.regions.brush import Brush, along
from even_palette.core.regions.stroke import Effect, stroke_through
from even_palette.core.results.dividing import move_on_sheet, rest_region
from even_palette.core.results.maps import plane_of_map
from even_palette.core.results.painting import Into, ground_of, stamp_of, taken_from_others
from even_palette.core.results.planes import tone_of
from even_palette.core.results.proof_asset import Asset, asset_of
from even_palette.core.results.regions_from_masks import regions_from_masks
from even_palette.core.results.rendering import SheetRender
from even_palette.core.results.sheet_mesh import mesh_of_file, mesh_on_sheet
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.weights import weights_of
from even_palette.core.ship.maps import write_bakes, write_masks
from even_palette.core.ship.mesh_with_ids import write_with_ids
from even_palette.core.ship.planned_maps import Wish, write_planned
from even_palette.core.ship.render import write_renders
from even_palette.core.ship.write import ship
from even_palette.scripting_proof import Proof

ROWS = 64


def command_names() -> dict[str, Callable[..., Command]]:
    """Every command by name: functions that take what the window asks for and give a Command."""
    found: dict[str, Callable[..., Command]] = {}
    for name, function in inspect.getmembers(commands, inspect.isfunction):
        if not name.startswith("_") and inspect.signature(function).return_annotation is Command:
            found[name] = function
    return found


class OpenKit:
    """A kit that is worked on by a script. Use it in a `with` statement, so that its lock is let go."""

    def __init__(self, kit: Kit, folder: KitFolder | None) -> None:
        self.history = History(kit)
        self.results = Sheets()
        self._folder = folder

    def __enter__(self) -> "OpenKit":
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        self.close()

    def close(self) -> None:
        """Let go of the kit's lock. What was not saved is lost."""
        if self._folder:
            self._folder.close()

    @property
    def kit(self) -> Kit:
        """The kit as it is now: an immutable tree."""
        return self.history.kit

    def at(self, sheet: str = "") -> Focus:
        """The kit at a sheet, by its name or key; the first one without. Raises UserError if there is none."""
        for other in self.kit.sheets:
            if sheet in ("", other.key, other.name):
                return self.kit.at(other.key)
        names = ", ".join(other.name for other in self.kit.sheets)
        raise UserError(f"The kit has no sheet “{sheet}”; it has {names}.")

    def do(self, command: str | Command, *arguments: Any, **named: Any) -> bool:
        """Do a command by its name, with its arguments, or one that is made already. False if it changed nothing.

        Raises UserError for what is not possible; the kit then stays as it was.
        """
        if isinstance(command, str):
            known = command_names()
            if command not in known:
                raise UserError(f"There is no command “{command}”; scripting.command_names() lists them.")
            try:
                command = known[command](*arguments, **named)
            except TypeError as error:
                raise UserError(f"{command}: {error}.") from None
        done = self.history.do(command)
        self.history.end_merge()
        return done

    def undo(self) -> bool:
        """Go one step back; False if there is none."""
        return self.history.undo()

    def add_map(self, path: str | Path, role: str = "", encoding: str = "", sheet: str = "") -> str:
        """Open a map on a sheet, and give its key. Role and encoding are guessed where they are not said.

        Without a role it is guessed, too, what each channel holds; `do("set_layout", …)` says it.
        """
        place = Path(path).resolve()
        seen = fingerprint(place)
        bare = Source(identifier(place.stem), Role.NONE, str(place), Encoding.DATA, seen.size, seen.sha256)
        plane = plane_of_map(bare, self.results)
        samples = plane.samples
        told, guessed, layout = guess_map(place, samples)
        if role:
            told, layout = _one_of(Role, role, "role"), ()
            guessed = guess_encoding(told, samples)
        meant = _one_of(Encoding, encoding, "encoding") if encoding else guessed
        key, down = self.at(sheet).key, told == Role.NORMAL and points_down(samples) is True
        made = replace(
            bare, role=told, encoding=meant, width=plane.width, height=plane.height, layout=layout, green_down=down
        )
        opacity = opacity_of(samples, told, layout)
        self.do(commands.add_map(key, made, Way.CUT_OUT if opacity is None else likely_way(opacity)))
        return next(source.key for source in self.kit.sheet(key).sources if source.path == str(place))

    def add_mesh(self, path: str | Path, sheet: str = "") -> str:
        """Open a mesh on a sheet, and give its key."""
        place = Path(path).resolve()
        seen = fingerprint(place)
        file = MeshFile(identifier(place.stem), str(place), self.at(sheet).key, seen.size, seen.sha256)
        mesh_of_file(file, self.results)
        self.do(commands.add_mesh(file))
        return next(mesh.key for mesh in self.kit.meshes if mesh.path == str(place))

    def light_by_picture(self, scene: str, path: str | Path, turned: float = 0.0) -> None:
        """Light a scene, by its key, by an equirectangular picture all around it, turned by degrees.

        Raises UserError if it cannot be read.
        """
        from even_palette.core.results.scene_light import surround_file, surround_of

        picture = surround_file(Path(path))
        surround_of(picture, self.results)
        light = replace(self.kit.scene(scene).light, kind=LightKind.PICTURE, picture=picture, turned=turned)
        self.do(commands.set_light(scene, light))

    # Pictures

    def write_variants(self, path: str | Path, variants: Sequence[str] = (), sheet: str = "", **how: Any) -> None:
        """Write pictures of a sheet's meshes in variants, all without a choice, beside each other with their names.

        `how` as in `gl/reviews.write_variants`: the size of one picture, lit or flat. Raises UserError without OpenGL.
        """
        from even_palette.gl.reviews import write_variants

        chosen = keys_called("variant", self.kit.variant_names, variants)
        write_variants(self.kit, self.results, Path(path), self.at(sheet).key, chosen, **how)

    def scene_picture(self, scene: str, **how: Any) -> Levels:
        """A scene, by its name or key, all of it in view: (height, width, 3) uint8, encoded sRGB over neutral grey.

        `how` as in `gl/reviews.picture_of`: the size, lit or flat, the time. Raises UserError without OpenGL.
        """
        from even_palette.gl.reviews import picture_of

        (key,) = keys_called("scene", {each.key: each.name for each in self.kit.scenes}, [scene])
        return picture_of(self.kit, self.results, self.kit.scene(key), **how)

    def proof(self, sheet: str = "") -> Proof:
        """What a runtime leaves of a sheet, and the search for what may be smaller."""
        return Proof(self, sheet)

    def textures(self) -> Asset:
        """The maps of all sheets with their bytes under their conditions, and the draws of the whole asset."""
        return asset_of(self.kit, self.results)

    def write_textures(self, folder: str | Path, sheet: str = "", suffix: str = ".ktx2") -> dict[Path, int]:
        """Write the maps of a sheet as textures, stored as its conditions say (see `results/proof_files`)."""
        from even_palette.core.results.proof_files import write_textures

        place = Path(folder)
        place.mkdir(parents=True, exist_ok=True)
        return write_textures(self.at(sheet), self.results, place, suffix)

    def write_frames(self, path: str | Path, scene: str, **how: Any) -> list[Path]:
        """Write a scene, by its name or key, over time, as `gl/reviews.write_frames` says."""
        from even_palette.gl.reviews import write_frames

        (key,) = keys_called("scene", {each.key: each.name for each in self.kit.scenes}, [scene])
        return write_frames(self.kit, self.results, Path(path), self.kit.scene(key), **how)

    # Results as arrays

    def weights(self, sheet: str = "") -> dict[str, Floats]:
        """How much of each texel each region has, by region key, (H, W) float32 0..1, as they are shipped in 8 bits."""
        at = self.at(sheet)
        levels = weights_of(at, self.results).levels
        return {
            region.key: float32(level) / np.float32(255) for region, level in zip(at.sheet.regions, levels, strict=True)
        }

    def colours(self, variant: str = MASTER, sheet: str = "", time: float = 0.0) -> Levels:
        """The base colour of a sheet in a variant, (H, W, 3) uint8, encoded sRGB, at the size of its paint."""
        return to_levels8(linear_to_srgb(self.output("colour", variant, sheet, time)))

    def output(self, name: str, variant: str = MASTER, sheet: str = "", time: float = 0.0) -> Floats:
        """An output of the material at a time in seconds, (H, W) or (H, W, 3) float32; light is linear.

        Raises UserError for an output that nothing sets.
        """
        settings = resolve(self.kit.parameters, self.kit.variants, self.variant(variant), time)
        found = float32(SheetRender(self.at(sheet), self.results).render([name], settings, time=time)[name])
        return found if found.shape[-1] > 1 else found[..., 0]

    def render(
        self,
        folder: str | Path,
        variants: Sequence[str] = (),
        sheets: Sequence[str] = (),
        outputs: Sequence[str] = ("colour",),
        side: int = 0,
        suffix: str = ".png",
    ) -> dict[str, int]:
        """Write full-size maps of variants, sheets and twins, all without a choice; the bytes of each file (see
        `write_renders`)."""
        chosen, keys = self._chosen(variants, sheets)
        return write_renders(self.kit, self.results, Path(folder), chosen, keys, outputs, side, suffix)

    def write(
        self,
        folder: str | Path,
        plan: str | Path | OutputPlan = "separate",
        variants: Sequence[str] = (),
        sheets: Sequence[str] = (),
        side: int = 0,
        suffix: str = ".png",
        bits: int = 8,
        pattern: str = PATTERN,
        row_texels: int = 1,
    ) -> dict[str, int]:
        """Write maps by an output plan, one that is ready, of a file or your own; the bytes of each file.

        All variants, sheets and twins without a choice (see `write_planned`).
        """
        chosen, keys = self._chosen(variants, sheets)
        made = plan if isinstance(plan, OutputPlan) else plan_of(plan, self.kit)
        wish = Wish(made, chosen, keys, side, suffix, bits, pattern, row_texels)
        return write_planned(self.kit, self.results, [wish], Path(folder))

    def _chosen(self, variants: Sequence[str], sheets: Sequence[str]) -> tuple[list[str], list[str]]:
        """The keys of variants, and of sheets and twins, by name or key; all without a choice."""
        return (
            keys_called("variant", self.kit.variant_names, variants),
            keys_called("sheet or twin", self.kit.surface_names, sheets),
        )

    def settings(self, variant: str = MASTER, time: float = 0.0) -> dict[str, Any]:
        """The value of every parameter in a variant at a time, by the parameter's name; colours are encoded sRGB 0..1.

        The variant goes by its name or key. Raises UserError if there is none.
        """
        settings = resolve(self.kit.parameters, self.kit.variants, self.variant(variant), time)
        return {parameter.name: settings[parameter.key] for parameter in self.kit.parameters}

    def variant(self, name: str = MASTER) -> str:
        """The key of a variant, by its name or key. Raises UserError if there is none."""
        names = self.kit.variant_names
        for key in names:
            if name in (key, names[key]):
                return key
        raise UserError(f"The kit has no variant “{name}”; it has {', '.join(names.values())}.")

    def findings(self) -> list[Finding]:
        """What the checks find, errors first."""
        return list(find(self.kit, self.results))

    def rest_region(self, sheet: str = "") -> bool:
        """Make a region of all faces that no region of a sheet has. Raises UserError if there are none."""
        return self.do(rest_region(self.at(sheet), self.results))

    def move_faces(self, faces: Sequence[bool], across: float, down: float, sheet: str = "") -> bool:
        """Move the chosen faces, one truth for each on the sheet, by so many widths and heights of it, multiples of a
        quarter. Raises UserError.
        """
        at, (right, below) = self.at(sheet), (across / MOVE_STEP, down / MOVE_STEP)
        found, chosen = mesh_on_sheet(at, self.results), np.asarray(faces, dtype=bool)
        if found is None or chosen.shape != (found.mesh.face_count,):
            raise UserError(f"The sheet has {found.mesh.face_count if found else 0} faces, not {chosen.size}.")
        if right != int(right) or below != int(below):
            raise UserError(f"Faces are moved by multiples of {MOVE_STEP:g}.")
        return self.do(move_on_sheet(at, self.results, chosen, int(right), int(below)))

    def regions_from_masks(self, maps: Sequence[str], sheet: str = "") -> bool:
        """Make a region of each channel of these maps, by key, that holds anything. Raises UserError."""
        try:
            return self.do(regions_from_masks(self.at(sheet), self.results, maps))
        except KeyError as error:
            raise UserError(f"The sheet has no map {error}.") from None

    # Tones

    def extract_palette(
        self,
        size: int = 256,
        method: str = "chain",
        region: str = "",
        kept: Sequence[str] = (),
        sheet: str = "",
        shared_by: Sequence[str] = (),
    ) -> str:
        """Make a palette of a sheet's paint, or of a region's, and the index map by it; gives the palette's key.

        Methods are chain, means and cut; `kept` are hex values that must be entries, `shared_by` keys of other sheets
        whose paint counts as well. Raises UserError.
        """
        from even_palette.core.results.picture_analysis import extract_palette
        from even_palette.core.tones.palette_fit import Method

        at = self.at(sheet)
        colours = [_hex(text) for text in kept]
        told = _one_of(Method, method, "method")
        size = min(max(size, 2), 256)
        self.do(extract_palette(at, self.results, size, told, region, kept=colours, shared_by=shared_by))
        return self.kit.palettes[-1].key

    def tone(self, key: str, sheet: str = "") -> Levels:
        """The samples of a tone, (H, W, C), as they are shipped. Raises UserError."""
        try:
            tone = self.at(sheet).sheet.tone(key)
        except KeyError:
            raise UserError(f"The sheet has no tone “{key}”.") from None
        return np.asarray(tone_of(self.at(sheet), self.results, tone).samples)

    # Painting

    def paint(
        self,
        key: str,
        points: Sequence[tuple[float, float]],
        value: float = 1.0,
        effect: str = "value",
        takes: bool = True,
        pressures: Sequence[float] | None = None,
        **brush: Any,
    ) -> bool:
        """Paint a stroke through points (u, v) into the mask of a region, or into a painted tone, by its key.

        False if it changed nothing. `value` is what is painted: 1 adds to the region, 0 takes away; the effect may be
        soften or smear instead. What is added is taken from other regions that are not locked, unless `takes` is False.
        The rest are fields of `even_palette.core.regions.brush.Brush`. Raises UserError for what is not possible.
        """
        sheet = next((each for each in self.kit.sheets if key in [tone.key for tone in each.tones]), None)
        try:
            at = self.kit.at(sheet.key if sheet else self.kit.sheet_of(key).key)
            ground = ground_of(at, self.results, Into(tone=key) if sheet else Into(key))
        except KeyError:
            raise UserError(f"The kit has no region and no painted tone “{key}”.") from None
        try:
            made = msgspec.convert(brush, Brush)
        except msgspec.ValidationError as error:
            raise UserError(f"paint: {error}.") from None
        stroke = ground.stroke(made, value, _one_of(Effect, effect, "effect"), stamp_of(made.stamp))
        width, height = ground.under.width, ground.under.height
        texels: list[tuple[float, ...]] = [(u * width, v * height) for u, v in points]
        paint = stroke_through(stroke, along(made, texels, list(pressures) if pressures else None))
        takes = takes and stroke.adds and not sheet
        others = taken_from_others(at, self.results, key, stroke) if takes else {}
        return self.do(ground.command(paint, others))

    # Writing

    def save(self, folder: str | Path = "") -> list[str]:
        """Save into the kit's folder, or into a new one, and changed recipes into their files.

        Gives a sentence for each recipe whose file was left as it is. Raises UserError; the last save is then whole.
        """
        if folder:
            self.close()
            self._folder = KitFolder.create(Path(folder))
        if self._folder is None:
            raise UserError("The kit has no folder yet; say where to save it.")
        kept = self._folder.save(self.kit)
        if kept != self.kit:
            before = self.kit
            self.history.rewrite(lambda kit: as_kept(kit, before, kept))
            if self.kit != kept:
                self.history.do(Command("Follow recipes", lambda _: kept))  # joined with what others wrote
        return self._folder.unwritten

    # Recipes in files

    def open_recipe(self, path: str | Path) -> str:
        """Add a recipe that lives in a file, and give its key. Raises UserError."""
        place = Path(path).resolve()
        self.do(commands.add_recipe_from_file(place, read_recipe(place)))
        return self.kit.recipes[-1].key

    def read_recipe(self, recipe: str, path: str | Path = "") -> bool:
        """Make a recipe what its file holds, or another file, in which it then lives. Raises UserError."""
        place = Path(path or self._recipe(recipe).path).resolve()
        return self.do(commands.change_recipe_to_file(recipe, place, read_recipe(place)))

    def keep_recipe(self, recipe: str, path: str | Path) -> None:
        """Write a recipe to a file, in which it lives from then on: saves of the kit write it. Raises UserError."""
        place = Path(path).resolve()
        own = self._recipe(recipe).path
        refuse_sources(place, [Path(file.path) for file in self.kit.files if file.path != own])
        file, linked = recipe_of(self.kit, recipe)
        write_recipe(place, file)
        self.do(commands.keep_recipe_in_file(recipe, str(place), content_id(file), linked))

    def _recipe(self, key: str) -> Recipe:
        try:
            return self.kit.recipe(key)
        except KeyError:
            raise UserError(f"The kit has no recipe “{key}”.") from None

    def ship(self, folder: str | Path, target: str = "") -> dict[str, int]:
        """Write the package for a target; gives the bytes of each file. Raises UserError."""
        return ship(self.kit, self.results, Path(folder), target=target)

    def bake(self, folder: str | Path, suffix: str = ".png") -> dict[str, int]:
        """Make all bakes and write them; gives the bytes of each file. Raises UserError."""
        return write_bakes(self.kit, self.results, Path(folder), suffix)

    def write_mesh(self, mesh: str, path: str | Path) -> None:
        """Write a mesh with its regions' ID colours as vertex colours (see `write_with_ids`)."""
        write_with_ids(self.kit, self.results, mesh, Path(path))

    def masks(self, folder: str | Path, bits: int = 8, suffix: str = ".png") -> dict[str, int]:
        """Write the weights of every region, 8 or 16 bits, and packed planes; gives their bytes. Raises UserError."""
        return write_masks(self.kit, self.results, Path(folder), bits, suffix)


def open_kit(folder: str | Path) -> OpenKit:
    """Open a saved kit, its files as they are now. Raises UserError if it cannot be read, or is open elsewhere."""
    place = Path(folder)
    place = place.parent if place.name == KIT_FILE else place
    if not exists(place / KIT_FILE):
        raise UserError(f"{place}: there is no {KIT_FILE}, so it is no kit.")
    held = KitFolder(place)
    try:
        if held.read_only:
            raise UserError(f"{place}: cannot be worked on: {held.read_only}.")
        return OpenKit(as_on_disk(held.open().saved)[0], held)
    except UserError:
        held.close()
        raise


def new_kit(name: str = "Untitled") -> OpenKit:
    """A kit that has no folder yet."""
    return OpenKit(replace(Kit(), name=name), None)


def _one_of(kind: Any, word: str, what: str) -> Any:
    try:
        return kind(word)
    except ValueError:
        raise UserError(f"“{word}” is no {what}; use {', '.join(kind)}.") from None


def _hex(text: str) -> tuple[int, int, int]:
    try:
        return parse_hex(text)
    except ValueError as error:
        raise UserError(str(error)) from None


__all__ = ["OpenKit", "Overcoats", "RecipeCoats", "command_names", "new_kit", "open_kit"]
