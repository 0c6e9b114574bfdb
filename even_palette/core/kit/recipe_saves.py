"""Saving recipes with a kit: the files of recipes and kit.json change together, or neither does."""

import contextlib
import hashlib
from collections.abc import Iterator, Mapping
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import TypeVar, cast

import msgspec
from msgspec.structs import replace

from even_palette.core.disk.gate import exists, read_bytes
from even_palette.core.disk.places import state_folder
from even_palette.core.disk.whole import write_whole
from even_palette.core.errors import UserError
from even_palette.core.kit.keyed import Keyed, by_key
from even_palette.core.kit.model import Kit
from even_palette.core.kit.recipe_file import (
    MOST_RECIPE_BYTES,
    RecipeFile,
    content_id,
    differs_from_file,
    encode_recipe,
    living_at,
    read_recipe,
    recipe_of,
    remembered,
    with_recipe,
)
from even_palette.core.material.model import Coat

MOST_JOURNAL_BYTES = 1 << 30
WAIT_S = 10.0


class _Before(msgspec.Struct, frozen=True):
    """A recipe's file before a save: where it lies, what it held, and the SHA-256 of what the save writes."""

    path: str
    held: bytes
    sha256: str


class _Linked(msgspec.Struct):
    path: str = ""
    sha256: str = ""


class _Saved(msgspec.Struct):
    """What a kit.json says of the files of recipes."""

    recipes: list[_Linked] = []


@contextmanager
def writing_recipes(kit: Kit, journal: Path) -> Iterator[tuple[Kit, list[str]]]:
    """Write the recipes that were changed in the kit to their files: the kit that knows of it, and what was not done.

    The block then writes the kit; if it raises, the files get back what they held, and if the process dies, `put_back`
    sees to it. Where somebody else changed a file meanwhile, values that were changed on one side alone are joined; a
    file that is gone, or where both sides changed the same, is left as it is. Raises OSError.
    """
    with ExitStack() as locks:
        plan, told = _planned(kit, locks)
        before = [_Before(path, read_bytes(Path(path), MOST_RECIPE_BYTES), content_id(file)) for path, file in plan]
        if before:
            write_whole(journal, msgspec.json.encode(before))
        try:
            for path, file in plan:
                write_whole(Path(path), encode_recipe(file))
                kit = _with_written(kit, path, file)
            yield kit, told
        except BaseException:
            for each in before:
                _restore(each)  # where that fails, the next opening sees to it
            journal.unlink(missing_ok=True)
            raise
        journal.unlink(missing_ok=True)


def put_back(journal: Path, kit_file: Path) -> None:
    """Finish or undo what a killed save left: files of recipes that kit.json does not know get back what they held."""
    if not exists(journal):
        return
    with contextlib.suppress(UserError, msgspec.MsgspecError, ValueError, RecursionError, OSError):
        before = msgspec.json.decode(read_bytes(journal, MOST_JOURNAL_BYTES), type=list[_Before])
        saved = msgspec.json.decode(read_bytes(kit_file, MOST_JOURNAL_BYTES), type=_Saved)
        known = {recipe.sha256 for recipe in saved.recipes}
        for each in before:
            if each.sha256 not in known:
                _restore(each)
        journal.unlink(missing_ok=True)


def _restore(before: _Before) -> None:
    """What somebody wrote after us stays."""
    path = Path(before.path)
    with contextlib.suppress(UserError):
        if hashlib.sha256(read_bytes(path, MOST_RECIPE_BYTES)).hexdigest() == before.sha256:
            write_whole(path, before.held)


