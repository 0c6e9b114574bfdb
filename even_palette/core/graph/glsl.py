"""The GLSL back end: writes a program as the body of a function, for GLSL 3.30 and GLSL ES 3.00."""

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from even_palette.core.graph.bounds import Bounds, bounds_of
from even_palette.core.graph.operations import INPUTS, TABLE
from even_palette.core.graph.program import NodeRecord, Program
from even_palette.core.graph.types import Type
from even_palette.core.graph.uniform_work import setup_of

LONGEST_INLINE = 64
UNIFORM_PREFIX = "p_"
TEXTURE_PREFIX = "t_"


@dataclass(frozen=True)
class GlslFunction:
    """A program in GLSL: helper functions, the statements of a body, and the outputs as expressions after them.

    `uniforms` declare what it reads, slots included. The body reads the vectors setup_0 and so on, which are the same
    at every texel: `setup` are statements that make them, with the expressions that they end in as `vectors`.
    """

    helpers: str
    body: str
    outputs: dict[str, str]
    uniforms: str
    setup: str = ""
    vectors: tuple[str, ...] = ()


def emit(program: Program, cheap_setup: bool = False) -> GlslFunction:
    """Write a program as statements; what is used more than once has a name and is computed once.

    The setup has what costs much, or with `cheap_setup` all that saves anything (see `setup`).

    The body expects `uv` in scope, and `pixel` where the program uses it. Uniforms are named p_<parameter> and
    t_<slot>, and as INPUTS says.
    """
    setup = setup_of(program, cheap_setup)
    writer = _Writer(program, {at: f"setup_{vector}.{channels}" for at, (vector, channels) in setup.places.items()})
    before = _Writer(setup.program)
    parts: list[list[str]] = [[] for _ in range(setup.vectors)]
    for at, (vector, _) in setup.places.items():
        parts[vector].append(_bare(before.texts[setup.program.outputs[setup.outputs[at]]]))
    sizes = [sum(len(channels) for v, channels in setup.places.values() if v == vector) for vector in range(len(parts))]
    vectors = [f"vec4({', '.join([*found, *['0.0'] * (4 - size)])})" for found, size in zip(parts, sizes, strict=True)]
    declared = [INPUTS[name].declaration for name in program.inputs if INPUTS[name].declaration]
    for slot, is_array in program.slots.items():
        declared.append(f"uniform sampler2D{'Array' if is_array else ''} {texture_name(slot)};")
    declared += [f"uniform {kind} {uniform_name(name)};" for name, kind in program.parameters.items()]
    declared += [f"uniform vec4 setup_{number};" for number in range(len(vectors))]
    return GlslFunction(
        _helpers(before.helped | writer.helped),
        "\n".join(f"    {line}" for line in writer.lines),
        {name: _bare(writer.texts[at]) for name, at in program.outputs.items()},
        "\n".join(declared),
        "\n".join(f"    {line}" for line in before.lines),
        tuple(vectors),
    )


def uniform_name(parameter: str) -> str:
    """What a parameter is called in a shader."""
    return UNIFORM_PREFIX + parameter


def texture_name(slot: str) -> str:
    """What the texture of a slot is called in a shader."""
    return TEXTURE_PREFIX + slot


