"""The model pane and the Regions stage with a mesh, in the real window by clicks, drags and keys."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import pyvista.examples
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QApplication, QCheckBox, QComboBox, QPushButton, QWidget

from even_palette.app.view_state import Panes, Tool
from even_palette.core.errors import UserError
from even_palette.core.mesh.files import read_mesh, write_mesh
from even_palette.core.mesh.kinds import ElementKind
from even_palette.core.mesh.view import Orbit
from even_palette.core.raster.files import read_plane
from even_palette.core.raster.plane import Encoding
from even_palette.core.results.bakes import bake_of, known_bake, known_bake_plane
from even_palette.core.results.footprints import footprint_of
from even_palette.core.results.looks import Look
from even_palette.core.results.sheet_mesh import elements_of, regions_of_faces
from even_palette.core.results.weights import weights_of
from even_palette.gl.buffers import Flying
from tests.app.conftest import Driver
from tests.mesh.conftest import quads

NONE, SHIFT, CONTROL = (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier,
                        Qt.KeyboardModifier.ControlModifier)  # fmt: skip


def mouse(
    widget: QWidget,
    *points: QPoint,
    button: Qt.MouseButton = Qt.MouseButton.LeftButton,
    held: Qt.KeyboardModifier = NONE,
) -> None:
    """Press at the first point, drag over the others, and release at the last."""
    steps = [(QEvent.Type.MouseButtonPress, points[0], button, button)]
    steps += [(QEvent.Type.MouseMove, at, Qt.MouseButton.NoButton, button) for at in points[1:]]
    steps += [(QEvent.Type.MouseButtonRelease, points[-1], button, Qt.MouseButton.NoButton)]
    for kind, at, which, down in steps:
        spot = QPointF(at)
        QApplication.sendEvent(widget, QMouseEvent(kind, spot, QPointF(widget.mapToGlobal(at)), which, down, held))


def hover(widget: QWidget, at: QPoint) -> None:
    none = Qt.MouseButton.NoButton
    spot, place = QPointF(at), QPointF(widget.mapToGlobal(at))
    QApplication.sendEvent(widget, QMouseEvent(QEvent.Type.MouseMove, spot, place, none, none, NONE))


@pytest.fixture
def regions(demo: Driver) -> Driver:
    """The demo's tug in both panes, in Regions."""
    demo.stage(2)
    demo.settle()
    assert demo.stand.panes == Panes.BOTH
    return demo


def seen_face(driver: Driver, region: str) -> tuple[int, QPoint]:
    """A face of a region that is well inside what the model pane shows, and where."""
    at = driver.session.shown
    assert at is not None
    labels = regions_of_faces(at, driver.session.sheets)
    wanted = [r.key for r in at.sheet.regions].index(region)
    canvas = driver.stand.model.canvas
    ids = canvas.face_ids()
    own = (ids >= 0) & (labels[np.maximum(ids, 0)] == wanted)
    inside = own.copy()
    for _ in range(3):
        inside[1:-1, 1:-1] &= inside[:-2, 1:-1] & inside[2:, 1:-1] & inside[1:-1, :-2] & inside[1:-1, 2:]
    rows, columns = np.nonzero(inside)
    assert len(rows), region
    at = len(rows) // 2
    return int(ids[rows[at], columns[at]]), QPoint(int(columns[at]), int(rows[at]))


def test_clicks_choose_elements_in_both_panes(regions: Driver) -> None:
    choice, canvas = regions.window.choice, regions.stand.model.canvas
    face, at = seen_face(regions, "funnel")
    mouse(canvas, at)
    shells = elements_of(regions.session.at, regions.session.sheets, ElementKind.SHELL)
    assert np.array_equal(choice.faces, shells.labels == shells.labels[face])
    assert "1 of" in regions.tray.panel("Regions").elements.chosen_label.text()
    mouse(canvas, seen_face(regions, "cabin")[1], held=SHIFT)
    assert len(np.unique(shells.labels[choice.faces])) == 2
    mouse(canvas, at, held=SHIFT)  # the same again takes it away
    assert not choice.faces[face]
    regions.click_sheet(0.4, 0.45)  # a deck plank on the sheet
    labels = regions_of_faces(regions.session.at, regions.session.sheets)
    keys = {regions.session.kit.sheets[0].regions[n].key for n in labels[choice.faces]}
    assert keys == {"deck"}
    mouse(canvas, QPoint(3, 3))  # beside the model: nothing
    assert not choice.faces.any()


