"""Proof in the window: conditions by preset and by map, what is seen, and the table of errors."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt

from even_palette.app.ledge.asset import AssetPage
from even_palette.app.ledge.errors import ErrorTable
from even_palette.app.ledge.proof import ProofPage
from even_palette.app.results import TRIES
from even_palette.app.stand.spread import spread_looks
from even_palette.app.tray.conditions import ConditionsPart
from even_palette.core.colour.hexcode import encoded_to_hex
from even_palette.core.jobs import CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import Overcoats
from even_palette.core.material.model import Coat
from even_palette.core.proof.conditions import Beyond, Conditions, MapConditions, kind_of
from even_palette.core.results import proof
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.proof_errors import DISTANCES
from even_palette.core.results.sheets import Sheets
from tests.app.conftest import Driver, pixels


@pytest.fixture
def part(small: Driver) -> ConditionsPart:
    small.stage(7)
    small.settle()
    found: ConditionsPart = small.tray.panel("Proof").conditions  # type: ignore[attr-defined]
    return found


@pytest.fixture
def table(small: Driver, part: ConditionsPart) -> ErrorTable:
    page = small.window.ledge.page("Proof")
    assert isinstance(page, ProofPage)
    measured(small, page.errors)
    return page.errors


def measured(driver: Driver, table: ErrorTable) -> None:
    driver.settle()
    at = driver.session.shown
    assert at is not None
    driver.qtbot.waitUntil(lambda: table.shown_of == table._wanted(at), timeout=60_000)


def seen(driver: Driver) -> np.ndarray:
    driver.settle()
    return pixels(driver.stand.canvas._images[0][0]).astype(int)


def test_conditions_are_set_seen_and_measured(small: Driver, part: ConditionsPart, table: ErrorTable) -> None:
    """A preset changes the picture, the bytes and the errors; a map of its own is marked, and goes back to the preset."""
    session = small.session
    assert "as it is meant" in table.told.text()
    assert len(table.found) == len(DISTANCES) * len({each.output for each in table.found})
    meant, before = seen(small), part.total.text()
    small.choose(part.preset.box, "Blocks of half a byte")
    measured(small, table)
    assert part.total.text() != before
    assert "BC1" in part.list.item(0).text()
    assert np.abs(seen(small) - meant).max() > 2
    assert "Colour is off by" in table.told.text()
    part.side.setCurrentIndex(2)
    part.side.activated.emit(2)
    small.settle()
    own = session.at.sheet.conditions.maps[part.slot]
    assert (own.format, own.smaller) == ("BC1", 2)
    assert part.list.item(0).text().endswith("·")
    small.click(part.reset)
    assert session.at.sheet.conditions == Conditions("half")
    session.undo()
    session.undo()
    session.undo()
    small.settle()
    assert session.at.sheet.conditions == Conditions()
    assert np.array_equal(seen(small), meant)


def test_conditions_of_ones_own(small: Driver, part: ConditionsPart) -> None:
    """What single maps have is kept for their kinds under a name, taken back by it, and forgotten without loss."""
    session = small.session
    small.choose(part.format, "BC7")
    small.choose(part.slant, "8 samples")
    small.choose(part.bias, "+0.5 levels")
    small.choose(part.wrap, "it repeats")
    own = session.at.sheet.conditions.maps[part.slot]
    assert (own.format, own.anisotropy, own.bias, own.wrap) == ("BC7", 8, 0.5, Beyond.REPEAT)
    part.preset.keep_as("  Handheld ")
    small.settle()
    kind = kind_of(part.found.facts[part.slot])  # type: ignore[union-attr]
    assert session.at.sheet.conditions == Conditions(kinds={kind: own})
    assert part.preset.box.currentText() == "Handheld"
    assert not part.preset.keep.isEnabled()
    small.choose(part.preset.box, "Mobile")
    small.choose(part.preset.box, "Handheld")
    small.settle()
    assert session.at.sheet.conditions.kinds == {kind: own}
    small.click(part.preset.forget)
    small.settle()
    assert session.kit.presets == ()
    assert session.at.sheet.conditions.kinds == {kind: own}
    assert "otherwise" in part.told.text()
    session.undo()
    assert [each.name for each in session.kit.presets] == ["Handheld"]


def test_a_row_goes_to_its_worst_place(demo: Driver) -> None:
    session = demo.session
    demo.stage(7)
    session.show_sheet("oar_and_crate")
    demo.settle()
    page = demo.window.ledge.page("Proof")
    assert isinstance(page, ProofPage)
    table = page.errors
    session.do(commands.set_conditions(session.at.key, Conditions("nothing", {"base_colour": MapConditions("BC1", 4)})))
    measured(demo, table)
    worst = table.found[0]
    assert worst.spread.worst > 1
    zoom = demo.stand.canvas.camera.zoom
    table._go(0)
    demo.settle()
    assert demo.stand.look == Look("runtime", session.variant)
    assert demo.stand.canvas.camera.zoom >= zoom
    assert demo.stand.canvas.camera.centre == pytest.approx(worst.spread.place, abs=0.02)
    table.table.sortByColumn(7, table.table.horizontalHeader().sortIndicatorOrder())  # type: ignore[union-attr]
    values = [float(table.table.item(line, 7).text()) for line in range(table.table.rowCount())]  # type: ignore[union-attr]
    assert values in (sorted(values), sorted(values, reverse=True))
    demo.click(table.every)
    measured(demo, table)
    assert {each.variant for each in table.found} == set(session.kit.variant_names)


def test_another_variant_is_seen_as_the_runtime_has_it(small: Driver, part: ConditionsPart, table: ErrorTable) -> None:
    """A row, or a finding, of a variant that is not selected shows that one, from its distance; shimmer does, too."""
    small.choose(part.preset.box, "Mobile")
    small.click(table.every)
    measured(small, table)
    other = next(
        line for line, each in enumerate(table.found)
        if (each.variant, each.output, each.distance) == ("dusk", "colour", 4)
    )  # fmt: skip
    rows = range(table.table.rowCount())
    line = next(line for line in rows if table.table.item(line, 0).data(Qt.ItemDataRole.UserRole) == other)  # type: ignore[union-attr]
    table._go(line)
    small.settle()
    assert small.session.variant != "dusk"
    assert small.stand.look == Look("runtime", "dusk", distance=4)
    assert "Dusk" in small.stand.foot.look_box.currentText()
    small.stand.set_look(Look("shimmer", "day", steps=1, slant=2))
    small.settle()
    assert small.stand.look == Look("shimmer", "day", steps=1, slant=2)
    small.stand.set_look(Look("entry", map="nowhere"))  # what is not there gives way to the result, and all are told
    small.settle()
    assert small.stand.look == Look()
    assert small.tray.panel("Proof").looks["As meant"].isChecked()  # type: ignore[attr-defined]


def test_what_is_seen_is_chosen_by_buttons(small: Driver, part: ConditionsPart) -> None:
    panel = small.tray.panel("Proof")
    small.session.do(commands.set_conditions(small.session.at.key, Conditions("mobile")))
    pictures = []
    variant = small.session.variant
    for name, look in (("As meant", Look(variant=variant)), ("Runtime", Look("runtime", variant)),
                       ("Off × 4", Look("runtime", variant, steps=2)),
                       ("Shimmer", Look("shimmer", variant, steps=2))):  # fmt: skip
        small.click(panel.looks[name])  # type: ignore[attr-defined]
        pictures.append(seen(small))
        assert small.stand.look == look
        assert [button.isChecked() for button in panel.looks.values()].count(True) == 1  # type: ignore[attr-defined]
    assert np.abs(pictures[0] - pictures[1]).max() > 2
    assert (pictures[2][..., 0] == pictures[2][..., 1]).all()


def test_a_search_is_clicked_and_seen(small: Driver, part: ConditionsPart) -> None:
    """Points by rising bytes and falling error; a click sets their conditions, arrow keys go on; held maps stay."""
    session = small.session
    part.held.click()
    small.click(small.window.ledge.tabs_of("Proof").buttons[2])
    page = small.window.ledge.page("Proof").search  # type: ignore[attr-defined]
    assert not page.cheapest.isEnabled()
    small.click(page.start)
    small.qtbot.waitUntil(lambda: page.found is not None, timeout=60_000)
    small.settle()
    sizes = [point.choice.bytes for point in page.found.points]
    errors = [point.error for point in page.found.points]
    assert sizes == sorted(sizes)
    assert errors == sorted(errors, reverse=True)
    at = page.plot.place(0).toPoint()
    small.qtbot.mouseClick(page.plot, Qt.MouseButton.LeftButton, pos=at)
    small.settle()
    assert session.at.sheet.conditions == page.found.conditions(page.found.points[0])
    assert small.stand.look == Look("runtime", session.variant)
    assert page.maps.count() == len(page.found.points[0].choice.maps)
    assert part.slot not in page.found.points[0].choice.maps
    small.key(page.plot, Qt.Key.Key_Right)
    assert session.at.sheet.conditions == page.found.conditions(page.found.points[1])
    small.type(page.ceiling.field.lineEdit(), "8")
    small.click(page.cheapest)
    assert page.plot.current == page.found.points.index(page.found.within_error(8.0))
    small.type(page.budget.field.lineEdit(), "256")
    small.click(page.best)
    assert page.plot.current == len(page.found.points) - 1


def test_textures_are_written(small: Driver, part: ConditionsPart, tmp_path: Path) -> None:
    """One file a map; what a format does not hold is told, and leaves no half of a file."""
    small.choose(part.preset.box, "Blocks of a byte")
    small.settle()
    assert [action.text() for action in part.write.menu().actions()] == ["As DDS …", "As KTX2 …"]  # type: ignore[union-attr]
    (tmp_path / "out").mkdir()
    part.write_textures(tmp_path / "out", ".dds")
    small.settle()
    assert sorted(path.name for path in (tmp_path / "out").iterdir()) == sorted(
        f"{name}.dds" for name in part.found.names
    )  # type: ignore[union-attr]
    assert "textures" in small.window.notice.text.text()
    small.choose(part.preset.box, "Mobile")
    small.settle()
    (tmp_path / "more").mkdir()
    part.write_textures(tmp_path / "more", ".dds")
    small.settle()
    assert "use KTX2" in small.window.notice.text.text()


def test_the_picture_from_afar(small: Driver, part: ConditionsPart) -> None:
    """What is seen stays what it was, from further away; a row of the table goes to its distance."""
    panel = small.tray.panel("Proof")
    small.click(panel.looks["As meant"])  # type: ignore[attr-defined]
    near = seen(small)
    small.choose(panel.distance, "16 texels a pixel")  # type: ignore[attr-defined]
    assert small.stand.look == Look("runtime", small.session.variant, meant=True, distance=16)
    far = seen(small)
    assert np.abs(far - near).max() > 20
    assert len(np.unique(far.reshape(-1, 3), axis=0)) < 40
    small.click(panel.looks["Runtime"])  # type: ignore[attr-defined]
    assert small.stand.look == Look("runtime", small.session.variant, distance=16)
    small.choose(panel.distance, "Close by")  # type: ignore[attr-defined]
    assert small.stand.look == Look("runtime", small.session.variant)
    small.choose(panel.angle, "At 14°")  # type: ignore[attr-defined]
    assert small.stand.look == Look("runtime", small.session.variant, slant=4)


def test_a_wipe_compares_from_afar(small: Driver, part: ConditionsPart) -> None:
    """What is on the other side goes with the distance, is offered in its box, and stays when the selection changes."""
    panel, stand = small.tray.panel("Proof"), small.stand
    small.click(panel.looks["Runtime"])  # type: ignore[attr-defined]
    stand.set_other(Look())
    small.choose(panel.distance, "16 texels a pixel")  # type: ignore[attr-defined]
    small.settle()
    meant = Look("runtime", small.session.variant, meant=True, distance=16)
    assert (stand.state.look, stand.state.other_look) == (replace(meant, meant=False), meant)
    assert "As meant, 16 texels a pixel" in stand.foot.other_box.currentText()
    assert stand.canvas.tiles[0].other is not None
    small.session.select(variant="dusk")
    small.settle()
    assert stand.state.look.variant == "dusk"
    assert stand.state.other_look == meant
    small.choose(panel.distance, "Close by")  # type: ignore[attr-defined]
    assert stand.state.other_look == Look(variant=meant.variant)


def test_the_model_keeps_a_look_from_afar_of_its_own(small: Driver, part: ConditionsPart) -> None:
    """What the sheet shows may change; the model's own look is still offered, and shown."""
    stand = small.stand
    own = Look("runtime", small.session.variant, distance=8)
    small.session.view.change(quiet=True, model_look=own)
    stand.set_look(Look())
    small.settle()
    at = small.session.shown
    assert at is not None
    assert own in [look for _, look in stand.looks(at)]
    assert stand._model_looks(at)[0][1] == own


