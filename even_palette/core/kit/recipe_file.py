"""Recipes in files of their own, which several kits link: what such a file holds, and taking it into a kit."""

import hashlib
import os
from collections import OrderedDict
from collections.abc import Callable, Iterable, Mapping
from pathlib import Path
from threading import Lock
from typing import Annotated, TypeVar

import msgspec
from msgspec import Meta
from msgspec.structs import replace

from even_palette.core.disk.gate import read_bytes, reason
from even_palette.core.disk.whole import write_whole
from even_palette.core.errors import UserError
from even_palette.core.kit.coat_owners import RecipeCoats, keyed_coats, value_uses
from even_palette.core.kit.keyed import change_one
from even_palette.core.kit.model import Kit, Recipe
from even_palette.core.kit.names import Names, identifier, keys_of, new_key, unique
from even_palette.core.kit.planes import STRIPS, missing_plane, uses_of
from even_palette.core.kit.scene_references import fitting_scenes
from even_palette.core.kit.trees import with_region
from even_palette.core.kit.validate import check_kit, check_together
from even_palette.core.kit.validate_coats import plain_setting
from even_palette.core.limits import MOST_COATS, MOST_PALETTES, MOST_PARAMETERS
from even_palette.core.material.model import Bound, Coat, Parameter, PlaneUse, Setting
from even_palette.core.ranges import told
from even_palette.core.tones.palette import Palette
from even_palette.core.tones.ramp import Ramp

RECIPE_FORMAT = 2
SUFFIX = ".recipe.json"
MOST_RECIPE_BYTES = 4 << 20
MOST_REMEMBERED = 64


