"""Painting in the real window: strokes on the sheet and the model by mouse and keys, what is seen of them, and undo."""

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QApplication, QWidget

from even_palette.app.cursor import Here, point_at
from even_palette.app.view_state import Hand, Panes
from even_palette.core.kit.home import find_unsaved
from even_palette.core.kit.store import AUTOSAVE_FILE, decode_kit
from even_palette.core.kit.trees import paint_tiles
from even_palette.core.mesh.kinds import ElementKind
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.regions.brush import along
from even_palette.core.regions.stroke import stroke_through
from even_palette.core.results.fill import Limit
from even_palette.core.results.footprints import surface_of
from even_palette.core.results.id_map import mask_size_of
from even_palette.core.results.looks import Look
from even_palette.core.results.masks import mask_of
from even_palette.core.results.painting import Into, ground_of
from even_palette.core.results.sheet_mesh import elements_of
from even_palette.core.results.weights import weights_of
from tests.app.conftest import Driver, pixels

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.MouseButton.NoButton


def send(widget: QWidget, kind: QEvent.Type, at: QPointF, shift: bool = False) -> None:
    moves, lifts = kind == QEvent.Type.MouseMove, kind == QEvent.Type.MouseButtonRelease
    held = Qt.KeyboardModifier.ShiftModifier if shift else Qt.KeyboardModifier.NoModifier
    place = QPointF(widget.mapToGlobal(at.toPoint()))
    QApplication.sendEvent(widget, QMouseEvent(kind, at, place, NONE if moves else LEFT, NONE if lifts else LEFT, held))


def press(widget: QWidget, points: list[QPointF], shift: bool = False) -> None:
    send(widget, QEvent.Type.MouseButtonPress, points[0], shift)
    for at in points[1:]:
        send(widget, QEvent.Type.MouseMove, at)


def stroke(driver: Driver, widget: QWidget, points: list[QPointF], shift: bool = False) -> None:
    press(widget, points, shift)
    send(widget, QEvent.Type.MouseButtonRelease, points[-1])
    driver.settle()


@pytest.fixture
def masks(demo: Driver) -> Driver:
    """The demo in Masks, with the paint of the cabin in hand."""
    demo.stage(3)
    demo.session.select(next(r.key for r in demo.session.at.sheet.regions if r.name == "Cabin"))
    demo.settle()
    demo.key(demo.stand.canvas, Qt.Key.Key_P)
    demo.settle()
    return demo


def on_sheet(driver: Driver, *uv: tuple[float, float]) -> list[QPointF]:
    return [driver.stand.canvas.position_of(at) for at in uv]


def mask_at(driver: Driver, u: float, v: float) -> float:
    at, sheets = driver.session.shown, driver.session.sheets
    assert at is not None
    mask = weights_of(at, sheets)
    height, width = mask.mask_sum.height, mask.mask_sum.width
    number = [r.key for r in at.sheet.regions].index(driver.session.region)
    return mask.at(int(v * height), int(u * width))[number]


