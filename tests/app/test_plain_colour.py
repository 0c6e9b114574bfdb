"""A sheet without paint in the window: one click, a colour that is dragged, regions and coats on it."""

from even_palette.core.kit import commands
from even_palette.core.kit.sheet import Box
from even_palette.core.raster.guess import Role
from tests.app.conftest import Driver, pixels


def test_an_empty_kit_gets_a_plain_colour(empty: Driver) -> None:
    panel, session = empty.tray.panel("Source"), empty.session
    (button,) = [b for b in panel.findChildren(type(panel.open_button)) if b.text() == "Use a plain colour"]
    empty.click(button)
    empty.settle()
    source = session.at.sheet.source(Role.BASE_COLOUR)
    assert source is not None
    assert source.plain == (128, 128, 128)
    assert panel.files.currentItem().text().startswith("Plain colour")
    assert panel._plain is not None
    card = panel._plain
    empty.type(card.swatch.hex, "#c85a1e")
    empty.settle()
    assert panel._plain is card  # what is dragged stays
    assert session.at.sheet.source(Role.BASE_COLOUR).plain == (200, 90, 30)  # type: ignore[union-attr]
    seen = pixels(empty.stand.canvas._images[0][0])
    middle = seen[seen.shape[0] // 2, seen.shape[1] // 2, :3].tolist()
    assert middle == [200, 90, 30]
    empty.choose(card.side, "512 × 512")
    empty.settle()
    assert session.at.sheet.source(Role.BASE_COLOUR).width == 512  # type: ignore[union-attr]
    session.do(commands.add_regions(session.at.key, [(255, 0, 0)]))
    session.do(commands.add_box(session.at.sheet.regions[0].key, Box(0.0, 0.0, 1.0, 1.0)))
    empty.stage(3)
    empty.settle()
    masks = empty.tray.panel("Masks")
    empty.choose(masks.side, "2048 wide")
    empty.settle()
    assert session.at.sheet.mask_side == 2048
    assert session.results.trouble == ""
