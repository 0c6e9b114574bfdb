"""Findings with mends: each finds what is there and nothing else, shows its place, and its mend ends it."""

from pathlib import Path

import numpy as np
import pytest
from scipy import ndimage
from scipy.ndimage import distance_transform_edt

from even_palette.core.arrays import Levels
from even_palette.core.checks import Finding, find
from even_palette.core.checks.mask_edges import edge_width
from even_palette.core.checks.small_patches import FAINT, _far
from even_palette.core.kit import commands
from even_palette.core.kit.model import Kit
from even_palette.core.kit.sheet import Box, Region, Sheet, Step, Unmix
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.tiles import TiledPlane, grid_of
from even_palette.core.results.masks import mask_of
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.weights import weights_of
from tests.core.test_shapes import sheet
from tests.core.test_steps import kit_with

SIZE = (520, 390)


def painted(folder: Path, ids: Levels, regions: list[Region], unmix: Unmix | None) -> Kit:
    """A kit of one sheet with this ID map."""
    folder.mkdir(exist_ok=True)
    made = sheet(folder, np.full((4, 4, 3), 120, np.uint8), ids).kit
    own = made.sheets[0]
    return made.with_sheet(Sheet(own.key, own.name, own.sources, tuple(regions), unmix=unmix))


def ids_with(height: int = 300, width: int = 400) -> Levels:
    """Red to the left, green to the right."""
    ids = np.zeros((height, width, 3), dtype=np.uint8)
    ids[:, : width // 2] = (255, 0, 0)
    ids[:, width // 2 :] = (0, 255, 0)
    return ids


RED, GREEN = Region("red", "Red", (255, 0, 0)), Region("green", "Green", (0, 255, 0))


def findings(kit: Kit, sheets: Sheets, words: str) -> list[Finding]:
    return [finding for finding in find(kit, sheets) if words in finding.text]


def mended(kit: Kit, sheets: Sheets, words: str) -> Kit:
    """The kit after the mend of the one finding with these words; the finding is gone then."""
    (found,) = findings(kit, sheets, words)
    assert found.mend is not None
    after = found.mend.command.apply(kit)
    assert not findings(after, sheets, words)
    return after


def test_specks_and_holes(tmp_path: Path) -> None:
    """Specks of 3, 5 and 9 texels and a hole of 12: told with the largest, the place is theirs, the mend ends them, and
    scipy's labelling agrees; a second patch that is large is no speck."""
    ids = ids_with()
    ids[20, 300:303] = ids[40:45, 320] = (255, 0, 0)
    ids[60:63, 350:353] = (255, 0, 0)
    ids[100:103, 50:54] = (0, 0, 40)
    ids[200:260, 300:360] = (255, 0, 0)
    kit, sheets = painted(tmp_path, ids, [RED, GREEN], None), Sheets()
    (specks,) = findings(kit, sheets, "speck")
    assert "3 specks of up to 9" in specks.text
    assert specks.place == pytest.approx((350 / 400, 60 / 300, 353 / 400, 63 / 300))
    (hole,) = findings(kit, sheets, "Red has 1 hole")
    assert "of up to 12" in hole.text
    assert hole.place == pytest.approx((50 / 400, 100 / 300, 54 / 400, 103 / 300))
    after = mended(mended(kit, sheets, "speck"), sheets, "Red has 1 hole")
    mask = mask_of(after.at(), sheets, "red").samples[..., 0] > 32767
    patches, count = ndimage.label(mask, np.ones((3, 3)))
    assert count == 2
    assert sorted(np.bincount(patches.ravel())[1:]) == [3600, 200 * 300]


def test_what_another_region_has_is_no_hole(tmp_path: Path) -> None:
    ids = ids_with()
    ids[100:103, 50:54] = (0, 255, 0)
    kit = painted(tmp_path, ids, [RED, GREEN], None)
    assert not findings(kit, Sheets(), "hole")


def test_mist() -> None:
    """A faint claim far from the region is mist; the soft edge of a region is none."""
    edge = Region(
        "r", "R", (1, 0, 0), keyed=False, boxes=(Box(0.1, 0.1, 0.5, 0.5),), steps=(Step("feather", {"radius": 3.0}),)
    )
    sheets = Sheets()
    assert not findings(kit_with(edge, size=SIZE), sheets, "mist")
    faint = Step("curve", {"at_0": 4.0, "at_25": 25.0})
    kit = kit_with(Region("r", "R", (1, 0, 0), keyed=False, boxes=edge.boxes, steps=(faint,)), size=SIZE)
    (found,) = findings(kit, sheets, "mist")
    assert found.place is not None
    mended(kit, sheets, "mist")


def test_fringes_of_an_unmixed_map(tmp_path: Path) -> None:
    """Tolerances leave fringes: unmixing is offered; a background that no region has is offered to those around it,
    after which the sum is exactly 1 at every texel."""
    ids = ids_with().astype(float)
    ids[:40] = (90, 90, 90)
    soft = np.stack([ndimage.gaussian_filter(ids[..., c], 0.8) for c in range(3)], axis=-1)
    kit, sheets = painted(tmp_path, np.uint8(soft + 0.5), [RED, GREEN], None), Sheets()
    (found,) = findings(kit, sheets, "partly covered")
    assert found.mend is not None
    unmixed = found.mend.command.apply(kit)
    assert unmixed.sheets[0].unmix is not None
    after = mended(unmixed, sheets, "partly covered")
    assert (weights_of(after.at(), sheets).mask_sum.samples == 16384).all()


def test_id_colours(tmp_path: Path) -> None:
    """A colour that the map has nearly is offered as it is there; nearly pure ones are told (a pure one has 255 in a
    channel: common practice); colours too close for their tolerances get narrower ones."""
    near = Region("red", "Red", (250, 2, 0))
    kit, sheets = painted(tmp_path / "a", ids_with(), [near, GREEN], Unmix()), Sheets()
    after = mended(kit, sheets, "does not have")
    assert after.region("red").id_colour == (255, 0, 0)
    assert findings(kit, sheets, "nearly pure")
    assert not findings(after, sheets, "nearly pure")
    ids = ids_with()
    ids[ids[..., 1] == 255] = (255, 60, 0)
    close = Region("green", "Green", (255, 60, 0))
    kit = painted(tmp_path / "b", ids, [RED, close], None)
    (found,) = findings(kit, sheets, "tolerances")
    assert "60 levels" in found.text
    after = mended(kit, sheets, "tolerances")
    weights = weights_of(after.at(), sheets)
    assert weights.coverage.over == 0


def test_edges() -> None:
    """Of four regions with edges 4 texels soft one is hard and one is 30 soft: both are told, and their mends bring them
    near the others. A ramp of known width measures as that width."""

    def region(key: str, left: float, steps: tuple[Step, ...]) -> Region:
        return Region(
            key, key.upper(), (len(key), 0, 0), keyed=False, boxes=(Box(left, 0.2, left + 0.12, 0.8),), steps=steps
        )

    soft = (Step("feather", {"radius": 5.0}),)
    regions = [region("a", 0.02, soft), region("bb", 0.2, soft), region("ccc", 0.4, soft), region("dddd", 0.6, ()),
               region("eeeee", 0.8, (Step("feather", {"radius": 26.0}),))]  # fmt: skip
    kit, sheets = kit_with(*regions, size=SIZE), Sheets()
    assert {f.region for f in findings(kit, sheets, "The edge of")} == {"dddd", "eeeee"}
    for found in findings(kit, sheets, "The edge of"):
        assert found.mend is not None
        kit = found.mend.command.apply(kit)
    assert "dddd" not in {f.region for f in findings(kit, sheets, "The edge of")}
    ramp = np.zeros((100, 200), dtype=np.uint16)
    ramp[:, 100:] = 65535
    ramp[:, 96:104] = np.linspace(0, 65535, 10)[1:-1]
    assert edge_width(Plane(ramp[..., None], Encoding.DATA)) == pytest.approx(8)


@pytest.mark.parametrize("level", [0, 2, 4])
def test_the_lowest_mip(level: int) -> None:
    """A strip of 5 texels is there at mip 2 and gone at mip 4, where growing it is offered."""
    strip = Region("s", "S", (1, 0, 0), keyed=False, boxes=(Box(0.3, 0.5, 0.7, 0.5 + 5 / 390),))
    kit = commands.set_lowest_mip("sheet_1", level).apply(kit_with(strip, size=SIZE))
    found = findings(kit, Sheets(), "vanishes")
    assert bool(found) == (level == 4)
    if found:
        mended(kit, Sheets(), "vanishes")


def test_mends_are_commands_that_undo(tmp_path: Path) -> None:
    from even_palette.core.kit.history import History

    ids = ids_with()
    ids[100:103, 50:54] = (0, 0, 40)
    history, sheets = History(painted(tmp_path, ids, [RED, GREEN], None)), Sheets()
    before = history.kit
    (found,) = findings(before, sheets, "hole")
    assert found.mend is not None
    assert history.do(found.mend.command)
    assert history.undo()
    assert history.kit == before


def test_distances_by_tiles_are_those_of_the_whole() -> None:
    """At a size that is no multiple of the tile, what is far is what scipy's transform of the whole says."""
    rng = np.random.default_rng(4)
    solid = np.zeros((300, 521), dtype=bool)
    solid[rng.integers(0, 300, 40), rng.integers(0, 521, 40)] = True
    faint = ~solid & (rng.random(solid.shape) < 0.3)
    mask = np.where(solid, 65535, np.where(faint, rng.integers(258, FAINT, solid.shape), 0)).astype(np.uint16)
    plane = TiledPlane(grid_of(mask[..., None]))
    for reach in (3.0, 17.5, 60.0):
        expected = faint & (distance_transform_edt(~solid) > reach)
        assert np.array_equal(_far(plane, reach, None), expected)
    assert _far(TiledPlane(grid_of((mask * ~solid)[..., None])), 9.0, None).sum() == faint.sum()
