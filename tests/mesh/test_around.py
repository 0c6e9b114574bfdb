"""Bakes see the whole asset: other sheets and meshes, through cut-outs, and their light."""

from pathlib import Path

import numpy as np
import pytest
import trimesh
from msgspec.structs import replace

from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import Overcoats
from even_palette.core.kit.history import History
from even_palette.core.kit.mesh_file import MeshFile
from even_palette.core.kit.model import Kit
from even_palette.core.kit.sheet import Bake, Box
from even_palette.core.material.drawn import Drawing, Way
from even_palette.core.material.model import Coat, PlaneKind, PlaneRef, PlaneUse
from even_palette.core.mesh.files import write_mesh
from even_palette.core.mesh.model import Mesh, build_mesh
from even_palette.core.mesh.rays import build_scene
from even_palette.core.mesh.unwrap import unwrapped
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.around import casters_of
from even_palette.core.results.bakes import bake_name, bake_of
from even_palette.core.results.sheets import Sheets
from tests.conftest import source
from tests.mesh.conftest import of_trimesh

OCCLUSION = Bake("occlusion", "occlusion", 256, 0, 1, {"rays": 256.0, "reach": 1.0})
SPILL = Bake("spill", "spill", 256, 0, 1, {"rays": 256.0, "reach": 1.0})


def square(height: float, down: bool) -> Mesh:
    """A unit square that looks up, or down, with uv all over its sheet."""
    ring = [(0, height, 1), (1, height, 1), (1, height, 0), (0, height, 0)]
    faces = np.array([(0, 1, 2), (0, 2, 3)]) if not down else np.array([(0, 2, 1), (0, 3, 2)])
    uv = np.float32([(0.02, 0.98), (0.98, 0.98), (0.98, 0.02), (0.02, 0.02)])
    return build_mesh(np.float32(ring), faces, (uv[faces],))


def kit_of_meshes(folder: Path, *meshes: Mesh) -> History:
    """A kit in which each mesh lies on a sheet of its own, sheet_1 and so on, each with a plain colour."""
    history = History(Kit())
    for number, mesh in enumerate(meshes, 1):
        if number > 1:
            history.do(commands.add_sheet(f"Sheet {number}"))
        sheet = history.kit.sheets[-1].key
        history.do(commands.add_plain_colour(sheet, (200, 200, 200), 64))
        path = folder / f"mesh_{number}.ply"
        write_mesh(path, mesh, np.zeros((mesh.face_count, 3), np.uint8))
        history.do(commands.add_mesh(MeshFile(f"mesh_{number}", str(path), sheet)))
    return history


def baked(history: History, bake: Bake, number: int = 0) -> np.ndarray:
    """The middle of a bake on a sheet, 0..1."""
    plane, _ = bake_of(history.kit.at(history.kit.sheets[number].key), Sheets(), bake)
    return plane.values()[20:236, 20:236]


def with_holes(history: History, sheet: str, folder: Path, alpha: np.ndarray, threshold: float = 0.5) -> None:
    path = folder / f"{sheet}_opacity.png"
    write_plane(path, Plane(alpha[..., None], Encoding.DATA))
    history.do(commands.add_map(sheet, source(path, Role.OPACITY, Encoding.DATA)))
    history.do(commands.set_drawing(sheet, Drawing(Way.CUT_OUT, threshold)))


def test_a_facing_square_on_another_sheet_hides_its_view_factor(tmp_path: Path) -> None:
    """Two parallel unit squares at distance 1 on two sheets and in two files: 0.1998 of the sky is hidden (Howell,
    Catalog of Radiation Heat Transfer, C-11); nothing where the other one is left out, or a reference that casts not."""
    history = kit_of_meshes(tmp_path, square(0, False), square(1, True))
    assert 1 - baked(history, OCCLUSION).mean() == pytest.approx(0.1998, abs=0.01)
    assert casters_of(history.kit.at("sheet_1")) == ["mesh_2"]
    for fields, hidden in (
        ({"casts": False}, 0.0),
        ({"reference": True, "casts": True}, 0.1998),
        ({"casts": False}, 0.0),
    ):
        history.do(commands.change_mesh("mesh_2", "Change", lambda m, fields=fields: replace(m, **fields)))
        assert 1 - baked(history, OCCLUSION).mean() == pytest.approx(hidden, abs=0.01)


def test_light_comes_from_another_sheet(tmp_path: Path) -> None:
    """The same squares: what one sends out arrives on the other by the view factor, 0.1998; and its key follows."""
    history = kit_of_meshes(tmp_path, square(0, False), square(1, True))
    at = history.kit.at("sheet_1")
    dark = bake_name(at, Sheets(), SPILL)
    other = history.kit.sheets[1].key
    history.do(commands.add_regions(other, [(255, 0, 0)]))
    lamp = history.kit.sheets[1].regions[0].key
    history.do(commands.add_box(lamp, Box(0, 0, 1, 1)))
    history.do(commands.add_coat(lamp, Coat("glow", {"colour": (1.0, 1.0, 1.0), "intensity": 1.0})))
    assert baked(history, SPILL).mean() == pytest.approx(0.1998, abs=0.01)
    assert baked(history, SPILL, 1).max() == 0
    assert bake_name(history.kit.at("sheet_1"), Sheets(), SPILL) != dark


