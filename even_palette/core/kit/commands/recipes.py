"""Commands on recipes: lists of coats that several regions wear by link."""

from collections.abc import Sequence
from pathlib import Path

from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit.coat_owners import Owner, RecipeCoats, coats_of, recipe_length, with_coats
from even_palette.core.kit.coat_values import spec_of, with_own_value
from even_palette.core.kit.commands._command import Command
from even_palette.core.kit.commands.coats import check_room
from even_palette.core.kit.keyed import change_one
from even_palette.core.kit.model import Kit, Recipe
from even_palette.core.kit.names import new_key, retire, unique
from even_palette.core.kit.planes import check_coats_on
from even_palette.core.kit.recipe_file import RecipeFile, living_at, with_recipe
from even_palette.core.kit.trees import with_region
from even_palette.core.kit.validate_coats import plain_setting
from even_palette.core.limits import MOST_RECIPES
from even_palette.core.material.model import Setting


def make_recipe(owner: Owner, name: str) -> Command:
    """Make a recipe of all coats of a region, which wears it from then on; no pixel changes."""

    def apply(kit: Kit) -> Kit:
        if not isinstance(owner, str):
            raise UserError("A recipe is made of the coats of a region.")
        if len(kit.recipes) >= MOST_RECIPES:
            raise UserError(f"A kit holds at most {MOST_RECIPES} recipes.")
        final = unique(name.strip() or "Recipe", [recipe.name for recipe in kit.recipes])
        made = Recipe(new_key(kit, final), final, coats_of(kit, owner))
        kit = with_coats(replace(kit, recipes=(*kit.recipes, made)), RecipeCoats(made.key), made.coats)
        return with_region(kit, owner, lambda r: replace(r, recipe=made.key, coats=(), own_values={}))

    return Command("Make recipe", apply)


def wear_recipe(region: str, recipe: str) -> Command:
    """Let a region wear a recipe in place of its coats. Raises UserError where that reads planes that are not there."""

    def apply(kit: Kit) -> Kit:
        made = kit.recipe(recipe)
        sheet = kit.sheet_of(region)
        check_coats_on(kit, sheet, f"“{made.name}”", made.coats)
        kit = with_coats(kit, region, ())
        return with_region(kit, region, lambda r: replace(r, recipe=recipe, own_values={}))

    return Command("Wear recipe", apply)


def wear_in(regions: Sequence[str], recipe: str) -> Command:
    """Let several regions wear a recipe, in one step. Raises UserError as `wear_recipe` does."""

    def apply(kit: Kit) -> Kit:
        for region in regions:
            kit = wear_recipe(region, recipe).apply(kit)
        return kit

    return Command("Wear recipe", apply)


def let_go(region: str) -> Command:
    """Give a region the coats of its recipe as its own; no pixel changes, and it follows no more."""

    def apply(kit: Kit) -> Kit:
        coats = coats_of(kit, region)
        return with_coats(with_region(kit, region, lambda r: replace(r, recipe="", own_values={})), region, coats)

    return Command("Let go of recipe", apply)


def rename_recipe(recipe: str, name: str) -> Command:
    """Call a recipe something else; its key stays."""

    def apply(kit: Kit) -> Kit:
        others = [each.name for each in kit.recipes if each.key != recipe]
        final = unique(name.strip() or "Recipe", others)
        kit.recipe(recipe)
        return replace(
            kit, recipes=change_one(kit.recipes, lambda r: r.key == recipe, lambda r: replace(r, name=final))
        )

    return Command("Rename recipe", apply)


def remove_recipe(recipe: str) -> Command:
    """Take a recipe away; its wearers keep its coats as their own, so no pixel changes."""

    def apply(kit: Kit) -> Kit:
        for region in kit.wearers(recipe):
            kit = let_go(region.key).apply(kit)
        return retire(replace(kit, recipes=tuple(r for r in kit.recipes if r.key != recipe)), recipe)

    return Command("Remove recipe", apply)


def take_into_recipe(region: str) -> Command:
    """Add the own coats of a wearer to its recipe, behind the others; all wearers get them."""

    def apply(kit: Kit) -> Kit:
        worn = kit.region(region)
        made = kit.recipe(worn.recipe)
        for other in kit.wearers(worn.recipe):
            if other.key != region:
                check_room(kit, other.key, len(worn.coats))
                check_coats_on(kit, kit.sheet_of(other.key), f"“{made.name}”", worn.coats)
        kit = with_coats(kit, RecipeCoats(made.key), (*made.coats, *worn.coats))
        return with_region(kit, region, lambda r: replace(r, coats=()))

    return Command("Take coats into recipe", apply)


def add_recipe_from_file(path: Path, file: RecipeFile) -> Command:
    """Add a recipe that lives in a file, as `recipe_file.read_recipe` read it."""
    return Command("Open recipe", lambda kit: with_recipe(kit, path, file)[0])


def change_recipe_to_file(recipe: str, path: Path, file: RecipeFile) -> Command:
    """Make a recipe what a file holds: one that was changed, or another one; its wearers follow."""
    return Command("Read recipe", lambda kit: with_recipe(kit, path, file, recipe)[0])


def keep_recipe_in_file(recipe: str, path: str, sha256: str, linked: dict[str, str]) -> Command:
    """Let a recipe live in a file to which it was written (see `recipe_file.living_at`)."""
    return Command("Keep recipe in a file", lambda kit: living_at(kit, recipe, path, sha256, linked))


def take_in_recipe(recipe: str) -> Command:
    """Let a recipe live in the kit alone; no pixel changes, and the file stays as it is."""
    return Command("Take recipe in", lambda kit: living_at(kit, recipe, "", "", kit.recipe(recipe).linked))


def set_own_value(region: str, value_name: str, coat: int, setting: Setting | None) -> Command:
    """Let a wearer set a value of its recipe itself, or follow the recipe again with None."""

    def apply(kit: Kit) -> Kit:
        if not 0 <= coat < recipe_length(kit, region):
            raise UserError("Only values of a recipe's coats can be set otherwise.")
        plain = None if setting is None else plain_setting(spec_of(kit, region, value_name, coat), setting)
        return with_own_value(kit, region, coat, value_name, plain)

    return Command(
        "Follow the recipe" if setting is None else "Set own value", apply, f"own {region} {coat} {value_name}"
    )


__all__ = [
    "add_recipe_from_file", "change_recipe_to_file", "keep_recipe_in_file", "let_go", "make_recipe", "remove_recipe",
    "rename_recipe", "set_own_value", "take_in_recipe", "take_into_recipe", "wear_in", "wear_recipe",
]  # fmt: skip