def test_hovering_outlines_in_both_panes(regions: Driver) -> None:
    canvas, sheet = regions.stand.model.canvas, regions.stand.canvas
    _, at = seen_face(regions, "funnel")
    hover(canvas, at)
    assert regions.window.choice.hovered >= 0
    assert canvas._overlay is not None
    assert sheet._overlay is not None
    hover(canvas, QPoint(2, 2))
    assert canvas._overlay is None
    hover(sheet, sheet.position_of((0.15, 0.65)).toPoint())
    assert canvas._overlay is not None


def test_box_and_lasso(regions: Driver) -> None:
    elements, choice, sheet = regions.tray.panel("Regions").elements, regions.window.choice, regions.stand.canvas
    kit = regions.session.kit
    labels = regions_of_faces(kit.at(), regions.session.sheets)
    fenders = [r.key for r in kit.sheets[0].regions].index("fenders")
    regions.click(elements.tools[Tool.BOX])
    corners = [sheet.position_of(uv).toPoint() for uv in ((0.01, 0.785), (0.99, 0.945))]
    mouse(sheet, corners[0], QPoint(corners[0].x() + 20, corners[0].y() + 5), corners[1])
    assert set(labels[choice.faces]) == {fenders}
    assert choice.faces.sum() == (labels == fenders).sum()
    regions.click(elements.tools[Tool.LASSO])
    ring = [sheet.position_of(uv).toPoint() for uv in ((0.02, 0.58), (0.3, 0.58), (0.3, 0.69), (0.02, 0.69))]
    mouse(sheet, *ring)
    funnel = [r.key for r in kit.sheets[0].regions].index("funnel")
    assert set(labels[choice.faces]) == {funnel}
    canvas = regions.stand.model.canvas
    size = canvas.field(0)
    mouse(canvas, QPoint(0, 0), QPoint(size.width(), 0), QPoint(size.width(), size.height()), QPoint(0, size.height()))
    ids = canvas.face_ids()
    assert choice.faces[np.unique(ids[ids >= 0])].all()


def test_tools_on_what_is_chosen(regions: Driver) -> None:
    choice, elements = regions.window.choice, regions.tray.panel("Regions").elements
    regions.choose(elements.kind, "Faces")
    regions.settle()
    face, at = seen_face(regions, "funnel")
    mouse(regions.stand.model.canvas, at)
    assert np.flatnonzero(choice.faces).tolist() == [face]
    buttons = {b.accessibleName(): b for b in elements.findChildren(QWidget) if b.accessibleName()}
    regions.click(buttons["Grow"])
    regions.settle()
    grown = int(choice.faces.sum())
    assert grown > 5
    regions.click(buttons["Shrink"])
    regions.settle()
    assert choice.faces.sum() == 1
    regions.click(buttons["Invert"])
    assert choice.faces.sum() == len(choice.faces) - 1
    regions.click(buttons["Choose nothing"])
    assert not choice.faces.any()
    mouse(regions.stand.model.canvas, at)
    elements.similar.menu().actions()[0].trigger()  # same slot
    regions.settle()
    mesh = choice.mesh
    assert mesh is not None
    assert set(mesh.mesh.face_slot[choice.faces]) == {mesh.mesh.face_slot[face]}
    elements.list.clearSelection()
    elements.list.item(2).setSelected(True)
    assert choice.faces.sum() == 1


