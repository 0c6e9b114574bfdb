"""Where a written program gets its values from: uniforms, constants, rows of an instance texture; the same everywhere."""

from typing import Any

import numpy as np
import pytest

from even_palette.core.graph import nodes
from even_palette.core.graph.binding import UNIFORMS, Binding, Constants, Rows, uniform_name
from even_palette.core.graph.languages import LANGUAGES
from even_palette.core.graph.operations import TABLE
from even_palette.core.graph.program import LOOK_UPS, program_of
from even_palette.core.graph.reference import Environment, run
from even_palette.core.graph.types import Type
from even_palette.core.graph.uniform_work import setup_values
from even_palette.core.graph.write import GLSL, write
from even_palette.core.raster.sampling import texel_centres
from even_palette.gl.context import offscreen_context
from even_palette.gl.draw import compile_program, draw_quad, read

WIDTH, HEIGHT = 30, 7
VERTEX = "#version 330\nin vec2 corner;\nvoid main() { gl_Position = vec4(corner, 0.0, 1.0); }\n"
KINDS = {"hue": Type.FLOAT, "paint": Type.VEC3, "trim": Type.VEC3, "wear": Type.FLOAT}
INSTANCES = [
    ({"hue": 1.3, "paint": (0.9, 0.2, 0.1), "trim": (0.1, 0.6, 0.3), "wear": 0.25}, 0.11),
    ({"hue": -2.0, "paint": (0.3, 0.3, 0.8), "trim": (0.7, 0.7, 0.1), "wear": 0.75}, 0.83),
    ({"hue": 0.0, "paint": (0.5, 0.9, 0.4), "trim": (0.2, 0.1, 0.9), "wear": 1.0}, 0.42),
]
TIME = 2.75

hue, paint, trim, wear = (nodes.parameter(name, kind) for name, kind in KINDS.items())
turned = nodes.sin(hue + nodes.seed() * 3) * 0.5 + 0.5
PROGRAM = program_of({
    "shown": nodes.mix(paint * nodes.join(turned, nodes.uv()["y"], turned), trim, nodes.fract(nodes.time() * wear) * 0.5)
})  # fmt: skip


def drawn(binding: Binding, uniforms: dict[str, Any], rows: Any = None) -> np.ndarray:
    """The program drawn with what the binding declares; a third of the picture for each instance."""
    written = write(PROGRAM, binding=binding)
    fragment = f"""#version 330
out vec4 colour;
{written.declared}
{written.helpers}
void main() {{
    vec2 uv = gl_FragCoord.xy / vec2({WIDTH}.0, {HEIGHT}.0);
    int instance = int(uv.x * 3.0);
{written.body}
    colour = vec4({written.outputs["shown"]}, 1.0);
}}
"""
    context = offscreen_context()
    program = compile_program(context, VERTEX, fragment)
    if rows is not None:
        texture = context.texture((rows.shape[1], rows.shape[0]), 4, rows.tobytes(), dtype="f4")
        texture.use(0)
        program["instance_rows"] = 0
    buffer = context.simple_framebuffer((WIDTH, HEIGHT), 4)
    draw_quad(context, buffer, program, [], uniforms)
    return read(buffer)[..., :3]


def wanted(number: int) -> np.ndarray:
    values, seed = INSTANCES[number]
    around = Environment(texel_centres(HEIGHT, WIDTH), {}, values, seed, TIME)
    return np.broadcast_to(run(PROGRAM, around)["shown"] * 255, (HEIGHT, WIDTH, 3))


@pytest.mark.parametrize("number", range(3))
def test_uniforms_and_constants(number: int) -> None:
    values, seed = INSTANCES[number]
    names = {uniform_name(name): value for name, value in values.items()}
    uniforms = {**names, "instance_seed": seed, "time": TIME, **setup_values(PROGRAM, values)}
    assert np.abs(drawn(UNIFORMS, uniforms) - wanted(number)).max() <= 1
    fixed = Constants(values, seed, TIME)
    assert "uniform" not in write(PROGRAM, binding=fixed).declared
    assert np.abs(drawn(fixed, {}) - wanted(number)).max() <= 1


def test_rows_of_instances_in_one_drawing() -> None:
    """Each third of the picture is another instance; a program reads only the columns that it needs, each once."""
    rows = Rows.of(KINDS)
    assert rows.columns == 3
    assert all(
        len(channels) == kind.size for kind, (_, channels) in zip(KINDS.values(), rows.places.values(), strict=False)
    )
    body = write(PROGRAM, binding=rows).body
    assert body.count("texelFetch") == rows.columns
    got = drawn(rows, {"time": TIME}, rows.packed(INSTANCES))
    for number in range(3):
        part = slice(number * WIDTH // 3, (number + 1) * WIDTH // 3)
        assert np.abs(got[:, part].astype(float) - wanted(number)[:, part]).max() <= 1


def test_every_language_writes_every_operation() -> None:
    for language in LANGUAGES.values():
        assert language.forms.keys() == TABLE.keys() - {"matrix"}, language.name
        assert language.look_ups.keys() == {*LOOK_UPS} - {"strip"}
        assert language.types.keys() == set(Type)
    assert GLSL in LANGUAGES.values()
