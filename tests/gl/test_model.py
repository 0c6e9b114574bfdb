"""The model renderer against Embree's rays, exact sheet colours, and neutral light."""

from dataclasses import replace

import numpy as np
import pytest
import trimesh
from hypothesis import example, given
from hypothesis import strategies as st

from even_palette.core.graph import nodes, slots
from even_palette.core.mesh.model import Mesh
from even_palette.core.mesh.rays import build_scene
from even_palette.core.mesh.unwrap import unwrapped
from even_palette.core.mesh.view import Orbit
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.pictures import map_picture
from even_palette.demo.tug_mesh import tug_mesh
from even_palette.gl.context import offscreen_context
from even_palette.gl.model_view import Light, ModelRenderer, Skin
from even_palette.gl.textures import Textures
from tests.mesh.conftest import of_trimesh

SIDE = 200


@pytest.fixture(scope="module")
def renderer() -> ModelRenderer:
    context = offscreen_context()
    return ModelRenderer(context, Textures(context))


def plain(level: int) -> Plane:
    return Plane(np.full((4, 4, 3), level, dtype=np.uint8), Encoding.SRGB)


def skin_of(mesh: Mesh, level: int = 180) -> Skin:
    shown = map_picture(plain(level))
    return Skin(mesh, shown)


@pytest.mark.parametrize("yaw", [0.3, 2.0, 4.4])
def test_faces_are_those_that_rays_hit(renderer: ModelRenderer, yaw: float) -> None:
    """The face of each pixel's centre against the first hit of a ray from the eye (Embree), on the demo's tug."""
    mesh, _ = tug_mesh()
    orbit = replace(Orbit(), yaw=yaw).framed(mesh.points, 1.0)
    seen = renderer.faces([skin_of(mesh)], orbit, SIDE, SIDE)
    right, up, ahead = orbit.axes()
    half = np.tan(np.radians(32.0) / 2)
    steps = (np.arange(SIDE) + 0.5) / SIDE * 2 - 1
    ways = ahead + half * (steps[None, :, None] * right - steps[:, None, None] * up)
    origins = np.broadcast_to(np.float32(orbit.eye()), (SIDE * SIDE, 3))
    hit, _ = build_scene(mesh).first_hit(np.float32(origins), np.float32(ways.reshape(-1, 3)), 1e9)
    same = hit.reshape(SIDE, SIDE) == seen
    assert same.mean() > 0.995  # edges of faces fall to one or the other side
    assert (seen >= 0).mean() > 0.15


@pytest.mark.parametrize("level", [0, 1, 37, 128, 200, 255])
def test_flat_is_exact_and_lit_is_neutral(renderer: ModelRenderer, level: int) -> None:
    """Flat shows the sheet's level at every pixel; lit grey paint stays grey (R = G = B), as the studio is neutral."""
    mesh = unwrapped(of_trimesh(trimesh.creation.icosphere(3)))
    orbit = Orbit().framed(mesh.points, 1.0)
    skin = skin_of(mesh, level)
    inside = renderer.faces([skin], orbit, SIDE, SIDE) >= 0
    flat = renderer.render([skin], orbit, SIDE, SIDE, Light(smooth=False)).pixels
    assert (flat[inside][:, :3] == level).all()
    assert (flat[~inside][:, 3] == 0).all()
    lit = renderer.render([skin], orbit, SIDE, SIDE, Light(lit=True, smooth=False)).pixels[inside]
    assert (np.ptp(lit[:, :3].astype(int), axis=1) == 0).all()
    data = renderer.render([replace(skin, data=True)], orbit, SIDE, SIDE, Light(lit=True, smooth=False)).pixels
    assert np.array_equal(data, flat)


