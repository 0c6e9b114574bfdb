"""The document: commands, history, store, autosave, lock and the cache."""

import contextlib
import os
import subprocess
import sys
import time
from pathlib import Path
from threading import Barrier, Thread

import msgspec
import pytest
from jsonschema import Draft202012Validator
from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit import commands as c
from even_palette.core.kit.coat_owners import Overcoats, coats_of, users_of, without_unused
from even_palette.core.kit.history import History
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import identifier
from even_palette.core.kit.only_values import only_values_differ
from even_palette.core.kit.store import KitFolder, decode_kit, encode_kit, kit_schema, read_kit
from even_palette.core.limits import FORMAT
from even_palette.core.material.model import Blending, Bound, Coat, PlaneUse
from even_palette.core.material.plane_reads import map_plane
from even_palette.core.memory_account import Account
from even_palette.core.raster.guess import Role
from even_palette.core.results.cache import Cache
from tests.core.killing import Killing

DOCS = Path(__file__).parents[2] / "docs"


def test_a_drag_is_one_step(history: History) -> None:
    steps = len(history.undo_labels)
    for value in range(10):
        history.do(c.set_tolerance("region_1", value, 90))
    assert len(history.undo_labels) == steps + 1
    history.end_merge()
    history.do(c.set_tolerance("region_1", 30, 90))
    assert history.undo_labels[:2] == ["Change tolerance"] * 2
    history.undo()
    assert history.redo_labels == ["Change tolerance"]
    assert history.kit.sheets[0].regions[0].inner == 9


def test_a_value_shares_only_parameters_within_its_range(history: History) -> None:
    """A hue of -180..180 cannot drive a strength of 0..1; another strength can."""
    for key in ("region_1", "region_2"):
        history.do(c.set_coat_kind(key, "shift"))
    history.do(c.expose("region_1", "hue"))
    history.do(c.expose("region_1", "strength"))
    values = history.kit.region("region_1").coats[0].values
    hue, strength = values["hue"], values["strength"]
    assert isinstance(hue, Bound)
    assert isinstance(strength, Bound)
    with pytest.raises(UserError, match="another kind or range"):
        history.do(c.bind("region_2", "strength", hue.parameter))
    assert history.do(c.bind("region_2", "strength", strength.parameter))


def test_parameters_are_unique_and_shared_only_when_bound(history: History) -> None:
    """Two regions of one name get parameters of their own; they share one when the artist binds them, and part again."""
    for key in ("region_1", "region_4"):
        history.do(c.expose(key, "colour"))
    names = [p.name for p in history.kit.parameters]
    assert len(set(names)) == len(names)
    first, last = (history.kit.region(key).coats[0].values["colour"] for key in ("region_1", "region_4"))
    assert isinstance(first, Bound)
    assert first != last
    history.do(c.bind("region_4", "colour", first.parameter))
    assert [use.owner for use in users_of(history.kit, first.parameter)] == ["region_1", "region_4"]
    assert not users_of(history.kit, last.parameter)  # type: ignore[union-attr]
    assert last.parameter not in [p.key for p in without_unused(history.kit).parameters]  # type: ignore[union-attr]
    history.do(c.unbind("region_4", "colour"))
    assert [use.owner for use in users_of(history.kit, first.parameter)] == ["region_1"]


def test_changing_a_fixed_value_in_a_variant_makes_a_parameter(history: History) -> None:
    assert (0, "hue") not in c.bound_parameters(history.kit, "region_3")
    history.do(c.set_cell_value("region_3", "hue", -20.0, "dusk"))
    assert c.read_cell(history.kit, "region_3", "dusk").settings[0]["hue"] == -20
    assert c.read_cell(history.kit, "region_3", "day").settings[0]["hue"] == 40
    history.do(c.clear_cell("region_3", "dusk"))
    assert c.read_cell(history.kit, "region_3", "dusk").settings[0]["hue"] == 40


