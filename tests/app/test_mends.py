"""Findings in the real window: their place is shown, what a mend would change is seen, and a click mends."""

import numpy as np
from PyQt6.QtCore import Qt

from even_palette.core.results.weights import weights_of
from tests.app.conftest import Driver, pixels


def choose(driver: Driver, words: str) -> None:
    """Click the finding with these words."""
    panel = driver.window.findings_panel
    item = next(panel.list.item(i) for i in range(panel.list.count()) if words in panel.list.item(i).text())
    panel.list.scrollToItem(item)
    at = panel.list.visualItemRect(item).center()
    driver.qtbot.mouseClick(panel.list.viewport(), Qt.MouseButton.LeftButton, pos=at)
    driver.settle()


def told(driver: Driver) -> list[str]:
    return [finding.text for finding in driver.window.findings if finding.stage == "Masks"]


def wait_for_checks(driver: Driver) -> None:
    driver.qtbot.waitUntil(lambda: driver.window.checks.settled, timeout=60_000)
    driver.settle()


def test_the_flaws_of_the_demo_are_mended(demo: Driver) -> None:
    """The painted ID map of oar and crate: its hole, smear and fringe go by their mends, each undone by one step; then
    the sum is exactly 1 everywhere and no finding of Masks is left for that sheet."""
    wait_for_checks(demo)
    panel, session = demo.window.findings_panel, demo.session
    demo.click(demo.window.readout.findings)
    assert panel.isVisible()
    assert any("hole" in text for text in told(demo))
    choose(demo, "Boards has 1 hole")
    assert session.at.sheet.name == "Oar and crate"
    assert demo.stand.look.kind == "weight"
    middle = demo.stand.canvas.camera.centre
    assert abs(middle[0] - 70 / 512) < 0.02
    assert abs(middle[1] - 60 / 512) < 0.02
    demo.qtbot.waitUntil(lambda: not panel.after.pixmap().isNull(), timeout=20_000)
    before, after = (pixels(picture.pixmap().toImage()) for picture in (panel.before, panel.after))
    assert before[75, 138].max() < 10  # in the hole
    assert after[75, 138].min() > 245
    kit = session.kit
    demo.click(panel.mend)
    wait_for_checks(demo)
    assert not any("hole" in text and "Boards" in text for text in told(demo))
    session.undo()
    assert session.kit == kit
    session.redo()
    wait_for_checks(demo)
    while mendable := [f for f in demo.window.findings if f.stage == "Masks" and f.mend is not None]:
        choose(demo, mendable[0].text)
        demo.click(panel.mend)
        wait_for_checks(demo)
    assert told(demo) == []
    at = session.shown
    assert at is not None
    total = weights_of(at, session.sheets).mask_sum.samples
    assert np.unique(total).tolist() == [16384]


def test_the_panel_leaves_the_stand_free(demo: Driver) -> None:
    """It lies over the tray, closes with Escape, and a finding without a mend offers none."""
    wait_for_checks(demo)
    panel = demo.window.findings_panel
    demo.click(demo.window.readout.findings)
    stand = demo.stand.mapTo(demo.window, demo.stand.rect().topLeft())
    assert panel.geometry().right() <= stand.x()
    choose(demo, "clips")
    assert not panel.trial.isVisible()
    demo.key(panel, Qt.Key.Key_Escape)
    assert not panel.isVisible()
