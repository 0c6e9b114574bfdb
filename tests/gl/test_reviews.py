"""Pictures for reviews: variants beside each other with their names, scenes; by scripts, the command line and the window."""

from pathlib import Path

import numpy as np
import pytest

from even_palette.cli import main
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.store import read_kit
from even_palette.core.raster.files import read_plane
from even_palette.core.raster.picture_sheet import GAP_PX, GROUND, NAME_PX, over_ground, picture_sheet
from even_palette.core.raster.plane import Encoding
from even_palette.demo import KIT_FOLDER
from even_palette.scripting import OpenKit


def test_a_sheet_of_pictures() -> None:
    """Each where it belongs, unchanged where it is opaque, over grey elsewhere; the name is written below it."""
    rng = np.random.default_rng(3)
    pictures = [(f"Name {n}", rng.integers(0, 256, (37, 53, 4)).astype(np.uint8)) for n in range(5)]
    sheet = picture_sheet(pictures, 2)
    assert sheet.shape == (3 * (37 + NAME_PX + GAP_PX) + GAP_PX, 2 * (53 + GAP_PX) + GAP_PX, 3)
    for number, (_, pixels) in enumerate(pictures):
        row, column = divmod(number, 2)
        top, left = GAP_PX + row * (37 + NAME_PX + GAP_PX), GAP_PX + column * (53 + GAP_PX)
        assert np.array_equal(sheet[top : top + 37, left : left + 53], over_ground(pixels))
        line = sheet[top + 37 : top + 37 + NAME_PX, left : left + 53]
        assert line.min() < 60
        assert (line == GROUND).all(axis=-1).mean() > 0.4
    assert (sheet[-GAP_PX - 60 : -GAP_PX, -53:] == GROUND).all()
    half = np.full((1, 1, 4), (200, 100, 0, 128), np.uint8)
    wanted = np.array([200, 100, 0]) * (128 / 255) + GROUND * (127 / 255)
    assert np.abs(over_ground(half)[0, 0] - wanted).max() <= 0.51
    with pytest.raises(IndexError):
        picture_sheet([])


def test_variants_and_scenes_from_scripts(tmp_path: Path) -> None:
    """One view for all variants, so that only colours differ; a sheet without a mesh is shown itself."""
    kit = OpenKit(read_kit(KIT_FOLDER), None)
    kit.write_variants(
        tmp_path / "crates.png",
        ["Night Post", "ice_patrol"],
        "oar_and_crate",
        width=200,
        height=140,
        lit=False,
        columns=2,
    )
    found = read_plane(tmp_path / "crates.png", Encoding.SRGB).samples
    one, other = (found[GAP_PX : GAP_PX + 140, left : left + 200] for left in (GAP_PX, GAP_PX * 2 + 200))
    covered = [(each != GROUND).any(axis=-1) for each in (one, other)]
    assert (covered[0] == covered[1]).mean() > 0.999
    assert 0.1 < covered[0].mean() < 0.9
    assert np.abs(one[covered[0]].astype(int) - other[covered[0]]).mean() > 5
    kit.write_variants(tmp_path / "sign.png", ["Master"], "painted_sign", width=64, height=48)
    sign = read_plane(tmp_path / "sign.png", Encoding.SRGB).samples[GAP_PX : GAP_PX + 48, GAP_PX : GAP_PX + 64]
    assert (sign[:, 8:56] != GROUND).any(axis=-1).mean() > 0.95
    assert (sign[:, :7] == GROUND).all()
    picture = kit.scene_picture("The landing", width=160, height=90)
    assert picture.shape == (90, 160, 3)
    assert 0.2 < (picture != GROUND).any(axis=-1).mean() < 0.95
    moved = kit.scene_picture("the_landing", width=160, height=90, time=2.5)
    assert (moved != picture).any(axis=-1).mean() > 0.05  # the river goes on
    with pytest.raises(UserError, match="no scene “Nowhere”; there is The landing"):
        kit.scene_picture("Nowhere")
    kit.do("add_scene", "Empty")
    with pytest.raises(UserError, match="Nothing stands"):
        kit.scene_picture("Empty")


def test_no_picture_goes_over_a_file_of_the_kit(tmp_path: Path) -> None:
    """Neither a sheet of variants nor a frame; what the file held is there still."""
    kit = OpenKit(read_kit(KIT_FOLDER), None)
    source = tmp_path / "hull_0000.png"
    source.write_bytes(Path(kit.kit.files[0].path).read_bytes())
    held = source.read_bytes()
    kit.add_map(source)
    with pytest.raises(UserError, match="is read from"):
        kit.write_variants(source)
    with pytest.raises(UserError, match="is read from"):
        kit.write_frames(tmp_path / "hull.png", "The landing", seconds=0.25, rate=4.0)
    assert source.read_bytes() == held


def test_command_line(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    out = tmp_path / "scene.png"
    assert (
        main(["review", str(KIT_FOLDER), "--scene", "the_landing", "--to", str(out), "--width", "96", "--height", "64"])
        == 0
    )
    assert read_plane(out, Encoding.SRGB).samples.shape == (64, 96, 3)
    assert main(["review", str(KIT_FOLDER), "--scene", "none", "--to", str(out)]) == 2
    assert "no scene" in capsys.readouterr().err


def test_what_a_script_places_is_what_commands_do() -> None:
    kit = OpenKit(read_kit(KIT_FOLDER), None)
    before = kit.kit
    assert kit.do("set_instances", "the_landing", [("fleet", 0)], {"variant": "ice_patrol"})
    assert kit.kit == commands.set_instances("the_landing", [("fleet", 0)], {"variant": "ice_patrol"}).apply(before)


def test_frames_of_a_scene(tmp_path: Path) -> None:
    """Numbered pictures: time goes on in them, the view goes around, and each is the same when it is made alone."""
    kit = OpenKit(read_kit(KIT_FOLDER), None)
    how = {"width": 96, "height": 54, "lit": False}
    written = kit.write_frames(tmp_path / "river.png", "The landing", seconds=1.0, rate=3.0, **how)
    assert [path.name for path in written] == ["river_0000.png", "river_0001.png", "river_0002.png"]
    frames = [read_plane(path, Encoding.SRGB).samples for path in written]
    assert (frames[0] != frames[1]).any(axis=-1).mean() > 0.05
    assert np.array_equal(frames[2], kit.scene_picture("The landing", time=2 / 3, **how))
    for wrong in ({"rate": 0.0}, {"rate": -1.0}, {"rate": 1e9}, {"seconds": float("nan")}):
        with pytest.raises(UserError, match="frames"):
            kit.write_frames(tmp_path / "none.png", "The landing", **{**how, **wrong})
    turned = kit.write_frames(tmp_path / "turn.png", "The landing", seconds=0.5, rate=4.0, turns=1.0, **how)
    half = read_plane(turned[1], Encoding.SRGB).samples
    assert (half != frames[0]).any(axis=-1).mean() > 0.3
    out = tmp_path / "cli.png"
    assert (
        main(
            [
                "review",
                str(KIT_FOLDER),
                "--scene",
                "the_landing",
                "--to",
                str(out),
                "--width",
                "40",
                "--height",
                "30",
                "--seconds",
                "0.25",
                "--rate",
                "8",
            ]
        )
        == 0
    )
    assert sorted(path.name for path in tmp_path.glob("cli_*")) == ["cli_0000.png", "cli_0001.png"]
