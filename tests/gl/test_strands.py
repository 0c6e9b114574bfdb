"""Light on strands and leaves: highlights where the formulas say, as the reference has them, and light from behind."""

import json
import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace as with_fields

from even_palette.core.arrays import float32
from even_palette.core.colour.srgb import linear_to_srgb, srgb_to_linear
from even_palette.core.errors import UserError
from even_palette.core.graph import nodes
from even_palette.core.graph.binding import Rows
from even_palette.core.graph.slots import of as slot_of
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.instances import Instance
from even_palette.core.kit.store import decode_kit, encode_kit
from even_palette.core.lineup.daylight import Lighting, constant
from even_palette.core.material.drawn import OPAQUE
from even_palette.core.material.model import PlaneKind, PlaneRef, PlaneUse
from even_palette.core.material.outputs import STRAND_SHIFT
from even_palette.core.material.shading import Highlight, Shaded, Shading, strand_light
from even_palette.core.mesh.model import build_mesh
from even_palette.core.mesh.view import Orbit
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.crowd import Crowd, CrowdPart, Standing
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.pictures import SHOWN, Picture
from even_palette.core.results.sheets import Sheets
from even_palette.core.ship.write import ship
from even_palette.gl.crowd_view import CrowdRenderer
from even_palette.gl.model_view import Light
from even_palette.player.load import load
from even_palette.player.opengl import play_opengl
from even_palette.player.reference import play_reference

WIDTH, HEIGHT = 131, 97
BLACK = (0.0, 0.0, 0.0)
CORNERS = float32([[-1, -1, 0], [1, -1, 0], [1, 1, 0], [-1, 1, 0]])


def card(shaded: Shaded, colour: tuple[float, float, float], shift: nodes.Node | None = None) -> Crowd:
    """A square of two metres about the origin that faces +z; its sheet lies upright on it."""
    faces = np.array([[0, 1, 2], [0, 2, 3]])
    uv = float32([[0, 1], [1, 1], [1, 0], [0, 0]])
    mesh = build_mesh(CORNERS, faces, (uv[faces],))
    outputs = {SHOWN: nodes.constant(*linear_to_srgb(float32(colour)).tolist()), "roughness": nodes.constant(1.0)}
    if shift is not None:
        outputs[STRAND_SHIFT] = shift
    plane = slot_of(Plane(np.zeros((4, 4, 3), np.uint8), Encoding.SRGB))
    rows, table = Rows({"seed": (0, "x")}), np.zeros((1, 1, 4), np.float32)
    part = CrowdPart(mesh, Picture(outputs, {"none": plane}, {}), (None,) * 4, OPAQUE, rows, table, shaded)
    one = Instance("p", 0, "card", "", 0.0, {}, (0.0, 0.0, 0.0), 0.0, 1.0, False)
    return Crowd("card", (part,), Standing.of([one]), float32([[-1, -1, 0], [1, 1, 0]]))


def sun(*towards: float, strength: float = 0.4) -> Lighting:
    way = np.array(towards) / np.linalg.norm(towards)
    return Lighting(tuple(way.tolist()), (strength,) * 3, BLACK, BLACK, BLACK)  # type: ignore[arg-type]


def seen(renderer: CrowdRenderer, crowd: Crowd, lighting: Lighting, orbit: Orbit) -> np.ndarray:
    """Linear light, NaN beside the card."""
    pixels = renderer.render([crowd], orbit, WIDTH, HEIGHT, Light(True, smooth=False, outdoors=lighting)).pixels
    found = srgb_to_linear(float32(pixels[..., :3]) / 255)
    return np.where(pixels[..., 3:] == 255, found, np.nan)


def places(orbit: Orbit) -> np.ndarray:
    """Where each pixel's centre meets the plane of the card, (HEIGHT, WIDTH, 3)."""
    y, x = np.mgrid[:HEIGHT, :WIDTH] + 0.5
    ways = orbit.rays(float32(np.stack([x.ravel(), y.ravel()], axis=-1)), WIDTH, HEIGHT)
    eye = np.array(orbit.eye())
    return (eye - ways * (eye[2] / ways[:, 2:])).reshape(HEIGHT, WIDTH, 3)


