"""Scenes in the window: placed from the tray, picked and moved by hand, drawn anew, and always the same as scripts."""

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication

from even_palette.app.stand.scene_pane import EMPTY, ScenePane
from even_palette.app.tray.allowed import Chips
from even_palette.app.tray.lineup import VARIANTS, LineupPanel
from even_palette.core.kit import commands
from even_palette.core.kit.instances import instances_of
from even_palette.core.kit.scene import Lamp, LightKind, Placing, SceneLight, ToneCurve
from even_palette.core.material.model import Allowed
from even_palette.core.raster.files import read_plane, write_plane
from even_palette.core.raster.picture_sheet import over_ground
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.gl.model_view import Light
from tests.app.conftest import Driver, pixels


@pytest.fixture
def panel(demo: Driver) -> LineupPanel:
    demo.stage(6)
    demo.settle()
    return demo.tray.panel("Lineup")


@pytest.fixture
def quay(demo: Driver, panel: LineupPanel) -> ScenePane:
    """A scene of four crates in a row, three metres apart, in two variants."""
    demo.session.do(commands.add_scene("Quay"))
    shares = {"morning_ferry": 0.5, "night_post": 0.5}
    placing = Placing("", "Crates", "row", "oar_and_crate_2", 4, shares=shares, values={"apart": 3.0})
    demo.session.do(commands.add_placing("quay", placing))
    demo.choose(panel.shown, "Quay")
    demo.settle()
    return demo.window.centre.scene


def at_instance(pane: ScenePane, number: int) -> QPoint:
    """A place in the canvas where an instance is seen."""
    ids = pane.canvas.face_ids()
    rows, columns = np.nonzero(ids == number)
    middle = len(rows) // 2
    field, ratio = pane.canvas.field(0), pane.canvas.ratio()
    return QPoint(int((columns[middle] + field.x()) / ratio), int((rows[middle] + field.y()) / ratio))


def test_a_scene_is_made_from_the_tray(demo: Driver, panel: LineupPanel) -> None:
    """Added, filled with a row and by chance, renamed and removed; without one the lineup shows variants."""
    session, window = demo.session, demo.window
    there = session.kit.scenes
    assert not window.centre.shows_scene
    add = next(b for b in panel.findChildren(type(panel.remove_scene)) if b.accessibleName() == "Add scene")
    demo.click(add)
    demo.settle()
    assert window.centre.shows_scene
    assert window.centre.scene.canvas.message == EMPTY
    part = panel.scene
    menu = part.add.menu()
    row = next(action for action in menu.actions() if action.text() == "Row")
    row.trigger()
    demo.settle()
    scene = session.kit.scenes[-1]
    assert (scene.placings[0].kind, scene.placings[0].mesh, scene.placings[0].count) == ("row", "ferry_tug", 5)
    demo.type(part.count.lineEdit(), "3")
    demo.choose(part.mesh, "wharf_tree")
    demo.type(part.settings.rows["apart"].field.lineEdit(), "4")  # type: ignore[attr-defined]
    demo.choose(part.kind, "Scatter")
    demo.settle()
    placing = session.kit.scenes[-1].placings[0]
    assert (placing.kind, placing.mesh, placing.count, placing.values["apart"]) == ("scatter", "wharf_tree_2", 3, 4.0)
    assert "least" in part.settings.rows
    assert "apart" not in part.settings.rows
    night = part.share_rows["night_post"]
    demo.type(night.field.lineEdit(), "0.5")
    assert session.kit.scenes[-1].placings[0].shares == {"": 1.0, "night_post": 0.5}
    demo.type(panel.name, "Landing")
    assert session.kit.scenes[-1].name == "Landing"
    assert panel.shown.currentText() == "Landing"
    demo.stage(5)
    assert not window.centre.shows_scene
    demo.stage(6)
    demo.settle()
    assert window.centre.shows_scene
    demo.choose(panel.shown, VARIANTS)
    demo.settle()
    assert not window.centre.shows_scene
    demo.choose(panel.shown, "Landing")
    demo.click(panel.remove_scene)
    demo.settle()
    assert session.kit.scenes == there
    assert not window.centre.shows_scene