def test_copied_cells_keep_their_looks(history: History) -> None:
    cell = c.read_cell(history.kit, "region_1", "dusk")
    history.do(c.paste_cell(cell, "region_2", ""))
    assert c.read_cell(history.kit, "region_2", "") == cell
    history.do(c.paste_cell(cell, "region_4", "day"))
    assert c.read_cell(history.kit, "region_4", "day").settings[0]["colour"] == cell.settings[0]["colour"]
    with pytest.raises(UserError, match="Master first"):
        history.do(c.paste_cell(cell, "region_3", "day"))


def test_removing_a_variant_keeps_the_looks_of_its_heirs(history: History) -> None:
    before = c.read_cell(history.kit, "region_1", "dusk")
    history.do(c.remove_variant("day"))
    assert c.read_cell(history.kit, "region_1", "dusk") == before
    assert history.kit.variant("dusk").parent is None


def test_a_variant_cannot_inherit_from_itself(history: History) -> None:
    with pytest.raises(UserError, match="inherits from itself"):
        history.do(c.set_parent("day", "dusk"))


@pytest.mark.parametrize(
    ("text", "name"), [("Hull plank 3", "hull_plank_3"), ("3rd", "n3rd"), ("__a__b", "a_b"), ("№", "item")]
)
def test_names_become_identifiers(text: str, name: str) -> None:
    """GLSL 4.60, section 3.7: no leading digit, no doubled underscore."""
    assert identifier(text) == name


# Store


def test_saved_and_opened_again(history: History, tmp_path: Path) -> None:
    folder = KitFolder.create(tmp_path / "kit")
    folder.save(history.kit)
    folder.close()
    again = KitFolder(tmp_path / "kit")
    assert again.open().saved == history.kit
    assert b'"../maps/crate_id.png"' in (tmp_path / "kit" / "kit.json").read_bytes()
    again.close()
    with pytest.raises(UserError, match="there is a kit already"):
        KitFolder.create(tmp_path / "kit")


def test_a_moved_kit_finds_its_maps(maps: dict[Role, Path], history: History, tmp_path: Path) -> None:
    """Paths are relative: kit and maps may move together. A map that the kit took in travels with save as."""
    folder = KitFolder.create(tmp_path / "kit")
    blob, seen = folder.take_in(maps[Role.ID])
    history.do(c.point_map_to("sheet_1", "id_map", str(blob), seen.size, seen.sha256))
    folder.save(history.kit)
    other = KitFolder.create(tmp_path / "elsewhere" / "copy")
    kept = other.save(history.kit)
    path = Path(kept.sheets[0].source(Role.ID).path)  # type: ignore[union-attr]
    assert path.parent.parent == tmp_path / "elsewhere" / "copy"
    assert path.read_bytes() == maps[Role.ID].read_bytes()
    folder.close()
    (tmp_path / "far").mkdir()
    os.rename(tmp_path / "kit", tmp_path / "far" / "kit")
    os.rename(tmp_path / "maps", tmp_path / "far" / "maps")
    moved = read_kit(tmp_path / "far" / "kit")
    assert all(Path(source.path).exists() for source in moved.sheets[0].sources)


def test_autosave_is_recovered_only_if_newer(history: History, tmp_path: Path) -> None:
    folder = KitFolder.create(tmp_path / "kit")
    folder.save(history.kit)
    changed = replace(history.kit, name="Changed")
    folder.autosave(changed)
    assert folder.open().recovered == changed
    folder.save(changed)
    assert folder.open().recovered is None
    folder.autosave(replace(changed, name="Older"))
    os.utime(tmp_path / "kit" / "kit.autosave.json", (1, 1))
    assert folder.open().recovered is None
    folder.close()


