"""The GLSL back end: writes an expression as the body of a function, for GLSL 3.30 and GLSL ES 3.00."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from even_palette.core.graph.nodes import Node, in_order
from even_palette.core.graph.operations import TABLE
from even_palette.core.graph.types import Type

LONGEST_INLINE = 64
UNIFORM_PREFIX = "p_"
TEXTURE_PREFIX = "t_"

STRIP_FUNCTION = """\
vec4 ep_strip(sampler2D strip, float position, float row) {
    vec2 size = vec2(textureSize(strip, 0));
    float u = (clamp(position, 0.0, 1.0) * (size.x - 1.0) + 0.5) / size.x;
    float v = (clamp(floor(row + 0.5), 0.0, size.y - 1.0) + 0.5) / size.y;
    return textureLod(strip, vec2(u, v), 0.0);
}
"""


@dataclass(frozen=True)
class Section:
    """A comment, and the node whose statements stand below it."""

    comment: str
    node: Node


@dataclass(frozen=True)
class GlslFunction:
    """A function body with what it needs around it. Parameters and slots are in order of first use."""

    helpers: str
    body: str
    parameters: tuple[tuple[str, Type], ...]
    slots: tuple[str, ...]


def emit(output: Node, sections: Sequence[Section] = ()) -> GlslFunction:
    """Write an expression as statements; the result of every shared node has a name and is computed once.

    The body expects `uv`, `instance_seed` and `time` in scope, uniforms named p_<parameter> and t_<slot>,
    and ends with a return.
    """
    writer = _Writer(output)
    for section in sections:
        writer.comment(section.comment)
        writer.name(section.node)
    writer.comment("Result")
    result = writer.expression(output)
    writer.lines.append(f"return {_bare(result)};")
    return GlslFunction(
        _helpers(in_order([output])),
        "\n".join(f"    {line}" for line in writer.lines),
        tuple(writer.parameters.items()),
        tuple(writer.slots),
    )


def uniform_name(parameter: str) -> str:
    return UNIFORM_PREFIX + parameter


def texture_name(slot: str) -> str:
    return TEXTURE_PREFIX + slot


class _Writer:
    """Writes statements in the order in which nodes are asked for."""

    def __init__(self, output: Node) -> None:
        self.uses = Counter(id(arg) for node in in_order([output]) for arg in node.args)
        self.lines: list[str] = []
        self.declared = 0
        self.texts: dict[int, str] = {}
        self.parameters: dict[str, Type] = {}
        self.slots: dict[str, None] = {}

    def comment(self, text: str) -> None:
        self.lines.append(f"// {' '.join(text.split())}")

    def name(self, node: Node) -> str:
        """Give a node a variable of its own, unless it has a short text already."""
        text = self.expression(node)
        if node.op not in ("constant", "parameter", "uv", "seed", "time") and not text.isidentifier():
            text = self._declare(node, text)
        return text

    def expression(self, node: Node) -> str:
        for below in in_order([node]):
            if id(below) not in self.texts:
                text = self._text(below)
                shared = self.uses[id(below)] > 1 and below.args and below.op != "swizzle"
                if shared or len(text) > LONGEST_INLINE:
                    text = self._declare(below, text)
                self.texts[id(below)] = text
        return self.texts[id(node)]

    def _declare(self, node: Node, text: str) -> str:
        name = f"v{self.declared}"
        self.declared += 1
        self.lines.append(f"{node.type} {name} = {_bare(text)};")
        self.texts[id(node)] = name
        return name

    def _text(self, node: Node) -> str:
        args = [self.texts[id(arg)] for arg in node.args]
        match node.op:
            case "constant":
                return literal(node.type, [float(c) for c in node.payload])
            case "parameter":
                self.parameters[str(node.payload[0])] = node.type
                return uniform_name(str(node.payload[0]))
            case "uv" | "time":
                return node.op
            case "seed":
                return "instance_seed"
            case "join":
                same = len(set(map(id, node.args))) == 1 and node.args[0].type == Type.FLOAT
                return f"{node.type}({args[0] if same else ', '.join(args)})"
            case "sample":
                self.slots[str(node.payload[0])] = None
                return f"texture({texture_name(str(node.payload[0]))}, {args[0]})"
            case "strip":
                self.slots[str(node.payload[0])] = None
                return f"ep_strip({texture_name(str(node.payload[0]))}, {args[0]}, {args[1]})"
            case "matrix":
                columns = [float(node.payload[row * 3 + column]) for column in range(3) for row in range(3)]
                return TABLE["matrix"].glsl.format(*args, matrix=f"mat3({', '.join(map(number, columns))})")
            case "swizzle":
                return TABLE["swizzle"].glsl.format(*args, payload=node.payload[0])
            case _:
                return TABLE[node.op].glsl.format(*args)


def _bare(text: str) -> str:
    """The text without a pair of parentheses that encloses all of it."""
    depth = 0
    for at, letter in enumerate(text):
        depth += (letter == "(") - (letter == ")")
        if depth == 0 and at < len(text) - 1:
            return text
    return text[1:-1] if text.startswith("(") else text


def number(value: float) -> str:
    """A GLSL float literal that reads back as the same float32."""
    text = f"{value:.9g}"
    text = text if any(c in text for c in ".einf") else text + ".0"
    return f"({text})" if value < 0 else text


def literal(kind: Type, components: Sequence[float]) -> str:
    if kind == Type.FLOAT:
        return number(components[0])
    if len(set(components)) == 1:
        return f"{kind}({number(components[0])})"
    return f"{kind}({', '.join(map(number, components))})"


def _helpers(nodes: list[Node]) -> str:
    """The helper functions that these nodes call: scalar ones, then their spread over the vector types in use."""
    used: dict[str, dict[Type, None]] = {}
    for node in nodes:
        if node.op in TABLE and TABLE[node.op].helper:
            used.setdefault(node.op, {})[node.type] = None
    texts = []
    for op, kinds in used.items():
        row = TABLE[op]
        name = row.glsl.split("(")[0]
        texts.append(f"float {name}{row.helper}\n")
        names = "abc"[: row.arity]
        for kind in kinds:
            if kind == Type.FLOAT:
                continue
            calls = [f"{name}({', '.join(f'{arg}.{channel}' for arg in names)})" for channel in "xyzw"[: kind.size]]
            head = ", ".join(f"{kind} {arg}" for arg in names)
            texts.append(f"{kind} {name}({head}) {{ return {kind}({', '.join(calls)}); }}\n")
    if any(node.op == "strip" for node in nodes):
        texts.append(STRIP_FUNCTION)
    return "".join(texts)
