"""Planes that are painted, and those made of the mask of a region: over, steps, strokes, saving, what reads them."""

from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace

from even_palette.core.checks import find
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import Overcoats
from even_palette.core.kit.sheet import Step, Tone
from even_palette.core.kit.store import BLOBS, KitFolder, read_kit
from even_palette.core.kit.trees import paint_tiles
from even_palette.core.kit.validate import check_kit
from even_palette.core.material.model import Coat, PlaneKind, PlaneRef, PlaneUse
from even_palette.core.material.variants import resolve
from even_palette.core.raster.sampling import Wrap
from even_palette.core.raster.tiles import TILE
from even_palette.core.regions.brush import Brush, along
from even_palette.core.regions.paint import Paint
from even_palette.core.regions.stroke import stroke_through
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.masks import mask_of
from even_palette.core.results.painting import Into, ground_of
from even_palette.core.results.pictures import render_reference, whole_sheet
from even_palette.core.results.planes import plane_size, tone_of
from even_palette.core.results.rendering import SheetRender
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.weights import weights_of
from even_palette.scripting import OpenKit
from tests.core.test_shapes import halves, sheet

WIDTH, HEIGHT = 530, 301
STAIN = PlaneRef(PlaneKind.TONE, "stain")


@pytest.fixture
def kit(tmp_path: Path) -> OpenKit:
    """Two halves on a sheet that is no multiple of a tile, and a painted plane on a ground of a quarter."""
    paint = np.random.default_rng(22).integers(0, 256, (HEIGHT, WIDTH, 3)).astype(np.uint8)
    history = sheet(tmp_path, paint, halves(HEIGHT, WIDTH))
    history.do(commands.add_regions("sheet_1", [(255, 0, 0), (0, 0, 255)]))
    tone = Tone("stain", "Stain", "painted", values={"ground": 0.25}, paint=Paint(WIDTH, HEIGHT))
    history.do(commands.add_tone("sheet_1", tone))
    return OpenKit(history.kit, None)


def grey(kit: OpenKit, key: str = "stain") -> np.ndarray:
    return kit.tone(key)[..., 0].astype(np.float64) / 65535


def regions(kit: OpenKit) -> list[str]:
    return [region.key for region in kit.kit.sheets[0].regions]


def test_what_is_painted_lies_over_the_ground(kit: OpenKit) -> None:
    """Ground where nothing is, the value where the brush is whole, and at half its cover what is between; at every
    texel that of painting on a float plane of the same size."""
    assert plane_size(kit.at(), kit.results, STAIN) == (WIDTH, HEIGHT)
    assert np.abs(grey(kit) - 0.25).max() < 1e-4
    brush = {"radius": 30.0, "hardness": 0.4, "flow": 0.6}
    kit.paint("stain", [(0.2, 0.5), (0.9, 0.6)], **brush)
    kit.paint("stain", [(0.5, 0.1), (0.5, 0.9)], value=0.0, **brush)
    wanted = np.full((HEIGHT, WIDTH), 0.25)
    made = Brush(**brush)
    for value, ends in ((1.0, [(0.2, 0.5), (0.9, 0.6)]), (0.0, [(0.5, 0.1), (0.5, 0.9)])):
        points = [(u * WIDTH, v * HEIGHT) for u, v in ends]
        bare = replace(kit.kit.sheets[0].tone("stain"), paint=Paint(WIDTH, HEIGHT))
        fresh = OpenKit(kit.kit.with_sheet(replace(kit.kit.sheets[0], tones=(bare,))), None)
        hand = ground_of(fresh.at(), fresh.results, Into(tone="stain")).stroke(made, value)
        texels = stroke_through(hand, along(made, points)).samples() / 65535
        wanted = texels[..., 0] + (1 - texels[..., 1]) * wanted
    assert np.abs(grey(kit) - wanted).max() < 3e-4
    assert np.ptp(wanted) > 0.4


