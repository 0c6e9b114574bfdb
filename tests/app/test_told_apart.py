"""Told apart: closest pairs of variants with their colours, what is asked for as findings, colours spread and taken."""

import pytest
from PyQt6.QtCore import QPointF

from even_palette.app.tray.told_apart import ToldApart
from even_palette.core.colour.deficiency import VISIONS
from even_palette.core.kit import commands
from even_palette.core.lineup.apart import least_difference
from tests.app.conftest import Driver


@pytest.fixture
def part(demo: Driver) -> ToldApart:
    demo.stage(6)
    demo.settle()
    found: ToldApart = demo.tray.panel("Lineup").apart
    demo.click(found.head)
    seen(demo, found)
    return found


def seen(demo: Driver, part: ToldApart) -> None:
    """Wait until the pairs are there."""
    demo.qtbot.waitUntil(lambda: part.seen is not None and not part._soon.isActive(), timeout=60_000)
    demo.settle()


def test_pairs_are_listed_and_plotted(demo: Driver, part: ToldApart) -> None:
    """Of all variants but the master, closest first; each dot in the colour that the region has there."""
    assert part.list.count() == 6
    numbers = [float(part.list.item(row).text().split()[0]) for row in range(6)]
    assert numbers == sorted(numbers)
    part.seen = None
    demo.choose(part.region, "Hull")
    seen(demo, part)
    assert part.plot.names == ["Morning Ferry", "Night Post", "Harvest Barge", "Ice Patrol"]
    part.list.setCurrentRow(2)
    assert part.plot.joined is not None
    image = part.plot.grab().toImage()
    for number in range(4):
        at = (part.plot.place(number) + QPointF(2, 2)).toPoint()
        if number not in part.plot.joined:
            assert image.pixelColor(at).saturation() > 20
    demo.choose(part.vision, VISIONS["deutan"])
    assert part.plot.linear.shape == (4, 3)


def test_what_is_asked_for_is_a_finding(demo: Driver, part: ToldApart) -> None:
    demo.type(part.least.field.lineEdit(), "40")
    assert demo.session.kit.apart.least == 40
    demo.settle()
    demo.qtbot.waitUntil(lambda: any("is asked for" in each.text for each in demo.window.findings), timeout=60_000)
    demo.session.undo()
    assert demo.session.kit.apart.least == 0


def test_colours_are_spread_then_taken(demo: Driver, part: ToldApart) -> None:
    """Nothing changes until it is taken; then it is one step, within reach, and the variants differ more."""
    session = demo.session
    before, steps = session.kit, len(session.history.undo_labels)
    demo.choose(part.parameter, "hull_colour")
    part.reach.show_value(0.2)
    demo.click(part.spread)
    demo.settle()
    demo.qtbot.waitUntil(part.take.isEnabled, timeout=60_000)
    assert session.kit == before
    old = [before.variant(key).values["hull_colour"] for key in part.proposed]
    demo.click(part.take)
    demo.settle()
    new = [session.kit.variant(key).values["hull_colour"] for key in part.proposed]
    assert len(session.history.undo_labels) == steps + 1
    assert least_difference(new) > least_difference(old) + 1  # type: ignore[arg-type]
    assert (
        max(abs(a - b) for one, other in zip(old, new, strict=True) for a, b in zip(one, other, strict=True)) <= 0.2001
    )  # type: ignore[arg-type]
    assert not part.take.isEnabled()
    session.undo()
    assert session.kit == before
    session.do(commands.remove_variant("ice_patrol"))
    demo.settle()


def test_instances_of_a_scene(demo: Driver, part: ToldApart) -> None:
    """Of the scene that is chosen, those of the sheet in front; nothing is spread there; back to variants after."""
    part.seen = None
    demo.session.view.change(scene="the_landing", picks=())
    seen(demo, part)
    assert part.who.text() == "4 instances, as Ferry tug has them"
    assert not part.spreading.isVisible()
    assert part.list.count() == 6
    assert part.bars.counts is not None
    assert part.bars.counts.lightnesses.sum() == 4
    part.seen = None
    demo.session.view.change(scene="", picks=())
    seen(demo, part)
    assert part.spreading.isVisible()
    assert part.who.text().startswith("4 variants")
