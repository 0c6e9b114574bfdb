"""Planes of coats in the window: how they lie, and numbers of theirs that the runtime sets."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QToolButton

from even_palette.app.number import NumberRow
from even_palette.app.tray.plane_use import PlaneUseEditor
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import Overcoats, coats_of
from even_palette.core.material.model import Bound, PlaneKind, PlaneRef, PlaneUse
from even_palette.core.raster.sampling import Wrap
from even_palette.core.results.planes import plane_of
from tests.app.conftest import Driver


def pattern_of(driver: Driver) -> PlaneUseEditor:
    editor = driver.tray.panel("Recolour").editors["plane pattern"]
    assert isinstance(editor, PlaneUseEditor)
    return editor


def test_a_number_of_a_plane_becomes_a_value_of_the_coat(small: Driver) -> None:
    """By the menu beside *Inverted*: it goes from the plane's card to the values, differs by variant, and goes back."""
    session = small.session
    pattern = PlaneUse(PlaneRef(PlaneKind.MAP, session.at.sheet.sources[1].key), turn=12.0)
    session.do(commands.set_pattern("region_2", 0, pattern))
    small.stage(5)
    session.select("region_2", variant="")
    small.settle()
    editor = pattern_of(small)
    editor.placement.open(True)
    assert editor.numbers["turn"].isVisible()
    assert editor.numbers["turn"].value() == 12.0
    editor.actions_by_number["turn"].trigger()
    small.settle()
    editor, panel = pattern_of(small), small.tray.panel("Recolour")
    editor.placement.open(True)
    assert not editor.numbers["turn"].isVisible()
    assert not editor.actions_by_number["turn"].isVisible()
    assert editor.numbers["offset_across"].isVisible()
    number = panel.editors["pattern_turn"]
    assert isinstance(number, NumberRow)
    assert number.value() == 12.0
    session.select("region_2", variant="day")
    small.settle()
    small.type(panel.editors["pattern_turn"].field, "90")  # type: ignore[attr-defined]
    value = session.kit.region("region_2").coats[0].values["pattern_turn"]
    assert isinstance(value, Bound)
    assert session.kit.variant("day").values[value.parameter] == 90.0
    assert session.kit.parameter(value.parameter).default == 12.0
    session.select("region_2", variant="")
    small.settle()
    binding = next(b for b in panel.findChildren(QToolButton) if b.accessibleName() == "Binding of Pattern: turn")
    menu = binding.menu()
    assert menu is not None
    menu.actions()[0].trigger()
    small.settle()
    assert "pattern_turn" not in panel.editors
    assert pattern_of(small).numbers["turn"].value() == 12.0


def test_tiles_go_along_where_they_are_alike(small: Driver) -> None:
    """Across sets both while they are alike, down itself alone; what is tiled repeats; offsets are the plane's own."""
    session = small.session
    session.do(commands.set_pattern("region_2", 0, PlaneUse(PlaneRef(PlaneKind.MAP, "base_colour"))))
    small.stage(5)
    session.select("region_2", variant="")
    small.settle()

    def typed(row: NumberRow, text: str) -> PlaneUse:
        pattern_of(small).placement.open(True)
        small.type(row.field, text)
        small.settle()
        pattern = session.kit.region("region_2").coats[0].pattern
        assert pattern is not None
        return pattern

    pattern = typed(pattern_of(small).numbers["tiling_across"], "3")
    assert (pattern.tiling, pattern.wrap) == ((3.0, 3.0), Wrap.REPEAT)
    assert typed(pattern_of(small).numbers["tiling_down"], "2").tiling == (3.0, 2.0)
    assert typed(pattern_of(small).numbers["tiling_across"], "5").tiling == (5.0, 2.0)
    assert typed(pattern_of(small).numbers["offset_down"], "0.25").offset == (0.0, 0.25)
    fast = PlaneUse(PlaneRef(PlaneKind.MAP, "base_colour"), speed=(0.0, 7.0))
    session.do(commands.set_pattern("region_2", 0, fast))
    small.settle()
    assert typed(pattern_of(small).numbers["speed_across"], "1").speed == (
        1.0,
        7.0,
    )  # the other is beyond a hand's reach


def test_the_values_of_a_plane_stand_behind_its_levels(demo: Driver) -> None:
    """A pattern shows a picture of its channel and how many texels have which value; dragging a line sets a level, as
    one step; where a level follows a parameter there is nothing to drag."""
    session = demo.session
    session.select("cabin")
    demo.stage(5)
    demo.settle()
    dirt = PlaneRef(PlaneKind.MAP, "dirt")
    session.do(commands.set_pattern("cabin", 0, PlaneUse(dirt)))
    session.history.end_merge()
    demo.settle()
    editor = demo.tray.panel("Recolour").editors["plane pattern"]
    assert editor.facts.isVisible()
    levels = plane_of(session.at, session.sheets, dirt).levels8()[..., 0]
    assert np.array_equal(editor.histogram.counts, np.bincount(levels.ravel(), minlength=256))
    assert not editor.picture.pixmap().isNull()
    histogram = editor.histogram
    start = QPoint(round(histogram.x_of(0)), 10)
    end = QPoint(round(histogram.x_of(102)), 10)
    demo.drag(histogram, start, end)
    demo.settle()
    use = coats_of(session.kit, "cabin")[0].pattern
    assert use.low == pytest.approx(0.4, abs=0.01)
    assert use.high == 1
    session.undo()
    assert coats_of(session.kit, "cabin")[0].pattern == PlaneUse(dirt)
    session.redo()
    session.do(commands.expose("cabin", "pattern_low", 0))
    demo.settle()
    editor = demo.tray.panel("Recolour").editors["plane pattern"]
    assert not editor.facts.isVisible()


def test_the_brush_finds_the_paint_in_packed_planes(demo: Driver) -> None:
    """A coat that reads a channel of packed planes goes to the painted tone in it."""
    session = demo.session
    session.select(Overcoats(session.at.key))
    demo.stage(5)
    demo.settle()
    panel = demo.tray.panel("Recolour")
    number = next(
        n for n, coat in enumerate(session.at.sheet.overcoats) if coat.pattern and coat.pattern.plane.key == "marks"
    )
    panel._choose_coat(number)
    demo.settle()
    before = len(session.at.sheet.tones)
    demo.click(panel.editors["plane pattern"].paint)
    demo.settle()
    assert session.tone == "growth"
    assert len(session.at.sheet.tones) == before
    assert demo.window.painting.active
