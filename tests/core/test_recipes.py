"""Recipes: coats that several regions wear by link, and what a wearer sets itself."""

import random

import numpy as np
import pytest

from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import (
    Overcoats,
    RecipeCoats,
    coats_of,
    without_unused,
)
from even_palette.core.kit.commands import Command
from even_palette.core.kit.history import History
from even_palette.core.kit.model import Kit
from even_palette.core.kit.store import decode_kit, encode_kit
from even_palette.core.kit.validate import check_kit
from even_palette.core.material.model import Bound, Coat, PlaneUse
from even_palette.core.material.plane_reads import map_plane
from even_palette.core.material.variants import resolve
from even_palette.core.results.rendering import SheetRender
from even_palette.core.results.sheets import Sheets


def colours(kit: Kit, sheets: Sheets, variant: str = "") -> np.ndarray:
    settings = resolve(kit.parameters, kit.variants, variant)
    return SheetRender(kit.at(), sheets).render(["colour"], settings)["colour"]


@pytest.fixture
def worn(history: History) -> History:
    """Region 1 and 2 wear a recipe of a true tint and a shift; region 2 has a coat of its own after it."""
    history.do(commands.set_choice("region_1", "mode", "luminance"))
    history.do(commands.add_coat("region_1", Coat("shift", {"hue": 30.0})))
    history.do(commands.make_recipe("region_1", "Hull paint"))
    history.do(commands.wear_recipe("region_2", "hull_paint"))
    history.do(commands.add_coat("region_2", Coat("repaint", {"colour": (0.2, 0.4, 0.6), "strength": 0.3})))
    return history


def by_hand(kit: Kit) -> Kit:
    """The same kit with the coats of every wearer written out."""
    for region in kit.regions:
        if region.recipe:
            kit = commands.let_go(region.key).apply(kit)
    return kit


def test_making_taking_in_and_letting_go_change_no_pixel(history: History, sheets: Sheets) -> None:
    before = colours(history.kit, sheets, "day")
    history.do(commands.make_recipe("region_1", "Paint"))
    assert history.kit.region("region_1").coats == ()
    assert np.array_equal(colours(history.kit, sheets, "day"), before)
    history.do(commands.add_coat("region_1", Coat("shift", {"hue": 20.0})))
    own = colours(history.kit, sheets, "day")
    history.do(commands.take_into_recipe("region_1"))
    assert [coat.kind for coat in history.kit.recipe("paint").coats] == ["tint", "shift"]
    assert np.array_equal(colours(history.kit, sheets, "day"), own)
    history.do(commands.let_go("region_1"))
    assert history.kit.region("region_1").recipe == ""
    assert np.array_equal(colours(history.kit, sheets, "day"), own)


def test_edited_once_every_wearer_follows(worn: History, sheets: Sheets) -> None:
    """Through any wearer, or the recipe itself; the result is that of the coats written out, byte for byte."""
    kit = worn.kit
    for command in (
        commands.set_cell_value("region_2", "hue", -70.0, coat=1),
        commands.set_cell_value(RecipeCoats("hull_paint"), "colour", (0.7, 0.5, 0.1)),
        commands.set_cell_value("region_1", "hue", 15.0, "day", 1),
        commands.add_coat(RecipeCoats("hull_paint"), Coat("finish", {"roughness": 0.2})),
        commands.set_own_value("region_2", "saturation", 1, 0.25),
    ):
        kit = command.apply(kit)
        check_kit(kit)
        for variant in ("", "day"):
            assert np.array_equal(colours(kit, sheets, variant), colours(by_hand(kit), sheets, variant))
    assert coats_of(kit, "region_1")[1].values["hue"] == coats_of(kit, "region_2")[1].values["hue"]
    assert isinstance(kit.recipe("hull_paint").coats[1].values["hue"], Bound)
    assert coats_of(kit, "region_2")[1].values["saturation"] == 0.25
    assert "saturation" not in coats_of(kit, "region_1")[1].values
    assert len(coats_of(kit, "region_2")) == 4
    followed = commands.set_own_value("region_2", "saturation", 1, None).apply(kit)
    assert followed.region("region_2").own_values == {}


def test_what_is_chosen_among_ways_takes_no_number(worn: History) -> None:
    """Neither as a wearer's own value nor as the recipe's: what is refused changes nothing."""
    before = worn.kit
    for command in (
        commands.set_own_value("region_2", "mode", 0, 0.5),
        commands.set_cell_value(RecipeCoats("hull_paint"), "mode", 0.5),
    ):
        with pytest.raises(UserError, match="chosen among ways"):
            worn.do(command)
    assert worn.kit is before


