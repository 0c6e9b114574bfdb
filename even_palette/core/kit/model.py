"""The kit as an immutable tree of frozen structs."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Annotated

import msgspec
from msgspec import Meta
from msgspec.structs import replace

from even_palette.core.kit.keyed import by_key, change_one
from even_palette.core.kit.mesh_file import MeshFile
from even_palette.core.kit.output_plan import OutputPlan
from even_palette.core.kit.scene import Scene, Surround, ToldApart
from even_palette.core.kit.sheet import Region, Sheet, Source
from even_palette.core.kit.twin import Twin
from even_palette.core.limits import (
    FORMAT,
    MOST_BUDGET,
    MOST_COATS,
    MOST_MESHES,
    MOST_PALETTES,
    MOST_PARAMETERS,
    MOST_PLANS,
    MOST_PRESETS,
    MOST_RECIPES,
    MOST_SCENES,
    MOST_SHEETS,
    MOST_VARIANTS,
)
from even_palette.core.material.model import Blending, Coat, Parameter, Setting, Variant
from even_palette.core.material.variants import MASTER, lineage
from even_palette.core.proof.conditions import OwnPreset
from even_palette.core.ranges import Key
from even_palette.core.tones.palette import Palette
from even_palette.core.tones.ramp import Ramp


class Recipe(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A named list of coats that regions of any sheet wear by link: change it once, and all of them follow.

    One with a `path` lives in a file that other kits link too (see `kit/recipe_file`); path as for maps. `sha256` is
    what the file held when it was read or written last, and `linked` are the keys in the kit by those in the file.
    `retired` are keys of coats that it had; they are never given to another.
    """

    key: Key
    name: str
    coats: Annotated[tuple[Coat, ...], Meta(min_length=1, max_length=MOST_COATS)]
    path: str = ""
    sha256: str = ""
    linked: dict[Key, Key] = {}
    retired: tuple[str, ...] = ()


