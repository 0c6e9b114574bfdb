"""What files say of their colours and of how they lie: profiles, gamma chunks, orientation; done, and told in a line."""

import struct
import zlib
from pathlib import Path

import colour
import numpy as np
import pytest
from PIL import Image, ImageCms, ImageOps

from even_palette.core.raster.files import read_plane
from even_palette.core.raster.plane import Encoding
from even_palette.core.results.maps import paint_of
from even_palette.scripting import new_kit

OP_RGB = next(name for name in colour.RGB_COLOURSPACES if name.endswith("RGB (1998)"))
"""What files call the space of IEC 61966-2-5."""
LEVELS = np.random.default_rng(6).integers(0, 256, (13, 21, 3)).astype(np.uint8)


def profile(name: str) -> bytes:
    """A profile that calls itself so; its description is all that is read of it."""
    whole = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    old = "sRGB built-in"
    assert whole.count(old.encode("utf-16-be")) == 1
    return whole.replace(old.encode("utf-16-be"), name.ljust(len(old))[: len(old)].encode("utf-16-be"))


def with_gamma(path: Path, gamma: float) -> None:
    """A gAMA chunk behind IHDR (PNG, third edition, 11.3.2.2)."""
    data, body = path.read_bytes(), b"gAMA" + struct.pack(">I", round(100_000 / gamma))
    path.write_bytes(data[:33] + struct.pack(">I", 4) + body + struct.pack(">I", zlib.crc32(body)) + data[33:])


def opened(path: Path) -> tuple[np.ndarray, tuple[str, ...]]:
    """The paint as the kit reads it, and what was noted of the file."""
    script = new_kit()
    script.add_map(path, "base colour", "srgb")
    return paint_of(script.at(), script.results).samples, read_plane(path, Encoding.DATA).notes


def encoded(light: np.ndarray) -> np.ndarray:
    return np.clip(colour.models.eotf_inverse_sRGB(np.clip(light, 0, 1)), 0, 1) * 255


@pytest.mark.parametrize(
    ("name", "space", "decode"),
    [
        ("Display P3", "Display P3", colour.models.eotf_sRGB),
        (OP_RGB.replace("(1998)", "98"), OP_RGB, lambda v: v ** (563 / 256)),
    ],
)
def test_profiles_are_converted_to_srgb(tmp_path: Path, name: str, space: str, decode: object) -> None:
    """Against colour-science, within a level and a half (gamma of 2.2 for 563/256); alpha and data stay as they are."""
    alpha = LEVELS[..., :1]
    path = tmp_path / "paint.png"
    Image.fromarray(np.dstack([LEVELS, alpha])).save(path, icc_profile=profile(name))
    made, notes = opened(path)
    light = colour.RGB_to_RGB(decode(LEVELS / 255), space, "sRGB", chromatic_adaptation_transform=None)  # type: ignore[operator]
    assert np.abs(made[..., :3] - encoded(light)).max() <= 1.5
    assert np.array_equal(made[..., 3:], alpha)
    assert np.array_equal(read_plane(path, Encoding.DATA).samples[..., :3], LEVELS)
    (note,) = notes
    assert f"“{name}”" in note
    assert "converted to sRGB" in note


def test_what_is_srgb_in_other_words_is_taken_as_it_is(tmp_path: Path) -> None:
    """A profile that is called sRGB, and a bare gamma of 2.2; a profile that is not known is told."""
    for number, (icc, gamma, told) in enumerate(
        ((profile("sRGB built-in"), 0, ""), (None, 2.2, ""), (profile("Harbour inks"), 0, "not known"))
    ):
        path = tmp_path / f"paint_{number}.png"
        Image.fromarray(LEVELS).save(path, **({"icc_profile": icc} if icc else {}))
        if gamma:
            with_gamma(path, gamma)
        made, notes = opened(path)
        assert np.array_equal(made, LEVELS)
        assert [told in note for note in notes] == ([True] if told else [])


@pytest.mark.parametrize(("gamma", "told"), [(1.8, "gamma of 1.8"), (1.0, "linear light")])
def test_gamma_chunks_are_honoured(tmp_path: Path, gamma: float, told: str) -> None:
    """Levels to the power of the gamma are light (PNG, section 13.13)."""
    path = tmp_path / "paint.png"
    Image.fromarray(LEVELS).save(path)
    with_gamma(path, gamma)
    made, notes = opened(path)
    assert np.abs(made - encoded((LEVELS / 255) ** gamma)).max() <= 0.51
    assert told in notes[0]


@pytest.mark.parametrize("suffix", [".png", ".tif"])
@pytest.mark.parametrize("orientation", range(1, 9))
def test_orientation_turns_the_picture(tmp_path: Path, suffix: str, orientation: int) -> None:
    """All eight of Exif, against Pillow's own turning."""
    path, exif = tmp_path / f"paint{suffix}", Image.Exif()
    exif[0x0112] = orientation
    Image.fromarray(LEVELS).save(path, exif=exif)
    plane = read_plane(path, Encoding.DATA)
    wanted = np.asarray(ImageOps.exif_transpose(Image.open(path)))
    assert np.array_equal(plane.samples, wanted)
    assert (plane.width, plane.height) == wanted.shape[1::-1]
    assert len(plane.notes) == (orientation != 1)
