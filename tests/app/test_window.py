"""The window: board, swatch, masks, undo, saving, recovery, watching, schemes."""

import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QRect, Qt
from PyQt6.QtWidgets import QAbstractButton, QAbstractItemView, QComboBox, QLineEdit, QWidget

from even_palette.app.jobs import Rank
from even_palette.app.main import report
from even_palette.app.rail import StageButton
from even_palette.app.stages import STAGES
from even_palette.app.stand.camera import Camera
from even_palette.app.theme import tokens
from even_palette.app.view_state import Panes
from even_palette.core.colour.hexcode import encoded_to_hex
from even_palette.core.colour.srgb import linear_to_srgb, srgb_to_linear
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.commands import read_cell
from even_palette.core.kit.home import unsaved_folder
from even_palette.core.kit.model import Kit
from even_palette.core.kit.store import KitFolder, read_kit
from even_palette.core.raster.files import read_plane, write_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.base_colour import base_colour_of
from even_palette.core.results.looks import Look
from even_palette.core.results.means import means_of
from even_palette.core.results.strips import coat_strip, paint_strip
from tests.app.conftest import Driver, pixels

CTRL = Qt.KeyboardModifier.ControlModifier


# Board


def test_board_by_keyboard(small: Driver) -> None:
    """Arrow keys move, Enter edits in the tray, Delete returns to inherited, Ctrl+C and Ctrl+V copy and paste."""
    board, session = small.board, small.session
    session.select("region_1", variant="")
    board.setFocus()
    small.key(board, Qt.Key.Key_Right)
    assert (session.region, session.variant) == ("region_1", "day")
    small.key(board, Qt.Key.Key_C, CTRL)
    for _ in range(3):
        small.key(board, Qt.Key.Key_Down)
    small.key(board, Qt.Key.Key_V, CTRL)
    assert read_cell(session.kit, "region_4", "day").settings[0]["colour"] == (0.1, 0.4, 0.6)
    small.key(board, Qt.Key.Key_Delete)
    assert read_cell(session.kit, "region_4", "day").settings[0]["colour"] == (1, 1, 1)
    small.key(board, Qt.Key.Key_Return)
    assert STAGES[small.window.stage].name == "Recolour"
    small.qtbot.waitUntil(lambda: small.window.focusWidget() is small.tray.panel("Recolour").editors["colour"].hex)  # type: ignore[attr-defined]


def test_drag_to_fill(small: Driver) -> None:
    """From the handle of the selected cell over others, in one step of the history."""
    small.session.select("region_1", variant="day")
    board, index = small.board, small.board.board_model.index(0, 2)
    small.drag(board.viewport(), board.fill_handle().center(), board.visualRect(index).center())  # type: ignore[arg-type]
    assert (
        read_cell(small.session.kit, "region_1", "dusk").settings
        == read_cell(small.session.kit, "region_1", "day").settings
    )
    assert "region_1_colour" in small.session.kit.variant("dusk").values
    assert small.session.history.undo_labels[0] == "Fill cells"
    small.session.undo()
    assert "region_1_colour" not in small.session.kit.variant("dusk").values
    small.drag(board.viewport(), board.fill_handle().center(), board.visualRect(board.board_model.index(2, 1)).center())  # type: ignore[arg-type]
    assert "Master first" in small.window.notice.text.text()


def test_board_tells_own_from_inherited(small: Driver) -> None:
    """In words, and in the picture: an own cell is full, an inherited one a thin bar."""
    model = small.board.board_model
    own, inherited = model.index(0, 1), model.index(0, 2)
    assert str(model.data(own, Qt.ItemDataRole.AccessibleTextRole)).endswith("(own)")
    assert str(model.data(inherited, Qt.ItemDataRole.AccessibleTextRole)).endswith("(inherited)")
    image = grab(small.board.viewport())  # type: ignore[arg-type]

    def filled(index) -> int:  # type: ignore[no-untyped-def]
        rect = small.board.visualRect(index)
        column = image[rect.top() : rect.bottom(), rect.center().x()].astype(int)
        return int((np.ptp(column, axis=-1) > 12).sum())

    assert filled(own) > 14 > filled(inherited) > 3


