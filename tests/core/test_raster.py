"""Planes and files: exact round trips, encodings, limits, samplers."""

import zipfile
from pathlib import Path

import numpy as np
import pytest
import skimage.data
from PIL import Image
from scipy.ndimage import map_coordinates

from even_palette.core.arrays import float32
from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.errors import UserError
from even_palette.core.raster.files import Limits, read_plane, write_plane
from even_palette.core.raster.guess import Role, guess_encoding, guess_role
from even_palette.core.raster.plane import Encoding, Plane, rgb_of, stored_values
from even_palette.core.raster.sampling import Filter, Sampler, Wrap, sample, texel_centres
from even_palette.core.raster.strip import look_up

RNG = np.random.default_rng(11)
KINDS = {
    "8 bit": lambda shape: RNG.integers(0, 256, shape).astype(np.uint8),
    "16 bit": lambda shape: RNG.integers(0, 65536, shape).astype(np.uint16),
    "float": lambda shape: RNG.normal(0.5, 2, shape).astype(np.float32),
}


@pytest.mark.parametrize("channels", [1, 3, 4])
@pytest.mark.parametrize(
    ("suffix", "kind"),
    [(".png", "8 bit"), (".png", "16 bit"), (".tif", "8 bit"), (".tif", "16 bit"), (".tif", "float"), (".exr", "float"),
     (".tga", "8 bit")],
)  # fmt: skip
def test_round_trip_is_exact(tmp_path: Path, suffix: str, kind: str, channels: int) -> None:
    """All levels survive, alpha is not multiplied in, whatever the format and depth."""
    samples = KINDS[kind]((21, 34, channels))
    path = tmp_path / f"map{suffix}"
    write_plane(path, Plane(samples, Encoding.DATA))
    read = read_plane(path, Encoding.DATA).samples
    assert read.dtype == samples.dtype
    assert np.array_equal(read, samples)
    assert [p.name for p in tmp_path.iterdir()] == [path.name]


def test_another_reader_and_writer_agree(tmp_path: Path) -> None:
    """Pillow reads what is written here, and the other way round."""
    samples = KINDS["8 bit"]((16, 9, 4))
    write_plane(tmp_path / "ours.png", Plane(samples, Encoding.DATA))
    assert np.array_equal(np.asarray(Image.open(tmp_path / "ours.png")), samples)
    Image.fromarray(samples).save(tmp_path / "theirs.png")
    assert np.array_equal(read_plane(tmp_path / "theirs.png", Encoding.DATA).samples, samples)


def test_openraster_is_read_as_the_picture_of_all_layers(tmp_path: Path) -> None:
    """A file put together by its specification (OpenRaster 0.0.6), of Pillow's pictures; without that picture, none."""
    samples = KINDS["8 bit"]((16, 9, 4))
    Image.fromarray(samples).save(tmp_path / "all.png")
    with zipfile.ZipFile(tmp_path / "map.ora", "w") as whole:
        whole.writestr("mimetype", "image/openraster")
        whole.writestr("stack.xml", '<image w="9" h="16"><stack><layer src="data/1.png"/></stack></image>')
        whole.write(tmp_path / "all.png", "mergedimage.png", zipfile.ZIP_DEFLATED)
    assert np.array_equal(read_plane(tmp_path / "map.ora", Encoding.SRGB).samples, samples)
    with zipfile.ZipFile(tmp_path / "map.ora", "w") as whole:
        whole.write(tmp_path / "all.png", "data/1.png")
    with pytest.raises(UserError, match=r"map\.ora: .*mergedimage"):
        read_plane(tmp_path / "map.ora", Encoding.SRGB)


@pytest.mark.parametrize(("levels", "kind"), [(255, np.uint8), (65535, np.uint16)])
def test_stored_values_are_levels_over_the_highest(levels: int, kind: type) -> None:
    """8-bit v is v/255, 16-bit v is v/65535 (common practice; OpenGL 4.6, equation 2.1)."""
    assert stored_values(np.array([0, 1, levels], dtype=kind)) == pytest.approx([0, 1 / levels, 1])


