"""Planes that are painted, in the window: from a coat's pattern to strokes on the sheet and the model."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt

from even_palette.app.view_state import Hand, Panes
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import coats_of
from even_palette.core.results.looks import Look
from even_palette.core.results.planes import tone_of
from tests.app.conftest import Driver
from tests.app.test_painting import on_sheet, stroke


def grey(driver: Driver, key: str) -> np.ndarray:
    at = driver.session.at
    return tone_of(at, driver.session.sheets, at.sheet.tone(key)).samples[..., 0].astype(float) / 65535


@pytest.fixture
def pattern(demo: Driver) -> Driver:
    """Recolour, the deck: its coat's pattern gets a plane that is painted."""
    demo.session.select("deck")
    demo.stage(5)
    demo.settle()
    demo.click(demo.window.tray.panel("Recolour").editors["plane pattern"].paint)
    demo.settle()
    return demo


def test_a_pattern_is_painted_from_its_coat(pattern: Driver) -> None:
    """One step makes the plane and lets the coat read it; the stage is Tones, what is seen is the plane, and a drag on
    the sheet paints it; the regions stay as they are. Again on the coat goes to the same plane."""
    session, stand = pattern.session, pattern.stand
    tone = session.at.sheet.tones[-1]
    assert session.history.undo_labels[0] == "Add pattern"
    assert tone.kind == "painted"
    assert coats_of(session.kit, "deck")[0].pattern.plane.key == tone.key
    assert stand.look == Look("tone", map=tone.key)
    assert pattern.window.painting.active
    regions = session.at.sheet.regions
    stroke(pattern, stand.canvas, on_sheet(pattern, (0.3, 0.5), (0.45, 0.55)))
    assert session.history.undo_labels[0] == "Paint"
    assert session.at.sheet.regions == regions
    made = grey(pattern, tone.key)
    height, width = made.shape
    assert made[int(0.5 * height), int(0.3 * width)] > 0.98
    assert stand.texel_at(0.3, 0.5).encoded[0] > 0.98
    assert stand.canvas._live is None
    session.undo()
    pattern.settle()
    assert grey(pattern, tone.key).max() == 0
    session.redo()
    pattern.stage(5)
    pattern.settle()
    pattern.click(pattern.window.tray.panel("Recolour").editors["plane pattern"].paint)
    pattern.settle()
    assert session.tone == tone.key
    assert [each.key for each in session.at.sheet.tones].count(tone.key) == 1
    assert session.at.sheet.tones[-1].key == tone.key
    session.undo()
    session.undo()
    assert coats_of(session.kit, "deck")[0].pattern is None
    assert all(each.key != tone.key for each in session.at.sheet.tones)


def test_a_plane_is_painted_on_the_model(pattern: Driver) -> None:
    """With the result on the stand, the coat shows on what was painted alone."""
    session, stand = pattern.session, pattern.stand
    stand.set_panes(Panes.MODEL)
    pattern.settle()
    canvas = stand.model.canvas
    faces = canvas.face_ids()
    rows, columns = np.nonzero(faces >= 0)
    middle = len(rows) // 2
    ratio, field = canvas.ratio(), canvas.field(0)
    at = QPointF((columns[middle] + field.x()) / ratio, (rows[middle] + field.y()) / ratio)
    pattern.qtbot.waitUntil(lambda: pattern.window.painting._ready(True) is not None, timeout=60_000)
    stroke(pattern, canvas, [at, QPointF(at.x() + 6, at.y())])
    assert session.history.undo_labels[0] == "Paint"
    assert grey(pattern, session.tone).max() > 0.9


def test_tones_without_paint_take_no_strokes(demo: Driver) -> None:
    """P on a tone that is made tells what is missing; a mask of the chosen region and a noise are added by the menu."""
    demo.session.select("deck")
    demo.stage(4)
    demo.settle()
    panel = demo.window.tray.panel("Tones")
    panel.add("mask")
    demo.settle()
    tone = demo.session.at.sheet.tones[-1]
    assert (tone.kind, tone.region, tone.name) == ("mask", "deck", "Mask of Deck")
    assert panel.region_box.isVisible()
    assert not panel.brush.isVisible()
    demo.window.painting.choose_hand(Hand.PAINT)
    assert "painted tone" in demo.window.notice.text.text()
    assert not demo.window.painting.active
    demo.choose(panel.region_box, "Hull")
    assert demo.session.at.sheet.tones[-1].region == "hull"
    panel.add("noise")
    demo.settle()
    noise = grey(demo, demo.session.tone)
    assert noise.shape == (512, 512)
    assert 0.1 < noise.std() < 0.4
    panel.add("painted")
    demo.settle()
    assert panel.brush.isVisible()
    demo.key(demo.stand.canvas, Qt.Key.Key_P)
    demo.window.painting.choose_hand(Hand.PAINT)
    assert demo.window.painting.active
    demo.session.do(commands.remove_tone(demo.session.at.key, demo.session.tone))
    demo.settle()
    assert not demo.window.painting.active
