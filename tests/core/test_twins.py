"""Twins: the same maps, regions and masks by link, other values; their faces, how they ship, and how they are played."""

from pathlib import Path

import msgspec
import numpy as np
import pytest

from even_palette.cli import main
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.fingerprints import fingerprint
from even_palette.core.kit.history import History
from even_palette.core.kit.mesh_file import MeshFile
from even_palette.core.kit.model import Kit
from even_palette.core.kit.sheet import Step
from even_palette.core.kit.store import KitFolder, decode_kit, encode_kit, read_kit
from even_palette.core.material.model import Bound
from even_palette.core.material.variants import MASTER, resolve
from even_palette.core.mesh.files import write_mesh
from even_palette.core.raster.files import read_plane
from even_palette.core.raster.plane import Encoding
from even_palette.core.results.dividing import give_to_twin
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.pictures import render_reference, whole_sheet
from even_palette.core.results.sheet_mesh import twin_parts, twins_of_faces
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.weights import weights_of
from even_palette.core.ship.write import ship
from even_palette.player.load import load
from even_palette.player.opengl import play_opengl
from even_palette.player.reference import play_reference
from tests.mesh.conftest import quads

RED, BLUE = (0.9, 0.1, 0.1), (0.1, 0.2, 0.9)
VIEW = whole_sheet(64, 64)


@pytest.fixture
def pair(history: History) -> History:
    """The small kit with a twin of its sheet that has another colour in region 1."""
    history.do(commands.add_twin("sheet_1", "Left"))
    history.do(commands.in_twin(commands.set_cell_value("region_1", "colour", RED), "left"))
    return history


def colours(history: History, twin: str = "", variant: str = MASTER) -> np.ndarray:
    return render_reference(picture(history.kit.at("sheet_1", twin), Sheets(), Look(variant=variant)), VIEW).astype(int)


def setting(history: History, twin: str, variant: str = MASTER) -> object:
    """What region 1's colour is in a twin and variant."""
    kit = history.kit.as_twin(twin) if twin else history.kit
    value = kit.region("region_1").coats[0].values["colour"]
    assert isinstance(value, Bound)
    return resolve(kit.parameters, kit.variants, variant)[value.parameter]


def test_a_value_is_the_twins_own(history: History) -> None:
    """A fixed colour becomes a parameter, whose default stays; only the twin has the other one; undone in one step."""
    before, kit = colours(history), history.kit
    history.do(commands.add_twin("sheet_1", "Left"))
    assert np.array_equal(colours(history, "left"), before)
    history.do(commands.in_twin(commands.set_cell_value("region_1", "colour", RED), "left"))
    assert np.array_equal(colours(history), before)
    assert setting(history, "left") == RED
    changed = np.abs(colours(history, "left") - before).max(axis=-1) > 2
    assert changed[4:28, 4:28].mean() > 0.9
    assert not changed[36:].any()
    history.undo()
    history.undo()
    assert history.kit == kit


def test_what_the_twin_sets_holds_in_all_variants(pair: History) -> None:
    """Also where a variant sets it for all; a variant of the twin's own is inherited; what it does not set comes through."""
    pair.do(commands.set_cell_value("region_1", "colour", BLUE, "day"))
    assert (setting(pair, "", "day"), setting(pair, "left", "day")) == (BLUE, RED)
    green = (0.1, 0.8, 0.2)
    pair.do(commands.in_twin(commands.set_cell_value("region_1", "colour", green, "day"), "left"))
    assert (setting(pair, "", "day"), setting(pair, "left", "day")) == (BLUE, green)
    assert setting(pair, "left") == RED
    pair.do(commands.add_variant("Noon", "day"))
    pair.do(commands.set_cell_value("region_1", "colour", (0.5, 0.5, 0.5), "noon"))
    assert setting(pair, "left", "noon") == green
    pair.do(commands.in_twin(commands.clear_cell("region_1", "day"), "left"))
    assert (setting(pair, "left", "day"), setting(pair, "left", "noon")) == (RED, RED)
    assert setting(pair, "", "day") == BLUE
    pair.do(commands.set_cell_value("region_2", "strength", 0.3, "day"))
    assert np.abs(colours(pair, "left", "day") - colours(pair, "", "day"))[:28, 36:].max() == 0


def test_masks_and_coats_are_the_same_by_link(pair: History) -> None:
    """A step of a mask, a new coat, a choice: done to either, both follow."""
    pair.do(commands.in_twin(commands.add_step("region_1", Step("feather", {"radius": 4.0})), "left"))
    sheets = Sheets()
    both = [weights_of(pair.kit.at("sheet_1", twin), sheets).levels for twin in ("", "left")]
    assert all(np.array_equal(one, other) for one, other in zip(*both, strict=True))
    assert len(pair.kit.region("region_1").steps) == 1
    pair.do(commands.in_twin(commands.set_choice("region_1", "mode", "plain"), "left"))
    assert pair.kit.region("region_1").coats[0].values["mode"] == "plain"
    assert len(pair.kit.sheets) == 1


def test_a_command_that_drags_merges(pair: History) -> None:
    count = len(pair.undo_labels)
    for level in (0.2, 0.3, 0.4):
        pair.do(commands.in_twin(commands.set_cell_value("region_1", "colour", (level, 0.0, 0.0)), "left"))
    assert len(pair.undo_labels) == count + 1 or len(pair.undo_labels) == count
    assert setting(pair, "left") == (0.4, 0.0, 0.0)


