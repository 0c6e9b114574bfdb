"""Texture files: read by others, block for block and texel for texel, at odd sizes and down to the smallest level."""

import json
import subprocess
import zlib
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest
import zstandard
from PIL import Image
from skimage import data

from even_palette.cli import main
from even_palette.core.errors import UserError
from even_palette.core.graph import slots
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.store import read_kit
from even_palette.core.proof.conditions import Conditions, MapConditions, MapFacts, Mips, ReadAs, Use, bytes_of
from even_palette.core.proof.degrade import degraded_chain, texture_of
from even_palette.core.raster.blocks import Block, block_bytes, decode_blocks
from even_palette.core.raster.files import read_plane, write_texture
from even_palette.core.raster.formats import is_lossy
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.texture import Texture
from even_palette.core.results.proof import map_bytes, shipped, under
from even_palette.core.results.proof_files import write_textures
from even_palette.core.results.sheets import Sheets
from even_palette.demo import KIT_FOLDER
from tests.conftest import source

NODE = Path(__file__).parents[1] / "node"
PHOTO = np.ascontiguousarray(data.astronaut()[40:101, 100:146])
"""46 x 61 texels: no multiple of four."""
VK = {
    "plain": (37, 43), "BC1": (131, 132), "BC3": (137, 138), "BC4": (139, 139), "BC5": (141, 141), "BC7": (145, 146),
    "ETC2 RGB": (147, 148), "ETC2 RGBA": (151, 152), "EAC R": (153, 153), "EAC RG": (155, 155),
}  # fmt: skip
"""VkFormat as numbers and as sRGB (Vulkan 1.3, VkFormat)."""


def texture(name: str, is_srgb: bool, channels: int) -> tuple[Texture, MapFacts, Plane, MapConditions]:
    wide = np.dstack([PHOTO, PHOTO[..., ::-1]])[..., :channels]
    plane = Plane(np.ascontiguousarray(wide), Encoding.SRGB if is_srgb else Encoding.DATA)
    facts = MapFacts(Use.COLOUR if is_srgb else Use.NUMBERS, channels, is_srgb, 8, plane.width, plane.height, True)
    own = MapConditions(name)
    return texture_of(slots.of(plane), own, facts), facts, plane, own


CASES = [
    (name, srgb, channels)
    for name, channels in (("plain", 4), ("plain", 3), ("BC1", 3), ("BC3", 4), ("BC7", 4), ("BC7", 3))
    for srgb in (False, True)
] + [("BC4", False, 1), ("BC5", False, 2)]
FEW = [("plain", False, 1), ("plain", False, 2)]
"""OpenImageIO reads no DDS of one or two plain channels."""
ETC = [("ETC2 RGB", True, 3), ("ETC2 RGBA", False, 4), ("EAC R", False, 1), ("EAC RG", False, 2)]


@pytest.mark.parametrize(("name", "srgb", "channels"), CASES)
def test_dds_as_openimageio_reads_it(name: str, srgb: bool, channels: int, tmp_path: Path) -> None:
    """Size, levels, and the texels of the first one: those of the second decoder, exactly or to rounding (BC1, BC3)."""
    made, facts, plane, own = texture(name, srgb, channels)
    path = tmp_path / "map.dds"
    write_texture(path, made)
    total = sum(len(level) for level in made.layers[0])
    assert path.stat().st_size == 4 + 124 + 20 + total
    assert total == bytes_of(own, facts)
    source = oiio.ImageInput.open(str(path))
    assert source is not None, oiio.geterror()
    spec = source.spec()
    assert (spec.width, spec.height) == (46, 61)
    read = np.asarray(source.read_image(0, 0, 0, spec.nchannels, "uint8")).reshape(61, 46, -1)
    wanted = degraded_chain(slots.of(plane).chain, own, facts).plane.samples
    few = min(channels, read.shape[2])
    most = 0 if name in ("plain", "BC7") else 4
    assert np.abs(read[..., :few].astype(int) - wanted[..., :few]).max() <= most
    levels = 1
    while source.seek_subimage(0, levels):
        assert (source.spec().width, source.spec().height) == made.size(levels)
        levels += 1
    assert levels == made.level_count == 6


@pytest.mark.parametrize(
    ("name", "mode", "channels"), [("BC1", "RGBA", 3), ("BC7", "RGBA", 4), ("BC5", "RGB", 2), ("plain", "RGBA", 4)]
)
def test_dds_as_pillow_reads_it(name: str, mode: str, channels: int, tmp_path: Path) -> None:
    made, facts, plane, own = texture(name, False, channels)
    write_texture(tmp_path / "map.dds", made)
    with Image.open(tmp_path / "map.dds") as image:
        assert image.size == (46, 61)
        read = np.asarray(image.convert(mode))
    wanted = degraded_chain(slots.of(plane).chain, own, facts).plane.samples
    assert np.abs(read[..., :channels].astype(int) - wanted[..., :channels]).max() <= 4


