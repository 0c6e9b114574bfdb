"""Mesh files: against trimesh, through the Khronos validator, and damaged in every way."""

import json
import os
import random
import shutil
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import msgspec
import numpy as np
import pytest
import trimesh

from even_palette.core.errors import UserError
from even_palette.core.mesh.files import MeshLimits, read_mesh, write_mesh
from even_palette.core.mesh.model import Mesh
from even_palette.core.mesh.unwrap import unwrapped
from tests.core.test_bad_input import mutate
from tests.mesh.conftest import REAL, of_trimesh

VALIDATOR = Path(__file__).parents[1] / "node"

OBJ = b"""# two objects, three materials, a quad, negative indices, a colour a vertex
o crate
usemtl wood
v 0 0 0 1 0 0
v 1 0 0 1 0 0
v 1 1 0 0 1 0
v 0 1 0 0 1 0
vt 0 0
vt 1 0
vt 1 1
vt 0 1
vn 0 0 1
f 1/1/1 2/2/1 3/3/1 4/4/1
usemtl iron band
f -4/-4/-1 -3/-3/-1 -2/-2/-1
o oar
v 2e0 0.0 -1.5E-1 0 0 1
v +3 0 0 0 0 1
v 3 1 .5 0 0 1
usemtl wood
f 5/1/1 6/2/1 \\
7/3/1
g blade
usemtl paint
f 7/1/1 6/2/1 5/3/1
"""


def test_obj_with_everything(tmp_path: Path) -> None:
    (tmp_path / "a.obj").write_bytes(OBJ)
    mesh = read_mesh(tmp_path / "a.obj")
    assert mesh.face_count == 5  # the quad is two
    assert mesh.slots == ("wood", "iron band", "paint")
    assert mesh.face_slot.tolist() == [0, 0, 1, 0, 2]
    assert mesh.objects == ("crate", "oar", "blade")
    assert mesh.face_object.tolist() == [0, 0, 0, 1, 2]
    assert len(mesh.points) == 7
    assert np.allclose(mesh.points[4], (2, 0, -0.15))
    assert np.allclose(mesh.uv_sets[0][0], [(0, 1), (1, 1), (1, 0)])  # v is turned down
    assert np.allclose(mesh.normals[:4], (0, 0, 1))
    assert mesh.colours is not None
    assert mesh.colours[3].tolist() == [[0, 0, 255]] * 3


@pytest.mark.parametrize("suffix", [".obj", ".ply", ".glb"])
@pytest.mark.parametrize("name", ["airplane.ply", "ant.ply", "nut.ply"])
def test_real_meshes_read_as_trimesh_reads_them(name: str, suffix: str, tmp_path: Path) -> None:
    """Meshes of PyVista's wheel, written again by trimesh as OBJ, PLY and GLB: same corners, area and box."""
    reference = trimesh.load(REAL / name, process=False)
    reference.export(tmp_path / f"mesh{suffix}")
    mesh = read_mesh(tmp_path / f"mesh{suffix}")
    assert np.allclose(mesh.corners(), reference.triangles, atol=1e-6 * reference.scale)


def test_uvs_and_materials_of_glb_as_trimesh_reads_them(tmp_path: Path) -> None:
    """A scene of two materials under turned nodes; v of glTF runs down, trimesh's runs up."""
    scene = trimesh.Scene()
    for number, name in enumerate(("hull", "deck")):
        part = trimesh.creation.box()
        uv = np.random.default_rng(number).random((len(part.vertices), 2))
        material = trimesh.visual.material.PBRMaterial(name=name)
        part.visual = trimesh.visual.TextureVisuals(uv=uv, material=material)
        pose = trimesh.transformations.rotation_matrix(0.7, (0, 1, 1), (1, 2, 3))
        scene.add_geometry(part, geom_name=name, node_name=name, transform=pose)
    scene.export(tmp_path / "two.glb")
    mesh = read_mesh(tmp_path / "two.glb")
    assert mesh.slots == ("hull", "deck")
    loaded = trimesh.load(tmp_path / "two.glb")
    expected = loaded.to_geometry()
    order = np.lexsort(mesh.corners().reshape(-1, 9).round(4).T)
    other = np.lexsort(np.float32(expected.triangles).reshape(-1, 9).round(4).T)
    assert np.allclose(mesh.corners()[order], expected.triangles[other], atol=1e-5)
    part = loaded.geometry[next(iter(loaded.geometry))]
    own = mesh.uv_sets[0][mesh.face_slot == 0]
    assert np.allclose(own[..., 1], 1 - part.visual.uv[part.faces][..., 1], atol=1e-6)


