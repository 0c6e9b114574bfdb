"""Write maps: what would be written is seen, changes with what is chosen, and is what is written."""

from pathlib import Path

import msgspec
import numpy as np
from PyQt6.QtCore import Qt

from even_palette.app.write_maps import WriteMaps
from even_palette.core.kit import commands
from even_palette.core.kit.output_plan import READY, Of, OutputPlan, PlanChannel, PlanFile, read_plan
from even_palette.core.kit.ready_plans import plans_of
from even_palette.core.raster.files import read_plane
from even_palette.core.raster.plane import Encoding
from even_palette.core.results.weights import weights_of
from even_palette.core.ship.planned_maps import Wish, write_planned
from even_palette.core.tones.palette import new_palette
from tests.app.conftest import Driver


def opened(driver: Driver) -> WriteMaps:
    """The panel, opened by its key."""
    driver.key(driver.window, Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)
    panel = driver.window._maps
    assert panel is not None
    assert panel.isVisible()
    settle(driver, panel)
    return panel


def settle(driver: Driver, panel: WriteMaps) -> None:
    driver.qtbot.waitUntil(lambda: not panel._look.isActive() and not driver.window.jobs.busy, timeout=30_000)


def listed(panel: WriteMaps) -> list[str]:
    return [panel.files.topLevelItem(n).text(0) for n in range(panel.files.topLevelItemCount())]  # type: ignore[union-attr]


def test_what_is_listed_is_written(small: Driver, tmp_path: Path) -> None:
    panel = opened(small)
    assert listed(panel) == ["sheet-master-colour.png"]
    assert not panel.files.topLevelItem(0).icon(0).pixmap(36).toImage().isGrayscale()  # type: ignore[union-attr]
    small.choose(panel.variants, "All 3 variants")
    settle(small, panel)
    assert listed(panel) == [f"sheet-{name}-colour.png" for name in ("master", "day", "dusk")]
    small.choose(panel.side, "256 wide")
    settle(small, panel)
    assert panel.files.topLevelItem(0).text(1) == "256 × 256"  # type: ignore[union-attr]
    assert "1024.0 KiB" in panel.told.text()
    small.click(panel.write)
    assert panel.told.text() == "Choose a folder first."
    panel.folder.setText(str(tmp_path / "out"))
    small.click(panel.write)
    small.qtbot.waitUntil(lambda: panel.told.text().startswith("Written: 3 maps"), timeout=30_000)
    assert sorted(path.name for path in (tmp_path / "out").glob("*.png")) == sorted(listed(panel))
    assert read_plane(tmp_path / "out" / "sheet-day-colour.png", Encoding.SRGB).samples.shape == (256, 256, 3)
    assert panel.show_folder.isVisible()
    small.key(panel.plan, Qt.Key.Key_Escape)
    assert not panel.isVisible()


def test_names_that_cannot_be_are_told_and_nothing_can_be_written(small: Driver) -> None:
    panel = opened(small)
    small.type(panel.pattern, "{sheet}-{shade}")
    settle(small, panel)
    assert "there is no {shade}" in panel.told.text()
    assert not panel.write.isEnabled()
    assert listed(panel) == []


