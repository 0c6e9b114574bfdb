"""Write maps: what would be written is seen, changes with what is chosen, and is what is written."""

from pathlib import Path

import msgspec
import numpy as np
from PyQt6.QtCore import Qt

from even_palette.app.write_maps import WriteMaps
from even_palette.core.kit.output_plan import READY, Of, OutputPlan, PlanChannel, PlanFile
from even_palette.core.raster.files import read_plane
from even_palette.core.raster.plane import Encoding
from even_palette.core.results.weights import weights_of
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
    (tmp_path / "bad.json").write_text("{}")
    panel.take_plan(tmp_path / "bad.json")
    small.qtbot.waitUntil(lambda: "not an output plan" in panel.told.text(), timeout=20_000)
    assert panel.plan.count() == len(READY) + 2