def test_cells_show_the_tones_of_their_coat(small: Driver) -> None:
    """A cell's strip is the reference's answer for the region's own tones; it follows the value."""
    kit = small.session.kit
    at, sheets = kit.at(), small.session.sheets
    day, dusk, master = (coat_strip(at, sheets, "region_1", v) for v in ("day", "dusk", ""))
    assert np.array_equal(day, dusk)
    assert not np.array_equal(day, master)
    paint = paint_strip(at, sheets, "region_1")
    luma = srgb_to_linear(np.float32(paint) / 255) @ (0.2126, 0.7152, 0.0722)
    assert (np.diff(luma) >= -2e-3).all()
    # Region 1 is tinted to a true mean, channel by channel: U T / mean(U).
    target = srgb_to_linear(np.float32((0.1, 0.4, 0.6)))
    want = np.clip(srgb_to_linear(np.float32(paint) / 255) / means_of(at, sheets)[0] * target, 0, 1)
    assert np.abs(linear_to_srgb(want) * 255 - day).mean() < 6


def test_thumbnails_follow_at_once(small: Driver) -> None:
    pictures = small.window.thumbnails
    small.qtbot.waitUntil(lambda: pictures.of("day", 60, 60) is not None)
    before = pictures.of("day", 60, 60)
    small.session.do(commands.set_cell_value("region_1", "colour", (0.9, 0.1, 0.1), "day"))
    small.settle()
    small.qtbot.waitUntil(lambda: pictures.settled)
    assert pictures.of("day", 60, 60) != before


def test_thumbnails_that_were_asked_for_are_made_whatever_comes_between(small: Driver) -> None:
    pictures = small.window.thumbnails
    assert pictures.of("day", 61, 47) is None
    small.session.do(commands.set_cell_value("region_1", "colour", (0.9, 0.1, 0.1), "day"))
    small.settle()
    small.qtbot.waitUntil(lambda: pictures.settled)
    assert pictures.of("day", 61, 47) is not None


# Swatch


def test_swatch_in_all_models_and_forms(small: Driver) -> None:
    small.session.select("region_4", variant="")
    small.stage(5)
    swatch = small.tray.panel("Recolour").editors["colour"]
    small.type(swatch.hex, "#3366cc")  # type: ignore[attr-defined]
    for model in ("OKLCh", "RGB", "HSV"):
        small.choose(swatch.model_box, model)  # type: ignore[attr-defined]
        for form in ("0–1", "0–255", "%"):
            small.choose(swatch.form_box, form)  # type: ignore[attr-defined]
            assert swatch.hex.text() == "#3366cc"  # type: ignore[attr-defined]
    small.choose(swatch.model_box, "RGB")  # type: ignore[attr-defined]
    small.choose(swatch.form_box, "0–255")  # type: ignore[attr-defined]
    assert [box.value() for box in swatch.boxes] == pytest.approx([51, 102, 204], abs=0.05)  # type: ignore[attr-defined]
    small.type(swatch.boxes[0], "255")  # type: ignore[attr-defined]
    assert encoded_to_hex(read_cell(small.session.kit, "region_4", "").settings[0]["colour"]) == "#ff66cc"  # type: ignore[arg-type]
    small.choose(swatch.form_box, "%")  # type: ignore[attr-defined]
    assert swatch.boxes[2].value() == pytest.approx(80, abs=0.05)  # type: ignore[attr-defined]
    small.type(swatch.hex, "nothing")  # type: ignore[attr-defined]
    assert swatch.hex.text() == "#ff66cc"  # type: ignore[attr-defined]
    track = swatch.tracks[1]  # type: ignore[attr-defined]
    steps = len(small.session.history.undo_labels)
    small.drag(track, QPoint(20, 10), QPoint(track.width() - 1, 10))
    assert encoded_to_hex(read_cell(small.session.kit, "region_4", "").settings[0]["colour"]) == "#ffffcc"  # type: ignore[arg-type]
    assert len(small.session.history.undo_labels) == steps + 1
    assert swatch.strip.cells.swatches[0].colour == (255, 255, 204)  # type: ignore[attr-defined]
    cells = swatch.strip.cells  # type: ignore[attr-defined]
    small.qtbot.mouseClick(cells, Qt.MouseButton.LeftButton, pos=cells.cell(1).center())
    assert swatch.hex.text() == "#ff66cc"  # type: ignore[attr-defined]


