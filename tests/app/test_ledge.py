"""The ledge under the stand, the panels over the window, and the Help menu, by clicks and keys."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt

from even_palette.app import help as texts
from even_palette.app.ledge.ledge import HEAD_PX
from even_palette.app.stages import STAGES
from even_palette.core.kit import commands
from even_palette.core.results.looks import Look
from even_palette.core.results.sheet_mesh import regions_of_faces
from even_palette.core.results.weights import weights_of
from tests.app.conftest import Driver, pixels


def test_ledge_folds_by_key_and_keeps_its_height(demo: Driver) -> None:
    """A fold and a height belong to the stage in which they were made."""
    window, ledge = demo.window, demo.window.ledge
    window.resize(1280, 900)
    demo.stage(3)
    demo.settle()
    assert ledge.is_open
    before = demo.stand.height()
    demo.key(demo.stand.canvas, Qt.Key.Key_B)
    assert not ledge.is_open
    assert ledge.height() == HEAD_PX
    assert demo.stand.height() > before
    demo.stage(1)
    assert ledge.is_open
    handle = window.splitter.handle(1)
    assert handle is not None
    at = handle.rect().center()
    height = ledge.height()
    demo.qtbot.mousePress(handle, Qt.MouseButton.LeftButton, pos=at)
    for step in (-30, -60):
        demo.qtbot.mouseMove(handle, at + QPoint(0, step))
    demo.qtbot.mouseRelease(handle, Qt.MouseButton.LeftButton, pos=at)
    changed = ledge.height()
    assert abs(changed - height) >= 20
    demo.stage(5)
    demo.stage(1)
    assert ledge.height() == changed
    demo.stage(3)
    assert not ledge.is_open
    demo.click(ledge.fold_button)
    assert ledge.is_open
    assert demo.stand.height() == before


def test_variants_in_the_head(demo: Driver) -> None:
    """A click or the arrow keys select a variant in every stage; the pictures differ as the variants do."""
    session, strip = demo.session, demo.window.ledge.strip
    demo.stage(1)
    demo.settle()
    names = strip.variants()
    assert names == ["", *(variant.key for variant in session.kit.variants)]
    demo.qtbot.mouseClick(strip, Qt.MouseButton.LeftButton, pos=strip.chip(2).center())
    assert session.variant == names[2]
    strip.setFocus()
    demo.key(strip, Qt.Key.Key_Right)
    assert session.variant == names[3]
    for _ in range(9):
        demo.key(strip, Qt.Key.Key_Left)
    assert session.variant == ""
    demo.qtbot.waitUntil(lambda: bool(demo.window.thumbnails._kept) and demo.window.thumbnails.settled, timeout=60_000)
    pictures = [pixels(strip.grab(strip.chip(number)).toImage()).astype(int) for number in (1, 2)]
    assert np.abs(pictures[0] - pictures[1]).max() > 40


def test_many_variants_stay_reachable(demo: Driver) -> None:
    """With more variants than the head has room for, the selected one is always seen."""
    demo.stage(1)
    for number in range(30):
        demo.session.do(commands.add_variant(f"Tug {number}"))
    strip = demo.window.ledge.strip
    for index in (0, len(strip.variants()) - 1, 12):
        demo.session.select(variant=strip.variants()[index])
        assert strip.rect().contains(strip.chip(index))


def test_maps_and_weights_as_pictures(demo: Driver) -> None:
    """A map in the row is shown on the stand; a weight selects its region; both are true to what they show."""
    ledge, session, stand = demo.window.ledge, demo.session, demo.stand
    demo.stage(1)
    demo.qtbot.waitUntil(
        lambda: len(ledge.page("Source").maps._images) == ledge.page("Source").maps.count() > 1, timeout=60_000
    )
    item = ledge.page("Source").maps.item(1)
    assert item is not None
    at = ledge.page("Source").maps.visualItemRect(item).center()
    demo.qtbot.mouseClick(ledge.page("Source").maps.viewport(), Qt.MouseButton.LeftButton, pos=at)
    assert stand.look.kind == "source"
    assert stand.look.map == ledge.page("Source").maps.current_key() == session.at.sheet.sources[1].key
    demo.stage(3)
    demo.qtbot.waitUntil(
        lambda: len(ledge.page("Masks").weights._images) == len(session.at.sheet.regions), timeout=60_000
    )
    assert ledge.page("Masks").weights.current_key() == session.region
    demo.key(ledge.page("Masks").weights, Qt.Key.Key_Right)
    assert session.region == session.at.sheet.regions[1].key
    assert stand.look.region == session.region
    image = pixels(ledge.page("Masks").weights._images[session.region].toImage())
    weights = weights_of(session.at, session.sheets)
    assert image.mean() == pytest.approx(float(weights.levels[1].mean()), abs=1.5)


def test_regions_with_their_areas(demo: Driver) -> None:
    """The table's areas are those of the weights, its faces those of the mesh; a row selects its region."""
    ledge, session = demo.window.ledge, demo.session
    demo.stage(2)
    regions = session.at.sheet.regions
    table = ledge.page("Regions").areas
    demo.qtbot.waitUntil(lambda: set(table._shares) >= {region.key for region in regions}, timeout=60_000)
    weights = weights_of(session.at, session.sheets)
    labels = regions_of_faces(session.at, session.sheets)
    for row, region in enumerate(regions):
        cells = [table.item(row, column) for column in range(table.columnCount())]
        told = [cell.text() for cell in cells if cell is not None]
        assert told[0] == region.name
        assert int(told[3].replace(",", "")) == int((labels == row).sum())
        assert told[-1] == f"{float(np.mean(weights.levels[row])) / 255:.2%}"
    table.setFocus()
    table.selectRow(4)
    assert session.region == regions[4].key