def test_a_plan_of_a_file(small: Driver, tmp_path: Path) -> None:
    """A plan of one's own is offered, chosen and written, by the button in Ship as well."""
    region = small.session.kit.regions[0]
    plan = OutputPlan("own", "Masks for us", (PlanFile("mask", (PlanChannel(Of.MASK, region.key),)),))
    (tmp_path / "plan.json").write_bytes(msgspec.json.encode(plan))
    small.stage(8)
    small.settle()
    small.click(small.tray.panel("Ship").maps)
    panel = small.window._maps
    assert panel is not None
    settle(small, panel)
    panel.take_plan(tmp_path / "plan.json")
    small.qtbot.waitUntil(lambda: panel.plan.currentText() == "Masks for us", timeout=20_000)
    settle(small, panel)
    assert listed(panel) == ["sheet-master-mask.png"]
    panel.folder.setText(str(tmp_path / "out"))
    small.click(panel.write)
    small.qtbot.waitUntil(lambda: panel.told.text().startswith("Written: 1 maps"), timeout=30_000)
    made = read_plane(tmp_path / "out" / "sheet-master-mask.png", Encoding.DATA).samples[..., 0]
    assert np.array_equal(made, weights_of(small.session.at, small.session.sheets).levels[0])
    ready = msgspec.structs.replace(plan, key=READY[0].key, name="Ours instead")
    (tmp_path / "ready.json").write_bytes(msgspec.json.encode(ready))
    panel.take_plan(tmp_path / "ready.json")
    small.qtbot.waitUntil(lambda: panel.plan.currentText() == "Ours instead", timeout=20_000)
    assert panel.chosen_plan.files == plan.files
    settle(small, panel)
    (tmp_path / "bad.json").write_text("{}")
    panel.take_plan(tmp_path / "bad.json")
    small.qtbot.waitUntil(lambda: "not an output plan" in panel.told.text(), timeout=20_000)
    assert panel.plan.count() == len(plans_of(panel.session.kit))
    assert [kept.name for kept in small.session.kit.plans] == ["Masks for us", "Ours instead"]
    panel.write_plan(tmp_path / "kept.json")
    small.qtbot.waitUntil(lambda: (tmp_path / "kept.json").exists(), timeout=20_000)
    assert read_plan(tmp_path / "kept.json") == panel.chosen_plan
    small.choose(panel.plan, "Ours instead")
    small.click(panel.drop_plan)
    assert [kept.name for kept in small.session.kit.plans] == ["Masks for us"]


def test_a_twin_in_front_is_written_under_its_own_name_alone(small: Driver, tmp_path: Path) -> None:
    """One is written as the twin has it; all sheets and twins are written as they are, whatever is in front."""
    session = small.session
    session.do(commands.add_twin("sheet_1", "Left boot"))
    session.show_sheet("sheet_1", "left_boot")
    session.do(commands.set_cell_value("region_1", "colour", (0.9, 0.1, 0.1), ""))
    small.settle()
    panel = opened(small)
    assert listed(panel) == ["left_boot-master-colour.png"]
    written = {}
    for which, count in (("Twin Left boot", 1), ("All 1 sheets and 1 twin", 2)):
        small.choose(panel.sheets, which)
        settle(small, panel)
        panel.folder.setText(str(tmp_path / which))
        small.click(panel.write)
        small.qtbot.waitUntil(lambda n=count: panel.told.text().startswith(f"Written: {n} maps"), timeout=30_000)  # type: ignore[misc]
        for path in (tmp_path / which).glob("*.png"):
            pixels = read_plane(path, Encoding.SRGB).samples
            assert np.array_equal(written.setdefault(path.name, pixels), pixels)
    assert sorted(written) == ["left_boot-master-colour.png", "sheet-master-colour.png"]
    assert not np.array_equal(*written.values())
    write_planned(session.document.kit, session.sheets, [Wish(READY[0], [""], ["sheet_1"])], tmp_path / "whole")
    whole = read_plane(tmp_path / "whole" / "sheet-master-colour.png", Encoding.SRGB).samples
    assert np.array_equal(written["sheet-master-colour.png"], whole)


def test_rows_of_strips_are_as_high_as_chosen(small: Driver, tmp_path: Path) -> None:
    """The choice is there for a plan of strips, and UV lines are offered where there is a mesh."""
    history = small.session
    history.do(commands.add_palette(new_palette("p", "Paints", np.arange(15, dtype=np.uint8).reshape(5, 3))))
    small.settle()
    panel = opened(small)
    assert not panel.rows.isVisible()
    small.choose(panel.plan, "Palettes and ramps")
    assert panel.rows.isVisible()
    small.choose(panel.rows, "Rows of 16 texels")
    settle(small, panel)
    assert listed(panel) == ["all-all-paints.png"]
    panel.folder.setText(str(tmp_path / "strips"))
    small.click(panel.write)
    small.qtbot.waitUntil(lambda: panel.told.text().startswith("Written: 1 maps"), timeout=30_000)
    made = read_plane(tmp_path / "strips" / "all-all-paints.png", Encoding.SRGB).samples
    assert made.shape == (16, 5, 3)
    assert panel.plan.findText("UV layout as lines") < 0
