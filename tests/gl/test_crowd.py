"""Crowds: every instance looks as it does alone, whatever stands beside it; one drawing a mesh and sheet; picking."""

from dataclasses import replace as with_dataclass

import numpy as np
import pytest
from msgspec.structs import replace as with_fields
from scipy.ndimage import binary_erosion

from even_palette.core.arrays import float32
from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.graph import nodes, slots
from even_palette.core.graph.binding import Rows
from even_palette.core.graph.types import Type
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.instances import Instance, instances_of
from even_palette.core.kit.model import Kit
from even_palette.core.kit.scene import Placing
from even_palette.core.kit.store import read_kit
from even_palette.core.material.colour_nodes import encode
from even_palette.core.material.drawn import Drawing, Way
from even_palette.core.material.model import Repeat, Track, TrackKey
from even_palette.core.material.outputs import ALPHA
from even_palette.core.material.tracks import value_at
from even_palette.core.mesh.model import build_mesh
from even_palette.core.mesh.view import Orbit
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.crowd import Crowd, CrowdPart, Standing, crowds_of
from even_palette.core.results.pictures import SHOWN, Picture
from even_palette.core.results.sheets import Sheets
from even_palette.demo import KIT_FOLDER
from even_palette.gl.context import offscreen_context
from even_palette.gl.crowd_view import CrowdRenderer, seen_in
from even_palette.gl.model_view import Light
from even_palette.gl.textures import Textures

SHARES = {"": 0.2, "morning_ferry": 0.3, "night_post": 0.5}
WIDTH, HEIGHT = 500, 341


@pytest.fixture(scope="module")
def demo() -> Kit:
    return read_kit(KIT_FOLDER)


@pytest.fixture(scope="module")
def store() -> Sheets:
    return Sheets()


def scene_of(kit: Kit, *placings: Placing) -> Kit:
    history = History(kit)
    history.do(commands.add_scene("Landing"))
    for placing in placings:
        history.do(commands.add_placing("landing", placing))
    return history.kit


def framed(crowds: list[Crowd], pitch: float = 0.38) -> Orbit:
    points = np.concatenate([crowd.corners().reshape(-1, 3) for crowd in crowds])
    return Orbit(pitch=pitch).framed(points, WIDTH / HEIGHT)


def drawn(crowd_renderer: CrowdRenderer, crowds: list[Crowd], orbit: Orbit, lit: bool = False) -> np.ndarray:
    return crowd_renderer.render(crowds, orbit, WIDTH, HEIGHT, Light(lit, smooth=False)).pixels.astype(int)


def alone(kit: Kit, store: Sheets, instance: Instance) -> list[Crowd]:
    """A crowd of one instance, made through a list of its own."""
    only = with_fields(kit.scene("landing").placing(instance.placing), own={})
    numbers = {str(number): with_fields(commands.instances.NOTHING, gone=True) for number in range(2000)}
    numbers.pop(str(instance.number))
    kept = with_fields(only, own=numbers)
    scene = with_fields(kit.scene("landing"), placings=(kept,))
    return crowds_of(kit, store, scene)


@pytest.mark.parametrize("mesh", ["oar_and_crate_2", "wharf_tree_2", "reed_clump_2"])
def test_each_instance_is_as_it_is_alone(mesh: str, demo: Kit, store: Sheets, crowd_renderer: CrowdRenderer) -> None:
    """Flat colours, pixel by pixel, in a mix of variants with own seeds, turned and scaled; one drawing a sheet or twin."""
    values = {"columns": 6.0, "apart": 3.5, "behind": 3.5, "turn_range": 180.0, "smallest": 0.6, "largest": 1.4}
    kit = scene_of(demo, Placing("", "Grid", "grid", mesh, 18, shares=SHARES, values=values))
    crowds = crowds_of(kit, store, kit.scene("landing"))
    orbit = framed(crowds)
    picture = drawn(crowd_renderer, crowds, orbit)
    assert crowd_renderer.drawings == len(crowds[0].parts) == len(kit.at(kit.mesh(mesh).sheet).sheet.twins) + 1
    ids = crowd_renderer.instances(crowds, orbit, WIDTH, HEIGHT)
    shown = instances_of(kit.scene("landing"))
    assert set(np.unique(ids)) == set(range(-1, 18))
    colours = set()
    for number in (0, 7, 11, 17):
        only = drawn(crowd_renderer, alone(kit, store, shown[number]), orbit)
        here = ids == number
        assert here.sum() > 50
        assert np.abs(picture[here] - only[here]).max() <= 1
        colours.add(tuple(picture[here][..., :3].mean(axis=0).round(1)))
    assert len(colours) == 4
    inside = binary_erosion(picture[..., 3] == 255)
    assert (ids[inside] >= 0).mean() > 0.99