def test_assign_undo_and_weights_follow(regions: Driver) -> None:
    session, elements = regions.session, regions.tray.panel("Regions").elements
    face, at = seen_face(regions, "funnel")
    session.select("lamp")
    mouse(regions.stand.model.canvas, at)
    assert elements.assign_button.text() == "Give to Lamp"
    regions.click(elements.assign_button)
    regions.settle()
    shown = session.shown
    assert shown is not None
    at_lamp = [r.key for r in shown.sheet.regions].index("lamp")
    assert regions_of_faces(shown, session.sheets)[face] == at_lamp
    assert weights_of(shown, session.sheets).levels[at_lamp][650, 160] == 255  # the funnel's place on the sheet
    session.undo()
    regions.settle()
    assert weights_of(session.kit.at(), session.sheets).levels[at_lamp][650, 160] == 0


def test_padding_of_regions(regions: Driver) -> None:
    """Typed in the tray: without padding fewer texels are covered, by as much as the footprint tells."""
    session, padding = regions.session, regions.tray.panel("Regions").elements.padding.texels
    before = weights_of(session.kit.at(), session.sheets).coverage.covered
    padding.setValue(0)
    regions.settle()
    assert session.kit.sheets[0].padding == 0
    seen = footprint_of(session.kit.at(), session.sheets, 1024, 1024)
    assert seen is not None
    covered = weights_of(session.kit.at(), session.sheets).coverage.covered
    assert covered == pytest.approx(float(seen.covered.mean()))
    assert covered < before - 0.1
    regions.click(regions.tray.panel("Regions").elements.padding.maps)
    assert session.kit.sheets[0].pad_maps


def test_scatter_split_by_buttons(regions: Driver) -> None:
    elements, session = regions.tray.panel("Regions").elements, regions.session
    labels = regions_of_faces(session.kit.at(), session.sheets)
    regions.window.choice.choose(np.isin(labels, (0, 1, 2)))
    regions.click(elements.scatter.head)
    for key, share in (("hull", "50"), ("hull_weathered", "30"), ("hull_patched", "20")):
        elements.shares[key].setValue(float(share))
    before = session.kit
    regions.click(elements.scatter_button)
    regions.settle()
    assert "Hull" in elements.outcome.text()
    first = regions_of_faces(session.kit.at(), session.sheets)
    assert not np.array_equal(first, labels)
    regions.click(elements.roll_button)
    regions.settle()
    assert elements.seed.value() == 2
    assert not np.array_equal(regions_of_faces(session.kit.at(), session.sheets), first)
    assert session.history.undo_labels[:2] == ["Scatter split, seed 2", "Scatter split, seed 1"]
    session.undo(2)
    assert session.kit == before


def test_boxes_by_buttons_and_by_drag(regions: Driver) -> None:
    elements, session = regions.tray.panel("Regions").elements, regions.session
    session.select("lamp")
    regions.click(elements.box_buttons[1])
    assert session.kit.region("lamp").boxes[0].left == 0.5
    elements._draw_box()
    sheet = regions.stand.canvas
    ends = [sheet.position_of(uv).toPoint() for uv in ((0.2, 0.3), (0.4, 0.6))]
    mouse(sheet, ends[0], QPoint(ends[0].x() + 9, ends[0].y() + 9), ends[1])
    box = session.kit.region("lamp").boxes[1]
    assert np.allclose((box.left, box.top, box.right, box.bottom), (0.2, 0.3, 0.4, 0.6), atol=0.01)
    assert not regions.window.choice.faces.any()