class RecipeFile(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A recipe as a file holds it; it is called as the file is.

    Its parameters, palettes and ramps are those that its coats follow and read. Their keys, which are their names too,
    hold within the file: each kit has keys and names of its own for them. Keys of coats are the same everywhere, and
    those of `retired` are never given again. In format 1 coats had none.
    """

    coats: Annotated[tuple[Coat, ...], Meta(min_length=1, max_length=MOST_COATS)]
    parameters: Annotated[tuple[Parameter, ...], Meta(max_length=MOST_PARAMETERS)] = ()
    palettes: Annotated[tuple[Palette, ...], Meta(max_length=MOST_PALETTES)] = ()
    ramps: Annotated[tuple[Ramp, ...], Meta(max_length=MOST_PALETTES)] = ()
    format: int = RECIPE_FORMAT
    retired: tuple[str, ...] = ()


_known: OrderedDict[str, RecipeFile] = OrderedDict()
_lock = Lock()


def recipe_schema() -> dict[str, object]:
    """JSON Schema of a recipe's file."""
    return msgspec.json.schema(RecipeFile)


def encode_recipe(file: RecipeFile) -> bytes:
    """The text of a recipe's file; the same for the same recipe, whichever kit wrote it."""
    return msgspec.json.format(msgspec.json.encode(file, order="deterministic"), indent=2) + b"\n"


def decode_recipe(text: bytes, name: str) -> RecipeFile:
    """The recipe that a file describes. Raises UserError, naming the file, for one that does not hold together."""
    stored: object = None
    try:
        stored = msgspec.json.decode(text)
        file = msgspec.convert(stored, RecipeFile)
        if file.format == 1:
            file = replace(file, coats=keyed_coats(file.coats), format=RECIPE_FORMAT)
        if file.format != RECIPE_FORMAT:
            raise UserError(f"it has format {file.format}; this version reads format {RECIPE_FORMAT}.")
        every = [part.key for parts in (file.parameters, file.palettes, file.ramps) for part in parts]
        if len(set(every)) != len(every):
            raise UserError("it has two parameters, palettes or ramps of one key.")
        lost = {use.plane.key for coat in file.coats for use in uses_of(coat) if _is_strip(use)} - set(every)
        if lost:
            raise UserError(f"it reads the palette or ramp “{min(lost)[:40]}”, which is not in it.")
        check_together(_plain(file))
        kit, key = with_recipe(Kit(), Path(name), file)
        # As every kit writes it: what the coats do not follow is left out, the rest is in order.
        return recipe_of(kit, key)[0]
    except (msgspec.MsgspecError, UserError, KeyError, RecursionError, ValueError) as error:
        raise UserError(
            f"{name}: not a recipe that can be opened: {' '.join(told(error, stored).split())[:200]}"
        ) from None


def _plain(file: RecipeFile) -> Kit:
    """A kit that has just what is in the file, under the file's own keys."""
    recipe = Recipe("a_recipe", "Recipe", file.coats, retired=file.retired)
    return Kit(parameters=file.parameters, palettes=file.palettes, ramps=file.ramps, recipes=(recipe,))


def content_id(file: RecipeFile) -> str:
    """The SHA-256 of a recipe as this program writes it."""
    digest = hashlib.sha256(encode_recipe(file)).hexdigest()
    with _lock:
        _known[digest] = file
        _known.move_to_end(digest)
        if len(_known) > MOST_REMEMBERED:
            _known.popitem(last=False)
    return digest


def remembered(sha256: str) -> RecipeFile | None:
    """The recipe of a content that this process read or wrote lately: what two sides started from."""
    with _lock:
        return _known.get(sha256)


def read_recipe(path: Path) -> RecipeFile:
    """Raises UserError if the file cannot be read or holds no recipe."""
    return decode_recipe(read_bytes(path, MOST_RECIPE_BYTES), str(path))


def write_recipe(path: Path, file: RecipeFile) -> None:
    """Write a recipe whole beside its name and rename it. Raises UserError if that fails."""
    try:
        write_whole(path, encode_recipe(file))
    except OSError as error:
        raise UserError(f"{path}: the recipe could not be written ({reason(error)}).") from error


# From a kit


def recipe_of(kit: Kit, key: str) -> tuple[RecipeFile, dict[str, str]]:
    """What the file of a recipe would hold now, and the keys in the kit by those in the file. Raises KeyError."""
    recipe = kit.recipe(key)
    names = {own: name for name, own in recipe.linked.items()}
    bound = [use.value.parameter for use in value_uses(kit, RecipeCoats(key)) if isinstance(use.value, Bound)]
    strips = [use.plane.key for coat in recipe.coats for use in uses_of(coat) if _is_strip(use)]
    used = list(dict.fromkeys([*bound, *strips]))
    for own in used:
        if own not in names:
            wanted = kit.parameter(own).name if own in bound else own
            names[own] = unique(wanted, names.values(), "_")
    file = RecipeFile(
        tuple(_with_keys(coat, names.__getitem__) for coat in recipe.coats),
        tuple(replace(p, key=names[p.key], name=names[p.key]) for p in map(kit.parameter, sorted(set(bound)))),
        tuple(replace(p, key=names[p.key], name=names[p.key]) for p in kit.palettes if p.key in used),
        tuple(replace(r, key=names[r.key], name=names[r.key]) for r in kit.ramps if r.key in used),
        retired=recipe.retired,
    )
    in_order = replace(
        file,
        parameters=tuple(sorted(file.parameters, key=lambda part: part.key)),
        palettes=tuple(sorted(file.palettes, key=lambda part: part.key)),
        ramps=tuple(sorted(file.ramps, key=lambda part: part.key)),
    )
    return in_order, {names[own]: own for own in used}


def differs_from_file(kit: Kit, recipe: Recipe) -> bool:
    """Whether a recipe with a file was changed in the kit since the file was read or written last."""
    return bool(recipe.path) and content_id(recipe_of(kit, recipe.key)[0]) != recipe.sha256


def written(kit: Kit, key: str, path: Path) -> Kit:
    """Write a recipe to a file: the kit in which it lives there. Raises UserError if that fails."""
    file, linked = recipe_of(kit, key)
    write_recipe(path, file)
    return living_at(kit, key, os.path.abspath(path), content_id(file), linked)


def living_at(kit: Kit, key: str, path: str, sha256: str, linked: dict[str, str]) -> Kit:
    """The kit with what it knows of the file of a recipe."""

    def change(recipe: Recipe) -> Recipe:
        return replace(recipe, path=path, sha256=sha256, linked=linked)

    return replace(kit, recipes=change_one(kit.recipes, lambda recipe: recipe.key == key, change))


# Into a kit


def with_recipe(kit: Kit, path: Path, file: RecipeFile, key: str = "") -> tuple[Kit, str]:
    """The kit with the recipe of a file, and its key there: a new one, or that of `key`, which becomes as in the file.

    What a wearer sets itself stays where it fits. Raises KeyError, and UserError where the result would not hold.
    """
    before = kit.recipe(key) if key else None
    known = before.linked if before else {}
    keys = Names(keys_of(kit), "_")
    kit, linked = _with_parameters(kit, file.parameters, known, keys)
    palettes, linked_palettes = _with_strips(kit.palettes, file.palettes, known, keys)
    ramps, linked_ramps = _with_strips(kit.ramps, file.ramps, known, keys)
    kit = replace(kit, palettes=palettes, ramps=ramps)
    linked = linked | linked_palettes | linked_ramps
    coats = keyed_coats([_with_keys(coat, lambda name: linked.get(name, name)) for coat in file.coats])
    if before is None:
        stem = path.name.removesuffix(SUFFIX).removesuffix(".json")
        name = unique(stem or "Recipe", [recipe.name for recipe in kit.recipes])
        key = new_key(kit, name)
        kit = replace(kit, recipes=(*kit.recipes, Recipe(key, name, coats, retired=file.retired)))
    else:
        changed = replace(before, coats=coats, retired=file.retired)
        kit = replace(kit, recipes=change_one(kit.recipes, lambda recipe: recipe.key == key, lambda _: changed))
        kit = _where_it_fits(kit, key, before.coats)
    kit = living_at(kit, key, os.path.abspath(path), content_id(file), linked)
    check_kit(kit)
    return kit, key


def _with_parameters(
    kit: Kit, given: Iterable[Parameter], known: Mapping[str, str], keys: Names
) -> tuple[Kit, dict[str, str]]:
    """The kit with the parameters of a file, and their keys there by those in the file."""
    there = kit.parameters_by_key
    names = Names((parameter.name for parameter in kit.parameters), "_")
    linked: dict[str, str] = {}
    changed: dict[str, Parameter] = {}
    for parameter in given:
        own, name = known.get(parameter.key, ""), identifier(parameter.key)
        old = there.get(own)
        if old is None or old.kind != parameter.kind:
            own = keys.give(name)
            there[own] = replace(parameter, key=own, name=names.give(name))
        else:
            there[own] = changed[own] = replace(parameter, key=own, name=old.name)
        linked[parameter.key] = own

    def stays(key: str, value: Setting) -> bool:
        return key not in changed or _is_allowed(changed[key], value)

    variants = tuple(replace(v, values={k: x for k, x in v.values.items() if stays(k, x)}) for v in kit.variants)
    return fitting_scenes(replace(kit, parameters=tuple(there.values()), variants=variants)), linked


def _is_allowed(parameter: Parameter, value: Setting) -> bool:
    try:
        plain_setting(parameter, value)
    except UserError:
        return False
    return True


Strip = TypeVar("Strip", Palette, Ramp)


def _with_strips(
    strips: tuple[Strip, ...], given: Iterable[Strip], known: Mapping[str, str], keys: Names
) -> tuple[tuple[Strip, ...], dict[str, str]]:
    """The palettes or ramps with those of a file, and their keys there by those in the file."""
    there, names = {strip.key: strip for strip in strips}, Names(strip.name for strip in strips)
    linked: dict[str, str] = {}
    for strip in given:
        own = known.get(strip.key, "")
        if own in there:
            name = there[own].name
        else:
            own = keys.give(identifier(strip.key))
            name = names.give(strip.key.replace("_", " ").capitalize())
        there[own] = replace(strip, key=own, name=name)
        linked[strip.key] = own
    return tuple(there.values()), linked


def _where_it_fits(kit: Kit, key: str, before: tuple[Coat, ...]) -> Kit:
    """The kit whose wearers set no value that their recipe does not have any more."""
    was, now = ({coat.key: coat.kind for coat in coats} for coats in (before, kit.recipe(key).coats))

    for region in kit.wearers(key):
        left = {coat: own for coat, own in region.own_values.items() if now.get(coat) == was.get(coat)}
        kit = with_region(kit, region.key, lambda worn, left=left: replace(worn, own_values=left))  # type: ignore[misc]
        sheet, recipe = kit.sheet_of(region.key), kit.recipe(key)
        if lacks := missing_plane(kit, sheet, recipe.coats):
            raise UserError(
                f"“{recipe.name}” now reads the {lacks.kind} “{lacks.key}”, which {sheet.name} does not have."
            )
    return kit


# Keys in coats


def _is_strip(use: PlaneUse) -> bool:
    return use.plane.kind in STRIPS


def _with_keys(coat: Coat, name: Callable[[str], str]) -> Coat:
    """A coat whose parameters, palettes and ramps are called otherwise."""

    def plane(use: PlaneUse) -> PlaneUse:
        return replace(use, plane=replace(use.plane, key=name(use.plane.key))) if _is_strip(use) else use

    values = {key: Bound(name(v.parameter)) if isinstance(v, Bound) else v for key, v in coat.values.items()}
    planes = {key: plane(use) for key, use in coat.planes.items()}
    return replace(coat, values=values, planes=planes, pattern=plane(coat.pattern) if coat.pattern else None)