def test_paint_follows_the_size_of_masks(kit: OpenKit) -> None:
    """A plane of another size is what it is until it is painted on; then it has the size of the masks."""
    small = Tone("small", "Small", "painted", paint=Paint(100, 60))
    kit.do(commands.add_tone("sheet_1", small))
    assert kit.tone("small").shape == (60, 100, 1)
    kit.paint("small", [(0.25, 0.5), (0.75, 0.5)], radius=20.0, hardness=1.0)
    made = grey(kit, "small")
    assert made.shape == (HEIGHT, WIDTH)
    assert made[HEIGHT // 2, WIDTH // 4 : 3 * WIDTH // 4].min() > 0.99
    assert made[HEIGHT // 2 - 22].max() == 0


def test_masks_stay_as_they_are(kit: OpenKit) -> None:
    """Painting a plane of its own takes nothing from regions, locked or not."""
    before = kit.weights()
    kit.do(commands.set_locked(regions(kit)[0], True))
    assert kit.paint("stain", [(0.1, 0.1), (0.9, 0.9)], radius=80.0)
    assert grey(kit)[20:40, 30:60].max() > 0.9
    for key, weight in kit.weights().items():
        assert np.array_equal(weight, before[key])


def test_a_stroke_makes_only_the_tiles_that_it_touches(kit: OpenKit) -> None:
    """Other tiles are the same objects, and undo brings back the very plane."""
    at = kit.at()
    before = tone_of(at, kit.results, at.sheet.tone("stain")).grid
    kit.paint("stain", [(0.05, 0.05), (0.1, 0.1)], radius=10.0)
    at = kit.at()
    after = tone_of(at, kit.results, at.sheet.tone("stain")).grid
    changed = [one is not other for one, other in zip(before.tiles, after.tiles, strict=True)]
    assert changed == [True] + [False] * (len(changed) - 1)
    assert len(changed) == -(-WIDTH // TILE) * -(-HEIGHT // TILE)
    kit.undo()
    at = kit.at()
    assert tone_of(at, kit.results, at.sheet.tone("stain")).grid.name == before.name


def test_paint_of_planes_is_kept_with_the_kit(kit: OpenKit, tmp_path: Path) -> None:
    """Saved as blobs, opened the same; a tile that is lost is a finding of Tones and paints nothing."""
    kit.paint("stain", [(0.1, 0.2), (0.9, 0.8)], radius=25.0)
    wanted = grey(kit)
    held = KitFolder.create(tmp_path / "kit")
    held.save(kit.kit)
    held.close()
    again = read_kit(tmp_path / "kit")
    assert np.array_equal(grey(OpenKit(again, None)), wanted)
    names = {tile.name for tile in paint_tiles(again)}
    assert {path.stem for path in (tmp_path / "kit" / BLOBS).iterdir()} == names
    sorted((tmp_path / "kit" / BLOBS).iterdir())[0].unlink()
    damaged = read_kit(tmp_path / "kit")
    told = [finding for finding in find(damaged, Sheets()) if "tiles of paint" in finding.text]
    assert [finding.stage for finding in told] == ["Tones"]
    assert (grey(OpenKit(damaged, None)) != wanted).any()


def test_a_coat_reads_what_is_painted(kit: OpenKit) -> None:
    """A tint through the painted pattern: paint where it is 0, the tint where it is 1, at every texel between."""
    kit.do(commands.set_tone_value("sheet_1", "stain", "ground", 0.0))
    kit.paint("stain", [(0.1, 0.4), (0.9, 0.6)], radius=40.0, hardness=0.3)
    bare = render_reference(picture(kit.at(), kit.results, Look()), whole_sheet(WIDTH, HEIGHT), True).astype(int)
    for key in regions(kit):
        kit.do(commands.set_cell_value(key, "colour", (0.1, 0.7, 0.2)))
    full = render_reference(picture(kit.at(), kit.results, Look()), whole_sheet(WIDTH, HEIGHT), True).astype(int)
    for key in regions(kit):
        kit.do(commands.set_pattern(key, 0, PlaneUse(STAIN)))
    part = render_reference(picture(kit.at(), kit.results, Look()), whole_sheet(WIDTH, HEIGHT), True).astype(int)
    mask = grey(kit)
    assert np.array_equal(part[mask == 0], bare[mask == 0])
    assert np.abs(part[mask == 1] - full[mask == 1]).max() <= 1
    assert (mask == 1).sum() > 1000
    between = (part >= np.minimum(bare, full) - 1) & (part <= np.maximum(bare, full) + 1)
    assert between.all()


@pytest.mark.parametrize("what", ["mask", "weight"])
def test_the_mask_of_a_region_as_a_plane(kit: OpenKit, what: str) -> None:
    """As it is, and with the steps that grow and feather masks: the same that they do to the region's own."""
    left = regions(kit)[0]
    kit.paint(left, [(0.6, 0.3), (0.9, 0.3)], radius=30.0, hardness=0.2)
    tone = Tone("rim", "Rim", "mask", values={"what": what}, region=left)
    kit.do(commands.add_tone("sheet_1", tone))
    at = kit.at()
    if what == "mask":
        assert np.array_equal(kit.tone("rim"), mask_of(at, kit.results, left).samples)
    else:
        weight = weights_of(at, kit.results).levels[0]
        assert np.array_equal(kit.tone("rim")[..., 0], weight.astype(int) * 257)
    assert plane_size(at, kit.results, PlaneRef(PlaneKind.TONE, "rim")) == (WIDTH, HEIGHT)
    kit.do(commands.set_tone_value("sheet_1", "rim", "grow", -7.0))
    kit.do(commands.set_tone_value("sheet_1", "rim", "feather", 5.0))
    got = kit.tone("rim")
    assert (got != mask_of(at, kit.results, left).samples).any()
    if what == "mask":
        steps = (*kit.kit.region(left).steps, Step("grow", {"radius": -7.0}), Step("feather", {"radius": 5.0}))
        kit.do(commands.set_steps(left, "", steps))
        assert np.array_equal(got, mask_of(kit.at(), kit.results, left).samples)
        assert not np.array_equal(kit.tone("rim"), got)  # it follows the region


def test_masks_as_planes_follow_their_region(kit: OpenKit) -> None:
    """A region that goes takes tones of its mask with it, and from what reads them; back with undo."""
    left, right = regions(kit)
    kit.do(commands.add_tone("sheet_1", Tone("rim", "Rim", "mask", region=left)))
    rim = PlaneUse(PlaneRef(PlaneKind.TONE, "rim"))
    kit.do(commands.set_pattern(right, 0, rim))
    kit.do(commands.remove_region(left))
    assert [tone.key for tone in kit.kit.sheets[0].tones] == ["stain"]
    assert kit.kit.region(right).coats[0].pattern is None
    kit.undo()
    assert kit.kit.region(right).coats[0].pattern == rim
    kit.do(commands.add_tone("sheet_1", Tone("more", "More", "adjusted", source=rim.plane)))
    with pytest.raises(UserError, match="More is made of Rim"):
        kit.do(commands.remove_region(left))
    kit.do(commands.set_tone_region("sheet_1", "rim", ""))
    with pytest.raises(UserError, match="choose one"):
        kit.tone("rim")


def test_what_cannot_be_is_refused(kit: OpenKit) -> None:
    tone = kit.kit.sheets[0].tone("stain")
    for wrong, told in (
        (replace(tone, paint=None), "has no paint"),
        (replace(tone, kind="noise"), "has no paint"),
        (replace(tone, paint=Paint(WIDTH, HEIGHT, {"9 9": next(iter(painted_tiles()))})), "beside its sheet"),
        (replace(tone, paint=None, kind="mask", region="nobody"), "not on its sheet"),
    ):
        with pytest.raises(UserError, match=told):
            check_kit(kit.kit.with_sheet(replace(kit.kit.sheets[0], tones=(wrong,))))
    with pytest.raises(UserError, match="no region and no painted tone"):
        kit.paint("nobody", [(0.1, 0.1)])
    kit.do(commands.add_tone("sheet_1", Tone("clouds", "Clouds", "noise", values={"side": "128"})))
    with pytest.raises(UserError, match="no painted tone"):
        kit.paint("clouds", [(0.1, 0.1)])


def painted_tiles() -> list[object]:
    from even_palette.core.regions.paint import PaintTile

    return [PaintTile.of(np.full((10, 10, 2), 9, np.uint16))]


def test_base_and_masks_move_as_planes(kit: OpenKit) -> None:
    """The base colour under a speed of whole texels, and a coat behind a mask that wanders: both go round the sheet."""
    left, over = kit.kit.regions[0].key, Overcoats("sheet_1")
    base = kit.kit.sheets[0].sources[0].key
    still = colours(kit)
    moving = {"wrap": Wrap.REPEAT, "mips": False}
    use = PlaneUse(PlaneRef(PlaneKind.MAP, base), speed=(5 / WIDTH, -2 / HEIGHT), **moving)
    kit.do("add_coat", over, Coat("bare", planes={"colour": use}))
    assert np.abs(colours(kit) - still).max() < 1e-4
    assert np.abs(colours(kit, 3.0) - np.roll(still, (6, -15), axis=(0, 1))).max() < 2e-3
    kit.do("remove_coat", over, 0)
    kit.do("add_tone", "sheet_1", Tone("moved", "Moved", "mask", region=left))
    use = PlaneUse(PlaneRef(PlaneKind.TONE, "moved"), speed=(10 / WIDTH, 0.0), **moving)
    kit.do("add_coat", over, Coat("repaint", {"colour": (1.0, 0.0, 0.0)}, pattern=use))
    mask = np.roll(kit.tone("moved").astype(np.float64)[..., :1] / 65535, -20, axis=1)
    wanted = still * (1 - mask) + np.array([1.0, 0, 0]) * mask
    assert np.abs(colours(kit, 2.0) - wanted).max() < 2e-3


def colours(kit: OpenKit, time: float = 0.0) -> np.ndarray:
    """The result at a time, linear light, (HEIGHT, WIDTH, 3)."""
    settings = resolve(kit.kit.parameters, kit.kit.variants, "")
    return SheetRender(kit.kit.at(), kit.results).render(["colour"], settings, time=time)["colour"]