def test_srgb_planes_decode_colour_alone() -> None:
    """Alpha and data are never decoded (glTF 2.0, section 3.9.2, on base colour textures)."""
    samples = KINDS["8 bit"]((5, 7, 4))
    plane = Plane(samples, Encoding.SRGB)
    assert np.allclose(plane.linear()[..., :3], srgb_to_linear(float32(samples[..., :3]) / 255), atol=1e-6)
    assert np.allclose(plane.linear()[..., 3], samples[..., 3] / 255)
    assert np.allclose(plane.with_encoding(Encoding.DATA).linear(), samples / 255)


def test_planes_are_known_by_content() -> None:
    samples = KINDS["8 bit"]((5, 7, 3))
    plane = Plane(samples, Encoding.SRGB)
    assert plane.content_id == Plane(samples.copy(), Encoding.SRGB).content_id
    assert plane.content_id != Plane(samples, Encoding.DATA).content_id
    assert plane.content_id != Plane(samples[::-1], Encoding.SRGB).content_id
    with pytest.raises(ValueError, match="read-only"):
        plane.samples[0, 0, 0] = 1


@pytest.mark.parametrize(
    ("limits", "told"),
    [(Limits(side=32), "40 x 30"), (Limits(bytes=3599), "3600"), (Limits(file_bytes=10), "limit is 10")],
)
def test_limits_are_told(tmp_path: Path, limits: Limits, told: str) -> None:
    path = tmp_path / "big.png"
    write_plane(path, Plane(KINDS["8 bit"]((30, 40, 3)), Encoding.SRGB))
    with pytest.raises(UserError, match=told):
        read_plane(path, Encoding.SRGB, limits)


def test_a_header_that_promises_too_much_is_refused_before_reading(tmp_path: Path) -> None:
    """A PNG header (ISO/IEC 15948, 11.2.2) of 60000 x 60000 with no data behind it."""
    import struct
    import zlib

    header = struct.pack(">IIBBBBB", 60000, 60000, 8, 6, 0, 0, 0)
    chunk = struct.pack(">I", 13) + b"IHDR" + header + struct.pack(">I", zlib.crc32(b"IHDR" + header))
    path = tmp_path / "bomb.png"
    path.write_bytes(b"\x89PNG\r\n\x1a\n" + chunk)
    with pytest.raises(UserError, match=r"bomb\.png"):
        read_plane(path, Encoding.SRGB)


@pytest.mark.parametrize("name", ["gone.png", "folder.png", "map.txt"])
def test_what_cannot_be_opened_is_named(tmp_path: Path, name: str) -> None:
    (tmp_path / "folder.png").mkdir()
    (tmp_path / "map.txt").write_text("no picture")
    with pytest.raises(UserError, match=name):
        read_plane(tmp_path / name, Encoding.SRGB)


def test_writing_fails_with_a_sentence_and_leaves_nothing(tmp_path: Path) -> None:
    plane = Plane(KINDS["8 bit"]((4, 4, 3)), Encoding.SRGB)
    with pytest.raises(UserError, match="cannot be written"):
        write_plane(tmp_path / "no" / "map.png", plane)
    with pytest.raises(UserError, match="not written"):
        write_plane(tmp_path / "map.jpg", plane)
    assert list(tmp_path.iterdir()) == []


PHOTO = skimage.data.astronaut()
FLAT = np.zeros((64, 64, 3), dtype=np.uint8)
FLAT[:32] = (255, 0, 0)
NORMALS = np.full((64, 64, 3), (128, 128, 255), dtype=np.uint8)


