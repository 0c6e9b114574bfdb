"""The text of material.glsl: a documented function with a struct of all outputs, and a uniform for every parameter."""

from even_palette.core.graph.glsl import emit, texture_name, uniform_name
from even_palette.core.graph.operations import INPUTS
from even_palette.core.graph.program import Program
from even_palette.core.graph.types import Type
from even_palette.core.material.model import Parameter, ValueKind
from even_palette.core.material.outputs import COLOUR, OUTPUTS

FUNCTION = "even_palette_colour"
SURFACE_FUNCTION = "even_palette_surface"
STRUCT = "EvenPaletteSurface"


def shader_text(program: Program, parameters: tuple[Parameter, ...], sheet_name: str) -> str:
    """GLSL 3.30 / ES 3.00 without a version line, to be included in a fragment shader."""
    written = emit(program)
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
        "",
    ]
    if any(program.slots.values()):
        lines += ["#ifdef GL_ES", "precision mediump sampler2DArray;", "#endif"]
    for slot, is_array in program.slots.items():
        lines.append(f"uniform sampler2D{'Array' if is_array else ''} {texture_name(slot)};")
    lines += [INPUTS[name].declaration for name in program.inputs if INPUTS[name].declaration]
    for parameter in parameters:
        kind = Type.VEC3 if parameter.kind == ValueKind.COLOUR else Type.FLOAT
        told = (
            "linear light" if kind == Type.VEC3 else f"{parameter.low:g} to {parameter.high:g} {parameter.unit}".strip()
        )
        lines += [f"// {' '.join(parameter.help.split())} ({told})", f"uniform {kind} {uniform_name(parameter.name)};"]
    lines += ["", f"struct {STRUCT} {{"]
    for name, at in program.outputs.items():
        lines.append(f"    {program.records[at].type} {name};  // {OUTPUTS[name].told}")
    made = ", ".join(written.outputs.values())
    lines += [
        "};",
        "",
        written.helpers + f"{STRUCT} {SURFACE_FUNCTION}(vec2 uv) {{",
        *(["    vec4 pixel = vec4(dFdx(uv), dFdy(uv));"] if "pixel" in program.inputs else []),
        written.body,
        f"    return {STRUCT}({made});",
        "}",
        "",
        f"vec3 {FUNCTION}(vec2 uv) {{",
        f"    return {SURFACE_FUNCTION}(uv).{COLOUR};",
        "}",
        "",
    ]
    return plain("\n".join(lines))


def plain(text: str) -> str:
    """The text in ASCII, as compilers want it; without backslashes, which would carry a comment on to the next line."""
    swapped = text.translate({ord("“"): '"', ord("”"): '"', ord("°"): " degrees", ord("×"): "x", ord("\\"): "/"})
    return swapped.encode("ascii", "replace").decode()
