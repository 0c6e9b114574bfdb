"""The Paint menu: strokes by keys; they act where a stage that paints is entered."""

from functools import partial

from PyQt6.QtWidgets import QMenu

from even_palette.app.controls import add_action
from even_palette.app.painting import Painting
from even_palette.app.view_state import Hand


def fill_paint_menu(menu: QMenu, painting: Painting) -> None:
    """Put its items into the menu."""
    keys = {Hand.PAINT: "P", Hand.SOFTEN: "Shift+P", Hand.SMEAR: "Ctrl+P", Hand.FILL: "Alt+P", Hand.LOOK: "Ctrl+L"}
    names = {Hand.PAINT: "Paint into the mask", Hand.SOFTEN: "Soften the mask", Hand.SMEAR: "Smear the mask",
             Hand.FILL: "Fill", Hand.LOOK: "Leave the mouse to the view"}  # fmt: skip
    for hand, key in keys.items():
        add_action(menu, names[hand], key, partial(painting.choose_hand, hand))
    menu.addSeparator()
    add_action(menu, "Add, or take away", "D", painting.turn_over)
    add_action(menu, "Paint the value under the cursor", "V", painting.pick_value)
    add_action(menu, "Larger brush", "Ctrl+Up", partial(painting.wheel, 1))
    add_action(menu, "Smaller brush", "Ctrl+Down", partial(painting.wheel, -1))
    menu.addSeparator()
    add_action(menu, "Lock this region, or unlock it", "Ctrl+K", painting.toggle_lock)
