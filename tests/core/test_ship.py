"""The package: what is in it, how it is written, and that the player shows what the kit shows."""

from pathlib import Path

import msgspec
import numpy as np
import pytest
from jsonschema import Draft202012Validator
from msgspec.structs import replace
from PIL import Image

from even_palette.cli import main
from even_palette.core.colour.srgb import linear_to_srgb, srgb_to_linear
from even_palette.core.errors import UserError
from even_palette.core.jobs import Cancelled, CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.mesh_file import MeshFile
from even_palette.core.kit.model import Kit
from even_palette.core.kit.sheet import Step
from even_palette.core.kit.store import KitFolder, read_kit
from even_palette.core.kit.trees import with_files
from even_palette.core.material.variants import resolve
from even_palette.core.mesh.files import read_mesh
from even_palette.core.mesh.kinds import ElementKind
from even_palette.core.raster.files import read_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.footprints import layout_of
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.masks import mask_of
from even_palette.core.results.pictures import render_reference, whole_sheet
from even_palette.core.results.rendering import SheetRender
from even_palette.core.results.sheet_mesh import elements_of, mesh_of_file
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.shipped_slots import shipped_base
from even_palette.core.results.weights import weights_of
from even_palette.core.ship.package import package_schema
from even_palette.core.ship.read_package import read_package
from even_palette.core.ship.write import plan, ship, texture_bytes
from even_palette.demo import KIT_FOLDER
from even_palette.demo.build import build
from even_palette.gl.sheet_view import SheetRenderer
from even_palette.player.load import load, values_of
from even_palette.player.opengl import play_opengl
from even_palette.player.reference import play_reference

DOCS = Path(__file__).parents[2] / "docs"


@pytest.fixture(scope="module")
def demo() -> Kit:
    return read_kit(KIT_FOLDER)


def test_demo_player_window_and_reference_agree(demo: Kit, sheets: Sheets, tmp_path: Path) -> None:
    """Every texel of every variant of the demo kit: GLSL player, window at 1:1, fused loop and reference within 1/255.

    The reference is slow: it takes one variant a sheet, another one for each; compiling loops takes longest of all.
    """
    ship(demo, sheets, tmp_path / "package")
    renderer = SheetRenderer()
    assert [v.name for v in demo.variants] == ["Morning Ferry", "Night Post", "Harvest Barge", "Ice Patrol"]
    assert demo.variant("ice_patrol").parent == "night_post"
    assert [sheet.name for sheet in demo.sheets] == [
        "Ferry tug",
        "Oar and crate",
        "Reed clump",
        "Painted sign",
        "Quay wall",
        "Tattered sail",
        "River",
        "Wharf tree",
    ]
    for sheet in demo.sheets:
        part, loaded = demo.at(sheet.key), load(tmp_path / "package", sheet.name)
        size = (loaded.sheet.width, loaded.sheet.height)
        view = whole_sheet(*size)
        ready, number = SheetRender(part, sheets), demo.sheets.index(sheet) % (len(demo.variants) + 1)
        looped = sheet.name in ("Ferry tug", "Quay wall")  # the richest two; all are held in test_same_pictures
        for turn, (key, name) in enumerate({**demo.variant_names, "": ""}.items()):
            look = picture(part, sheets, Look(variant=key))
            whole = play_opengl(loaded, name, *size).astype(int)
            played = whole[..., :3]
            assert np.abs(played - renderer.render(look, view)[..., :3]).max() <= 1
            if looped:
                settings = resolve(demo.parameters, demo.variants, key)
                fused = ready.render(["colour"], settings, in_levels=True)["colour"]
                assert np.abs(played - fused).max() <= 1
            if turn == number:
                assert np.abs(whole - play_reference(loaded, name, *size)).max() <= 1
                if looped:
                    assert np.abs(played - render_reference(look, view)).max() <= 1
        instance = {"time": 7.3, "seed": 0.37}
        one, two = (play(loaded, "Ice Patrol", *size, **instance).astype(int) for play in (play_opengl, play_reference))
        assert np.abs(one - two).max() <= 1
    with pytest.raises(UserError, match="no sheet “Nowhere”; it has Ferry tug, Oar and crate, Reed clump, "):
        load(tmp_path / "package", "Nowhere")


