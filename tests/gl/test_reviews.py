"""Pictures for reviews: variants beside each other with their names, scenes; by scripts, the command line and the window."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtGui import QImage, QImageReader

from even_palette.cli import main
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.store import decode_kit, encode_kit, read_kit
from even_palette.core.raster.animation import write_animation
from even_palette.core.raster.files import read_plane
from even_palette.core.raster.picture_sheet import GAP_PX, GROUND, NAME_PX, over_ground, picture_sheet
from even_palette.core.raster.plane import Encoding
from even_palette.core.results.crowd import crowds_of
from even_palette.core.results.scene_view import camera_of, framing
from even_palette.demo import KIT_FOLDER
from even_palette.gl.context import offscreen_context
from even_palette.gl.crowd_view import CrowdRenderer
from even_palette.gl.model_view import Light
from even_palette.gl.textures import Textures
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
    picture = kit.scene_picture("The landing", width=160, height=90, lit=False)
    assert picture.shape == (90, 160, 3)
    assert 0.2 < (picture != GROUND).any(axis=-1).mean() < 0.95
    moved = kit.scene_picture("the_landing", width=160, height=90, lit=False, time=2.5)
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
        kit.write_frames(tmp_path / "hull.png", "The landing", seconds=0.5, rate=4.0)
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


def test_an_animation_is_the_frames(tmp_path: Path) -> None:
    """Chunks by the WebP Container Specification (RIFF; VP8X, ANIM, a frame an ANMF with its milliseconds), read by Qt."""
    kit = OpenKit(read_kit(KIT_FOLDER), None)
    how = {"seconds": 1.0, "rate": 4.0, "width": 90, "height": 51, "lit": False}
    (path,) = kit.write_frames(tmp_path / "river.webp", "The landing", **how)
    pictures = kit.write_frames(tmp_path / "river.png", "The landing", **how)
    data = path.read_bytes()
    assert (data[:4], data[8:12], int.from_bytes(data[4:8], "little")) == (b"RIFF", b"WEBP", len(data) - 8)
    chunks, at = [], 12
    while at < len(data):
        size = int.from_bytes(data[at + 4 : at + 8], "little")
        chunks.append((data[at : at + 4], data[at + 8 : at + 8 + size]))
        at += 8 + size + size % 2
    assert [name for name, _ in chunks if name != b"ANMF"][:2] == [b"VP8X", b"ANIM"]
    assert int.from_bytes(next(body for name, body in chunks if name == b"ANIM")[4:6], "little") == 0  # for ever
    times = [int.from_bytes(body[12:15], "little") for name, body in chunks if name == b"ANMF"]
    assert sum(times) == 1000
    reader = QImageReader(str(path))
    for picture, passed in zip(pictures, range(0, 1000, 250), strict=True):
        if passed in np.cumsum([0, *times]):
            shown = reader.read().convertToFormat(QImage.Format.Format_RGB888)
            bits = shown.constBits()
            assert bits is not None
            found = np.frombuffer(bits.asarray(shown.sizeInBytes()), np.uint8).reshape(51, shown.bytesPerLine())
        assert np.array_equal(found[:, : 90 * 3].reshape(51, 90, 3), read_plane(picture, Encoding.SRGB).samples)
    with pytest.raises(UserError, match="16,383"):
        write_animation(tmp_path / "wide.webp", [np.zeros((2, 16_384, 3), np.uint8)], 4.0)
    with pytest.raises(UserError, match="no picture"):
        write_animation(tmp_path / "none.webp", [], 4.0)
    assert sorted(path.name for path in tmp_path.glob("*.webp")) == ["river.webp"]


def test_the_view_that_was_kept(tmp_path: Path) -> None:
    """Pictures are from there, at its time; saved and opened again; without one all is in view."""
    kit = OpenKit(read_kit(KIT_FOLDER), None)
    size = {"width": 96, "height": 64, "lit": False}
    kit.do("keep_view", "the_landing", None)
    all_of_it = kit.scene_picture("The landing", **size)
    crowds = crowds_of(kit.kit, kit.results, kit.kit.scene("the_landing"))
    orbit = replace(framing(crowds, 96, 64), yaw=-1.2, pitch=0.2)
    orbit = replace(orbit, distance=orbit.distance / 3)
    kit.do("keep_view", "the_landing", camera_of(orbit), 1.5)
    assert decode_kit(encode_kit(kit.kit, tmp_path), tmp_path).scenes == kit.kit.scenes
    near = kit.scene_picture("The landing", **size)
    assert (near != all_of_it).any(axis=-1).mean() > 0.3
    scene = kit.kit.scene("the_landing")
    context = offscreen_context()
    renderer = CrowdRenderer(context, Textures(context))
    moved = crowds_of(kit.kit, kit.results, scene, 1.5)
    drawn = renderer.render(moved, orbit, 96, 64, Light(False), 1.5).pixels
    renderer.release()
    assert np.abs(over_ground(drawn).astype(int) - near).max() <= 1
    kit.do("keep_view", "the_landing", None)
    assert np.array_equal(kit.scene_picture("The landing", **size), all_of_it)