def test_instances_are_picked_and_changed(demo: Driver, panel: LineupPanel, quay: ScenePane) -> None:
    """A click picks, with Shift more; their variant, a lock, another draw, a reset; what is picked is told."""
    session = demo.session
    demo.click(quay.lit_button)
    assert quay.canvas.lit
    seeds = {each.number: each.seed for each in instances_of(session.kit.scene("quay"))}
    demo.qtbot.mouseClick(quay.canvas, Qt.MouseButton.LeftButton, pos=at_instance(quay, 1))
    demo.settle()
    assert quay.picks == (("crates", 1),)
    assert "1 picked" in quay.told.text()
    own = panel.scene.own
    assert own.isVisible()
    demo.qtbot.mouseClick(
        quay.canvas, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, at_instance(quay, 2)
    )
    assert quay.picks == (("crates", 1), ("crates", 2))
    demo.choose(own.variant, "Ice Patrol")
    demo.settle()
    assert [each.variant for each in instances_of(session.kit.scene("quay"))][1:3] == ["ice_patrol"] * 2
    steps = len(session.history.undo_labels)
    own.turn.slider.setSliderDown(True)
    for place in (20, 40, 60):
        own.turn.slider.setValue(place)
    own.turn.slider.setSliderDown(False)
    assert len(session.history.undo_labels) == steps + 1  # a drag is one step
    demo.click(own.locked)
    demo.click(own.locked)
    demo.click(own.locked)
    assert len(session.history.undo_labels) == steps + 4
    demo.click(panel.scene.draw)
    now = {each.number: each.seed for each in instances_of(session.kit.scene("quay"))}
    assert [number for number in seeds if now[number] == seeds[number]] == [1, 2]
    demo.click(next(b for b in own.findChildren(type(panel.scene.draw)) if b.text() == "Reset"))
    assert session.kit.scene("quay").placing("crates").own == {}
    empty = next(QPoint(x, 4) for x in range(4, 400) if quay.canvas.pick_at(QPointF(x, 4)) is None)
    demo.qtbot.mouseClick(quay.canvas, Qt.MouseButton.LeftButton, pos=empty)
    assert quay.picks == ()
    assert not own.isVisible()


def test_what_is_picked_is_dragged_over_the_ground(demo: Driver, quay: ScenePane) -> None:
    """It stays under the mouse and at its height, as one step; no other moves; a drag beside it turns the view."""
    session = demo.session
    pick = at_instance(quay, 2)
    demo.qtbot.mouseClick(quay.canvas, Qt.MouseButton.LeftButton, pos=pick)
    demo.settle()
    before = instances_of(session.kit.scene("quay"))
    steps = len(session.history.undo_labels)
    orbit = quay.canvas.orbit
    target = pick + QPoint(40, 30)
    demo.drag(quay.canvas, pick, target)
    demo.settle()
    after = instances_of(session.kit.scene("quay"))
    assert quay.canvas.orbit == orbit
    assert quay.picks == (("crates", 2),)
    assert len(session.history.undo_labels) == steps + 1
    moved = [number for number in range(4) if after[number].place != before[number].place]
    assert moved == [2]
    assert after[2].place[1] == before[2].place[1]
    assert quay.canvas.pick_at(QPointF(target)) == ("crates", 2)
    assert [(a.seed, a.variant) for a in after] == [(b.seed, b.variant) for b in before]
    session.undo()
    assert instances_of(session.kit.scene("quay")) == before
    free = next(QPoint(x, 9) for x in range(4, 400) if quay.canvas.pick_at(QPointF(x, 9)) is None)
    demo.drag(quay.canvas, free, free + QPoint(60, 0))
    assert quay.canvas.orbit.yaw != orbit.yaw