@pytest.mark.parametrize(("name", "srgb", "channels"), CASES + FEW + ETC)
def test_ktx2_as_ktx_parse_reads_it(name: str, srgb: bool, channels: int, tmp_path: Path) -> None:
    """npm ktx-parse: every level byte for byte, format, descriptor; decoded by texture2ddecoder to the degraded levels."""
    if not (NODE / "node_modules" / "ktx-parse").exists():
        pytest.fail("ktx-parse is not there; ./test installs it into tests/node.")
    made, facts, plane, own = texture(name, srgb, channels)
    write_texture(tmp_path / "map.ktx2", made)
    done = subprocess.run(
        ["node", "ktx.mjs", str(tmp_path / "map.ktx2")], cwd=NODE, capture_output=True, text=True, check=True
    )
    (told,) = json.loads(done.stdout)
    assert (told["width"], told["height"], told["layers"], told["faces"]) == (46, 61, 0, 1)
    few = {1: (9, 15), 2: (16, 22)}.get(channels, VK["plain"]) if name == "plain" else VK[name]
    assert told["vkFormat"] == few[srgb]
    assert told["transfer"] == (2 if srgb and few[0] != few[1] else 1)
    assert told["side"] == (1 if name == "plain" else 4)
    assert [bytes.fromhex(level) for level in told["levels"]] == list(made.layers[0])
    assert sum(bits for _, bits, _ in told["samples"]) == told["bytes"] * 8
    if name == "plain":
        return
    chain = degraded_chain(slots.of(plane).chain, own, facts)
    for number, level in enumerate(told["levels"]):
        width, height = made.size(number)
        assert len(bytes.fromhex(level)) == block_bytes(Block(name), width, height)
        decoded = decode_blocks(bytes.fromhex(level), Block(name), width, height)
        assert np.array_equal(decoded[..., :channels], chain.level(number).samples)


@pytest.mark.parametrize(("name", "srgb", "channels"), CASES)
def test_dds_is_read_as_a_map(name: str, srgb: bool, channels: int, tmp_path: Path) -> None:
    """All levels, as the second decoder has them (of BC1 and BC3 to rounding)."""
    made, facts, plane, own = texture(name, srgb, channels)
    write_texture(tmp_path / "map.dds", made)
    read = read_plane(tmp_path / "map.dds", plane.encoding)
    wanted = degraded_chain(slots.of(plane).chain, own, facts)
    few = min(channels, read.channels)
    most = 0 if name in ("plain", "BC7") else 4
    assert len(read.levels) == 5
    for number, level in enumerate((read.samples, *read.levels)):
        assert np.abs(level[..., :few].astype(int) - wanted.level(number).samples[..., :few]).max() <= most
    assert is_lossy("map.dds")


@pytest.mark.parametrize(("name", "srgb", "channels"), CASES + FEW + ETC)
def test_ktx2_is_read_as_a_map(name: str, srgb: bool, channels: int, tmp_path: Path) -> None:
    """All levels are the very texels that a runtime gets."""
    made, facts, plane, own = texture(name, srgb, channels)
    write_texture(tmp_path / "map.ktx2", made)
    read = read_plane(tmp_path / "map.ktx2", plane.encoding)
    wanted = degraded_chain(slots.of(plane).chain, own, facts)
    assert len(read.levels) == 5
    for number, level in enumerate((read.samples, *read.levels)):
        assert np.array_equal(level[..., :channels], wanted.level(number).samples)
    assert is_lossy("map.ktx2")


@pytest.mark.parametrize(("scheme", "way"), [(0, "ru"), (2, "rd"), (2, "lu"), (3, "rd"), (3, "ld")])
@pytest.mark.parametrize("name", ["plain", "BC7"])
def test_ktx2_of_others(name: str, scheme: int, way: str, tmp_path: Path) -> None:
    """Written by ktx-parse, levels packed by the zstandard and zlib libraries, turned as KTXorientation says."""
    made, facts, plane, own = texture(name, False, 4)
    write_texture(tmp_path / "ours.ktx2", made)
    pack = {0: bytes, 2: zstandard.ZstdCompressor().compress, 3: zlib.compress}[scheme]
    levels = json.dumps([pack(level).hex() for level in made.layers[0]])
    subprocess.run(
        ["node", "ktx_pack.mjs", str(tmp_path / "ours.ktx2"), str(tmp_path / "map.ktx2"), str(scheme), way],
        cwd=NODE, input=levels, text=True, check=True,
    )  # fmt: skip
    read = read_plane(tmp_path / "map.ktx2", Encoding.DATA)
    wanted = degraded_chain(slots.of(plane).chain, own, facts)
    assert any("turned" in note for note in read.notes) == (way != "rd")
    assert "levels of its own" in read.notes[-1]
    for number, level in enumerate((read.samples, *read.levels)):
        seen = level[:: -1 if way[1] == "u" else 1, :: -1 if way[0] == "l" else 1]
        assert np.array_equal(seen, wanted.level(number).samples)


