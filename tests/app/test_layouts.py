"""Packed maps in the window: guessed, shown a line a channel, overruled by one choice, looked at by channel."""

from pathlib import Path

import numpy as np

from even_palette.app.own_layouts import own_layouts
from even_palette.app.tray.layout_rows import AS_ITS_ROLE, LayoutRows
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.layouts import Hold
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.looks import Look
from tests.app.conftest import Driver, pixels

PACKED = np.random.default_rng(4).integers(0, 256, (64, 64, 3)).astype(np.uint8)


def rows(driver: Driver) -> LayoutRows:
    """The lines of the map whose card is open."""
    found = driver.tray.panel("Source").findChildren(LayoutRows)
    return found[-1]


def open_packed(driver: Driver, folder: Path) -> None:
    """Open a packed map in Source, which becomes the third of the sheet."""
    write_plane(folder / "crate_orm.png", Plane(PACKED, Encoding.DATA))
    driver.stage(1)
    driver.window.open_paths([folder / "crate_orm.png"])
    driver.qtbot.waitUntil(lambda: len(driver.session.at.sheet.sources) == 3, timeout=20_000)
    driver.settle()


def test_a_packed_map_is_opened_seen_and_overruled(small: Driver, tmp_path: Path) -> None:
    open_packed(small, tmp_path)
    source = small.session.at.sheet.sources[-1]
    assert (source.role, source.layout) == (Role.NONE, (Hold.OCCLUSION, Hold.ROUGHNESS, Hold.METALNESS))
    panel = small.tray.panel("Source")
    assert "occlusion, roughness, metalness" in panel.files.currentItem().text()
    lines = rows(small)
    assert [box.currentText() for box in lines.holds] == ["Occlusion", "Roughness", "Metalness"]
    assert lines.ready.currentText() == "occlusion, roughness, metalness"
    small.click(lines.pictures[1])
    small.settle()
    assert small.stand.look == Look("channel", map=source.key, channel=1)
    seen = pixels(small.stand.canvas._images[0][0])
    assert abs(int(seen[..., 0].max()) - int(PACKED[..., 1].max())) < 30
    assert np.array_equal(seen[..., 0], seen[..., 2])
    small.choose(lines.holds[1], "Smoothness")
    small.settle()
    assert small.session.at.sheet.sources[-1].layout == (Hold.OCCLUSION, Hold.SMOOTHNESS, Hold.METALNESS)
    assert rows(small).ready.currentText() == "As said below"
    small.choose(rows(small).ready, AS_ITS_ROLE)
    assert small.session.at.sheet.sources[-1].layout == ()
    small.session.undo(2)
    assert small.session.at.sheet.sources[-1].layout == source.layout


def test_what_another_map_gives_is_told(small: Driver, tmp_path: Path) -> None:
    """Nothing that is there is displaced; what the new map does not give is said."""
    write_plane(tmp_path / "crate_roughness.png", Plane(PACKED[..., :1].copy(), Encoding.DATA))
    write_plane(tmp_path / "crate_orm.png", Plane(PACKED, Encoding.DATA))
    for number, name in enumerate(("crate_roughness.png", "crate_orm.png"), 3):
        small.window.open_paths([tmp_path / name])
        small.qtbot.waitUntil(lambda number=number: len(small.session.at.sheet.sources) == number, timeout=20_000)
        small.settle()
    assert small.session.at.sheet.sources[-1].layout == (Hold.OCCLUSION, Hold.NOTHING, Hold.METALNESS)
    assert "without its roughness, which another map gives" in small.window.notice.text.text()


def test_a_layout_of_ones_own_is_kept_and_offered(small: Driver, tmp_path: Path) -> None:
    """Said channel by channel, kept under a name, offered for the next map of as many channels; forgotten again."""
    open_packed(small, tmp_path)
    assert not rows(small).keep.isEnabled()
    small.choose(rows(small).holds[2], "Height")
    small.settle()
    wanted = (Hold.OCCLUSION, Hold.ROUGHNESS, Hold.HEIGHT)
    assert rows(small).keep.isEnabled()
    rows(small).keep_as("  Our   surfaces ")
    assert own_layouts() == {"Our surfaces": wanted}
    write_plane(tmp_path / "other.png", Plane(PACKED[::-1].copy(), Encoding.DATA))
    small.window.open_paths([tmp_path / "other.png"])
    small.qtbot.waitUntil(lambda: len(small.session.at.sheet.sources) == 4, timeout=20_000)
    small.settle()
    small.choose(rows(small).ready, "Our surfaces")
    small.settle()
    assert small.session.at.sheet.sources[-1].layout == wanted
    small.click(rows(small).forget)
    assert own_layouts() == {}