def test_the_demo_kit_is_what_its_code_makes(demo: Kit, sheets: Sheets, tmp_path: Path) -> None:
    """The same kit, pictures and faces; places of points to rounding, as sines differ in the last bit among processors."""
    again = build(tmp_path / "kit")

    def without_files(kit: Kit) -> Kit:
        return with_files(kit, lambda file: replace(file, path=Path(file.path).name, size=0, sha256=""))

    assert without_files(again) == without_files(demo)
    for ours, shipped in zip(again.files, demo.files, strict=True):
        if isinstance(ours, MeshFile) and isinstance(shipped, MeshFile):
            one, other = mesh_of_file(ours, sheets), read_mesh(Path(shipped.path))
            assert np.array_equal(one.faces, other.faces)
            assert np.allclose(one.points, other.points, atol=1e-6)
            assert np.allclose(one.uv_sets[0], other.uv_sets[0], atol=1e-6)
        else:
            one, other = (np.asarray(Image.open(file.path)).astype(int) for file in (ours, shipped))
            assert np.abs(one - other).max() <= (
                1 if "spill" in ours.path or "baked" in ours.path else 0
            )  # rays meet edges to rounding


def test_each_region_of_the_demo_has_texels(demo: Kit, sheets: Sheets) -> None:
    for sheet in demo.sheets:
        assert all(area > 0.005 for area in weights_of(demo.at(sheet.key), sheets).areas), sheet.name


def test_layout_of_the_demo(demo: Kit, sheets: Sheets) -> None:
    """No overlaps, nothing outside the tile, no face without area; many shells, the hull's planks in three regions."""
    for sheet in demo.sheets[:3]:  # the sign has no mesh
        found = layout_of(demo.at(sheet.key), sheets, 1024, 1024)
        assert found is not None
        assert (found.overlapping_texels, found.outside_faces, found.empty_faces) == (0, 0, 0)
    assert elements_of(demo.at(), sheets, ElementKind.SHELL).count > 100
    hull = [region.key for region in demo.sheets[0].regions if region.name.startswith("Hull")]
    assert len(hull) == 3
    assert set(hull) <= set(demo.meshes[0].faces.regions)


def test_the_package_fits_its_schema(kit: Kit, sheets: Sheets, tmp_path: Path) -> None:
    """JSON Schema 2020-12: docs/package.schema.json is current, and a real package fits it (jsonschema)."""
    published = msgspec.json.decode((DOCS / "package.schema.json").read_bytes())
    assert published == msgspec.json.decode(msgspec.json.encode(package_schema()))
    ship(kit, sheets, tmp_path / "package")
    Draft202012Validator(published).validate(msgspec.json.decode((tmp_path / "package" / "package.json").read_bytes()))


def test_what_a_package_holds(kit: Kit, sheets: Sheets, maps: dict[Role, Path], tmp_path: Path) -> None:
    folder = tmp_path / "package"
    sizes = ship(kit, sheets, folder)
    assert sizes == {path.name: path.stat().st_size for path in folder.iterdir()}
    assert sorted(sizes) == sorted(item.file for item in plan(kit, sheets))
    package = read_package(folder)
    paint = np.asarray(Image.open(folder / "base_colour.png"))
    assert np.array_equal(paint, np.asarray(Image.open(maps[Role.BASE_COLOUR])))
    weights = np.asarray(Image.open(folder / "weights_0.png")).astype(int)
    assert weights.sum(axis=-1).max() <= 255
    ids = np.asarray(Image.open(maps[Role.ID]))
    for region, packed in zip(kit.sheets[0].regions, package.sheets[0].regions, strict=True):
        pure = (ids == region.id_colour).all(axis=-1)
        assert pure.any()
        assert (weights[pure]["rgba".index(packed.channel) == np.arange(4)[None].repeat(pure.sum(), 0)] == 255).all()
    shader, told = (folder / "material.glsl").read_text(), (folder / "README.txt").read_text()
    for parameter in package.parameters:
        assert f"uniform {parameter.type} {parameter.uniform};" in shader
        assert parameter.uniform in told
        assert parameter.used_by
    assert [v.name for v in package.variants] == ["Day", "Dusk"]
    assert set(package.variants[1].own) < set(package.variants[1].values)