def test_outputs_maps_and_channels_are_seen(small: Driver, part: ConditionsPart, table: ErrorTable) -> None:
    """Boxes say what of the runtime is seen; a row of the table goes to its output; the wipe compares the same."""
    panel, stand = small.tray.panel("Proof"), small.stand
    small.session.do(commands.add_coat(Overcoats("sheet_1"), Coat("finish")))
    measured(small, table)
    small.click(panel.looks["Runtime"])  # type: ignore[attr-defined]
    small.choose(panel.shown, "Map · Weights 1")  # type: ignore[attr-defined]
    assert stand.look == Look("runtime", small.session.variant, map="weights_0")
    small.choose(panel.lane, "G")  # type: ignore[attr-defined]
    assert stand.look == Look("runtime", small.session.variant, map="weights_0", lane=2)
    weights = seen(small)
    assert (weights[..., 0] == weights[..., 1]).all()
    small.click(panel.looks["As meant"])  # type: ignore[attr-defined]
    assert stand.look == Look("runtime", small.session.variant, map="weights_0", lane=2, meant=True)
    line = next(n for n, each in enumerate(table.found) if each.output == "roughness")
    table._go(line)
    small.settle()
    assert (stand.look.output, stand.look.map, stand.look.lane) == ("roughness", "", 0)
    assert panel.shown.currentText() == "Roughness"  # type: ignore[attr-defined]
    assert [panel.lane.itemText(i) for i in range(panel.lane.count())] == ["All"]  # type: ignore[attr-defined]
    small.choose(panel.shown, "Colour")  # type: ignore[attr-defined]
    assert stand.look == Look("runtime", small.session.variant, distance=stand.look.distance)