def test_own_values_are_edited_where_they_are(worn: History) -> None:
    """A value that a wearer sets itself is changed there, also by variant, and the recipe stays."""
    worn.do(commands.set_own_value("region_2", "hue", 1, 50.0))
    recipe = worn.kit.recipe("hull_paint")
    worn.do(commands.set_cell_value("region_2", "hue", 60.0, coat=1))
    worn.do(commands.set_cell_value("region_2", "hue", -20.0, "day", 1))
    assert worn.kit.recipe("hull_paint") == recipe
    assert isinstance(worn.kit.region("region_2").own_values["shift"]["hue"], Bound)
    assert commands.read_cell(worn.kit, "region_2", "day").settings[1]["hue"] == -20.0
    assert commands.read_cell(worn.kit, "region_1", "day").settings[1]["hue"] == 30.0
    worn.do(commands.remove_coat("region_1", 0))
    assert list(worn.kit.region("region_2").own_values["shift"]) == ["hue"]
    worn.do(commands.set_coat_kind("region_1", "repaint", 0))
    assert worn.kit.region("region_2").own_values == {}
    check_kit(worn.kit)


def test_what_a_wearer_sets_goes_with_its_coat(worn: History, sheets: Sheets) -> None:
    """Coats of a recipe move, others are added and removed: a wearer's own value stays that of its coat."""
    worn.do(commands.set_own_value("region_2", "hue", 1, 50.0))
    worn.do(commands.move_coat("region_1", 1, -1))
    assert [coat.key for coat in worn.kit.recipe("hull_paint").coats] == ["shift", "tint"]
    assert coats_of(worn.kit, "region_2")[0].values["hue"] == 50.0
    assert np.array_equal(colours(worn.kit, sheets), colours(by_hand(worn.kit), sheets))
    worn.do(commands.remove_coat("region_1", 0))
    assert worn.kit.region("region_2").own_values == {}
    worn.do(commands.add_coat(RecipeCoats("hull_paint"), Coat("shift")))
    assert [coat.key for coat in worn.kit.recipe("hull_paint").coats] == ["tint", "shift_2"]  # never used twice
    check_kit(worn.kit)


def test_keys_of_coats(worn: History) -> None:
    """Copies get keys of their own, and so do those that come under one that is taken; nobody else's are changed."""
    worn.do(commands.copy_coats("region_3", ["region_3"]))
    keys = [coat.key for coat in worn.kit.region("region_3").coats]
    assert len(set(keys)) == len(keys) > 1
    worn.do(commands.remove_coat("region_3", len(keys) - 1))
    worn.do(commands.add_coat("region_3", Coat(worn.kit.region("region_3").coats[0].kind)))
    assert worn.kit.region("region_3").coats[-1].key not in keys
    before = [coat.key for coat in worn.kit.recipe("hull_paint").coats]
    worn.do(commands.add_coat("region_2", Coat("tint")))
    worn.do(commands.take_into_recipe("region_2"))
    after = [coat.key for coat in worn.kit.recipe("hull_paint").coats]
    assert after[: len(before)] == before
    assert len(set(after)) == len(after) > len(before)
    check_kit(worn.kit)


def test_a_key_stays_whatever_others_add(worn: History) -> None:
    """A wearer's own coat keeps its key when its recipe gets one of that key, and when other coats are pasted over it."""
    worn.do(commands.add_coat("region_2", Coat("blend")))
    own = worn.kit.region("region_2").coats[-1].key
    worn.do(commands.add_coat(RecipeCoats("hull_paint"), Coat("blend", key=own)))
    worn.do(commands.set_cell_value("region_2", "strength", 0.3, coat=len(coats_of(worn.kit, "region_2")) - 1))
    worn.do(commands.add_coat("region_2", Coat("shift")))
    assert worn.kit.region("region_2").coats[-2].key == own
    keys = [coat.key for coat in worn.kit.region("region_3").coats]
    worn.do(commands.paste_cell(commands.read_cell(worn.kit, "region_2", ""), "region_3", ""))
    pasted = [coat.key for coat in worn.kit.region("region_3").coats]
    assert pasted[: len(keys)] == keys
    assert len(set(pasted)) == len(pasted) > len(keys)
    check_kit(worn.kit)


def test_recipes_are_saved_removed_and_renamed(worn: History, tmp_path) -> None:  # type: ignore[no-untyped-def]
    worn.do(commands.rename_recipe("hull_paint", "Old paint"))
    assert decode_kit(encode_kit(worn.kit, tmp_path), tmp_path) == worn.kit
    used = {parameter.key for parameter in without_unused(worn.kit).parameters}
    assert "region_1_colour" in used  # by the recipe
    worn.do(commands.remove_recipe("hull_paint"))
    assert [coat.kind for coat in worn.kit.region("region_2").coats] == ["tint", "shift", "repaint"]
    assert "hull_paint" in worn.kit.retired
    check_kit(worn.kit)


