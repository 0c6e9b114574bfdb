"""The View menu: fitting, looks, panes, time, and going from part to part."""

import time
from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QMenu

from even_palette.app.board.board import Board
from even_palette.app.centre import Centre
from even_palette.app.controls import add_action
from even_palette.app.ledge.ledge import Ledge
from even_palette.app.panels import FindingsPanel
from even_palette.app.stand.canvas import Canvas
from even_palette.app.view_state import Panes

DOUBLE_KEY_S = 0.5


class Fit:
    """Fits the sheet; asked again at once, it shows a texel a pixel."""

    def __init__(self, canvas: Canvas) -> None:
        self._canvas, self._last = canvas, 0.0

    def __call__(self) -> None:
        now = time.monotonic()
        if now - self._last < DOUBLE_KEY_S:
            self._canvas.one_to_one()
        else:
            self._canvas.fit()
        self._last = now


def fill_view_menu(
    menu: QMenu, centre: Centre, board: Board, ledge: Ledge, findings: FindingsPanel, set_scheme: Callable[[str], None]
) -> None:
    """Put its items into the menu."""
    stand = centre.stand
    canvas = stand.canvas
    add_action(menu, "Fit the sheet; twice: 1:1", "F", Fit(canvas))
    for name, key, button in (
        ("Wipe", "W", stand.foot.wipe_button),
        ("Spread all variants", "S", stand.foot.spread_button),
        ("Texels as squares", "T", stand.foot.texels_button),
        ("Loupe", "L", stand.foot.loupe_button),
    ):
        add_action(menu, name, key, button.click)
    menu.addSeparator()
    for number, panes in enumerate(Panes, 1):
        name = {"Both": "Sheet and model"}.get(panes.value, f"{panes.value} alone")
        add_action(menu, name, f"Alt+{number}", partial(stand.choose_panes, panes))
    islands = add_action(menu, "Outlines of UV islands", "U", lambda: None)
    islands.setCheckable(True)
    islands.toggled.connect(stand.elements.show_islands)
    add_action(menu, "Model lit or flat", "I", centre.light)
    add_action(menu, "Frame the model", "G", centre.frame)
    menu.addSeparator()
    goes_on = add_action(menu, "Let time go on", "M", lambda: None)
    goes_on.setCheckable(True)
    goes_on.triggered.connect(stand.moment.let_go_on)
    stand.moment.started.connect(goes_on.setChecked)
    add_action(menu, "Another instance", "N", stand.moment.next_instance)
    add_action(menu, "Back to the first moment", "Shift+M", stand.moment.begin_again)
    menu.addSeparator()
    add_action(menu, "Go to the stand", "Ctrl+J", canvas.setFocus)
    add_action(menu, "Go to the board", "Ctrl+B", board.setFocus)
    add_action(menu, "Fold or open the ledge", "B", ledge.toggle)
    add_action(menu, "List the findings", "Ctrl+I", findings.toggle)
    menu.addSeparator()
    for scheme, name in (("day", "Day: light grey"), ("night", "Night: dark grey")):
        add_action(menu, name, "", partial(set_scheme, scheme))