@pytest.mark.parametrize("seed", range(6))
def test_strands_are_lit_as_the_reference_says(seed: int, crowd_renderer: CrowdRenderer) -> None:
    """At every pixel, within a level of 255: random highlights, light from either side, across and down, broken."""
    rng = np.random.default_rng(seed)
    pair = [
        Highlight(rng.uniform(-20, 20), rng.uniform(4, 30), tuple(rng.random(3)), rng.uniform(0, 1)) for _ in range(2)
    ]  # type: ignore[arg-type]
    across = bool(seed % 2)
    broken = rng.uniform(0, 20)
    shaded = Shaded(Shading.STRANDS, across, *pair, broken=broken, through=rng.random())
    colour = tuple((rng.random(3) * 0.6).tolist())
    orbit = Orbit(yaw=rng.uniform(-1, 1), pitch=rng.uniform(-0.7, 0.7), distance=5.0, size=2.0)
    lighting = sun(*rng.normal(size=2), rng.uniform(-1, 1))
    found = seen(crowd_renderer, card(shaded, colour, nodes.uv()["x"]), lighting, orbit)  # type: ignore[arg-type]
    at = places(orbit)
    inside = np.isfinite(found[..., 0]) & (np.abs(at[..., :2]) < 0.98).all(axis=-1)
    view = np.array(orbit.eye()) - at
    view /= np.linalg.norm(view, axis=-1, keepdims=True)
    count = inside.sum()
    flat = {
        "normal": np.broadcast_to((0.0, 0.0, 1.0), (count, 3)),
        "along": np.broadcast_to((1.0, 0.0, 0.0) if across else (0.0, -1.0, 0.0), (count, 3)),
        "view": view[inside],
        "light": np.broadcast_to(lighting.towards, (count, 3)),
    }
    tints = tuple(tuple(srgb_to_linear(float32(each.tint)).tolist()) for each in pair)
    shift = float32(at[inside][:, 0] / 2 + 0.5)
    base = np.broadcast_to(srgb_to_linear(linear_to_srgb(float32(colour))), (count, 3))
    wanted = 0.4 * strand_light(shaded, float32(base), tints, shift, **flat)  # type: ignore[arg-type]
    off = linear_to_srgb(float32(found[inside])) - linear_to_srgb(np.clip(float32(wanted), 0, 1))
    assert count > 2000
    assert np.abs(off).max() <= 1.2 / 255
    assert np.ptp(wanted) > 0.002


@pytest.mark.parametrize(("shift", "width"), [(-10.0, 5.0), (0.0, 8.0), (15.0, 10.0)])
def test_a_highlight_lies_where_the_formula_says(shift: float, width: float) -> None:
    """Marschner et al. 2003, the longitudinal term: brightest where the mean of both angles is the shift, so that it
    moves by twice as much as the strand's scales tilt; down to exp(-1/2) a width beside that.
    """
    shaded = Shaded(Shading.STRANDS, first=Highlight(shift, width, strength=1.0), second=Highlight(0, 5, strength=0.0))
    angles = np.radians(np.arange(-60, 60.25, 0.25))
    count = len(angles)
    along = np.broadcast_to((0.0, -1.0, 0.0), (count, 3))
    light = np.stack([np.zeros(count), -np.sin(angles), np.cos(angles)], axis=-1)
    eye = math.radians(8.0)
    view = np.broadcast_to((0.0, -math.sin(eye), math.cos(eye)), (count, 3))
    normal = light  # always faced, so that nothing else changes
    found = strand_light(
        shaded, np.zeros((count, 3), np.float32), ((1.0,) * 3, (1.0,) * 3), np.full(count, 0.5, np.float32),
        normal, along, view, light,
    )[:, 0]  # fmt: skip
    assert np.degrees(angles[found.argmax()]) == pytest.approx(2 * shift - 8.0, abs=0.25)
    beside = np.interp(math.radians(2 * (shift + width) - 8.0), angles, found)
    assert beside == pytest.approx(math.exp(-0.5), abs=2e-3)


def test_diffuse_light_of_a_strand_is_kajiya_and_kays() -> None:
    """Kajiya and Kay 1989: the sine of the angle between strand and light, nothing along the strand."""
    shaded = Shaded(Shading.STRANDS, first=Highlight(0, 5, strength=0), second=Highlight(0, 5, strength=0), through=0.0)
    angles = np.radians([0.0, 30.0, 60.0, 90.0])
    light = np.stack([np.zeros(4), -np.cos(angles), np.sin(angles)], axis=-1)
    found = strand_light(
        shaded, np.ones((4, 3), np.float32), ((1.0,) * 3, (1.0,) * 3), np.full(4, 0.5, np.float32),
        light, np.broadcast_to((0.0, -1.0, 0.0), (4, 3)), np.broadcast_to((0.0, 0.0, 1.0), (4, 3)), light,
    )[:, 1]  # fmt: skip
    assert found == pytest.approx(np.sin(angles), abs=1e-6)