def test_ktx2_that_is_no_map_is_told(tmp_path: Path) -> None:
    """Cubes, slices, lines, Basis Universal, texels that are not read, and too few bytes: one sentence each."""
    made, *_ = texture("BC1", True, 3)
    write_texture(tmp_path / "map.ktx2", made)
    whole = (tmp_path / "map.ktx2").read_bytes()
    for place, number, told in (
        (36, 6, "holds faces"), (28, 4, "holds faces"), (24, 0, "holds faces"), (44, 1, "Basis Universal"),
        (12, 0, "Basis Universal"), (12, 143, "VkFormat 143"), (20, 1 << 20, "the limit is"), (40, 30, "30 levels"),
        (44, 2, "cannot be unpacked"), (44, 3, "cannot be unpacked"),
    ):  # fmt: skip
        changed = bytearray(whole)
        changed[place : place + 4] = number.to_bytes(4, "little")
        (tmp_path / "map.ktx2").write_bytes(changed)
        with pytest.raises(UserError, match=rf"map\.ktx2: .*{told}"):
            read_plane(tmp_path / "map.ktx2", Encoding.SRGB)
    (tmp_path / "map.ktx2").write_bytes(whole[:-100])
    with pytest.raises(UserError, match="ends too early"):
        read_plane(tmp_path / "map.ktx2", Encoding.SRGB)


def test_planes_of_other_levels_have_other_names() -> None:
    """Also where a step between the file and the slot names them by their texels."""
    rows = np.zeros((4, 4, 3), np.uint8)
    one, other, none = (
        Plane(rows, Encoding.SRGB, levels=levels) for levels in ((rows[:2, :2],), (rows[:2, :2] + 1,), ())
    )
    assert len({each.content_id for each in (one, other, none)}) == 3
    cut = one.made(lambda samples: samples[..., :1], Encoding.DATA)
    assert [level.shape for level in cut.levels] == [(2, 2, 1)]


@pytest.mark.parametrize("suffix", [".dds", ".ktx2"])
def test_levels_of_a_file_are_used_where_conditions_say_so(
    suffix: str, history: History, sheets: Sheets, tmp_path: Path
) -> None:
    """Levels painted one by one, each of a colour of its own: as the file has them, halved, and written again."""
    rng = np.random.default_rng(4)
    painted = [np.full((max(1, 20 >> n), max(1, 26 >> n), 4), (*rng.integers(0, 255, 3), 255), np.uint8)
               for n in range(5)]  # fmt: skip
    painted[0][..., :3] = rng.integers(0, 255, (20, 26, 3))
    levels = tuple(level.tobytes() for level in painted)
    path = tmp_path / f"crate_base_colour{suffix}"
    write_texture(path, Texture(26, 20, None, 4, 8, True, (levels,)))
    sheet = history.kit.sheets[0]
    old = sheet.source(Role.BASE_COLOUR)
    assert old is not None
    history.do(commands.remove_map("sheet_1", old.key))
    history.do(commands.add_map("sheet_1", source(path, Role.BASE_COLOUR, Encoding.SRGB)))
    at = history.kit.at()
    there = shipped(at, sheets)
    facts = there.facts["base_colour"]
    assert facts.own_levels
    made = there.slots["base_colour"].chain.level(2)
    own = MapConditions(mips=Mips.FILE)
    slot = under(Conditions(maps={"base_colour": own}), there, sheets).slots["base_colour"]
    for number, level in enumerate(painted):
        assert np.array_equal(slot.chain.level(number).samples, level[..., :3])
    assert made.linear()[..., :3].std(axis=(0, 1)).max() > 0.01  # without that they are made of the paint
    smaller = under(Conditions(maps={"base_colour": MapConditions(smaller=1, mips=Mips.FILE)}), there, sheets)
    assert np.array_equal(smaller.slots["base_colour"].plane.samples, painted[1][..., :3])
    history.do(commands.set_conditions("sheet_1", Conditions(maps={"base_colour": own})))
    (tmp_path / "out").mkdir()
    write_textures(history.kit.at(), sheets, tmp_path / "out", suffix)
    again = read_plane(tmp_path / "out" / f"base_colour{suffix}", Encoding.SRGB)
    for level, wanted in zip((again.samples, *again.levels), painted, strict=True):
        assert np.array_equal(level, wanted)


