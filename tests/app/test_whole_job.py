"""The whole job on real input, in the real window."""

from pathlib import Path

import numpy as np
import skimage.data
from PIL import Image, ImageDraw
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent

from even_palette.core.kit.commands import read_cell
from even_palette.core.kit.names import identifier
from even_palette.core.raster.guess import Role
from even_palette.player.load import load
from even_palette.player.opengl import play_opengl
from tests.app.conftest import Driver

COAT, HELMET = (20, 40, 200), (0, 220, 90)


def photograph(folder: Path) -> list[Path]:
    """scikit-image's astronaut with an anti-aliased ID map drawn over suit and helmet; no red in it."""
    photo = skimage.data.astronaut()
    Image.fromarray(photo).save(folder / "pilot_albedo.png")
    large = Image.new("RGB", (1024, 1024), (0, 0, 0))
    draw = ImageDraw.Draw(large)
    draw.polygon([(160, 1020), (300, 560), (700, 540), (900, 1020)], fill=COAT)
    draw.ellipse((700, 40, 1010, 420), fill=HELMET)
    large.resize((512, 512), Image.Resampling.LANCZOS).save(folder / "pilot_id.png")
    return [folder / "pilot_albedo.png", folder / "pilot_id.png"]


def test_photograph_to_player(empty: Driver, tmp_path: Path) -> None:
    """Open, regions, two variants, ship, play, by drop, clicks and keys; the player shows what the window shows."""
    window, session, tray = empty.window, empty.session, empty.tray
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in photograph(tmp_path)])
    none = Qt.KeyboardModifier.NoModifier
    drop = QDropEvent(QPointF(600, 200), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, none)
    window.dropEvent(drop)
    empty.settle()
    assert {source.role for source in session.kit.sheets[0].sources} == {Role.BASE_COLOUR, Role.ID}

    empty.stage(2)
    empty.click_sheet(0.5, 0.9)
    empty.click_sheet(0.83, 0.2)
    empty.settle()
    assert [region.id_colour for region in session.kit.sheets[0].regions] == [COAT, HELMET]
    for index, name in enumerate(("Suit", "Helmet")):
        item = tray.panel("Regions").regions.item(index)
        assert item is not None
        item.setText(name)
    assert [region.name for region in session.kit.sheets[0].regions] == ["Suit", "Helmet"]

    empty.stage(5)
    empty.click_sheet(0.5, 0.9)
    assert session.region == "region_1"
    empty.choose(tray.panel("Recolour").editors["mode"], "True, by luminance")
    for variant, suit, turn in (("Variant 1", "#2a6f97", 0.0), ("Variant 2", "#8a5a2b", 120.0)):
        empty.click(empty.board.add_button)
        assert session.kit.variant_names[session.variant] == variant
        session.select("region_1")
        empty.type(tray.panel("Recolour").editors["colour"].hex, suit)  # type: ignore[attr-defined]
        session.select("region_2", variant="")
        if turn:
            empty.choose(tray.panel("Recolour").kind, "Shift")
            session.select(variant=identifier(variant))
            field = tray.panel("Recolour").editors["hue"].field  # type: ignore[attr-defined]
            empty.type(field, f"{turn:.1f}")
    empty.settle()
    assert read_cell(session.kit, "region_2", "variant_2").settings[0]["hue"] == 120
    assert read_cell(session.kit, "region_2", "variant_1").settings[0]["hue"] == 0
    assert session.kit.variant("variant_2").parent is None

    empty.stage(8)
    tray.panel("Ship").folder.setText(str(tmp_path / "package"))
    empty.click(tray.panel("Ship").ship_button)
    empty.settle()
    assert (tmp_path / "package" / "package.json").exists(), tray.panel("Ship").outcome.text()
    loaded = load(tmp_path / "package")
    base = skimage.data.astronaut().astype(int)
    pictures = [play_opengl(loaded, name, 512, 512).astype(int) for name in ("Variant 1", "Variant 2")]
    assert np.abs(pictures[0][:, :40] - base[:, :40]).max() <= 1
    suit = np.s_[400:500, 200:330]
    assert pictures[0][suit][..., 2].mean() > pictures[0][suit][..., 0].mean() + 20
    assert pictures[1][suit][..., 0].mean() > pictures[1][suit][..., 2].mean() + 20

    for name in ("Variant 1", "Variant 2"):
        empty.choose(tray.panel("Ship").variant, name)
        empty.click(tray.panel("Ship").proof_button)
        empty.qtbot.waitUntil(lambda name=name: tray.panel("Ship").proof_result.text().startswith(name), timeout=30_000)
        assert "The package holds." in tray.panel("Ship").proof_result.text()
    assert len(empty.stand.proof) == 3
    assert empty.stand.canvas.grab(empty.stand.canvas.rect()).toImage().width() > 500


def test_a_damaged_file_costs_nothing(small: Driver, tmp_path: Path) -> None:
    before = small.session.kit
    bad = tmp_path / "bad_id.png"
    bad.write_bytes(b"\x89PNG\r\n\x1a\nbroken")
    small.window.open_paths([bad])
    small.settle()
    assert "bad_id.png" in small.window.notice.text.text()
    small.window.open_paths([tmp_path / "maps"])
    small.settle()
    assert "is no kit" in small.window.notice.text.text()
    assert small.session.kit == before


def test_eyedropper_takes_the_exact_colour(demo: Driver) -> None:
    """The colour under the cursor is the colour that the region gets: the same hex, read back by the loupe."""
    demo.session.select("waterline", variant="")
    demo.settle()
    swatch = demo.tray.panel("Recolour").editors["colour"]
    demo.click(swatch.pick)  # type: ignore[attr-defined]
    at = demo.stand.canvas.position_of((0.2, 0.4)).toPoint()
    uv = demo.stand.canvas.uv_at(QPointF(at))
    assert uv is not None
    texel = demo.stand.texel_at(*uv)
    assert texel is not None
    demo.click_sheet(0.2, 0.4)
    assert read_cell(demo.session.kit, "waterline", "").settings[0]["colour"] == texel.encoded
    assert not demo.stand.picking


def test_wipe_pan_zoom_and_fit(demo: Driver) -> None:
    canvas = demo.stand.canvas
    demo.key(canvas, Qt.Key.Key_W)
    demo.choose(demo.stand.foot.other_box, "Result · Night Post")
    edge = QPoint(canvas.width() // 2, canvas.height() // 2)
    demo.drag(canvas, edge, QPoint(canvas.width() // 4, edge.y()))
    assert abs(canvas.wipe - 0.25) < 0.01
    fitted = canvas.camera
    under = canvas.uv_at(QPointF(300, 200))
    demo.drag(canvas, QPoint(300, 200), QPoint(340, 230), Qt.MouseButton.MiddleButton)
    assert canvas.uv_at(QPointF(340, 230)) == under or np.allclose(canvas.uv_at(QPointF(340, 230)), under)  # type: ignore[arg-type]
    demo.key(canvas, Qt.Key.Key_F)
    assert canvas.camera == fitted
    demo.key(canvas, Qt.Key.Key_F)
    assert canvas.camera.zoom == 1
    left, top = canvas.camera.to_pixel((0.0, 0.0), canvas.width(), canvas.height())
    assert left == round(left)
    assert top == round(top)
    canvas.setFocus()
    demo.key(canvas, Qt.Key.Key_Plus)
    assert canvas.camera.zoom > 1.1
