"""Files that ask for too much, made by seeded code: refused with a figure, or read within 1 GiB; nothing waits."""

import os
import resource
import struct
import subprocess
import sys
import zlib
from collections.abc import Callable
from functools import cache
from pathlib import Path

import msgspec
import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from even_palette.core.checks import find
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.commands import add_variant
from even_palette.core.kit.commands.coats import with_value
from even_palette.core.kit.history import History
from even_palette.core.kit.mesh_file import FaceRegions, MeshFile
from even_palette.core.kit.model import Kit
from even_palette.core.kit.sheet import Sheet, Source
from even_palette.core.kit.store import KIT_FILE, encode_kit
from even_palette.core.kit.validate import check_kit
from even_palette.core.limits import MOST_VARIANTS
from even_palette.core.material.model import Parameter, ValueKind, Variant
from even_palette.core.mesh.bakes import BAKES
from even_palette.core.mesh.files import read_mesh
from even_palette.core.raster.files import read_plane, write_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.pictures import render_reference, whole_sheet
from even_palette.core.results.sheets import Sheets
from even_palette.core.ship.write import ship
from even_palette.gl.sheet_view import SheetRenderer
from even_palette.player.load import load
from even_palette.player.opengl import play_opengl
from even_palette.player.reference import play_reference
from even_palette.terminal import command

MOST_ABOVE = 1 << 30
LONGEST_S = 120
"""What takes longer hangs, on the slowest machine."""


def run(arguments: list[str], **options: object) -> tuple[int, str, str, int]:
    """Exit code, output, errors and peak memory in bytes of the program in a process of its own."""
    process = subprocess.Popen(
        command(*arguments), stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, errors="replace", **options
    )  # type: ignore[call-overload]
    try:
        out, err = process.communicate(timeout=LONGEST_S)
    except subprocess.TimeoutExpired:
        process.kill()
        raise
    return process.returncode, out, err, resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss * 1024


MEASURE = """
import os, sys
pid = os.spawnv(os.P_NOWAIT, sys.argv[1], sys.argv[1:])
_, status, used = os.wait4(pid, 0)
print(used.ru_maxrss * 1024, file=sys.stderr)
sys.exit(os.waitstatus_to_exitcode(status))
"""


def measured(*arguments: str) -> tuple[int, str, int]:
    """Exit code, all that is printed, and the peak memory in bytes of the program, in a process of its own."""
    done = subprocess.run(
        [sys.executable, "-c", MEASURE, *command(*arguments)], capture_output=True, text=True, timeout=LONGEST_S,
        check=False,
    )  # fmt: skip
    *told, peak = done.stderr.splitlines()
    return done.returncode, done.stdout + "\n".join(told), int(peak)


@cache
def peak_of_nothing(folder: Path) -> int:
    (folder / "empty").mkdir()
    (folder / "empty" / KIT_FILE).write_bytes(encode_kit(Kit(), folder / "empty"))
    return measured("check", str(folder / "empty"))[2]


# Makers of hostile files


def ply(count: int) -> Callable[[Path], Path]:
    """A PLY whose second face has a list of so many corners."""

    def make(folder: Path) -> Path:
        header = (
            b"ply\nformat binary_little_endian 1.0\nelement vertex 3\nproperty float x\nproperty float y\n"
            b"property float z\nelement face 2\nproperty list int int vertex_indices\nend_header\n"
        )
        points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], "<f4").tobytes()
        path = folder / "lists.ply"
        path.write_bytes(header + points + struct.pack("<4i", 3, 0, 1, 2) + struct.pack("<4i", count, 0, 1, 2))
        return path

    return make


