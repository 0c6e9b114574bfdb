"""Over time in the window: keys of a parameter in a variant, the strip, playing, and what is drawn at a time."""

import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication

from even_palette.app.ledge.over_time import LineupPage, OverTime
from even_palette.app.tray.lineup import LineupPanel
from even_palette.core.material.model import Easing, Repeat
from even_palette.core.material.variants import resolve
from tests.app.conftest import Driver, pixels


@pytest.fixture
def panel(demo: Driver) -> LineupPanel:
    """Night Post; the colour of the hull is chosen; the ledge shows time."""
    demo.stage(6)
    demo.session.select(variant="night_post")
    demo.click(demo.window.ledge.tabs_of("Lineup").buttons[1])
    demo.settle()
    found: LineupPanel = demo.tray.panel("Lineup")
    items = [found.parameters.table.topLevelItem(row) for row in range(found.parameters.table.topLevelItemCount())]
    flat = [child for item in items for child in (item, *(item.child(n) for n in range(item.childCount())))]
    found.parameters.table.setCurrentItem(next(item for item in flat if item.text(0) == "hull_colour"))
    demo.settle()
    assert found.parameters.key == "hull_colour"
    return found


@pytest.fixture
def part(demo: Driver, panel: LineupPanel) -> OverTime:
    page = demo.window.ledge.page("Lineup")
    assert isinstance(page, LineupPage)
    assert page.over_time.isVisible()
    return page.over_time


def test_keys_are_set_and_what_is_drawn_follows(demo: Driver, panel: LineupPanel, part: OverTime) -> None:
    """A key at 0, another colour at 2 s becomes a key by itself; between them both are mixed, and it is drawn so."""
    session = demo.session
    demo.click(part.key)
    before = session.kit.variant("night_post").values["hull_colour"]
    assert [(key.time, key.value) for key in session.kit.variant("night_post").tracks["hull_colour"].keys] == [
        (0.0, before)
    ]
    strip = part.rows
    demo.qtbot.mouseClick(strip, Qt.MouseButton.LeftButton, pos=QPoint(int(strip.x_of(2.0)), 10))
    assert session.view.state.time == pytest.approx(2.0, abs=0.05)
    here = session.view.state.time
    panel.parameters.editor.changed.emit((1.0, 0.1, 0.1))  # type: ignore[union-attr]
    session.history.end_merge()
    demo.settle()
    track = session.kit.variant("night_post").tracks["hull_colour"]
    assert [key.time for key in track.keys] == [0.0, pytest.approx(here)]
    assert track.keys[1].value == (1.0, 0.1, 0.1)
    assert session.kit.variant("night_post").values["hull_colour"] == before
    red = pixels(demo.stand.canvas._images[2][0]).astype(int)
    demo.key(strip, Qt.Key.Key_Home)
    demo.settle()
    assert session.view.state.time == 0
    first = pixels(demo.stand.canvas._images[2][0]).astype(int)
    assert (red - first)[..., 0].max() > 60
    assert strip.lines[0].times == (0.0, pytest.approx(here))
    assert strip.lines[0].colours[1] == (1.0, 0.1, 0.1)
    demo.choose(part.easing, "Hold")
    demo.choose(part.repeat, "To and fro")
    track = session.kit.variant("night_post").tracks["hull_colour"]
    assert (track.keys[0].easing, track.repeat) == (Easing.HOLD, Repeat.TO_AND_FRO)
    kit = session.kit
    assert resolve(kit.parameters, kit.variants, "night_post", here / 2)["hull_colour"] == before
    demo.click(part.less)
    assert len(session.kit.variant("night_post").tracks["hull_colour"].keys) == 1
    while session.history.undo_labels:
        session.undo()
    assert session.kit.variant("night_post").tracks == {}


