"""Recipes in files of their own: what several kits link, through saves, changes by others, and files that move."""

import json
import random
from pathlib import Path

import msgspec
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from jsonschema import Draft202012Validator
from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import RecipeCoats
from even_palette.core.kit.history import History
from even_palette.core.kit.model import Kit
from even_palette.core.kit.recipe_file import (
    RecipeFile,
    content_id,
    decode_recipe,
    differs_from_file,
    encode_recipe,
    read_recipe,
    recipe_of,
    recipe_schema,
    with_recipe,
    written,
)
from even_palette.core.kit.store import KitFolder, decode_kit, encode_kit
from even_palette.core.kit.validate import check_kit
from even_palette.core.material.model import Bound, Coat, Parameter, PlaneKind, PlaneRef, PlaneUse, ValueKind
from even_palette.core.material.plane_reads import map_plane
from even_palette.core.results.sheets import Sheets
from even_palette.core.tones.ramp import Ramp, RampRow, Stop
from even_palette.scripting import OpenKit, new_kit
from tests.core.test_recipes import colours

REEDS = Ramp("reeds", "Reeds", (RampRow("Green", (Stop(0.0, (20, 40, 10)), Stop(1.0, (160, 190, 90)))),))


def shared(history: History) -> None:
    """Region 1 wears a recipe of a bound tint, a shift, and a ramp."""
    history.do(commands.add_coat("region_1", Coat("shift", {"hue": 30.0})))
    history.do(commands.add_ramp(REEDS))
    strip = PlaneUse(PlaneRef(PlaneKind.RAMP, history.kit.ramps[0].key))
    history.do(commands.add_coat("region_1", Coat("ramp", planes={"ramp": strip})))
    history.do(commands.rename_parameter("region_1_colour", "hull_paint"))
    history.do(commands.make_recipe("region_1", "Hull paint"))


@pytest.fixture
def living(history: History, tmp_path: Path) -> tuple[History, Path]:
    """A recipe that lives in a file."""
    shared(history)
    path = tmp_path / "Ferry paint.recipe.json"
    history.rewrite(lambda kit: written(kit, "hull_paint", path) if kit.recipes else kit)
    return history, path


def test_a_file_holds_all_that_its_coats_read(living: tuple[History, Path]) -> None:
    history, path = living
    file = read_recipe(path)
    assert [parameter.name for parameter in file.parameters] == ["hull_paint"]
    assert [ramp.rows for ramp in file.ramps] == [REEDS.rows]
    assert file.coats[0].values["colour"] == Bound("hull_paint")
    assert not differs_from_file(history.kit, history.kit.recipe("hull_paint"))
    Draft202012Validator(recipe_schema()).validate(json.loads(path.read_bytes()))
    published = Path(__file__).parents[2] / "docs" / "recipe.schema.json"
    assert json.loads(published.read_bytes()) == json.loads(msgspec.json.encode(recipe_schema()))


def test_keeping_in_a_file_and_taking_in_change_no_pixel(
    living: tuple[History, Path], sheets: Sheets, tmp_path: Path
) -> None:
    history, path = living
    before = colours(history.kit, sheets, "day")
    history.do(commands.take_in_recipe("hull_paint"))
    assert history.kit.recipe("hull_paint").path == ""
    assert np.array_equal(colours(history.kit, sheets, "day"), before)
    history.do(commands.change_recipe_to_file("hull_paint", path, read_recipe(path)))
    assert np.array_equal(colours(history.kit, sheets, "day"), before)
    assert decode_kit(encode_kit(history.kit, tmp_path), tmp_path) == history.kit
    assert '"path": "Ferry paint.recipe.json"' in encode_kit(history.kit, tmp_path).decode()


def test_another_kit_has_keys_and_names_of_its_own(living: tuple[History, Path]) -> None:
    """A parameter that happens to be called the same there is not the recipe's."""
    _, path = living
    with new_kit() as other:
        other.do("add_regions", other.kit.sheets[0].key, [(1, 2, 3)])
        region = other.kit.regions[0].key
        other.do("expose", region, "colour", 0)
        other.do("rename_parameter", other.kit.parameters[0].key, "hull_paint")
        key = other.open_recipe(path)
        assert other.kit.recipe(key).name == "Ferry paint"
        names = [parameter.name for parameter in other.kit.parameters]
        assert names == ["hull_paint", "hull_paint_2"]
        assert other.kit.recipe(key).linked["hull_paint"] == other.kit.parameters[1].key
        other.do("wear_recipe", region, key)
        # the file of the other kit is the same, whatever things are called there
        assert encode_recipe(recipe_of(other.kit, key)[0]) == path.read_bytes()
        other.do("rename_parameter", other.kit.parameters[1].key, "timber")
        assert not differs_from_file(other.kit, other.kit.recipe(key))


