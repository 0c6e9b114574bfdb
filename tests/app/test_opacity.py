"""What shines through, in the window: opened, seen over what lies behind, drawn in another way; masks that are asked for."""

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QCheckBox, QPushButton

from even_palette.app.view_state import Panes
from even_palette.core.kit import commands
from even_palette.core.material.drawn import Drawing, Way
from even_palette.core.material.variants import MASTER
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.behind import Behind
from even_palette.core.results.looks import Look
from even_palette.player.load import load
from even_palette.player.reference import play_reference
from tests.app.conftest import Driver, pixels

SIDE, ALPHA = 64, QImage.Format.Format_Alpha8


def open_map(driver: Driver, path: Path, samples: np.ndarray, encoding: Encoding) -> None:
    write_plane(path, Plane(samples, encoding))
    count = len(driver.session.at.sheet.sources)
    driver.stage(1)
    driver.window.open_paths([path])
    driver.qtbot.waitUntil(lambda: len(driver.session.at.sheet.sources) == count + 1, timeout=20_000)
    driver.settle()


def button(driver: Driver, text: str) -> QPushButton | QCheckBox:
    panel = driver.tray.panel("Source")
    found = [each for each in panel.findChildren(QPushButton) + panel.findChildren(QCheckBox) if each.text() == text]
    return found[-1]


