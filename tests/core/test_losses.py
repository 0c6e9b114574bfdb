"""Nothing that the artist made goes away by the way: regions of meshes, files taken in, recipes, keys, the history."""

import signal
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace

from even_palette.core.disk import whole
from even_palette.core.errors import UserError
from even_palette.core.kit import commands as c
from even_palette.core.kit.assignment import pack_faces, unpack_faces
from even_palette.core.kit.coat_owners import RecipeCoats
from even_palette.core.kit.history import History
from even_palette.core.kit.home import Home, find_unsaved, unsaved_folder
from even_palette.core.kit.mesh_file import MeshFile
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import keys_of
from even_palette.core.kit.recipe_file import content_id, read_recipe, recipe_of, write_recipe, written
from even_palette.core.kit.sheet import Region, Sheet, Step, Tone
from even_palette.core.kit.store import KitFolder, as_kept, decode_kit, encode_kit
from even_palette.core.kit.validate import check_kit
from even_palette.core.limits import MOST_MESHES, MOST_REGIONS
from even_palette.core.material.model import PlaneKind, PlaneRef, PlaneUse
from even_palette.core.raster.guess import Role
from even_palette.core.regions.fresh_colours import fresh_id_colours
from tests.conftest import kit_of, write_maps

# Regions of a mesh


