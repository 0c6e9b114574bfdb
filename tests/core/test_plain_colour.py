"""Sheets without paint: a plain colour in its place, and masks of a size of their own."""

from pathlib import Path

import msgspec
import numpy as np
import pytest
from PIL import Image

from even_palette.core.checks import Severity, find
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.model import Kit
from even_palette.core.kit.sheet import Box, Source
from even_palette.core.kit.store import KitFolder, decode_kit, encode_kit, read_kit
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding
from even_palette.core.results.id_map import mask_size_of
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.maps import paint_of
from even_palette.core.results.pictures import render_reference, whole_sheet
from even_palette.core.results.rendering import SheetRender
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.weights import weights_of
from even_palette.core.ship.write import ship
from even_palette.player.load import load
from even_palette.player.opengl import play_opengl

COLOUR = (200, 90, 30)


@pytest.fixture
def plain() -> History:
    """A sheet of a plain colour with two regions by boxes, one tinted."""
    history = History(Kit())
    history.do(commands.add_plain_colour("sheet_1", COLOUR, 300))
    history.do(commands.add_regions("sheet_1", [(255, 0, 0), (0, 255, 0)]))
    history.do(commands.add_box("region_1", Box(0.0, 0.0, 0.5, 1.0)))
    history.do(commands.add_box("region_2", Box(0.5, 0.0, 1.0, 0.5)))
    history.do(commands.set_coat_kind("region_1", "repaint"))
    history.do(commands.set_cell_value("region_1", "colour", (0.1, 0.4, 0.8)))
    history.do(commands.add_variant("Other"))
    return history


def test_it_is_one_colour_and_takes_little_memory(plain: History) -> None:
    made = paint_of(plain.kit.at(), Sheets())
    assert (made.width, made.height, made.encoding) == (300, 300, Encoding.SRGB)
    assert (made.samples == COLOUR).all()
    plain.do(commands.set_plain_size("sheet_1", "plain_colour", 8192, 4096))
    large = paint_of(plain.kit.at(), Sheets())
    assert (large.width, large.height) == (8192, 4096)
    assert len({id(tile) for tile in large.grid.tiles}) == 1  # type: ignore[attr-defined]


def test_all_works_on_it(plain: History, tmp_path: Path) -> None:
    """Weights, means, renders, checks, saving, shipping and playing; every texel as it is expected."""
    kit, sheets = plain.kit, Sheets()
    assert mask_size_of(kit.at(), sheets) == (1024, 1024)
    areas = weights_of(kit.at(), sheets).areas
    assert areas == pytest.approx((0.5, 0.25))
    shown = render_reference(picture(kit.at(), sheets, Look()), whole_sheet(64, 64))
    assert np.abs(shown[:, :31].astype(int) - np.round(np.array((0.1, 0.4, 0.8)) * 255)).max() <= 1
    assert np.abs(shown[40:, 40:].astype(int) - COLOUR).max() <= 1
    assert SheetRender(kit.at(), sheets).size == (300, 300)
    assert not [finding.text for finding in find(kit, sheets) if finding.severity == Severity.ERROR]
    home = KitFolder.create(tmp_path / "kit")
    home.save(kit)
    home.close()
    assert read_kit(tmp_path / "kit") == kit
    assert kit.files == []
    ship(kit, sheets, tmp_path / "package")
    loaded = load(tmp_path / "package", "Sheet")
    for variant in ("", "Other"):
        played = play_opengl(loaded, variant, 300, 300).astype(int)
        ours = render_reference(picture(kit.at(), sheets, Look()), whole_sheet(300, 300))
        assert np.abs(played - ours).max() <= 1


def test_another_colour_is_another_name(plain: History) -> None:
    """What is made of it is not that of before; a drag is one step of the history."""
    sheets, seen = Sheets(), []
    before = plain.kit
    for green in (90, 120, 150):
        plain.do(commands.set_plain_colour("sheet_1", "plain_colour", (200, green, 30)))
        seen.append(
            SheetRender(plain.kit.at(), sheets).render(["colour"], {}, in_levels=True)["colour"][-1, -1].tolist()
        )
    assert seen == [[200, 90, 30], [200, 120, 30], [200, 150, 30]]
    plain.undo()
    assert plain.kit == before


@pytest.mark.parametrize("side", [512, 2048])
def test_masks_have_a_size_of_their_own(plain: History, history: History, side: int) -> None:
    """Where no ID map gives it; what is shipped and read has it, too."""
    plain.do(commands.set_mask_side("sheet_1", side))
    weights = weights_of(plain.kit.at(), Sheets())
    assert weights.levels[0].shape == (side, side)
    assert weights.areas == pytest.approx((0.5, 0.25))
    history.do(commands.set_mask_side("sheet_1", side))
    assert mask_size_of(history.kit.at(), Sheets()) == (64, 64)
    with pytest.raises(UserError, match="least is 64"):
        history.do(commands.set_mask_side("sheet_1", 3))


def test_a_file_takes_its_place_and_what_cannot_be_is_refused(plain: History, tmp_path: Path) -> None:
    Image.fromarray(np.full((8, 8, 3), 77, np.uint8)).save(tmp_path / "paint.png")
    source = plain.kit.sheets[0].source(Role.BASE_COLOUR)
    assert source is not None
    assert source.label == "Plain colour"
    with pytest.raises(UserError, match="base colour already"):
        plain.do(commands.add_plain_colour("sheet_1", COLOUR))
    for odd in ({"path": "x.png"}, {"width": 0}, {"height": 20_000}, {"plain": None}, {"plain": (1, 2, 256)}):
        sheet = plain.kit.sheets[0]
        sources = (msgspec.structs.replace(source, **odd),)
        text = encode_kit(plain.kit.with_sheet(msgspec.structs.replace(sheet, sources=sources)), tmp_path)
        with pytest.raises(UserError):
            decode_kit(text, tmp_path)
    plain.do(commands.point_map_to("sheet_1", source.key, str(tmp_path / "paint.png"), 0, "", 8, 8))
    assert (paint_of(plain.kit.at(), Sheets()).samples == 77).all()
    with pytest.raises(UserError, match="is a file"):
        plain.do(commands.set_plain_colour("sheet_1", source.key, COLOUR))
    assert isinstance(plain.kit.files[0], Source)