def test_a_package_calls_things_by_their_present_names(kit: Kit, sheets: Sheets, tmp_path: Path) -> None:
    """Keys stay in the kit: uniforms, variants and their parents follow a rename, and the picture is the window's."""
    for command in (
        commands.rename_parameter("region_1_colour", "Team paint"),
        commands.rename_variant("day", "Market day"),
    ):
        kit = command.apply(kit)
    folder = tmp_path / "package"
    ship(kit, sheets, folder)
    assert "uniform vec3 p_team_paint;" in (folder / "material.glsl").read_text()
    assert b"region_1_colour" not in (folder / "package.json").read_bytes()
    loaded = load(folder)
    assert [(v.name, v.parent) for v in loaded.package.variants] == [("Market day", None), ("Dusk", "Market day")]
    side = loaded.sheet.width
    for key, name in (("day", "Market day"), ("dusk", "Dusk")):
        look = picture(kit.at(), sheets, Look(variant=key))
        played = play_opengl(loaded, name, side, side).astype(int)
        assert np.abs(played - play_reference(loaded, name, side, side)).max() <= 1
        assert np.abs(played - render_reference(look, whole_sheet(side, side))).max() <= 1


@pytest.mark.parametrize(
    ("size", "texel", "total"),
    [((512, 512), 4, 1398100), ((512, 512), 3, 1398100), ((5, 3), 1, 15 + 2 + 1), ((1, 1), 4, 4)],
)
def test_texture_bytes(size: tuple[int, int], texel: int, total: int) -> None:
    """RGBA8 512 x 512 is 1 MiB, with its mip chain below 4/3 of that (OpenGL 4.6, section 8.14.3)."""
    assert texture_bytes(*size, texel) == total


def test_float_paint_ships_as_16_bit() -> None:
    values = np.random.default_rng(1).random((8, 8, 3)).astype(np.float32)
    base = shipped_base(Plane(values, Encoding.LINEAR))
    assert (base.samples.dtype, base.encoding) == (np.uint16, Encoding.SRGB)
    assert np.abs(base.linear() - values).max() < 1e-4


def test_an_older_package_is_replaced_and_nothing_else(kit: Kit, sheets: Sheets, tmp_path: Path) -> None:
    folder = tmp_path / "package"
    ship(kit, sheets, folder)
    ship(kit, sheets, folder)
    assert sorted(p.name for p in tmp_path.iterdir()) == ["maps", "package"]
    (folder / "mine.txt").write_text("keep me")
    with pytest.raises(UserError, match=r"mine\.txt"):
        ship(kit, sheets, folder)
    assert (folder / "mine.txt").read_text() == "keep me"
    with pytest.raises(UserError, match="read from"):
        ship(kit, sheets, tmp_path / "maps")


def test_the_player_keeps_to_the_sampler_settings(kit: Kit, sheets: Sheets, tmp_path: Path) -> None:
    """Filter and mips of package.json: four texels in one pixel are their mean with mips, one of them without."""
    ship(kit, sheets, tmp_path / "package")
    path = tmp_path / "package" / "package.json"
    texels = np.asarray(Image.open(tmp_path / "package" / "base_colour.png"))
    pictures = {}
    for name, settings in {"mips": {}, "sharp": {"filter": "nearest", "mips": False}}.items():
        tree = msgspec.json.decode(path.read_bytes())
        for entry in tree["sheets"][0]["maps"]:
            entry.update(settings)
        path.write_bytes(msgspec.json.encode(tree))
        pictures[name] = play_opengl(load(path.parent), "", 32, 32).astype(int)
    corner = texels[:2, :2].reshape(4, 3).astype(int)
    assert np.abs(pictures["sharp"][0, 0] - corner).max(axis=-1).min() <= 1
    mean = linear_to_srgb(srgb_to_linear(np.float32(corner) / 255).mean(axis=0)) * 255
    assert np.abs(pictures["mips"][0, 0] - mean).max() <= 1.5


def test_cancelling_leaves_no_trace(kit: Kit, tmp_path: Path) -> None:
    token = CancelToken()

    def stop(share: float, doing: str) -> None:
        token.cancel()

    with pytest.raises(Cancelled):
        ship(kit, Sheets(), tmp_path / "package", stop, token)
    assert sorted(p.name for p in tmp_path.iterdir()) == ["maps"]


def test_the_player_tells_what_is_wrong(kit: Kit, sheets: Sheets, tmp_path: Path) -> None:
    folder = tmp_path / "package"
    ship(kit, sheets, folder)
    with pytest.raises(UserError, match="no variant “Fog”; it has Day, Dusk"):
        values_of(load(folder), "Fog")
    (folder / "material.glsl").write_text("vec3 even_palette_colour(vec2 uv) { return oops; }")
    with pytest.raises(UserError, match="does not compile"):
        play_opengl(load(folder), "", 8, 8)
    (folder / "weights_0.png").unlink()
    with pytest.raises(UserError, match=r"weights_0\.png"):
        load(folder)


