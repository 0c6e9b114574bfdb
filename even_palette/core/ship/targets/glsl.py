"""The text of material.glsl: a documented function with a struct of all outputs, and a uniform for every parameter."""

from even_palette.core.graph.binding import SHARED, texture_name, uniform_name
from even_palette.core.graph.program import Program
from even_palette.core.graph.types import Type
from even_palette.core.graph.write import GLSL, Written, write
from even_palette.core.material.model import Parameter, ValueKind
from even_palette.core.material.outputs import COLOUR, OUTPUTS
from even_palette.core.ship.package import (
    FUNCTION,
    README_FILE,
    SETUP,
    SETUP_FUNCTION,
    STRUCT,
    SURFACE_FUNCTION,
    VERTEX_STAGE,
)
from even_palette.core.ship.readme import readme_text
from even_palette.core.ship.shipment import Shipment
from even_palette.core.ship.targets._declare import Target


def shader_text(program: Program, parameters: tuple[Parameter, ...], sheet_name: str) -> str:
    """GLSL 3.30 / ES 3.00 without a version line, to be included in a fragment shader, and where that pays in a vertex
    shader too: see the text itself.
    """
    written = write(program, cheap_setup=True)
    lines = [
        f"// {' '.join(sheet_name.split())}: recolouring material.",
        "//",
        f"//   vec3 {FUNCTION}(vec2 uv)",
        "//",
        "// returns the base colour in linear light, Rec. 709 primaries, 0..1;",
        "//",
        f"//   {STRUCT} {SURFACE_FUNCTION}(vec2 uv)",
        "//",
        "// returns all that the material gives. uv (0, 0) is the upper left corner of the maps. Sample maps marked",
        "// “srgb” in package.json with sRGB decoding, all others without; filter, wrap and mips as it says.",
        "// Colour uniforms take linear light. Set every uniform from a variant in package.json.",
        *(_setup_told() if written.vectors else []),
        "",
        *_parameters(parameters),
        *(GLSL.uniform.format(kind=Type.FLOAT, name=SHARED[name]) for name in program.inputs if name in SHARED),
        *(_setup(written) if written.vectors else []),
        "",
    ]
    if any(program.slots.values()):
        lines += ["#ifdef GL_ES", "precision mediump sampler2DArray;", "#endif"]
    for slot, is_array in program.slots.items():
        lines.append(GLSL.slot[is_array].format(name=texture_name(slot)))
    lines += ["", f"struct {STRUCT} {{"]
    for name, at in program.outputs.items():
        lines.append(f"    {program.records[at].type} {name};  // {OUTPUTS[name].told}")
    made = ", ".join(written.outputs.values())
    more = f", {SETUP} setup" if written.vectors else ""
    lines += [
        "};",
        "",
        (written.helpers if not written.vectors else "") + f"{STRUCT} {SURFACE_FUNCTION}(vec2 uv{more}) {{",
        *(["    vec4 pixel = vec4(dFdx(uv), dFdy(uv));"] if "pixel" in program.inputs else []),
        *(["    vec2 screen = floor(gl_FragCoord.xy);"] if "screen" in program.inputs else []),
        *(f"    vec4 setup_{number} = setup.v{number};" for number in range(len(written.vectors))),
        written.body,
        f"    return {STRUCT}({made});",
        "}",
        "",
    ]
    if written.vectors:
        given = f"return {SURFACE_FUNCTION}(uv, {SETUP_FUNCTION}());"
        lines += [f"{STRUCT} {SURFACE_FUNCTION}(vec2 uv) {{", f"    {given}", "}", ""]
    lines += [f"vec3 {FUNCTION}(vec2 uv) {{", f"    return {SURFACE_FUNCTION}(uv).{COLOUR};", "}"]
    lines += ["#endif", ""] if written.vectors else [""]
    return plain("\n".join(lines))


def _setup_told() -> list[str]:
    return [
        "//",
        "// What is the same at every texel, such as the sine of an angle, need not be worked out at each: include",
        f"// this text in the vertex shader too, with {VERTEX_STAGE} defined, hand {SETUP_FUNCTION}() over",
        f"// as a flat {SETUP}, and call {SURFACE_FUNCTION}(uv, setup).",
    ]


def _parameters(parameters: tuple[Parameter, ...]) -> list[str]:
    lines = []
    for parameter in parameters:
        kind = Type.VEC3 if parameter.kind == ValueKind.COLOUR else Type.FLOAT
        told = (
            "linear light" if kind == Type.VEC3 else f"{parameter.low:g} to {parameter.high:g} {parameter.unit}".strip()
        )
        lines += [
            f"// {' '.join(parameter.help.split())} ({told})",
            GLSL.uniform.format(kind=kind, name=uniform_name(parameter.name)),
        ]
    return lines


def _setup(written: Written) -> list[str]:
    """The struct of what is the same at every texel, and the function that gives it."""
    return [
        "",
        f"struct {SETUP} {{",
        *(f"    vec4 v{number};" for number in range(len(written.vectors))),
        "};",
        "",
        written.helpers + f"{SETUP} {SETUP_FUNCTION}() {{",
        *([written.setup] if written.setup else []),
        f"    return {SETUP}({', '.join(written.vectors)});",
        "}",
        "",
        f"#ifndef {VERTEX_STAGE}",
    ]


def plain(text: str) -> str:
    """The text in ASCII, as compilers want it; without backslashes, which would carry a comment on to the next line."""
    swapped = text.translate({ord("“"): '"', ord("”"): '"', ord("°"): " degrees", ord("×"): "x", ord("\\"): "/"})
    return swapped.encode("ascii", "replace").decode()


def _texts(shipment: Shipment) -> dict[str, str]:
    shaders = {each.told.shader: shader_text(each.program, each.parameters, each.told.name) for each in shipment.sheets}
    return {**shaders, README_FILE: readme_text(shipment.package)}


TARGET = Target("glsl", "GLSL", "A function to include in a fragment shader of OpenGL, Vulkan or WebGL", 1, _texts)
