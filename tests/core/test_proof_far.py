"""What a runtime shows from afar and at a slant, and how much it shimmers."""

from pathlib import Path

import numpy as np
import pytest

from even_palette.core.arrays import Floats, Levels, float32
from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.errors import UserError
from even_palette.core.graph.fused import Frame, run_fused
from even_palette.core.graph.program import program_of
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import Overcoats
from even_palette.core.kit.history import History
from even_palette.core.material.model import Coat, PlaneUse
from even_palette.core.material.outputs import COLOUR
from even_palette.core.material.plane_reads import map_plane
from even_palette.core.material.variants import MASTER
from even_palette.core.proof.conditions import AS_MEANT, Conditions, MapConditions
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.far import Seen
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.pictures import SHOWN, render_reference, whole_sheet
from even_palette.core.results.proof import shipped, under
from even_palette.core.results.proof_errors import errors_of_results
from even_palette.core.results.proof_shimmer import shimmer_of
from even_palette.core.results.proof_values import places_of, values_at
from even_palette.core.results.sheets import Sheets
from tests.conftest import kit_of, source


def painted(folder: Path, paint: Levels, own: MapConditions = AS_MEANT) -> History:
    path = folder / "paint.png"
    write_plane(path, Plane(paint, Encoding.SRGB))
    history = kit_of({}, coats=False)
    history.do(commands.add_map("sheet_1", source(path, Role.BASE_COLOUR, Encoding.SRGB)))
    history.do(commands.set_conditions("sheet_1", Conditions("nothing", {"base_colour": own})))
    return history