def test_what_one_kit_saves_the_other_follows(living: tuple[History, Path], sheets: Sheets, tmp_path: Path) -> None:
    """Edited here, saved, read there: the result there is that of the same coats written out."""
    history, path = living
    folder = KitFolder.create(tmp_path / "one")
    other = History(decode_kit(encode_kit(history.kit, tmp_path), tmp_path))
    history.do(commands.set_cell_value("region_1", "hue", -80.0, coat=1))
    history.do(commands.set_cell_value("region_1", "colour", (0.1, 0.6, 0.3)))
    assert differs_from_file(history.kit, history.kit.recipe("hull_paint"))
    kept = folder.save(history.kit)
    assert folder.unwritten == []
    assert not differs_from_file(kept, kept.recipe("hull_paint"))
    other.do(commands.wear_recipe("region_2", "hull_paint"))
    other.do(commands.set_own_value("region_2", "saturation", 1, 0.5))
    other.do(commands.change_recipe_to_file("hull_paint", path, read_recipe(path)))
    written_out = other.kit
    for region in ("region_1", "region_2"):
        written_out = commands.let_go(region).apply(written_out)
    assert np.array_equal(colours(other.kit, sheets), colours(written_out, sheets))
    assert np.array_equal(colours(commands.let_go("region_2").apply(kept), sheets), colours(kept, sheets))
    assert other.kit.recipe("hull_paint").coats == kept.recipe("hull_paint").coats
    assert other.kit.region("region_2").own_values == {"shift": {"saturation": 0.5}}
    assert other.kit.parameter("region_1_colour").default == (0.1, 0.6, 0.3)
    folder.close()


def test_a_file_that_others_changed_or_moved_is_left_as_it_is(living: tuple[History, Path], tmp_path: Path) -> None:
    history, path = living
    folder = KitFolder.create(tmp_path / "one")
    history.do(commands.set_cell_value("region_1", "hue", -80.0, coat=1))
    theirs = written(commands.set_cell_value("region_1", "hue", 5.0, coat=1).apply(history.kit), "hull_paint", path)
    kept = folder.save(history.kit)
    assert "changed by somebody else" in folder.unwritten[0]
    assert content_id(read_recipe(path)) == theirs.recipe("hull_paint").sha256
    assert kept.recipe("hull_paint").coats[1].values["hue"] == -80.0
    moved = path.with_name("Moved.recipe.json")
    path.rename(moved)
    kept = folder.save(kept)
    assert "Ferry paint.recipe.json: cannot be opened" in folder.unwritten[0]
    assert kept.recipe("hull_paint").coats[1].values["hue"] == -80.0  # the last state is kept
    found = commands.change_recipe_to_file("hull_paint", moved, read_recipe(moved)).apply(kept)
    assert found.recipe("hull_paint").coats[1].values["hue"] == 5.0
    assert found.recipe("hull_paint").path == str(moved)
    folder.close()


def test_values_of_a_wearer_stay_where_they_fit(living: tuple[History, Path]) -> None:
    history, path = living
    history.do(commands.set_own_value("region_1", "hue", 1, 12.0))
    history.do(commands.set_own_value("region_1", "strength", 0, 0.5))
    file = read_recipe(path)
    turned = RecipeFile((file.coats[1], replace(file.coats[0], kind="repaint", values={})), file.parameters)
    history.do(commands.change_recipe_to_file("hull_paint", path, turned))
    assert history.kit.region("region_1").own_values == {"shift": {"hue": 12.0}}
    check_kit(history.kit)
    history.undo()
    assert history.kit.region("region_1").own_values == {"shift": {"hue": 12.0}, "tint": {"strength": 0.5}}


def test_a_plane_that_a_wearer_lacks_is_told(living: tuple[History, Path]) -> None:
    history, path = living
    reads = RecipeFile((Coat("tint", pattern=PlaneUse(map_plane("height"))),))
    before = history.kit
    with pytest.raises(UserError, match="now reads the map “height”, which Sheet does not have"):
        history.do(commands.change_recipe_to_file("hull_paint", path, reads))
    assert history.kit is before


