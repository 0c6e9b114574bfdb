"""The trays' controls, one by one: each changes the kit, and each change can be undone."""

from itertools import combinations
from pathlib import Path

import msgspec
import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QComboBox, QPushButton, QToolButton

from even_palette.app.rail import State
from even_palette.app.stages import STAGES
from even_palette.core.arrays import float32
from even_palette.core.colour.ciede2000 import ciede2000
from even_palette.core.colour.cielab import linear_to_cielab
from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.colour.swatches import read_swatches
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import Overcoats, users_of
from even_palette.core.kit.recipe_file import read_recipe, write_recipe
from even_palette.core.kit.sheet import Box, Unmix
from even_palette.core.material.model import Blending, Bound, ValueKind
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.regions.keying import Metric
from even_palette.core.regions.packing import Packing
from even_palette.core.regions.unmix import Mixing
from even_palette.core.regions.weights import Resolve
from even_palette.core.results.looks import Look
from even_palette.core.results.maps import plane_of_map
from even_palette.core.results.pictures import render_reference, whole_sheet
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.texels import read_texel
from even_palette.core.results.weights import weights_of
from tests.app.conftest import Driver, pixels
from tests.conftest import write_maps


def control(driver: Driver, kind: type, name: str):  # type: ignore[no-untyped-def]
    """The visible control with this accessible name."""

    def found() -> list:  # type: ignore[type-arg]
        return [w for w in driver.tray.findChildren(kind) if w.isVisible() and w.accessibleName() == name]

    driver.settle()
    driver.qtbot.waitUntil(lambda: bool(found()), timeout=60_000)
    return found()[0]


def pick_file(driver: Driver, name: str) -> None:
    """Choose a map or mesh of the sheet in the list of Source."""
    files = driver.tray.panel("Source").files
    driver.settle()
    item = next(files.item(row) for row in range(files.count()) if files.item(row).text().startswith(name))
    files.setCurrentItem(item)
    driver.settle()


def test_source(small: Driver) -> None:
    """What a map is, how it is encoded, and removing it."""
    small.stage(1)
    small.choose(control(small, QComboBox, "Encoding of base colour"), "Linear")
    assert small.session.kit.sheets[0].source(Role.BASE_COLOUR).encoding == Encoding.LINEAR  # type: ignore[union-attr]
    pick_file(small, "crate_id.png")
    assert small.window.stand.look == Look("source", map="id_map")
    small.choose(control(small, QComboBox, "What crate_id.png is"), "base colour")
    assert small.session.kit.sheets[0].source(Role.BASE_COLOUR).path.endswith("crate_id.png")  # type: ignore[union-attr]
    assert small.session.kit.sheets[0].source(Role.ID).path.endswith("crate_base_colour.png")  # type: ignore[union-attr]
    small.session.undo(2)
    assert not small.session.modified
    small.settle()
    pick_file(small, "crate_id.png")
    small.click(control(small, QToolButton, "Remove ID map"))
    assert small.session.kit.sheets[0].source(Role.ID) is None
    small.settle()
    small.session.undo()
    small.settle()
    pick_file(small, "crate_base_colour.png")
    small.click(control(small, QToolButton, "Take base colour into the kit"))
    small.settle()
    assert "blobs" in small.session.kit.sheets[0].source(Role.BASE_COLOUR).path  # type: ignore[union-attr]


def test_regions(small: Driver) -> None:
    """Order, ID colour, several at once, and removing."""
    small.stage(2)
    small.session.select("region_2")
    small.click(control(small, QToolButton, "Move region up"))
    assert [region.key for region in small.session.kit.sheets[0].regions][:2] == ["region_2", "region_1"]
    small.tray.panel("Regions").ids.hex.setText("#010203")
    small.click(control(small, QToolButton, "Use hex as ID colour"))
    assert small.session.kit.region("region_2").id_colour == (1, 2, 3)
    small.click(control(small, QToolButton, "Remove region"))
    assert len(small.session.kit.sheets[0].regions) == 3
    small.settle()
    small.qtbot.waitUntil(lambda: small.tray.panel("Regions").ids.found.count() > 4, timeout=60_000)
    small.tray.panel("Regions").ids.found.selectAll()
    small.click(small.tray.panel("Regions").ids.make_button)
    colours = [region.id_colour for region in small.session.kit.sheets[0].regions]
    assert len(colours) == len(set(colours)) == small.tray.panel("Regions").ids.found.count()
    small.settle()
    ids = small.tray.panel("Regions").ids
    ids.found.clearSelection()
    last = ids.found.item(ids.found.count() - 1)
    last.setSelected(True)
    colour = last.data(Qt.ItemDataRole.UserRole)
    small.click(ids.dissolve_button)
    small.settle()
    assert small.session.kit.sheets[0].unmix == Unmix(dissolved=(colour,))
    assert "dissolved" in ids.found.item(ids.found.count() - 1).text()
    small.session.undo()
    small.settle()
    small.session.select("region_3")
    small.click(ids.give_button)
    assert small.session.kit.region("region_3").also == (colour,)