@pytest.mark.parametrize("count", [254, 255, 256, 300, 700])
def test_every_region_of_a_mesh_is_saved_and_read(count: int, tmp_path: Path) -> None:
    """As many regions with faces as sheets hold, on one mesh: saved, read, and no face goes to another region."""
    regions = [Region(f"r_{n}", f"R {n}", (n % 256, n // 256, 7)) for n in range(count)]
    sheets = tuple(
        Sheet(f"s_{n}", f"S {n}", regions=tuple(regions[n * MOST_REGIONS : (n + 1) * MOST_REGIONS]))
        for n in range(-(-count // MOST_REGIONS))
    )
    labels = np.random.default_rng(3).permutation(np.arange(3 * count) % (count + 1)) - 1
    faces = pack_faces(labels, tuple(region.key for region in regions))
    kit = Kit(sheets=sheets, meshes=(MeshFile("mesh", str(tmp_path / "m.obj"), "s_0", faces=faces),))
    again = decode_kit(encode_kit(kit, tmp_path), tmp_path)
    stored = again.meshes[0].faces
    found = unpack_faces(stored, len(labels))
    names = [stored.regions[number] if number >= 0 else "" for number in found]
    assert names == [f"r_{label}" if label >= 0 else "" for label in labels]


@pytest.mark.parametrize("count", [114, 115, 255])
def test_id_colours_never_repeat(count: int) -> None:
    taken = [(40, 40, 205), (255, 0, 0)]
    found = fresh_id_colours(count, taken)
    assert len({*found, *taken, (0, 0, 0)}) == count + 3


# Files taken into the kit


def taken_in(home: Home, history: History, number: int) -> None:
    source = history.kit.sheets[0].source(Role.BASE_COLOUR)
    assert source is not None
    blob, seen = home.take_in(Path(source.path))
    history.do(c.point_map_to("sheet_1", source.key, str(blob.resolve()), seen.size, seen.sha256))
    home.autosave(history.kit, number)


def saved_elsewhere(history: History, folder: Path) -> Home:
    """A map is taken in, that is undone, the kit is saved as another, and it is redone."""
    home = Home()
    taken_in(home, history, 1)
    history.undo()
    before = history.kit
    kept = home.save_as(folder, before, 2)
    history.rewrite(lambda old: as_kept(old, before, kept))
    history.redo()
    return home


def test_what_was_taken_in_is_there_after_undo_save_as_and_redo(history: History, tmp_path: Path) -> None:
    home = saved_elsewhere(history, tmp_path / "kit")
    source = history.kit.sheets[0].source(Role.BASE_COLOUR)
    assert source is not None
    assert Path(source.path).is_file()
    home.autosave(history.kit, 3)
    saved = home.save(history.kit, 4)
    assert saved is not None
    assert Path(saved.sheets[0].sources[0].path).parent == (tmp_path / "kit" / "blobs").resolve()
    home.leave(None, 5)
    assert Path(saved.sheets[0].sources[0].path).is_file()


def test_unsaved_work_left_behind_finds_what_was_taken_in(history: History, tmp_path: Path) -> None:
    """The redone step is not saved when the window closes: the next opening recovers it, the copy is in the folder."""
    saved_elsewhere(history, tmp_path / "kit").leave(history.kit, 3)
    again, opened = Home.open(tmp_path / "kit")
    assert opened.recovered is not None
    assert all(Path(source.path).is_file() for source in opened.recovered.sheets[0].sources)
    again.leave(None, 1)


def test_nothing_of_a_saved_kit_stays_in_the_state_folder(history: History, tmp_path: Path) -> None:
    home = Home()
    taken_in(home, history, 1)
    home.save_as(tmp_path / "kit", history.kit, 2)
    assert find_unsaved() is None
    home.leave(None, 3)
    assert list(unsaved_folder().iterdir()) == []


# Recipes in files


@pytest.fixture
def linked(history: History, tmp_path: Path) -> tuple[History, KitFolder, Path]:
    """A saved kit whose recipe lives in a file, and is changed since."""
    history.do(c.make_recipe("region_3", "Paint"))
    path = tmp_path / "Paint.recipe.json"
    history.rewrite(lambda kit: written(kit, "paint", path) if kit.recipes else kit)
    folder = KitFolder.create(tmp_path / "kit")
    kept = folder.save(history.kit)
    history.rewrite(lambda kit: kept)
    history.do(c.set_cell_value(RecipeCoats("paint"), "hue", 12.0))
    return history, folder, path


def test_a_save_that_failed_half_way_leaves_recipes_as_they_were(
    linked: tuple[History, KitFolder, Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    """The recipe's file is written, kit.json is not: the recipe is what it was, and the next save writes both."""
    history, folder, path = linked
    before, real = path.read_bytes(), whole.os.replace

    def full(one: str, other: Path) -> None:
        if Path(other).name == "kit.json":
            raise OSError(28, "No space left on device")
        real(one, other)

    monkeypatch.setattr(whole.os, "replace", full)
    with pytest.raises(UserError, match="No space left"):
        folder.save(history.kit)
    monkeypatch.undo()
    assert path.read_bytes() == before
    history.do(c.set_cell_value(RecipeCoats("paint"), "hue", 13.0))
    folder.save(history.kit)
    assert folder.unwritten == []
    assert read_recipe(path).coats[0].values["hue"] == 13.0
    folder.close()


def test_a_save_that_failed_whole_is_put_back_by_the_next_opening(
    linked: tuple[History, KitFolder, Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Neither kit.json can be written nor the recipe's file given back what it held: the next opening does that."""
    history, folder, path = linked
    before, real, done = path.read_bytes(), whole.os.replace, list[str]()

    def full(one: str, other: Path) -> None:
        done.append(Path(other).name)
        if "kit.json" in done:
            raise OSError(28, "No space left on device")
        real(one, other)

    monkeypatch.setattr(whole.os, "replace", full)
    with pytest.raises(UserError, match="No space left"):
        folder.save(history.kit)
    folder.close()
    assert path.read_bytes() != before
    kit_file = folder.folder / "kit.json"
    held = kit_file.read_bytes()
    monkeypatch.undo()
    kit_file.write_bytes(b"{")
    with pytest.raises(UserError):
        KitFolder(folder.folder).open()
    kit_file.write_bytes(held)
    again = KitFolder(folder.folder)
    again.open()
    assert path.read_bytes() == before
    assert not (folder.folder / "kit.recipes-before.json").exists()
    again.close()


KILLED = """
import os, signal, sys
from pathlib import Path
from even_palette.core.disk import whole
from even_palette.core.kit.store import KitFolder
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import RecipeCoats
real = whole.os.replace
def dies(one, other):
    if Path(other).name == "kit.json":
        os.kill(os.getpid(), signal.SIGKILL)
    real(one, other)
folder = KitFolder(Path(sys.argv[1]))
kit = folder.open().saved
whole.os.replace = dies
folder.save(commands.set_cell_value(RecipeCoats("paint"), "hue", 77.0).apply(kit))
"""


def test_a_process_that_dies_between_recipe_and_kit(linked: tuple[History, KitFolder, Path]) -> None:
    """The next opening puts the recipe's file back as the kit has it; saves go on, and nobody else is blamed."""
    _, folder, path = linked
    folder.close()
    done = subprocess.run([sys.executable, "-c", KILLED, str(folder.folder)], check=False)
    assert done.returncode == -signal.SIGKILL
    again = KitFolder(folder.folder)
    kit = again.open().saved
    assert content_id(read_recipe(path)) == kit.recipe("paint").sha256
    kit = c.set_cell_value(RecipeCoats("paint"), "hue", 5.0).apply(kit)
    again.save(kit)
    assert again.unwritten == []
    assert read_recipe(path).coats[0].values["hue"] == 5.0
    again.close()


def test_equal_contents_are_no_conflict(linked: tuple[History, KitFolder, Path]) -> None:
    """Somebody wrote the very same: the save takes note of it."""
    history, folder, path = linked
    write_recipe(path, recipe_of(history.kit, "paint")[0])
    kept = folder.save(history.kit)
    assert folder.unwritten == []
    assert kept.recipe("paint").sha256 == content_id(read_recipe(path))
    folder.close()


TAKING_TURNS = """
import sys
from pathlib import Path
from even_palette.scripting import RecipeCoats, open_kit
troubles = 0
with open_kit(sys.argv[1]) as kit:
    for number in range(20):
        kit.read_recipe("paint")
        kit.do("set_cell_value", RecipeCoats("paint"), sys.argv[2], float(sys.argv[3]) + number / 100)
        troubles += len(kit.save())
print(troubles)
"""


def test_two_kits_that_save_one_recipe_at_once(linked: tuple[History, KitFolder, Path], tmp_path: Path) -> None:
    """Each follows the file and changes a value of its own: no save leaves it as it was, and both values arrive."""
    history, folder, path = linked
    folder.save(history.kit)
    folder.close()
    other = KitFolder.create(tmp_path / "other")
    other.save(history.kit)
    other.close()
    calls = [(folder.folder, "hue", "20"), (other.folder, "saturation", "1.2")]
    running = [
        subprocess.Popen([sys.executable, "-c", TAKING_TURNS, *map(str, call)], stdout=subprocess.PIPE, text=True)
        for call in calls
    ]
    told = [process.communicate()[0].strip() for process in running]
    assert told == ["0", "0"]
    values = read_recipe(path).coats[0].values
    assert (values["hue"], round(float(values["saturation"]), 4)) == (20.19, 1.39)  # type: ignore[arg-type]


# Keys, meshes, history


def test_a_removed_sheet_retires_the_keys_of_its_tones(history: History) -> None:
    history.do(c.add_sheet("Second"))
    key = history.kit.sheets[1].key
    history.do(c.add_tone(key, Tone("neutral", "Neutral", "neutral")))
    tone = history.kit.sheets[1].tones[0].key
    history.do(c.remove_sheet(key))
    assert tone in keys_of(history.kit)


def test_a_known_mesh_is_read_anew_at_the_limit_of_meshes(tmp_path: Path) -> None:
    files = tuple(MeshFile(f"m_{n}", str(tmp_path / f"{n}.obj"), "sheet_1") for n in range(MOST_MESHES))
    kit = Kit(meshes=files)
    again = c.add_mesh(replace(files[3], sha256="f" * 64)).apply(kit)
    assert again.meshes[3].sha256 == "f" * 64
    with pytest.raises(UserError, match="at most"):
        c.add_mesh(replace(files[3], path=str(tmp_path / "new.obj"))).apply(kit)


def test_a_drag_that_alone_is_over_the_budget(history: History) -> None:
    """Its step goes from the history; the next part of the drag is a new step, and undo goes as far as it can."""
    small = History(history.kit, budget_bytes=100)
    for value in range(5):
        assert small.do(c.set_tolerance("region_1", value, 90))
    assert small.kit.region("region_1").inner == 4
    assert small.dropped == 5
    assert not small.undo()


# Planes of another sheet


@pytest.fixture
def two_sheets(history: History, tmp_path: Path) -> History:
    """Two sheets; the first has a pattern, a step and a tone of maps of its own."""
    other = kit_of(write_maps(tmp_path / "other", seed=8), coats=False).kit.sheets[0]
    history.do(c.add_sheet("Second"))
    key = history.kit.sheets[1].key
    for source in other.sources:
        history.do(c.add_map(key, source))
    history.do(c.add_regions(key, [(1, 2, 3)]))
    return history


def reads_the_first(history: History, role: Role) -> None:
    source = history.kit.sheets[0].source(role)
    assert source is not None
    use = PlaneUse(PlaneRef(PlaneKind.MAP, source.key))
    history.do(c.set_pattern("region_1", 0, use))
    history.do(c.add_step("region_1", Step("channel", plane=use)))


def second_region(history: History) -> str:
    return history.kit.sheets[1].regions[0].key


ACROSS = {
    "paste": lambda kit, there: c.paste_cell(c.read_cell(kit, "region_1", ""), there, ""),
    "fill": lambda kit, there: c.fill_cells(c.read_cell(kit, "region_1", ""), [(there, "")]),
    "copy coats": lambda kit, there: c.copy_coats("region_1", [there]),
    "copy steps": lambda kit, there: c.copy_steps("region_1", [there]),
}


@pytest.mark.parametrize("way", list(ACROSS))
def test_planes_are_those_of_the_sheet_that_they_are_pasted_on(way: str, two_sheets: History, sheets: object) -> None:
    """The base colour there is its own; shown and shipped, saved and read."""
    history = two_sheets
    reads_the_first(history, Role.BASE_COLOUR)
    there = second_region(history)
    history.do(ACROSS[way](history.kit, there))
    check_kit(history.kit)
    region, own = history.kit.region(there), history.kit.sheets[1].source(Role.BASE_COLOUR)
    assert own is not None
    uses = [coat.pattern for coat in region.coats if coat.pattern] + [s.plane for s in region.steps if s.plane]
    assert uses
    assert {use.plane.key for use in uses} == {own.key}


@pytest.mark.parametrize("way", list(ACROSS))
def test_a_plane_that_is_not_there_is_refused(way: str, two_sheets: History) -> None:
    history = two_sheets
    history.do(c.set_role("sheet_1", "id_map", Role.HEIGHT))
    reads_the_first(history, Role.HEIGHT)
    before = history.kit
    with pytest.raises(UserError, match="Second does not have"):
        history.do(ACROSS[way](history.kit, second_region(history)))
    assert history.kit is before


def test_a_plane_of_another_sheet_is_known_to_the_checks(two_sheets: History, tmp_path: Path) -> None:
    """A kit that an older version saved so opens, without the plane; nothing else can make one."""
    history = two_sheets
    there = history.kit.region(second_region(history))
    use = PlaneUse(PlaneRef(PlaneKind.MAP, "id_map"))
    coats = (replace(there.coats[0], pattern=use),)
    second = replace(
        history.kit.sheets[1], regions=(replace(there, coats=coats),), sources=history.kit.sheets[1].sources[:1]
    )
    odd = history.kit.with_sheet(second)
    with pytest.raises(UserError, match="id_map"):
        check_kit(odd)
    again = decode_kit(encode_kit(odd, tmp_path), tmp_path)
    assert again.region(there.key).coats[0].pattern is None
