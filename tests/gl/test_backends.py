"""Every back end against the NumPy reference: GLSL on the driver that is here."""

import ctypes
import pickle
import shutil
import subprocess
from dataclasses import replace
from functools import reduce
from itertools import product
from pathlib import Path

import msgspec
import numpy as np
import pytest
from hypothesis import Phase, assume, given, settings
from hypothesis import strategies as st
from msgspec.structs import replace as replace_
from skimage.transform import resize_local_mean

from even_palette.core.arrays import float32
from even_palette.core.errors import UserError
from even_palette.core.graph import frames, nodes, slots
from even_palette.core.graph.bounds import Bounds
from even_palette.core.graph.fused import Frame, run_fused
from even_palette.core.graph.languages.glsl import number
from even_palette.core.graph.nodes import Node
from even_palette.core.graph.operations import INPUTS, TABLE
from even_palette.core.graph.program import LOOK_UPS, NodeRecord, Program, check_program, program_of
from even_palette.core.graph.reference import Environment, evaluate, run
from even_palette.core.graph.slots import MOST_UNITS
from even_palette.core.graph.types import Type
from even_palette.core.graph.uniform_work import MOST_VECTORS, setup_of
from even_palette.core.graph.walks import in_order
from even_palette.core.graph.write import write
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import Overcoats
from even_palette.core.kit.history import History
from even_palette.core.kit.model import Kit
from even_palette.core.kit.sheet import Tone
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import Reads
from even_palette.core.material.model import Blending, Coat, PlaneKind, PlaneRef, PlaneUse, ValueKind
from even_palette.core.material.plane_numbers import numbers_of
from even_palette.core.material.variants import MASTER, resolve
from even_palette.core.memory_account import Account
from even_palette.core.mesh.model import build_mesh
from even_palette.core.mesh.view import Orbit
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import Filter, Sampler, Wrap, pixel_numbers, sample, texel_centres
from even_palette.core.raster.tiles import TiledPlane, grid_of
from even_palette.core.regions.weights import Resolve
from even_palette.core.results.base_colour import base_colour_of
from even_palette.core.results.looks import LOOKS, Look, picture
from even_palette.core.results.materials import material_of, packing_plan
from even_palette.core.results.pictures import SHOWN, Picture, View, render_reference, whole_sheet
from even_palette.core.results.rendering import SheetRender
from even_palette.core.results.sheets import Sheets
from even_palette.core.ship.write import ship
from even_palette.core.tones.palette import new_palette
from even_palette.core.tones.ramp import Ramp, RampRow, Stop
from even_palette.gl import raw
from even_palette.gl.context import driver_function, offscreen_context
from even_palette.gl.model_view import Light, ModelRenderer, Skin
from even_palette.gl.sheet_view import SheetRenderer
from even_palette.gl.textures import Textures
from even_palette.player.load import load
from even_palette.player.opengl import play_opengl
from even_palette.player.reference import play_reference
from tests.conftest import kit_of, source, write_maps

SIDE = 24
RNG = np.random.default_rng(21)
PAINT = Plane(RNG.random((SIDE, SIDE, 4)).astype(np.float32), Encoding.LINEAR)
CELLS = tuple(
    Plane(np.random.default_rng(number).random((9, 7, 4)).astype(np.float32), Encoding.LINEAR) for number in range(4)
)
STRIP = Plane(RNG.random((3, 9, 4)).astype(np.float32), Encoding.LINEAR)
STRIP_SIZE = STRIP.width, STRIP.height
VIEW = whole_sheet(SIDE, SIDE)


def difference(renderer: SheetRenderer, shown: Picture, view: View = VIEW, filtered: bool = True) -> int:
    drawn = renderer.render(shown, view, filtered)[..., :3].astype(int)
    return int(np.abs(drawn - render_reference(shown, view, filtered)).max())


ROUNDING = 0.5 / 255
"""How far a stored level or a mix of two texels may be off in drivers, which keep both in 8 bits (common practice)."""


def sampler_step(record: Node, look: Picture) -> float:
    """How far a look-up between texels may be off: by its mixes along both axes, and where it has levels by their
    stored texels and by their mix."""
    return ROUNDING * (4 if look.slots[str(record.payload[0])].sampler.mips else 2)


def between_texels(record: Node, look: Picture, view: View) -> bool:
    """Whether a look-up weighs texels or levels, as all but those of planes of the view's size at its pixels do."""
    plane = look.slots[str(record.payload[0])].plane
    return record.args[0].op != "uv" or (plane.width, plane.height) != (view.width, view.height)


def with_steps(output: Node, steps: dict[Node, float]) -> Node:
    """The expression with a step added to what each of some look-ups gives."""
    made: dict[Node, Node] = {}

    def of(node: Node) -> Node:
        if node not in made:
            again = nodes.make(node.op, node.type, tuple(of(arg) for arg in node.args), node.payload)
            made[node] = again + steps[node] if steps.get(node) else again
        return made[node]

    return of(output)


def look_ups_of(output: Node) -> list[Node]:
    """All look-ups that an expression reads, each once."""
    found: dict[Node, None] = {}
    waiting, seen = [output], {output}
    while waiting:
        node = waiting.pop()
        if node.op in LOOK_UPS:
            found[node] = None
        waiting += [arg for arg in node.args if arg not in seen]
        seen.update(node.args)
    return list(found)


def reach_of_samplers(output: Node, look: Picture, view: View) -> np.ndarray:
    """How far an expression of a look (H, W, n) may be off where each look-up between texels is off by a sampler's step."""
    between = [node for node in look_ups_of(output) if between_texels(node, look, view)]
    pixel = (view.scale[0], 0.0, 0.0, view.scale[1])
    screen = pixel_numbers(view.width, view.height)
    environment = Environment(view.uv(), look.slots, look.inputs, look.seed, look.time, pixel, screen)
    exact = evaluate(output, environment)

    def off(steps: dict[Node, float]) -> np.ndarray:
        return np.abs(evaluate(with_steps(output, steps), environment) - exact)

    if not between:
        return np.zeros_like(exact)
    steps = np.array([sampler_step(node, look) for node in between])
    alone = [np.maximum(off({node: step}), off({node: -step})) for node, step in zip(between, steps, strict=True)]
    signs = np.random.default_rng(0).choice([-1, 1], (4, len(between)))
    together = [off(dict(zip(between, row * steps, strict=True))) for row in signs]
    return np.maximum(np.sum(alone, axis=0), np.max(together, axis=0))


