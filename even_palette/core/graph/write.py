"""Writes a program as the body of a function, in any language of `languages`."""

from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from even_palette.core.graph.binding import UNIFORMS, Binding, texture_name
from even_palette.core.graph.bounds import Bounds, bounds_of
from even_palette.core.graph.languages import LANGUAGES, Language
from even_palette.core.graph.operations import TABLE
from even_palette.core.graph.program import LOOK_UPS, NodeRecord, Program
from even_palette.core.graph.types import Type
from even_palette.core.graph.uniform_work import setup_of

LONGEST_INLINE = 64
GLSL = LANGUAGES["glsl"]


@dataclass(frozen=True)
class Written:
    """A program as text: helper functions, the statements of a body, and the outputs as expressions after them.

    `declared` is what it reads, slots included. The body reads the vectors setup_0 and so on, which are the same at
    every texel: `setup` are statements that make them, with the expressions that they end in as `vectors`.
    """

    helpers: str
    body: str
    outputs: dict[str, str]
    declared: str
    setup: str = ""
    vectors: tuple[str, ...] = ()


def write(
    program: Program, language: Language = GLSL, binding: Binding = UNIFORMS, cheap_setup: bool = False
) -> Written:
    """Write a program as statements; what is used more than once has a name and is computed once.

    The setup has what costs much, or with `cheap_setup` all that saves anything (see `setup_of`); it has nothing where
    texels of one drawing read different values. The body expects `uv` in scope, and `pixel` and `screen` where the
    program uses them. Textures are named t_<slot>; the binding says where everything else comes from.
    """
    setup = setup_of(program, cheap_setup)
    given = {at: f"setup_{vector}.{channels}" for at, (vector, channels) in setup.places.items()}
    given = given if binding.same_everywhere else {}
    writer = _Writer(program, language, binding, given)
    before = _Writer(setup.program, language, binding)
    parts: list[list[str]] = [[] for _ in range(setup.vectors if given else 0)]
    for at in given:
        parts[setup.places[at][0]].append(_bare(before.texts[setup.program.outputs[setup.outputs[at]]]))
    sizes = [sum(len(channels) for v, channels in setup.places.values() if v == vector) for vector in range(len(parts))]
    kind, zero = language.types[Type.VEC4], language.number(0)
    vectors = [f"{kind}({', '.join([*found, *[zero] * (4 - size)])})" for found, size in zip(parts, sizes, strict=True)]
    declared = binding.declared(language, program)
    declared += [language.slot[is_array].format(name=texture_name(slot)) for slot, is_array in program.slots.items()]
    declared += [language.uniform.format(kind=kind, name=f"setup_{number}") for number in range(len(vectors))]
    lines = [*binding.before(language, program), *writer.lines]
    return Written(
        _helpers(language, writer.helped | (before.helped if given else {})),
        "\n".join(f"    {line}" for line in lines),
        {name: _bare(writer.texts[at]) for name, at in program.outputs.items()},
        "\n".join(declared),
        "\n".join(f"    {line}" for line in before.lines) if given else "",
        tuple(vectors),
    )


class _Writer:
    """Writes the records of a program in their order. What is `given` by place has a text already."""

    def __init__(
        self, program: Program, language: Language, binding: Binding, given: Mapping[int, str] | None = None
    ) -> None:
        self.program, self.language, self.binding = program, language, binding
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
                self.lines.append(language.comment.format(text=" ".join(program.comments[at].split())))
            if at in given or at not in needed or at in compared:
                self.texts.append(given.get(at, ""))
                continue
            text = self._text(record)
            plain = not record.args or record.op == "swizzle"
            named = uses[at] > 1 and not plain
            if named or len(text) > LONGEST_INLINE or (at in ends and not plain):
                kind, name = language.types[record.type], f"v{declared}"
                self.lines.append(language.statement.format(kind=kind, name=name, value=_bare(text)))
                text = name
                declared += 1
            self.texts.append(text)

    def _text(self, record: NodeRecord) -> str:
        args = [self.texts[at] for at in record.args]
        language, payload, kind = self.language, record.payload, self.language.types[record.type]
        match record.op:
            case "constant":
                return language.literal(record.type, [float(c) for c in payload])
            case "parameter":
                return self.binding.text(language, str(payload[0]), record.type)
            case "seed" | "time":
                return self.binding.text(language, record.op, record.type)
            case "uv" | "pixel" | "screen":
                return record.op
            case "join":
                same = len(set(record.args)) == 1 and self.program.records[record.args[0]].type == Type.FLOAT
                return f"{kind}({args[0] if same else ', '.join(args)})"
            case "select" if self.program.records[record.args[0]].op == "step" and not args[0]:
                edge, x = (self.texts[at] for at in self.program.records[record.args[0]].args)
                return language.chosen[record.type != Type.FLOAT].format(*args[1:], edge=edge, x=x)
            case "strip":
                return self._strip(record)
            case "layer":
                args.append(f"{float(payload[1]):.1f}")
            case "matrix":
                return language.matrix([float(part) for part in payload]).format(*args)
            case "swizzle":
                return language.forms["swizzle"].text.format(*args, letters=payload[0])
        if record.op in LOOK_UPS:
            return language.look_ups[record.op].format(*args, slot=texture_name(str(payload[0])))
        form = language.forms[record.op]
        plain = form.plain(*(self.bounds[at] for at in record.args)) if form.plain else ""
        if plain:
            return plain.format(*args)
        if form.helper:
            self.helped[record.op, record.type] = None
        return (form.vectors if form.vectors and record.type != Type.FLOAT else form.text).format(*args, kind=kind)

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
        language, number = self.language, self.language.number
        if not self.bounds[record.args[0]].within(0, 1):
            position = language.held.format(_bare(position), number(0), number(1))
        u = f"{position} * {number((width - 1) / width)} + {number(0.5 / width)}"
        v = number(0.5)
        if rows != 1:
            whole = language.forms["floor"].text.format(f"{row} + {number(0.5)}")
            nearest = language.held.format(whole, number(0), number(rows - 1))
            v = f"({nearest} + {number(0.5)}) * {number(1 / rows)}"
        at = f"{language.types[Type.VEC2]}({u}, {v})"
        return language.look_ups["sample_lod"].format(at, number(0), slot=texture_name(slot))


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


def _helpers(language: Language, helped: Iterable[tuple[str, Type]]) -> str:
    """The helper functions of operations: scalar ones, then their spread over the vector types in use."""
    texts: dict[str, None] = {}
    for op, kind in sorted(helped):
        form, types = language.forms[op], language.types
        name = form.text.split("(")[0]
        texts[f"{types[Type.FLOAT]} {name}{form.helper}\n"] = None
        if kind == Type.FLOAT:
            continue
        names = "abc"[: TABLE[op].arity]
        calls = [f"{name}({', '.join(f'{arg}.{channel}' for arg in names)})" for channel in "xyzw"[: kind.size]]
        head = ", ".join(language.parameter.format(kind=types[kind], name=arg) for arg in names)
        spread = language.function.format(kind=types[kind], name=name, parameters=head, value=", ".join(calls))
        texts[f"{spread}\n"] = None
    return "".join(texts)