def test_a_range_that_shrank_lets_variants_go(living: tuple[History, Path]) -> None:
    history, path = living
    history.do(commands.expose("region_1", "hue", 1))
    key = history.kit.recipe("hull_paint").coats[1].values["hue"].parameter  # type: ignore[union-attr]
    history.do(commands.set_parameter(key, 90.0, "day"))
    file, _ = recipe_of(history.kit, "hull_paint")
    narrow = msgspec.structs.replace(
        file,
        parameters=tuple(
            msgspec.structs.replace(p, low=-10.0, high=50.0) if p.kind == "number" else p for p in file.parameters
        ),
    )
    history.rewrite(lambda kit: written(kit, "hull_paint", path) if kit.recipes else kit)
    history.do(commands.change_recipe_to_file("hull_paint", path, narrow))
    check_kit(history.kit)
    assert key not in history.kit.variant("day").values
    assert history.kit.parameter(key).high == 50.0


@settings(max_examples=200)
@given(st.randoms(use_true_random=False))
def test_mutants_of_recipe_files_are_refused_or_hold(chance: random.Random) -> None:
    """A damaged file becomes a sentence that names it, or a recipe that holds; nothing else."""
    file = RecipeFile(
        (Coat("tint", {"colour": Bound("paint")}), Coat("ramp", planes={"ramp": PlaneUse(PlaneRef(PlaneKind.RAMP, "reeds"))})),
        (Parameter("paint", "paint", ValueKind.COLOUR, (0.1, 0.2, 0.3)),),
        ramps=(REEDS,),
    )  # fmt: skip
    text = bytearray(encode_recipe(file))
    for _ in range(chance.randint(1, 4)):
        at = chance.randrange(len(text))
        match chance.randrange(3):
            case 0:
                text[at] = chance.randrange(256)
            case 1:
                del text[at : at + chance.randint(1, 40)]
            case _:
                text[at:at] = bytes(text[chance.randrange(len(text)) :][: chance.randint(1, 40)])
    try:
        found = decode_recipe(bytes(text), "x.recipe.json")
    except UserError as error:
        told = str(error)
    else:
        told = "x.recipe.json: sound"
        kit, key = with_recipe(Kit(), Path("x"), found)
        check_kit(kit)
        assert decode_recipe(encode_recipe(recipe_of(kit, key)[0]), "again")
    assert told.startswith("x.recipe.json: ")


@pytest.mark.parametrize(
    ("text", "told"),
    [
        (b"", "Input data was truncated"),
        (b'{"coats": []}', "0 coats; there must be 1 at least"),
        (b'{"coats": [{"kind": "varnish", "key": "a"}]}', "unknown coat “varnish”"),
        (b'{"coats": [{"kind": "tint"}], "format": 9}', "format 9"),
        (b'{"coats": [{"kind": "tint", "key": "a", "values": {"colour": {"parameter": "lost"}}}]}', "is not there"),
        (b'{"coats": [{"kind": "tint"}], "licence": 1}', "unknown field `licence`"),
        (
            b'{"coats": [{"kind": "ramp", "key": "a", "planes": {"ramp": {"plane": {"kind": "ramp", "key": "lost"}}}}]}',
            "reads the palette or ramp “lost”, which is not in it",
        ),
    ],
)
def test_what_is_no_recipe_is_told(text: bytes, told: str) -> None:
    with pytest.raises(UserError, match=told):
        decode_recipe(text, "x.recipe.json")


def test_scripts_do_the_same(living: tuple[History, Path], tmp_path: Path) -> None:
    history, path = living
    with OpenKit(history.kit, None) as one:
        one.do("take_in_recipe", "hull_paint")
        one.keep_recipe("hull_paint", path)
        one.do("set_cell_value", RecipeCoats("hull_paint"), "hue", 77.0, coat=1)
        assert one.save(tmp_path / "saved") == []
        assert read_recipe(path).coats[1].values["hue"] == 77.0
        one.do("set_cell_value", RecipeCoats("hull_paint"), "hue", 1.0, coat=1)
        one.read_recipe("hull_paint")
        assert one.kit.recipe("hull_paint").coats[1].values["hue"] == 77.0
        with pytest.raises(UserError, match="is a file that is read from"):
            one.keep_recipe("hull_paint", one.kit.sheets[0].sources[0].path)
        with pytest.raises(UserError, match="no recipe “other”"):
            one.keep_recipe("other", path)
