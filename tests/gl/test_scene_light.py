"""Light of scenes: the white furnace, Lambert and GGX where they are known, lamps, where the sun stands, tone curve."""

import math
from dataclasses import replace

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from even_palette.core.colour.srgb import linear_to_srgb, srgb_to_linear
from even_palette.core.graph import nodes
from even_palette.core.graph.binding import Rows
from even_palette.core.graph.slots import of as slot_of
from even_palette.core.kit.instances import Instance
from even_palette.core.kit.scene import Lamp, LightKind, SceneLight, ToneCurve
from even_palette.core.lineup.daylight import (
    DECLINATION,
    LATITUDE,
    Lighting,
    air_mass,
    constant,
    daylight,
    overcast,
    sun_at,
)
from even_palette.core.material.drawn import OPAQUE, Drawing, Way
from even_palette.core.material.outputs import ALPHA
from even_palette.core.mesh.view import Orbit
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.crowd import Crowd, CrowdPart, Standing
from even_palette.core.results.pictures import SHOWN, Picture
from even_palette.core.results.scene_light import lighting_of
from even_palette.core.results.sheets import Sheets
from even_palette.gl.crowd_view import CrowdRenderer
from even_palette.gl.model_view import Light
from tests.mesh.test_bakes import sphere

SIDE = 161


def ball(base: float = 1.0, rough: float = 1.0, metal: float = 0.0, coat: float = 0.0) -> Crowd:
    """A ball of radius 1 around the origin whose material is the same everywhere."""
    outputs = {
        SHOWN: nodes.constant(*(float(linear_to_srgb(np.float32([base]))[0]),) * 3), "roughness": nodes.constant(rough),
        "metalness": nodes.constant(metal), "clear_coat": nodes.constant(coat),
    }  # fmt: skip
    plane = slot_of(Plane(np.zeros((4, 4, 3), np.uint8), Encoding.SRGB))
    mesh = sphere()
    points = mesh.points - mesh.points.mean(axis=0)
    mesh = replace(mesh, points=np.float32(points / np.linalg.norm(points, axis=1).max()), known_id="")
    part = CrowdPart(
        mesh,
        Picture(outputs, {"none": plane}, {}),
        (None,) * 4,
        OPAQUE,
        Rows({"seed": (0, "x")}),
        np.zeros((1, 1, 4), np.float32),
    )
    one = Instance("p", 0, "ball", "", 0.0, {}, (0.0, 0.0, 0.0), 0.0, 1.0, False)
    return Crowd("ball", (part,), Standing.of([one]), np.float32([[-1] * 3, [1] * 3]))


def seen(
    crowd_renderer: CrowdRenderer, crowd: Crowd, lighting: Lighting | None, lit: bool = True, **orbit: float
) -> np.ndarray:
    """Linear light of every pixel, (SIDE, SIDE, 3), NaN beside the ball."""
    view = Orbit(distance=6.0, size=2.0, **orbit)  # type: ignore[arg-type]
    pixels = crowd_renderer.render([crowd], view, SIDE, SIDE, Light(lit, smooth=False, outdoors=lighting)).pixels
    found = srgb_to_linear(np.float32(pixels[..., :3]) / 255)
    return np.where(pixels[..., 3:] == 255, found, np.nan)


@pytest.mark.parametrize("rough", [0.05, 0.3, 0.6, 1.0])
@pytest.mark.parametrize(("metal", "coat"), [(0.0, 0.0), (1.0, 0.0), (0.4, 0.7)])
def test_white_furnace(rough: float, metal: float, coat: float, crowd_renderer: CrowdRenderer) -> None:
    """A white ball in the same light from everywhere cannot be seen: within 2 %, whatever it is made of."""
    found = seen(crowd_renderer, ball(1.0, rough, metal, coat), constant(0.5))
    there = found[np.isfinite(found)]
    assert there.size > 9000
    assert np.abs(there / 0.5 - 1).max() < 0.02


