"""UV tiles: told, and given sheets of their own."""

from pathlib import Path

import numpy as np
import pytest

from even_palette.core.checks import find
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.fingerprints import fingerprint
from even_palette.core.kit.history import History
from even_palette.core.kit.mesh_file import MeshFile
from even_palette.core.kit.model import Kit
from even_palette.core.kit.store import decode_kit, encode_kit
from even_palette.core.mesh.files import write_mesh
from even_palette.core.mesh.model import build_mesh
from even_palette.core.results.sheet_mesh import mesh_on_sheet
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.uv_tiles import faces_by_tile, sheets_for_tiles, tile_number, told_of_tiles
from tests.mesh.conftest import quads

BOX = (0.1, 0.1, 0.9, 0.9)
PLACES = [(0, 0), (1, 0), (0, -1), (3, -2), (-1, 0)]
"""Tiles of the squares, to the right and down; the last one has no number."""


@pytest.fixture
def tiled(tmp_path: Path) -> History:
    """A square in each of some tiles."""
    mesh = quads([BOX] * len(PLACES))
    moved = mesh.uv_sets[0] + np.repeat(np.float32(PLACES), 2, axis=0)[:, None]
    whole = build_mesh(mesh.points, mesh.faces, (moved,))
    path = tmp_path / "tiled.ply"
    write_mesh(path, whole, np.zeros((whole.face_count, 3), np.uint8))
    seen = fingerprint(path)
    history = History(Kit())
    history.do(commands.add_mesh(MeshFile("tiled", str(path), "sheet_1", seen.size, seen.sha256)))
    return history


def test_tiles_are_numbered_as_the_trade_does() -> None:
    """1001 for the first, one more to the right, ten more upwards, ten in a row: common practice."""
    assert [tile_number(*place) for place in PLACES] == [1001, 1002, 1011, 1024, 0]
    assert (tile_number(9, 0), tile_number(10, 0), tile_number(0, 1)) == (1010, 0, 0)


def test_what_lies_in_other_tiles_is_told(tiled: History) -> None:
    file, sheets = tiled.kit.meshes[0], Sheets()
    assert faces_by_tile(file, sheets) == {(1, 0): 2, (-1, 0): 2, (0, -1): 2, (3, -2): 2}
    told = told_of_tiles(file, sheets)
    assert "2 in tile 1002" in told
    assert "2 in tile -1 right, +0 down" in told
    (finding,) = (each for each in find(tiled.kit, sheets) if "in tile" in each.text)
    assert finding.mend is not None
    assert finding.mend.label == "A sheet for each tile"


def test_tiles_become_sheets(tiled: History, tmp_path: Path) -> None:
    """Each numbered one gets a sheet, on which its faces lie as they would in the first tile; undone in one step."""
    sheets, before = Sheets(), tiled.kit
    tiled.do(sheets_for_tiles(tiled.kit.at(), sheets, "tiled"))
    assert [sheet.name for sheet in tiled.kit.sheets] == ["Sheet", "Sheet 1002", "Sheet 1011", "Sheet 1024"]
    first = mesh_on_sheet(before.at(), sheets)
    assert first is not None
    for number, sheet in enumerate(tiled.kit.sheets):
        part = mesh_on_sheet(tiled.kit.at(sheet.key), sheets)
        assert part is not None
        assert part.mesh.face_count == (4 if number == 0 else 2)  # what has no number stays where it was
        inside = part.uv[:2]
        assert np.allclose(inside, first.uv[:2], atol=1e-6)
    assert list(faces_by_tile(tiled.kit.meshes[0], sheets)) == [(-1, 0)]
    with pytest.raises(UserError, match="No face"):
        sheets_for_tiles(tiled.kit.at(), sheets, "tiled")
    assert decode_kit(encode_kit(tiled.kit, tmp_path), tmp_path) == tiled.kit
    gone = tiled.kit.sheets[1].key
    tiled.do(commands.remove_sheet(gone))
    assert gone not in tiled.kit.meshes[0].sheets
    tiled.undo()
    tiled.undo()
    assert tiled.kit == before


def test_damaged_tiles_are_refused(tiled: History, tmp_path: Path) -> None:
    text = encode_kit(tiled.kit, tmp_path).decode()
    for tiles in ('{"1": "sheet_1"}', '{"x y": "sheet_1"}', '{"1 0": "none"}', '{"1 0": 3}', '{"1 0\\n": "sheet_1"}'):
        with pytest.raises(UserError):
            decode_kit(text.replace('"tiles": {}', f'"tiles": {tiles}').encode(), tmp_path)