def glb(nodes: int, primitives: int) -> Callable[[Path], Path]:
    """A million vertices that are nowhere in the file, named again and again."""

    def make(folder: Path) -> Path:
        primitive = {"attributes": {"POSITION": 0}, "mode": 4}
        document = {
            "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": list(range(nodes))}],
            "nodes": [{"mesh": 0}] * nodes, "meshes": [{"primitives": [primitive] * primitives}],
            "accessors": [{"componentType": 5126, "count": 999_999, "type": "VEC3"}],
        }  # fmt: skip
        text = msgspec.json.encode(document)
        text += b" " * (-len(text) % 4)
        path = folder / "again.glb"
        path.write_bytes(struct.pack("<5I", 0x46546C67, 2, 20 + len(text), len(text), 0x4E4F534A) + text)
        return path

    return make


def one_bit(folder: Path) -> Path:
    """16384 x 16384 texels of one bit in 33 kB."""
    side = 16384

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    packer = zlib.compressobj(9)
    data = b"".join(packer.compress(bytes(1 + side // 8)) for _ in range(side)) + packer.flush()
    path = folder / "huge.png"
    head = struct.pack(">2I5B", side, side, 1, 0, 0, 0, 0)
    path.write_bytes(b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", data) + chunk(b"IEND", b""))
    return path


def endless(name: str) -> Callable[[Path], Path]:
    def make(folder: Path) -> Path:
        (folder / name).symlink_to("/dev/zero")
        return folder / name

    return make


def pipe(name: str) -> Callable[[Path], Path]:
    def make(folder: Path) -> Path:
        os.mkfifo(folder / name)
        return folder / name

    return make


def in_kit(path: Path, role: Role, folder: Path) -> Path:
    """A kit of one sheet with this file, as a mesh or as a map of this role."""
    maps = () if path.suffix in (".ply", ".glb", ".obj") else (Source("map", role, str(path), Encoding.DATA),)
    meshes = () if maps else (MeshFile("mesh", str(path), "sheet_1"),)
    (folder / "kit").mkdir()
    kit = Kit(sheets=(Sheet("sheet_1", "Sheet", maps),), meshes=meshes)
    (folder / "kit" / KIT_FILE).write_bytes(encode_kit(kit, folder / "kit"))
    return folder / "kit"


@pytest.mark.parametrize(
    ("make", "role", "told"),
    [
        (ply(-1), Role.ID, "a list of -1 values"),
        (ply(-3), Role.ID, "a list of -3 values"),
        (ply(1 << 30), Role.ID, "a list of 1073741824 values"),
        (glb(1000, 1), Role.ID, "the limit is"),
        (glb(1, 1000), Role.ID, "the limit is"),
        (one_bit, Role.ID, "GiB of memory; the limit is"),
        (one_bit, Role.BASE_COLOUR, ""),
        (endless("mesh.obj"), Role.ID, "is a device"),
        (endless("map.png"), Role.ID, "is a device"),
        (pipe("mesh.glb"), Role.ID, "is a named pipe"),
        (pipe("map.png"), Role.BASE_COLOUR, "is a named pipe"),
    ],
)
def test_what_asks_for_too_much(make: Callable[[Path], Path], role: Role, told: str, tmp_path: Path) -> None:
    """Refused with a figure, or done; below 1 GiB above an empty kit either way."""
    kit = in_kit(make(tmp_path), role, tmp_path)
    code, text, peak = measured("check", str(kit))
    assert "Traceback" not in text
    assert told in text
    assert code in (0, 1)
    assert peak - peak_of_nothing(tmp_path) < MOST_ABOVE


def test_a_kit_that_is_a_pipe(tmp_path: Path) -> None:
    (tmp_path / "kit").mkdir()
    os.mkfifo(tmp_path / "kit" / KIT_FILE)
    for words in (["check", "kit"], ["ship", "kit", "--to", "out"], ["check", "kit/kit.json"]):
        code, text, _ = measured(*(str(tmp_path / w) if w.startswith(("kit", "out")) else w for w in words))
        assert (code, text.count("\n")) == (2, 0)
        assert "is a named pipe" in text


# Variants


def with_variants(kit: Kit, count: int, chained: bool) -> Kit:
    hue = kit.parameters[0].key
    made = tuple(
        Variant(f"v{n}", f"V {n}", f"v{n - 1}" if chained and n else None, {hue: float(n % 90)}) for n in range(count)
    )
    return replace(kit, variants=made)


@pytest.fixture
def shifted(kit: Kit) -> Kit:
    """The small kit with one parameter in a region of its own."""
    bare = replace(kit, parameters=(), variants=())
    history = History(bare.with_sheet(replace(bare.sheets[0], regions=kit.sheets[0].regions[2:3])))
    for change in (commands.set_coat_kind("region_3", "shift"), commands.expose("region_3", "hue")):
        history.do(change)
    named = history.kit.parameters[0].key
    history.do(commands.rename_parameter(named, "hue"))
    return history.kit


@pytest.mark.parametrize("chained", [False, True])
def test_many_variants(chained: bool, shifted: Kit, tmp_path: Path) -> None:
    """As many as there may be, also all in one line of inheritance: checked and shipped in seconds, with exact values."""
    many = with_variants(shifted, MOST_VARIANTS, chained)
    check_kit(many)
    assert not [finding for finding in find(many, Sheets()) if finding.severity == "error"]
    ship(many, Sheets(), tmp_path / "package")
    told = load(tmp_path / "package").package.variants
    assert [variant.values["hue"] for variant in told] == [float(n % 90) for n in range(MOST_VARIANTS)]
    with pytest.raises(UserError, match="20,000 variants; the limit is 2,000"):
        check_kit(with_variants(shifted, 20_000, chained))
    with pytest.raises(UserError, match="2,000"):
        add_variant("One more").apply(many)


# Values out of range


@pytest.mark.parametrize(
    "change",
    [
        lambda k: replace(k, variants=(replace(k.variants[0], values={"region_1_colour": (1e300, 0.0, 0.0)}),)),
        lambda k: replace(k, variants=(replace(k.variants[0], values={"region_1_colour": (-0.1, 0.0, 0.0)}),)),
        lambda k: replace(k, parameters=(replace(k.parameters[0], default=(2.0, 0.0, 0.0)), *k.parameters[1:])),
        lambda k: replace(k, parameters=(*k.parameters, Parameter("far", "far", ValueKind.NUMBER, 0.0, -1e300, 1e300))),
        lambda k: replace(k, parameters=(*k.parameters, Parameter("out", "out", ValueKind.NUMBER, 5.0, 0.0, 1.0))),
        lambda k: with_value(k, "region_2", "strength", 7.0),
        lambda k: with_value(k, "region_3", "hue", 1e9),
        lambda k: with_value(k, "region_2", "colour", (0.5, 0.5, float("nan"))),
    ],
)
def test_values_out_of_range(change: Callable[[Kit], Kit], kit: Kit) -> None:
    odd = change(kit)
    if odd.variants != kit.variants:
        odd = replace(odd, variants=(odd.variants[0], *kit.variants[1:]))
    check_kit(kit)
    with pytest.raises(UserError):
        check_kit(odd)


def test_commands_keep_to_the_range(kit: Kit) -> None:
    for key, name, setting in (("region_3", "hue", 999.0), ("region_1", "colour", (1.0, 2.0, 0.0))):
        with pytest.raises(UserError, match="cannot be"):
            commands.set_cell_value(key, name, setting, "Day").apply(kit)


# Meshes


def square(extra: str = "", uv: str = "0.1 0.1") -> str:
    return (
        f"v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\n{extra}vt {uv}\nvt 0.9 0.1\nvt 0.9 0.9\nvt 0.1 0.9\nf 1/1 2/2 3/3 4/4\n"
    )


@pytest.mark.parametrize("extra", ["v 100 100 100\n", "v 1e300 0 0\n", "v nan 0 0\n"])
def test_loose_vertices_change_nothing(extra: str, tmp_path: Path) -> None:
    """A vertex that no face uses, far away, infinite or no number: every bake has the same bytes as without it."""
    from even_palette.core.mesh.bake import make_bake
    from even_palette.core.mesh.bakes._declare import Ground

    (tmp_path / "a.obj").write_text(square())
    (tmp_path / "b.obj").write_text(square(extra.replace("nan", "0").replace("1e300", "1e39")))
    if "nan" in extra:
        header = "ply\nformat ascii 1.0\nelement vertex 5\nproperty float x\nproperty float y\nproperty float z\n"
        header += (
            "property float s\nproperty float t\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n"
        )
        corners = "0 0 0 .1 .9\n1 0 0 .9 .9\n1 1 0 .9 .1\n0 1 0 .1 .1\n"
        (tmp_path / "a.ply").write_text(header.replace("vertex 5", "vertex 4") + corners + "4 0 1 2 3\n")
        (tmp_path / "b.ply").write_text(header + corners + "nan nan inf 0 0\n4 0 1 2 3\n")
    made = []
    for name in ("a.ply", "b.ply") if "nan" in extra else ("a.obj", "b.obj"):
        mesh = read_mesh(tmp_path / name)
        assert len(mesh.points) == 4
        ground = Ground(
            mesh, mesh.uv_sets[0], np.zeros((mesh.face_count, 3), np.uint8), np.zeros(mesh.face_count, bool)
        )
        kinds = [BAKES[kind] for kind in ("position", "thickness", "curvature", "occlusion", "height")]
        made.append([make_bake(kind, ground, {"rays": 16.0}, 256, 4).samples for kind in kinds])
    assert all(np.array_equal(one, other) for one, other in zip(*made, strict=True))


def test_uvs_that_are_no_numbers_are_told(tmp_path: Path) -> None:
    header = "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n"
    header += "property float s\nproperty float t\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n"
    for word in ("nan", "inf"):
        (tmp_path / "m.ply").write_text(f"{header}0 0 0 {word} 0\n1 0 0 1 0\n0 1 0 0 1\n3 0 1 2\n")
        kit = Kit(meshes=(MeshFile("m", str(tmp_path / "m.ply"), "sheet_1"),))
        told = [finding.text for finding in find(kit, Sheets())]
        assert any("1 faces have UVs that are no numbers" in text for text in told)
        assert not any("outside the tile" in text for text in told)


@pytest.mark.parametrize("packed", [b"junk", zlib.compress(b"\1"), zlib.compress(b"\7\7"), b""])
def test_junk_assignments_are_told(packed: bytes, tmp_path: Path) -> None:
    (tmp_path / "m.obj").write_text(square())
    faces = FaceRegions(2, ("region_1",), packed)
    kit = Kit(meshes=(MeshFile("m", str(tmp_path / "m.obj"), "sheet_1", faces=faces),))
    assert any("cannot be read from the kit" in finding.text for finding in find(kit, Sheets()))


# Images that other programs read otherwise


@pytest.mark.parametrize("mode", ["L", "LA", "1", "I;16", "P", "PA", "RGB", "RGBA", "F"])
@pytest.mark.parametrize("suffix", [".png", ".tif"])
def test_base_colours_of_all_kinds(mode: str, suffix: str, tmp_path: Path) -> None:
    """Window, player and reference within 1/255 of Pillow's own conversion to RGB, at every texel."""
    rng = np.random.default_rng(9)
    colour = Image.fromarray(rng.integers(0, 255, (33, 47, 3)).astype(np.uint8))
    path = tmp_path / f"paint{suffix}"
    match mode:
        case "I;16":
            levels = rng.integers(0, 65535, (33, 47)).astype(np.uint16)
            Image.fromarray(levels).save(path)
            wanted = np.repeat((levels / 257)[..., None], 3, axis=-1)
        case "F":
            if suffix == ".png":
                pytest.skip("PNG holds no floats")
            values = rng.random((33, 47)).astype(np.float32)
            Image.fromarray(values).save(path)
            wanted = np.repeat(values[..., None] * 255, 3, axis=-1)
        case "P" | "PA":
            if mode == "PA" and suffix == ".tif":
                pytest.skip("Pillow writes no palette with alpha to TIFF")
            image = colour.quantize(16)
            image.save(path, **({"transparency": 3} if mode == "PA" else {}))
            wanted = np.asarray(image.convert("RGB")).astype(float)
        case _:
            image = colour.convert("L").convert(mode) if mode in ("LA", "1") else colour.convert(mode)
            image.save(path)
            wanted = np.asarray(image.convert("RGB")).astype(float)
    kit = commands.add_map("sheet_1", Source("map", Role.BASE_COLOUR, str(path), Encoding.SRGB)).apply(Kit())
    sheets, view = Sheets(), whole_sheet(47, 33)
    look = picture(kit.at(), sheets, Look())
    ship(kit, sheets, tmp_path / "package")
    loaded = load(tmp_path / "package")
    shown = {
        "window": SheetRenderer().render(look, view)[..., :3],
        "reference": render_reference(look, view),
        "source look": SheetRenderer().render(picture(kit.at(), sheets, Look("source")), view)[..., :3],
        "player": play_opengl(loaded, "", 47, 33),
        "player's reference": play_reference(loaded, "", 47, 33),
    }
    for name, pixels in shown.items():
        assert np.abs(pixels - wanted).max() <= 1, name


def test_palette_tiffs_are_exact(tmp_path: Path) -> None:
    """Every level of a palette, against Pillow."""
    ramp = Image.fromarray(np.arange(256, dtype=np.uint8).reshape(16, 16))
    ramp.putpalette([level for n in range(256) for level in (n, 255 - n, n * 7 % 256)])
    ramp.save(tmp_path / "p.tif")
    read = read_plane(tmp_path / "p.tif", Encoding.DATA).samples
    assert np.array_equal(read, np.asarray(Image.open(tmp_path / "p.tif").convert("RGB")))


def test_exr_with_more_than_one_picture(tmp_path: Path) -> None:
    """Several parts: the first is used, and said to be; luminance and chroma are refused by name."""
    import OpenImageIO as oiio

    parts = [oiio.ImageSpec(8, 8, 3, "half"), oiio.ImageSpec(8, 8, 3, "half")]
    for part, name in zip(parts, ("beauty", "other"), strict=True):
        part.attribute("name", name)
    out = oiio.ImageOutput.create(str(tmp_path / "parts.exr"))
    assert out.open(str(tmp_path / "parts.exr"), tuple(parts))
    out.write_image(np.zeros((8, 8, 3), np.float32))
    out.open(str(tmp_path / "parts.exr"), parts[1], "AppendSubimage")
    out.write_image(np.ones((8, 8, 3), np.float32))
    out.close()
    plane = read_plane(tmp_path / "parts.exr", Encoding.LINEAR)
    assert plane.samples.max() == 0
    assert plane.notes == ("parts.exr has several parts; only the first, “beauty”, is used.",)
    kit = commands.add_map(
        "sheet_1", Source("map", Role.BASE_COLOUR, str(tmp_path / "parts.exr"), Encoding.LINEAR)
    ).apply(Kit())
    assert plane.notes[0] in [finding.text for finding in find(kit, Sheets())]
    chroma = oiio.ImageSpec(8, 8, 3, "half")
    chroma.channelnames = ("Y", "RY", "BY")
    out = oiio.ImageOutput.create(str(tmp_path / "chroma.exr"))
    assert out.open(str(tmp_path / "chroma.exr"), chroma)
    out.write_image(np.zeros((8, 8, 3), np.float32))
    out.close()
    with pytest.raises(UserError, match="luminance and chroma"):
        read_plane(tmp_path / "chroma.exr", Encoding.LINEAR)


def test_written_planes_read_back(tmp_path: Path) -> None:
    rng = np.random.default_rng(2)
    for suffix, kind in ((".png", np.uint16), (".tif", np.float32), (".exr", np.float32), (".tga", np.uint8)):
        samples = (rng.random((5, 7, 3)) * (1 if kind == np.float32 else 250)).astype(kind)
        write_plane(tmp_path / f"a{suffix}", Plane(samples, Encoding.DATA))
        assert np.array_equal(read_plane(tmp_path / f"a{suffix}", Encoding.DATA).samples, samples)
