"""Moving faces on the sheet in the window: by buttons, seen in both panes, with what is chosen kept, undone."""

import numpy as np

from even_palette.app.view_state import Panes
from even_palette.core.mesh.kinds import ElementKind
from even_palette.core.results.looks import Look
from tests.app.conftest import Driver, pixels


def test_faces_are_moved_by_buttons(demo: Driver) -> None:
    """A shell of the crate goes half a sheet on and a quarter down; the model shows it in other paint; back; undone."""
    session, stand = demo.session, demo.stand
    session.show_sheet("oar_and_crate")
    demo.stage(2)
    stand.choose_panes(Panes.MODEL)
    stand.set_look(Look())
    demo.settle()
    before, kit = pixels(stand.model.canvas._images[0][0]).astype(int), session.kit
    choice, moves = demo.window.choice, demo.tray.panel("Regions").elements.moves
    assert not moves.back.isEnabled()
    choice.set_kind(ElementKind.SHELL)
    demo.settle()
    choice.take_elements([0])
    chosen, uv = choice.faces.copy(), choice.mesh.uv.copy()
    assert chosen.any()
    moves.open(True)
    demo.click(moves.ways[1])
    demo.qtbot.waitUntil(lambda: session.kit is not kit, timeout=20_000)
    demo.settle()
    demo.choose(moves.by, "By ¼")
    one = session.kit
    demo.click(moves.ways[3])
    demo.qtbot.waitUntil(lambda: session.kit is not one, timeout=20_000)
    demo.settle()
    assert np.array_equal(choice.faces, chosen)
    assert np.allclose(choice.mesh.uv[chosen] - uv[chosen], (0.5, 0.25), atol=1e-6)
    assert np.array_equal(choice.mesh.uv[~chosen], uv[~chosen])
    assert (np.abs(pixels(stand.model.canvas._images[0][0]).astype(int) - before).max(axis=-1) > 8).any()
    two = session.kit
    demo.click(moves.back)
    demo.qtbot.waitUntil(lambda: session.kit is not two, timeout=20_000)
    demo.settle()
    assert np.array_equal(choice.mesh.uv, uv)
    session.undo(3)
    demo.settle()
    assert session.kit == kit
    assert np.array_equal(pixels(stand.model.canvas._images[0][0]), before)
