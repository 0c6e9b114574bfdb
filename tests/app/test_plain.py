"""Names are text: a kit whose every name is markup shows them as they stand, and nothing is loaded because of one."""

import os
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QAbstractListModel, Qt
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QAbstractItemView, QApplication, QLabel, QMenu, QTextEdit, QWidget

from even_palette.app import plain
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.mesh_file import MeshFile
from even_palette.core.kit.model import Kit
from even_palette.core.kit.sheet import Bake, Step, Tone
from even_palette.core.kit.store import KitFolder
from even_palette.core.material.model import Coat
from even_palette.core.tones.palette import new_palette
from even_palette.core.tones.ramp import Ramp, RampRow, Stop
from tests.app.conftest import Driver
from tests.core.test_keys import ROOM


@pytest.fixture
def marked(history: History, tmp_path: Path) -> Kit:
    """Every name is a picture in a pipe, which would hang whoever opens it, in bold."""
    pipe = tmp_path / "pipe.png"
    os.mkfifo(pipe)
    name = f'<img src="{pipe}"><b>& name</b>'
    (tmp_path / "<b>room&.obj").write_text(ROOM)
    history.do(commands.add_mesh(MeshFile("room", str(tmp_path / "<b>room&.obj"), "sheet_1")))
    history.do(commands.add_bake("sheet_1", Bake("height", "height", 256, 4, 1)))
    history.do(commands.add_palette(new_palette("palette", name, np.array([(1, 2, 3), (200, 9, 9)], np.uint8))))
    history.do(commands.add_ramp(Ramp("ramp", name, (RampRow(name, (Stop(0.0, (1, 1, 1)), Stop(1.0, (9, 9, 9)))),))))
    history.do(commands.add_tone("sheet_1", Tone("neutral", name, "neutral")))
    history.do(commands.add_step("region_1", Step("grow", {"radius": 2.0})))
    history.do(commands.add_coat("region_2", Coat("shift")))
    history.do(commands.make_recipe("region_3", name))
    history.do(commands.expose("region_2", "hue", 1))
    for parameter in history.kit.parameters:
        history.do(commands.describe_parameter(parameter.key, name, name, name))
    kit = history.kit
    regions = tuple(replace(region, name=f"{name} {number}") for number, region in enumerate(kit.sheets[0].regions))
    variants = tuple(replace(variant, name=f"{name} {number}") for number, variant in enumerate(kit.variants))
    return replace(kit.with_sheet(replace(kit.sheets[0], name=name, regions=regions)), name=name, variants=variants)


def tips(widget: QWidget) -> list[str]:
    found = [widget.toolTip(), *(action.toolTip() for action in widget.actions())]
    if isinstance(widget, QAbstractItemView) and (model := widget.model()) is not None:
        for row in range(model.rowCount()):
            for column in range(1 if isinstance(model, QAbstractListModel) else model.columnCount()):
                found.append(model.index(row, column).data(Qt.ItemDataRole.ToolTipRole) or "")
    return found


def assert_plain(root: QWidget) -> int:
    """All that is there shows its text as it stands."""
    seen = 0
    for widget in [root, *root.findChildren(QWidget)]:
        if isinstance(widget, QLabel):
            seen += "<" in widget.text()
            assert widget.textFormat() == Qt.TextFormat.PlainText, widget.text()
        for tip in tips(widget):
            assert not Qt.mightBeRichText(tip), tip  # type: ignore[attr-defined]
        if isinstance(widget, QTextEdit):
            assert isinstance(widget, plain.Text)
    for menu in root.findChildren(QMenu):
        for action in menu.actions():
            assert_shown_whole(action)
    return seen


def assert_shown_whole(action: QAction) -> None:
    if "name" in action.text():
        assert "&&" in action.text(), action.text()


def test_every_view_shows_markup_as_text(make_window: Callable[[], Driver], marked: Kit, tmp_path: Path) -> None:
    folder = KitFolder.create(tmp_path / "<i>kit&")
    folder.save(marked)
    folder.close()
    driver = make_window()
    driver.window.open_paths([tmp_path / "<i>kit&"])
    driver.settle()
    driver.session.notice.emit("<b>A sentence</b> that names <img src='/dev/zero'>")
    seen = 0
    for stage in range(1, 9):
        driver.stage(stage)
        driver.settle()
        seen += assert_plain(driver.window)
    for region in marked.regions:
        driver.session.select(region.key, variant=marked.variants[0].key)
        seen += assert_plain(driver.window)
    for widget in QApplication.topLevelWidgets():
        assert_plain(widget)
    assert seen > 5


@pytest.mark.parametrize("text", ["<b>x</b>", '<img src="/dev/zero">', "a < b > c", "<!DOCTYPE html>", "a&b", "plain"])
def test_tips_are_no_markup(text: str, qapp: QApplication) -> None:
    assert not Qt.mightBeRichText(plain.tip(text))  # type: ignore[attr-defined]
    assert plain.tip(text).replace(plain.JOINER, "") == text
    assert plain.Label(text).text() == text
    assert plain.item(text).replace("&&", "&") == text


def test_texts_load_nothing(qapp: QApplication, tmp_path: Path) -> None:
    """A document that names a pipe as its picture: nobody waits for it."""
    os.mkfifo(tmp_path / "pipe.png")
    text = plain.Text()
    text.setMarkdown(f"# Title\n\n![picture]({tmp_path / 'pipe.png'})\n")
    text.resize(300, 200)
    text.grab()
    assert "Title" in text.toPlainText()