def test_cubes_and_volumes_are_no_maps(tmp_path: Path) -> None:
    made, *_ = texture("BC1", True, 3)
    write_texture(tmp_path / "map.dds", made)
    data_ = bytearray((tmp_path / "map.dds").read_bytes())
    for flag in (0xFE00, 0x200000):
        data_[112:116] = flag.to_bytes(4, "little")
        (tmp_path / "map.dds").write_bytes(data_)
        with pytest.raises(UserError, match=r"map\.dds: holds faces"):
            read_plane(tmp_path / "map.dds", Encoding.SRGB)


DEEP = [
    ("plain", "u2"),
    ("8 bits", "u2"),
    ("half float", "u2"),
    ("plain", "f4"),
    ("8 bits", "f4"),
    ("half float", "f4"),
]
NUMBERS = {
    ("u1", 1): (61, 9), ("u2", 1): (56, 70), ("f2", 1): (54, 76), ("f4", 1): (41, 100),
    ("u1", 2): (49, 16), ("u2", 2): (35, 77), ("f2", 2): (34, 83), ("f4", 2): (16, 103),
    ("u1", 4): (28, 37), ("u2", 4): (11, 91), ("f2", 4): (10, 97), ("f4", 4): (2, 109),
}  # fmt: skip
"""DXGI_FORMAT (Microsoft) and VkFormat (Vulkan 1.3) by numbers and channels."""


@pytest.mark.parametrize("channels", [1, 2, 3, 4])
@pytest.mark.parametrize("smaller", [0, 1])
@pytest.mark.parametrize(("name", "kind"), DEEP)
def test_deep_texels(name: str, kind: str, smaller: int, channels: int, tmp_path: Path) -> None:
    """Maps of 16 bits and floats as they are, with 8 bits, or as half floats: the table's bytes, the format's number, and
    in each level the very numbers that views show; none is cut down to 8 bits unasked.
    """
    values = np.random.default_rng(5).random((61, 46, channels), np.float32)
    samples = values if kind == "f4" else np.asarray(values * 65535, np.uint16)
    plane = Plane(samples, Encoding.DATA)
    facts = MapFacts(Use.NUMBERS, channels, False, 8 * int(kind[1]), 46, 61, True)
    own, slot = MapConditions(name, smaller), slots.of(plane)
    made, chain = texture_of(slot, own, facts), degraded_chain(slot.chain, own, facts)
    assert sum(len(level) for level in made.layers[0]) == bytes_of(own, facts)
    depth = {"8 bits": "u1", "half float": "f2"}.get(name, kind)
    wide = 4 if channels == 3 else channels
    for number in range(made.level_count):
        width, height = made.size(number)
        held = np.frombuffer(made.layers[0][number], f"<{depth}").reshape(height, width, wide)[..., :channels]
        most = {"u1": 255, "u2": 65535}.get(depth, 1)
        assert np.abs(held.astype(np.float64) / most - chain.level(number).values()).max() < 1e-6
        meant = slot.chain.level(number + smaller).values()
        assert np.abs(chain.level(number).values() - meant).max() < {"u1": 0.51 / 255, "f2": 2**-11}.get(depth, 2e-5)
    for suffix, number in zip((".dds", ".ktx2"), NUMBERS[depth, wide], strict=True):
        write_texture(tmp_path / f"map{suffix}", made)
        head = (tmp_path / f"map{suffix}").read_bytes()
        assert int.from_bytes(head[128:132] if suffix == ".dds" else head[12:16], "little") == number


@pytest.mark.parametrize(("name", "kind"), DEEP)
def test_deep_ktx2_as_ktx_parse_reads_it(name: str, kind: str, tmp_path: Path) -> None:
    if not (NODE / "node_modules" / "ktx-parse").exists():
        pytest.fail("ktx-parse is not there; ./test installs it into tests/node.")
    values = np.random.default_rng(7).random((13, 9, 2), np.float32)
    samples = values if kind == "f4" else np.asarray(values * 65535, np.uint16)
    facts = MapFacts(Use.NUMBERS, 2, False, 8 * int(kind[1]), 9, 13, True)
    made = texture_of(slots.of(Plane(samples, Encoding.DATA)), MapConditions(name), facts)
    write_texture(tmp_path / "map.ktx2", made)
    done = subprocess.run(
        ["node", "ktx.mjs", str(tmp_path / "map.ktx2")], cwd=NODE, capture_output=True, text=True, check=True
    )
    (told,) = json.loads(done.stdout)
    assert [bytes.fromhex(level) for level in told["levels"]] == list(made.layers[0])
    assert told["bytes"] * 8 == sum(bits for _, bits, _ in told["samples"]) == 2 * made.bits
    assert [kind & 0xC0 for *_, kind in told["samples"]] == [0xC0 if made.is_float else 0] * 2