def painted() -> tuple[Mesh, np.ndarray]:
    mesh = unwrapped(of_trimesh(trimesh.creation.torus(1, 0.3, 16, 8)))
    return mesh, np.random.default_rng(1).integers(0, 255, (mesh.face_count, 3)).astype(np.uint8)


@pytest.mark.parametrize("suffix", [".ply", ".glb"])
def test_written_meshes_keep_the_colour_of_every_face(suffix: str, tmp_path: Path) -> None:
    """Read back by our reader and by trimesh."""
    mesh, colours = painted()
    path = tmp_path / f"out{suffix}"
    write_mesh(path, mesh, colours)
    again = read_mesh(path)
    assert again.colours is not None
    assert (again.colours == colours[:, None]).all()
    assert np.allclose(again.uv_sets[0], mesh.uv_sets[0], atol=1e-6)
    reference = trimesh.load(path, process=False, force="mesh")
    assert np.allclose(reference.triangles, mesh.corners(), atol=1e-6)


def test_trimesh_reads_the_colours_of_a_ply(tmp_path: Path) -> None:
    """It shows vertex colours where there are no UVs."""
    mesh, colours = painted()
    write_mesh(tmp_path / "out.ply", replace(mesh, uv_sets=()), colours)
    reference = trimesh.load(tmp_path / "out.ply", process=False)
    assert (reference.visual.vertex_colors[reference.faces][:, :, :3] == colours[:, None]).all()


def test_glb_passes_the_khronos_validator(tmp_path: Path) -> None:
    """glTF 2.0: 0 errors of the Khronos validator (npm gltf-validator), with several slots and with two UV sets."""
    if not (VALIDATOR / "node_modules" / "gltf-validator").exists():
        pytest.fail("gltf-validator is not there; ./test installs it into tests/node.")
    mesh, colours = painted()
    slots = np.arange(mesh.face_count) % 3
    several = replace(
        mesh, slots=("wood", "iron", "rope"), face_slot=slots.astype(np.int32), uv_sets=(mesh.uv_sets[0],) * 2
    )
    for number, each in enumerate((mesh, several)):
        write_mesh(tmp_path / f"{number}.glb", each, colours)
    told = subprocess.run(
        ["node", "validate.js", *(str(path) for path in sorted(tmp_path.glob("*.glb")))],
        cwd=VALIDATOR, capture_output=True, text=True, timeout=60,
    )  # fmt: skip
    reports = json.loads(told.stdout)
    assert len(reports) == 2, told.stderr
    for report in reports:
        assert report["issues"]["numErrors"] == 0, report["issues"]
        assert report["issues"]["numWarnings"] == 0, report["issues"]
        assert report["info"]["totalTriangleCount"] == mesh.face_count


# Bad input


READER = """
import resource, sys
from pathlib import Path
from even_palette.core.errors import UserError
from even_palette.core.mesh.files import MeshLimits, read_mesh, write_mesh
resource.setrlimit(resource.RLIMIT_AS, (4 << 30, 4 << 30))
for path in sorted(Path(sys.argv[1]).iterdir()):
    try:
        mesh = read_mesh(path, MeshLimits(faces=200_000, vertices=600_000))
        assert mesh.faces.min() >= 0 and mesh.faces.max() < len(mesh.points)
        print("loaded", path.name, flush=True)
    except UserError as error:
        text = str(error)
        assert path.name in text and "\\n" not in text, text
        print("refused", path.name, flush=True)
"""