def test_names_removal_and_what_does_not_hold(pair: History, tmp_path: Path) -> None:
    pair.do(commands.add_twin("sheet_1", "Left"))
    assert [twin.name for twin in pair.kit.sheets[0].twins] == ["Left", "Left 2"]
    pair.do(commands.rename_twin("left_2", "Right"))
    pair.do(commands.remove_twin("left_2"))
    pair.do(commands.add_twin("sheet_1", "Left 2"))
    assert pair.kit.sheets[0].twins[-1].key != "left_2"
    with pytest.raises(UserError, match="there is no"):
        pair.do(commands.remove_twin("none"))
    home = KitFolder.create(tmp_path / "kit")
    home.save(pair.kit)
    home.close()
    assert read_kit(tmp_path / "kit").sheets[0].twins == pair.kit.sheets[0].twins
    stored = msgspec.json.decode(encode_kit(pair.kit, tmp_path))
    (parameter,) = stored["sheets"][0]["twins"][0]["values"][""]
    for value in (3.0, "red", [1, 2], [0.1, 0.2, 7.0], None):
        stored["sheets"][0]["twins"][0]["values"][""][parameter] = value
        with pytest.raises(UserError):
            decode_kit(msgspec.json.encode(stored), tmp_path)


def test_values_of_what_is_gone_are_not_saved(pair: History, tmp_path: Path) -> None:
    """When no coat follows the parameter any more, and when a variant is removed."""
    pair.do(commands.in_twin(commands.set_cell_value("region_1", "colour", BLUE, "day"), "left"))
    pair.do(commands.remove_variant("day"))
    pair.do(commands.set_coat_kind("region_1", "shade"))
    home = KitFolder.create(tmp_path / "kit")
    home.save(pair.kit)
    home.close()
    assert read_kit(tmp_path / "kit").sheets[0].twins[0].values == {}


@pytest.fixture
def tiles(pair: History, tmp_path: Path) -> History:
    """With a mesh of four squares on the sheet, two of them the twin's."""
    boxes = [(0.02, 0.02, 0.48, 0.48), (0.52, 0.02, 0.98, 0.48), (0.02, 0.52, 0.48, 0.98), (0.52, 0.52, 0.98, 0.98)]
    mesh = quads(boxes)
    path = tmp_path / "tiles.ply"
    write_mesh(path, mesh, np.zeros((8, 3), np.uint8))
    seen = fingerprint(path)
    pair.do(commands.add_mesh(MeshFile("tiles", str(path), "sheet_1", seen.size, seen.sha256)))
    pair.do(give_to_twin(pair.kit.at(), Sheets(), np.arange(8) < 4, "left"))
    return pair


def test_faces_are_given_to_twins(tiles: History) -> None:
    sheets = Sheets()
    at = tiles.kit.at()
    assert twins_of_faces(at, sheets).tolist() == [0, 0, 0, 0, -1, -1, -1, -1]
    parts = twin_parts(at, sheets)
    assert {key: mesh.face_count for key, mesh in parts.items()} == {"": 4, "left": 4}
    tiles.do(give_to_twin(at, sheets, np.arange(8) % 4 == 0, ""))
    assert twins_of_faces(tiles.kit.at(), sheets).tolist() == [-1, 0, 0, 0, -1, -1, -1, -1]
    tiles.do(commands.remove_twin("left"))
    assert (twins_of_faces(tiles.kit.at(), sheets) == -1).all()
    assert twin_parts(tiles.kit.at(), sheets)[""].face_count == 8


def test_a_twin_ships_as_a_slot_of_its_own(pair: History, tmp_path: Path) -> None:
    """The same maps and shader, other values in each variant; players show both as the window does; what does not hold
    together is refused."""
    pair.do(commands.in_twin(commands.set_cell_value("region_2", "strength", 0.1, "day"), "left"))
    kit, sheets, folder = pair.kit, Sheets(), tmp_path / "package"
    ship(kit, sheets, folder)
    loaded = load(folder)
    (twin,) = loaded.package.twins
    assert (twin.name, twin.sheet) == ("Left", "Sheet")
    assert len(loaded.package.sheets) == 1
    for key, name in {**kit.variant_names, "": ""}.items():
        for which, called in (("", ""), ("left", "Left")):
            own = colours(pair, which, key)
            for play in (play_opengl, play_reference):
                assert np.abs(play(loaded, name, 64, 64, twin=called).astype(int) - own).max() <= 1
    assert np.abs(colours(pair) - colours(pair, "left")).max() > 20
    assert "Left: Sheet" in (folder / "README.txt").read_text()
    out = tmp_path / "left.png"
    assert main(["play", str(folder), "--twin", "Left", "--reference", "--out", str(out)]) == 0
    assert np.abs(read_plane(out, Encoding.SRGB).samples.astype(int) - colours(pair, "left")).max() <= 1
    assert main(["play", str(folder), "--twin", "Right", "--reference", "--out", str(out)]) == 2
    stored = msgspec.json.decode((folder / "package.json").read_bytes())
    for change in ({"sheet": "Nowhere"}, {"name": "Sheet"}, {"values": {}}):
        broken = {**stored, "twins": [{**stored["twins"][0], **change}]}
        (folder / "package.json").write_bytes(msgspec.json.encode(broken))
        with pytest.raises(UserError):
            load(folder)


def test_a_kit_without_the_twin_has_no_focus_on_it() -> None:
    with pytest.raises(KeyError):
        Kit().at("", "none")