def test_light_comes_from_where_it_is_said(renderer: ModelRenderer) -> None:
    """The side of a ball that faces the light is the brighter one, from both sides."""
    mesh = unwrapped(of_trimesh(trimesh.creation.icosphere(4)))
    orbit = replace(Orbit(), yaw=0.0, pitch=0.0).framed(mesh.points, 1.0)
    for side in (-1, 1):
        lit = renderer.render([skin_of(mesh)], orbit, SIDE, SIDE, Light(True, (0.9 * side, 0.1, 0.42))).pixels
        left, right = lit[:, : SIDE // 2, 0].astype(int).sum(), lit[:, SIDE // 2 :, 0].astype(int).sum()
        assert (right > left) == (side > 0)


def test_normal_map_bends_the_light(renderer: ModelRenderer) -> None:
    """A flat normal map changes nothing; a leaning one does."""
    mesh = unwrapped(of_trimesh(trimesh.creation.icosphere(3)))
    orbit = Orbit().framed(mesh.points, 1.0)
    bare = skin_of(mesh)
    shots = []
    for colour in (None, (128, 128, 255), (220, 128, 200)):
        normal = slots.of(Plane(np.full((4, 4, 3), colour, dtype=np.uint8), Encoding.DATA)) if colour else None
        skin = replace(bare, relief=(normal, None, None, None))
        shots.append(renderer.render([skin], orbit, SIDE, SIDE, Light(lit=True)).pixels.astype(int))
    assert np.abs(shots[0] - shots[1]).max() <= 3
    assert np.abs(shots[0] - shots[2]).max() > 20


def test_normals_of_the_material_bend_the_light_as_a_map_does(renderer: ModelRenderer) -> None:
    """The same plane as the sheet's map and as the output that coats set: one picture; and it wins over a map."""
    mesh = unwrapped(of_trimesh(trimesh.creation.icosphere(3)))
    orbit = Orbit().framed(mesh.points, 1.0)
    tilt = np.random.default_rng(2).normal(0, 0.25, (16, 16, 2))
    normal = np.concatenate([tilt, np.ones((16, 16, 1))], axis=-1)
    normal = normal / np.linalg.norm(normal, axis=-1, keepdims=True) * 0.5 + 0.5
    plane = Plane(np.uint8(normal * 255 + 0.5), Encoding.DATA)
    bare = skin_of(mesh)
    with_map = replace(bare, relief=(slots.of(plane), None, None, None))
    own = replace(
        bare.picture,
        outputs={**bare.picture.outputs, "normal": nodes.texture("bumps", nodes.uv())["xyz"]},
        slots={**bare.picture.slots, "bumps": slots.of(plane)},
    )
    flat_map = Plane(np.full((4, 4, 3), (128, 128, 255), np.uint8), Encoding.DATA)
    light = Light(lit=True, smooth=False)
    seen = [
        renderer.render([skin], orbit, SIDE, SIDE, light).pixels.astype(int)
        for skin in (bare, with_map, replace(bare, picture=own),
                     replace(bare, picture=own, relief=(slots.of(flat_map), None, None, None)))
    ]  # fmt: skip
    assert np.abs(seen[1] - seen[0]).max() > 20
    assert np.abs(seen[2] - seen[1]).max() <= 1
    assert np.array_equal(seen[3], seen[2])


@given(st.integers(0, 1000), st.floats(0.4, 3), st.floats(-3, 3), st.floats(-1.4, 1.4))
@example(415, 1.0, 0.0, 0.0)
def test_framing_holds_all_points(seed: int, aspect: float, yaw: float, pitch: float) -> None:
    """Every point lies inside the view, and the outermost near its edge."""
    rng = np.random.default_rng(seed)
    points = (rng.normal(size=(30, 3)) * rng.random(3) * 5 + rng.normal(size=3) * 20).astype(np.float32)
    orbit = replace(Orbit(), yaw=yaw, pitch=pitch).framed(points, aspect)
    pixels, depth = orbit.to_pixels(points, round(400 * aspect), 400)
    share = pixels / (round(400 * aspect), 400)
    assert np.isfinite(depth).all()
    assert ((share >= 0) & (share <= 1)).all()
    assert max(share.max(), 1 - share.min()) > 0.8
