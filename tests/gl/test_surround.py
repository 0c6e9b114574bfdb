"""A picture all around as light: the same from everywhere stays the same; a small light is mirrored where it stands."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest
from scipy.integrate import quad

from even_palette.core.arrays import float32
from even_palette.core.errors import UserError
from even_palette.core.graph import nodes
from even_palette.core.kit.scene import LightKind, Placing, SceneLight, Surround
from even_palette.core.kit.store import KitFolder, read_kit
from even_palette.core.lineup.daylight import constant
from even_palette.core.lineup.surround import ROUGHNESS, SHARP, SMALL, by_area, directions, gathered, surround_atlas
from even_palette.core.material.shading import Shaded
from even_palette.core.mesh.view import Orbit
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.scene_light import BRIGHTEST, surround_file, surround_of
from even_palette.core.results.sheets import Sheets
from even_palette.demo import KIT_FOLDER
from even_palette.gl.crowd_view import CrowdRenderer
from even_palette.scripting import OpenKit
from tests.gl.test_scene_light import ball, seen
from tests.gl.test_strands import HEIGHT, WIDTH, card, places
from tests.gl.test_strands import seen as seen_card


def lit_by(light: np.ndarray, turned: float = 0.0, behind: bool = False):  # type: ignore[no-untyped-def]
    plane = Plane(surround_atlas(float32(light)), Encoding.LINEAR)
    return replace(constant(0.0), surround=plane, turned=turned, sky_behind=behind)


def write(path: Path, light: np.ndarray) -> Path:
    out = oiio.ImageOutput.create(str(path))
    assert out.open(str(path), oiio.ImageSpec(light.shape[1], light.shape[0], 3, "float"))
    assert out.write_image(float32(light))
    out.close()
    return path


@pytest.mark.parametrize("size", [(48, 96), (37, 75), (300, 511), (1, 2)])
def test_the_same_from_everywhere_stays_that_light(size: tuple[int, int]) -> None:
    light = np.broadcast_to(float32([0.3, 1.7, 12.0]), (*size, 3))
    made = surround_atlas(light)
    there = made.any(axis=-1)
    assert np.allclose(made[there], (0.3, 1.7, 12.0), rtol=2e-5)
    assert there.mean() > 0.9


@pytest.mark.parametrize("rough", [0.05, 0.3, 0.5, 0.9, 1.0])
@pytest.mark.parametrize(("metal", "coat"), [(0.0, 0.0), (1.0, 0.0), (0.4, 0.7)])
def test_white_furnace_of_a_picture(rough: float, metal: float, coat: float, crowd_renderer: CrowdRenderer) -> None:
    """A white ball in a picture of one value cannot be seen: within 2 %, whatever it is made of."""
    found = seen(crowd_renderer, ball(1.0, rough, metal, coat), lit_by(np.full((24, 48, 3), 0.5)))
    there = found[np.isfinite(found)]
    assert there.size > 9000
    assert np.abs(there / 0.5 - 1).max() < 0.02


def test_pictures_of_other_sizes_are_means_by_area() -> None:
    """Whole parts are plain means, odd ones share texels; nothing is lost."""
    rng = np.random.default_rng(2)
    light = float32(rng.random((96, 192, 3)))
    assert np.allclose(by_area(light, 48, 96), light.reshape(48, 2, 96, 2, 3).mean(axis=(1, 3)), atol=1e-6)
    odd = float32(rng.random((7, 5, 3)))
    assert np.allclose(by_area(odd, 3, 2).mean(axis=(0, 1)), odd.mean(axis=(0, 1)), atol=1e-6)
    assert np.allclose(by_area(odd, 14, 10), odd.repeat(2, axis=0).repeat(2, axis=1), atol=1e-6)


def test_what_rough_surfaces_gather() -> None:
    """By the cosine: a bright half sky gives half to what stands upright (1/pi times the integral of the cosine), all to
    what faces up. By GGX: the share of the lobe within an angle, integrated by scipy.
    """
    height, width = SMALL
    up = directions(height, width)[..., 1] > 0
    levels = gathered(float32(np.repeat(up[..., None], 3, axis=-1)))
    diffuse = levels[-1][..., 0]
    assert diffuse[0].mean() == pytest.approx(1.0, abs=2e-3)
    assert diffuse[-1].mean() == pytest.approx(0.0, abs=2e-3)
    lift = directions(height, width)[:, 0, 1]
    assert diffuse.mean(axis=1) == pytest.approx((1 + lift) / 2, abs=0.01)  # closed form of a half sky
    for number, rough in enumerate(ROUGHNESS):
        alpha2 = rough**4

        def lobe(theta: float, alpha2: float = alpha2) -> float:
            c = np.cos(theta / 2) ** 2
            return float(np.cos(theta) * np.sin(theta) / (c * (alpha2 - 1) + 1) ** 2)

        inner = 40.0
        cap = directions(height, width)[..., 1] > np.cos(np.radians(inner))
        edge = (lift > np.cos(np.radians(inner))).sum() * 180 / height  # where rows of texels end
        found = gathered(float32(np.repeat(cap[..., None], 3, axis=-1)))[number][0, :, 0].mean()
        share = quad(lobe, 0, np.radians(edge), points=[0.05])[0] / quad(lobe, 0, np.pi / 2, points=[0.05])[0]
        assert found == pytest.approx(share, abs=0.03), rough


@pytest.mark.parametrize("turned", [0.0, 1.1, -2.5])
@pytest.mark.parametrize("behind", [False, True])
def test_a_picture_is_seen_where_it_lies(turned: float, behind: bool, crowd_renderer: CrowdRenderer) -> None:
    """Behind all, and in a mirror of metal, at every pixel: the middle column to the south, as seen from inside."""
    light = float32(np.clip(directions(*SHARP), 0, 1) * 0.8)
    mirror = card(Shaded(), (1.0, 1.0, 1.0))
    outputs = {**mirror.parts[0].picture.outputs, "roughness": nodes.constant(0.0), "metalness": nodes.constant(1.0)}
    part = replace(mirror.parts[0], picture=replace(mirror.parts[0].picture, outputs=outputs))
    orbit = Orbit(yaw=0.4, pitch=0.2, distance=5.0, size=2.0)
    found = seen_card(crowd_renderer, replace(mirror, parts=(part,)), lit_by(light, turned, behind), orbit)
    y, x = np.mgrid[:HEIGHT, :WIDTH] + 0.5
    rays = orbit.rays(float32(np.stack([x.ravel(), y.ravel()], axis=-1)), WIDTH, HEIGHT).reshape(HEIGHT, WIDTH, 3)
    rays = rays / np.linalg.norm(rays, axis=-1, keepdims=True)
    at = places(orbit)[..., :2]
    on_card, beside = (np.abs(at) < 0.97).all(axis=-1), (np.abs(at) > 1.05).any(axis=-1)
    ways = np.where(on_card[..., None], rays * (1, 1, -1), rays)
    cosine, sine = np.cos(-turned), np.sin(-turned)
    wanted = np.clip(ways @ np.array([[cosine, 0, -sine], [0, 1, 0], [sine, 0, cosine]]).T, 0, 1) * 0.8
    assert np.abs(found - wanted)[on_card].max() < 0.02
    assert on_card.sum() > 1500
    if behind:
        assert np.abs(found - wanted)[beside].max() < 0.01
    else:
        assert np.isnan(found[beside]).all()


@pytest.mark.parametrize("suffix", [".exr", ".hdr"])
def test_from_a_file(suffix: str, tmp_path: Path) -> None:
    """Read as linear light, kept with the kit by a path, told where it is missing or another one; saved and opened."""
    path = write(tmp_path / f"dusk{suffix}", np.full((8, 16, 3), 4.0))
    kit = OpenKit(read_kit(KIT_FOLDER), None)
    kit.light_by_picture("the_landing", path, turned=30.0)
    light = kit.kit.scene("the_landing").light
    assert (light.kind, light.turned) == (LightKind.PICTURE, 30.0)
    assert light.picture in kit.kit.files
    made = surround_of(light.picture, Sheets())
    assert made.samples[10, 10] == pytest.approx(4.0, rel=5e-3)
    folder = KitFolder.create(tmp_path / "kit")
    folder.save(kit.kit)
    folder.close()
    assert "dusk" in (tmp_path / "kit" / "kit.json").read_text()
    assert read_kit(tmp_path / "kit").scene("the_landing").light.picture == light.picture
    write(path, np.full((8, 16, 3), 2.0))
    with pytest.raises(UserError):
        surround_of(light.picture, Sheets())
    path.unlink()
    with pytest.raises(UserError, match="dusk"):
        surround_of(light.picture, Sheets())
    with pytest.raises(UserError):
        surround_file(tmp_path / "none.exr")


def test_hostile_pictures(tmp_path: Path) -> None:
    """No numbers, endless and negative light count as none or as the brightest that there is; eight bits are sRGB."""
    light = np.full((4, 8, 3), 1.0)
    light[0, 0], light[1, 1], light[2, 2] = np.nan, np.inf, -3.0
    made = surround_of(surround_file(write(tmp_path / "odd.exr", light)), Sheets())
    assert np.isfinite(made.samples).all()
    assert made.samples.min() >= 0
    assert made.samples.max() <= BRIGHTEST * 1.001
    grey = oiio.ImageOutput.create(str(tmp_path / "grey.png"))
    grey.open(str(tmp_path / "grey.png"), oiio.ImageSpec(8, 4, 1, "uint8"))
    grey.write_image(np.full((4, 8, 1), 188, np.uint8))
    grey.close()
    made = surround_of(surround_file(tmp_path / "grey.png"), Sheets())
    assert made.samples[10, 10] == pytest.approx(0.5029, abs=1e-3)  # IEC 61966-2-1
    (tmp_path / "no.exr").write_bytes(b"nothing of the kind")
    with pytest.raises(UserError, match=r"no\.exr"):
        surround_of(Surround(str(tmp_path / "no.exr")), Sheets())


def test_flat_is_the_sheet_in_a_picture_too(crowd_renderer: CrowdRenderer) -> None:
    lighting = lit_by(np.random.default_rng(1).random((24, 48, 3)) * 3)
    one, other = (seen(crowd_renderer, ball(0.4), each, lit=False) for each in (lighting, None))
    assert np.array_equal(one, other, equal_nan=True)


def test_the_demo_fits_into_a_picture(tmp_path: Path) -> None:
    """The tug takes all units that drivers must have without the picture; with it those of this driver are asked."""
    kit = OpenKit(read_kit(KIT_FOLDER), None)
    kit.do("add_scene", "One")
    kit.do("add_placing", "one", Placing("", "Tug", "row", "ferry_tug", 1))
    kit.do(
        "set_light",
        "one",
        SceneLight(LightKind.PICTURE, picture=surround_file(write(tmp_path / "a.exr", np.ones((8, 16, 3))))),
    )
    assert np.ptp(kit.scene_picture("One", width=96, height=64)) > 60