def test_sheets_that_light_each_other_do_not_wait_for_each_other(tmp_path: Path) -> None:
    """Both glow by their own bakes of spilled light: one bounce each, and names that end."""
    history = kit_of_meshes(tmp_path, square(0, False), square(1, True))
    for sheet in list(history.kit.sheets):
        history.do(commands.add_bake(sheet.key, replace(SPILL, size=256)))
    for sheet in list(history.kit.sheets):
        spill = history.kit.sheet(sheet.key).bakes[0].key
        use = PlaneUse(PlaneRef(PlaneKind.BAKE, spill))
        history.do(commands.add_coat(Overcoats(sheet.key), Coat("glow", {}, {"mask": use})))
    assert baked(history, SPILL).max() == 0


def test_rays_go_through_what_is_cut_out(tmp_path: Path) -> None:
    """The upper square with every second texel cut out hides half as much; with all of them, nothing; drawn opaque, all.
    The lower one's own holes do not matter to what it sees."""
    history = kit_of_meshes(tmp_path, square(0, False), square(1, True))
    other = history.kit.sheets[1].key
    checks = np.uint8(np.add.outer(np.arange(256), np.arange(256)) % 2 * 255)
    with_holes(history, other, tmp_path, checks)
    assert 1 - baked(history, OCCLUSION).mean() == pytest.approx(0.1998 / 2, abs=0.01)
    history.do(commands.set_drawing(other, Drawing(Way.CUT_OUT, 0.0)))
    assert 1 - baked(history, OCCLUSION).mean() == pytest.approx(0.1998, abs=0.01)
    history.do(commands.set_drawing(other, Drawing(Way.OPAQUE)))
    assert 1 - baked(history, OCCLUSION).mean() == pytest.approx(0.1998, abs=0.01)
    with_holes(history, "sheet_1", tmp_path, checks)
    assert 1 - baked(history, OCCLUSION).mean() == pytest.approx(0.1998, abs=0.01)


def test_many_holes_in_a_row_are_gone_through() -> None:
    """Forty sheets of holes over each other hide nothing; one more that has none hides all that it did."""
    layers = [square(0.02 * (n + 1), True) for n in range(40)]
    around = np.concatenate([layer.corners() for layer in layers])
    solid = square(1, True).corners()
    ground = square(0, False)
    count = ground.face_count + len(around)
    scene = build_scene(ground, np.concatenate([around, solid]), lambda faces, u, v: faces >= count)
    bare = build_scene(ground, solid)
    points, up = np.float32([(0.5, 0, 0.5)]), np.float32([(0, 1, 0)])
    arguments = points, up, up, np.arange(1), 1024, 10.0, 1
    assert scene.open_share(*arguments) == pytest.approx(bare.open_share(*arguments), abs=1e-6)
    assert scene.mean_distance(*arguments) == pytest.approx(bare.mean_distance(*arguments), rel=1e-3)


def test_a_box_in_two_materials_is_the_box_in_one(tmp_path: Path) -> None:
    """Occlusion inside a closed box whose faces lie on two sheets equals that of the same box on one, at every texel
    that a sheet has, edges between the sheets among them."""
    box = unwrapped(of_trimesh(trimesh.creation.box((1.0, 0.6, 1.4))))
    inward = build_mesh(box.points, box.faces[:, ::-1].copy(), (box.uv_sets[0][:, ::-1].copy(),))
    half = np.arange(inward.face_count) % 4 // 2
    two = build_mesh(
        inward.points, inward.faces, inward.uv_sets, slots=("left", "right"), face_slot=half.astype(np.int32)
    )
    bake = replace(OCCLUSION, values={"rays": 64.0, "reach": 0.3})
    write_mesh(tmp_path / "box.glb", two, np.zeros((two.face_count, 3), np.uint8))
    one = History(Kit())
    one.do(commands.add_mesh(MeshFile("box", str(tmp_path / "box.glb"), "sheet_1")))
    whole, made = bake_of(one.kit.at("sheet_1"), Sheets(), bake)
    assert whole.values().std() > 0.02
    one.do(commands.add_sheet("Other"))
    key = one.kit.sheets[1].key
    one.do(commands.change_mesh("box", "Change", lambda m: replace(m, slots={"right": key}, casts=False)))
    seen = 0
    for sheet in ("sheet_1", key):
        part, own = bake_of(one.kit.at(sheet), Sheets(), bake)
        covered = part.samples[..., 0] != 255
        seen += int(covered.sum())
        apart = np.abs(part.samples.astype(int) - whole.samples)[covered]
        assert apart.max() <= 1
        assert own.covered_texels < made.covered_texels
    assert seen > 0.9 * (whole.samples[..., 0] != 255).sum()