def test_command_line(kit: Kit, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """check, bake, ship and play; exit codes 0 done, 1 findings, 2 unreadable input with one line and no traceback."""
    folder = KitFolder.create(tmp_path / "kit")
    folder.save(kit)
    folder.close()
    assert main(["check", str(tmp_path / "kit")]) == 0
    assert main(["ship", str(tmp_path / "kit"), "--to", str(tmp_path / "package")]) == 0
    assert main(["bake", str(tmp_path / "kit"), "--to", str(tmp_path / "baked")]) == 2  # it has no bakes
    assert "has no bakes" in capsys.readouterr().err
    assert main(["bake", str(KIT_FOLDER), "--to", str(tmp_path / "baked"), "--suffix", ".tif"]) == 0
    assert Image.open(tmp_path / "baked" / "reed_clump-along.tif").size == (512, 512)
    pictures = []
    for extra in ([], ["--reference"], ["--variant", "Dusk"]):
        out = tmp_path / f"played{len(pictures)}.png"
        assert main(["play", str(tmp_path / "package"), "--out", str(out), *extra]) == 0
        pictures.append(np.asarray(Image.open(out)).astype(int))
    assert np.abs(pictures[0] - pictures[1]).max() <= 1
    assert np.abs(pictures[0] - pictures[2]).max() > 20
    assert main(["play", str(tmp_path / "package"), "--size", "17", "--out", str(tmp_path / "small.png")]) == 0
    assert Image.open(tmp_path / "small.png").size == (17, 17)
    capsys.readouterr()
    assert main(["check", str(tmp_path / "nowhere")]) == 2
    told = capsys.readouterr().err
    assert told.count("\n") == 1
    assert "nowhere" in told
    Path(kit.sheets[0].sources[0].path).unlink()
    assert main(["check", str(tmp_path / "kit")]) == 1
    assert "is missing" in capsys.readouterr().out


@pytest.mark.parametrize("bits", [8, 16])
def test_masks_as_files(bits: int, history: History, sheets: Sheets, tmp_path: Path) -> None:
    """Each region's weights by its name, as they ship or finer; with the base they add up exactly; the packed planes."""
    history.do(commands.rename_region("region_2", "Нос / Bow"))
    history.do(commands.rename_region("region_3", "bow"))
    history.do(commands.add_step("region_1", Step("feather", {"radius": 3.0})))
    folder = KitFolder.create(tmp_path / "kit")
    folder.save(history.kit)
    folder.close()
    out = tmp_path / "out"
    assert main(["masks", str(tmp_path / "kit"), "--to", str(out), "--bits", str(bits)]) == 0
    at = history.kit.at()
    key, weights = "sheet", weights_of(at, sheets)  # the name of the sheet, whose key is sheet_1
    names = sorted(path.name for path in out.glob("*.png"))
    assert len(names) == len(at.sheet.regions) + len(weights.packed)
    regions = [name for name in names if "packed" not in name]
    assert {f"{key}-bow.png", f"{key}-bow_2.png"} <= set(regions)
    written = {name: np.asarray(Image.open(out / name)) for name in names}
    total = sum(written[name].astype(np.int64) for name in regions)
    most = 255 if bits == 8 else 65535
    masks = np.stack([mask_of(at, sheets, region.key).samples[..., 0] for region in at.sheet.regions]) / 65535
    exact = masks / np.maximum(1, masks.sum(axis=0))
    assert total.max() <= most
    assert np.abs(total - most * exact.sum(axis=0)).max() <= 1
    whole = masks.sum(axis=0) >= 1
    assert (total[whole] == most).all()
    by_order = [written[name] for name in (f"{key}-region_1.png", f"{key}-bow_2.png")]
    assert np.abs(by_order[0] - most * exact[0]).max() <= 1
    assert np.abs(by_order[1] - most * exact[2]).max() <= 1
    packed = read_plane(out / f"{key}-packed_1.png", Encoding.DATA).samples
    assert np.array_equal(packed[..., 0], by_order[0])
    if bits == 8:
        assert np.array_equal(by_order[0], weights.levels[0])
