"""Tones in the real window: neutral with even tone, palettes and rows, ramps, survival; on the demo and a photograph."""

from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from skimage import data

from even_palette.core.colour.hexcode import format_hex
from even_palette.core.kit.coat_owners import Overcoats
from even_palette.core.raster.files import read_plane, write_plane
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.picture_analysis import tone_facts
from even_palette.core.results.pictures import render_reference, whole_sheet
from even_palette.core.results.planes import entry_numbers
from even_palette.core.results.sheets import Sheets
from tests.app.conftest import Driver


def add(driver: Driver, label: str) -> None:
    """Choose a kind in the menu of the plus."""
    panel = driver.tray.panel("Tones")
    action = next(each for each in panel.menu.actions() if each.text() == label)
    action.trigger()
    driver.settle()


def test_a_neutral_lies_under_all_coats_and_is_evened(small: Driver) -> None:
    """It is seen, told, put under the coats by a click, evened over all regions; undo brings all back."""
    small.stage(4)
    panel, session = small.tray.panel("Tones"), small.session
    before = session.kit
    add(small, "Neutral")
    assert small.stand.look.kind == "tone"
    assert "of the tone range" in panel.advice.text()
    seen = small.stand.canvas.grab().toImage()
    middle = seen.pixelColor(seen.width() // 2, seen.height() // 2)
    assert middle.red() == middle.green() == middle.blue()
    small.choose(panel.editors["method"], "Lightness, OKLab")
    panel.editors["contrast"].field.setValue(1.5)  # type: ignore[attr-defined]
    small.settle()
    tone = session.at.sheet.tones[-1]
    assert tone.values == {"method": "oklab", "contrast": 1.5}
    small.click(panel.under)
    assert session.at.sheet.base_tone == tone.key
    small.click(panel.even)
    small.settle()
    evened = session.at.sheet.tones[-1]
    assert set(evened.own) == {region.key for region in session.at.sheet.regions}
    fresh = Sheets()
    means = [tone_facts(session.at, fresh, evened, key).after.mean() for key in evened.own]
    assert np.ptp(means) < 0.02  # soft borders belong to two regions
    small.choose(panel.whom, session.at.sheet.regions[0].name)
    assert panel.own.isVisible()
    small.click(panel.own)
    assert len(session.at.sheet.tones[-1].own) == len(session.at.sheet.regions) - 1
    while session.history.undo_labels:
        session.undo()
    assert session.kit == before
    small.settle()


def test_a_photograph_gets_a_palette_with_rows(empty: Driver, tmp_path: Path) -> None:
    """Extracted, ordered, recoloured, merged, kept, shown where it occurs, written and read again; swap shows it."""
    photo = np.ascontiguousarray(data.coffee()[::3, ::3])
    write_plane(tmp_path / "cup_base_colour.png", Plane(photo, Encoding.SRGB))
    empty.window.open_paths([tmp_path / "cup_base_colour.png"])
    empty.settle()
    empty.stage(4)
    panel, session = empty.tray.panel("Tones"), empty.session
    panel.entries.setValue(24)
    empty.click(panel.extract)
    empty.qtbot.waitUntil(lambda: bool(session.kit.palettes), timeout=60_000)
    empty.settle()
    palette = session.kit.palettes[0]
    assert palette.size == 24
    assert [tone.kind for tone in session.at.sheet.tones] == ["index"]
    empty.click(empty.window.ledge.tabs_of("Tones").buttons[1])
    page = empty.window.ledge.page("Tones").palettes
    empty.qtbot.mouseClick(page.grid, Qt.MouseButton.LeftButton, pos=page.grid.cell(0, 5).center())
    assert page.place == (0, 5)
    empty.type(page.swatch.hex, "#ff00ff")
    assert session.kit.palettes[0].rows[0].colours[5] == (255, 0, 255)
    assert session.kit.palettes[0].fitted == palette.fitted
    empty.key(page.grid, Qt.Key.Key_Right)
    assert page.place == (0, 6)
    across = page.grid.across
    assert page.grid.cell(0, across).top() > page.grid.cell(0, across - 1).top() or across == 24
    empty.key(page.grid, Qt.Key.Key_Down)
    assert page.place == (0, min(6 + across, 24) if 6 + across < 24 else 6)
    empty.key(page.grid, Qt.Key.Key_Up)
    assert page.place == (0, 6)
    empty.drag(page.grid, page.grid.cell(0, 6).center(), page.grid.cell(0, 2).center())
    assert session.kit.palettes[0].fitted[2] == palette.fitted[6]
    panel.choose("index")
    empty.settle()
    numbers = entry_numbers(session.at, Sheets(), session.at.sheet.tones[0])
    empty.click_sheet(0.5, 0.5)
    middle = numbers[numbers.shape[0] // 2, numbers.shape[1] // 2]
    assert page.place[1] == middle
    empty.key(empty.stand.canvas, Qt.Key.Key_L)
    empty.stand._hover(0.5, 0.5)
    told = empty.stand.loupe.values()["entry"]
    assert told == f"{middle}  {format_hex(session.kit.palettes[0].rows[0].colours[middle])}"
    empty.key(empty.stand.canvas, Qt.Key.Key_L)
    empty.qtbot.mouseClick(page.grid, Qt.MouseButton.LeftButton, pos=page.grid.cell(0, 2).center())
    page._show_entry()
    empty.settle()
    assert empty.stand.look == Look("entry", map="index", entry=2)
    page._keep()
    page._merge()
    assert session.kit.palettes[0].size == 23
    page._shift(0.5, 1, 0)
    assert len(session.kit.palettes[0].rows) == 2
    for name in ("strip.png", "list.txt"):
        page.write_to(tmp_path / name)
    empty.settle()
    assert read_plane(tmp_path / "strip.png", Encoding.SRGB).samples.shape == (2, 23, 3)
    page.open_file(tmp_path / "list.txt")
    empty.qtbot.waitUntil(lambda: len(session.kit.palettes) == 2, timeout=20_000)
    assert session.kit.palettes[1].fitted == session.kit.palettes[0].rows[1].colours
    bad = tmp_path / "bad.txt"
    bad.write_text("#zzz\n")
    page.open_file(bad)
    empty.qtbot.waitUntil(lambda: "bad.txt" in empty.window.notice.text.text(), timeout=20_000)
    assert len(session.kit.palettes) == 2
    page.row_from(tmp_path / "cup_base_colour.png")
    empty.settle()

    from even_palette.core.kit import commands

    session.do(commands.add_regions(session.at.key, [(255, 0, 0)]))
    empty.stage(5)
    session.select(Overcoats(session.at.key))
    empty.tray.panel("Recolour").add("swap")
    empty.settle()
    coat = session.at.sheet.overcoats[0]
    assert set(coat.planes) == {"index", "palette"}
    shown = render_reference(picture(session.at, session.sheets, Look()), whole_sheet(200, 134))
    colours = {tuple(map(int, colour)) for colour in shown.reshape(-1, 3)}
    assert colours <= set(session.kit.palettes[0].rows[0].colours)


def test_ramps_are_drawn_in_the_ledge(demo: Driver, tmp_path: Path) -> None:
    """A stop is added, dragged between its neighbours, coloured and taken away; a strip goes out and comes in."""
    demo.stage(4)
    demo.click(demo.window.ledge.tabs_of("Tones").buttons[2])
    page, session = demo.window.ledge.page("Tones").ramps, demo.session
    count = len(session.kit.ramps)
    page.menu.actions()[0].trigger()
    strip = page.strip
    middle = QPoint(round(strip.x_of(0.5)), 12)
    demo.qtbot.mouseDClick(strip, Qt.MouseButton.LeftButton, pos=middle)
    row = session.kit.ramps[-1].rows[0]
    assert len(row.stops) == 3
    demo.drag(strip, strip.stop_point(0, 1), QPoint(round(strip.x_of(0.25)), 30))
    assert abs(session.kit.ramps[-1].rows[0].stops[1].position - 0.25) < 0.02
    demo.drag(strip, strip.stop_point(0, 1), QPoint(round(strip.x_of(1.0)) + 500, 30))
    assert session.kit.ramps[-1].rows[0].stops[1].position == 1.0
    demo.type(page.swatch.hex, "#20c040")
    assert session.kit.ramps[-1].rows[0].stops[1].colour == (0x20, 0xC0, 0x40)
    demo.choose(page.space, "Round the hue, longer")
    demo.choose(page.easing, "Hold")
    demo.key(strip, Qt.Key.Key_Delete)
    assert len(session.kit.ramps[-1].rows[0].stops) == 2
    page._copy_row()
    page._mirror()
    assert len(session.kit.ramps[-1].rows) == 2
    write_plane(
        tmp_path / "band.png",
        Plane(np.linspace(0, 255, 256).astype(np.uint8)[None, :, None].repeat(3, -1), Encoding.SRGB),
    )
    page.open_file(tmp_path / "band.png")
    demo.qtbot.waitUntil(lambda: len(session.kit.ramps) == count + 2, timeout=20_000)
    page._from_paint()
    demo.qtbot.waitUntil(lambda: len(session.kit.ramps) == count + 3, timeout=20_000)
    page.line_wanted.emit()
    demo.click_sheet(0.1, 0.1)
    demo.click_sheet(0.9, 0.12)
    demo.qtbot.waitUntil(lambda: len(session.kit.ramps) == count + 4, timeout=20_000)
    assert session.kit.ramps[-1].name == "Line"
    while session.history.undo_labels:
        session.undo()
    assert len(session.kit.ramps) == count


def test_survival_is_one_table(empty: Driver, tmp_path: Path) -> None:
    """A click on a row shows it beside the source; the budget changes the sentence."""
    photo = np.ascontiguousarray(data.rocket()[:128, 200:360])
    write_plane(tmp_path / "sky_base_colour.png", Plane(photo, Encoding.SRGB))
    empty.window.open_paths([tmp_path / "sky_base_colour.png"])
    empty.settle()
    empty.stage(4)
    empty.tray.panel("Tones").entries.setValue(32)
    empty.click(empty.tray.panel("Tones").extract)
    empty.qtbot.waitUntil(lambda: bool(empty.session.kit.palettes), timeout=60_000)
    empty.settle()
    empty.click(empty.window.ledge.tabs_of("Tones").buttons[3])
    page = empty.window.ledge.page("Tones").survival
    empty.click(page.measure)
    empty.qtbot.waitUntil(lambda: page.table.rowCount() > 0, timeout=60_000)
    names = [page.table.item(row, 0).text() for row in range(page.table.rowCount())]  # type: ignore[union-attr]
    assert names[0] == "Quantized"
    assert "Colour, no palette" in names
    assert "Nearest to the source" in page.told.text()
    page.table.setCurrentCell(2, 0)
    empty.settle()
    assert [tile.label for tile in empty.stand.canvas.tiles][1].startswith("Index filtered")
    page.budget.setValue(1)
    assert "Nothing fits" in page.told.text()
