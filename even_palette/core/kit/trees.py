"""Looks and changes that go through a whole kit: one region wherever it is, all files, all paint."""

from collections.abc import Callable, Iterator
from typing import Protocol, TypeVar

from msgspec.structs import replace

from even_palette.core.kit.keyed import change_one
from even_palette.core.kit.mesh_file import MeshFile
from even_palette.core.kit.model import Kit, Recipe
from even_palette.core.kit.scene import Scene, Surround
from even_palette.core.kit.sheet import Region, Sheet, Source, Step, Tone
from even_palette.core.regions.paint import Paint, PaintTile

FromFile = TypeVar("FromFile", Source, MeshFile, Recipe, Surround)
Painted = TypeVar("Painted", Step, Tone)


def with_region(kit: Kit, key: str, change: Callable[[Region], Region]) -> Kit:
    """The kit with one region changed. Raises KeyError if there is none with this key."""
    sheet = kit.sheet_of(key)
    return kit.with_sheet(replace(sheet, regions=change_one(sheet.regions, lambda region: region.key == key, change)))


class FileChange(Protocol):
    """A change of what is read from a file: a map, a mesh, a recipe, or a picture around a scene."""

    def __call__(self, file: FromFile, /) -> FromFile:
        """What is read from the file, changed."""
        ...


def paint_tiles(kit: Kit) -> Iterator[PaintTile]:
    """The tiles of everything that was painted."""
    for paint in paints_of(kit):
        yield from paint.tiles.values()


def paints_of(kit: Kit) -> Iterator[Paint]:
    """Everything that was painted: into masks, and into planes of their own."""
    for sheet in kit.sheets:
        painted: tuple[Step | Tone, ...] = (*(step for region in sheet.regions for step in region.steps), *sheet.tones)
        yield from (each.paint for each in painted if each.paint is not None)


def with_paint_tiles(kit: Kit, change: Callable[[PaintTile], PaintTile]) -> Kit:
    """The kit with a change made to every tile of paint."""
    return _with_paint(
        kit, lambda paint: replace(paint, tiles={place: change(tile) for place, tile in paint.tiles.items()})
    )


def without_tiles(kit: Kit) -> Kit:
    """The kit with nothing painted: tiles may be many, and hold nothing that could be set to what cannot be."""
    return _with_paint(kit, lambda paint: replace(paint, tiles={}))


def _with_paint(kit: Kit, change: Callable[[Paint], Paint]) -> Kit:
    def of_painted(painted: Painted) -> Painted:
        return painted if painted.paint is None else replace(painted, paint=change(painted.paint))

    def of_sheet(sheet: Sheet) -> Sheet:
        if any(tone.paint is not None for tone in sheet.tones):
            sheet = replace(sheet, tones=tuple(map(of_painted, sheet.tones)))
        if all(step.paint is None for region in sheet.regions for step in region.steps):
            return sheet
        return replace(sheet, regions=tuple(replace(r, steps=tuple(map(of_painted, r.steps))) for r in sheet.regions))

    return replace(kit, sheets=tuple(map(of_sheet, kit.sheets)))


def with_files(kit: Kit, change: FileChange) -> Kit:
    """The kit with a change made to everything that is read from files."""

    def of_map(source: Source) -> Source:
        return source if source.plain is not None else change(source)

    sheets = tuple(replace(sheet, sources=tuple(map(of_map, sheet.sources))) for sheet in kit.sheets)
    recipes = tuple(change(recipe) if recipe.path else recipe for recipe in kit.recipes)

    def of_scene(scene: Scene) -> Scene:
        picture = scene.light.picture
        return scene if picture is None else replace(scene, light=replace(scene.light, picture=change(picture)))

    meshes, scenes = tuple(map(change, kit.meshes)), tuple(map(of_scene, kit.scenes))
    return replace(kit, sheets=sheets, meshes=meshes, recipes=recipes, scenes=scenes)