def test_camera_of_the_model(regions: Driver) -> None:
    canvas = regions.stand.model.canvas
    before = canvas.orbit
    mouse(canvas, QPoint(100, 100), QPoint(160, 130))
    assert (canvas.orbit.yaw, canvas.orbit.pitch) != (before.yaw, before.pitch)
    assert canvas.orbit.target == before.target
    mouse(canvas, QPoint(100, 100), QPoint(160, 130), button=Qt.MouseButton.MiddleButton)
    assert canvas.orbit.target != before.target
    canvas.frame()
    at = QPointF(150, 120)
    wheel = QWheelEvent(at, QPointF(canvas.mapToGlobal(at.toPoint())), QPoint(), QPoint(0, 240),
                        Qt.MouseButton.NoButton, NONE, Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
    far = canvas.orbit.distance
    QApplication.sendEvent(canvas, wheel)
    assert canvas.orbit.distance == pytest.approx(far / 1.44)
    regions.key(canvas, Qt.Key.Key_Left)
    regions.key(canvas, Qt.Key.Key_Minus)
    assert canvas.orbit.distance == pytest.approx(far / 1.2)


def test_zoom_keeps_the_point_under_the_cursor() -> None:
    """At the target's depth; a projection by the matrix against the closed form."""
    orbit = Orbit().framed(np.float32([(-1, -1, -1), (1, 1, 1)]), 1.5)
    right, up, _ = orbit.axes()
    point = np.float32([right * 0.3 + up * 0.2])
    before, _ = orbit.to_pixels(point, 600, 400)
    after, _ = orbit.zoomed(1.7, float(before[0, 0]), float(before[0, 1]), 600, 400).to_pixels(point, 600, 400)
    assert np.allclose(before, after, atol=1e-3)


def test_flat_look_shows_the_exact_colours_of_the_sheet(make_window: Callable[[], Driver], tmp_path: Path) -> None:
    """Each of nine tiles in its ID colour: the pixels in its middle are that colour exactly; lit they are not."""
    mesh = quads([(0.05 + 0.3 * x, 0.05 + 0.3 * y, 0.30 + 0.3 * x, 0.30 + 0.3 * y) for y in range(3) for x in range(3)])
    write_mesh(tmp_path / "tiles.glb", mesh, np.zeros((18, 3), np.uint8))
    driver = make_window()
    driver.window.open_paths([tmp_path / "tiles.glb"])
    driver.settle()
    driver.stage(2)
    driver.settle()
    driver.click(driver.tray.panel("Regions").elements.divide_button)
    driver.settle()
    assert len(driver.session.kit.sheets[0].regions) == 9
    canvas = driver.stand.model.canvas
    image = canvas.grab().toImage()
    ids = canvas.face_ids()
    for number, region in enumerate(driver.session.kit.sheets[0].regions):
        middle = mesh.corners()[2 * number : 2 * number + 2].reshape(-1, 3).mean(axis=0)
        at = canvas.position_of(middle).toPoint()
        assert ids[at.y(), at.x()] // 2 == number
        colour = image.pixelColor(at)
        assert (colour.red(), colour.green(), colour.blue()) == region.id_colour


def test_wipe_spread_and_variants_work_on_the_model(demo: Driver) -> None:
    stand = demo.stand
    stand.choose_panes(Panes.MODEL)
    stand.set_look(Look(variant="morning_ferry"))
    stand.set_other(Look(variant="night_post"))
    demo.settle()
    canvas = stand.model.canvas
    assert canvas.tiles[0].other is not None
    first, second = canvas.grab().toImage(), None
    mouse(canvas, QPoint(round(canvas.width() * 0.5), 50), QPoint(round(canvas.width() * 0.8), 60))
    assert canvas.wipe == pytest.approx(0.8, abs=0.02)
    second = canvas.grab().toImage()
    assert first != second
    stand.set_spread(True)
    demo.settle()
    assert [tile.label for tile in canvas.tiles] == [
        "Master",
        "Morning Ferry",
        "Night Post",
        "Harvest Barge",
        "Ice Patrol",
    ]
    field = canvas.field(3)
    mouse(canvas, QPoint(field.center()))
    assert demo.session.variant == "harvest_barge"


def test_nobody_waits_for_what_the_driver_draws(demo: Driver, monkeypatch: pytest.MonkeyPatch) -> None:
    """The picture before is seen meanwhile; a view in motion shows what was drawn, then what it came to."""
    demo.stand.choose_panes(Panes.MODEL)
    demo.settle()
    canvas, done = demo.stand.model.canvas, Flying.done
    before, held = canvas.grab().toImage(), [True]
    monkeypatch.setattr(Flying, "done", lambda self, wait_s=0.0: not held[0] and done(self, wait_s))
    monkeypatch.setattr(
        Flying, "land", lambda self, land=Flying.land: land(self) if not held[0] else pytest.fail("waits")
    )
    mouse(canvas, QPoint(100, 100), QPoint(130, 100))
    assert canvas.grab().toImage() == before
    assert canvas.pending
    mouse(canvas, QPoint(130, 100), QPoint(200, 110))
    assert canvas.grab().toImage() == before
    held[0] = False
    demo.qtbot.waitUntil(lambda: canvas.grab().toImage() != before and not canvas._refine.isActive())
    demo.settle()
    after = canvas.grab().toImage()
    canvas.invalidate()
    demo.settle()
    assert canvas.grab().toImage() == after


def test_variants_beside_each_other_are_seen_from_one_side(demo: Driver, monkeypatch: pytest.MonkeyPatch) -> None:
    """Also while the view is turned, and each takes the driver its time: five of a kind in a row."""
    demo.stage(6)
    demo.stand.choose_panes(Panes.MODEL)
    demo.settle()
    canvas, renderer, seen = demo.stand.model.canvas, demo.window.renderer, []
    draw = renderer.render_model

    def drawn(skins: object, orbit: Orbit, width: int, height: int, *how: object) -> Flying:
        if (width, height) == (canvas.field(0).width(), canvas.field(0).height()):
            seen.append(orbit)
        return draw(skins, orbit, width, height, *how)  # type: ignore[arg-type]

    monkeypatch.setattr(renderer, "render_model", drawn)
    while len(set(seen)) < 4:
        canvas._turn(7, 2)
        QApplication.processEvents()
    demo.qtbot.waitUntil(lambda: not canvas._refine.isActive())
    demo.settle()
    assert len(canvas.tiles) == 5
    assert all(len(set(seen[first : first + 5])) == 1 for first in range(0, len(seen), 5))
    assert len(seen) % 5 == 0


def test_lit_and_the_light_turned_by_drag(demo: Driver) -> None:
    stand = demo.stand
    stand.choose_panes(Panes.MODEL)
    demo.settle()
    canvas = stand.model.canvas
    flat = canvas.grab().toImage()
    demo.click(stand.model.lit_button)
    demo.settle()
    lit = canvas.grab().toImage()
    assert lit != flat
    mouse(canvas, QPoint(100, 100), QPoint(260, 160), held=CONTROL)
    demo.qtbot.waitUntil(lambda: canvas.grab().toImage() != lit)
    stand.set_look(Look("weight", region="hull"))
    demo.settle()
    weight = canvas.grab().toImage()
    demo.click(stand.model.lit_button)
    assert canvas.grab().toImage() == weight  # numbers are never shaded


def test_bakes_tab(regions: Driver, tmp_path: Path) -> None:
    """Add, set, look at, write; the bake follows an assignment; a cancelled one changes nothing."""
    tab, session = regions.tray.panel("Regions").bakes, regions.session
    regions.click(regions.tray.panel("Regions").tabs.button(2))
    regions.choose(tab.kind, "Height gradient")
    regions.click(tab.add)
    regions.settle()
    assert session.kit.sheets[0].bakes[-1].kind == "height"
    key = session.kit.sheets[0].bakes[-1].key
    assert regions.stand.look == Look("bake", bake=key)
    regions.choose(tab.size_box, "256")
    tab.padding.setValue(4)
    regions.settle()
    assert "2 mip levels" in tab.lasting.text()
    tab.write_to(tmp_path / "height.png")
    regions.settle()
    plane = read_plane(tmp_path / "height.png", Encoding.DATA)
    assert (plane.width, plane.samples.dtype) == (256, np.uint16)
    made, _ = bake_of(session.kit.at(), session.sheets, session.kit.sheets[0].bake(key))
    assert np.array_equal(plane.samples, made.samples)
    tab.list.setCurrentRow(0)  # ID colours
    regions.settle()
    before = known_bake_plane(session.kit.at(), session.sheets, session.kit.sheets[0].bake("id_colours"))
    assert before is not None
    regions.window.choice.choose(np.ones_like(regions.window.choice.faces))
    regions.click(regions.tray.panel("Regions").tabs.button(0))
    regions.click(regions.tray.panel("Regions").elements.assign_button)
    regions.settle()
    after = known_bake_plane(session.kit.at(), session.sheets, session.kit.sheets[0].bake("id_colours"))
    assert after is not None
    assert len(np.unique(after.samples.reshape(-1, 3), axis=0)) <= 2


def test_cancelling_a_bake(regions: Driver) -> None:
    tab, session = regions.tray.panel("Regions").bakes, regions.session
    regions.click(regions.tray.panel("Regions").tabs.button(2))
    regions.choose(tab.kind, "Thickness")
    regions.click(tab.add)
    tab._set("rays", 4096.0)
    cancel = regions.window.readout.cancel
    regions.qtbot.waitUntil(lambda: session.shown is session.at and cancel.isVisible(), timeout=60_000)
    regions.click(cancel)
    regions.settle()
    assert known_bake(session.kit.at(), session.sheets, session.kit.sheets[0].bake("thickness")) is None
    assert session.kit.sheets[0].bake("thickness").values["rays"] == 4096


def test_real_mesh_without_uvs(empty: Driver) -> None:
    """PyVista's nut: it has no UVs, which is told; unwrapped in Source it is divided and shown."""
    path = Path(pyvista.examples.__file__).parent / "nut.ply"
    empty.window.open_paths([path])
    empty.settle()
    assert "no UVs" in empty.window.notice.text.text()
    card = empty.tray.panel("Source")
    unwrap = next(b for b in card.findChildren(QWidget) if getattr(b, "text", str)().startswith("Unwrap"))
    empty.click(unwrap)
    empty.settle()
    empty.qtbot.waitUntil(lambda: empty.window.choice.mesh is not None, timeout=60_000)
    empty.stage(2)
    empty.settle()
    assert empty.window.choice.mesh is not None
    assert empty.window.choice.mesh.mesh.face_count == read_mesh(path).face_count
    empty.click(empty.tray.panel("Regions").elements.divide_button)
    empty.settle()
    assert empty.session.kit.sheets[0].regions


def test_mesh_that_changes_on_disk_is_read_again(make_window: Callable[[], Driver], tmp_path: Path) -> None:
    write_mesh(tmp_path / "box.glb", quads([(0.1, 0.1, 0.4, 0.4)]), np.zeros((2, 3), np.uint8))
    driver = make_window()
    driver.window.open_paths([tmp_path / "box.glb"])
    driver.settle()
    write_mesh(tmp_path / "box.glb", quads([(0.1, 0.1, 0.4, 0.4), (0.5, 0.5, 0.9, 0.9)]), np.zeros((4, 3), np.uint8))
    driver.qtbot.waitUntil(
        lambda: driver.window.choice.mesh is not None and driver.window.choice.mesh.mesh.face_count == 4, timeout=20_000
    )
    (tmp_path / "box.glb").write_bytes(b"glTF, but no more")
    driver.qtbot.waitUntil(lambda: "box.glb" in driver.window.notice.text.text(), timeout=20_000)
    assert driver.session.kit.meshes


def test_bad_mesh_is_told_and_costs_nothing(small: Driver, tmp_path: Path) -> None:
    (tmp_path / "bad.obj").write_text("v 0 0 0\nf 1 2 3\n")
    before = small.session.kit
    small.window.open_paths([tmp_path / "bad.obj"])
    small.settle()
    assert "points to vertex 3; there are 1" in small.window.notice.text.text()
    assert small.session.kit == before


def test_sheets_by_the_box_in_the_foot(demo: Driver) -> None:
    """Another sheet comes to the front; that is no change of the kit, and undo goes back to where a change was made."""
    session = demo.session
    assert not session.modified
    demo.choose(demo.window.sheet_box.box, "Reed clump")
    demo.settle()
    assert session.at.key == "reed_clump"
    assert not session.modified
    demo.stage(2)
    demo.settle()
    demo.click(demo.tray.panel("Regions").add)
    demo.choose(demo.window.sheet_box.box, "Oar and crate")
    demo.settle()
    assert demo.tray.panel("Regions").tab == "ID map"
    session.undo()
    demo.settle()
    assert session.at.key == "reed_clump"


def test_without_opengl_the_model_pane_says_what_to_install(demo: Driver, monkeypatch: pytest.MonkeyPatch) -> None:
    def refuse() -> None:
        raise UserError("OpenGL 3.3 is not available. Install it with: apt-get install libegl1")

    demo.stand.renderer._models = None
    monkeypatch.setattr("even_palette.gl.context.offscreen_context", refuse)
    demo.stand.choose_panes(Panes.MODEL)
    assert "apt-get install" in demo.stand.model.canvas.message


def test_ids_from_another_mesh_by_clicks(make_window: Callable[[], Driver], tmp_path: Path) -> None:
    """Open both meshes, call one a reference, take its slots: two regions, and the missing third is counted."""
    grid = [(0.05 + 0.3 * x, 0.05 + 0.3 * y, 0.30 + 0.3 * x, 0.30 + 0.3 * y) for y in range(3) for x in range(3)]
    write_mesh(tmp_path / "tiles.glb", quads(grid), np.zeros((18, 3), np.uint8))
    other = replace(quads(grid[:6]), slots=("wood", "iron"), face_slot=(np.arange(12) // 6).astype(np.int32))
    write_mesh(tmp_path / "other.glb", other, np.zeros((12, 3), np.uint8))
    driver = make_window()
    for name in ("tiles.glb", "other.glb"):
        driver.window.open_paths([tmp_path / name])
        driver.settle()
    driver.stage(1)
    boxes = [
        w for w in driver.tray.panel("Source").findChildren(QCheckBox) if "reference" in w.text() and w.isVisible()
    ]
    boxes[-1].click()
    driver.settle()
    assert [mesh.reference for mesh in driver.session.kit.meshes] == [False, True]
    driver.stage(2)
    driver.click(driver.tray.panel("Regions").tabs.button(1))
    driver.tray.panel("Regions").ids.take_button.click()
    driver.settle()
    assert [region.name for region in driver.session.kit.sheets[0].regions] == ["wood", "iron"]
    driver.tray.panel("Regions").refresh()
    assert "found nothing (33." in driver.tray.panel("Regions").ids.taken.text()


def test_slots_and_units_in_source(make_window: Callable[[], Driver], tmp_path: Path) -> None:
    """A slot laid on a second sheet, merged back by the button, and the mesh written with ID colours."""
    two = replace(quads([(0.1, 0.1, 0.4, 0.4), (0.5, 0.5, 0.9, 0.9)]), slots=("wood", "iron"),
                  face_slot=np.int32([0, 0, 1, 1]))  # fmt: skip
    write_mesh(tmp_path / "two.glb", two, np.zeros((4, 3), np.uint8))
    driver = make_window()
    driver.window.open_paths([tmp_path / "two.glb"])
    driver.settle()
    source, session = driver.tray.panel("Source"), driver.session
    driver.stage(1)
    driver.click(source.add_sheet)
    session.show_sheet("sheet_1")
    driver.settle()
    by_name = {w.accessibleName(): w for w in source.findChildren(QComboBox)}
    driver.choose(by_name["Sheet of slot iron"], session.kit.sheets[1].name)
    driver.settle()
    assert driver.window.choice.mesh is not None
    assert driver.window.choice.mesh.mesh.face_count == 2
    merge = next(w for w in source.findChildren(QPushButton) if w.text().startswith("Merge slots"))
    merge.click()
    driver.settle()
    assert driver.window.choice.mesh.mesh.face_count == 4
    by_name = {w.accessibleName(): w for w in source.findChildren(QComboBox)}
    driver.choose(by_name["Unit of two"], "Centimetres")
    driver.settle()
    assert float(np.ptp(driver.window.choice.mesh.mesh.points[:, 0])) == pytest.approx(0.008)
    source.write_mesh_to(session.kit.meshes[0], tmp_path / "out.ply")
    driver.settle()
    assert read_mesh(tmp_path / "out.ply").face_count == 4