def test_the_loupe_goes_to_the_worst_place(small: Driver, part: ConditionsPart, table: ErrorTable) -> None:
    """A row takes the loupe along: it tells the texel, as the runtime has it."""
    stand = small.stand
    small.click(stand.foot.loupe_button)
    small.choose(part.preset.box, "Blocks of half a byte")
    measured(small, table)
    line = max(range(len(table.found)), key=lambda n: table.found[n].spread.worst)
    each = table.found[line]
    table._go(line)
    small.settle()
    width, height = stand.canvas.camera.sheet
    u, v = each.spread.place
    assert stand.loupe.isVisible()
    assert stand.loupe.values()["texel"] == f"{int(u * width)}, {int(v * height)}"
    texel = stand.texel_at(u, v)
    assert texel is not None
    assert stand.loupe.values()["hex"] == encoded_to_hex(texel.encoded)
    assert stand.look.kind == "runtime"


def test_errors_of_the_table_at_an_angle(small: Driver, part: ConditionsPart, table: ErrorTable) -> None:
    """The box beside the table measures anew; a row then goes to what is seen at that angle."""
    small.choose(table.angle, "At 14°")
    measured(small, table)
    assert {each.slant for each in table.found} == {4}
    line = next(n for n, each in enumerate(table.found) if each.output == "colour")
    table._go(line)
    assert (small.stand.look.kind, small.stand.look.slant) == ("runtime", 4)


