"""Hostile and damaged files: an error of one line that names the file, or a correct load; never a crash or a hang."""

import random
import subprocess
import sys
from pathlib import Path

import msgspec
import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from even_palette.core.errors import UserError
from even_palette.core.graph import slots
from even_palette.core.kit import commands
from even_palette.core.kit.model import Kit
from even_palette.core.kit.sheet import Tone
from even_palette.core.kit.store import decode_kit, encode_kit
from even_palette.core.material.model import Coat
from even_palette.core.proof.conditions import MapConditions, MapFacts, Use
from even_palette.core.proof.degrade import texture_of
from even_palette.core.raster.files import write_plane, write_texture
from even_palette.core.raster.formats import IMAGE_FORMATS
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.sheets import Sheets
from even_palette.core.ship.write import ship
from even_palette.core.tones.palette import new_palette
from even_palette.core.tones.ramp import Ramp, RampRow, Stop
from even_palette.player.load import load

MUTATIONS = 200

READER = """
import sys
from pathlib import Path
from even_palette.core.errors import UserError
from even_palette.core.raster.files import Limits, read_plane
from even_palette.core.raster.plane import Encoding
for path in sorted(Path(sys.argv[1]).iterdir()):
    try:
        plane = read_plane(path, Encoding.DATA, Limits(side=4096, bytes=1 << 26))
        assert plane.samples.ndim == 3 and plane.samples.size
        print("loaded", path.name, flush=True)
    except UserError as error:
        text = str(error)
        assert path.name in text and "\\n" not in text, text
        print("refused", path.name, flush=True)
"""


def mutate(data: bytes, rng: random.Random) -> bytes:
    """Truncate, flip bits, overwrite, delete or repeat a piece."""
    changed = bytearray(data)
    for _ in range(rng.randint(1, 4)):
        at = rng.randrange(len(changed)) if rng.random() < 0.6 else rng.randrange(min(128, len(changed)))
        match rng.randrange(5):
            case 0:
                del changed[max(1, at) :]
            case 1:
                changed[at] ^= 1 << rng.randrange(8)
            case 2:
                changed[at : at + 4] = rng.choice(
                    [b"\xff\xff\xff\xff", b"\0\0\0\0", b"\x7f\xff\xff\xff", rng.randbytes(4)]
                )
            case 3:
                del changed[at : at + rng.randint(1, 32)]
            case 4:
                changed[at:at] = changed[at : at + rng.randint(1, 64)]
        changed = changed or bytearray(b"\0")
    return bytes(changed)


@pytest.mark.parametrize(
    "suffix", [".png", ".tif", ".exr", ".tga", ".jpg", ".dds", ".bc7.dds", ".bc7.ktx2", ".ktx2", ".ora"]
)
def test_mutated_images(tmp_path: Path, suffix: str) -> None:
    """200 of each by a seeded mutator, read in a process of their own so that a crash of a decoder would be seen."""
    rng = random.Random(suffix)
    samples = np.random.default_rng(1).integers(0, 255, (37, 53, 3)).astype(np.uint8)
    if suffix == ".exr":
        samples = samples.astype(np.float32)  # type: ignore[assignment]
    if suffix == ".jpg":
        Image.fromarray(samples[..., :3]).save(tmp_path / "whole.jpg")
    elif suffix == ".ora":
        write_layers = IMAGE_FORMATS[suffix].write_layers
        assert write_layers is not None
        write_layers(tmp_path / "whole.ora", {"paint": Plane(samples, Encoding.SRGB)})
    elif suffix.endswith((".dds", ".ktx2")):
        facts = MapFacts(Use.COLOUR, 3, False, 8, 53, 37, True)
        own = MapConditions("BC7" if suffix.startswith(".bc7") else "plain")
        made = texture_of(slots.of(Plane(samples, Encoding.DATA)), own, facts)
        write_texture(tmp_path / f"whole{suffix}", made)
    else:
        write_plane(tmp_path / f"whole{suffix}", Plane(samples, Encoding.DATA))
    data = (tmp_path / f"whole{suffix}").read_bytes()
    folder = tmp_path / "mutants"
    folder.mkdir()
    for number in range(MUTATIONS):
        (folder / f"m{number:03}{suffix}").write_bytes(mutate(data, rng))
    done = subprocess.run(
        [sys.executable, "-c", READER, str(folder)], capture_output=True, text=True, timeout=120, check=False
    )
    lines = done.stdout.splitlines()
    assert done.returncode == 0, (done.returncode, lines[-1:], done.stderr[-500:])
    assert len(lines) == MUTATIONS
    assert any(line.startswith("refused") for line in lines)