def test_as_the_model_pane_has_it(demo: Kit, store: Sheets, crowd_renderer: CrowdRenderer) -> None:
    """One instance at the origin against the crowd_renderer of one mesh: flat and lit, within rounding."""
    from even_palette.core.results.looks import Look, picture
    from even_palette.gl.model_view import ModelRenderer, Skin

    kit = scene_of(demo, Placing("", "One", "row", "oar_and_crate_2", 1, shares={"night_post": 1.0}))
    crowds = crowds_of(kit, store, kit.scene("landing"))
    orbit = framed(crowds)
    seed = instances_of(kit.scene("landing"))[0].seed
    part = crowds[0].parts[0]
    from dataclasses import replace

    shown = replace(picture(kit.at("oar_and_crate"), store, Look(variant="night_post")), seed=seed)
    context = offscreen_context()
    models = ModelRenderer(context, Textures(context))
    for lit in (False, True):
        skin = Skin(part.mesh, shown, part.relief, False, part.drawing)  # type: ignore[arg-type]
        one = models.render([skin], orbit, WIDTH, HEIGHT, Light(lit, smooth=False)).pixels.astype(int)
        many = drawn(crowd_renderer, crowds, orbit, lit)
        assert (one[..., 3] == many[..., 3]).mean() > 0.9999
        both = (one[..., 3] == 255) & (many[..., 3] == 255)
        assert both.sum() > 5000
        assert np.abs(one[both] - many[both]).max() <= 1
    models.release()


def test_many_are_one_drawing(demo: Kit, store: Sheets, crowd_renderer: CrowdRenderer) -> None:
    """500 and 9,000 instances: one drawing a mesh and sheet, two where rows need two textures; only changed rows go over."""
    for count, goes in ((500, 1), (9000, 2)):
        values = {"columns": 100.0, "apart": 2.0, "behind": 2.0}
        kit = scene_of(demo, Placing("", "Many", "grid", "oar_and_crate_2", count, shares=SHARES, values=values))
        crowds = crowds_of(kit, store, kit.scene("landing"))
        orbit = framed(crowds)
        drawn(crowd_renderer, crowds, orbit)
        assert (crowd_renderer.drawings, crowd_renderer.rows_taken) == (goes, count)
        drawn(crowd_renderer, crowds_of(kit, store, kit.scene("landing")), orbit)
        assert crowd_renderer.rows_taken == 0
        changed = commands.set_instances("landing", [("many", 41), ("many", 44)], {"seed": 0.5}).apply(kit)
        drawn(crowd_renderer, crowds_of(changed, store, changed.scene("landing")), orbit)
        assert crowd_renderer.rows_taken == 4


def test_what_is_out_of_sight_is_left_out(demo: Kit, store: Sheets, crowd_renderer: CrowdRenderer) -> None:
    """Close up, most are culled and no pixel changes; own values of an instance are its own alone."""
    parameter = next(p for p in demo.parameters if p.name == "boards_colour")
    kit = scene_of(demo, Placing("", "Row", "row", "oar_and_crate_2", 60, values={"apart": 2.5}))
    kit = commands.set_instances("landing", [("row", 30)], {"values": {parameter.key: (1.0, 0.0, 1.0)}}).apply(kit)
    crowds = crowds_of(kit, store, kit.scene("landing"))
    orbit = Orbit(target=(0.0, 0.5, 0.0), distance=6.0, size=3.0)
    shown = seen_in(crowds[0], orbit, WIDTH / HEIGHT)
    assert 2 <= shown.sum() < 30
    picture, ids = drawn(crowd_renderer, crowds, orbit), crowd_renderer.instances(crowds, orbit, WIDTH, HEIGHT)
    whole = [Crowd(c.mesh, c.parts, c.standing, np.float32([[-1e4] * 3, [1e4] * 3])) for c in crowds]
    assert seen_in(whole[0], orbit, WIDTH / HEIGHT).all()
    assert np.array_equal(drawn(crowd_renderer, whole, orbit), picture)
    plain = crowds_of(
        scene_of(demo, kit.scene("landing").placings[0]),
        store,
        scene_of(demo, with_fields(kit.scene("landing").placings[0], own={})).scene("landing"),
    )
    differs = (drawn(crowd_renderer, plain, orbit) != picture).any(axis=-1)
    assert differs.sum() > 100
    assert set(np.unique(ids[differs])) == {30}