def test_light_comes_through_leaves(crowd_renderer: CrowdRenderer) -> None:
    """From behind a leaf gives so much as comes through; in front the rest; in a white furnace it cannot be seen."""
    orbit = Orbit(yaw=0.0, pitch=0.0, distance=5.0, size=2.0)
    middle = HEIGHT // 2, WIDTH // 2

    def at(kind: Shading, through: float, towards: float) -> float:
        crowd = card(Shaded(kind, through=through), (0.5, 0.5, 0.5))
        return float(seen(crowd_renderer, crowd, sun(0, 0, towards, strength=0.8), orbit)[middle][0])

    assert at(Shading.SURFACE, 0.4, -1) == 0
    assert at(Shading.LEAVES, 0.4, -1) == pytest.approx(0.8 * 0.5 * 0.4, abs=0.005)
    assert at(Shading.LEAVES, 0.0, 1) == pytest.approx(at(Shading.SURFACE, 0.0, 1), abs=0.002)
    front = at(Shading.SURFACE, 0.0, 1) - at(Shading.LEAVES, 0.4, 1)
    assert front == pytest.approx(0.8 * 0.5 * 0.4 * 0.96, abs=0.005)
    for through in (0.0, 0.35, 1.0):
        found = seen(crowd_renderer, card(Shaded(Shading.LEAVES, through=through), (1.0,) * 3), constant(0.5), orbit)
        assert np.nanmax(np.abs(found / 0.5 - 1)) < 0.02
    behind = replace(constant(0.0), sun=(0.0, 0.0, 0.0), up=(0.4,) * 3, side=(0.4,) * 3, ground=(0.4,) * 3)
    assert np.nanmax(seen(crowd_renderer, card(Shaded(Shading.LEAVES), BLACK), behind, orbit)) < 0.03


def test_strands_are_kept_with_the_sheet(history: History, sheets: Sheets, tmp_path: Path) -> None:
    """What breaks them is a plane of the sheet: sampled as one, refused where it is not there, gone when it goes."""
    source = history.kit.sheets[0].sources[0].key
    use = PlaneUse(PlaneRef(PlaneKind.MAP, source), channel=1)
    shaded = Shaded(Shading.STRANDS, broken=10.0, broken_by=use)
    history.do(commands.set_shaded("sheet_1", shaded))
    assert STRAND_SHIFT in picture(history.kit.at(), sheets, Look()).outputs
    assert decode_kit(encode_kit(history.kit, tmp_path), tmp_path) == history.kit
    with pytest.raises(UserError, match="does not have"):
        history.do(
            commands.set_shaded("sheet_1", with_fields(shaded, broken_by=PlaneUse(PlaneRef(PlaneKind.MAP, "x"))))
        )
    history.do(commands.set_shaded("sheet_1", with_fields(shaded, kind=Shading.LEAVES)))
    assert STRAND_SHIFT not in picture(history.kit.at(), sheets, Look()).outputs
    history.do(commands.remove_map("sheet_1", source))
    assert history.kit.sheets[0].shaded.broken_by is None


def test_packages_tell_of_strands(history: History, sheets: Sheets, tmp_path: Path) -> None:
    """Tints in linear light times their strength, the shift as an output, the formula in README.txt."""
    use = PlaneUse(PlaneRef(PlaneKind.MAP, history.kit.sheets[0].sources[0].key), channel=1)
    second = Highlight(12.0, 20.0, (0.5, 0.5, 0.5), 2.0)
    history.do(commands.set_shaded("sheet_1", Shaded(Shading.STRANDS, True, second=second, broken=9.0, broken_by=use)))
    ship(history.kit, sheets, tmp_path / "package")
    package = json.loads((tmp_path / "package" / "package.json").read_text())
    told = package["sheets"][0]["shading"]
    assert (told["kind"], told["across"], told["broken"], told["through"]) == ("strands", True, 9.0, 0.3)
    assert told["second"]["tint"] == pytest.approx([2 * 0.214041] * 3, abs=1e-5)  # IEC 61966-2-1
    assert STRAND_SHIFT in [output["name"] for output in package["sheets"][0]["outputs"]]
    assert "exp(-((a + b) / 2" in (tmp_path / "package" / "README.txt").read_text()
    loaded = load(tmp_path / "package")
    played = [play(loaded, "", 32, 32, STRAND_SHIFT).astype(int) for play in (play_reference, play_opengl)]
    assert np.abs(played[0] - played[1]).max() <= 1
    assert np.ptp(played[0]) > 20