def with_tones(kit: Kit) -> Kit:
    """Little beside palettes, ramps and tones."""
    region = replace(kit.sheets[0].regions[0], coats=(Coat("tint"),))
    small = kit.with_sheet(replace(kit.sheets[0], regions=(region,)))
    small = replace(small, variants=(), parameters=())
    stops = (Stop(0, (9, 9, 9)), Stop(1, (200, 90, 9)))
    for command in (
        commands.add_palette(new_palette("palette", "Palette", np.array([[1, 2, 3], [200, 100, 0]], np.uint8))),
        commands.add_ramp(Ramp("ramp", "Ramp", (RampRow("Row", stops),))),
        commands.add_tone("sheet_1", Tone("index", "Index", "index", palette="palette")),
        commands.add_tone("sheet_1", Tone("grey", "Grey", "neutral", values={"gamma": 1.5})),
        commands.even_tone("sheet_1", "grey", ["region_1"], 0.5, 0.1),
        commands.set_base_tone("sheet_1", "grey"),
    ):
        small = command.apply(small)
    return small


@pytest.mark.parametrize("tones", [False, True])
@pytest.mark.parametrize("structured", [False, True])
def test_mutated_kits(kit: Kit, tmp_path: Path, structured: bool, tones: bool) -> None:
    """200 damaged kit.json by bytes, and 200 by values: refused in one line that names the file, or a valid kit."""
    rng = random.Random(structured)
    data, refused = encode_kit(with_tones(kit) if tones else kit, tmp_path), []
    for _ in range(MUTATIONS):
        changed = mutate_values(data, rng) if structured else mutate(data, rng)
        try:
            loaded = decode_kit(changed, tmp_path, "damaged.json")
            assert decode_kit(encode_kit(loaded, tmp_path), tmp_path) == loaded
        except UserError as error:
            refused.append(str(error))
    assert len(refused) > MUTATIONS // 4
    assert all(text.startswith("damaged.json: ") and "\n" not in text for text in refused)


def mutate_values(data: bytes, rng: random.Random) -> bytes:
    """Valid JSON with one value replaced by one of another kind or far out of range, or with a key removed."""
    tree = msgspec.json.decode(data)
    at = tree
    while True:
        keys = list(at) if isinstance(at, dict) else list(range(len(at)))
        key = rng.choice(keys)
        if isinstance(at[key], dict | list) and at[key] and rng.random() < 0.85:
            at = at[key]
            continue
        if rng.random() < 0.3:
            del at[key]
        else:
            at[key] = rng.choice(
                [None, -1, 1e30, "", "x" * 50, [], {}, True, [1, 2, 3], {"parameter": "none"}, "../../etc"]
            )
        return msgspec.json.encode(tree)


@pytest.mark.parametrize(
    "text",
    [b"", b"{}}", b"[]", b"\xff\xfe", b'{"format": 99}', b'{"name": 3}', b'{"unknown": 1}', b"[" * 100_000,
     b'{"sheet": {"name": "s", "sources": [{"role": "ID map", "path": "a\\u0000b", "encoding": "data"}]}}'],
)  # fmt: skip
def test_what_is_no_kit(tmp_path: Path, text: bytes) -> None:
    with pytest.raises(UserError, match=r"^kit\.json: "):
        decode_kit(text, tmp_path)


def test_mutated_packages(kit: Kit, sheets: Sheets, tmp_path: Path) -> None:
    """200 damaged package.json: refused in one line, or loaded; nothing outside the package is ever named."""
    ship(kit, sheets, tmp_path / "package")
    path, rng, refused = tmp_path / "package" / "package.json", random.Random(3), []
    data = path.read_bytes()
    for number in range(MUTATIONS):
        path.write_bytes((mutate_values if number % 2 else mutate)(data, rng))
        try:
            load(tmp_path / "package")
        except UserError as error:
            refused.append(str(error))
    assert len(refused) > MUTATIONS // 4
    assert not any("\n" in text for text in refused)


@pytest.mark.parametrize("name", ["../secret.png", "/etc/passwd", "..", "a/b.png", ""])
def test_a_package_cannot_point_outside(kit: Kit, sheets: Sheets, tmp_path: Path, name: str) -> None:
    ship(kit, sheets, tmp_path / "package")
    path = tmp_path / "package" / "package.json"
    tree = msgspec.json.decode(path.read_bytes())
    tree["sheets"][0]["maps"][0]["file"] = name
    path.write_bytes(msgspec.json.encode(tree))
    with pytest.raises(UserError, match=r"leaves the package|map 1: file “.*” is not of the form"):
        load(tmp_path / "package")