def test_masks(small: Driver) -> None:
    small.session.select("region_3")
    small.stage(3)
    small.choose(small.tray.panel("Masks").mixing, "Mixed in linear")
    small.click(small.tray.panel("Masks").lossy)
    assert small.session.kit.sheets[0].unmix == Unmix(Mixing.LINEAR, lossy=True)
    small.choose(small.tray.panel("Masks").keying, "By tolerances")
    assert small.session.kit.sheets[0].unmix is None
    small.choose(small.tray.panel("Masks").distance, "Euclidean")
    assert small.session.kit.region("region_3").metric == Metric.EUCLIDEAN
    small.choose(small.tray.panel("Masks").resolve, "Order")
    assert small.session.kit.sheets[0].resolve == Resolve.ORDER
    small.type(small.tray.panel("Masks").inner.field, "90")
    region = small.session.kit.region("region_3")
    assert (region.inner, region.outer) == (90, 90)
    small.choose(small.tray.panel("Masks").region_box, "Region 1")
    assert small.session.region == "region_1"
    assert small.stand.look.region == "region_1"


def test_binding(small: Driver) -> None:
    """Fixed, a parameter of its own, a shared one: the tray shows who shares it."""
    small.session.select("region_4", variant="")
    small.stage(5)

    def bind(text: str) -> None:
        button = control(small, QToolButton, "Binding of Colour")
        menu = button.menu()  # type: ignore[attr-defined]
        next(action for action in menu.actions() if action.text() == text).trigger()

    assert "region_4_colour" in control(small, QToolButton, "Binding of Colour").toolTip()
    bind("Parameter region_1_colour")
    assert [use.owner for use in users_of(small.session.kit, "region_1_colour")] == ["region_1", "region_4"]
    from PyQt6.QtWidgets import QLabel

    assert any("Shared with Region 1." in label.text() for label in small.tray.panel("Recolour").findChildren(QLabel))
    bind("Parameter of its own")
    assert len(users_of(small.session.kit, "region_1_colour")) == 1
    bind("Fixed in the shader")
    assert not isinstance(small.session.kit.region("region_4").coats[0].values["colour"], Bound)
    small.choose(small.tray.panel("Recolour").blending, "Blend encoded")
    assert small.session.kit.blending == Blending.ENCODED
    small.choose(small.tray.panel("Recolour").kind, "Repaint")
    small.type(control(small, type(small.tray.panel("Recolour").editors["strength"].field), "Strength value"), "0.25")  # type: ignore[attr-defined]
    assert small.session.kit.region("region_4").coats[0].values["strength"] == 0.25
    for typed, number in (("20%", 0.2), ("51/255", 0.2), ("100 %", 1.0)):
        small.type(small.tray.panel("Recolour").editors["strength"].field, typed)  # type: ignore[attr-defined]
        assert small.session.kit.region("region_4").coats[0].values["strength"] == number, typed


def test_lineup(small: Driver) -> None:
    small.session.select(variant="day")
    small.stage(6)
    small.click(small.tray.panel("Lineup").add)
    assert small.session.kit.variants[-1].parent == "day"
    item = small.tray.panel("Lineup").variants.currentItem()
    assert item is not None
    item.setText("Fog")
    assert small.session.kit.variant(small.session.variant).name == "Fog"
    small.click(control(small, QToolButton, "Remove variant"))
    assert [variant.name for variant in small.session.kit.variants] == ["Day", "Dusk"]
    small.choose(small.tray.panel("Lineup").parent_box, "Master") if small.session.variant else None
    small.session.select(variant="day")
    small.choose(small.tray.panel("Lineup").parent_box, "Dusk")
    assert "inherits from itself" in small.window.notice.text.text()


def test_ship_tells_what_is_missing(empty: Driver, tmp_path: Path) -> None:
    empty.stage(8)
    empty.settle()
    empty.tray.panel("Ship").refresh()
    assert not empty.tray.panel("Ship").proof_button.isEnabled()
    empty.tray.panel("Ship").folder.setText(str(tmp_path))
    assert not empty.tray.panel("Ship").ship_button.isEnabled()
    assert "nothing to ship" in empty.tray.panel("Ship").obstacle.text()
    assert list(tmp_path.iterdir()) == []
    empty.window.open_paths(list(write_maps(tmp_path / "maps").values()))
    empty.settle()
    assert empty.tray.panel("Ship").obstacle.text() == ""
    assert empty.tray.panel("Ship").ship_button.isEnabled()


def test_a_package_of_an_older_kit_is_not_proved(small: Driver, tmp_path: Path) -> None:
    small.stage(8)
    small.tray.panel("Ship").folder.setText(str(tmp_path / "package"))
    small.click(small.tray.panel("Ship").ship_button)
    small.settle()
    assert small.tray.panel("Ship").proof_button.isEnabled()
    small.session.do(small_change())
    small.settle()
    assert not small.tray.panel("Ship").proof_button.isEnabled()
    assert "Ship first" in small.tray.panel("Ship").proof_result.text()


def small_change():  # type: ignore[no-untyped-def]
    from even_palette.core.kit import commands

    return commands.rename_region("region_1", "Other")


