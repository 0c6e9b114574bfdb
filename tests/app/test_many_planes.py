"""A material that samples more planes than there are texture units."""

from dataclasses import replace as replaced
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace

from even_palette.app.stand.later import LaterDrawing
from even_palette.app.stand.renderer import by_reference
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.sheet import Step
from even_palette.core.material.model import Coat, PlaneUse
from even_palette.core.material.plane_reads import map_plane
from even_palette.core.memory_account import ACCOUNT
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.pictures import Picture, View, on_sheet, render_reference
from even_palette.core.ship.write import contents
from tests.app.conftest import Driver, pixels
from tests.conftest import source


def test_a_material_of_too_many_planes_is_drawn_all_the_same(small: Driver, tmp_path: Path) -> None:
    """Views are coarse at once and then as the reference draws them, and the window says so; shipping says what to
    pack.
    """
    noise = np.random.default_rng(5)
    session, canvas = small.session, small.stand.canvas
    for number in range(15):
        path = tmp_path / f"dirt_{number}.png"
        write_plane(path, Plane(noise.integers(0, 256, (9, 13, 1)).astype(np.uint8), Encoding.DATA))
        session.do(commands.add_map("sheet_1", replace(source(path, Role.NONE, Encoding.DATA), key=path.stem)))
        session.do(commands.add_coat("region_1", Coat("shade", {}, {"plane": PlaneUse(map_plane(path.stem))})))
    small.settle()
    assert canvas.message == ""
    look = picture(session.at, session.results.sheets, Look())
    assert len(look.program.slots) == 17
    view = drawn_by_the_reference(small, look)
    assert "samples" in small.window.notice.text.text()
    assert "channels of one map" in small.window.notice.text.text()
    with pytest.raises(UserError, match=r"channels of one map: dirt_0\.png, dirt_1\.png"):
        contents(session.kit, session.results.sheets)
    many_at_once(small, look, [replaced(view, width=203, height=101, origin=(0.02 * n, 0.1)) for n in range(12)])


def drawn_by_the_reference(driver: Driver, look: Picture) -> View:
    """Wait until the sheet pane shows a picture to the bit as the reference draws it; gives the view."""
    canvas = driver.stand.canvas
    size = canvas.field(0)
    view = canvas.camera.view(size.width(), size.height())
    want, inside = render_reference(look, view), on_sheet(view.uv())

    def seen() -> np.ndarray:
        return pixels(canvas.grab().toImage())[size.top() : size.bottom() + 1, size.left() : size.right() + 1]

    driver.qtbot.waitUntil(lambda: np.array_equal(seen()[inside], want[inside]), timeout=60_000)
    return view


def many_at_once(driver: Driver, look: Picture, views: list[View]) -> None:
    """A dozen pictures side by side: each in squares first, all in full in the end; other ones are not drawn on."""
    later = LaterDrawing()

    def drawn(views: list[View]) -> list[np.ndarray]:
        later.start()
        found = [later.begin(look, view, True) for view in views]
        later.go_on()
        return found

    first = drawn(views)[0]
    assert first.shape == (101, 203, 4)
    assert np.array_equal(first[:8, :8], np.broadcast_to(first[:1, :1], (8, 8, 4)))
    want = [by_reference(look, view, True) for view in views]
    driver.qtbot.waitUntil(lambda: all(map(np.array_equal, drawn(views), want)), timeout=60_000)
    assert not np.array_equal(drawn([replaced(views[0], origin=(0.5, 0.5))])[0], want[0])
    later.close()


def test_where_textures_lie_in_the_machines_memory_they_must_fit(
    small: Driver, monkeypatch: pytest.MonkeyPatch, budget: int
) -> None:
    """On a software rasterizer a material whose textures are more than their share is drawn without any: coarse at
    once, then exact. Where a graphics card has its own memory, it draws."""
    session, canvas, renderer = small.session, small.stand.canvas, small.window.renderer
    small.settle()
    assert renderer._sheets is not None
    textures = renderer._sheets.textures
    ACCOUNT.budget = int(textures.bytes / textures.share / 8)
    uploaded = textures.uploaded
    session.do(commands.add_coat("region_1", Coat("shift", {"hue": 40.0})))
    session.do(commands.change_step("region_1", 0, Step("grow", {"radius": 3.0})))
    small.settle()
    look = picture(session.at, session.results.sheets, Look())
    drawn_by_the_reference(small, look)
    assert textures.uploaded == uploaded
    monkeypatch.setattr(renderer._sheets.__class__, "in_software", property(lambda _: False))
    assert not renderer.is_slow(look)
    canvas.invalidate()
    small.qtbot.waitUntil(lambda: not canvas.pending, timeout=60_000)
    assert textures.uploaded > uploaded