def test_the_second_opening_is_read_only(history: History, tmp_path: Path) -> None:
    first = KitFolder.create(tmp_path / "kit")
    first.save(history.kit)
    text = f"from pathlib import Path; from even_palette.core.kit.store import KitFolder; print(KitFolder(Path({str(first.folder)!r})).read_only)"
    told = subprocess.run([sys.executable, "-c", text], capture_output=True, text=True, check=True).stdout
    assert told.strip() == "it is open in another window"
    second = KitFolder(first.folder)
    assert second.read_only
    with pytest.raises(UserError, match="read-only"):
        second.save(history.kit)
    first.close()


def test_a_failed_save_leaves_the_old_one_whole(
    history: History, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = KitFolder.create(tmp_path / "kit")
    folder.save(history.kit)
    before = (tmp_path / "kit" / "kit.json").read_bytes()

    def full(handle: int) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(UserError, match="No space left"):
        folder.save(replace(history.kit, name="Too much"))
    assert (tmp_path / "kit" / "kit.json").read_bytes() == before
    assert sorted(p.name for p in (tmp_path / "kit").iterdir()) == [".kit.lock", "kit.json"]
    folder.close()


SAVER = """
import sys
from pathlib import Path
from msgspec.structs import replace
from even_palette.core.kit.store import KitFolder

def work():
    folder = KitFolder(Path(sys.argv[1]))
    kit, number = folder.open().saved, 0
    while True:
        number += 1
        kit = replace(kit, name=f"State {number}")
        folder.autosave(kit) if number % 3 == 0 else folder.save(kit)
        print(number, flush=True)
"""


def test_killed_while_saving_50_times(history: History, tmp_path: Path) -> None:
    """SIGKILL at random moments: every reopening gives a state whole, and never one older than was told as saved."""
    folder = KitFolder.create(tmp_path / "kit")
    folder.save(history.kit)
    folder.close()
    with Killing(SAVER, str(folder.folder)) as worker:
        for _ in range(50):
            told = worker.kill(2, 0.03)
            opened = KitFolder(folder.folder)
            assert not opened.read_only
            found = opened.open()
            newest = found.recovered or found.saved
            number = int(newest.name.removeprefix("State ")) if newest.name.startswith("State") else 0
            if told:
                assert number in (told[-1], told[-1] + 1)
            assert replace(newest, name=history.kit.name) == history.kit
            opened.save(history.kit)
            opened.close()


def test_schemas_in_docs_are_those_of_the_code(kit: Kit, tmp_path: Path) -> None:
    """JSON Schema 2020-12: the published files are current, valid schemas, and a real kit fits (jsonschema)."""
    published = msgspec.json.decode((DOCS / "kit.schema.json").read_bytes())
    assert published == msgspec.json.decode(msgspec.json.encode(kit_schema()))
    Draft202012Validator.check_schema(published)
    Draft202012Validator(published).validate(msgspec.json.decode(encode_kit(kit, tmp_path)))


# Cache


def test_the_cache_keeps_to_its_budget_and_computes_once() -> None:
    cache, calls = Cache(Account(1000)), []
    barrier = Barrier(4)

    def ask() -> None:
        barrier.wait()
        cache.get("slow", lambda: (time.sleep(0.05), calls.append(1)))

    threads = [Thread(target=ask) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(calls) == 1
    for number in range(50):
        cache.get(number, lambda: bytes(10) and tuple(range(5)))
    assert cache.bytes <= 1000
    assert cache.peek(49) == (0, 1, 2, 3, 4)
    assert cache.peek(0) is None


@pytest.mark.parametrize("number", [1, 2, 3])
def test_kits_of_older_formats_open(number: int, tmp_path: Path) -> None:
    """The demo kit as versions saved it that wrote formats 1, 2 and 3 holds what it held, read beside it as plain JSON."""
    text = (Path(__file__).parent / "kits" / f"format_{number}.json").read_bytes()
    stored, kit = msgspec.json.decode(text), decode_kit(text, tmp_path)
    assert stored["format"] == number
    assert kit.format == FORMAT
    sheets = stored["sheets"] if number > 1 else [stored["sheet"]]
    for sheet, old in zip(kit.sheets, sheets, strict=True):
        assert [source.role for source in sheet.sources] == [source["role"] for source in old["sources"]]
        for region, was in zip(sheet.regions, old["regions"], strict=True):
            assert (region.name, list(region.id_colour)) == (was["name"], was["id_colour"])
            (coat,) = region.coats
            before = was["coats"][0] if number == 3 else was["coat"]
            assert coat.kind == before["kind"]
            for name, value in before["values"].items():
                now = coat.values[name]
                told = {"parameter": kit.parameter(now.parameter).name} if isinstance(now, Bound) else now
                assert told == (tuple(value) if isinstance(value, list) else value)
    names = {parameter.key: parameter.name for parameter in kit.parameters}
    assert list(names.values()) == [parameter["name"] for parameter in stored["parameters"]]
    for variant, was in zip(kit.variants, stored["variants"], strict=True):
        assert (variant.name, variant.parent and kit.variant(variant.parent).name) == (was["name"], was["parent"])
        values = {names[key]: list(v) if isinstance(v, tuple) else v for key, v in variant.values.items()}
        assert values == was["values"]
    assert decode_kit(encode_kit(kit, tmp_path), tmp_path) == kit


def test_a_kit_that_knew_coats_by_their_places_opens(tmp_path: Path) -> None:
    """Format 4: every coat has a key, and what a region set of its recipe's third and fourth coat is still theirs."""
    text = (Path(__file__).parent / "kits" / "format_4.json").read_bytes()
    stored, kit = msgspec.json.decode(text), decode_kit(text, tmp_path)
    (was,) = [region for region in stored["sheets"][0]["regions"] if region.get("own_values")]
    assert was["own_values"] == {"3 hue": 33.0, "2 strength": 0.25}
    recipe, own = kit.recipe(was["recipe"]), kit.region(was["key"]).own_values
    assert [coat.kind for coat in recipe.coats] == ["tint", "finish", "tint", "shift"]
    assert [coat.key for coat in recipe.coats] == ["tint", "finish", "tint_2", "shift"]
    assert own == {"shift": {"hue": 33.0}, "tint_2": {"strength": 0.25}}
    worn = coats_of(kit, was["key"])
    assert (worn[3].values["hue"], worn[2].values["strength"]) == (33.0, 0.25)
    bare = [
        [replace(coat, key="") for coat in owner.coats]
        for owner in (*kit.recipes, *(region for sheet in kit.sheets for region in sheet.regions))
    ]
    before = [owner["coats"] for owner in stored["recipes"]]
    before += [region["coats"] for sheet in stored["sheets"] for region in sheet["regions"]]
    assert bare == [msgspec.convert(coats, list[Coat]) for coats in before]
    assert decode_kit(encode_kit(kit, tmp_path), tmp_path) == kit


def test_hostile_kits_of_format_4_are_refused(tmp_path: Path) -> None:
    """What cannot be carried over is told in a sentence, whatever stands where a key or a coat belongs."""
    text = (Path(__file__).parent / "kits" / "format_4.json").read_bytes()
    for odd in ([], {}, 7, None, ["hull_coat"]):
        for place in ("recipe", "coats", "own_values"):
            stored = msgspec.json.decode(text)
            for region in stored["sheets"][0]["regions"]:
                region[place] = odd
            with contextlib.suppress(UserError):
                decode_kit(msgspec.json.encode(stored), tmp_path)
        stored = msgspec.json.decode(text)
        stored["recipes"][0]["key"] = stored["recipes"][0]["coats"][0]["kind"] = odd
        with pytest.raises(UserError, match="not a kit that can be opened"):
            decode_kit(msgspec.json.encode(stored), tmp_path)


def test_a_new_name_changes_nothing_else(history: History) -> None:
    """Parameters and variants are known by keys: after a rename only the name differs, and what was bound still is."""
    before = history.kit
    assert history.do(c.rename_parameter("region_1_colour", "Team paint"))
    assert history.do(c.rename_variant("day", "  Market   day "))
    changed = [replace(p, name="region_1_colour") if p.name == "team_paint" else p for p in history.kit.parameters]
    variants = [replace(v, name="Day") if v.name == "Market day" else v for v in history.kit.variants]
    assert replace(history.kit, parameters=tuple(changed), variants=tuple(variants)) == before
    assert c.read_cell(history.kit, "region_1", "dusk") == c.read_cell(before, "region_1", "dusk")
    assert history.kit.variant_names == {"": "Master", "day": "Market day", "dusk": "Dusk"}
    assert history.do(c.set_cell_value("region_1", "colour", (0.3, 0.3, 0.3), "day"))
    assert c.read_cell(history.kit, "region_1", "dusk").settings[0]["colour"] == (0.3, 0.3, 0.3)
    for command in (c.rename_parameter("gone", "x"), c.rename_variant("gone", "x")):
        with pytest.raises(UserError, match="there is no 'gone'"):
            history.do(command)


def test_keys_of_parameters_and_variants_are_never_used_again(history: History, tmp_path: Path) -> None:
    """A variant that is removed, and a parameter that went at a save because nothing used it."""
    history.do(c.remove_variant("dusk"))
    history.do(c.add_variant("Dusk"))
    assert [(variant.key, variant.name) for variant in history.kit.variants] == [("day", "Day"), ("dusk_2", "Dusk")]
    history.do(c.unbind("region_1", "colour"))
    folder = KitFolder.create(tmp_path / "kit")
    folder.save(history.kit)
    folder.close()
    again = History(read_kit(tmp_path / "kit"))
    assert "region_1_colour" not in [parameter.key for parameter in again.kit.parameters]
    again.do(c.expose("region_1", "colour"))
    assert again.kit.region("region_1").coats[0].values["colour"] == Bound("region_1_colour_2")
    assert again.kit.parameter("region_1_colour_2").name == "region_1_colour"


def test_what_is_no_more_than_values(history: History) -> None:
    """Numbers and colours alone: of variants, parameters, coats, overcoats, recipes and their wearers.

    Also where keys were retired before: a drag goes on being quick in a kit with a past.
    """
    history.do(c.add_coat("region_2", Coat("shift")))
    history.do(c.remove_coat("region_2", 1))
    assert "shift" in history.kit.retired
    history.do(c.add_coat(Overcoats("sheet_1"), Coat("shift", {"hue": 3.0})))
    history.do(c.make_recipe("region_3", "Paint"))
    one = history.kit
    values = [
        c.set_cell_value("region_1", "colour", (0.1, 0.2, 0.3), "day"),
        c.set_cell_value("region_1", "colour", (0.1, 0.2, 0.3)),
        c.set_cell_value(Overcoats("sheet_1"), "hue", 8.0),
        c.set_cell_value("region_3", "strength", 0.4),
        c.set_own_value("region_3", "strength", 0, 0.5),
        c.add_variant("More"),
    ]
    more = [
        c.set_choice("region_1", "mode", "luminance"),
        c.expose(Overcoats("sheet_1"), "hue", 0),
        c.switch_coat("region_1", 0, False),
        c.add_coat("region_2", Coat("shift")),
        c.set_pattern("region_2", 0, PlaneUse(map_plane("base_colour"))),
        c.set_tolerance("region_2", 20.0, 90.0),
        c.rename_region("region_2", "Other"),
        c.let_go("region_3"),
        c.set_blending(Blending.ENCODED),
        c.remove_region("region_4"),
    ]
    for command in values:
        assert only_values_differ(one, command.apply(one)), command.label
    assert only_values_differ(one, values[0].apply(values[2].apply(one)))
    for command in more:
        assert not only_values_differ(one, command.apply(one)), command.label