class _Writer:
    """Writes the records of a program in their order. What is `given` by place has a text already."""

    def __init__(self, program: Program, given: Mapping[int, str] | None = None) -> None:
        self.program = program
        self.bounds: list[Bounds] = []
        self.helped: dict[tuple[str, Type], None] = {}
        """Operations that were written with their helper, by type."""
        given = given or {}
        needed = _needed(program, given)
        uses = Counter(arg for at in needed - given.keys() for arg in program.records[at].args)
        self.lines: list[str] = []
        self.texts: list[str] = []
        ends = {at - 1 for at in program.comments}
        declared = 0
        compared = self._compared(needed - given.keys())
        for at, record in enumerate(program.records):
            self.bounds.append(bounds_of(record.op, record.payload, [self.bounds[arg] for arg in record.args]))
            if at in program.comments:
                self.lines.append(f"// {' '.join(program.comments[at].split())}")
            if at in given or at not in needed or at in compared:
                self.texts.append(given.get(at, ""))
                continue
            text = self._text(record)
            plain = not record.args or record.op == "swizzle"
            named = uses[at] > 1 and not plain
            if named or len(text) > LONGEST_INLINE or (at in ends and not plain):
                self.lines.append(f"{record.type} v{declared} = {_bare(text)};")
                text = f"v{declared}"
                declared += 1
            self.texts.append(text)

    def _text(self, record: NodeRecord) -> str:
        args = [self.texts[at] for at in record.args]
        payload = record.payload
        match record.op:
            case "constant":
                return literal(record.type, [float(c) for c in payload])
            case "parameter":
                return uniform_name(str(payload[0]))
            case _ if record.op in INPUTS:
                return INPUTS[record.op].glsl
            case "join":
                same = len(set(record.args)) == 1 and self.program.records[record.args[0]].type == Type.FLOAT
                return f"{record.type}({args[0] if same else ', '.join(args)})"
            case "select" if self.program.records[record.args[0]].op == "step" and not args[0]:
                edge, x = (self.texts[at] for at in self.program.records[record.args[0]].args)
                if record.type == Type.FLOAT:
                    return f"({x} >= {edge} ? {args[1]} : {args[2]})"
                return f"mix({args[2]}, {args[1]}, greaterThanEqual({x}, {edge}))"
            case "sample":
                return f"texture({texture_name(str(payload[0]))}, {args[0]})"
            case "layer":
                return f"texture({texture_name(str(payload[0]))}, vec3({args[0]}, {float(payload[1]):.1f}))"
            case "sample_lod":
                return f"textureLod({texture_name(str(payload[0]))}, {args[0]}, {args[1]})"
            case "layer_lod":
                return f"textureLod({texture_name(str(payload[0]))}, vec3({args[0]}, {args[1]}), {args[2]})"
            case "strip":
                return self._strip(record)
            case "matrix":
                columns = [float(payload[row * 3 + column]) for column in range(3) for row in range(3)]
                return TABLE["matrix"].glsl.format(*args, matrix=f"mat3({', '.join(map(number, columns))})")
            case "swizzle":
                return TABLE["swizzle"].glsl.format(*args, payload=payload[0])
        row = TABLE[record.op]
        plain = row.plain(*(self.bounds[at] for at in record.args)) if row.plain else ""
        if plain:
            return plain.format(*args)
        if row.helper:
            self.helped[record.op, record.type] = None
        form = row.vectors if row.vectors and record.type != Type.FLOAT else row.glsl
        return form.format(*args, kind=record.type)

    def _compared(self, written: set[int]) -> set[int]:
        """Steps that only say which of two a select takes; those are written as a comparison there."""
        records = self.program.records
        users: dict[int, set[str]] = {at: {"output"} for at in self.program.outputs.values()}
        for at in written:
            for number, arg in enumerate(records[at].args):
                chooses = records[at].op == "select" and number == 0
                users.setdefault(arg, set()).add("choice" if chooses else "value")
        return {at for at in written if records[at].op == "step" and users.get(at) == {"choice"}}

    def _strip(self, record: NodeRecord) -> str:
        """The texel of a place: u = (p (N - 1) + 0.5) / N, and v of the middle of the nearest row."""
        slot, width, rows = str(record.payload[0]), *map(float, record.payload[1:])
        position, row = (self.texts[at] for at in record.args)
        if not self.bounds[record.args[0]].within(0, 1):
            position = f"clamp({_bare(position)}, 0.0, 1.0)"
        u = f"{position} * {number((width - 1) / width)} + {number(0.5 / width)}"
        if rows == 1:
            return f"textureLod({texture_name(slot)}, vec2({u}, 0.5), 0.0)"
        v = f"(clamp(floor({row} + 0.5), 0.0, {number(rows - 1)}) + 0.5) * {number(1 / rows)}"
        return f"textureLod({texture_name(slot)}, vec2({u}, {v}), 0.0)"


def _needed(program: Program, given: Mapping[int, str]) -> set[int]:
    """The places of what the outputs need, where what is given needs nothing."""
    needed, stack = set[int](), list(program.outputs.values())
    while stack:
        at = stack.pop()
        if at not in needed:
            needed.add(at)
            stack += [] if at in given else program.records[at].args
    return needed


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
    """A constant in GLSL; one component where all are the same."""
    if kind == Type.FLOAT:
        return number(components[0])
    if len(set(components)) == 1:
        return f"{kind}({number(components[0])})"
    return f"{kind}({', '.join(map(number, components))})"


def _helpers(helped: Iterable[tuple[str, Type]]) -> str:
    """The helper functions of operations: scalar ones, then their spread over the vector types in use."""
    texts: dict[str, None] = {}
    for op, kind in sorted(helped):
        row = TABLE[op]
        name = row.glsl.split("(")[0]
        texts[f"float {name}{row.helper}\n"] = None
        if kind == Type.FLOAT:
            continue
        names = "abc"[: row.arity]
        calls = [f"{name}({', '.join(f'{arg}.{channel}' for arg in names)})" for channel in "xyzw"[: kind.size]]
        head = ", ".join(f"{kind} {arg}" for arg in names)
        texts[f"{kind} {name}({head}) {{ return {kind}({', '.join(calls)}); }}\n"] = None
    return "".join(texts)