def stripes(wide: int, width: int = 48, height: int = 40) -> Levels:
    """Black and white ones, upright."""
    paint = np.zeros((height, width, 3), np.uint8)
    paint[:, np.arange(width) // wide % 2 == 1] = 255
    return paint


def shimmer(history: History, sheets: Sheets, seen: Seen) -> Floats:
    at = history.kit.at()
    found = under(at.sheet.conditions, shipped(at, sheets), sheets)
    return shimmer_of(found, found.inputs(at, MASTER), seen) / 100


def test_shimmer_of_stripes(tmp_path: Path, sheets: Sheets) -> None:
    """Stripes two texels wide: a quarter to one side a pixel is of its own stripe, to the other a quarter is of the next.
    OKLab's lightness of a grey is the cube root of its light (Ottosson 2020), so the change is 1 - 0.75^(1/3) of a white
    and 0.25^(1/3) of a black one. Four texels a pixel are all grey, and nothing changes.
    """
    history = painted(tmp_path, stripes(2))
    found = shimmer(history, sheets, Seen()).reshape(40, 48)
    white, black = 1 - 0.75 ** (1 / 3), 0.25 ** (1 / 3)
    assert np.allclose(found[:, 2:-2].reshape(40, -1, 4), [white, white, black, black], atol=2e-4) or np.allclose(
        found[:, 2:-2].reshape(40, -1, 4), [black, black, white, white], atol=2e-4
    )
    assert shimmer(history, sheets, Seen(4))[12:-12].max() < 1e-3
    history.do(commands.set_conditions("sheet_1", Conditions("nothing", {"base_colour": MapConditions(bias=-2.0)})))
    assert shimmer(history, sheets, Seen(4)).mean() > 0.2  # sharper levels shimmer (common practice)


def test_a_sheet_of_one_colour_does_not_shimmer(tmp_path: Path, sheets: Sheets) -> None:
    history = painted(tmp_path, np.full((33, 21, 3), 77, np.uint8))
    for seen in (Seen(), Seen(3, 2), Seen(8)):
        assert shimmer(history, sheets, seen).max() < 1e-5


@pytest.mark.parametrize("anisotropy", [1, 8])
def test_stripes_at_a_slant(tmp_path: Path, sheets: Sheets, anisotropy: int) -> None:
    """Pixels of one texel by eight along the stripes: samplers that take one sample blur them, those that take eight do
    not (common practice).
    """
    history = painted(tmp_path, stripes(4, 64, 64), MapConditions(anisotropy=anisotropy))
    at = history.kit.at()
    found = under(at.sheet.conditions, shipped(at, sheets), sheets)
    colour = values_at(found, [COLOUR], found.inputs(at, MASTER), Seen(1, 8))[COLOUR][..., 0]
    assert colour.shape == (8, 64)
    if anisotropy == 8:
        assert (np.round(colour) == (np.arange(64) // 4 % 2)).all()
        assert np.abs(colour - np.round(colour)).max() < 1e-5
    else:
        assert np.abs(colour - 0.5).max() < 1e-3
    shown = picture(at, sheets, Look("runtime", slant=8))
    frame = Frame(64, 64)
    looped = run_fused(program_of({SHOWN: shown.outputs[SHOWN]}), shown.slots, shown.inputs, frame)[SHOWN]
    drawn = render_reference(shown, whole_sheet(64, 64))
    assert np.abs(looped * 255 - drawn).max() <= 0.51
    assert (drawn[::8] == drawn[7::8]).all()  # each pixel is a square of eight texels down


@pytest.mark.parametrize(("seen", "bias"), [(Seen(2, 2), 0.5), (Seen(8), -1.0), (Seen(4, 4), 0.0)])
def test_the_look_is_the_number(tmp_path: Path, sheets: Sheets, seen: Seen, bias: float) -> None:
    """Each pixel of the picture is its shimmer, and the table tells the mean; sides are no multiple of the pixels."""
    paint = np.random.default_rng(1).integers(0, 256, (64, 96, 3)).astype(np.uint8)
    history = painted(tmp_path, paint, MapConditions(anisotropy=4, bias=bias))
    found = shimmer(history, sheets, seen).reshape(64 // (seen.distance * seen.slant), 96 // seen.distance)
    shown = picture(history.kit.at(), sheets, Look("shimmer", steps=1, distance=seen.distance, slant=seen.slant))
    drawn = render_reference(shown, whole_sheet(found.shape[1], found.shape[0]))[..., 0] / 255
    assert np.abs(drawn - np.clip(found, 0, 1)).max() < 0.51 / 255 + 1e-4
    (row,) = errors_of_results(history.kit.at(), sheets, [MASTER], distances=[seen.distance], slant=seen.slant)
    assert row.shimmer is not None
    assert row.shimmer[0] == pytest.approx(float(found.mean()) * 100, abs=1e-3)
    assert row.shimmer[0] != row.shimmer[1]


def test_errors_at_an_angle(tmp_path: Path, sheets: Sheets) -> None:
    """Stripes across the slant, which one sample blurs to grey and eight keep: as meant is one sample, so only where
    the runtime takes eight is it off, and only at an angle, by what light between grey and white or black is.
    """
    history = painted(tmp_path, stripes(4, 64, 64), MapConditions(anisotropy=8))
    at = history.kit.at()
    (straight,) = errors_of_results(at, sheets, [MASTER], distances=[1])
    (slanted,) = errors_of_results(at, sheets, [MASTER], distances=[1], slant=8)
    assert straight.spread.worst < 0.01
    assert (slanted.distance, slanted.slant) == (1, 8)
    assert slanted.oklab is not None
    grey = 0.5 ** (1 / 3)  # OKLab's lightness of a grey is the cube root of its light (Ottosson 2020)
    assert slanted.oklab.worst == pytest.approx(100 * grey, abs=0.3)
    assert slanted.oklab.mean == pytest.approx(50, abs=0.3)


def test_every_output_map_and_channel_is_seen(tmp_path: Path, sheets: Sheets) -> None:
    """Pictures of maps are their texels, encoded; of outputs their numbers; differences are those of both, and a lane is
    one channel of it. On a sheet of odd size, at every texel.
    """
    rng = np.random.default_rng(2)
    paint = rng.integers(0, 256, (37, 53, 3)).astype(np.uint8)
    history = painted(tmp_path, paint)
    write_plane(tmp_path / "rough.png", Plane(rng.integers(0, 256, (37, 53, 1)).astype(np.uint8), Encoding.DATA))
    write_plane(tmp_path / "normal.png", Plane(rng.integers(90, 166, (37, 53, 3)).astype(np.uint8), Encoding.DATA))
    for name, role in (("rough", Role.ROUGHNESS), ("normal", Role.NORMAL)):
        history.do(commands.add_map("sheet_1", source(tmp_path / f"{name}.png", role, Encoding.DATA)))
    history.do(commands.add_coat(Overcoats("sheet_1"), Coat("finish", {"way": "scale", "roughness": 1.0})))
    detail = history.kit.sheets[0].source(Role.NORMAL)
    assert detail is not None
    coat = Coat("relief", planes={"detail": PlaneUse(map_plane(detail.key))})
    history.do(commands.add_coat(Overcoats("sheet_1"), coat))
    history.do(commands.set_conditions("sheet_1", Conditions("half")))
    at, whole = history.kit.at(), whole_sheet(53, 37)
    meant = shipped(at, sheets)
    shown = under(at.sheet.conditions, meant, sheets)

    def drawn(**fields: object) -> Levels:
        return render_reference(picture(at, sheets, Look("runtime", **fields)), whole)  # type: ignore[arg-type]

    assert len(shown.slots) >= 3
    for name, slot in shown.slots.items():
        samples = slot.plane.samples
        grey = samples.shape[2] == 1
        assert np.abs(drawn(map=name).astype(int) - (samples[..., :3] if not grey else samples.repeat(3, 2))).max() <= 1
        ours = meant.slots[name].plane.samples
        assert np.abs(drawn(map=name, meant=True)[..., :1].astype(int) - ours[..., :1]).max() <= 1
        for lane in range(samples.shape[2]):
            one = drawn(map=name, lane=lane + 1).astype(int)
            assert np.abs(one - samples[..., lane : lane + 1]).max() <= 1
    assert {"roughness", "normal"} <= set(shown.outputs)
    for name in ("roughness", "normal"):
        ours, wanted = (
            values_at(each, [name], each.inputs(at, MASTER), Seen())[name].reshape(37, 53, -1)
            for each in (shown, meant)
        )
        assert np.abs(drawn(output=name) / 255 - ours).max() < 0.51 / 255
        assert np.abs(drawn(output=name, meant=True) / 255 - wanted).max() < 0.51 / 255
        off = np.clip(np.linalg.norm(ours.astype(np.float64) - wanted, axis=-1) * 4, 0, 1)
        assert np.abs(drawn(output=name, steps=2)[..., 0] / 255 - off).max() < 0.51 / 255 + 1e-5
        assert off.max() > 0.05
    lane = values_at(shown, ["normal"], shown.inputs(at, MASTER), Seen())["normal"][..., 1]
    assert np.abs(drawn(output="normal", lane=2)[..., 0] / 255 - lane).max() < 0.51 / 255
    with pytest.raises(UserError, match="Nothing sets emission"):
        drawn(output="emission")
    for gone in ({"map": "weights_7"}, {"map": "base_colour", "lane": 5}):
        with pytest.raises(UserError, match="no such"):
            drawn(**gone)


def test_places_are_middles_of_pixels(tmp_path: Path, sheets: Sheets) -> None:
    """Of a sheet with more pixels than are looked at, too: at a corner four texels would be mixed."""
    paint = np.random.default_rng(4).integers(0, 256, (300, 517, 3)).astype(np.uint8)
    at = painted(tmp_path, paint).kit.at()
    found = shipped(at, sheets)
    places = places_of(found, Seen(), 64)
    texels = np.floor(places * (517, 300)).astype(int)
    assert np.abs(places * (517, 300) - texels - 0.5).max() < 1e-4
    assert places.shape == (64, 64, 2)
    gaps = np.diff(texels[0, :, 0])
    assert gaps.max() - gaps.min() <= 1
    values = values_at(found, [COLOUR], found.inputs(at, MASTER), Seen(), 64)[COLOUR]
    wanted = srgb_to_linear(float32(paint[texels[..., 1], texels[..., 0]]) / 255)
    assert np.abs(values - wanted).max() < 2e-3
    assert np.allclose(places_of(found, Seen(3, 2), 1000)[0, :2, 0], [1.5 / 517, 4.5 / 517])
