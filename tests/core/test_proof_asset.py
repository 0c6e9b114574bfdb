"""What the textures of a whole kit take, and its budget."""

from pathlib import Path
from typing import Any

import pytest

from even_palette.core.checks import find, proof_budget
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.store import read_kit
from even_palette.core.limits import MOST_BUDGET
from even_palette.core.proof.conditions import Conditions, MapConditions
from even_palette.core.results.proof import shipped
from even_palette.core.results.proof_asset import Asset, asset_of
from even_palette.core.results.proof_files import write_textures
from even_palette.core.results.sheets import Sheets
from even_palette.demo import KIT_FOLDER


@pytest.fixture(scope="module")
def store() -> Sheets:
    return Sheets()


def test_the_table_tells_what_files_hold(store: Sheets, tmp_path: Path) -> None:
    """Of a sheet's maps the bytes, sizes and levels are those of the files that are written, but for their headers."""
    history = History(read_kit(KIT_FOLDER))
    history.do(commands.set_conditions("oar_and_crate", Conditions("mobile")))
    found = [each for each in asset_of(history.kit, store).maps if each.sheet == "oar_and_crate"]
    written = write_textures(history.kit.at("oar_and_crate"), store, tmp_path, ".ktx2")
    sizes = {path.stem: size for path, size in written.items()}
    assert {each.slot for each in found} == sizes.keys()
    for each in found:
        assert 80 < sizes[each.slot] - each.bytes < 1024  # the header, an index of levels and what the format is
        assert each.levels == max(each.width, each.height).bit_length()


def test_draws_are_parts_of_meshes_by_what_they_wear(store: Sheets) -> None:
    """Each mesh once for each sheet that it lies on, and once more for a twin that some of its faces wear."""
    kit = read_kit(KIT_FOLDER)
    asset = asset_of(kit, store)
    wanted = 0
    for mesh in kit.meshes:
        for key in set(mesh.sheets):
            twins = {twin.key for twin in kit.sheet(key).twins}
            wanted += 1 + len(twins & set(mesh.twins.regions))
    assert asset.draws == wanted
    assert {each.sheet for each in asset.maps} == {sheet.key for sheet in kit.sheets}
    assert asset.lacking == {}


def test_a_budget(store: Sheets) -> None:
    """It is told once, of the sheet that takes most; smaller maps mend it."""
    history = History(read_kit(KIT_FOLDER))
    assert told(history, store) == []
    taken = asset_of(history.kit, store).bytes
    history.do(commands.set_budget(taken))
    assert told(history, store) == []
    history.do(commands.set_budget(taken * 4 // 5))
    (text,) = told(history, store)
    assert "125% of the budget" in text
    own = dict.fromkeys(shipped(history.kit.at("sheet_1"), store).facts, MapConditions(smaller=1))
    history.do(commands.set_conditions("sheet_1", Conditions("nothing", own)))
    assert told(history, store) == []
    history.do(commands.set_budget(1 << 60))
    assert history.kit.budget_bytes == MOST_BUDGET


def test_every_sheet_can_be_proved(store: Sheets, tmp_path: Path) -> None:
    """Also one whose formula does not read the base colour: its maps are named, checked, and written."""
    history = History(read_kit(KIT_FOLDER))
    for sheet in history.kit.sheets:
        history.do(commands.set_conditions(sheet.key, Conditions("nothing", {"x": MapConditions("BC7")})))
    assert {found.stage for found in find(history.kit, store)} >= {"Recolour"}
    without_base = 0
    for sheet in history.kit.sheets:
        found = shipped(history.kit.at(sheet.key), store)
        assert sorted(found.names) == sorted(found.facts)
        without_base += "base_colour" not in found.facts
        (tmp_path / sheet.key).mkdir()
        written = write_textures(history.kit.at(sheet.key), store, tmp_path / sheet.key, ".ktx2")
        assert len(written) == len(found.facts)
    assert without_base


def test_the_whole_kit_is_counted_once(store: Sheets, monkeypatch: pytest.MonkeyPatch) -> None:
    """However many sheets are checked; the finding is of the sheet that takes most, by its name."""
    history, counted = History(read_kit(KIT_FOLDER)), list[str]()
    history.do(commands.set_budget(1 << 20))

    def count(*arguments: Any, **named: Any) -> Asset:
        counted.append("once")
        return asset_of(*arguments, **named)

    monkeypatch.setattr(proof_budget, "asset_of", count)
    (found,) = [each for each in find(history.kit, store) if "of the budget" in each.text]
    assert counted == ["once"]
    assert found.sheet == "sheet_1"
    assert found.text.startswith("Ferry tug: ")


def told(history: History, store: Sheets) -> list[str]:
    kit = history.kit
    return [found.text for sheet in kit.sheets for found in proof_budget.check(kit.at(sheet.key), store, None)]