def test_a_stroke_on_the_sheet(masks: Driver) -> None:
    """P gives the region a step of paint; a drag is one step of the history, seen while the hand is down, and is what
    the same stroke gives without a window; undo and redo bring it and take it."""
    session, canvas = masks.session, masks.stand.canvas
    assert session.history.undo_labels[0] == "Add paint"
    before = session.kit
    points = on_sheet(masks, (0.3, 0.5), (0.4, 0.55), (0.55, 0.5))
    press(canvas, points)
    QApplication.processEvents()
    seen = pixels(canvas.grab().toImage())
    at = points[1].toPoint()
    assert seen[at.y(), at.x()].min() > 240
    assert session.kit is before
    texels = [point_at(Here(masks.session.at, masks.session.sheets), canvas, point) for point in points]
    ground = ground_of(session.at, session.sheets, Into(session.region))
    brush = session.view.state.painter.brush
    wanted = stroke_through(ground.stroke(brush), along(brush, texels))  # type: ignore[arg-type]
    send(canvas, QEvent.Type.MouseButtonRelease, points[-1])
    masks.settle()
    assert session.history.undo_labels[:2] == ["Paint", "Add paint"]
    assert session.kit.region(session.region).steps[-1].paint == wanted
    assert mask_at(masks, 0.4, 0.55) > 0.98
    assert canvas._live is None
    after = session.kit
    masks.key(canvas, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    session.undo() if session.kit is after else None
    masks.settle()
    assert session.kit == before
    assert mask_at(masks, 0.4, 0.55) < 0.02
    session.redo()
    masks.settle()
    assert session.kit == after


def test_what_is_added_is_taken_from_others_unless_they_are_locked(masks: Driver) -> None:
    session = masks.session
    at = session.shown
    assert at is not None
    weights = weights_of(at, session.sheets)
    deck = next(number for number, r in enumerate(at.sheet.regions) if r.name == "Deck")
    rows, columns = np.nonzero(weights.levels[deck] == 255)
    middle = len(rows) // 2
    u, v = (columns[middle] + 0.5) / weights.mask_sum.width, (rows[middle] + 0.5) / weights.mask_sum.height
    stroke(masks, masks.stand.canvas, on_sheet(masks, (u, v), (u + 0.01, v)))
    assert mask_at(masks, u, v) > 0.98
    assert session.kit.region(at.sheet.regions[deck].key).steps[-1].kind == "paint"
    session.undo()
    own = session.region
    session.select(at.sheet.regions[deck].key)
    masks.key(masks.stand.canvas, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    masks.window.painting.toggle_lock() if not session.kit.region(session.region).locked else None
    session.select(own)
    masks.settle()
    masks.window.painting.choose_hand(Hand.PAINT)
    masks.settle()
    stroke(masks, masks.stand.canvas, on_sheet(masks, (u, v), (u + 0.01, v)))
    assert mask_at(masks, u, v) < 0.02


def test_keys_of_the_brush(masks: Driver) -> None:
    """D adds or takes away, V takes the value under the cursor, Ctrl and the wheel change the radius, Shift leads a line
    from where the last stroke ended."""
    state, canvas = masks.session.view, masks.stand.canvas
    stroke(masks, canvas, on_sheet(masks, (0.3, 0.5)))
    assert mask_at(masks, 0.3, 0.5) > 0.98
    stroke(masks, canvas, on_sheet(masks, (0.5, 0.5)), shift=True)
    assert mask_at(masks, 0.4, 0.5) > 0.98
    masks.key(canvas, Qt.Key.Key_D)
    assert state.state.painter.value == 0
    stroke(masks, canvas, on_sheet(masks, (0.4, 0.5)))
    assert mask_at(masks, 0.4, 0.5) < 0.02
    assert masks.session.history.undo_labels[0] == "Take away"
    send(canvas, QEvent.Type.MouseMove, on_sheet(masks, (0.3, 0.5))[0])
    masks.key(canvas, Qt.Key.Key_V)
    assert state.state.painter.value == pytest.approx(1, abs=0.01)
    radius = state.state.painter.brush.radius
    at = on_sheet(masks, (0.4, 0.4))[0]
    wheel = QWheelEvent(
        at, QPointF(canvas.mapToGlobal(at.toPoint())), QPoint(0, 0), QPoint(0, 120), NONE,
        Qt.KeyboardModifier.ControlModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    zoom = canvas.camera.zoom
    QApplication.sendEvent(canvas, wheel)
    assert state.state.painter.brush.radius > radius * 1.1
    assert canvas.camera.zoom == zoom
    editor = masks.tray.panel("Masks").steps.editors["brush"]
    assert editor.radius.field.value() == pytest.approx(state.state.painter.brush.radius, abs=0.1)  # type: ignore[attr-defined]


def test_a_stroke_on_the_model(masks: Driver) -> None:
    """A drag over the model paints on what is under it, seen while the hand is down; elsewhere a drag turns the view."""
    masks.stand.choose_panes(Panes.BOTH)
    masks.stand.set_look(Look("weight", region=masks.session.region))
    masks.settle()
    masks.window.painting.follow()
    masks.settle()
    view = masks.stand.model.canvas
    ids = view.face_ids()
    rows, columns = np.nonzero(ids >= 0)
    number = np.argsort(np.hypot(rows - np.median(rows), columns - np.median(columns)))[0]
    field = view.field(0)
    start = QPointF(float(columns[number] + field.x()), float(rows[number] + field.y())) / view.ratio()
    before = masks.session.kit
    press(view, [start, start + QPointF(6, 2), start + QPointF(14, 4)])
    QApplication.processEvents()
    seen = pixels(view.grab().toImage())[start.toPoint().y() + 2, start.toPoint().x() + 6]
    assert seen.min() > 150
    assert masks.session.kit is before
    send(view, QEvent.Type.MouseButtonRelease, start + QPointF(14, 4))
    masks.settle()
    assert masks.session.history.undo_labels[0] == "Paint"
    shown = pixels(view.grab().toImage())[start.toPoint().y() + 2, start.toPoint().x() + 6]
    assert shown.min() > 150
    for fields, label in (({"stamp": "speckle"}, "Paint"), ({"stamp": "", "hand": Hand.SMEAR}, "Smear mask")):
        masks.session.view.change_painter(**fields)
        masks.settle()
        kit = masks.session.kit
        press(view, [start, start + QPointF(9, 5), start + QPointF(20, 12)])
        send(view, QEvent.Type.MouseButtonRelease, start + QPointF(20, 12))
        masks.settle()
        assert masks.session.history.undo_labels[0] == label
        assert masks.session.kit is not kit
    yaw = view.orbit.yaw
    press(view, [QPointF(4, 4), QPointF(30, 4)])
    send(view, QEvent.Type.MouseButtonRelease, QPointF(30, 4))
    assert view.orbit.yaw != yaw


@pytest.mark.parametrize("limit", [Limit.ISLAND, Limit.SHELL, Limit.FACE, Limit.REGION])
def test_fill_and_limits(masks: Driver, limit: Limit) -> None:
    """Fill paints the island, shell, face or region under the cursor, wholly, and nothing beside it."""
    session = masks.session
    session.view.change_painter(hand=Hand.FILL, limit=limit, takes=False)
    masks.settle()
    at, sheets = session.at, session.sheets
    size = mask_size_of(at, sheets)
    work: list[object] = []
    session.jobs.run("test", lambda p, c: surface_of(at, sheets, *size), work.append, print)
    masks.settle()
    surface = work[0]
    kinds = {Limit.ISLAND: ElementKind.ISLAND, Limit.SHELL: ElementKind.SHELL, Limit.FACE: ElementKind.FACE}
    rows, columns = np.nonzero(surface.face >= 0)  # type: ignore[attr-defined]
    seen = weights_of(session.shown, session.sheets)  # type: ignore[arg-type]
    deck = [r.name for r in at.sheet.regions].index("Deck")
    inside = seen.levels[deck][rows, columns] == 255
    pick = np.flatnonzero(inside)[inside.sum() // 2]
    row, column = int(rows[pick]), int(columns[pick])
    face = int(surface.face[row, column])  # type: ignore[attr-defined]
    stroke(masks, masks.stand.canvas, on_sheet(masks, ((column + 0.5) / size[0], (row + 0.5) / size[1])))
    masks.settle()
    paint = session.kit.region(session.region).steps[-1].paint
    assert paint is not None, masks.window.notice.text.text()
    filled = paint.samples()[..., 1] > 0
    if limit == Limit.REGION:
        wanted = mask_of(session.shown, session.sheets, at.sheet.regions[deck].key).samples[..., 0] > 32767  # type: ignore[arg-type]
    else:
        elements: list[object] = []
        session.jobs.run("test", lambda p, c: elements_of(at, sheets, kinds[limit]), elements.append, print)
        masks.settle()
        labels = elements[0].labels  # type: ignore[attr-defined]
        wanted = (labels[surface.face] == labels[face]) & (surface.face >= 0)  # type: ignore[attr-defined]
    assert filled.any()
    assert np.array_equal(filled, wanted)


def test_a_stroke_is_kept_at_once(masks: Driver) -> None:
    """After each stroke the autosave has it, so a kill loses the stroke in hand alone."""
    for number in range(3):
        stroke(masks, masks.stand.canvas, on_sheet(masks, (0.3 + number * 0.1, 0.5)))
        scratch = masks.session.document.home._scratch
        assert scratch is not None
        kept = decode_kit((scratch.folder / AUTOSAVE_FILE).read_bytes(), scratch.folder)
        assert kept == masks.session.kit
        for tile in paint_tiles(masks.session.kit):
            assert (scratch.folder / "blobs" / f"{tile.name}.paint").stat().st_size > 0
    assert find_unsaved() is None  # this window has it


def test_strokes_need_one_picture_and_a_step_of_paint(masks: Driver) -> None:
    """With a wipe the stand says what to do; outside of Masks a drag pans and clicks as ever."""
    masks.click(masks.stand.foot.wipe_button)
    masks.settle()
    before = masks.session.kit
    stroke(masks, masks.stand.canvas, on_sheet(masks, (0.3, 0.5), (0.32, 0.5)))
    assert masks.session.kit is before
    assert "one picture" in masks.window.notice.text.text()
    masks.click(masks.stand.foot.wipe_button)
    masks.stage(5)
    masks.settle()
    stroke(masks, masks.stand.canvas, on_sheet(masks, (0.3, 0.5), (0.32, 0.5)))
    assert masks.session.kit is before


def test_steps_are_ordered_by_drag(masks: Driver) -> None:
    """A step that is dropped elsewhere in the list acts there; undo puts it back."""
    from PyQt6.QtCore import QModelIndex

    session, steps = masks.session, masks.tray.panel("Masks").steps
    for kind in ("feather", "invert"):
        steps.add(kind)
    masks.settle()
    kinds = lambda: [step.kind for step in session.kit.region(session.region).steps]  # noqa: E731
    assert kinds() == ["paint", "feather", "invert"]
    model = steps.list.model()
    assert model is not None
    model.moveRows(QModelIndex(), 0, 1, QModelIndex(), 3)
    masks.settle()
    assert kinds() == ["feather", "invert", "paint"]
    assert [steps.list.item(i).text().split("  ")[0] for i in range(3)] == ["Feather", "Invert", "Paint"]  # type: ignore[union-attr]
    model.moveRows(QModelIndex(), 2, 1, QModelIndex(), 0)
    masks.settle()
    assert kinds() == ["paint", "feather", "invert"]
    session.undo(2)
    assert kinds() == ["paint", "feather", "invert"]


def test_a_step_takes_another_regions_mask(masks: Driver) -> None:
    """The region is chosen in the tray; a circle is refused with a sentence and changes nothing."""
    session, steps = masks.session, masks.tray.panel("Masks").steps
    steps.add("region_mask")
    masks.settle()
    masks.choose(steps.editors["region"], "Deck")
    masks.settle()
    deck = next(r.key for r in session.at.sheet.regions if r.name == "Deck")
    cabin = session.region
    assert session.kit.region(cabin).steps[-1].region == deck
    session.select(deck)
    masks.settle()
    steps.add("region_mask")
    masks.settle()
    before = session.kit
    masks.choose(steps.editors["region"], "Cabin")
    assert session.kit is before
    assert "circle" in masks.window.notice.text.text()


def test_a_stroke_is_dropped_when_the_kit_changes_under_it(masks: Driver) -> None:
    """Undo while the brush is down: the stroke would lie on what is gone; it is dropped, told, and nothing breaks."""
    session, canvas = masks.session, masks.stand.canvas
    stroke(masks, canvas, on_sheet(masks, (0.3, 0.5)))
    before = session.kit
    press(canvas, on_sheet(masks, (0.4, 0.5), (0.45, 0.5)))
    session.undo()
    send(canvas, QEvent.Type.MouseButtonRelease, on_sheet(masks, (0.45, 0.5))[0])
    masks.settle()
    assert "dropped" in masks.window.notice.text.text()
    session.redo()
    masks.settle()
    assert session.kit == before


def test_a_stamp_of_ones_own(masks: Driver, tmp_path: Path) -> None:
    """An image file as the tip, read by a worker; one that cannot be read is told, and paints nothing."""
    disc = np.zeros((40, 40, 3), dtype=np.uint8)
    disc[10:30, 10:30] = 255
    write_plane(tmp_path / "square.png", Plane(disc, Encoding.DATA))
    canvas, view = masks.stand.canvas, masks.session.view
    view.change_painter(stamp=str(tmp_path / "square.png"), radius=40.0)
    masks.settle()
    stroke(masks, canvas, on_sheet(masks, (0.3, 0.5)))
    assert mask_at(masks, 0.3, 0.5) > 0.98
    assert mask_at(masks, 0.3 + 30 / 1024, 0.5) < 0.02  # the square's half side is 20 texels
    before = masks.session.kit
    view.change_painter(stamp=str(tmp_path / "gone.png"))
    masks.settle()
    stroke(masks, canvas, on_sheet(masks, (0.4, 0.5)))
    assert masks.session.kit is before
    assert "gone.png" in masks.window.notice.text.text()