def test_what_cannot_be_is_told(worn: History) -> None:
    with pytest.raises(UserError, match="wears a recipe; let go of it"):
        worn.do(commands.paste_cell(commands.read_cell(worn.kit, "region_3", ""), "region_1", ""))
    with pytest.raises(UserError, match="made of the coats of a region"):
        worn.do(commands.make_recipe(Overcoats("sheet_1"), "Over"))
    worn.do(commands.set_pattern("region_1", 0, PlaneUse(map_plane("base_colour"))))
    worn.do(commands.add_sheet("Other"))
    other = worn.kit.sheets[-1].key
    worn.do(commands.add_regions(other, [(9, 9, 9)]))
    with pytest.raises(UserError, match="reads the map “base_colour”, which Other does not have"):
        worn.do(commands.wear_recipe(worn.kit.sheet(other).regions[0].key, "hull_paint"))


@pytest.mark.parametrize(
    ("wrong", "told"),
    [
        (lambda kit: _region(kit, recipe="nowhere"), "is not there"),
        (lambda kit: _region(kit, own_values={"tint_9": {"hue": 1.0}}), "does not have"),
        (lambda kit: _region(kit, own_values={"tint": {"hue": 1.0}}), "does not have"),
        (lambda kit: _region(kit, own_values={"shift": {"hue": 999.0}}), "hue” cannot be 999"),
        (lambda kit: _recipe(kit, coats=()), "0 coats of recipe “Hull paint”"),
        (lambda kit: _recipe(kit, key="A b"), "not a plain identifier"),
        (lambda kit: _recipe(kit, coats=tuple(Coat("tint", key=f"tint_{n}") for n in range(17))), "17 coats"),
    ],
)
def test_damaged_recipes_are_refused(worn: History, wrong, told: str) -> None:  # type: ignore[no-untyped-def]
    with pytest.raises(UserError, match=told):
        check_kit(wrong(worn.kit))


def _region(kit: Kit, **fields: object) -> Kit:
    from msgspec.structs import replace

    from even_palette.core.kit.trees import with_region

    return with_region(kit, "region_1", lambda region: replace(region, **fields))


def _recipe(kit: Kit, **fields: object) -> Kit:
    from msgspec.structs import replace

    return replace(kit, recipes=(replace(kit.recipes[0], **fields),))


def at_random(kit: Kit, rng: random.Random) -> Command:
    owners = [*(region.key for region in kit.regions), Overcoats("sheet_1"), *(RecipeCoats(r.key) for r in kit.recipes)]
    owner = rng.choice(owners)
    regions = [region.key for region in kit.regions]
    coat = rng.randrange(max(1, len(coats_of(kit, owner))))
    variant = rng.choice(["", "day", "night"])
    recipe = rng.choice([r.key for r in kit.recipes] or ["none"])
    return rng.choice([
        lambda: commands.add_coat(owner, Coat(rng.choice(["tint", "shift", "repaint", "glow", "two_tone"]))),
        lambda: commands.remove_coat(owner, coat), lambda: commands.move_coat(owner, coat, rng.choice([-1, 1])),
        lambda: commands.set_coat_kind(owner, rng.choice(["tint", "shift"]), coat),
        lambda: commands.set_cell_value(owner, "strength", rng.random(), variant, coat),
        lambda: commands.expose(owner, "strength", coat), lambda: commands.unbind(owner, "strength", coat),
        lambda: commands.switch_coat(owner, coat, rng.random() < 0.5),
        lambda: commands.make_recipe(owner, "Made"), lambda: commands.wear_recipe(rng.choice(regions), recipe),
        lambda: commands.let_go(rng.choice(regions)), lambda: commands.remove_recipe(recipe),
        lambda: commands.set_own_value(rng.choice(regions), "strength", 0, rng.choice([None, 0.5])),
        lambda: commands.copy_coats(owner, [rng.choice(owners)]), lambda: commands.clear_cell(owner, variant),
    ])()  # fmt: skip


def test_random_commands_with_recipes_are_undone(worn: History) -> None:
    """300 random commands on coats, recipes, parameters and variants; each gives a whole kit, and all are undone."""
    rng, first = random.Random(4), worn.kit
    history = History(first)
    kits = [first]
    for _ in range(300):
        kit = history.kit
        command = at_random(kit, rng)
        try:
            history.do(command)
        except (UserError, KeyError):
            assert history.kit is kit
            continue
        check_kit(history.kit)
        if history.kit is not kits[-1]:
            kits.append(history.kit)
    assert len(kits) > 100
    while history.undo():
        pass
    assert history.kit == first