def assert_drawn(renderer: SheetRenderer, look: Picture, view: View) -> None:
    """Within 1/255 at every texel; where planes lie between texels, 98 of 100 are, and none is further off than
    the steps of samplers, carried through the material, can take it."""
    apart = np.abs(renderer.render(look, view, True)[..., :3].astype(int) - render_reference(look, view, True))
    if apart.max() > 1:
        assert (apart <= 1 + 255 * reach_of_samplers(look.outputs[SHOWN], look, view)).all()
        assert np.mean(apart > 1) < 0.02


def shown(output: Node, **inputs: float | tuple[float, ...]) -> Picture:
    colour = nodes.join(output, output, output) if output.type == Type.FLOAT else output
    colour = nodes.join(colour, 0.5) if colour.type == Type.VEC2 else colour
    colour = colour["xyz"] if colour.type == Type.VEC4 else colour
    cells = slots.layers(CELLS, Sampler(wrap=Wrap.REPEAT))
    return Picture(
        {SHOWN: colour}, {SLOT: slots.of(PAINT), "strip": slots.of(STRIP), "cells": cells}, inputs, 0.37, 2.6
    )


SLOT = "picture"
paint = nodes.texture(SLOT, nodes.uv())
x, y, z, w = nodes.channels(paint)
LEVEL = nodes.floor(nodes.uv()["y"] * 6) * 0.87
"""Levels between whole ones, the same over rows of pixels, as samplers choose one for four pixels."""
ZERO = x - x
"""0 that is not known before it is drawn."""
CASES = {
    "add": x + y * 0.2, "subtract": x - y, "multiply": paint["xyz"] * y, "divide": x / (y + 0.5), "by zero": x / (y * 0),
    "minimum": nodes.minimum(x, y), "maximum": nodes.maximum(paint["xyz"], 0.5), "clamp": nodes.clamp(x * 3 - 1, 0.2, y),
    "mix": nodes.mix(paint["xyz"], paint["zyx"], w), "step": nodes.step(0.5, x), "smoothstep": nodes.smoothstep(0.2, 0.7, x),
    "smoothstep, equal edges": nodes.smoothstep(0.5, 0.5, x), "abs": nodes.absolute(x - 0.5), "sqrt": nodes.sqrt(x - 0.2),
    "pow": nodes.power(x - 0.1, y + 0.3), "pow 0": nodes.power(ZERO, y), "pow 0 of less than 0": nodes.power(ZERO, y - 2) + y,
    "pow 0 of 0": nodes.power(ZERO, y - y) * 0.5, "pow of less than 0": nodes.power(-x, y - y) * 0.5, "floor": nodes.floor(x * 4) / 4,
    "fract": nodes.fract(x * 3 + 0.05), "sin": nodes.sin(x * 9) * 0.5 + 0.5, "cos": nodes.cos(x * 9) * 0.5 + 0.5,
    "atan2": nodes.atan2(y - 0.5, x - 0.5) * 0.15 + 0.5, "atan2 at 0": nodes.atan2(ZERO, y - y) + 0.5,
    "atan2 at 0, below 0": nodes.atan2(ZERO, (y - y) * -1) + 0.5, "atan2 at -0, left": nodes.atan2(ZERO * -1, -y - 1) * 0.3,
    "atan2 at 0, left": nodes.atan2(ZERO, -y - 1) * 0.3, "atan2 at -0, right": nodes.atan2(ZERO * -1, y + 1) + 0.5,
    "length": nodes.length(paint["xyz"]) * 0.5, "dot": nodes.dot(paint["xyz"], paint["yzx"]) * 0.3,
    "matrix": nodes.matrix(((0.5, 0.2, 0.1), (0, 1, 0), (0.3, -0.2, 0.6)), paint["xyz"]),
    "select": nodes.select(nodes.step(0.4, x), paint["xyz"], paint["zxy"]), "swizzle": paint["wzyx"],
    "join": nodes.join(x, paint["yz"], 0.3), "strip": nodes.strip("strip", STRIP_SIZE, x, nodes.floor(y * 3)),
    "log2": nodes.log2(x + 0.01) * -0.1, "log2 of 0": nodes.log2(x * 0) * -0.01,
    "sample_lod": nodes.texture_lod(SLOT, nodes.uv() * 1.3, LEVEL), "beyond": nodes.texture_lod(SLOT, nodes.uv(), x * 0 + 40),
    "below": nodes.texture_lod(SLOT, nodes.uv(), x * 0 - 2), "pixel": nodes.pixel() * 9, "screen": nodes.fract(nodes.screen() * 0.37),
    "layer_lod": nodes.layer_lod("cells", nodes.uv() * 3, nodes.floor(x * 4.9), LEVEL),
    "equal": nodes.equal(nodes.floor(paint["xyz"] * 4), 1), "equal, one": nodes.equal(nodes.floor(x * 4), 1),
    "parameter": nodes.parameter("tint", Type.VEC3) * x, "uv": nodes.uv(), "seed": nodes.seed(), "time": nodes.fract(nodes.time() * x), "negative": -x + 1, "reversed": 1 - x + 2 / (y + 3),
}  # fmt: skip


@pytest.mark.parametrize("case", list(CASES))
def test_each_operation(renderer: SheetRenderer, case: str) -> None:
    """Each row of the table of operations, and the cases that GLSL leaves open."""
    assert difference(renderer, shown(CASES[case], tint=(0.3, 0.9, 0.5))) <= 1