def test_an_instance_over_time_is_one_with_that_value(demo: Kit, store: Sheets, crowd_renderer: CrowdRenderer) -> None:
    """A track of one instance, halfway: the same picture as with the value that the resolver gives; others stay."""
    placing = Placing("", "Row", "row", "ferry_tug", 3, values={"apart": 7.0})
    history = History(scene_of(demo, placing))
    track = Track((TrackKey(0.0, (0.1, 0.2, 0.9)), TrackKey(2.0, (0.9, 0.7, 0.1))), Repeat.LOOP)
    history.do(commands.set_track_in_instances("landing", [("row", 1)], "hull_colour", track))
    moved = history.kit
    still = value_at(track, moved.parameter("hull_colour"), 0.7)
    history.undo()
    history.do(commands.set_in_instances("landing", [("row", 1)], "hull_colour", still))
    orbit = framed(crowds_of(moved, store, moved.scene("landing")))
    first, second, third = (
        drawn(crowd_renderer, crowds_of(kit, store, kit.scene("landing"), time), orbit)
        for kit, time in ((moved, 0.7), (history.kit, 0.7), (moved, 2.7))
    )
    assert np.abs(first - second).max() <= 1
    assert np.abs(first - third).max() <= 1
    begun = drawn(crowd_renderer, crowds_of(moved, store, moved.scene("landing"), 0.0), orbit)
    there = np.abs(begun - first).max(axis=2) > 8
    assert there.any()
    columns = np.flatnonzero(there.any(axis=0))
    assert columns.min() > WIDTH * 0.25
    assert columns.max() < WIDTH * 0.75


def pane_of_glass(alpha: float, red: float, at: float) -> CrowdPart:
    """A square of two metres that faces +z, blended; its colour and alpha come by rows for each instance."""
    faces = np.array([[0, 1, 2], [0, 2, 3]])
    uv = float32([[0, 1], [1, 1], [1, 0], [0, 0]])
    mesh = build_mesh(float32([[-1, -1, at], [1, -1, at], [1, 1, at], [-1, 1, at]]), faces, (uv[faces],))
    rows = Rows({"seed": (0, "x"), "tone": (1, "xyz"), "clear": (2, "x")})
    outputs = {SHOWN: encode(nodes.parameter("tone", Type.VEC3)), ALPHA: nodes.parameter("clear", Type.FLOAT)}
    plane = slots.of(Plane(np.zeros((4, 4, 3), np.uint8), Encoding.SRGB))
    table = np.zeros((1, 3, 4), np.float32)
    table[0, 1, :3], table[0, 2, 0] = (red, 0.2, 0.1), alpha
    return CrowdPart(mesh, Picture(outputs, {"none": plane}, {}), (None,) * 4, Drawing(Way.BLENDED), rows, table)


@pytest.mark.parametrize("seed", range(4))
def test_blended_cards_of_crowds_are_in_order(seed: int, crowd_renderer: CrowdRenderer) -> None:
    """Porter and Duff's over in linear light, whatever order instances stand in: six cards at random depths, seen from
    either side, within 2 of 255 of the sum by hand.
    """
    rng = np.random.default_rng(seed)
    count = 6
    parts = [pane_of_glass(float(a), float(r), 0.0) for a, r in rng.uniform(0.2, 0.9, (count, 2))]
    depths = rng.permutation(np.linspace(-3, 3, count))
    part = with_dataclass(parts[0], table=np.concatenate([each.table for each in parts]))
    instances = [
        Instance("p", number, "card", "", 0.0, {}, (0.0, 0.0, float(z)), 0.0, 1.0, False)
        for number, z in enumerate(depths)
    ]
    crowd = Crowd("card", (part,), Standing.of(instances), float32([[-1, -1, 0], [1, 1, 0]]))
    back = seed % 2
    orbit = Orbit(yaw=np.pi * back, pitch=0.0, distance=14.0, size=8.0)
    pixels = crowd_renderer.render([crowd], orbit, 61, 61, Light(False)).pixels[30, 30].astype(float)
    sum_, left = np.zeros(3), 1.0
    for number in sorted(range(count), key=lambda n: depths[n] * (1 if back else -1)):
        alpha, colour = float(part.table[number, 2, 0]), part.table[number, 1, :3]
        sum_, left = sum_ + left * alpha * colour, left * (1 - alpha)
    wanted = linear_to_srgb(float32(sum_ / (1 - left))) * 255
    assert pixels[3] == pytest.approx((1 - left) * 255, abs=2)
    assert pixels[:3] == pytest.approx(wanted, abs=2)
    again = Crowd(
        "card", (with_dataclass(part, table=part.table[::-1].copy()),), Standing.of(instances[::-1]), crowd.box
    )
    other = crowd_renderer.render([again], orbit, 61, 61, Light(False)).pixels
    assert np.abs(other[30, 30].astype(float) - pixels).max() <= 1