@pytest.mark.parametrize(
    "own",
    [MapConditions("BC1"), MapConditions("BC1", mips=Mips.NORMALS), MapConditions("BC1", mips=Mips.ENCODED),
     MapConditions("BC1", read_as=ReadAs.SRGB), MapConditions("BC1", mips=Mips.NONE), MapConditions("BC1", 1)],
    ids=str,
)  # fmt: skip
def test_what_comes_later_is_not_encoded_before(own: MapConditions) -> None:
    """However levels are made and read: those that a whole view reads are in blocks, the rest is not."""
    facts = MapFacts(Use.NORMAL, 3, False, 8, 46, 61, True)
    chain = slots.of(Plane(PHOTO, Encoding.DATA)).chain
    whole, early = (degraded_chain(chain, own, facts, most=most) for most in (0, 20))
    for number in range(1 if own.mips == Mips.NONE else whole.count):
        one, other = whole.level(number), early.level(number)
        assert (one.content_id == other.content_id) == (max(one.width, one.height) <= 20), number


def test_deep_maps_in_blocks_are_seen_early(tmp_path: Path) -> None:
    """A large map of 16 bits goes into blocks of 8; levels that are left for later are then no other kind of numbers."""
    plane = Plane(np.full((40, 1100, 1), 30_000, np.uint16), Encoding.DATA)
    facts = MapFacts(Use.NUMBERS, 1, False, 16, 1100, 40, True)
    found = degraded_chain(slots.of(plane).chain, MapConditions("BC4"), facts, most=1024)
    assert found.plane.samples.dtype == np.uint8
    assert abs(int(found.plane.samples[0, 0, 0]) - 30_000 / 257) < 2


def test_arrays_are_layers(tmp_path: Path) -> None:
    planes = [Plane(np.full((8, 8, 4), value, np.uint8), Encoding.DATA) for value in (10, 200, 90)]
    facts = MapFacts(Use.WEIGHTS, 4, False, 8, 8, 8, True, 3)
    made = texture_of(slots.layers(planes), MapConditions(mips=Mips.NONE), facts)
    write_texture(tmp_path / "map.ktx2", made)
    write_texture(tmp_path / "map.dds", made)
    head = (tmp_path / "map.ktx2").read_bytes()
    assert int.from_bytes(head[32:36], "little") == 3
    assert head.endswith(bytes([10] * 256 + [200] * 256 + [90] * 256))
    dds = (tmp_path / "map.dds").read_bytes()
    assert int.from_bytes(dds[128 + 12 : 128 + 16], "little") == 3
    assert dds[148:] == bytes([10] * 256 + [200] * 256 + [90] * 256)


def test_what_a_format_does_not_hold_is_told(tmp_path: Path) -> None:
    made, *_ = texture("ETC2 RGB", True, 3)
    with pytest.raises(UserError, match="DDS holds no ETC2 RGB; use KTX2"):
        write_texture(tmp_path / "map.dds", made)
    with pytest.raises(UserError, match=r"are written as \.dds, \.ktx2"):
        write_texture(tmp_path / "map.tga", made)
    assert list(tmp_path.iterdir()) == []


def test_a_sheet_is_written_as_the_table_says(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """Bytes of the files beside their heads are those that stage 7 tells; by scripts and the command line."""
    history, store = History(read_kit(KIT_FOLDER)), Sheets()
    history.do(commands.set_conditions("oar_and_crate", Conditions("byte")))
    at = history.kit.at("oar_and_crate")
    written = write_textures(at, store, tmp_path, ".dds")
    told = {name: taken for name, (_, taken) in map_bytes(shipped(at, store), at.sheet.conditions).items()}
    assert {path.stem: size - 148 for path, size in written.items()} == told
    assert main(["textures", str(KIT_FOLDER), "--to", str(tmp_path / "out"), "--sheet", "reed_clump"]) == 0
    assert "base_colour.ktx2" in capsys.readouterr().out
    assert (tmp_path / "out" / "base_colour.ktx2").read_bytes()[:8] == b"\xabKTX 20\xbb"
