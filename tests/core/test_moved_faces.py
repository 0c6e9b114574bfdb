"""Faces moved on their sheet: UVs, what is made of them, files that are written, refusals."""

from pathlib import Path

import msgspec
import numpy as np
import pytest
from msgspec.structs import replace

from even_palette.core.checks import find
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.fingerprints import fingerprint
from even_palette.core.kit.history import History
from even_palette.core.kit.mesh_file import MeshFile
from even_palette.core.kit.model import Kit
from even_palette.core.kit.store import KitFolder, decode_kit, encode_kit
from even_palette.core.mesh.files import read_mesh, write_mesh
from even_palette.core.results.dividing import assign, move_back, move_on_sheet
from even_palette.core.results.footprints import footprint_of
from even_palette.core.results.sheet_mesh import mesh_of_file, mesh_on_sheet
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.weights import weights_of
from even_palette.core.ship.mesh_with_ids import write_with_ids
from even_palette.scripting import open_kit
from tests.mesh.conftest import quads

SIDE = 1024
"""Masks without paint are so wide."""


@pytest.fixture
def tiles(tmp_path: Path) -> History:
    """A sheet with four quads in its upper left quarter, two regions on the first two of them."""
    mesh = quads([(0.02, 0.03, 0.11, 0.1), (0.13, 0.03, 0.22, 0.1), (0.02, 0.13, 0.11, 0.22), (0.13, 0.13, 0.22, 0.22)])
    path = tmp_path / "tiles.ply"
    write_mesh(path, mesh, np.zeros((mesh.face_count, 3), np.uint8))
    seen = fingerprint(path)
    history = History(Kit())
    history.do(commands.add_mesh(MeshFile("tiles", str(path), "sheet_1", seen.size, seen.sha256)))
    history.do(commands.set_padding("sheet_1", 0))
    for number in range(2):
        history.do(commands.add_regions("sheet_1", [(200 * number, 9, 9)]))
        history.do(assign(history.kit.at(), Sheets(), np.arange(8) // 2 == number, f"region_{number + 1}"))
    return history


def uv_of(history: History) -> np.ndarray:
    found = mesh_on_sheet(history.kit.at(), Sheets())
    assert found is not None
    return found.uv


def moved(history: History, faces: np.ndarray, across: int, down: int) -> None:
    history.do(move_on_sheet(history.kit.at(), Sheets(), faces, across, down))


@pytest.mark.parametrize(("across", "down"), [(2, 0), (0, 2), (1, 3), (-1, 0), (2, -2)])
def test_uvs_and_masks_go_along(tiles: History, across: int, down: int) -> None:
    """The chosen faces' UVs by quarters, the others' not at all; masks by as many texels, each of them."""
    before, weights = uv_of(tiles), weights_of(tiles.kit.at(), Sheets()).levels
    faces = np.arange(8) // 2 == 1
    moved(tiles, faces, across, down)
    assert np.array_equal(uv_of(tiles)[faces], before[faces] + np.float32((across / 4, down / 4)))
    assert np.array_equal(uv_of(tiles)[~faces], before[~faces])
    after = weights_of(tiles.kit.at(), Sheets()).levels
    assert np.array_equal(after[0], weights[0])
    shifted = np.zeros_like(weights[1])
    right, below = across * SIDE // 4, down * SIDE // 4
    if right >= 0 and below >= 0:
        shifted[below:, right:] = weights[1][: SIDE - below, : SIDE - right]
    assert np.array_equal(after[1], shifted)


def test_moves_add_up_and_go_back(tiles: History) -> None:
    """Two halves are a whole; back is where the file has them, under the name that it had; each is one step."""
    before, name = tiles.kit, mesh_of_file(tiles.kit.meshes[0], Sheets()).content_id
    faces = np.arange(8) < 3
    moved(tiles, faces, 2, 0)
    moved(tiles, np.arange(8) == 0, 2, 1)
    moves = uv_of(tiles) - uv_of_file(tiles)
    wanted = [(1.0, 0.25), (0.5, 0.0), (0.5, 0.0), *[(0.0, 0.0)] * 5]
    assert np.allclose(moves, np.array(wanted)[:, None], atol=1e-7)
    assert mesh_of_file(tiles.kit.meshes[0], Sheets()).content_id != name
    assert decode_kit(encode_kit(tiles.kit, Path("/")), Path("/")) == tiles.kit
    tiles.do(move_back(tiles.kit.at(), Sheets(), np.ones(8, bool)))
    assert mesh_of_file(tiles.kit.meshes[0], Sheets()).content_id == name
    assert tiles.kit.meshes[0] == before.meshes[0]
    for _ in range(3):
        tiles.undo()
    assert tiles.kit == before


def uv_of_file(history: History) -> np.ndarray:
    return read_mesh(Path(history.kit.meshes[0].path)).uv_sets[0]


def test_what_is_written_has_them_moved(tiles: History, tmp_path: Path) -> None:
    """The mesh that is written has its UVs where the sheet has them, which a note asks for."""
    assert not any("moved" in finding.text for finding in find(tiles.kit, Sheets()))
    moved(tiles, np.arange(8) // 2 == 3, 1, 1)
    notes = [finding for finding in find(tiles.kit, Sheets()) if "moved" in finding.text]
    assert [note.text[:36] for note in notes] == ["2 faces of tiles.ply are moved on th"]
    for suffix in (".ply", ".glb"):
        write_with_ids(tiles.kit, Sheets(), "tiles", tmp_path / f"out{suffix}")
        assert np.abs(read_mesh(tmp_path / f"out{suffix}").uv_sets[0] - uv_of(tiles)).max() <= 1e-6


def test_faces_that_are_there_no_more(tiles: History) -> None:
    """A mesh of other faces is where its file has it."""
    moved(tiles, np.arange(8) == 1, 1, 0)
    (mesh,) = tiles.kit.meshes
    other = replace(tiles.kit, meshes=(replace(mesh, moved=replace(mesh.moved, count=9)),))
    found = mesh_on_sheet(other.at(), Sheets())
    assert found is not None
    assert np.array_equal(found.uv, uv_of_file(tiles))


def test_what_is_no_move_is_refused(tiles: History, tmp_path: Path) -> None:
    """Too far, and names in a file that are none; nothing is lost."""
    before = tiles.kit
    for _ in range(10):
        moved(tiles, np.arange(8) == 1, 4, 0)
    with pytest.raises(UserError, match="at most 10 sheets"):
        moved(tiles, np.arange(8) == 1, 1, 0)
    for name in ("", "1", "1  2", "01 2", "41 0", "1 2 3", "a b", "1.5 0", "-0 1"):
        data = msgspec.json.decode(encode_kit(before, tmp_path))
        data["meshes"][0]["moved"] = {"count": 8, "regions": [name], "packed": ""}
        with pytest.raises(UserError, match="which is no move"):
            decode_kit(msgspec.json.encode(data), tmp_path)


def test_by_a_script(tiles: History, tmp_path: Path) -> None:
    """By widths and heights of the sheet."""
    home = KitFolder.create(tmp_path / "kit")
    home.save(tiles.kit)
    home.close()
    with open_kit(tmp_path / "kit") as kit:
        assert kit.move_faces(np.arange(8) < 2, 0.5, -0.25)
        seen = footprint_of(kit.at(), kit.results, 64, 64)
        assert seen is not None
        assert kit.kit.meshes[0].moved.regions == ("2 -1",)
        with pytest.raises(UserError, match=r"multiples of 0\.25"):
            kit.move_faces(np.arange(8) < 2, 0.3, 0)
        with pytest.raises(UserError, match="has 8 faces, not 3"):
            kit.move_faces([True] * 3, 0.5, 0)