# Masks


def test_tolerance_is_seen_at_once(small: Driver) -> None:
    """The view of the mask and the coverage figures follow the tolerance."""
    small.session.select("region_2")
    small.stage(3)
    small.settle()
    assert small.stand.look == Look("weight", region="region_2")
    small.choose(small.tray.panel("Masks").keying, "By tolerances")
    small.settle()
    before, told = grab(small.stand.canvas), small.tray.panel("Masks")._values["covered"].text()
    small.type(small.tray.panel("Masks").outer.field, "250")
    small.type(small.tray.panel("Masks").inner.field, "200")
    small.settle()
    assert small.session.kit.region("region_2").inner == 200
    assert not np.array_equal(grab(small.stand.canvas), before)
    assert small.tray.panel("Masks")._values["covered"].text() != told
    small.choose(small.tray.panel("Masks").resolve, "Order")
    small.choose(small.tray.panel("Masks").view, "Sum of masks")
    small.settle()
    assert small.stand.look.kind == "mask_sum"


def test_regions_by_hex_and_list(small: Driver) -> None:
    small.stage(2)
    small.type(small.tray.panel("Regions").ids.hex, "#ff10f0")
    assert small.session.kit.sheets[0].regions[-1].id_colour == (0xFF, 0x10, 0xF0)
    small.type(small.tray.panel("Regions").ids.hex, "12")
    assert "six digits" in small.window.notice.text.text()
    small.settle()
    assert any("covers no texel" in f.text for f in wait_findings(small))


def wait_findings(driver: Driver) -> list:
    driver.settle()
    driver.qtbot.waitUntil(lambda: driver.window.checks.settled, timeout=60_000)
    return driver.window.findings


def test_loupe_tells_the_reference(small: Driver) -> None:
    small.stage(5)
    small.key(small.stand.canvas, Qt.Key.Key_L)
    at = small.stand.canvas.position_of((0.25, 0.25)).toPoint()
    small.qtbot.mouseMove(small.stand.canvas, at)
    small.stand._hover(0.25, 0.25)
    told, texel = small.stand.loupe.values(), small.stand.texel_at(0.25, 0.25)
    assert texel is not None
    assert told["hex"] == encoded_to_hex(texel.encoded)
    assert told["Region 1"] == "1.000"
    assert told["weights + base"] == "1.000 + 0.000"
    assert "Region 1 1.00" in small.window.readout.under_cursor.text()


# History, saving, recovery


def test_undo_names_are_in_the_menu(small: Driver) -> None:
    small.session.do(commands.rename_region("region_1", "Lid"))
    assert small.window.undo_action.text() == "Undo rename region"
    small.window.undo_action.trigger()
    assert small.session.kit.sheets[0].regions[0].name == "Region 1"
    assert small.window.redo_action.text() == "Redo rename region"
    small.window.redo_action.trigger()
    small.session.do(commands.rename_region("region_1", "Cover"))
    assert small.window.history_menu is not None
    small.window.history_menu.popup(small.window.pos())
    small.window.history_menu.actions()[1].trigger()
    small.window.history_menu.hide()
    assert small.session.kit.sheets[0].regions[0].name == "Region 1"


def test_closing_loses_nothing(small: Driver, make_window: Callable[[], Driver], tmp_path: Path) -> None:
    """Unsaved work is there at the next opening, and can be given up for the last save."""
    saved = small.session.kit
    small.session.do(commands.rename_region("region_1", "Lid"))
    small.window.close()
    assert read_kit(tmp_path / "kit") == saved
    again = make_window()
    again.window.open_paths([tmp_path / "kit"])
    again.settle()
    assert again.session.kit.sheets[0].regions[0].name == "Lid"
    assert "recovered" in again.window.notice.text.text()
    again.click(again.window.notice._buttons[0])
    assert again.session.kit == saved
    again.session.redo()
    again.window.save()
    again.settle()
    assert not again.session.modified
    assert read_kit(tmp_path / "kit").sheets[0].regions[0].name == "Lid"
    assert not (tmp_path / "kit" / "kit.autosave.json").exists()


