"""GLSL 3.30 and GLSL ES 3.00 (OpenGL Shading Language 4.60 names the same things)."""

from collections.abc import Sequence

from even_palette.core.graph.languages._declare import Form, Language
from even_palette.core.graph.operations import LEAST_LOG
from even_palette.core.graph.types import Type

LEAST_PLAIN = 0.25
"""Runtimes write powers as 2^(e log2 x). For exponents from here on that of 0 is 0 whatever they take its log2 for."""


def number(value: float) -> str:
    """A float literal that reads back as the same float32."""
    text = f"{value:.9g}"
    text = text if any(c in text for c in ".einf") else text + ".0"
    return f"({text})" if value < 0 else text


def _matrix(rows: Sequence[float]) -> str:
    columns = [rows[row * 3 + column] for column in range(3) for row in range(3)]
    return f"(mat3({', '.join(map(number, columns))}) * {{0}})"


LANGUAGE = Language(
    name="glsl",
    types={kind: str(kind) for kind in Type},
    number=number,
    forms={
        "add": Form("({0} + {1})"),
        "subtract": Form("({0} - {1})"),
        "multiply": Form("({0} * {1})"),
        "divide": Form(
            "ep_divide({0}, {1})",
            helper="(float a, float b) { return b == 0.0 ? 0.0 : a / b; }",
            plain=lambda a, b: "({0} / {1})" if b.low > 0 or b.high < 0 else "",
        ),
        "minimum": Form("min({0}, {1})"),
        "maximum": Form("max({0}, {1})"),
        "clamp": Form(
            "min(max({0}, {1}), {2})",
            plain=lambda x, low, high: "clamp({0}, {1}, {2})" if low.high <= high.low else "",
        ),
        "mix": Form("mix({0}, {1}, {2})"),
        "step": Form("step({0}, {1})"),
        "equal": Form("float({0} == {1})", vectors="{kind}(equal({0}, {1}))"),
        "smoothstep": Form(
            "ep_smoothstep({0}, {1}, {2})",
            helper="(float a, float b, float x) { return a >= b ? step(a, x) : smoothstep(a, b, x); }",
            plain=lambda a, b, x: "smoothstep({0}, {1}, {2})" if a.high < b.low else "",
        ),
        "abs": Form("abs({0})"),
        "sqrt": Form(
            "ep_sqrt({0})",
            helper="(float x) { return sqrt(max(x, 0.0)); }",
            plain=lambda x: "sqrt({0})" if x.low >= 0 else "",
        ),
        "pow": Form(
            "ep_pow({0}, {1})",
            helper="(float x, float e) { return x > 0.0 ? pow(x, e) : (e == 0.0 ? 1.0 : 0.0); }",
            plain=lambda x, e: (
                "" if e.low < LEAST_PLAIN else "pow({0}, {1})" if x.low >= 0 else "pow(max({0}, 0.0), {1})"
            ),
        ),
        "log2": Form(
            "ep_log2({0})",
            helper=f"(float x) {{ return log2(max(x, {LEAST_LOG:g})); }}",
            plain=lambda x: "log2({0})" if x.low >= LEAST_LOG else "",
        ),
        "floor": Form("floor({0})"),
        "fract": Form("fract({0})"),
        "sin": Form("sin({0})"),
        "cos": Form("cos({0})"),
        "atan2": Form(
            "ep_atan2({0}, {1})",
            helper="(float y, float x) { return y == 0.0 ? (x < 0.0 ? 3.14159274 : 0.0) : atan(y, x); }",
        ),
        "select": Form("({0} > 0.5 ? {1} : {2})", vectors="mix({2}, {1}, greaterThan({0}, {kind}(0.5)))"),
        "length": Form("length({0})"),
        "dot": Form("dot({0}, {1})"),
        "swizzle": Form("{0}.{letters}"),
    },
    matrix=_matrix,
    chosen=("({x} >= {edge} ? {0} : {1})", "mix({1}, {0}, greaterThanEqual({x}, {edge}))"),
    held="clamp({0}, {1}, {2})",
    look_ups={
        "sample": "texture({slot}, {0})",
        "layer": "texture({slot}, vec3({0}, {1}))",
        "sample_lod": "textureLod({slot}, {0}, {1})",
        "layer_lod": "textureLod({slot}, vec3({0}, {1}), {2})",
    },
    statement="{kind} {name} = {value};",
    comment="// {text}",
    uniform="uniform {kind} {name};",
    slot=("uniform sampler2D {name};", "uniform sampler2DArray {name};"),
    fetch="texelFetch({slot}, ivec2({x}, {y}), 0)",
    function="{kind} {name}({parameters}) {{ return {kind}({value}); }}",
    parameter="{kind} {name}",
)