def test_playing_goes_on_and_begins_again(demo: Driver, panel: LineupPanel, part: OverTime) -> None:
    moment = demo.session.moment
    demo.type(part.length.field.lineEdit(), "0.5")
    demo.type(part.speed.field.lineEdit(), "2")
    assert (moment.end, moment.speed) == (0.5, 2.0)
    demo.click(part.play)
    seen: list[float] = []

    def began_again() -> bool:
        seen.append(demo.session.view.state.time)
        return seen[-1] < max(seen)

    demo.qtbot.waitUntil(began_again, timeout=60_000)
    assert max(seen) <= 0.5
    demo.click(part.play)
    assert not moment.goes_on
    demo.click(part.begin)
    assert demo.session.view.state.time == 0


def test_the_master_stands_still(demo: Driver, panel: LineupPanel, part: OverTime) -> None:
    demo.session.select(variant="")
    demo.settle()
    assert not part.key.isEnabled()
    assert "master stands still" in part.told.text()


def test_heads_of_the_board_show_the_time_and_the_instance(demo: Driver) -> None:
    """The river runs in them as on the stand; while time goes on they rest."""
    session, thumbnails = demo.session, demo.window.thumbnails
    session.show_sheet("river")
    demo.settle()

    def head() -> bytes:
        demo.qtbot.waitUntil(lambda: thumbnails.settled and bool(thumbnails._kept), timeout=60_000)
        image = next(image for key, image in thumbnails._kept.items() if key[0] == "morning_ferry")
        return pixels(image).tobytes()

    demo.board.heads.redraw()
    demo.settle()
    first = head()
    session.moment.go_to(3.7)
    demo.settle()
    later = head()
    assert later != first
    session.moment.begin_again()
    demo.settle()
    assert head() == first
    session.moment.let_go_on(True)
    thumbnails._stale.clear()
    seen = session.view.state.time
    demo.qtbot.waitUntil(lambda: session.view.state.time > seen + 0.1, timeout=60_000)
    assert not thumbnails._stale
    session.moment.let_go_on(False)
    assert thumbnails._stale


def test_keys_are_dragged_and_variants_fade(demo: Driver, panel: LineupPanel, part: OverTime) -> None:
    """A drag of a key is one step and stays between its neighbours; a fade is a variant that goes from one to another."""
    session, rows = demo.session, part.rows
    demo.click(part.key)
    for time in (1.0, 2.0):
        rows.went.emit(time)
        demo.click(part.key)
    steps = len(session.history.undo_labels)
    demo.settle()
    start, end = (QPoint(int(rows.x_of(time)), int(rows.y_of(0))) for time in (1.0, 3.5))
    demo.qtbot.mousePress(rows, Qt.MouseButton.LeftButton, pos=start)
    for share in (0.3, 0.6, 1.0):
        place = start + QPoint(int((end.x() - start.x()) * share), 0)
        move = QMouseEvent(
            QEvent.Type.MouseMove, QPointF(place), rows.mapToGlobal(QPointF(place)), Qt.MouseButton.NoButton,
            Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier,
        )  # fmt: skip
        QApplication.sendEvent(rows, move)
    demo.qtbot.mouseRelease(rows, Qt.MouseButton.LeftButton, pos=end)
    times = [key.time for key in session.kit.variant("night_post").tracks["hull_colour"].keys]
    assert times == [0.0, pytest.approx(1.95), 2.0]
    assert len(session.history.undo_labels) == steps + 1
    demo.choose(part.target, "Ice Patrol")
    demo.click(part.fade)
    demo.settle()
    made = session.kit.variants[-1]
    assert (made.name, made.parent, session.variant) == ("Night Post to Ice Patrol", "night_post", made.key)
    assert len(rows.lines) > 3
    demo.key(rows, Qt.Key.Key_Down)
    assert part.parameter in [line.key for line in rows.lines]


def test_a_picked_instance_goes_over_time(demo: Driver, panel: LineupPanel, part: OverTime) -> None:
    session = demo.session
    session.view.change(scene="the_landing", picks=())
    demo.settle()
    session.view.change(picks=(("fleet", 2),))
    demo.settle()
    assert "picked" in part.told.text()
    part.choose("hull_colour")
    demo.click(part.key)
    assert list(session.kit.scene("the_landing").placing("fleet").own["2"].tracks) == ["hull_colour"]
    assert session.kit.variant("night_post").tracks == {}
    demo.click(part.less)
    assert session.kit.scene("the_landing").placing("fleet").own == {}