def test_all_distances_beside_each_other(small: Driver, part: ConditionsPart) -> None:
    """A tile a distance, in every look that has one; a click on one looks from there. Variants are spread as seen."""
    panel, stand = small.tray.panel("Proof"), small.stand
    small.click(panel.looks["Runtime"])  # type: ignore[attr-defined]
    small.choose(panel.distance, "All distances")  # type: ignore[attr-defined]
    small.settle()
    told = [tile.label for tile in stand.canvas.tiles]
    assert len(told) == 7
    assert (told[0], told[-1]) == ("Close by", "64 texels a pixel")
    small.click(panel.looks["Shimmer"])  # type: ignore[attr-defined]
    small.settle()
    assert len(stand.canvas.tiles) == 7
    stand._click(0.5, 0.5, 3, False)
    small.settle()
    assert stand.look == Look("shimmer", small.session.variant, steps=2, distance=8)
    assert len(stand.canvas.tiles) == 1
    assert panel.distance.currentData() == 8  # type: ignore[attr-defined]
    small.click(panel.looks["Runtime"])  # type: ignore[attr-defined]
    small.click(stand.foot.spread_button)
    small.settle()
    assert [tile.label for tile in stand.canvas.tiles] == list(small.session.kit.variant_names.values())
    assert spread_looks(stand.state, small.session.at)[1][1].kind == "runtime"