def test_keys_take_away_and_copy(demo: Driver, quay: ScenePane) -> None:
    session = demo.session
    demo.qtbot.mouseClick(quay.canvas, Qt.MouseButton.LeftButton, pos=at_instance(quay, 0))
    demo.key(quay.canvas, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
    demo.settle()
    assert [placing.kind for placing in session.kit.scene("quay").placings] == ["row", "list"]
    demo.key(quay.canvas, Qt.Key.Key_Delete)
    demo.settle()
    assert [each.number for each in instances_of(session.kit.scene("quay"))] == [1, 2, 3, 0]
    assert quay.picks == ()
    assert "4 instances" in quay.told.text()


def test_a_list_is_opened(demo: Driver, panel: LineupPanel, quay: ScenePane, tmp_path: Path) -> None:
    path = tmp_path / "bollards.csv"
    path.write_text("x,z,variant\n0,4,Night Post\n2,4,\n")
    panel.scene.open_list(path)
    demo.settle()
    assert session_names(demo) == ["Crates", "bollards"]
    assert not panel.scene.count.isVisible()
    assert "6 instances" in quay.told.text()
    path.write_text("x,y\n")
    panel.scene.open_list(path)
    demo.settle()
    assert "bollards.csv" in demo.window.notice.text.text()
    assert len(session_names(demo)) == 2


def session_names(demo: Driver) -> list[str]:
    return [placing.name for placing in demo.session.kit.scene("quay").placings]


def test_a_dragged_value_is_seen_on_all(demo: Driver, quay: ScenePane) -> None:
    """A parameter that variants share changes all instances that are in them, and no other."""
    session = demo.session
    before = quay.canvas._images[0][0].copy()
    ids = quay.canvas.face_ids()
    variants = [each.variant for each in instances_of(session.kit.scene("quay"))]
    session.do(commands.set_parameter("boards_colour", (1.0, 0.1, 0.9), "night_post"))
    demo.settle()
    after = quay.canvas._images[0][0]
    differs = (pixels(before) != pixels(after)).any(axis=-1)
    changed = {variants[number] for number in np.unique(ids[differs]) if number >= 0}
    assert changed == {"night_post"}
    night = np.isin(ids, [number for number, name in enumerate(variants) if name == "night_post"])
    assert differs[night].mean() > 0.3


def test_pictures_of_variants_are_written(demo: Driver, panel: LineupPanel, tmp_path: Path) -> None:
    """All variants of the sheet in front on one picture, drawn one by one while the window goes on."""
    from even_palette.core.raster.files import read_plane
    from even_palette.core.raster.picture_sheet import GAP_PX, NAME_PX
    from even_palette.core.raster.plane import Encoding

    demo.session.show_sheet("oar_and_crate")
    demo.settle()
    panel.pictures.write(tmp_path / "all", lit=True, width=120, height=80)
    assert panel.pictures.busy
    demo.qtbot.waitUntil(lambda: not panel.pictures.busy, timeout=60_000)
    demo.settle()
    written = read_plane(tmp_path / "all.png", Encoding.SRGB).samples
    assert written.shape == (3 * (80 + NAME_PX + GAP_PX) + GAP_PX, 2 * (120 + GAP_PX) + GAP_PX, 3)
    assert "all.png" in demo.window.notice.text.text()


def test_a_scene_is_lit_from_the_tray(demo: Driver, panel: LineupPanel, quay: ScenePane) -> None:
    """Light that is chosen is seen at once; hours, lamps with a colour and a place; flat stays the sheet's colours."""
    session, part = demo.session, panel.scene.light
    demo.click(part.head)
    flat = quay.canvas._images[0][0].copy()
    assert not part.outdoors.isVisible()
    steps = len(session.history.undo_labels)
    demo.choose(part.kind, "Overcast")
    demo.choose(part.kind, "Sun and sky")
    assert len(session.history.undo_labels) == steps + 2  # what is chosen is a step of its own
    demo.settle()
    assert quay.canvas.lit
    assert part.hour.isVisible()
    demo.type(part.hour.field.lineEdit(), "18.5")
    demo.click(part.sky)
    demo.choose(part.tone, "Rolled off")
    demo.settle()
    light = session.kit.scene("quay").light
    assert (light.kind, light.hour, light.sky, light.tone) == (LightKind.DAYLIGHT, 18.5, True, ToneCurve.NEUTRAL)
    evening = pixels(quay.canvas._images[0][0])
    assert evening[2, 2, 0] > evening[2, 2, 2]  # a warm sky behind
    demo.choose(part.kind, "Night")
    demo.click(part.add)
    demo.settle()
    dark = pixels(quay.canvas._images[0][0]).astype(int)
    assert not part.hour.isVisible()
    demo.type(part.rows[0]["colour"], "#0000ff")
    demo.type(part.rows[0]["strength"].field.lineEdit(), "40")  # type: ignore[attr-defined]
    demo.type(part.rows[0]["up"].field.lineEdit(), "1.5")  # type: ignore[attr-defined]
    demo.settle()
    lamp = session.kit.scene("quay").light.lamps[0]
    assert (lamp.colour, lamp.strength, lamp.place[1]) == ((0.0, 0.0, 1.0), 40.0, 1.5)
    blue = pixels(quay.canvas._images[0][0]).astype(int)
    assert (blue - dark)[..., 2].max() > 60
    demo.type(part.rows[0]["colour"], "no colour")
    assert session.kit.scene("quay").light.lamps[0].colour == (0.0, 0.0, 1.0)
    assert demo.window.notice.isVisible()
    demo.window.notice.hide()
    for _ in range(3):
        demo.click(part.add)
    assert len(part.rows) == 4
    assert not part.add.isEnabled()
    demo.click(quay.lit_button)
    demo.settle()
    assert np.array_equal(pixels(quay.canvas._images[0][0]), pixels(flat))


def test_the_game_sets_parameters_of_what_is_picked(demo: Driver, panel: LineupPanel, quay: ScenePane) -> None:
    """Chips of allowed colours, free colours and ranges; live on the instance; kept as a variant, or dropped."""
    session, runtime = demo.session, panel.scene.own.runtime
    red, blue = (0.8, 0.1, 0.1), (0.1, 0.2, 0.8)
    session.do(commands.allow("boards_colour", Allowed((red, blue))))
    session.do(commands.allow("grip_colour", Allowed(darkest=0.5)))
    session.do(commands.expose("region_1", "strength"))
    demo.qtbot.mouseClick(quay.canvas, Qt.MouseButton.LeftButton, pos=at_instance(quay, 1))
    demo.click(runtime.head)
    demo.settle()
    assert {"boards_colour", "grip_colour", "boards_strength"} <= set(runtime.editors)
    assert "hull_colour" not in runtime.editors or "ferry_paint" in [r.key for r in session.kit.recipes]
    before, ids = pixels(quay.canvas._images[0][0]).astype(int), quay.canvas.face_ids()
    chips = runtime.editors["boards_colour"]
    assert isinstance(chips, Chips)
    demo.qtbot.mouseClick(chips, Qt.MouseButton.LeftButton, pos=chips.place(1).center().toPoint())
    demo.settle()
    instance = instances_of(session.kit.scene("quay"))[1]
    assert dict(instance.values) == {"boards_colour": blue}
    changed = (np.abs(pixels(quay.canvas._images[0][0]).astype(int) - before)).max(axis=-1) > 8
    assert {1} <= set(np.unique(ids[changed])) <= {-1, 1}  # edges are smoothed
    demo.type(runtime.editors["grip_colour"], "#000000")
    demo.type(runtime.editors["boards_strength"].field.lineEdit(), "0.25")  # type: ignore[attr-defined]
    values = instances_of(session.kit.scene("quay"))[1].values
    assert values["boards_strength"] == 0.25
    assert min(values["grip_colour"]) > 0.3  # type: ignore[arg-type]  # held at its darkest
    demo.click(runtime.keep)
    demo.settle()
    assert session.kit.variants[-1].values.keys() == {"boards_colour", "grip_colour", "boards_strength"}
    assert instances_of(session.kit.scene("quay"))[1].variant == session.kit.variants[-1].key
    demo.qtbot.mouseClick(chips, Qt.MouseButton.LeftButton, pos=chips.place(0).center().toPoint())
    demo.click(runtime.drop)
    assert not instances_of(session.kit.scene("quay"))[1].values


def test_what_the_game_may_set_is_said_in_the_table(demo: Driver, panel: LineupPanel) -> None:
    """The colour of the selected variant is allowed, another one beside it, one taken out; then all again."""
    session, part = demo.session, panel.parameters.allowed
    table = panel.parameters.table
    items = [table.topLevelItem(row) for row in range(table.topLevelItemCount())]
    flat = [child for item in items for child in (item, *(item.child(n) for n in range(item.childCount())))]
    table.setCurrentItem(next(item for item in flat if item.text(0) == "hull_colour"))
    demo.click(part.head)
    demo.click(part.add)
    session.select(variant="night_post")
    demo.settle()
    demo.click(part.add)
    allowed = session.kit.parameter("hull_colour").allowed
    assert allowed.swatches == (
        session.kit.parameter("hull_colour").default,
        session.kit.variant("night_post").values["hull_colour"],
    )
    assert not part.rows["darkest"].isVisible()
    demo.qtbot.mouseClick(part.chips, Qt.MouseButton.LeftButton, pos=part.chips.place(0).center().toPoint())
    assert len(session.kit.parameter("hull_colour").allowed.swatches) == 1
    demo.click(part.free)
    assert session.kit.parameter("hull_colour").allowed.is_free
    demo.type(part.rows["hue_to"].field.lineEdit(), "90")
    assert session.kit.parameter("hull_colour").allowed.hue_to == 90


def test_pictures_of_the_scene_as_it_is_seen(demo: Driver, panel: LineupPanel, quay: ScenePane, tmp_path: Path) -> None:
    """One picture is what the canvas shows; over time as many as asked for; cancelled, nothing is left."""
    part, session = panel.scene.pictures, demo.session
    part.sizes.addItem("small", (160, 90))
    part.sizes.setCurrentIndex(part.sizes.count() - 1)
    quay.canvas.show_from(quay.canvas.orbit.turned(120, 40))
    demo.settle()
    part.ask_for(tmp_path / "one.png")
    demo.qtbot.waitUntil(lambda: not quay.shots.busy, timeout=60_000)
    shown = quay.renderer.render_crowd(
        quay.canvas.crowds, quay.canvas.orbit, 160, 90, Light(quay.canvas.lit), session.view.state.time
    )
    assert np.array_equal(read_plane(tmp_path / "one.png", Encoding.SRGB).samples, over_ground(shown.pixels))
    part.seconds.show_value(1.0)
    part.rate.show_value(5.0)
    part.turns.show_value(1.0)
    part.ask_for(tmp_path / "turn.png")
    demo.qtbot.waitUntil(lambda: not quay.shots.busy, timeout=60_000)
    assert len(list(tmp_path.glob("turn_*.png"))) == 5
    first = read_plane(tmp_path / "turn_0000.png", Encoding.SRGB).samples
    assert np.array_equal(first, read_plane(tmp_path / "one.png", Encoding.SRGB).samples)
    part.ask_for(tmp_path / "stopped.webp")
    session.jobs.cancel()
    demo.qtbot.waitUntil(lambda: not quay.shots.busy, timeout=60_000)
    assert not list(tmp_path.glob("*.webp"))
    demo.settle()


def test_the_view_is_kept_with_the_scene(demo: Driver, panel: LineupPanel, quay: ScenePane) -> None:
    session = demo.session
    assert not quay.kept.isEnabled()
    wanted = quay.canvas.orbit.turned(200, -30).zoomed(1.7, 200, 100, 500, 300)
    quay.canvas.show_from(wanted)
    session.moment.go_to(1.25)
    demo.click(quay.keep)
    demo.settle()
    session.moment.go_to(0.0)
    demo.key(quay.canvas, Qt.Key.Key_G)
    demo.click(quay.kept)
    assert session.view.state.time == 1.25
    for other in ("The landing", "Quay"):
        demo.choose(panel.shown, other)
        demo.settle()
    assert quay.canvas.orbit.eye() == pytest.approx(wanted.eye(), abs=1e-4)
    session.undo()
    demo.settle()
    assert session.kit.scene("quay").camera is None


def test_lamps_are_dragged(demo: Driver, panel: LineupPanel, quay: ScenePane) -> None:
    """On their height, with Shift up and down; flat none is seen. A drag is one step, though the kit was opened after the
    window was there.
    """
    session, canvas = demo.session, quay.canvas
    light = SceneLight(LightKind.NIGHT, lamps=(Lamp((0.0, 3.0, 2.0)), Lamp((-3.0, 2.0, 0.0))))
    session.do(commands.set_light("quay", light))
    session.history.end_merge()
    demo.settle()
    steps = len(session.history.undo_labels)

    def lamps() -> tuple[Lamp, ...]:
        return session.kit.scene("quay").light.lamps

    def drag(number: int, by: QPoint, modifier: Qt.KeyboardModifier) -> QPointF:
        start = canvas.position_of(np.float32(lamps()[number].place)).toPoint()
        assert canvas.lamp_at(QPointF(start)) == number
        demo.qtbot.mousePress(canvas, Qt.MouseButton.LeftButton, modifier, start)
        for share in (0.5, 1.0):
            place = QPointF(start) + QPointF(by) * share
            move = QMouseEvent(
                QEvent.Type.MouseMove, place, canvas.mapToGlobal(place), Qt.MouseButton.NoButton,
                Qt.MouseButton.LeftButton, modifier,
            )  # fmt: skip
            QApplication.sendEvent(canvas, move)
        demo.qtbot.mouseRelease(canvas, Qt.MouseButton.LeftButton, modifier, start + by)
        demo.settle()
        return QPointF(start + by)

    end = drag(0, QPoint(60, 20), Qt.KeyboardModifier.NoModifier)
    assert lamps()[0].place[1] == 3.0
    assert (canvas.position_of(np.float32(lamps()[0].place)) - end).manhattanLength() < 2
    x, _, z = lamps()[1].place
    end = drag(1, QPoint(0, -40), Qt.KeyboardModifier.ShiftModifier)
    assert (lamps()[1].place[0], lamps()[1].place[2]) == (x, z)
    assert lamps()[1].place[1] > 2.1
    assert abs(canvas.position_of(np.float32(lamps()[1].place)).y() - end.y()) < 2
    assert len(session.history.undo_labels) == steps + 2
    demo.click(quay.lit_button)
    assert canvas.lamp_at(end) is None


def test_a_scene_is_lit_by_a_picture(demo: Driver, panel: LineupPanel, quay: ScenePane, tmp_path: Path) -> None:
    """Opened from the tray, seen at once, turned; a file that is none is told and changes nothing."""
    session, part = demo.session, panel.scene.light
    light = np.zeros((16, 32, 3), np.float32)
    light[:, 16:] = (4.0, 0.1, 0.1)
    write_plane(tmp_path / "red.exr", Plane(light, Encoding.LINEAR))
    part.open_picture(tmp_path / "red.exr")
    demo.settle()
    assert session.kit.scene("quay").light.kind == LightKind.PICTURE
    assert quay.canvas.lit
    first = pixels(quay.canvas._images[0][0]).astype(int)
    demo.click(part.head)
    assert part.picture.text() == "red.exr"
    demo.type(part.turned.field.lineEdit(), "180")
    demo.settle()
    turned = pixels(quay.canvas._images[0][0]).astype(int)
    assert np.abs(turned - first).max() > 40
    (tmp_path / "no.exr").write_bytes(b"no picture")
    part.open_picture(tmp_path / "no.exr")
    demo.settle()
    assert "no.exr" in demo.window.notice.text.text()
    assert session.kit.scene("quay").light.picture.path.endswith("red.exr")
