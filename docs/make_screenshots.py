"""Makes the pictures in docs/screenshots from the demo kit: `python docs/make_screenshots.py`."""

import os
import tempfile
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["EVEN_PALETTE_STATE"] = tempfile.mkdtemp()

import numpy as np
from PyQt6.QtCore import QPointF
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from even_palette.app import theme
from even_palette.app.main import open_demo
from even_palette.app.view_state import Hand, Panes
from even_palette.app.window import Window
from even_palette.core.kit import commands
from even_palette.core.kit.sheet import Step
from even_palette.core.proof.conditions import Conditions
from even_palette.core.regions.steps import Join
from even_palette.core.results.looks import Look
from even_palette.core.results.sheet_mesh import regions_of_faces

PICTURES = Path(__file__).parent / "screenshots"


def settle(window: Window, ms: int = 700) -> None:
    QTest.qWait(60)
    while not (window.session.settled and window.thumbnails.settled) or window.jobs.busy:
        QTest.qWait(20)
    QTest.qWait(ms)


def paint_on_model(window: Window) -> None:
    """A stroke over the model, from the left to the right of its middle."""
    view = window.stand.model.canvas
    rows, columns = np.nonzero(view.face_ids() >= 0)
    row = int(np.median(rows))
    across = np.sort(columns[rows == row])
    points = [QPointF(float(x), float(row + 12 * np.sin(i / 4))) for i, x in enumerate(across[:: len(across) // 24])]
    painting = window.painting
    painting.begin(view, points[0], 1.0, False)
    for at in points[1:]:
        painting.go_on(view, at, 1.0)
    painting.end(view)
    painting.hover(view, points[-1])
    settle(window)


def main() -> None:
    app = QApplication([])
    theme.apply_scheme(app, "day")
    window = Window()
    window.resize(1280, 772)
    open_demo(window)
    window.show()
    session, stand = window.session, window.stand
    session.select("hull", variant="morning_ferry")

    def picture(name: str) -> None:
        settle(window)
        window.grab().save(str(PICTURES / f"{name}.png"))
        print(name)

    window.enter_stage(0)
    settle(window)
    stand.set_look(Look("channel", map="occlusion_roughness_metalness", channel=1))
    picture("1-source")
    session.show_sheet("reed_clump")
    settle(window)
    stand.set_look(Look(variant="morning_ferry"))
    stand.set_panes(Panes.BOTH)
    stand.model.lit_button.click()
    picture("1-source-opacity")
    stand.model.lit_button.click()
    stand.set_panes(Panes.SHEET)
    session.show_sheet("sheet_1")
    settle(window)
    window.enter_stage(2)
    picture("3-masks")
    window.enter_stage(6)
    session.do(commands.set_conditions("sheet_1", Conditions("half")))
    settle(window, 4000)
    stand.set_look(Look("runtime", "morning_ferry", steps=2))
    picture("7-proof")
    session.undo()
    window.enter_stage(3)
    tones, ledge = window.tray.panel("Tones"), window.ledge
    tones.choose("hull_neutral")
    settle(window)
    tones.whom.setCurrentIndex(1)
    tones.follow()
    picture("4-tones")
    session.show_sheet(session.kit.sheets[3].key)
    ledge.tabs_of("Tones").choose(1)
    session.view.change_toning(palette="sign_colours", row=1, entry=4)
    settle(window)
    stand.set_spread(True)
    picture("4-palettes")
    stand.set_spread(False)
    ledge.tabs_of("Tones").choose(0)
    session.show_sheet("sheet_1")
    window.enter_stage(1)
    settle(window)
    choice, regions = window.choice, window.tray.panel("Regions")
    labels = regions_of_faces(session.kit.at(), session.sheets)
    hull = np.flatnonzero(labels == 0)
    choice.click(int(hull[200]), False)
    picture("2-regions")
    choice.choose(np.isin(labels, (0, 1, 2)))
    regions.elements.scatter.open(True)
    for key, share in (("hull", 50), ("hull_weathered", 30), ("hull_patched", 20)):
        regions.elements.shares[key].setValue(share)
    regions.elements.run_scatter()
    settle(window)
    bar = regions.verticalScrollBar()
    assert bar is not None
    bar.setValue(340)
    picture("2-regions-scatter")
    session.undo()
    choice.clear()
    regions.show_tab(2)
    regions.bakes.list.setCurrentRow(1)
    picture("2-regions-bakes")
    session.show_sheet("oar_and_crate")
    settle(window)
    session.select(session.at.sheet.regions[0].key)
    window.enter_stage(2)
    added = (Step("specks", {"texels": 400.0}), Step("lightness", {"high": 40.0}, join=Join.SUBTRACT), Step("feather"))
    for step in added:
        session.do(commands.add_step(session.region, step))
    window.ledge.tabs_of("Masks").buttons[1].click()
    settle(window)
    window.ledge.page("Masks").chain.setCurrentRow(2)
    picture("3-masks-steps")
    for _ in added:
        session.undo()
    window.ledge.tabs_of("Masks").buttons[0].click()
    QTest.qWait(600)
    settle(window)
    panel = window.findings_panel
    panel.open()
    hole = next(item for item in map(panel.list.item, range(panel.list.count())) if item and "hole" in item.text())
    panel.list.setCurrentItem(hole)
    panel._choose(hole)
    QTest.qWait(400)
    picture("3-finding-and-mend")
    panel.hide()
    canvas = stand.canvas
    canvas.fit()
    session.show_sheet("sheet_1")
    settle(window)
    session.select(next(r.key for r in session.at.sheet.regions if r.name == "Cabin"))
    stand.set_panes(Panes.BOTH)
    window.painting.choose_hand(Hand.PAINT)
    session.view.change_painter(radius=34.0, hardness=0.3)
    settle(window)
    paint_on_model(window)
    picture("3-masks-painting")
    while session.history.undo_labels and session.history.undo_labels[0] in ("Paint", "Add paint"):
        session.undo()
    window.enter_stage(1)
    session.show_sheet("sheet_1")
    settle(window)
    stand.model.lit_button.click()
    window.enter_stage(4)
    picture("5-recolour")
    stand.set_panes(Panes.SHEET)
    session.show_sheet(session.kit.sheets[4].key)
    settle(window)
    session.select(session.at.sheet.regions[0].key, variant="")
    picture("5-recolour-surface")
    session.show_sheet("sheet_1")
    settle(window)
    session.select("hull", variant="morning_ferry")
    window.enter_stage(5)
    picture("6-lineup")
    window.enter_stage(2)
    stand.set_look(Look("mask_sum"))
    settle(window)
    canvas = stand.canvas
    for _ in range(7):
        at = canvas.position_of((0.574, 0.552))
        canvas._set_camera(canvas.camera.zoomed(1.5, at.x(), at.y(), canvas.width(), canvas.height()))
    stand.foot.loupe_button.click()
    stand._hover(0.5695, 0.5545)
    picture("3-masks-sum-and-loupe")
    stand.foot.loupe_button.click()
    canvas.fit()
    window.set_scheme("night")
    window.enter_stage(4)
    stand.set_panes(Panes.BOTH)
    session.select("deck", variant="ice_patrol")
    stand.set_other(Look(variant="harvest_barge"))
    picture("5-recolour-wipe-night")
    stand.foot.wipe_button.click()
    window.set_scheme("day")
    stand.set_panes(Panes.SHEET)
    window.enter_stage(5)
    session.select(variant="night_post")
    window.ledge.tabs_of("Lineup").choose(1)
    over_time = window.ledge.page("Lineup").over_time
    over_time.target.setCurrentText("Harvest Barge")
    over_time.fade.click()
    session.view.change(scene="the_landing_by_night")
    window.tray.panel("Lineup").scene.light.open(True)
    settle(window)
    session.moment.go_to(1.4)
    scene = window.centre.scene.canvas
    while scene.pending:
        QTest.qWait(50)
    picture("6-lineup-scene")
    session.view.change(scene="")
    session.moment.begin_again()
    session.undo()
    window.enter_stage(7)
    with tempfile.TemporaryDirectory() as folder:
        window.tray.panel("Ship").folder.setText(f"{folder}/ferry_tug")
        window.tray.panel("Ship").ship()
        settle(window)
        window.tray.panel("Ship").variant.setCurrentIndex(2)
        window.tray.panel("Ship").prove()
        while "largest difference" not in window.tray.panel("Ship").proof_result.text():
            QTest.qWait(50)
        picture("8-ship-proof")
    window.close()


if __name__ == "__main__":
    main()