def test_opening_the_open_kit_again_goes_on_with_it(small: Driver, tmp_path: Path) -> None:
    small.session.do(commands.rename_kit("Again"))
    small.window.open_paths([tmp_path / "kit"])
    small.settle()
    assert small.session.kit.name == "Again"
    assert small.session.folder is not None
    assert not small.session.folder.read_only
    small.window.save()
    small.settle()
    assert read_kit(tmp_path / "kit").name == "Again"


def test_a_change_while_the_open_kit_is_read_again_is_not_lost(small: Driver, tmp_path: Path) -> None:
    small.window.open_paths([tmp_path / "kit"])
    small.session.do(commands.rename_kit("Meanwhile"))
    small.settle()
    assert small.session.kit.name == "Meanwhile"


def test_a_change_while_the_kit_is_saved_is_not_saved_yet(small: Driver, tmp_path: Path) -> None:
    """What is saved is the kit as it was when that was asked for; what came after is told as unsaved, and kept."""
    small.session.do(commands.rename_kit("Saved"))
    small.window.save()
    small.session.do(commands.rename_kit("Not yet"))
    small.settle()
    assert read_kit(tmp_path / "kit").name == "Saved"
    assert small.session.modified
    small.window.close()
    assert b"Not yet" in (tmp_path / "kit" / "kit.autosave.json").read_bytes()


def test_a_save_that_was_asked_for_is_done_before_the_window_goes(small: Driver, tmp_path: Path) -> None:
    small.session.do(commands.rename_kit("At the last moment"))
    small.window.save()
    small.window.close()
    assert read_kit(tmp_path / "kit").name == "At the last moment"
    assert not (tmp_path / "kit" / "kit.autosave.json").exists()


def test_another_kit_is_opened_and_the_work_on_the_first_is_kept(small: Driver, tmp_path: Path) -> None:
    """Its lock is let go, its unsaved work lies beside its save, and a kit that cannot be opened changes nothing."""
    (tmp_path / "bad").mkdir()
    (tmp_path / "bad" / "kit.json").write_text("{")
    small.session.do(commands.rename_kit("Left"))
    small.window.open_paths([tmp_path / "bad"])
    small.settle()
    assert "not a kit that can be opened" in small.window.notice.text.text()
    assert small.session.kit.name == "Left"
    other = KitFolder.create(tmp_path / "other")
    other.save(Kit(name="Other"))
    other.close()
    small.window.open_paths([tmp_path / "other"])
    small.settle()
    assert small.session.kit.name == "Other"
    free = KitFolder(tmp_path / "kit")
    assert not free.read_only
    found = free.open()
    free.close()
    assert found.recovered is not None
    assert found.recovered.name == "Left"


KILLED = """
import sys
from pathlib import Path
from PyQt6.QtWidgets import QApplication
app = QApplication([])
from even_palette.app.window import Window
from even_palette.core.kit import commands
window = Window()
window.show()
if len(sys.argv) > 1:
    window.open_paths([Path(sys.argv[1])])
    while window.session.folder is None:
        app.processEvents()
window.session.do(commands.rename_kit("Nearly lost"))
window.session.document._autosave.setInterval(50)
window.session.document._autosave.start()
from PyQt6.QtCore import QTimer
def tell():
    if not window.session.document._autosave.isActive() and not window.jobs.busy:
        print("working", flush=True)
        told.stop()
told = QTimer()
told.timeout.connect(tell)
told.start(50)
app.exec()
"""


