"""Twins in the window: made, put in front, given another colour and faces, seen on the model, removed."""

import numpy as np

from even_palette.app.view_state import Panes
from even_palette.core.kit import commands
from even_palette.core.results.looks import Look
from even_palette.core.results.sheet_mesh import twins_of_faces
from tests.app.conftest import Driver, pixels


def test_a_twin_is_made_recoloured_and_seen(demo: Driver) -> None:
    """The oar and crate: a twin has boards of another colour; on the model just its faces have it."""
    session, stand = demo.session, demo.stand
    session.show_sheet("oar_and_crate")
    demo.settle()
    demo.stage(1)
    source = demo.tray.panel("Source")
    before = session.document.kit
    demo.click(source.add_twin)
    demo.settle()
    twin = session.document.kit.sheet("oar_and_crate").twins[0].key
    assert session.at.twin == twin
    assert demo.window.sheet_box.box.currentText() == "Oar and crate  ·  Oar and crate twin"
    demo.type(source.sheet_name, "Blue crate")
    assert session.document.kit.twin(twin)[1].name == "Blue crate"
    boards = next(region.key for region in session.at.sheet.regions if region.name == "Boards")
    demo.stage(5)
    session.select(boards, variant="")
    demo.settle()
    assert session.do(commands.set_cell_value(boards, "colour", (0.1, 0.2, 0.9)))
    session.history.end_merge()
    stand.set_look(Look())
    demo.settle()
    assert session.document.kit.parameters == before.parameters
    session.show_sheet("oar_and_crate")
    stand.set_look(Look())
    demo.settle()
    stand.canvas.fit()
    demo.settle()
    again = pixels(stand.canvas._images[0][0]).astype(int)
    session.show_sheet("oar_and_crate", twin)
    stand.set_look(Look())
    demo.settle()
    other = pixels(stand.canvas._images[0][0]).astype(int)
    assert again.shape == other.shape
    assert (np.abs(again - other).max(axis=-1) > 30).mean() > 0.05


def test_faces_are_given_to_a_twin(demo: Driver) -> None:
    """Half of the crate's faces become a twin's by the menu; the model shows them in its colours, and picking a face
    there gives the face that it is."""
    session, stand = demo.session, demo.stand
    session.show_sheet("oar_and_crate")
    demo.stage(2)
    demo.settle()
    stand.choose_panes(Panes.MODEL)
    stand.set_look(Look())
    demo.settle()
    ids = stand.model.canvas.face_ids().copy()
    plain = pixels(stand.model.canvas._images[0][0]).astype(int)
    choice, elements = demo.window.choice, demo.tray.panel("Regions").elements
    faces = np.arange(len(choice.faces)) % 2 == 0
    choice.choose(faces)
    elements._fill_twins()
    demo.settle()
    elements.twins_menu.actions()[-1].trigger()
    demo.qtbot.waitUntil(lambda: bool(session.document.kit.sheet("oar_and_crate").twins), timeout=20_000)
    demo.settle()
    assert np.array_equal(twins_of_faces(session.at, session.sheets) == 0, faces)
    twin = session.at.sheet.twins[0].key
    session.show_sheet("oar_and_crate", twin)
    demo.settle()
    boards = next(region.key for region in session.at.sheet.regions if region.name == "Boards")
    assert session.do(commands.set_cell_value(boards, "colour", (0.1, 0.2, 0.9)))
    stand.set_look(Look())
    demo.settle()
    seen = pixels(stand.model.canvas._images[0][0]).astype(int)
    changed = np.abs(seen - plain).max(axis=-1) > 30
    assert changed.any()
    stand.model.canvas._ids = None
    assert np.array_equal(stand.model.canvas.face_ids(), ids)
    of_twin = faces[ids[(ids >= 0) & changed]]
    assert of_twin.mean() > 0.9  # edges are smoothed
    session.undo(2)
    demo.settle()
    assert session.at.twin == ""
    assert not session.document.kit.sheet("oar_and_crate").twins
