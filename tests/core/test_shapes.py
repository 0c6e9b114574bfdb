"""Sheets of unusual shape: other sizes, depths and numbers of regions; every one is keyed, shown, shipped and played."""

from pathlib import Path

import numpy as np
import pytest

from even_palette.core.checks import find
from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.model import Kit
from even_palette.core.limits import MOST_REGIONS
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.regions.keying import Metric
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.looks._coverage import HOLE, OVERLAP
from even_palette.core.results.pictures import render_reference, whole_sheet
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.texels import read_texel
from even_palette.core.results.weights import weights_of
from even_palette.core.ship.write import contents, ship
from even_palette.gl.sheet_view import SheetRenderer
from even_palette.player.load import load
from even_palette.player.opengl import play_opengl
from even_palette.player.reference import play_reference
from tests.conftest import source

RNG = np.random.default_rng(31)
RED, BLUE = (250, 0, 0), (0, 0, 250)


def sheet(folder: Path, paint: np.ndarray, ids: np.ndarray | None, encoding: Encoding = Encoding.SRGB) -> History:
    """A kit of these maps, float paint as EXR."""
    history = History(Kit())
    path = folder / ("paint.exr" if paint.dtype == np.float32 else "paint.png")
    write_plane(path, Plane(paint, encoding))
    history.do(commands.add_map("sheet_1", source(path, Role.BASE_COLOUR, encoding)))
    if ids is not None:
        write_plane(folder / "ids.png", Plane(ids, Encoding.DATA))
        history.do(commands.add_map("sheet_1", source(folder / "ids.png", Role.ID, Encoding.DATA)))
    return history