@pytest.mark.parametrize("saved_before", [True, False])
def test_killed_window_loses_nothing(
    small: Driver, make_window: Callable[[], Driver], tmp_path: Path, saved_before: bool
) -> None:
    """SIGKILL: a saved kit is recovered beside its save, a new one from the state folder."""
    small.window.close()
    arguments = [str(tmp_path / "kit")] if saved_before else []
    process = subprocess.Popen([sys.executable, "-c", KILLED, *arguments], stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    assert process.stdout.readline() == "working\n"
    process.send_signal(signal.SIGKILL)
    process.wait()
    again = make_window()
    if saved_before:
        again.window.open_paths([tmp_path / "kit"])
    else:
        again.window.offer_unsaved()
        again.settle()
        again.click(again.window.notice._buttons[0])
    again.settle()
    assert again.session.kit.name == "Nearly lost"
    assert again.session.modified


def test_save_as_and_a_second_window(small: Driver, make_window: Callable[[], Driver], tmp_path: Path) -> None:
    small.session.document.save_as(tmp_path / "copy")
    small.settle()
    assert f"Saved to {tmp_path / 'copy'}." in small.window.notice.text.text()
    assert small.session.folder is not None
    assert small.session.folder.folder == tmp_path / "copy"
    other = make_window()
    other.window.open_paths([tmp_path / "copy"])
    other.settle()
    assert "open in another window" in other.window.notice.text.text()
    assert "(read-only)" in other.window.windowTitle()
    other.session.do(commands.rename_kit("Mine"))
    other.session.document.save()
    other.settle()
    assert "read-only" in other.window.notice.text.text()
    assert other.session.modified
    other.session.document.save_as(tmp_path / "mine")
    other.settle()
    assert read_kit(tmp_path / "mine").name == "Mine"
    assert not list(unsaved_folder().glob("*/kit.autosave.json"))


def test_an_error_of_the_program_ends_nothing(small: Driver, tmp_path: Path) -> None:
    """It is told in one line, and the work is kept first."""
    small.session.do(commands.rename_kit("Kept"))
    report(small.window, ValueError("odd\nthing"))
    assert "ValueError: odd thing" in small.window.notice.text.text()
    assert b"Kept" in (tmp_path / "kit" / "kit.autosave.json").read_bytes()


# Source files


def test_a_map_saved_elsewhere_is_read_again(small: Driver, maps: dict[Role, Path]) -> None:
    before, steps = small.session.kit, small.session.history.undo_labels
    samples = 255 - read_plane(maps[Role.BASE_COLOUR], Encoding.SRGB).samples
    write_plane(maps[Role.BASE_COLOUR], Plane(samples, Encoding.SRGB))
    small.qtbot.waitUntil(lambda: small.session.kit != before, timeout=60_000)
    small.settle()
    assert "Read again: crate_base_colour.png" in small.window.notice.text.text()
    assert small.session.history.undo_labels == steps
    assert small.session.shown is not None
    assert np.array_equal(base_colour_of(small.session.shown, small.session.sheets).samples, samples)
    assert not small.session.modified


def test_a_missing_map_is_named_and_found_again(small: Driver, maps: dict[Role, Path], tmp_path: Path) -> None:
    assert not [f for f in wait_findings(small) if "missing" in f.text]
    os.rename(maps[Role.ID], tmp_path / "moved.png")
    small.qtbot.waitUntil(lambda: any("is missing" in f.text for f in small.window.findings), timeout=60_000)
    assert any("crate_id.png" in f.text and f.stage == "Source" for f in small.window.findings)
    small.session.files.point_map_to("id_map", tmp_path / "moved.png")
    small.settle()
    assert not [f for f in wait_findings(small) if "missing" in f.text]
    small.session.files.take_in("id_map")
    small.settle()
    assert small.session.kit.sheets[0].source(Role.ID).path.startswith(str(tmp_path / "kit" / "blobs"))  # type: ignore[union-attr]


def test_a_kit_opens_with_a_map_missing(
    small: Driver, make_window: Callable[[], Driver], maps: dict[Role, Path], tmp_path: Path
) -> None:
    """The stand says what is missing instead of a picture; the kit stays open, and finding the map mends it."""
    small.window.close()
    os.rename(maps[Role.ID], tmp_path / "moved.png")
    again = make_window()
    again.window.open_paths([tmp_path / "kit"])
    again.settle()
    assert "crate_id.png" in again.stand.canvas.message
    again.session.files.point_map_to("id_map", tmp_path / "moved.png")
    again.settle()
    again.settle()
    assert again.stand.canvas.message == ""
    assert again.stand.texel_at(0.3, 0.3) is not None


def test_a_map_taken_in_survives_undo_and_redo(empty: Driver, maps: dict[Role, Path]) -> None:
    """Also in a kit that was never saved, after an autosave found nothing to keep; the folder goes with the window."""
    empty.window.open_paths([maps[Role.ID]])
    empty.settle()
    empty.session.files.take_in("crate_id")
    empty.settle()
    empty.session.undo(2)
    empty.session.document.autosave()
    empty.settle()
    empty.session.redo()
    empty.session.redo()
    assert Path(empty.session.kit.sheets[0].source(Role.ID).path).exists()  # type: ignore[union-attr]
    empty.session.undo(2)
    empty.window.close()
    assert list(unsaved_folder().iterdir()) == []


# What the window looks like


def grab(widget: QWidget) -> np.ndarray:
    return pixels(widget.grab().toImage())


@pytest.mark.parametrize("scheme", ["day", "night"])
def test_every_pixel_of_the_chrome_is_neutral(empty: Driver, scheme: str) -> None:
    """R = G = B everywhere in a window without a kit, in all stages."""
    empty.window.set_scheme(scheme)
    for index in range(len(STAGES)):
        empty.window.enter_stage(index)
        empty.settle()
        image = grab(empty.window).copy()
        for button in empty.window.findChildren(StageButton):
            blank(image, empty.window, button, QRect(button.width() - 22, 0, 22, button.height()))
        assert np.ptp(image, axis=-1).max() == 0, STAGES[index].name


@pytest.mark.parametrize("scheme", ["day", "night"])
def test_chrome_beside_the_artists_colours_is_neutral(demo: Driver, scheme: str) -> None:
    """With the demo kit, image areas, region lists, board and marks of findings blanked."""
    demo.window.set_scheme(scheme)
    demo.session.select("hull", variant="night_post")
    for index in range(len(STAGES)):
        demo.window.enter_stage(index)
        demo.settle()
        image = grab(demo.window).copy()
        for button in demo.window.findChildren(StageButton):
            blank(image, demo.window, button, QRect(button.width() - 22, 0, 22, button.height()))
        for widget in demo.window.findChildren(QWidget):
            if widget.isVisible() and (widget.property("imageArea") or widget is demo.board):
                blank(image, demo.window, widget, widget.rect())
        assert np.ptp(image, axis=-1).max() == 0, STAGES[index].name


def blank(image: np.ndarray, window: QWidget, widget: QWidget, rect: QRect) -> None:
    at = widget.mapTo(window, rect.topLeft())
    image[max(0, at.y()) : at.y() + rect.height(), max(0, at.x()) : at.x() + rect.width()] = 0


def test_controls_have_names_and_are_large_enough(demo: Driver) -> None:
    """Accessible names on all controls, and targets of at least 24 px (WCAG 2.2, success criterion 2.5.8)."""
    for index in range(len(STAGES)):
        demo.window.enter_stage(index)
        demo.settle()
        for control in demo.window.findChildren(QWidget):
            if isinstance(control, QAbstractButton | QComboBox | QLineEdit | QAbstractItemView) and control.isVisible():
                if control.objectName().startswith("qt_") or type(control).__name__ == "QTableCornerButton":
                    continue
                name = control.accessibleName() or getattr(control, "text", lambda: "")()
                assert name, (STAGES[index].name, control)
                assert control.height() >= 24 or isinstance(control, QLineEdit), (STAGES[index].name, name)


def test_without_opengl_the_reference_draws(
    make_window: Callable[[], Driver], maps: dict[Role, Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    """The window works without OpenGL, and says in one line what to install."""
    import even_palette.gl.sheet_view as sheet_view

    drawn = []
    for broken in (False, True):
        if broken:

            def refuse() -> None:
                raise UserError("OpenGL 3.3 is not available. Install it with: apt-get install libegl1")

            monkeypatch.setattr(sheet_view, "offscreen_context", refuse)
        driver = make_window()
        driver.window.open_paths(list(maps.values()))
        driver.settle()
        driver.window.enter_stage(4)
        driver.window.notice.hide()
        driver.settle()
        assert ("apt-get install" in driver.window.notice.text.text()) == broken
        driver.stand.canvas.one_to_one()
        driver.settle()
        drawn.append(grab(driver.stand.canvas).astype(int))
        driver.window.close()
    assert np.abs(drawn[0] - drawn[1]).max() <= 1


def test_spread_shows_all_variants_and_selects_by_click(demo: Driver) -> None:
    demo.stage(6)
    demo.settle()
    canvas = demo.stand.canvas
    assert [tile.label for tile in canvas.tiles] == [
        "Master",
        "Morning Ferry",
        "Night Post",
        "Harvest Barge",
        "Ice Patrol",
    ]
    demo.qtbot.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=canvas.position_of((0.5, 0.5), 3).toPoint())
    assert demo.session.variant == "harvest_barge"
    table = demo.tray.panel("Lineup").parameters
    item = table.table.topLevelItem(0)
    assert item is not None
    item.setText(0, "Paint of hull")
    assert demo.session.kit.parameters[0].name == "paint_of_hull"
    demo.choose(demo.tray.panel("Lineup").parent_box, "Ice Patrol")
    assert demo.session.kit.variant("harvest_barge").parent == "ice_patrol"


def test_the_look_follows_a_variant_that_was_just_made(small: Driver) -> None:
    """Also while the results of the new kit are still computed."""
    small.stage(5)
    small.click(small.board.add_button)
    made = small.session.variant
    assert small.stand.look == Look(variant=made)
    assert small.stand.texel_at(0.3, 0.3) is not None
    small.settle()
    assert small.stand.look == Look(variant=made)
    assert small.stand.foot.look_box.currentText() == f"Result · {small.session.kit.variant_names[made]}"
    small.session.undo()
    small.settle()
    assert small.stand.look == Look()


def test_camera_keeps_the_point_under_the_cursor() -> None:
    camera = Camera((1024, 512)).fitted(800, 600)
    before = camera.to_uv(123, 456, 800, 600)
    nearer = camera.zoomed(3, 123, 456, 800, 600)
    assert nearer.to_uv(123, 456, 800, 600) == pytest.approx(before)
    assert nearer.to_pixel(before, 800, 600) == pytest.approx((123, 456))
    assert camera.zoom == pytest.approx((800 - 24) / 1024)
    view = camera.one_to_one(801, 601).view(801, 601)
    texels = view.uv() * (1024, 512) - 0.5
    assert np.abs(texels - np.round(texels)).max() < 1e-3


def test_a_job_can_be_cancelled(small: Driver) -> None:
    """Progress is shown with what is being done; cancel stops the job and gives no result."""
    results: list[object] = []

    def work(progress, cancel):  # type: ignore[no-untyped-def]
        for step in range(1000):
            progress(step / 1000, "Counting")
            cancel.check()
            time.sleep(0.005)

    small.window.jobs.run("Test", work, results.append, results.append)
    small.qtbot.waitUntil(lambda: "Test: Counting" in small.window.readout.job.text(), timeout=60_000)
    small.click(small.window.readout.cancel)
    small.settle()
    assert results == []
    assert not small.window.readout.cancel.isVisible()
    small.window.jobs.run(
        "Needed", lambda progress, cancel: progress(0.5, "on"), results.append, results.append, rank=Rank.VIEW
    )
    small.window.jobs.cancel()
    small.settle()
    assert results == [None]


def test_the_foot_of_the_stand_has_the_colour_of_panels(small: Driver) -> None:
    """A subclass of a plain widget paints what the style sheet says of it only if it is told to."""
    corner = small.stand.foot.mapTo(small.window, QPoint(3, 3))
    seen = pixels(small.window.grab().toImage())[corner.y(), corner.x()]
    assert (seen == tokens().panel).all()
    buttons = small.stand.foot.pane_buttons
    assert list(Panes)[buttons.checkedId()] == small.stand.panes  # from the first moment on
