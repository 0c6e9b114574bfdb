"""The text of material.glsl: one documented function, with a uniform for every parameter."""

from even_palette.core.graph.glsl import emit, texture_name, uniform_name
from even_palette.core.graph.types import Type
from even_palette.core.material.build import Material
from even_palette.core.material.model import ValueKind

FUNCTION = "even_palette_colour"


def shader_text(material: Material, sheet_name: str) -> str:
    """GLSL 3.30 / ES 3.00 without a version line, to be included in a fragment shader."""
    written = emit(material.output, material.sections)
    lines = [
        f"// {' '.join(sheet_name.split())}: recolouring material.",
        "//",
        f"//   vec3 {FUNCTION}(vec2 uv)",
        "//",
        "// returns the base colour in linear light, Rec. 709 primaries, 0..1. uv (0, 0) is the upper left corner of",
        "// the maps. Sample maps marked “srgb” in package.json with sRGB decoding, all others without; mips on,",
        "// linear filter.",
        "// Colour uniforms take linear light. Set every uniform from a variant in package.json.",
        "",
    ]
    lines += [f"uniform sampler2D {texture_name(slot)};" for slot in written.slots]
    for parameter in material.parameters:
        kind = Type.VEC3 if parameter.kind == ValueKind.COLOUR else Type.FLOAT
        told = (
            "linear light" if kind == Type.VEC3 else f"{parameter.low:g} to {parameter.high:g} {parameter.unit}".strip()
        )
        lines += [f"// {' '.join(parameter.help.split())} ({told})", f"uniform {kind} {uniform_name(parameter.name)};"]
    lines += ["", written.helpers + f"vec3 {FUNCTION}(vec2 uv) {{", written.body, "}", ""]
    return plain("\n".join(lines))


def plain(text: str) -> str:
    """The text in ASCII, as compilers want it; without backslashes, which would carry a comment on to the next line."""
    swapped = text.translate({ord("“"): '"', ord("”"): '"', ord("°"): " degrees", ord("×"): "x", ord("\\"): "/"})
    return swapped.encode("ascii", "replace").decode()