def seeds(folder: Path) -> dict[str, list[bytes]]:
    mesh, colours = painted()
    write_mesh(folder / "a.ply", mesh, colours)
    write_mesh(folder / "a.glb", mesh, colours)
    box = trimesh.creation.box()
    box.export(folder / "b.ply", encoding="ascii")
    box.export(folder / "b.obj")
    return {
        "obj": [OBJ, (folder / "b.obj").read_bytes()],
        "ply": [(folder / "a.ply").read_bytes()[:4000], (folder / "b.ply").read_bytes(), (folder / "a.ply").read_bytes()],
        "glb": [(folder / "a.glb").read_bytes()],
    }  # fmt: skip


@pytest.mark.parametrize("kind", ["obj", "ply", "glb"])
def test_mutated_meshes(kind: str, tmp_path: Path) -> None:
    """200 damaged files of each kind in a process with 4 GiB: loaded or refused in one line, no crash, no hang."""
    (tmp_path / "seeds").mkdir()
    (tmp_path / "mutants").mkdir()
    sources = seeds(tmp_path / "seeds")[kind]
    rng = random.Random(kind)
    for number in range(200):
        (tmp_path / "mutants" / f"{number:03}.{kind}").write_bytes(mutate(sources[number % len(sources)], rng))
    told = subprocess.run(
        [sys.executable, "-c", READER, str(tmp_path / "mutants")], capture_output=True, text=True, timeout=600,
        env={**os.environ, "NUMBA_NUM_THREADS": "2"},
    )  # fmt: skip
    lines = told.stdout.splitlines()
    assert told.returncode == 0, told.stderr[-2000:]
    assert len(lines) == 200
    assert any(line.startswith("refused") for line in lines)


def gltf(**changes: object) -> bytes:
    """A triangle as glTF with an embedded buffer, with parts of it replaced."""
    import base64

    data = np.float32([(0, 0, 0), (1, 0, 0), (0, 1, 0)]).tobytes()
    document = {
        "asset": {"version": "2.0"}, "scenes": [{"nodes": [0]}], "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
        "buffers": [{"byteLength": 36, "uri": "data:;base64," + base64.b64encode(data).decode()}],
        "bufferViews": [{"buffer": 0, "byteLength": 36}],
        "accessors": [{"bufferView": 0, "count": 3, "componentType": 5126, "type": "VEC3"}],
    }  # fmt: skip
    return msgspec.json.encode({**document, **changes})


PLY_HEAD = b"ply\nformat %s 1.0\nelement vertex %d\nproperty float x\nproperty float y\nproperty float z\nelement face %d\nproperty list uchar int vertex_indices\nend_header\n"
CORNERS = np.float32([(0, 0, 0), (1, 0, 0), (0, 1, 0)])
NAN = np.float32([(0, 0, 0), (np.nan, 0, 0), (0, 1, 0)])
FACE = b"\x03" + np.int32([0, 1, 2]).tobytes()
BINARY = b"binary_little_endian"
ACCESSOR = {"bufferView": 0, "componentType": 5126, "type": "VEC3"}