class Kit(msgspec.Struct, frozen=True, forbid_unknown_fields=True, dict=True):
    """The document. Which sheet is looked at is no part of it; `at` names one where that matters.

    `retired` are keys of what was removed; they are never given to anything else. All textures may take `budget_bytes`
    in a runtime, 0 for no budget; `presets` are conditions that it keeps.
    """

    name: str = "Untitled"
    format: int = FORMAT
    sheets: Annotated[tuple[Sheet, ...], Meta(min_length=1, max_length=MOST_SHEETS)] = (Sheet("sheet_1", "Sheet"),)
    meshes: Annotated[tuple[MeshFile, ...], Meta(max_length=MOST_MESHES)] = ()
    parameters: Annotated[tuple[Parameter, ...], Meta(max_length=MOST_PARAMETERS)] = ()
    variants: Annotated[tuple[Variant, ...], Meta(max_length=MOST_VARIANTS)] = ()
    blending: Blending = Blending.LINEAR
    retired: tuple[str, ...] = ()
    palettes: Annotated[tuple[Palette, ...], Meta(max_length=MOST_PALETTES)] = ()
    ramps: Annotated[tuple[Ramp, ...], Meta(max_length=MOST_PALETTES)] = ()
    recipes: Annotated[tuple[Recipe, ...], Meta(max_length=MOST_RECIPES)] = ()
    plans: Annotated[tuple[OutputPlan, ...], Meta(max_length=MOST_PLANS)] = ()
    apart: ToldApart = ToldApart()
    scenes: Annotated[tuple[Scene, ...], Meta(max_length=MOST_SCENES)] = ()
    presets: Annotated[tuple[OwnPreset, ...], Meta(max_length=MOST_PRESETS)] = ()
    budget_bytes: Annotated[int, Meta(ge=0, le=MOST_BUDGET)] = 0

    def at(self, key: str = "", twin: str = "") -> "Focus":
        """The kit at one of its sheets, the first one without a key; or as a twin of that sheet has it.

        Raises KeyError if there is none of this key.
        """
        key = key or self.sheets[0].key
        self.sheet(key)
        return Focus(self.as_twin(twin), key, twin, self) if twin else Focus(self, key)

    def at_surface(self, key: str) -> "Focus":
        """The kit at the sheet or the twin with this key. Raises KeyError if there is none."""
        return self.at(self.twin(key)[0].key, key) if key in self._twins else self.at(key)

    @property
    def surface_names(self) -> dict[str, str]:
        """The names of all sheets, each followed by its twins, by key."""
        names = dict[str, str]()
        for sheet in self.sheets:
            names[sheet.key] = sheet.name
            names.update((twin.key, twin.name) for twin in sheet.twins)
        return names

    def twin(self, key: str) -> tuple[Sheet, Twin]:
        """The twin with this key, with its sheet. Raises KeyError if there is none."""
        return self._twins[key]

    def as_twin(self, key: str) -> "Kit":
        """The kit with the values that a twin sets in place of those that all share. Raises KeyError."""
        if key not in self._as_twins:
            own = self.twin(key)[1].values
            parameters, variants = self.parameters, self.variants
            if defaults := own.get(MASTER):
                parameters = tuple(replace(p, default=defaults.get(p.key, p.default)) for p in parameters)
            if own:
                variants = tuple(self._variant_of(variant, own) for variant in variants)
            self._as_twins[key] = replace(self, parameters=parameters, variants=variants)
        return self._as_twins[key]

    def sheet(self, key: str) -> Sheet:
        """The sheet with this key. Raises KeyError if there is none."""
        return self._sheets[key]

    def sheet_of(self, region: str) -> Sheet:
        """The sheet that has the region with this key. Raises KeyError if there is none."""
        return self._regions[region][0]

    def with_sheet(self, sheet: Sheet) -> "Kit":
        """The kit with the sheet of this key replaced."""
        return replace(self, sheets=change_one(self.sheets, lambda s: s.key == sheet.key, lambda _: sheet))

    def mesh(self, key: str) -> MeshFile:
        """The mesh with this key. Raises KeyError if there is none."""
        return self._meshes[key]

    def meshes_on(self, sheet: str) -> list[MeshFile]:
        """The meshes of which a part lies on the sheet with this key; references lie on none."""
        return [mesh for mesh in self.meshes if not mesh.reference and sheet in mesh.sheets]

    @property
    def files(self) -> list[Source | MeshFile | Recipe | Surround]:
        """Everything that is read from files: the maps of all sheets, the meshes, recipes that live in files, and
        pictures around scenes.
        """
        maps = (source for sheet in self.sheets for source in sheet.sources if source.plain is None)
        pictures = (scene.light.picture for scene in self.scenes if scene.light.picture is not None)
        return [*maps, *self.meshes, *(recipe for recipe in self.recipes if recipe.path), *pictures]

    @property
    def regions(self) -> list[Region]:
        """The regions of all sheets."""
        return [region for sheet in self.sheets for region in sheet.regions]

    def region(self, key: str) -> Region:
        """The region with this key, on any sheet. Raises KeyError if there is none."""
        return self._regions[key][1]

    @cached_property
    def parameters_by_key(self) -> dict[str, Parameter]:
        """The parameters by their keys, in their order."""
        return {parameter.key: parameter for parameter in self.parameters}

    def parameter(self, key: str) -> Parameter:
        """The parameter with this key. Raises KeyError if there is none."""
        return self.parameters_by_key[key]

    def palette(self, key: str) -> Palette:
        """The palette with this key. Raises KeyError if there is none."""
        return self._palettes[key]

    def ramp(self, key: str) -> Ramp:
        """The ramp with this key. Raises KeyError if there is none."""
        return self._ramps[key]

    def recipe(self, key: str) -> Recipe:
        """The recipe with this key. Raises KeyError if there is none."""
        return self._recipes[key]

    def scene(self, key: str) -> Scene:
        """The scene with this key. Raises KeyError if there is none."""
        return by_key(self.scenes)[key]

    def wearers(self, recipe: str) -> list[Region]:
        """The regions that wear a recipe, by its key."""
        return [region for region in self.regions if region.recipe == recipe]

    def variant(self, key: str) -> Variant:
        """The variant with this key. Raises KeyError if there is none."""
        return self._variants[key]

    # What has keys is looked up; a tree never changes, so what was listed once holds.

    def _variant_of(self, variant: Variant, own: Mapping[str, Mapping[str, Setting]]) -> Variant:
        """A variant where a twin sets these values: what it sets, or inherits from what it sets, nothing else does."""
        set_above = [own.get(each.key, {}) for each in lineage(self.variants, variant.key)]
        owned = set[str]().union(own.get(MASTER, {}), *set_above)
        shared = {key: value for key, value in variant.values.items() if key not in owned}
        tracks = {key: track for key, track in variant.tracks.items() if key not in owned}
        return replace(variant, values={**shared, **own.get(variant.key, {})}, tracks=tracks)

    @cached_property
    def _twins(self) -> dict[str, tuple[Sheet, Twin]]:
        return {twin.key: (sheet, twin) for sheet in self.sheets for twin in sheet.twins}

    @cached_property
    def _as_twins(self) -> "dict[str, Kit]":
        return {}

    @cached_property
    def _sheets(self) -> dict[str, Sheet]:
        return by_key(self.sheets)

    @cached_property
    def _regions(self) -> dict[str, tuple[Sheet, Region]]:
        return {region.key: (sheet, region) for sheet in reversed(self.sheets) for region in reversed(sheet.regions)}

    @cached_property
    def _meshes(self) -> dict[str, MeshFile]:
        return by_key(self.meshes)

    @cached_property
    def _palettes(self) -> dict[str, Palette]:
        return by_key(self.palettes)

    @cached_property
    def _ramps(self) -> dict[str, Ramp]:
        return by_key(self.ramps)

    @cached_property
    def _recipes(self) -> dict[str, Recipe]:
        return by_key(self.recipes)

    @cached_property
    def _variants(self) -> dict[str, Variant]:
        return by_key(self.variants)

    @property
    def variant_names(self) -> dict[str, str]:
        """The names of the master and all variants, by key, in order."""
        return {MASTER: "Master", **{variant.key: variant.name for variant in self.variants}}


@dataclass(frozen=True, eq=False)
class Focus:
    """A kit and the key of the sheet that is meant: what results, looks and checks of one sheet are asked with.

    Where a `twin` of the sheet is meant, the kit is as that has it, and `shared` is the kit itself.
    """

    kit: Kit
    key: str
    twin: str = ""
    shared: Kit | None = None

    @property
    def whole(self) -> Kit:
        """The kit itself, whichever twin is meant."""
        return self.shared or self.kit

    @property
    def sheet(self) -> Sheet:
        """The sheet that is meant."""
        return self.kit.sheet(self.key)
