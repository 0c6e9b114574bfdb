"""What can be added, in groups: coats with pictures of what they do to the region, steps of masks, by mouse and keys."""

from itertools import groupby

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QIcon

from even_palette.app.tray.add_list import HELP, PICTURE
from even_palette.core.kit.coat_owners import coats_of
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import Group
from even_palette.core.material.model import Coat
from even_palette.core.regions.steps import STEPS
from even_palette.core.results.strips import strip_with
from tests.app.conftest import Driver, pixels


def lines(driver: Driver, stage: str) -> list[tuple[str, bool]]:
    """What the list of a stage shows: texts, and whether each can be taken."""
    made = order_of(driver, stage).list.list
    return [(made.item(row).text(), made.item(row).data(HELP) is not None) for row in range(made.count())]


def order_of(driver: Driver, stage: str):  # type: ignore[no-untyped-def]
    panel = driver.window.tray.panel(stage)
    return panel.order if stage == "Recolour" else panel.steps.order


def test_groups_come_from_the_declarations(demo: Driver) -> None:
    """Each group once, in the order that is declared, with all kinds below it and a sentence each."""
    demo.session.select("deck")
    demo.stage(5)
    demo.settle()
    found = lines(demo, "Recolour")
    heads = [text for text, taken in found if not taken]
    assert heads == [str(group) for group in Group]
    assert [text for text, taken in found if taken] == [kind.label for kind in COATS.values()]
    assert [group for group, _ in groupby(COATS.values(), key=lambda kind: kind.group)] == list(Group)
    assert all(kind.help.endswith(".") for kind in (*COATS.values(), *STEPS.values()))
    demo.stage(3)
    demo.settle()
    found = lines(demo, "Masks")
    assert [text for text, taken in found if taken] == [kind.label for kind in STEPS.values()]
    groups = [group for group, _ in groupby(STEPS.values(), key=lambda kind: kind.group)]
    assert [text for text, taken in found if not taken] == [str(group) for group in groups]
    assert len(groups) == len(set(groups)) == 6


def test_a_coat_is_added_by_keys_and_by_the_mouse(demo: Driver) -> None:
    """The list opens on the first kind; letters look for one, arrows pass over heads, Enter takes, Escape leaves."""
    session = demo.session
    session.select("deck")
    demo.stage(5)
    demo.settle()
    order = order_of(demo, "Recolour")
    before = len(coats_of(session.kit, "deck"))
    demo.click(order.add)
    assert order.list.isVisible()
    assert order.list.list.currentItem().text() == "Tint"
    demo.qtbot.keyClicks(order.list.list, "rep")
    assert order.list.list.currentItem().text() == "Repaint"
    demo.key(order.list.list, Qt.Key.Key_Return)
    demo.settle()
    assert not order.list.isVisible()
    assert [coat.kind for coat in coats_of(session.kit, "deck")][before:] == ["repaint"]
    demo.click(order.add)
    order.list.list.setCurrentRow([text for text, _ in lines(demo, "Recolour")].index("Tonal"))
    demo.key(order.list.list, Qt.Key.Key_Down)
    assert order.list.list.currentItem().text() == "Ramp"
    demo.key(order.list.list, Qt.Key.Key_Escape)
    assert not order.list.isVisible()
    assert len(coats_of(session.kit, "deck")) == before + 1
    demo.click(order.add)
    made = order.list.list
    line = next(made.item(row) for row in range(made.count()) if made.item(row).text() == "Levels")
    made.scrollToItem(line)
    demo.qtbot.mouseClick(made.viewport(), Qt.MouseButton.LeftButton, pos=made.visualItemRect(line).center())
    demo.settle()
    assert coats_of(session.kit, "deck")[-1].kind == "levels"


def test_pictures_show_what_a_coat_makes_of_this_region(demo: Driver) -> None:
    """Above what is there, below what the coat makes of it in the values that its kind is shown with."""
    session = demo.session
    session.select("cabin")
    demo.stage(5)
    demo.settle()
    order = order_of(demo, "Recolour")
    demo.click(order.add)
    demo.settle()
    made = order.list.list
    for name in ("tint", "repaint", "shift", "levels", "two_tone", "tonal"):
        line = next(
            made.item(row) for row in range(made.count()) if made.item(row).data(Qt.ItemDataRole.UserRole) == name
        )
        icon = line.icon()
        assert isinstance(icon, QIcon)
        seen = pixels(icon.pixmap(PICTURE).toImage())
        upper, lower = seen[2].astype(int), seen[-3].astype(int)
        assert np.abs(upper - lower).max() > 20, name
    demo.key(made, Qt.Key.Key_Escape)


def test_what_cannot_be_worn_has_no_picture(demo: Driver) -> None:
    """A coat that reads a plane which is not there gives none, and the list stays as it is."""
    from even_palette.core.material.model import PlaneKind, PlaneRef, PlaneUse

    at = demo.session.at
    lost = Coat("shade", planes={"plane": PlaneUse(PlaneRef(PlaneKind.MAP, "nowhere"))})
    assert strip_with(at, demo.session.sheets, "deck", "", lost) is None