HOSTILE = [
    ("count.ply", PLY_HEAD % (BINARY, 10**9, 1) + CORNERS.tobytes() + FACE, "says it has 1,000,000,000 vertices"),
    ("faces.ply", PLY_HEAD % (BINARY, 3, 10**9) + CORNERS.tobytes() + FACE, "says it has 1,000,000,000 faces"),
    ("short.ply", PLY_HEAD % (BINARY, 3000, 1) + CORNERS.tobytes() + FACE, "ends before"),
    ("nan.ply", PLY_HEAD % (BINARY, 3, 1) + NAN.tobytes() + FACE, "no usable numbers"),
    ("range.ply", PLY_HEAD % (BINARY, 2, 1) + CORNERS[:2].tobytes() + FACE, "points to vertex 3; there are 2"),
    ("cloud.ply", (PLY_HEAD % (b"ascii", 1, 0)).replace(b"face", b"edge") + b"0 0 0\n", "cloud of points"),
    ("list.ply", PLY_HEAD.replace(b"uchar", b"int") % (BINARY, 3, 1) + CORNERS.tobytes() + b"\xff\xff\xff\x7f", "a list of"),
    ("range.obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n", "points to vertex 9; there are 3"),
    ("negative.obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 -9\n", "points to vertex"),
    ("nan.obj", b"v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "line 1: a number"),
    ("far.obj", b"v 1e30 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "no usable numbers"),
    ("word.obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf one two three\n", "line 4: a corner"),
    ("line.obj", b"v 0 0 0\nv 1 0 0\nf 1 2\n", "line 3: a face has fewer"),
    ("empty.obj", b"# nothing\n", "no triangles"),
    ("dots.gltf", gltf(buffers=[{"byteLength": 36, "uri": "../secret.bin"}]), "leaves the folder"),
    ("coded.gltf", gltf(buffers=[{"byteLength": 36, "uri": "%2e%2e/secret.bin"}]), "leaves the folder"),
    ("root.gltf", gltf(buffers=[{"byteLength": 36, "uri": "/etc/passwd"}]), "leaves the folder"),
    ("net.gltf", gltf(buffers=[{"byteLength": 36, "uri": "https://example.org/a.bin"}]), "leaves the folder"),
    ("missing.gltf", gltf(buffers=[{"byteLength": 36, "uri": "missing.bin"}]), "cannot be opened"),
    ("short.gltf", gltf(buffers=[{"byteLength": 4000, "uri": "data:;base64,AAAA"}]), "has 3 of its 4000 bytes"),
    ("count.gltf", gltf(accessors=[{**ACCESSOR, "count": 10**9}]), "says it has 1,000,000,000 vertices"),
    ("beyond.gltf", gltf(accessors=[{**ACCESSOR, "count": 4}]), "reads beyond"),
    ("loop.gltf", gltf(nodes=[{"mesh": 0, "children": [0]}]), "contain each other"),
    ("many.gltf", gltf(nodes=[{"children": [1, 1, 1]}, {"children": [2] * 300}, {"children": [3] * 300}, {"mesh": 0}]), "more than"),
    ("need.gltf", gltf(extensionsRequired=["KHR_draco_mesh_compression"]), "KHR_draco_mesh_compression"),
    ("text.gltf", b"not json", "damaged"),
    ("list.gltf", b"[]", "not a glTF"),
    ("cut.glb", b"glTF\x02\0\0\0\xff\xff\xff\x7f", "ends after"),
]  # fmt: skip


@pytest.mark.parametrize(("name", "data", "told"), HOSTILE, ids=[case[0] for case in HOSTILE])
def test_hostile_meshes(name: str, data: bytes, told: str, tmp_path: Path) -> None:
    (tmp_path / name).write_bytes(data)
    with pytest.raises(UserError) as caught:
        read_mesh(tmp_path / name)
    text = str(caught.value)
    assert told in text
    assert "\n" not in text
    assert Path(name).stem in text


def test_a_link_out_of_the_folder_is_refused(tmp_path: Path) -> None:
    (tmp_path / "out.bin").write_bytes(CORNERS.tobytes())
    inner = tmp_path / "inner"
    inner.mkdir()
    (inner / "a.bin").symlink_to(tmp_path / "out.bin")
    (inner / "a.gltf").write_bytes(gltf(buffers=[{"byteLength": 36, "uri": "a.bin"}]))
    with pytest.raises(UserError, match="leaves the folder"):
        read_mesh(inner / "a.gltf")
    (inner / "a.bin").unlink()
    shutil.copy(tmp_path / "out.bin", inner / "a.bin")
    assert read_mesh(inner / "a.gltf").face_count == 1


def test_limits(tmp_path: Path) -> None:
    trimesh.creation.icosphere(3).export(tmp_path / "a.obj")
    with pytest.raises(UserError, match="the limit is 100"):
        read_mesh(tmp_path / "a.obj", MeshLimits(faces=100))
    with pytest.raises(UserError, match="the limit is 10"):
        read_mesh(tmp_path / "a.obj", MeshLimits(file_bytes=10))