def test_a_dark_ball_takes_light_away(crowd_renderer: CrowdRenderer) -> None:
    """A black one gives what its surface mirrors alone: at the middle a twenty-fifth, more towards its rim."""
    found = seen(crowd_renderer, ball(0.0, 0.4), constant(1.0))[..., 0]
    assert found[SIDE // 2, SIDE // 2] == pytest.approx(0.04, abs=0.02)
    assert np.nanmax(found) > 0.1
    assert np.nanmax(found) < 1


def test_sun_from_behind_the_eye(crowd_renderer: CrowdRenderer) -> None:
    """Closed forms with light and eye the same way: Lambert by the cosine, GGX at alpha 1, where D is 1 / pi."""
    towards = tuple(float(part) for part in -Orbit(yaw=0.5, pitch=0.3).axes()[2])
    black = (0.0, 0.0, 0.0)
    sun = Lighting(towards, (0.8, 0.8, 0.8), black, black, black)  # type: ignore[arg-type]
    found = seen(crowd_renderer, ball(0.5), sun, yaw=0.5, pitch=0.3)[..., 0]
    y, x = np.mgrid[:SIDE, :SIDE] + 0.5
    half = math.tan(math.radians(16))
    right, up = (x / SIDE * 2 - 1) * half, (1 - y / SIDE * 2) * half
    ray = np.stack([right, up, -np.ones_like(x)], axis=-1)
    ray /= np.linalg.norm(ray, axis=-1, keepdims=True)
    along = 6 * -ray[..., 2]
    root = along**2 - 35
    inside = np.isfinite(found) & (root > 0.15)  # the mesh has corners where the ball's rim is
    hit = ray * (along - np.sqrt(np.maximum(root, 0)))[..., None] + np.array([0, 0, 6.0])
    cosine = np.clip(hit[..., 2], 0, 1)
    towards_eye = np.clip((hit * -ray).sum(axis=-1), 1e-3, 1)
    k = 0.5
    g = 1 / ((cosine * (1 - k) + k) * (towards_eye * (1 - k) + k))
    between = np.array([0, 0, 1]) - ray
    between /= np.linalg.norm(between, axis=-1, keepdims=True)
    f = 0.04 + 0.96 * (1 - np.clip((between * -ray).sum(axis=-1), 0, 1)) ** 5
    wanted = 0.8 * cosine * (0.5 * (1 - f) + f * g / 4)
    assert inside.sum() > 5000
    errors = np.abs(found - wanted)[inside]
    assert errors.max() < 0.03  # facets stand a little off the ball
    assert np.median(errors) < 0.006
    assert found[SIDE // 2, SIDE // 2] == pytest.approx(0.8 * (0.5 * 0.96 + 0.01), rel=0.02)


def test_lamps_fall_off_by_the_square(crowd_renderer: CrowdRenderer) -> None:
    """Twice as far from the surface a lamp gives a quarter; two lamps add up; stops are powers of two."""
    towards = -Orbit().axes()[2]
    dark = Lighting((0.0, 1.0, 0.0), *((0.0, 0.0, 0.0),) * 4)

    def middle(*lamps: tuple[float, float], stops: float = 0.0) -> float:
        given = tuple((tuple(towards * (1 + far)), (much,) * 3) for far, much in lamps)
        lit = replace(dark, lamps=given, stops=stops)  # type: ignore[arg-type]
        return float(seen(crowd_renderer, ball(0.5), lit)[SIDE // 2, SIDE // 2, 0])

    near = middle((1.0, 0.8))
    assert near == pytest.approx(0.8 * 0.49, rel=0.03)
    assert middle((2.0, 0.8)) == pytest.approx(near / 4, rel=0.06)
    assert middle((1.0, 0.4), (1.0, 0.4)) == pytest.approx(near, rel=0.03)
    assert middle((1.0, 0.8), stops=-1.0) == pytest.approx(near / 2, rel=0.03)


def test_flat_is_the_sheet_in_any_light(crowd_renderer: CrowdRenderer) -> None:
    for lighting in (daylight(9.0), overcast(), constant(2.0), None):
        found = seen(crowd_renderer, ball(0.37), lighting, lit=False)
        assert np.nanmax(np.abs(found - 0.37)) < 0.004


@pytest.mark.parametrize("hour", [0.0, 3.5, 6.0, 9.25, 12.0, 15.0, 18.0, 21.7, 24.0])
def test_the_sun_goes_around_the_pole(hour: float) -> None:
    """The sun of noon turned about the axis of the sky, by scipy; it rises in the east, x."""
    noon = math.radians(90) - LATITUDE + DECLINATION
    pole = np.array([0.0, math.sin(LATITUDE), -math.cos(LATITUDE)])
    turned = Rotation.from_rotvec(pole * math.radians(-15 * (hour - 12))).apply((0.0, math.sin(noon), math.cos(noon)))
    towards, height = sun_at(hour)
    assert np.abs(np.array(towards) - turned).max() < 1e-9
    assert math.sin(height) == pytest.approx(towards[1], abs=1e-9)
    assert sun_at(8.0)[0][0] > 0.5


def test_sky_and_air() -> None:
    """Air masses of Kasten and Young 1989, table 2 (from memory: 1, 2, 5.59 and 37.92); a low sun is redder."""
    for degrees, mass in ((90, 1.0), (30, 1.994), (10, 5.585), (0, 37.92)):
        assert air_mass(math.radians(degrees)) == pytest.approx(mass, rel=0.01)
    noon, evening, midnight = daylight(12.0), daylight(18.6), daylight(0.0)
    assert evening.sun[0] / evening.sun[2] > 3 * noon.sun[0] / noon.sun[2]
    assert noon.up[2] > noon.up[0]
    assert evening.side[0] > evening.side[2]
    assert midnight.sun == (0.0, 0.0, 0.0)
    assert max(midnight.up) < 0.02
    cloudy = overcast(0.9)
    assert cloudy.up[0] == pytest.approx(3 * cloudy.side[0])  # CIE S 011: three to one
    assert lighting_of(SceneLight(), Sheets()) is None
    made = lighting_of(
        SceneLight(
            LightKind.NIGHT,
            exposure=2.0,
            tone=ToneCurve.NEUTRAL,
            sky=True,
            lamps=(Lamp((1.0, 2.0, 3.0), (1.0, 0.5, 0.0), 3.0),),
        ),
        Sheets(),
    )
    assert made is not None
    assert (made.stops, made.rolls_off, made.sky_behind) == (2.0, True, True)
    assert made.lamps[0][0] == (1.0, 2.0, 3.0)
    assert made.lamps[0][1] == pytest.approx((3.0, 3 * float(srgb_to_linear(np.float32([0.5]))[0]), 0.0))


def test_what_is_too_bright_is_rolled_off(crowd_renderer: CrowdRenderer) -> None:
    """Khronos PBR Neutral: dark stays but for its 0.04, bright never reaches 1, and more light is never darker."""
    last = 0.0
    for stops in np.linspace(-4, 6, 21):
        lit = replace(constant(0.5), stops=float(stops), rolls_off=True)
        found = float(seen(crowd_renderer, ball(), lit)[SIDE // 2, SIDE // 2, 0])
        light = 0.5 * 2.0**stops
        if 0.08 < light < 0.8:
            assert found == pytest.approx(light - 0.04, abs=0.006)
        assert found <= 1
        assert found >= last - 0.005
        last = found
    assert last > 0.97


def behind_blended(crowd_renderer: CrowdRenderer, sky: Lighting) -> np.ndarray:
    """The same sky behind a ball that is half seen through."""
    crowd = ball()
    (part,) = crowd.parts
    outputs = {**part.picture.outputs, ALPHA: nodes.constant(0.5)}
    glass = replace(part, picture=replace(part.picture, outputs=outputs), drawing=Drawing(Way.BLENDED))
    view, light = Orbit(distance=6.0, size=2.0, pitch=-1.3), Light(True, smooth=False, outdoors=sky)
    pixels = crowd_renderer.render([replace(crowd, parts=(glass,))], view, SIDE, SIDE, light).pixels
    assert (pixels[..., 3] == 255).all()
    return np.int16(pixels)


def test_the_sky_is_seen_behind(crowd_renderer: CrowdRenderer) -> None:
    """Only where it is asked for and lit; up it is the sky's own colour, and the ball covers it."""
    sky = replace(constant(0.25), up=(0.1, 0.2, 0.4), sky_behind=True)
    pixels = crowd_renderer.render(
        [ball()], Orbit(distance=6.0, size=2.0, pitch=-1.3), SIDE, SIDE, Light(True, smooth=False, outdoors=sky)
    ).pixels
    assert (pixels[..., 3] == 255).all()
    assert srgb_to_linear(np.float32(pixels[3, 3, :3]) / 255) == pytest.approx((0.1, 0.2, 0.4), abs=0.03)
    assert np.abs(np.int16(pixels) - behind_blended(crowd_renderer, sky))[:30].max() <= 1
    flat = crowd_renderer.render(
        [ball()], Orbit(distance=6.0, size=2.0), SIDE, SIDE, Light(False, smooth=False, outdoors=sky)
    ).pixels
    assert flat[0, 0, 3] == 0
