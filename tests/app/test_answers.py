"""The window answers: its thread makes, reads and waits for nothing."""

import numpy as np
from PyQt6.QtCore import Qt

from even_palette.app.rail import STAGES
from even_palette.app.stand.stand import Panes
from even_palette.core.results.cache import Cache
from even_palette.core.results.looks import Look
from tests.app.conftest import Driver, pixels


def drop_all(cache: Cache) -> None:
    """Let go of every result that is not held for the views, as a full memory would."""
    held = set().union(*cache._held.values())
    for key in [key for key in cache._results if key not in held]:
        del cache._results[key]


def test_what_is_gone_is_made_again_on_a_worker(demo: Driver) -> None:
    """With an empty cache the views keep their pictures, have all made anew, and then show what they showed."""
    stand, session = demo.stand, demo.session
    stand.set_panes(Panes.BOTH)
    demo.stage(5)
    demo.settle()
    demo.qtbot.waitUntil(lambda: demo.window.thumbnails.settled, timeout=60_000)
    before = [pixels(view.grab().toImage()) for view in (stand.canvas, stand.model.canvas, demo.board)]
    drop_all(session.sheets.cache)
    stand.set_look(Look(variant="night_post"))
    demo.settle()
    assert stand.canvas.tiles
    stand.set_look(Look(variant=session.variant))
    demo.settle()
    demo.qtbot.waitUntil(lambda: demo.window.thumbnails.settled, timeout=60_000)
    after = [pixels(view.grab().toImage()) for view in (stand.canvas, stand.model.canvas, demo.board)]
    for one, other in zip(before, after, strict=True):
        assert np.array_equal(one, other)


def test_every_stage_comes_back_with_an_empty_cache(demo: Driver) -> None:
    """No stage, sheet or look needs more than what workers make for it: nothing of it is an error."""
    demo.stand.set_panes(Panes.BOTH)
    for sheet in demo.session.kit.sheets:
        demo.session.show_sheet(sheet.key)
        for number in range(len(STAGES)):
            drop_all(demo.session.sheets.cache)
            demo.stage(number + 1)
            demo.key(demo.stand.canvas, Qt.Key.Key_F)
            demo.settle()
        for _, look in demo.stand.looks(demo.session.at):
            drop_all(demo.session.sheets.cache)
            demo.stand.set_look(look)
            demo.settle()
            assert demo.stand.canvas.tiles, (sheet.name, look, demo.stand.canvas.message)