def test_the_fused_loop_has_each_operation() -> None:
    """All cases in one compiled loop, at every pixel, against the reference; also minified, by the mips."""
    inputs = {"tint": (0.3, 0.9, 0.5)}
    looks = {f"case_{number}": shown(case, **inputs) for number, case in enumerate(CASES.values())}
    program = program_of({name: look.outputs[SHOWN] for name, look in looks.items()})
    held = looks["case_0"].slots
    pixel = (1 / SIDE, 0.0, 0.0, 1 / SIDE)
    screen = pixel_numbers(SIDE, SIDE)
    want = run(program, Environment(VIEW.uv(), held, inputs, 0.37, 2.6, pixel, screen))
    got = run_fused(program, held, inputs, Frame(SIDE, SIDE), seed=0.37, time=2.6)
    for (name, values), case in zip(want.items(), CASES, strict=True):
        assert np.allclose(got[name].reshape(values.shape), values, rtol=1e-6, atol=1e-4, equal_nan=True), case
    one = program_of({"seen": paint["xyz"]})
    small = run_fused(one, held, {}, Frame(SIDE // 4, SIDE // 4))["seen"]
    blocks = PAINT.samples[..., :3].reshape(SIDE // 4, 4, SIDE // 4, 4, 3).mean(axis=(1, 3))
    assert np.allclose(small, blocks, rtol=1e-6, atol=1e-5)


def test_sums_under_weights_are_those_of_the_reference() -> None:
    """Products that are skipped where a weight is 0: added in one chain, by one weight twice, to themselves, and used
    elsewhere too; planes of weights of constant and mixed tiles, of an odd size."""
    levels = np.random.default_rng(3).integers(0, 256, (300, 517, 4)).astype(np.uint8)
    levels[np.random.default_rng(4).random(levels.shape) < 0.6] = 0
    levels[:256, :256] = (0, 255, 0, 7)
    exact = Sampler(Filter.NEAREST, mips=False)
    held = {
        "under": slots.of(Plane(levels[::-1, ::-1].copy(), Encoding.SRGB), exact),
        "weights": slots.layers([TiledPlane(grid_of(levels))], exact, shares=True),
    }
    colour, weight = nodes.texture("under", nodes.uv())["xyz"], nodes.layer("weights", 0, nodes.uv())

    def coat(number: int) -> Node:
        return nodes.clamp(nodes.power(colour * 0.8 + 0.2, 0.5 + number * 0.3) * 1.3 - 0.1 * number)

    parts = [coat(number) * weight["xyzw"[number % 3]] for number in range(6)]
    twice = coat(7) * weight["w"]
    outputs = {
        "chain": nodes.total([colour * 0.2, *parts]),
        "itself": colour + (parts[0] + parts[0]),
        "elsewhere": nodes.total([colour, twice]) * twice,
        "alone": coat(8) * weight["w"],
        "one_way": nodes.total([colour * 0.5, coat(9) * weight["x"], coat(10) * weight["y"]]),
        "inside_out": coat(13) * weight["x"] + (coat(14) * weight["x"] + (coat(15) * weight["x"] + colour * 0.3)),
        "other_way": nodes.total([colour * 0.4, coat(11) * weight["y"], coat(12) * weight["x"]]),
    }
    program = program_of(outputs)
    frame = Frame(517, 300)
    around = Environment(texel_centres(300, 517), held, {}, pixel=(1 / 517, 0.0, 0.0, 1 / 300))
    want, got = run(program, around), run_fused(program, held, {}, frame)
    for name in outputs:
        assert np.allclose(got[name], want[name], rtol=1e-6, atol=5e-6), name


def test_the_cases_use_the_whole_table() -> None:
    used = {node.op for case in CASES.values() for node in in_order([case])}
    assert used >= {*TABLE, *INPUTS, *LOOK_UPS, "constant", "parameter", "join"} - {"layer"}


def grow(picks: list[tuple[int, int, int]]) -> Node:
    """A random expression of continuous operations, kept in 0..1 so that rounding is not magnified without end."""
    half = nodes.constant(0.5)
    makers = [
        lambda a, b: nodes.clamp(a + b * 0.5), lambda a, b: nodes.clamp(a - b), lambda a, b: a * b,
        lambda a, b: nodes.clamp(a / (b + half)), nodes.minimum, nodes.maximum, lambda a, b: nodes.mix(a, b, x),
        lambda a, b: nodes.smoothstep(0.1, 0.9, a), lambda a, b: nodes.absolute(a - b), lambda a, b: nodes.sqrt(a + 0.05),
        lambda a, b: nodes.power(a + 0.1, b + 0.5) * 0.8, lambda a, b: nodes.sin(a * 4) * 0.5 + half,
        lambda a, b: nodes.cos(b * 4) * 0.5 + half, lambda a, b: nodes.atan2(a + 0.1, b + 0.1) * 0.6,
        lambda a, b: nodes.length(nodes.join(a, b)) * 0.7, lambda a, b: nodes.dot(nodes.join(a, b, half), paint["xyz"]) * 0.4,
        lambda a, b: nodes.strip("strip", STRIP_SIZE, a, 1.0)["x"],
        lambda a, b: nodes.clamp(nodes.matrix(((0.5, 0.2, 0.1), (0, 1, 0), (0.3, 0, 0.6)), nodes.join(a, b, half))["y"]),
    ]  # fmt: skip
    pool = [x, y, z, w, nodes.parameter("p", Type.FLOAT), nodes.uv()["x"], nodes.seed(), nodes.fract(nodes.time() + y)]
    for maker, a, b in picks:
        pool.append(makers[maker % len(makers)](pool[a % len(pool)], pool[b % len(pool)]))
    return nodes.join(pool[-1], pool[-2], pool[-3])


def test_a_strip_at_a_parameter_that_costs_much(renderer: SheetRenderer) -> None:
    """The position is the same at every texel and worked out before drawing; the look-up itself is not."""
    position = nodes.clamp(nodes.sin(nodes.parameter("p", Type.FLOAT) * 4) * 0.5 + 0.5)
    found = nodes.strip("strip", STRIP_SIZE, position, 1.0)["x"]
    graph = shown(nodes.join(found, nodes.clamp(nodes.power(found + 0.1, 2.0)), x), p=0.3)
    assert difference(renderer, graph) <= 1


@settings(max_examples=60)
@given(st.lists(st.tuples(*[st.integers(0, 10**6)] * 3), min_size=3, max_size=14), st.floats(0, 1))
def test_random_graphs(renderer: SheetRenderer, picks: list[tuple[int, int, int]], p: float) -> None:
    """Random graphs on a random image: at most 1/255 a channel. Graphs that magnify rounding itself are passed over."""
    graph = shown(grow(picks), p=p)
    nudged = Plane(PAINT.samples + np.float32(2e-6), Encoding.LINEAR)
    shifted = render_reference(replace(graph, slots={**graph.slots, SLOT: slots.of(nudged)}), VIEW)
    assume(np.abs(shifted.astype(int) - render_reference(graph, VIEW)).max() <= 1)
    assert difference(renderer, graph) <= 1
    packed = msgspec.json.encode(graph.program.records)
    again = Program(msgspec.json.decode(packed, type=tuple[NodeRecord, ...]), graph.program.outputs)
    check_program(again)
    around = Environment(VIEW.uv(), graph.slots, graph.inputs, graph.seed, graph.time)
    assert np.array_equal(run(again, around)[SHOWN], run(pickle.loads(pickle.dumps(graph.program)), around)[SHOWN])


def outside_bounds(output: Node, p: float = 0.3) -> list[Node]:
    """Nodes of an expression that somewhere have a value outside their bounds."""
    below = in_order([output])
    outputs = {f"v{number}": node for number, node in enumerate(below)}
    around = Environment(VIEW.uv(), shown(x).slots, {"p": p, "tint": (0.3, 0.9, 0.5)}, 0.37, 2.6, (0.02, 0, 0, 0.03))
    values = run(program_of(outputs), around)
    return [
        node
        for name, node in outputs.items()
        if not Bounds(float(np.nanmin(values[name])), float(np.nanmax(values[name]))).within(*node.bounds)
    ]


@pytest.mark.parametrize("case", list(CASES))
def test_values_lie_within_their_bounds(case: str) -> None:
    assert outside_bounds(CASES[case]) == []


@given(st.lists(st.tuples(*[st.integers(0, 10**6)] * 3), min_size=3, max_size=14), st.floats(0, 1))
def test_values_of_random_graphs_lie_within_their_bounds(picks: list[tuple[int, int, int]], p: float) -> None:
    assert outside_bounds(grow(picks), p) == []


def test_what_is_known_to_lie_there_is_not_held_again() -> None:
    """Nor guarded against what cannot be; a step that only chooses is a comparison."""
    held = nodes.clamp(x * 3)
    assert nodes.clamp(held) is held
    assert nodes.maximum(nodes.power(held, 2.4), 0) is nodes.power(held, 2.4)
    assert nodes.clamp(x * 3, 0.2, 0.8) is not held
    curve = nodes.select(nodes.step(0.04, held), nodes.power(held, 2.4), x / nodes.maximum(y, 0.1))
    written = write(program_of({"result": curve}))
    assert written.helpers == ""
    assert "step" not in written.body + written.outputs["result"]
    assert "ep_divide" in write(program_of({"result": x / y})).helpers


def test_common_subexpressions_are_evaluated_once(monkeypatch: pytest.MonkeyPatch) -> None:
    """Equal expressions are one node; the reference evaluates it once and GLSL gives it one name."""
    shared = nodes.sin(nodes.uv()["x"] * 7.25)
    again = nodes.sin(nodes.uv()["x"] * 7.25)
    assert shared is again
    doubled = reduce(lambda a, _: a + a, range(40), shared)
    assert len(in_order([doubled])) < 50
    assert evaluate(doubled * 2.0**-40, Environment(float32([[[0.3, 0.1]]]))) == pytest.approx(
        np.sin(0.3 * 7.25), abs=1e-5
    )
    assert write(program_of({"result": doubled})).body.count("sin(") == 1


def test_emitted_text_has_sections_and_exact_numbers() -> None:
    program = program_of({"result": x * 0.1}, [("The first\nchannel", x)])
    assert "// The first channel" in write(program).body
    assert program.slots == {SLOT: False}
    for value in RNG.normal(0, 10, 50).astype(np.float32):
        assert np.float32(number(float(value)).strip("()")) == value


@pytest.mark.parametrize(
    "records",
    [
        (),
        (NodeRecord("sin", Type.FLOAT, (0,)),),
        (NodeRecord("constant", Type.VEC3, (), (1.0,)),),
        (NodeRecord("uv", Type.VEC2), NodeRecord("add", Type.VEC3, (0, 0))),
        (NodeRecord("uv", Type.VEC2), NodeRecord("explode", Type.VEC2, (0,))),
        (NodeRecord("uv", Type.VEC2), NodeRecord("sample", Type.VEC4, (0,), ("a;b",))),
        (NodeRecord("parameter", Type.FLOAT, (), ("x; discard",)),),
        (NodeRecord("uv", Type.VEC2), NodeRecord("swizzle", Type.FLOAT, (0,), ("z",))),
    ],
)
def test_graphs_that_do_not_hold_together_are_refused(records: tuple[NodeRecord, ...]) -> None:
    with pytest.raises(UserError):
        check_program(Program(records, {"result": max(0, len(records) - 1)}))


@pytest.mark.parametrize(
    "wrong", [lambda: paint["xyz"] + paint, lambda: nodes.dot(x, paint), lambda: x["x"], lambda: paint["xyzz1"],
              lambda: nodes.matrix(((1, 0, 0),) * 3, paint), lambda: nodes.join(paint, x)],
)  # fmt: skip
def test_types_are_checked_where_graphs_are_built(wrong) -> None:  # type: ignore[no-untyped-def]
    with pytest.raises((TypeError, ValueError)):
        wrong()


SETTING = st.floats(0, 1)
OTHERS = {"small": (7, 11), "odd": (37, 53), "large": (96, 120), "wide": (16, 130), "numbers": (64, 31)}
"""Maps of other sizes than the sheet, height and width; the last has 16 bits."""


@st.composite
def plane_uses(draw: st.DrawFn) -> PlaneUse:
    """A channel of one of the small kit's maps, with any levels and any way of sampling.

    Where a plane is tiled or turned, or is of another size, samples lie between texels. The samplers of drivers mix
    these in 8 bits, which steep levels would magnify, so such a plane is taken as it is; nearest is either of two
    texels at their border.
    """
    plane, channel = (
        PlaneRef(PlaneKind.MAP, draw(st.sampled_from(["id_map", "base_colour", *OTHERS]))),
        draw(st.integers(0, 2)),
    )
    kind, wrap = draw(st.sampled_from(list(Filter))), draw(st.sampled_from(list(Wrap)))
    grid = (draw(st.integers(1, 3)), draw(st.integers(1, 3)))
    offset = draw(st.just((0.0, 0.0)) | st.tuples(*[st.floats(-1, 1)] * 2))
    turned_round = draw(st.booleans())
    if plane.key in OTHERS and draw(st.booleans()):
        mips = draw(st.booleans())
        return PlaneUse(plane, channel, invert=turned_round, wrap=wrap, mips=mips, grid=grid, offset=offset)
    if plane.key in OTHERS or draw(st.booleans()):
        tiling, turn = draw(st.tuples(*[st.floats(0.3, 9)] * 2)), draw(st.floats(-180, 180))
        return PlaneUse(
            plane, channel, invert=turned_round, wrap=wrap, tiling=tiling, turn=turn, grid=grid, offset=offset
        )
    low, high = sorted((draw(SETTING), draw(SETTING)))
    high = max(high, low + 0.1) if low < 0.9 else 1.0
    return PlaneUse(plane, channel, low, high, draw(st.floats(0.5, 2)), draw(st.booleans()), kind, wrap,
                    draw(st.booleans()), grid=grid)  # fmt: skip


MILD = {"band": (0.3, 1.0), "softness": (0.2, 0.5), "power": (0.7, 3.0), "intensity": (0.0, 1.5)}
"""Ranges of values that would magnify what samplers round."""
TIDE = Ramp("tide", "Tide", tuple(
    RampRow(name, (Stop(0.0, (30, 40, shade)), Stop(0.6, (200, 120, 60)), Stop(1.0, (shade, 220, 240)))) for name, shade in
    (("Low", 40), ("High", 180))
))  # fmt: skip
FEW = new_palette("few", "Few", np.array([[40, 30, 30], [90, 70, 60], [150, 120, 80], [220, 200, 160]], np.uint8))
STRIPS = (PlaneUse(PlaneRef(PlaneKind.RAMP, "tide")), PlaneUse(PlaneRef(PlaneKind.PALETTE, "few")))
"""Strips as artists make them: noise in their place would magnify what samplers round between two texels."""
GENERATE = (Phase.explicit, Phase.generate)
"""Materials are not made smaller where one fails: that takes minutes."""


def dress(draw: st.DrawFn, owner: str, number: int) -> list[commands.Command]:
    """A coat of any kind with random values, perhaps with a pattern and planes."""
    kind = COATS[draw(st.sampled_from(sorted(COATS)))]
    made = [commands.set_coat_kind(owner, kind.name, number)]
    for spec in kind.values:
        if spec.kind == ValueKind.CHOICE:
            made.append(commands.set_choice(owner, spec.name, draw(st.sampled_from(spec.choices))[0], number))
        elif spec.kind == ValueKind.COLOUR:
            value = draw(st.tuples(SETTING, SETTING, SETTING))
            made.append(commands.set_cell_value(owner, spec.name, value, coat=number))
        else:
            low, high = MILD.get(spec.name, (spec.low, spec.high))
            value = low + (high - low) * draw(SETTING)
            made.append(commands.set_cell_value(owner, spec.name, value, coat=number))
        if spec.bindable and draw(st.booleans()):
            made.append(commands.expose(owner, spec.name, number))
    for plane in kind.planes:
        use = draw(st.sampled_from(STRIPS)) if plane.reads == Reads.STRIP else draw(plane_uses())
        if plane.reads == Reads.NORMAL and use.plane.key not in OTHERS:
            use = replace_(use, plane=PlaneRef(PlaneKind.MAP, "large"))  # noise is no normals
        made.append(commands.set_coat_plane(owner, number, plane.name, use))
    made.append(commands.set_pattern(owner, number, draw(st.none() | plane_uses())))
    names = [
        name for name, (plane, _, _) in numbers_of(kind).items() if plane in ("pattern", *(p.name for p in kind.planes))
    ]
    made += [commands.expose(owner, name, number) for name in draw(st.lists(st.sampled_from(names), max_size=2))]
    return made


@st.composite
def dressings(draw: st.DrawFn) -> list[commands.Command]:
    """Up to three random coats on all four regions of the small kit, and up to two overcoats."""
    made = [commands.add_ramp(TIDE), commands.add_palette(FEW)]
    for owner in (*(f"region_{region}" for region in range(1, 5)), Overcoats("sheet_1")):
        over = isinstance(owner, Overcoats)
        for coat in range(draw(st.integers(0, 2) if over else st.integers(1, 3))):
            if coat or over:
                made.append(commands.add_coat(owner, Coat("tint")))
            made += dress(draw, owner, coat)
    made.append(commands.set_blending(draw(st.sampled_from(list(Blending)))))
    made.append(commands.set_resolve("sheet_1", draw(st.sampled_from(list(Resolve)))))
    return made


def add_others(history: History, folder: Path) -> None:
    """Maps of other sizes beside those of the small kit: smooth ones, as noise between texels is the samplers' own.

    Read as normals they are never short ones, whose direction would magnify the 8 bits of stored levels.
    """
    for name, (height, width) in OTHERS.items():
        path = folder / f"{name}.png"
        if not path.exists():
            rows, columns = np.linspace(0, 3, height)[:, None, None], np.linspace(0, 5, width)[None, :, None]
            waves = np.sin(rows * 2 + np.arange(3)) * np.cos(columns * 3 - np.arange(3))
            waves = waves * (0.3, 0.3, 0.05) + (0.5, 0.5, 0.95)
            top = 65535 if name == "numbers" else 255
            write_plane(path, Plane((waves * top).astype(np.uint16 if top > 255 else np.uint8), Encoding.DATA))
        history.do(commands.add_map("sheet_1", replace_(source(path, Role.NONE, Encoding.DATA), key=name)))


def dressed_kit(folder: Path, made: list[commands.Command], seed: int) -> Kit:
    """The small kit of 48 x 48 texels of noise, in random coats."""
    there = {Role.BASE_COLOUR: folder / "crate_base_colour.png", Role.ID: folder / "crate_id.png"}
    history = kit_of(there if folder.exists() else write_maps(folder, 48, seed), coats=False)
    add_others(history, folder)
    for command in made:
        history.do(command)
    return history.kit


@settings(max_examples=25, phases=GENERATE)
@given(dressings(), st.integers(0, 3))
def test_random_materials(
    renderer: SheetRenderer,
    sheets: Sheets,
    tmp_path_factory: pytest.TempPathFactory,
    made: list[commands.Command],
    seed: int,
) -> None:
    """Random coats, patterns, planes, samplers, orders, overcoats and images: every output at every texel within 1/255."""
    at = dressed_kit(tmp_path_factory.getbasetemp() / f"random-{seed}", made, seed).at()
    look = picture(at, sheets, Look())
    assume(len(look.program.slots) <= MOST_UNITS)
    assert_drawn(renderer, look, whole_sheet(48, 48))
    for name in look.outputs:
        if name != SHOWN:
            surface = picture(at, sheets, Look("surface", output=name))
            assert_drawn(renderer, surface, whole_sheet(48, 48))


def test_the_fused_loop_of_many_kinds_of_planes() -> None:
    """Each kind has look-ups of its own in the loop; what stores 8 bits stays what it is beside the ninth of them."""
    kinds = list(product((1, 3, 4), Filter, (Wrap.CLAMP, Wrap.REPEAT), (PAINT.samples, PAINT.levels8())))
    paints = {
        f"plane_{number}": slots.of(
            Plane(np.ascontiguousarray(samples[..., :channels]), Encoding.DATA), Sampler(filter_, wrap)
        )
        for number, (channels, filter_, wrap, samples) in enumerate(kinds[:10])
    }
    each = [nodes.texture_lod(name, nodes.uv(), nodes.constant(0.5))["x"] for name in paints]
    program = program_of({"value": reduce(lambda one, other: one + other, each) * (1 / len(each))})
    (got,) = run_fused(program, paints, {}, Frame(SIDE, SIDE), {"value": "level"}).values()
    wanted = run(program, Environment(texel_centres(SIDE, SIDE), paints))["value"]
    assert np.abs(got[..., 0].astype(int) - wanted * 255).max() <= 1


@settings(max_examples=2, phases=GENERATE)
@given(dressings())
def test_the_fused_loop_on_random_materials(
    sheets: Sheets, tmp_path_factory: pytest.TempPathFactory, made: list[commands.Command]
) -> None:
    """Random coats, patterns, planes, samplers, orders and overcoats: every output at every texel within 1/255."""
    folder = tmp_path_factory.mktemp("fused")
    history = kit_of(write_maps(folder, 47, 9), coats=False)
    add_others(history, folder)
    for command in made:
        history.do(command)
    at = history.kit.at()
    ready = SheetRender(at, sheets)
    settings_ = resolve(at.kit.parameters, at.kit.variants, MASTER)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(frames, "FEW_PIXELS", 0)
        got = ready.render(ready.outputs, settings_, in_levels=True)
    view = whole_sheet(47, 47)
    for name in ready.outputs:
        look = Look() if name == "colour" else Look("surface", output=name)
        assert np.abs(got[name].astype(int) - render_reference(picture(at, sheets, look), view)).max() <= 1, name


@pytest.mark.parametrize("wrap", list(Wrap))
@pytest.mark.parametrize("kind", list(Filter))
@pytest.mark.parametrize("is_array", [False, True])
def test_slots_keep_to_their_samplers(renderer: SheetRenderer, wrap: Wrap, kind: Filter, is_array: bool) -> None:
    """Filter and wrap of a slot, far beyond the edges and between texels: GLSL and reference within 1/255."""
    levels = RNG.integers(0, 255, (11, 13, 4)).astype(np.uint8)
    sampler = Sampler(kind, wrap, mips=False)
    uv = nodes.uv() * 3.7 - 1.3
    if wrap == Wrap.MIRROR:
        uv = 1 - nodes.absolute(nodes.fract(uv / 2) * 2 - 1)
    texel = nodes.layer("s", 1, uv) if is_array else nodes.texture("s", uv)
    planes = (Plane(levels[::-1].copy(), Encoding.DATA),) * is_array + (Plane(levels, Encoding.DATA),)
    shown = Picture(
        {SHOWN: texel["xyz"]}, {"s": (slots.layers(planes, sampler) if is_array else slots.of(planes[0], sampler))}, {}
    )
    view = whole_sheet(61, 59)
    drawn = renderer.render(shown, view)[..., :3].astype(int)
    off = np.abs(drawn - render_reference(shown, view)).max(axis=-1)
    # Where a sample falls on the border of two texels to rounding, nearest may take either.
    assert (off > 1).mean() <= (0.002 if kind == Filter.NEAREST else 0)
    direct = sample(planes[-1], float32(VIEW.uv() * 3.7 - 1.3), sampler)
    turned = evaluate(texel, Environment(VIEW.uv(), shown.slots))
    assert (np.abs(direct - turned).max(axis=-1) > 1e-4).mean() < 0.01  # mirrors are turned over by the expression


@pytest.mark.parametrize("count", [61, 200])
def test_many_regions_live_and_shipped(renderer: SheetRenderer, tmp_path: Path, count: int) -> None:
    """One array of weights, few texture units: window, player and references within 1/255, also lit on a model."""
    rng = np.random.default_rng(count)
    side = 64
    colours = np.stack([np.arange(count) * 83 % 256, np.arange(count) * 151 % 256, np.arange(count)], axis=-1)
    ids = colours[rng.integers(0, count, (side, side))].astype(np.uint8)
    paths = {Role.BASE_COLOUR: tmp_path / "base.png", Role.ID: tmp_path / "ids.png"}
    write_plane(paths[Role.BASE_COLOUR], Plane(rng.integers(0, 255, (side, side, 3)).astype(np.uint8), Encoding.SRGB))
    write_plane(paths[Role.ID], Plane(ids, Encoding.DATA))
    history, sheets = History(Kit()), Sheets()
    for role, path in paths.items():
        history.do(
            commands.add_map(
                "sheet_1", source(path, role, Encoding.SRGB if role == Role.BASE_COLOUR else Encoding.DATA)
            )
        )
    history.do(commands.add_regions("sheet_1", [tuple(map(int, c)) for c in colours]))  # type: ignore[misc]
    for index, region in enumerate(history.kit.sheets[0].regions):
        history.do(commands.set_tolerance(region.key, 0, 0))
        kind = sorted(set(COATS) - {"shade"})[index % 4]
        history.do(commands.set_coat_kind(region.key, kind))
        if kind == "tint":
            history.do(commands.set_cell_value(region.key, "colour", tuple(rng.random(3))))
    at = history.kit.at()
    look = picture(at, sheets, Look())
    assert len(look.program.slots) + 4 <= MOST_UNITS
    assert difference(renderer, look, whole_sheet(side, side)) <= 1
    ship(history.kit, sheets, tmp_path / "package")
    loaded = load(tmp_path / "package")
    assert len(loaded.program.slots) <= 4
    played = play_opengl(loaded, "", side, side).astype(int)
    assert np.abs(played - render_reference(look, whole_sheet(side, side))).max() <= 1
    assert np.abs(played - play_reference(loaded, "", side, side)).max() <= 1
    square = build_mesh(float32([[-1, -1, 0], [1, -1, 0], [1, 1, 0], [-1, 1, 0]]), np.array([[0, 1, 2], [0, 2, 3]]),
                        (float32([[[0, 1], [1, 1], [1, 0]], [[0, 1], [1, 0], [0, 0]]]),))  # fmt: skip
    models = ModelRenderer(offscreen_context(), renderer.textures)
    orbit = replace(Orbit(), yaw=0.0, pitch=0.0).framed(square.points, 1.0)
    pictures = [
        models.render([Skin(square, look)], orbit, 96, 96, Light(lit, smooth=False)).pixels for lit in (False, True)
    ]
    assert all(pixels[..., 3].max() == 255 for pixels in pictures)
    assert np.abs(pictures[0].astype(int) - pictures[1]).max() > 10  # light does something


def test_a_texture_that_is_filled_in_slices_is_one_texture() -> None:
    """Every slice goes on where the one before ended: nothing is uploaded twice, and no second texture is taken."""
    slot = slots.of(TiledPlane(grid_of(RNG.integers(0, 255, (1100, 1300, 4)).astype(np.uint8))))
    textures = Textures(offscreen_context())
    assert not textures.ready([slot], 0, "sheet")
    while not textures.ready([slot], 0, "sheet"):
        pass
    assert textures.uploaded == 5 * 6
    assert textures.bytes == 1100 * 1300 * 4 * 4 // 3
    textures.release()


def test_textures_take_only_tiles_that_they_do_not_have(renderer: SheetRenderer) -> None:
    """One tile changed: one is uploaded; equal bytes none; two planes of one shape never share a texture in one picture.

    Sizes are no multiple of the tile. Every level of the mips is the area mean of the one before (scikit-image).
    """
    levels = RNG.integers(0, 255, (601, 777, 4)).astype(np.uint8)
    changed = levels.copy()
    changed[300, 300] ^= 255
    textures = Textures(offscreen_context())
    one, two = (slots.of(TiledPlane(grid_of(samples))) for samples in (levels, changed))
    textures.of(one)
    assert textures.uploaded == 12
    textures.begin()
    textures.of(slots.of(TiledPlane(grid_of(levels.copy()))))
    assert textures.uploaded == 12
    textures.begin()
    textures.of(two)
    assert textures.uploaded == 13
    texture = textures.of(two)
    wanted, size = changed.astype(np.float32), (777, 601)
    uint = ctypes.c_uint
    get_level = driver_function("glGetTexImage", None, uint, ctypes.c_int, uint, uint, ctypes.c_void_p)
    for level in range(10):
        read = np.zeros((max(1, size[1] >> level), max(1, size[0] >> level), 4), np.uint8)
        texture.use(0)
        get_level(raw.TEXTURE_2D, level, raw.FORMATS[3], raw.TYPES["u1"], read.ctypes.data)
        assert read.shape[:2] == wanted.shape[:2]
        assert np.abs(read - wanted).max() <= 1 + level * 0.5
        smaller = tuple(max(1, n // 2) for n in wanted.shape[:2])
        wanted = resize_local_mean(wanted, smaller, grid_mode=True, preserve_range=True, channel_axis=2)
    both = nodes.texture("a", nodes.uv())["xyz"] * 0.5 + nodes.texture("b", nodes.uv())["xyz"] * 0.5
    shown = Picture({SHOWN: both}, {"a": one, "b": two}, {})
    assert difference(renderer, shown, View((0.3, 0.4), (1 / 777, 1 / 601), 200, 150)) <= 1
    assert textures.ready([one, two], 5, "sheet")
    textures.release()


def test_what_is_shown_stays_whatever_else_is_drawn() -> None:
    """Textures that a pane asks for at each drawing are not thrown out for others, though they are more than there is
    room for; once the pane shows something else they go."""
    large = [slots.of(Plane(RNG.integers(0, 255, (512 + n, 512, 4)).astype(np.uint8), Encoding.DATA)) for n in range(3)]
    others = [slots.of(Plane(RNG.integers(0, 255, (90 + n, 64, 4)).astype(np.uint8), Encoding.DATA)) for n in range(9)]
    textures = Textures(offscreen_context(), Account(1 << 20))
    assert not textures.fits(large)
    assert textures.fits(others[:1])
    while not textures.ready(large, 1, "sheet"):
        pass
    uploaded = textures.uploaded
    for other in others:
        textures.begin()
        textures.of(other)
    assert textures.ready(large, 0, "sheet")
    assert textures.uploaded == uploaded + len(others) * 1
    assert textures.ready(others[:1], 1, "sheet")
    textures.begin()
    textures.of(others[1])
    assert textures.bytes < 1 << 20
    textures.release()


def test_no_program_takes_more_units_than_there_are(renderer: SheetRenderer) -> None:
    total = nodes.total([nodes.texture(f"s{number}", nodes.uv())["xyz"] for number in range(17)])
    held = {f"s{number}": slots.of(PAINT) for number in range(17)}
    with pytest.raises(UserError, match="17 planes; there is room for 16"):
        renderer.render(Picture({SHOWN: total}, held, {}), VIEW)


@pytest.mark.parametrize("kind", [kind for kind in LOOKS if kind not in ("bake", "uv_layout")])
@pytest.mark.parametrize("filtered", [True, False])
def test_every_look(renderer: SheetRenderer, history: History, sheets: Sheets, kind: str, filtered: bool) -> None:
    """All looks that need no mesh, at 1:1 and enlarged, filtered and as texels."""
    entries = np.array([[20, 20, 20], [200, 90, 40], [90, 120, 200]], np.uint8)
    history.do(commands.add_palette(new_palette("three", "Three", entries)))
    history.do(commands.add_tone("sheet_1", Tone("numbers", "Numbers", "index", palette="three")))
    of = {"tone": "numbers", "entry": "numbers", "channel": "base_colour"}.get(kind, "")
    look = picture(
        history.kit.at(), sheets, Look(kind, region="region_2", owner="region_2", map=of, entry=1, channel=1)
    )
    assert difference(renderer, look, whole_sheet(64, 64), filtered) <= 1
    enlarged = View((0.21, 0.33), (1 / 640, 1 / 640), 90, 70)
    drawn = renderer.render(look, enlarged, filtered)[..., :3].astype(int)
    off = np.abs(drawn - render_reference(look, enlarged, filtered)).max(axis=-1)
    assert np.mean(off > 2) < 0.02


def test_pixels_off_the_sheet_are_clear(renderer: SheetRenderer, history: History, sheets: Sheets) -> None:
    look = picture(history.kit.at(), sheets, Look())
    drawn = renderer.render(look, View((-0.5, -0.5), (1 / 64, 1 / 64), 128, 128))
    assert (drawn[..., 3] > 0).sum() == 64 * 64
    assert drawn[32:96, 32:96, 3].min() == 255


@pytest.mark.skipif(shutil.which("glslangValidator") is None, reason="glslang-tools are not installed")
@pytest.mark.parametrize("version", ["#version 330", "#version 300 es\nprecision highp float;"])
@pytest.mark.parametrize("array", [False, True])
def test_shipped_shader_compiles_elsewhere(
    history: History, sheets: Sheets, tmp_path: Path, version: str, array: bool
) -> None:
    """glslangValidator (Khronos) accepts material.glsl in desktop GLSL 3.30 and in GLSL ES 3.00."""
    from even_palette.core.ship.targets.glsl import FUNCTION, shader_text

    at = history.kit.at()
    material = material_of(at, sheets)
    text = shader_text(material.program(packing_plan(at, material, array)), material.parameters, "Crate “№ 1”\\")
    assert text.isascii()
    main = f"in vec2 v_uv; out vec4 o; void main() {{ o = vec4({FUNCTION}(v_uv), 1.0); }}"
    path = tmp_path / "material.frag"
    path.write_text(f"{version}\n{text}\n{main}\n")
    done = subprocess.run(["glslangValidator", str(path)], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout


@pytest.mark.skipif(shutil.which("glslangValidator") is None, reason="glslang-tools are not installed")
@pytest.mark.parametrize("version", ["#version 330", "#version 300 es\nprecision highp float;"])
def test_what_is_the_same_at_every_texel_is_worked_out_once(
    history: History, sheets: Sheets, tmp_path: Path, version: str
) -> None:
    """Sines of bound angles stand in the setup alone, which both stages take (Khronos); all texels are as before."""
    from even_palette.core.ship.targets.glsl import SETUP, SETUP_FUNCTION, SURFACE_FUNCTION, VERTEX_STAGE, shader_text

    history.do(commands.set_coat_kind("region_1", "shift"))
    for name, value in (("hue", 70.0), ("saturation", 1.3)):
        history.do(commands.set_cell_value("region_1", name, value, "day"))
    history.do(commands.set_coat_kind("region_2", "shift"))
    history.do(commands.set_cell_value("region_2", "hue", -20.0, "day"))
    at = history.kit.at()
    material = material_of(at, sheets)
    text = shader_text(material.program(packing_plan(at, material)), material.parameters, "Crate")
    before, after = text.split(f"#ifndef {VERTEX_STAGE}")
    assert before.count("sin(") == before.count("cos(") == 2
    assert "sin(" not in after
    assert "cos(" not in after
    stages = {
        "vert": f"#define {VERTEX_STAGE}\n{text}\nflat out {SETUP} v_setup;\n"
        f"void main() {{ v_setup = {SETUP_FUNCTION}(); gl_Position = vec4(0.0); }}",
        "frag": f"{text}\nin vec2 v_uv; flat in {SETUP} v_setup; out vec4 o;\n"
        f"void main() {{ o = vec4({SURFACE_FUNCTION}(v_uv, v_setup).colour, 1.0); }}",
    }
    paths = [tmp_path / f"material.{stage}" for stage in stages]
    for path, body in zip(paths, stages.values(), strict=True):
        path.write_text(f"{version}\n{body}\n")
    done = subprocess.run(["glslangValidator", "-l", *map(str, paths)], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout
    ship(history.kit, sheets, tmp_path / "package")
    loaded = load(tmp_path / "package")
    side = base_colour_of(at, sheets).width
    played = play_opengl(loaded, "Day", side, side).astype(int)
    assert np.abs(played - play_reference(loaded, "Day", side, side)).max() <= 1
    assert (
        np.abs(played - render_reference(picture(at, sheets, Look(variant="day")), whole_sheet(side, side))).max() <= 1
    )


def test_vertices_hand_over_no_more_than_there_is_room_for() -> None:
    """GLSL ES 3.00, section 7.2: at least 15 vectors; many turned hues take more, and then some are left to texels."""
    turned = [nodes.sin(nodes.parameter(f"p{n}", Type.FLOAT)) * nodes.parameter(f"q{n}", Type.FLOAT) for n in range(90)]
    program = program_of({"result": nodes.total([value * x for value in turned])})
    assert setup_of(program, cheap=True).vectors == MOST_VECTORS
    assert setup_of(program).vectors == -(-90 // 4)
    assert len(write(program, cheap_setup=True).vectors) == MOST_VECTORS


@pytest.mark.skipif(shutil.which("glslangValidator") is None, reason="glslang-tools are not installed")
@pytest.mark.parametrize("version", ["#version 330", "#version 300 es\nprecision highp float;"])
def test_every_coat_compiles_elsewhere(history: History, sheets: Sheets, tmp_path: Path, version: str) -> None:
    """Each kind of coat in each of its ways, on planes that lie, tile, turn and move, in both dialects (Khronos)."""
    from even_palette.core.ship.targets.glsl import SURFACE_FUNCTION, shader_text

    use = PlaneUse(PlaneRef(PlaneKind.MAP, "base_colour"), tiling=(2.0, 3.0), turn=20.0, speed=(0.1, 0.0), grid=(2, 2))
    entries = np.array([[20, 20, 20], [200, 90, 40]], np.uint8)
    history.do(commands.add_palette(new_palette("two", "Two", entries)))
    strip = PlaneUse(PlaneRef(PlaneKind.PALETTE, "two"))
    for kind in COATS.values():
        for choice in [spec for spec in kind.values if spec.choices] or [None]:
            for way, _ in choice.choices if choice else [("", "")]:
                planes = {spec.name: strip if spec.strips else use for spec in kind.planes}
                coat = Coat(kind.name, {choice.name: way} if choice else {}, planes, use)
                kit = commands.add_coat("region_1", coat).apply(history.kit)
                material = material_of(kit.at(), sheets)
                text = shader_text(material.program(packing_plan(kit.at(), material)), material.parameters, "Crate")
                main = f"in vec2 v_uv; out vec4 o; void main() {{ o = vec4({SURFACE_FUNCTION}(v_uv).colour, 1.0); }}"
                path = tmp_path / "material.frag"
                path.write_text(f"{version}\n{text}\n{main}\n")
                done = subprocess.run(["glslangValidator", str(path)], capture_output=True, text=True, check=False)
                assert done.returncode == 0, (kind.name, way, done.stdout)