def test_a_large_map_is_seen_before_all_of_it_is_in_blocks(
    small: Driver, part: ConditionsPart, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What is seen in the end is what all in blocks looks like, and nothing is wished for any more."""
    monkeypatch.setattr(proof, "VIEW_SIDE", 8)
    results = small.session.results
    small.choose(part.preset.box, "Blocks of half a byte")
    small.settle()
    assert results._fulfilled
    assert not results.wishing
    at, sheets = small.session.at, Sheets()
    shown = picture(at, sheets, Look("runtime", small.session.variant))
    there = small.stand.canvas.tiles[0].picture.slots
    assert {name: slot.content_id for name, slot in there.items()} == {
        name: slot.content_id for name, slot in shown.slots.items()
    }


def test_wishes_that_are_given_up_are_no_tries(empty: Driver) -> None:
    """However often a view wants something else meanwhile; what was made three times and is gone again is left."""
    results, made = empty.session.results, list[int]()

    def until_given_up(cancel: CancelToken) -> None:
        while True:
            cancel.wait(60)
            cancel.check()

    def at_once(cancel: CancelToken) -> None:
        made.append(1)

    for _ in range(TRIES + 2):
        results.sheets.wishes = {"map": until_given_up}
        results.fulfil()
        assert results.wishing
        results.fulfil()
        assert not results.wishing
    for number in range(1, TRIES + 1):
        results.sheets.wishes = {"map": at_once}
        results.fulfil()
        empty.qtbot.waitUntil(lambda: not results.wishing, timeout=60_000)
        assert len(made) == number
    results.sheets.wishes = {"map": at_once}
    results.fulfil()
    assert not results.wishing


def test_maps_of_all_sheets_and_the_budget(demo: Driver) -> None:
    """The largest first; with a budget each has a share of it; a row goes to its sheet."""
    demo.stage(7)
    demo.settle()
    page: AssetPage = demo.window.ledge.page("Proof").asset  # type: ignore[attr-defined]
    demo.click(demo.window.ledge.tabs_of("Proof").buttons[1])
    demo.qtbot.waitUntil(lambda: page.found is not None, timeout=60_000)
    assert page.found is not None
    assert page.table.rowCount() == len(page.found.maps)
    sizes = [float(page.table.item(line, 5).text().replace(",", "")) for line in range(page.table.rowCount())]  # type: ignore[union-attr]
    assert sizes == sorted(sizes, reverse=True)
    assert "budget" not in page.told.text()
    demo.type(page.budget.lineEdit(), "32")
    demo.qtbot.waitUntil(lambda: "budget" in page.told.text(), timeout=60_000)
    assert demo.session.kit.budget_bytes == 32 << 20
    share = page.found.bytes / (32 << 20)
    assert f"{share:.0%} of the budget" in page.told.text()
    other = next(line for line in range(page.table.rowCount()) if page.table.item(line, 1).text() == "River")  # type: ignore[union-attr]
    page._go(other)
    demo.settle()
    assert demo.session.at.sheet.name == "River"
    assert demo.stand.look.kind == "runtime"