def test_a_finding_leads_to_its_sheet_and_region(demo: Driver) -> None:
    """A finding of another sheet brings that sheet to the front, selects its region and shows what is at fault."""
    window, session = demo.window, demo.session
    demo.qtbot.waitUntil(lambda: bool(window.findings), timeout=30_000)
    finding = next(each for each in window.findings if each.sheet and each.sheet != session.at.key and each.region)
    demo.key(demo.stand.canvas, Qt.Key.Key_I, Qt.KeyboardModifier.ControlModifier)
    panel = window.findings_panel
    assert panel.isVisible()
    panel.list.setCurrentRow(window.findings.index(finding))
    demo.key(panel.list, Qt.Key.Key_Return)
    assert session.at.key == finding.sheet
    assert session.region == finding.region
    assert STAGES[window.stage].name == finding.stage


def test_help_texts(demo: Driver) -> None:
    """F1 lists every key; each document opens and can be read; the log and the licence are told."""
    window = demo.window
    demo.key(demo.stand.canvas, Qt.Key.Key_F1)
    panel = window.help.text_panel
    assert panel.isVisible()
    told = panel.text.toPlainText()
    assert "Ctrl+S\tSave" in told
    assert "B\tFold or open the ledge" in told
    for title, path in texts.documents():
        action = next(action for action in window.help_menu.actions() if action.text() == title)
        action.trigger()
        demo.qtbot.waitUntil(lambda title=title: panel.title.text() == title, timeout=10_000)
        heading = next(line for line in path.read_text().splitlines() if line.startswith("# "))
        assert heading[2:] in panel.text.toPlainText()
    for name, word in (("Log", "log"), ("About", "GPL-3.0")):
        next(action for action in window.help_menu.actions() if action.text() == name).trigger()
        demo.qtbot.waitUntil(lambda word=word: word in panel.text.toPlainText(), timeout=10_000)
    demo.key(panel.text, Qt.Key.Key_Escape)
    assert not panel.isVisible()


def test_chain_of_steps_as_pictures(small: Driver) -> None:
    """Each step a picture of the mask after it; a click shows that mask and the step's values; copied elsewhere."""
    small.session.select("region_2")
    small.stage(3)
    small.settle()
    ledge, steps = small.window.ledge, small.tray.panel("Masks").steps
    steps.add("feather")
    steps.add("invert")
    small.click(ledge.tabs_of("Masks").buttons[1])
    small.settle()
    small.qtbot.waitUntil(
        lambda: ledge.page("Masks").chain.count() == 3 and len(ledge.page("Masks").chain._images) == 3, timeout=60_000
    )
    assert [ledge.page("Masks").chain.item(row).text()[0] for row in range(3)] == ["C", "→", "→"]
    pictures = [ledge.page("Masks").chain._images[str(number)].toImage().pixelColor(2, 2).red() for number in range(3)]
    assert pictures[1] == 255 - pictures[2]
    ledge.page("Masks").chain.setCurrentRow(1)
    small.settle()
    assert small.stand.look == Look("mask", region="region_2", steps=1)
    assert (steps.number, list(steps.editors)) == (0, ["radius", "strength"])
    steps.list.setCurrentRow(1)
    assert ledge.page("Masks").chain.current_key() == "2"
    steps._list_others()
    steps.copy_menu.actions()[0].trigger()
    assert [len(region.steps) for region in small.session.kit.sheets[0].regions] == [2, 2, 2, 2]
    small.settle()
    small.session.select("region_1")
    small.settle()
    assert small.stand.look == Look("weight", region="region_1")