def test_opacity_is_opened_seen_and_drawn_otherwise(small: Driver, tmp_path: Path) -> None:
    """Left half of the sheet is clear: there the checker is seen, or grey, or the paint; opaque hides all of it."""
    alpha = np.zeros((SIDE, SIDE, 1), np.uint8)
    alpha[:, SIDE // 2 :] = 255
    open_map(small, tmp_path / "crate_opacity.png", alpha, Encoding.DATA)
    session, card = small.session, small.tray.panel("Source").drawing
    assert session.at.sheet.drawing.way == Way.CUT_OUT
    assert card.threshold.isVisible()
    small.stand.set_look(Look())
    small.settle()

    def seen() -> np.ndarray:
        small.settle()
        canvas = small.stand.canvas
        picture = pixels(canvas._images[0][0])
        left, right = canvas.position_of((0.02, 0.02)), canvas.position_of((0.45, 0.98))
        field = canvas.field(0)
        return picture[
            int(left.y() - field.y()) : int(right.y() - field.y()),
            int(left.x() - field.x()) : int(right.x() - field.x()),
        ]

    checker = seen()[..., :3]
    assert {int(level) for level in np.unique(checker)} == {round(0.34 * 255), round(0.46 * 255)}
    small.choose(card.behind, "plain grey")
    assert {int(level) for level in np.unique(seen()[..., :3])} == {128}
    assert session.view.state.behind == Behind.GREY
    small.choose(card.behind, "the paint itself")
    paint = seen()
    small.choose(card.way, "Opaque")
    assert not card.behind.isVisible()
    assert np.abs(seen().astype(int) - paint).mean() > 5  # the regions wear their coats now
    small.session.undo()
    assert session.at.sheet.drawing.way == Way.CUT_OUT
    small.choose(card.way, "Blended")
    assert not card.threshold.isVisible()
    small.click(card.sided)
    assert session.at.sheet.drawing.one_sided
    assert list(session.history.undo_labels[:2]) == ["How it is drawn"] * 2
    small.choose(card.way, "Cut out")
    small.settle()
    small.click(button(small, "Mips keep what is cut out"))
    assert session.at.sheet.sources[-1].keep_coverage


def test_dragging_the_threshold_is_one_step(small: Driver, tmp_path: Path) -> None:
    alpha = np.uint8(np.random.default_rng(1).integers(0, 256, (SIDE, SIDE, 1)))
    open_map(small, tmp_path / "crate_opacity.png", alpha, Encoding.DATA)
    card = small.tray.panel("Source").drawing
    small.choose(card.way, "Cut out")
    before = len(small.session.history.undo_labels)
    for step in (300, 400, 700):
        card.threshold.slider.setSliderDown(True)
        card.threshold.slider.setValue(step)
    card.threshold.slider.setSliderDown(False)
    card.threshold.finished.emit()
    assert abs(small.session.at.sheet.drawing.threshold - 0.7) < 1e-6
    assert len(small.session.history.undo_labels) <= before + 1


def test_masks_are_asked_for(small: Driver, tmp_path: Path) -> None:
    """A map that is called masks has no role; its card asks, and each answer does what it says."""
    masks = np.zeros((SIDE, SIDE, 3), np.uint8)
    masks[:20, :, 0], masks[20:40, :, 1], masks[40:, :, 2] = 255, 255, 255
    open_map(small, tmp_path / "crate_masks.png", masks, Encoding.DATA)
    session = small.session
    assert session.at.sheet.sources[-1].role == Role.NONE
    regions = len(session.at.sheet.regions)
    small.click(button(small, "Its channels"))
    small.qtbot.waitUntil(lambda: len(session.at.sheet.regions) == regions + 3, timeout=20_000)
    session.undo()
    small.settle()
    small.click(button(small, "ID colours"))
    assert session.at.sheet.sources[-1].role == Role.ID


def test_holes_are_seen_on_the_model(demo: Driver) -> None:
    """The reeds' cards hide nothing beside their blades; drawn opaque they hide more."""
    demo.choose(demo.window.sheet_box.box, "Reed clump")
    demo.settle()
    demo.stand.set_look(Look())
    demo.stand.choose_panes(Panes.MODEL)
    demo.settle()

    def covered() -> int:
        demo.settle()
        alpha = demo.stand.model.canvas._images[0][0].convertToFormat(ALPHA)
        alpha.reinterpretAsFormat(QImage.Format.Format_Grayscale8)
        return int(np.count_nonzero(pixels(alpha)))

    cut = covered()
    demo.stage(1)
    demo.stand.set_look(Look())
    demo.choose(demo.tray.panel("Source").drawing.way, "Opaque")
    whole = covered()
    assert 0 < cut < 0.8 * whole
    demo.choose(demo.tray.panel("Source").drawing.way, "Dithered")
    assert cut * 0.7 < covered() < whole
    demo.choose(demo.tray.panel("Source").drawing.way, "Blended")
    assert cut * 0.9 < covered() < whole


def test_the_proof_counts_alpha(small: Driver, tmp_path: Path) -> None:
    """A blended sheet: the player's alpha is compared as well as its colours; one that is off by far is told."""
    alpha = np.random.default_rng(3).integers(0, 256, (SIDE, SIDE, 1)).astype(np.uint8)
    open_map(small, tmp_path / "crate_opacity.png", alpha, Encoding.DATA)
    small.session.do(commands.set_drawing("sheet_1", Drawing(Way.BLENDED)))
    small.settle()
    small.stage(8)
    panel = small.tray.panel("Ship")
    panel.folder.setText(str(tmp_path / "package"))
    small.click(panel.ship_button)
    small.qtbot.waitUntil(lambda: panel.proof_button.isEnabled(), timeout=60_000)
    small.click(panel.proof_button)
    small.qtbot.waitUntil(lambda: "largest difference" in panel.proof_result.text(), timeout=60_000)
    assert panel.proof_result.text().endswith("The package holds.")
    loaded = load(tmp_path / "package")
    played = play_reference(loaded, "", SIDE, SIDE)
    assert np.abs(played[..., 3].astype(int) - alpha[..., 0]).max() <= 1
    other = played.copy()
    other[..., 3] = 255 - other[..., 3]
    for levels, told in ((played, "The package holds."), (other, "does not look like the kit.")):
        panel._compare(small.session.at, MASTER, Plane(levels, Encoding.SRGB))
        small.settle()
        assert panel.proof_result.text().endswith(told)


def test_strands_are_set_in_source(demo: Driver) -> None:
    """The card: kinds, numbers, a colour, a plane; the lit model shows it, the flat one does not."""
    demo.stage(1)
    demo.session.show_sheet("reed_clump")
    demo.stand.set_panes(Panes.MODEL)
    demo.settle()
    card = demo.tray.panel("Source").shaded  # type: ignore[attr-defined]

    def shown() -> np.ndarray:
        demo.settle()
        return pixels(demo.stand.model.canvas._images[0][0]).astype(int)

    flat = shown()
    demo.click(demo.stand.model.lit_button)
    demo.choose(card.kind, "as a surface")
    lit = shown()
    demo.choose(card.kind, "as strands")
    strands = shown()
    assert np.abs(strands - lit).max() > 20
    demo.type(card.rows["second", "shift"].field.lineEdit(), "30")
    demo.type(card.tints["second"], "ff8040")
    demo.choose(card.plane, "Map · base colour")
    shaded = demo.session.at.sheet.shaded
    assert (shaded.second.shift, shaded.broken_by.channel) == (30.0, 0)
    assert shaded.second.tint == pytest.approx((1.0, 128 / 255, 64 / 255))
    demo.choose(card.kind, "as leaves")
    assert not card.strands.isVisible()
    assert np.abs(shown() - strands).max() > 20
    demo.click(demo.stand.model.lit_button)
    assert np.array_equal(shown(), flat)