@pytest.mark.parametrize(
    ("name", "samples", "role", "encoding"),
    [
        ("tug_BaseColor.png", PHOTO, Role.BASE_COLOUR, Encoding.SRGB),
        ("tug_albedo.exr", PHOTO.astype(np.float32), Role.BASE_COLOUR, Encoding.LINEAR),
        ("tug_id.png", PHOTO, Role.ID, Encoding.DATA),
        ("tug_normal.tga", PHOTO, Role.NORMAL, Encoding.DATA),
        ("tug_AO.png", PHOTO[..., :1], Role.OCCLUSION, Encoding.DATA),
        ("tug_roughness.png", PHOTO[..., :1], Role.ROUGHNESS, Encoding.DATA),
        ("tug_emissive.png", PHOTO, Role.EMISSION, Encoding.SRGB),
        ("untitled.png", PHOTO, Role.BASE_COLOUR, Encoding.SRGB),
        ("untitled.png", FLAT, Role.ID, Encoding.DATA),
        ("untitled.png", NORMALS, Role.NORMAL, Encoding.DATA),
    ],
)
def test_what_a_map_is_is_guessed(name: str, samples: np.ndarray, role: Role, encoding: Encoding) -> None:
    """Names and contents as they are usual (common practice); photographs that ship inside scikit-image."""
    assert guess_role(Path(name), samples) == role
    assert guess_encoding(role, samples) == encoding


def test_sampling_equals_scipy() -> None:
    """scipy.ndimage.map_coordinates, order 1 and 0, modes nearest, grid-wrap and reflect, at texel centres (i + 0.5) / n."""
    values = RNG.random((13, 29, 2)).astype(np.float32)
    plane = Plane(values.copy(), Encoding.LINEAR)
    uv = RNG.uniform(-0.5, 1.5, (500, 2)).astype(np.float32)
    at = np.stack([uv[:, 1] * 13 - 0.5, uv[:, 0] * 29 - 0.5])
    modes = {Wrap.CLAMP: "nearest", Wrap.REPEAT: "grid-wrap", Wrap.MIRROR: "reflect"}
    for linear in (True, False):
        for wrap, mode in modes.items():
            want = [map_coordinates(values[..., c], at, order=int(linear), mode=mode) for c in range(2)]
            got = sample(plane, uv, Sampler(Filter.LINEAR if linear else Filter.NEAREST, wrap))
            off = np.abs(got - np.stack(want, axis=-1)).max(axis=-1)
            assert np.mean(off > 1e-4) < (0.0 if linear else 0.01) + 1e-9


def test_sampling_at_texel_centres_gives_the_texels() -> None:
    values = RNG.random((17, 11, 3)).astype(np.float32)
    assert np.allclose(sample(Plane(values.copy(), Encoding.LINEAR), texel_centres(17, 11)), values, atol=1e-6)


@pytest.mark.parametrize("count", [2, 5, 16, 256])
def test_index_maps_through_a_strip_give_the_palette_exactly(count: int) -> None:
    """Entry i of n is stored as round(255 i / (n - 1)); the look-up gives the palette back (common practice)."""
    palette = RNG.random((3, count, 3)).astype(np.float32)
    stored = np.round(255 * np.arange(count) / (count - 1)) / 255
    got = look_up(Plane(palette.copy(), Encoding.LINEAR), float32(stored), float32(np.full(count, 1)))
    assert stored[0] == 0
    assert stored[-1] == 1
    tolerance = 1e-5 if 255 % (count - 1) == 0 else 0.5 * (count - 1) / 255 + 1e-4
    assert np.abs(got - palette[1]).max() < tolerance


@pytest.mark.parametrize(
    "how", [{"quality": 90}, {"quality": 60, "subsampling": 2}, {"progressive": True}, {"mode": "L"}]
)
def test_jpeg_is_read_as_pillow_reads_it(how: dict[str, object], tmp_path: Path) -> None:
    """ITU-T T.81 by two libraries: Pillow's conversion to RGB, exactly; grey has one channel."""
    options = dict(how)
    image = Image.fromarray(np.random.default_rng(4).integers(0, 256, (19, 23, 3)).astype(np.uint8)).resize((61, 47))
    image = image.convert(str(options.pop("mode", "RGB")))
    image.save(tmp_path / "map.jpg", **options)
    read = read_plane(tmp_path / "map.jpg", Encoding.DATA).samples
    assert np.array_equal(rgb_of(read), np.asarray(Image.open(tmp_path / "map.jpg").convert("RGB")))
    assert read.shape[2] == len(image.getbands())