def test_rail_and_findings_lead_to_stages(demo: Driver) -> None:
    """Each stage tells its state in words; a finding leads to the stage where it is mended."""
    demo.qtbot.waitUntil(lambda: bool(demo.window.findings), timeout=10_000)
    states = {button.name: button.state.state for button in demo.window.rail.buttons}
    assert states["Source"] == State.IN_WORK
    assert states["Tones"] == State.FINDINGS
    assert states["Proof"] == State.IN_WORK
    assert states["Ship"] == State.EMPTY
    assert states["Masks"] == State.FINDINGS
    assert "findings" in demo.window.rail.buttons[2].accessibleName()
    demo.click(demo.window.readout.findings)
    panel = demo.window.findings_panel
    listed = [panel.list.item(row) for row in range(panel.list.count())]
    item = next(item for item in listed if item is not None and "Masks:" in item.text())
    panel.list.scrollToItem(item)
    demo.qtbot.mouseClick(
        panel.list.viewport(), Qt.MouseButton.LeftButton, pos=panel.list.visualItemRect(item).center()
    )
    assert STAGES[demo.window.stage].name == "Masks"
    demo.key(panel, Qt.Key.Key_Escape)
    assert not panel.isVisible()
    for number in range(1, 9):
        demo.key(demo.window, Qt.Key(Qt.Key.Key_0 + number), Qt.KeyboardModifier.ControlModifier)
        assert demo.window.stage == number - 1