def _planned(kit: Kit, locks: ExitStack) -> tuple[list[tuple[str, RecipeFile]], list[str]]:
    """What is to be written where, and why something is not. The files stay locked."""
    plan, told = list[tuple[str, RecipeFile]](), list[str]()
    for recipe in sorted(kit.recipes, key=lambda recipe: recipe.path):
        if not differs_from_file(kit, recipe):
            continue
        path, ours = Path(recipe.path), recipe_of(kit, recipe.key)[0]
        try:
            _lock(path, locks)
            theirs = read_recipe(path)
            joined: RecipeFile | None = ours
            if content_id(theirs) not in (recipe.sha256, content_id(ours)):
                base = remembered(recipe.sha256)
                joined = base and merged(base, ours, theirs)
            if joined is None:
                raise UserError(f"{path}: was changed by somebody else.")
            _with_written(kit, recipe.path, joined)
            plan.append((recipe.path, joined))
        except UserError as error:
            told.append(f"“{recipe.name}” stays in the kit alone: {error}")
    return plan, told


def _lock(path: Path, locks: ExitStack) -> None:
    """Let no other kit save this recipe meanwhile. Raises UserError where one does not come to its end."""
    from filelock import FileLock, Timeout

    folder = state_folder() / "locks"
    folder.mkdir(parents=True, exist_ok=True)
    name = hashlib.sha256(str(path).encode("utf-8", "surrogateescape")).hexdigest()[:32]
    try:
        locks.enter_context(FileLock(folder / f"{name}.lock", timeout=WAIT_S, thread_local=False))
    except Timeout:
        raise UserError(f"{path}: is being written by another window; save again.") from None


def _with_written(kit: Kit, path: str, file: RecipeFile) -> Kit:
    """The kit in which the recipes of a file are what was written there. Raises UserError where that cannot be."""
    for recipe in kit.recipes:
        if recipe.path != path:
            continue
        ours, linked = recipe_of(kit, recipe.key)
        if ours == file:
            kit = living_at(kit, recipe.key, path, content_id(file), linked)
        else:
            kit = with_recipe(kit, Path(path), file, recipe.key)[0]
    return kit


# Joining what two sides changed

Part = TypeVar("Part")
GONE = object()


class _Both(Exception):
    """Both sides changed the same, each in its own way."""


def merged(base: RecipeFile, ours: RecipeFile, theirs: RecipeFile) -> RecipeFile | None:
    """What two sides made of a recipe, joined by values; None where both changed the same, each in its own way."""
    try:
        return replace(
            ours,
            coats=_coats(base.coats, ours.coats, theirs.coats),
            parameters=_parts(base.parameters, ours.parameters, theirs.parameters),
            palettes=_parts(base.palettes, ours.palettes, theirs.palettes),
            ramps=_parts(base.ramps, ours.ramps, theirs.ramps),
            retired=tuple(sorted({*ours.retired, *theirs.retired})),
        )
    except _Both:
        return None


def _coats(base: tuple[Coat, ...], ours: tuple[Coat, ...], theirs: tuple[Coat, ...]) -> tuple[Coat, ...]:
    order = [[(coat.key, coat.kind) for coat in coats] for coats in (base, ours, theirs)]
    if order[1] != order[0] or order[2] != order[0]:
        return _either(base, ours, theirs)
    return tuple(map(_coat, base, ours, theirs))


def _coat(base: Coat, ours: Coat, theirs: Coat) -> Coat:
    return replace(
        ours,
        values=_by_name(base.values, ours.values, theirs.values),
        planes=_by_name(base.planes, ours.planes, theirs.planes),
        pattern=_either(base.pattern, ours.pattern, theirs.pattern),
        on=_either(base.on, ours.on, theirs.on),
    )


def _parts(base: tuple[Keyed, ...], ours: tuple[Keyed, ...], theirs: tuple[Keyed, ...]) -> tuple[Keyed, ...]:
    return tuple(_by_name(by_key(base), by_key(ours), by_key(theirs)).values())


def _by_name(base: Mapping[str, Part], ours: Mapping[str, Part], theirs: Mapping[str, Part]) -> dict[str, Part]:
    found = {}
    for name in sorted({*base, *ours, *theirs}):
        value = _either(*(side.get(name, GONE) for side in (base, ours, theirs)))
        if value is not GONE:
            found[name] = value
    return cast("dict[str, Part]", found)


def _either(base: Part, ours: Part, theirs: Part) -> Part:
    """What one side changed, or both alike."""
    if theirs in (base, ours):
        return ours
    if ours == base:
        return theirs
    raise _Both