def halves(height: int, width: int) -> np.ndarray:
    ids = np.zeros((height, width, 3), dtype=np.uint8)
    ids[:, : width // 2], ids[:, width // 2 :] = RED, BLUE
    return ids


PAINTS = {
    "8 bit": (RNG.integers(0, 256, (40, 24, 3)).astype(np.uint8), Encoding.SRGB),
    "8 bit with alpha": (RNG.integers(0, 256, (40, 24, 4)).astype(np.uint8), Encoding.SRGB),
    "16 bit": (RNG.integers(0, 65536, (40, 24, 3)).astype(np.uint16), Encoding.SRGB),
    "16 bit linear": (RNG.integers(0, 65536, (40, 24, 3)).astype(np.uint16), Encoding.LINEAR),
    "float": (RNG.random((40, 24, 3)).astype(np.float32), Encoding.LINEAR),
    "odd size": (RNG.integers(0, 256, (37, 53, 3)).astype(np.uint8), Encoding.SRGB),
    "one texel": (RNG.integers(0, 256, (1, 1, 3)).astype(np.uint8), Encoding.SRGB),
}


@pytest.mark.parametrize("id_size", [(40, 24), (80, 48), (10, 6)])
@pytest.mark.parametrize("paint", list(PAINTS))
def test_depths_and_sizes(tmp_path: Path, paint: str, id_size: tuple[int, int]) -> None:
    """Paint of any depth with an ID map of another size: player and window agree, and the reference with them.

    Enlarged weights may differ by 2/255, since the driver rounds the shares of its filter to 8 bits; weights that are
    sampled smaller than they are come from mips, which the reference does not have.
    """
    samples, encoding = PAINTS[paint]
    history = sheet(tmp_path, samples, halves(*id_size), encoding)
    history.do(commands.add_regions("sheet_1", [RED, BLUE]))
    history.do(commands.set_choice("region_1", "mode", "luminance"))
    history.do(commands.set_cell_value("region_1", "colour", (0.3, 0.5, 0.2)))
    history.do(commands.set_coat_kind("region_2", "shift"))
    history.do(commands.set_cell_value("region_2", "hue", 75.0))
    sheets, (height, width) = Sheets(), samples.shape[:2]
    ship(history.kit, sheets, tmp_path / "package")
    loaded = load(tmp_path / "package")
    played = play_opengl(loaded, "", width, height).astype(int)
    if id_size[0] <= height and id_size[1] <= width:
        limit = 1 if id_size == (height, width) else 2
        assert np.abs(played - play_reference(loaded, "", width, height)).max() <= limit
    shown = SheetRenderer().render(picture(history.kit.at(), sheets, Look()), whole_sheet(width, height))
    assert np.abs(played - shown[..., :3]).max() <= 2


def test_paint_without_regions_is_shown_as_painted(tmp_path: Path) -> None:
    samples = PAINTS["8 bit"][0]
    history, sheets = sheet(tmp_path, samples, None), Sheets()
    assert np.array_equal(render_reference(picture(history.kit.at(), sheets, Look()), whole_sheet(24, 40)), samples)
    ship(history.kit, sheets, tmp_path / "package")
    assert np.array_equal(play_opengl(load(tmp_path / "package"), "", 24, 40), samples)
    with pytest.raises(UserError, match="no ID map"):
        picture(history.kit.at(), sheets, Look("id_colours"))


def test_as_many_regions_as_there_may_be(tmp_path: Path) -> None:
    """255 regions, as a byte can tell apart, each with a coat of its own; the next one is refused."""
    colours = [(40 * (i % 6), 40 * (i // 6 % 6), 30 * (i // 36)) for i in range(MOST_REGIONS)]
    ids = np.array(colours, dtype=np.uint8).reshape(15, 17, 3).repeat(4, axis=0).repeat(4, axis=1)
    history, sheets = sheet(tmp_path, np.full((60, 68, 3), 255, dtype=np.uint8), ids), Sheets()
    history.do(commands.add_regions("sheet_1", colours))
    want = np.zeros((MOST_REGIONS, 3))
    for index, region in enumerate(history.kit.sheets[0].regions):
        history.do(commands.set_tolerance(region.key, 5, 10))
        want[index] = (index / 255, 1 - index / 255, 0.5)
        history.do(commands.set_cell_value(region.key, "colour", tuple(want[index])))
    with pytest.raises(UserError, match="at most 255"):
        history.do(commands.add_regions("sheet_1", [(255, 255, 255)]))
    ship(history.kit, sheets, tmp_path / "package")
    played = play_opengl(load(tmp_path / "package"), "", 68, 60)
    assert np.abs(played[2::4, 2::4].reshape(MOST_REGIONS, 3) / 255 - want).max() < 1.01 / 255


def test_what_cannot_be_shipped_is_told(tmp_path: Path) -> None:
    with pytest.raises(UserError, match="no base colour"):
        contents(Kit(), Sheets())
    history = sheet(tmp_path, PAINTS["8 bit"][0], halves(40, 24))
    history.do(commands.add_regions("sheet_1", [RED]))
    history.do(commands.remove_map("sheet_1", "id_map"))
    with pytest.raises(UserError, match="no ID map"):
        contents(history.kit, Sheets())


def test_heat_shows_holes_and_overlaps(tmp_path: Path) -> None:
    """Sum of masks: black where nothing is claimed, the hole colour where little is, grey at one, orange above."""
    ids = np.zeros((1, 40, 3), dtype=np.uint8)
    ids[0, :10], ids[0, 10:20], ids[0, 20:30] = (200, 0, 0), (200, 0, 60), (120, 0, 0)
    history, sheets = sheet(tmp_path, np.zeros((1, 40, 3), dtype=np.uint8), ids), Sheets()
    history.do(commands.add_regions("sheet_1", [(200, 0, 0), (200, 0, 60)]))
    history.do(commands.set_unmix("sheet_1", None))
    history.do(commands.set_tolerance("region_1", 10, 100))
    history.do(commands.set_tolerance("region_2", 10, 50))
    heat = render_reference(picture(history.kit.at(), sheets, Look("mask_sum")), whole_sheet(40, 1))[0]
    assert np.ptp(heat[5].astype(int)) == 0
    assert heat[5, 0] > 180
    orange, blue = heat[15] / 255, heat[25] / 255
    assert np.argmax(orange) == np.argmax(OVERLAP)
    assert np.ptp(orange) > 0.15
    assert np.argmax(blue) == np.argmax(HOLE)
    assert heat[35].max() == 0
    coverage = weights_of(history.kit.at(), sheets).coverage
    assert (coverage.covered, coverage.over, coverage.empty) == pytest.approx((0.5, 0.25, 0.25))


def test_findings_name_stage_and_share(tmp_path: Path) -> None:
    history, sheets = sheet(tmp_path, PAINTS["8 bit"][0], halves(40, 30)), Sheets()
    history.do(commands.add_regions("sheet_1", [RED, (9, 200, 9)]))
    history.do(commands.set_metric("region_1", Metric.EUCLIDEAN))
    told = {finding.text.split(";")[0]: (finding.stage, finding.severity) for finding in find(history.kit, sheets)}
    assert told["Region 2 covers no texel"] == ("Regions", "error")
    assert ("Source", "warning") in told.values()
    assert any("proportions differ" in text for text in told)


def test_a_texel_tells_what_is_shipped(tmp_path: Path) -> None:
    """Encoded and linear values of one colour, and weights with their sum."""
    history, sheets = sheet(tmp_path, np.full((8, 8, 3), 128, dtype=np.uint8), halves(8, 8)), Sheets()
    history.do(commands.add_regions("sheet_1", [RED, BLUE]))
    texel = read_texel(history.kit.at(), sheets, Look(), (0.8, 0.3))
    assert texel.encoded == pytest.approx((128 / 255,) * 3, abs=1e-5)
    assert linear_to_srgb(np.float32(texel.linear)) == pytest.approx(texel.encoded, abs=1e-6)
    assert texel.weights == (0, 1)
    assert texel.mask_sum == pytest.approx(1, abs=1e-4)