def test_coats_patterns_and_overcoats_by_clicks(demo: Driver) -> None:
    """A second coat with a pattern, its order, and an overcoat: the picture follows, the board shows a row for it."""
    session, tray, board = demo.session, demo.tray.panel("Recolour"), demo.board
    demo.stage(5)
    before = demo.stand.texel_at(0.3, 0.2)
    assert before
    hull = session.at.sheet.regions[int(np.argmax(before.weights))].key
    session.select(hull)
    session.do(commands.remove_coat(hull, 1))
    demo.settle()
    before = demo.stand.texel_at(0.3, 0.2)
    tray.add("repaint")
    demo.settle()
    assert [coat.kind for coat in session.kit.region(hull).coats] == ["tint", "repaint"]
    assert tray.coats.currentItem().text() == "2  Repaint"
    editor = tray.editors["plane pattern"]
    demo.choose(editor.plane, "Map · dirt")  # type: ignore[attr-defined]
    assert session.kit.region(hull).coats[1].pattern is not None
    assert tray.coats.currentItem().text() == "2  Repaint by pattern"
    tray.coats.item(1).setCheckState(Qt.CheckState.Unchecked)
    assert not session.kit.region(hull).coats[1].on
    demo.settle()
    assert demo.stand.texel_at(0.3, 0.2).encoded == before.encoded
    tray.coats.item(1).setCheckState(Qt.CheckState.Checked)
    demo.choose(editor.wrap, "Mirror")  # type: ignore[attr-defined]
    demo.settle()
    after = demo.stand.texel_at(0.3, 0.2)
    assert after
    assert before.encoded != after.encoded
    tray.copy.menu().aboutToShow.emit()
    action = next(action for action in tray.copy.menu().actions() if action.text() == "Ferry tug · Lamp")
    action.trigger()
    lamp = next(region for region in session.at.sheet.regions if region.name == "Lamp")
    assert lamp.coats[-1] == session.kit.region(hull).coats[1]
    demo.click(tray.order.earlier)
    assert [coat.kind for coat in session.kit.region(hull).coats] == ["repaint", "tint"]
    demo.key(tray.coats, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    assert [coat.kind for coat in session.kit.region(hull).coats] == ["tint", "repaint"]
    demo.key(tray.coats, Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
    assert tray.coat == 0
    demo.click(tray.order.remove)
    assert [coat.kind for coat in session.kit.region(hull).coats] == ["tint"]
    rows = board.board_model.rowCount()
    assert board.board_model.owner(rows - 1) == Overcoats(session.at.key)
    session.select(Overcoats(session.at.key))
    assert tray.cell.text().startswith("Overcoats of Ferry tug")
    for button, kind in zip(tray.defaults[:2], ("shade", "bare"), strict=True):
        demo.click(button)
        assert session.at.sheet.overcoats[-1].kind == kind
    demo.click(tray.order.remove)
    demo.settle()
    over = session.at.sheet.overcoats[-1]
    assert over.planes["plane"].plane.key in [source.key for source in session.at.sheet.sources] + [
        bake.key for bake in session.at.sheet.bakes
    ]
    shaded = demo.stand.texel_at(0.3, 0.2)
    assert shaded
    assert sum(shaded.linear) <= sum(before.linear) + 1e-6
    count = len(session.at.sheet.overcoats)
    demo.click(tray.order.remove)
    assert len(session.at.sheet.overcoats) == count - 1


def test_the_packing_of_weights_is_chosen_in_ship(small: Driver) -> None:
    """Ship tells what each way costs; edge pairs are measured; the package then holds them, and undo goes back."""
    small.stage(8)
    small.settle()
    panel = small.tray.panel("Ship")
    told = {}
    for name in ("RGBA planes", "RGB planes", "One array", "Edge pairs"):
        small.choose(panel.packing, name)
        small.settle()
        told[name] = panel.packing_told.text()
    assert told["RGBA planes"].startswith("1 texture, 1 sample a pixel")
    assert told["RGB planes"].startswith("2 textures, 2 samples a pixel")
    assert told["One array"].startswith("1 texture, 1 sample a pixel")
    assert told["Edge pairs"].startswith("1 texture, 8 samples a pixel")
    assert "Exact" in told["Edge pairs"]
    assert small.session.at.sheet.packing == Packing.PAIRS
    files = [panel.files.topLevelItem(i).text(0) for i in range(panel.files.topLevelItemCount())]  # type: ignore[union-attr]
    assert "edge_pairs.png" in files
    small.session.undo(3)
    small.settle()
    assert panel.packing.currentText() == "RGBA planes"


def test_masks_made_elsewhere_become_regions(small: Driver, tmp_path: Path) -> None:
    """A map without a role: its channels become regions by a click, the empty one left out; undo takes them away."""
    rng = np.random.default_rng(3)
    levels = rng.integers(0, 256, (64, 64, 3)).astype(np.uint8)
    levels[..., 1] = 0
    write_plane(tmp_path / "worn_masks.png", Plane(levels, Encoding.DATA))
    small.session.open_files([tmp_path / "worn_masks.png"])
    small.settle()
    small.stage(1)
    small.settle()
    before = [region.name for region in small.session.at.sheet.regions]
    pick_file(small, "worn_masks")
    split = next(b for b in small.tray.panel("Source").findChildren(QPushButton) if b.text() == "Regions from channels")
    small.click(split)
    small.settle()
    names = [region.name for region in small.session.at.sheet.regions]
    assert [name for name in names if name not in before] == ["worn masks R", "worn masks B"]
    small.session.undo()
    assert [region.name for region in small.session.at.sheet.regions] == before


def test_tolerances_are_set_on_a_histogram(small: Driver) -> None:
    """The bars count the texels of the ID map by their distance; dragging a line sets the tolerance, one step a drag."""
    small.session.do(commands.set_unmix(small.session.at.key, None))
    small.stage(3)
    small.settle()
    panel, session = small.tray.panel("Masks"), small.session
    histogram = panel.histogram
    small.qtbot.waitUntil(lambda: histogram.counts is not None, timeout=10_000)
    assert histogram.isVisible()
    assert histogram.counts.sum() == 64 * 64
    before = session.kit.region(session.region)
    y = histogram.height() // 2
    start, end = (QPoint(round(histogram.x_of(level)), y) for level in (before.outer, 180))
    small.drag(histogram, start, end)
    after = session.kit.region(session.region)
    assert abs(after.outer - 180) <= 2
    assert after.inner == before.inner
    small.drag(histogram, QPoint(round(histogram.x_of(after.inner)), y), QPoint(round(histogram.x_of(60)), y))
    assert abs(session.kit.region(session.region).inner - 60) <= 2
    session.undo()
    assert session.kit.region(session.region) == after
    session.undo()
    assert session.kit.region(session.region) == before


def test_a_locked_region_comes_first(small: Driver) -> None:
    """The lock in Masks: where two regions overlap, the locked one keeps all that it has; undo lets go."""
    session = small.session
    first, second = (region.key for region in session.at.sheet.regions[:2])
    for key in (first, second):
        session.do(commands.add_box(key, Box(0.0, 0.0, 0.5, 0.5)))
    small.stage(3)
    session.select(second)
    small.settle()
    at = session.shown
    assert at is not None
    assert weights_of(at, session.sheets).at(3, 3)[:2] == pytest.approx((0.5, 0.5), abs=0.003)
    small.click(small.tray.panel("Masks").lock)
    small.settle()
    assert session.kit.region(second).locked
    assert weights_of(session.shown, session.sheets).at(3, 3)[:2] == (0.0, 1.0)  # type: ignore[arg-type]
    session.undo()
    small.settle()
    assert not small.tray.panel("Masks").lock.isChecked()


def test_channels_are_moved_by_drag_and_suggested(demo: Driver) -> None:
    """Ship lists each region with its channel; dropped elsewhere it is packed there; Suggest puts neighbours apart."""
    from PyQt6.QtCore import QModelIndex

    demo.stage(8)
    demo.settle()
    panel, session = demo.tray.panel("Ship"), demo.session
    listed = lambda: [panel.channels.item(i).text().split("    ") for i in range(panel.channels.count())]  # type: ignore[union-attr]  # noqa: E731
    first = listed()
    assert first[0] == ["weights 0 · R", "Hull"]
    assert first[4][0] == "weights 1 · R"
    model = panel.channels.model()
    assert model is not None
    model.moveRows(QModelIndex(), 0, 1, QModelIndex(), 6)
    demo.settle()
    moved = listed()
    assert moved[5] == ["weights 1 · G", "Hull"]
    assert [name for _, name in moved] == [name for _, name in first[1:6]] + ["Hull"] + [name for _, name in first[6:]]
    before = panel.packing_told.text()
    demo.click(panel.suggest)
    demo.settle()
    blocks = [int(text.split(". ")[1].split(" blocks")[0]) for text in (before, panel.packing_told.text())]
    assert blocks[1] < blocks[0]
    session.undo(2)
    demo.settle()
    assert listed() == first


def test_a_recipe_is_made_worn_and_let_go(demo: Driver) -> None:
    """By the tray: made of a region's coats, worn by another, edited through it, a value of its own, and let go."""
    session, tray = demo.session, demo.tray.panel("Recolour")
    demo.stage(5)
    demo.settle()
    cabin, funnel = (next(r.key for r in session.at.sheet.regions if r.name == name) for name in ("Cabin", "Funnel"))
    session.select(cabin, variant="")
    demo.settle()
    before = weights_of(session.at, session.sheets)
    demo.choose(tray.recipe_row.box, "Make one of these coats")
    recipe = session.kit.region(cabin).recipe
    assert session.kit.recipe(recipe).name == "Cabin paint"
    demo.type(tray.recipe_row.name, "Wheelhouse")
    assert session.kit.recipe(recipe).name == "Wheelhouse"
    session.select(funnel)
    demo.settle()
    demo.choose(tray.recipe_row.box, "Wheelhouse")
    assert tray.recipe_row.wearers.text() == "Also worn by Cabin."
    assert tray.coats.item(0).text() == "1  Tint · recipe"
    tray.editors["strength"].field.setValue(0.5)  # type: ignore[attr-defined]
    assert session.kit.recipe(recipe).coats[0].values["strength"] == 0.5

    def own(text: str) -> None:
        menu = control(demo, QToolButton, "Binding of Strength").menu()  # type: ignore[attr-defined]
        next(action for action in menu.actions() if action.text() == text).trigger()

    own("Set for this region alone")
    tray.editors["strength"].field.setValue(0.9)  # type: ignore[attr-defined]
    assert session.kit.region(funnel).own_values == {"tint": {"strength": 0.9}}
    assert session.kit.recipe(recipe).coats[0].values["strength"] == 0.5
    own("Follow the recipe")
    assert session.kit.region(funnel).own_values == {}
    tray.add("finish")
    demo.click(tray.recipe_row.take_in)
    assert [coat.kind for coat in session.kit.recipe(recipe).coats] == ["tint", "finish"]
    demo.choose(tray.recipe_row.box, "Own coats")
    assert [coat.kind for coat in session.kit.region(funnel).coats] == ["tint", "finish"]
    session.select(cabin)
    demo.settle()
    demo.click(tray.recipe_row.drop)
    assert recipe not in [each.key for each in session.kit.recipes]
    demo.settle()
    assert weights_of(session.at, session.sheets) is before


def test_parameters_as_a_table_and_variants_by_chance(demo: Driver) -> None:
    """Named, grouped, ordered, made a switch, set in a variant; then variants by chance that are unlike each other."""
    session, table = demo.session, demo.tray.panel("Lineup").parameters
    demo.stage(6)
    session.select(variant="harvest_barge")
    worn = next(parameter.key for parameter in session.kit.parameters if parameter.name == "worn")

    def choose(key: str) -> None:
        items = table.table.findItems("", Qt.MatchFlag.MatchContains | Qt.MatchFlag.MatchRecursive)
        table.table.setCurrentItem(next(each for each in items if each.data(0, Qt.ItemDataRole.UserRole) == key))

    choose(worn)
    assert table.users.text() == "Followed by Overcoats of Ferry tug: strength."
    demo.type(table.group, "Weather")
    demo.type(table.help, "How worn the paint is")
    assert (session.kit.parameter(worn).group, session.kit.parameter(worn).help) == ("Weather", "How worn the paint is")
    at = [each.key for each in session.kit.parameters].index(worn)
    demo.click(table.earlier)
    assert [each.key for each in session.kit.parameters].index(worn) == at - 1
    demo.choose(table.kind, "Switch")
    assert session.kit.parameter(worn).kind == ValueKind.SWITCH
    assert session.kit.variant("morning_ferry").values[worn] == 0.0
    table.editor.click()  # type: ignore[union-attr]
    assert session.kit.variant("harvest_barge").values[worn] == 0.0
    demo.choose(table.kind, "Number")
    table.editor.field.setValue(0.25)  # type: ignore[union-attr]
    assert session.kit.variant("harvest_barge").values[worn] == 0.25
    hue = next(parameter for parameter in session.kit.parameters if parameter.name == "deck_hue")
    choose(hue.key)
    demo.type(table.high, "9000")
    assert session.kit.parameter(hue.key) == hue  # its value could not follow
    count = len(session.kit.variants)
    demo.click(demo.tray.panel("Lineup").chance.make)
    assert len(session.kit.variants) == count + 4
    colours = [
        float32([value for key, value in sorted(variant.values.items()) if isinstance(value, tuple)])
        for variant in session.kit.variants[count:]
    ]
    for one, other in combinations(map(linear_to_cielab, map(srgb_to_linear, colours)), 2):
        assert ciede2000(one, other).max() >= 8
    demo.settle()
    session.undo()
    assert len(session.kit.variants) == count


def test_finishes_and_cells_are_chosen_by_their_pictures(demo: Driver) -> None:
    """Satin is 0/20/0 and matte 0/50/0 (common practice); a click on a cell of the atlas uses it in the variant."""
    session, tray = demo.session, demo.tray.panel("Recolour")
    demo.stage(5)
    rails = next(region.key for region in session.at.sheet.regions if region.name == "Rails")
    session.select(rails, variant="")
    demo.settle()
    tray.coats.setCurrentRow(1)
    demo.settle()
    for name, wanted in (("Satin", (0.0, 0.2, 0.0)), ("Matte", (0.0, 0.5, 0.0)), ("Bright brass", (1.0, 0.12, 0.0))):
        chart = tray.starts
        assert chart is not None
        item = next(chart.item(row) for row in range(chart.count()) if chart.item(row).text() == name)
        demo.qtbot.mouseClick(chart.viewport(), Qt.MouseButton.LeftButton, pos=chart.visualItemRect(item).center())
        values = session.kit.region(rails).coats[1].values
        assert (values["metalness"], values["roughness"], values["clear_coat"]) == wanted
    session.show_sheet(session.kit.sheets[4].key)
    demo.settle()
    wall = session.at.sheet.regions[0].key
    session.select(wall, variant="night_post")
    demo.settle()
    tray.coats.setCurrentRow(0)
    demo.qtbot.waitUntil(lambda: tray.cells is not None and tray.cells.count() == 4, timeout=10_000)
    item = tray.cells.item(3)
    demo.qtbot.mouseClick(
        tray.cells.viewport(), Qt.MouseButton.LeftButton, pos=tray.cells.visualItemRect(item).center()
    )
    assert commands.read_cell(session.kit, wall, "night_post").settings[0]["cell"] == 3.0
    assert commands.read_cell(session.kit, wall, "morning_ferry").settings[0]["cell"] == 0.0


def test_looks_at_surface_values_and_differences(demo: Driver) -> None:
    """They follow the selected variant; two variants that are alike somewhere are black there."""
    session, stand = demo.session, demo.stand
    demo.stage(5)
    session.select(variant="night_post")
    demo.settle()
    demo.choose(stand.foot.look_box, "Roughness · Night Post")
    demo.settle()
    assert stand.look == Look("surface", "night_post", output="roughness")
    session.select(variant="harvest_barge")
    demo.settle()
    assert stand.foot.look_box.currentText() == "Roughness · Harvest Barge"
    demo.choose(stand.foot.look_box, "Difference · Harvest Barge, Night Post")
    demo.settle()
    hull, rails = stand.texel_at(0.3, 0.05), stand.texel_at(0.42, 0.62)
    assert hull is not None
    assert rails is not None
    assert hull.encoded[0] > 0.5
    assert rails.encoded[0] < 0.02
    session.select(variant="night_post")
    demo.settle()
    assert stand.look == Look(variant="night_post")


def test_a_recipe_lives_in_a_file_that_others_change_and_move(small: Driver, tmp_path: Path) -> None:
    small.stage(5)
    session, recipes = small.session, small.tray.panel("Recolour").recipe_row
    session.do(commands.make_recipe("region_1", "Paint"))
    path = tmp_path / "Shared.recipe.json"
    session.select("region_1")
    assert [action.text() for action in recipes.file.menu().actions()] == ["Keep in a file …"]
    session.files.recipes.keep("paint", path)
    small.settle()
    assert "Lives in Shared.recipe.json." in recipes.wearers.text()
    # edited here: told, then written by the save
    session.do(commands.set_cell_value("region_1", "strength", 0.25))
    small.settle()
    assert "Changed here" in recipes.wearers.text()
    small.window.save()
    small.settle()
    assert read_recipe(path).coats[0].values["strength"] == 0.25
    assert "Lives in" in recipes.wearers.text()
    assert not session.document.modified
    # changed by somebody else: followed, as a step that can be undone
    file = read_recipe(path)
    coat = msgspec.structs.replace(file.coats[0], values={**file.coats[0].values, "strength": 0.75})
    write_recipe(path, msgspec.structs.replace(file, coats=(coat,)))
    small.qtbot.waitUntil(lambda: session.kit.recipe("paint").coats[0].values["strength"] == 0.75, timeout=20_000)
    assert session.history.undo_labels[0] == "Read recipe"
    # changed here and there: nothing is lost on either side, and it is told
    session.do(commands.set_cell_value("region_1", "strength", 0.5))
    coat = msgspec.structs.replace(coat, values={**coat.values, "strength": 0.1})
    with small.qtbot.waitSignal(session.notice, check_params_cb=lambda text: "changed here and in" in text):
        write_recipe(path, msgspec.structs.replace(file, coats=(coat,)))
    assert session.kit.recipe("paint").coats[0].values["strength"] == 0.5
    small.settle()
    read = next(action for action in recipes.file.menu().actions() if action.text() == "Read the file")
    read.trigger()
    small.settle()
    assert session.kit.recipe("paint").coats[0].values["strength"] == 0.1
    # it goes, is told of, and is found where it went
    path.rename(tmp_path / "Elsewhere.recipe.json")
    small.qtbot.waitUntil(lambda: "is missing" in recipes.wearers.text(), timeout=20_000)
    assert session.kit.recipe("paint").coats[0].values["strength"] == 0.1
    session.files.recipes.read("paint", tmp_path / "Elsewhere.recipe.json")
    small.settle()
    assert "Lives in Elsewhere.recipe.json." in recipes.wearers.text()
    session.select("region_2")
    recipes.open_file(tmp_path / "Elsewhere.recipe.json")
    small.settle()
    assert session.kit.region("region_2").recipe == "paint"  # linked already, so not once more
    next(action for action in recipes.file.menu().actions() if action.text() == "Take into the kit").trigger()
    assert session.kit.recipe("paint").path == ""


def test_swatches_come_from_lists_and_from_the_kit(small: Driver, tmp_path: Path) -> None:
    small.stage(5)
    editor = small.tray.panel("Recolour").editors["colour"]
    strip = editor.strip  # type: ignore[attr-defined]
    written = tmp_path / "wharf.txt"
    written.write_text("#ff8800 Buoy\n\n// tar\n#101418 Tarred rope\n")
    strip.open_file(written)
    small.settle()
    assert strip.box.currentText() == "wharf.txt"
    small.qtbot.mouseClick(strip.cells, Qt.MouseButton.LeftButton, pos=strip.cells.cell(1).center())
    assert editor.hex.text() == "#101418"  # type: ignore[attr-defined]
    small.key(strip.cells, Qt.Key.Key_Left)
    small.key(strip.cells, Qt.Key.Key_Return)
    assert editor.hex.text() == "#ff8800"  # type: ignore[attr-defined]
    small.choose(strip.box, "Colours of the kit")
    assert (255, 136, 0) in [swatch.colour for swatch in strip.cells.swatches]
    strip.write_to(tmp_path / "out.txt")
    small.settle()
    assert read_swatches((tmp_path / "out.txt").read_text()) == strip.swatches
    written.write_text("not a colour\n")
    with small.qtbot.waitSignal(small.session.notice, check_params_cb=lambda text: "wharf.txt: line 1" in text):
        strip.open_file(written)


def test_where_a_coat_acts_is_seen(demo: Driver) -> None:
    """The eye shows the pattern of the wall's moss; it follows the chosen coat, and goes where nothing varies."""
    demo.session.show_sheet("quay_wall")
    demo.stage(5)
    demo.settle()
    tray, stand = demo.tray.panel("Recolour"), demo.stand
    demo.session.select(demo.session.at.sheet.regions[0].key)
    demo.settle()
    assert not tray.see.isEnabled()  # the stones cover all
    tray.coats.setCurrentRow(1)
    demo.settle()
    demo.click(tray.see)
    demo.settle()
    assert stand.look.kind == "coat"
    assert stand.foot.look_box.currentText() == "Acts · 2 Surface · Wall"
    (tile,) = stand.canvas.tiles
    height = plane_of_map(demo.session.at.sheet.source(Role.HEIGHT), demo.session.sheets).samples[..., 0]  # type: ignore[arg-type]
    view = whole_sheet(height.shape[1], height.shape[0])
    shown = render_reference(tile.picture, view)[..., 0]
    grooves = height < np.quantile(height, 0.1)
    assert shown[grooves].mean() > 200
    assert shown[height > np.quantile(height, 0.6)].max() == 0
    tray.coats.setCurrentRow(0)
    demo.settle()
    assert stand.look == Look(variant=demo.session.variant)


def test_a_spread_of_four_variants(demo: Driver) -> None:
    stand = demo.stand
    stand.foot.spread_menu.aboutToShow.emit()
    assert [action.text() for action in stand.foot.spread_menu.actions() if action.isCheckable()][:2] == [
        "Master",
        "Morning Ferry",
    ]
    assert not any(action.isChecked() for action in stand.foot.spread_menu.actions())
    for name in ("Ice Patrol", "Master", "Night Post", "Harvest Barge"):
        stand.foot.spread_menu.aboutToShow.emit()
        next(action for action in stand.foot.spread_menu.actions() if action.text() == name).trigger()
    demo.settle()
    assert [tile.label for tile in stand.canvas.tiles] == ["Master", "Night Post", "Harvest Barge", "Ice Patrol"]
    demo.qtbot.mouseClick(
        stand.canvas, Qt.MouseButton.LeftButton, pos=stand.canvas.position_of((0.5, 0.5), 1).toPoint()
    )
    assert demo.session.variant == "night_post"
    stand.foot.spread_menu.aboutToShow.emit()
    next(action for action in stand.foot.spread_menu.actions() if action.text() == "Master").trigger()
    assert [tile.label for tile in stand.canvas.tiles] == ["Night Post", "Harvest Barge", "Ice Patrol"]
    stand.foot.spread_menu.aboutToShow.emit()
    stand.foot.spread_menu.actions()[0].trigger()
    assert len(stand.canvas.tiles) == 5


def test_dirt_of_the_paint_itself_is_found_by_one_click(small: Driver) -> None:
    """No map of dirt is there: it is found in the paint, as a tone, and bare paint comes back there."""
    session = small.session
    small.stage(5)
    session.select(Overcoats(session.at.key))
    small.settle()
    steps = len(session.history.undo_labels)
    small.click(small.tray.panel("Recolour").defaults[1])
    small.settle()
    (tone,) = session.at.sheet.tones
    (coat,) = session.at.sheet.overcoats
    assert (tone.kind, coat.kind, coat.pattern and coat.pattern.plane.key) == ("dirt", "bare", tone.key)
    assert len(session.history.undo_labels) == steps + 1
    small.click(small.tray.panel("Recolour").see)
    small.settle()
    assert small.stand.look.kind == "coat"
    assert len(small.stand.canvas.tiles) == 1


def test_the_moment_that_is_shown(demo: Driver) -> None:
    """Another instance has another colour of the ramp, time moves the rows of a palette; both go back to the first
    moment, and what the loupe reads is what is shown."""
    session, stand = demo.session, demo.stand
    reeds = next(sheet.key for sheet in session.kit.sheets if sheet.name == "Reed clump")
    session.show_sheet(reeds)
    demo.settle()

    def seen() -> np.ndarray:
        demo.settle()
        return pixels(stand.canvas.grab().toImage())

    before, texel = seen(), stand.texel_at(0.5, 0.2)
    demo.key(stand.canvas, Qt.Key.Key_N)
    other, told = seen(), stand.texel_at(0.5, 0.2)
    assert "instance 0.618" in stand.canvas.tiles[0].label
    assert texel is not None
    assert told is not None
    assert np.abs(np.subtract(told.encoded, texel.encoded)).max() > 0.02
    assert np.abs(other.astype(int) - before).max() > 10
    demo.key(stand.canvas, Qt.Key.Key_M, Qt.KeyboardModifier.ShiftModifier)
    assert np.array_equal(seen(), before)
    sign = next(sheet.key for sheet in session.kit.sheets if sheet.name == "Painted sign")
    session.show_sheet(sign)
    demo.settle()
    session.do(commands.set_choice(Overcoats(sign), "moves", "round"))
    first = seen()
    demo.key(stand.canvas, Qt.Key.Key_M)
    demo.qtbot.waitUntil(lambda: session.view.state.time > 0.4, timeout=10_000)
    demo.key(stand.canvas, Qt.Key.Key_M)
    assert not stand.moment.goes_on
    at, time = session.shown, session.view.state.time
    assert at is not None
    assert np.abs(seen().astype(int) - first).max() > 10
    told = stand.texel_at(0.4, 0.5)
    assert told == read_texel(at, Sheets(), stand.look, (0.4, 0.5), time)
    demo.key(stand.canvas, Qt.Key.Key_M, Qt.KeyboardModifier.ShiftModifier)
    assert np.array_equal(seen(), first)


def test_proof_shows_what_there_is(small: Driver) -> None:
    """Index maps to be measured, the cost of each packing of the sheet's weights, and the way to the player."""
    small.session.do(commands.add_regions("sheet_1", [(200, 100, 200)]))
    small.stage(7)
    small.settle()
    panel = small.tray.panel("Proof")
    assert small.stand.look == Look("runtime", small.session.variant)
    small.click(panel.of_indices.head)
    small.click(panel.of_weights.head)
    small.settle()
    told = [labels[1].text() for labels in panel.costs.values()]
    assert len(told) == 4
    assert all("texture" in text for text in told)
    assert len(set(told)) == 4
    assert panel.none.isVisible()
    small.stage(4)
    tones = small.tray.panel("Tones")
    tones.entries.setValue(8)
    small.click(tones.extract)
    small.qtbot.waitUntil(lambda: bool(small.session.kit.palettes), timeout=60_000)
    small.stage(7)
    small.settle()
    assert not panel.none.isVisible()
    panel.index_maps.setCurrentRow(0)
    small.click(small.window.ledge.tabs_of("Proof").buttons[3])
    survival = small.window.ledge.page("Proof").survival
    small.click(survival.measure)
    small.qtbot.waitUntil(lambda: bool(survival.found), timeout=60_000)
    assert survival.table.rowCount() == len(survival.found)
    small.click(panel.play)
    assert STAGES[small.window.stage].name == "Ship"


def test_what_nobody_chose_is_told_and_no_error(small: Driver) -> None:
    """With no region left, the buttons that act on one say so; a press beside the board's heads means nothing."""
    for region in small.session.at.sheet.regions:
        small.session.do(commands.remove_region(region.key))
    small.settle()
    small.session.do(commands.remove_region(small.session.region))
    assert "nothing is chosen" in small.window.notice.text.text()
    before = small.session.owner, small.session.variant
    small.board.names.sectionPressed.emit(-1)
    small.board.heads.sectionPressed.emit(-1)
    assert (small.session.owner, small.session.variant) == before
