"""Writes a program as one loop over pixels, in Python that Numba compiles; `fused` runs it.

What is the same at every pixel is computed once before the loop. What only counts where a weight is not 0, such as the
coats of a region, is computed only there.
"""

import hashlib
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path

from even_palette.core.graph.loop_slots import SlotReading
from even_palette.core.graph.operations import TABLE
from even_palette.core.graph.program import LOOK_UPS, NodeRecord, Program

PARTS = Path(__file__).with_name("loop_parts.py")
HEAD = f"""\
# {hashlib.sha256(PARTS.read_bytes()).hexdigest()}
from even_palette.core.graph.loop_parts import *
"""
"""How loops begin: what they call is part of what they are, so that none outlives it in the cache folder."""


@dataclass(frozen=True, eq=False)
class _Group:
    """What only counts where a weight is not 0: products with it, what is needed for these alone, and what they are
    added to: the sum that each product goes into, with what it is added to there."""

    weight: int
    products: set[int]
    needed: set[int]
    sums: dict[int, tuple[int, int]]

    @property
    def nodes(self) -> set[int]:
        return self.products | self.needed | {at for at, _ in self.sums.values()}


LEAST_SKIPPED = 3
"""Nodes that must hang on a weight for a branch to be worth it."""


def write_loop(program: Program, bound: Mapping[str, SlotReading], stores: Mapping[str, str]) -> str:
    """The text of a module with a function `loop`; `stores` says how outputs are kept: float, level or encoded."""
    return _Writer(program, bound, stores).text()


def slot_arguments(slots: Iterable[str]) -> list[str]:
    """The arguments of a loop for its slots.

    Samples (layers, h, w, C) with the tables of their colours and data; levels of all layers as one list of texels with
    their table, and where each begins with its height and width, (layers, levels, 3).
    """
    return [f"{part}{number}" for number, _ in enumerate(slots) for part in "stdbep"]


class _Writer:
    def __init__(self, program: Program, bound: Mapping[str, SlotReading], stores: Mapping[str, str]) -> None:
        self.program, self.stores = program, stores
        self.slots = list(bound)
        self.bound = bound
        self.kinds = list(dict.fromkeys(bound.values()))
        self.records = program.records
        self.fixed = self._fixed()
        self.names: dict[int, list[str]] = {}
        self.constants: dict[str, str] = {}
        self.before: list[str] = []
        self.inside: list[str] = []

    # What is the same everywhere, and what hangs on a weight

    def _fixed(self) -> list[bool]:
        fixed: list[bool] = []
        for record in self.records:
            varies = record.op in ("uv", "screen") or (record.op in LOOK_UPS and record.op != "strip")
            fixed.append(not varies and all(fixed[at] for at in record.args))
        return fixed

    def _groups(self) -> dict[int, _Group]:
        """The group of each node that is in one."""
        users: dict[int, set[int]] = {}
        for at, record in enumerate(self.records):
            for arg in record.args:
                users.setdefault(arg, set()).add(at)
        outputs = set(self.program.outputs.values())
        by_weight: dict[int, set[int]] = {}
        for at, record in enumerate(self.records):
            if record.op == "multiply" and not self.fixed[at]:
                for arg in record.args:
                    weight = self._weight(arg)
                    if weight is not None:
                        by_weight.setdefault(weight, set()).add(at)
        found: dict[int, _Group] = {}
        for weight, products in by_weight.items():
            needed: set[int] = set()
            for at in range(max(products), -1, -1):
                if at in products or at in outputs or self.fixed[at] or at == weight:
                    continue
                if users.get(at) and users[at] <= needed | products:
                    needed.add(at)
            needed -= self._reached({weight}, {})
            if len(needed) < LEAST_SKIPPED or any(at in found for at in needed | products):
                continue
            outside = {arg for at in needed | products for arg in self.records[at].args} - needed - products
            if products & self._reached(outside, found):
                continue
            group = _Group(weight, products, needed, self._sums(products, users, found))
            found |= dict.fromkeys(group.nodes, group)
        return found

    def _sums(
        self, products: set[int], users: dict[int, set[int]], found: dict[int, _Group]
    ) -> dict[int, tuple[int, int]]:
        """Products that are added to something without them and used nowhere else: the sum, and that something."""
        sums: dict[int, tuple[int, int]] = {}
        for product in products:
            own = users.get(product, set())
            at = next(iter(own), -1)
            if len(own) != 1 or product in self.program.outputs.values() or self.records[at].op != "add" or at in found:
                continue
            first, second = self.records[at].args
            other = first if second == product else second
            if other != product and not products & self._reached({other}, found):
                sums[product] = at, other
        return sums

    def _reached(self, starts: set[int], found: dict[int, _Group]) -> set[int]:
        """All that has to be there before some nodes are. Blocks come whole, so no two may need each other."""
        seen, stack = set[int](), list(starts)
        while stack:
            one = stack.pop()
            if one not in seen:
                seen.add(one)
                stack += self.records[one].args
                stack += found[one].nodes if one in found else ()
        return seen

    def _weight(self, at: int) -> int | None:
        """The float that a factor is, spread or not, where it is read from a slot of shares."""
        record = self.records[at]
        if record.op == "join" and len(set(record.args)) == 1:
            return self._weight(record.args[0])
        if record.op != "swizzle" or len(str(record.payload[0])) != 1:
            return None
        source = self.records[record.args[0]]
        return at if source.op in ("layer", "sample") and self.bound[str(source.payload[0])].shares else None

    # The text

    def text(self) -> str:
        groups = self._groups()
        done: set[int] = set()

        def visit(root: int, lines: list[str], within: _Group | None, pad: str) -> None:
            stack = [(root, False)]
            while stack:
                at, ready = stack.pop()
                if at in done:
                    continue
                group = groups.get(at)
                if group is not None and group is not within:
                    if ready:
                        self._block(group, lines, visit, pad)
                        done.update(group.nodes)
                        continue
                    outside = {arg for one in group.nodes for arg in self.records[one].args} - group.nodes
                    stack.append((at, True))
                    stack += [(arg, False) for arg in sorted(outside, reverse=True)]
                    stack.append((group.weight, False))
                elif ready:
                    self._statement(at, self.before if self.fixed[at] else lines, "    " if self.fixed[at] else pad)
                    done.add(at)
                else:
                    stack.append((at, True))
                    stack += [(arg, False) for arg in reversed(self.records[at].args)]

        for at in self.program.outputs.values():
            visit(at, self.inside, None, "            ")
        writes = [line for name, at in self.program.outputs.items() for line in self._stored(name, at)]
        arguments = [
            "first", "rows", "width", "column", "row", "origin_u", "origin_v", "step_u", "step_v", "values", "seed",
            "time", "pixel", "lods", "table", "edges", *slot_arguments(self.slots),
            *(f"out_{name}" for name in self.program.outputs),
        ]  # fmt: skip
        return "\n".join(
            [
                HEAD,
                *(f"{name} = np.float32({value})" for value, name in self.constants.items()),
                *(self._reader(number, bound) for number, bound in enumerate(self.kinds)),
                "",
                "",
                '@nb.njit(nogil=True, cache=True, error_model="numpy", fastmath={"contract"})',
                f"def loop({', '.join(arguments)}):",
                *self.before,
                "    for y in range(rows):",
                "        v = np.float32(origin_v + (first + y + 0.5) * step_v)",
                "        for x in range(width):",
                "            u = np.float32(origin_u + (x + 0.5) * step_u)",
                *self.inside,
                *writes,
                "",
            ]
        )

    def _block(self, group: _Group, lines: list[str], visit: Callable[..., None], pad: str) -> None:
        """Where the weight is 0 products are 0, and sums are what the products would be added to."""
        inner: list[str] = []
        without: list[str] = []
        for product in sorted(group.products):
            visit(product, inner, group, pad + "    ")
            at, other = group.sums.get(product, (product, -1))
            if other >= 0:
                visit(at, inner, group, pad + "    ")
            kept = self.names[other] if other >= 0 else ["ZERO"] * len(self.names[at])
            without += [f"{pad}    {name} = {value}" for name, value in zip(self.names[at], kept, strict=True)]
        lines.append(f"{pad}if {self.names[group.weight][0]} != ZERO:")
        lines += inner
        lines.append(f"{pad}else:")
        lines += without

    def _statement(self, at: int, lines: list[str], pad: str) -> None:
        texts = self._texts(at, self.records[at])
        if isinstance(texts, str):
            names = [f"v{at}_{part}" for part in range(self.records[at].type.size)]
            lines.append(f"{pad}{', '.join(names)} = {texts}")
            self.names[at] = names
            return
        names = []
        for part, text in enumerate(texts):
            if text.isidentifier():
                names.append(text)
                continue
            names.append(f"v{at}_{part}")
            lines.append(f"{pad}{names[-1]} = {text}")
        self.names[at] = names

    def _texts(self, at: int, record: NodeRecord) -> list[str] | str:
        """A text for each component; or one that gives all of them, for a look-up."""
        args = [self.names[arg] for arg in record.args]
        size = record.type.size
        match record.op:
            case "constant":
                return [self._constant(float(value)) for value in record.payload]
            case "parameter":
                first = self._place(str(record.payload[0]))
                return [f"values[{first + part}]" for part in range(size)]
            case "uv":
                return ["u", "v"]
            case "screen":
                return ["np.float32(column + x)", "np.float32(row + first + y)"]
            case "seed":
                return ["seed"]
            case "time":
                return ["time"]
            case "pixel":
                return [f"pixel[{part}]" for part in range(4)]
            case "join":
                return [name for arg in args for name in arg]
            case "swizzle":
                return [args[0]["xyzw".index(letter)] for letter in str(record.payload[0])]
            case "length":
                return [f"np.sqrt({' + '.join(f'{name} * {name}' for name in args[0])})"]
            case "dot":
                return [f"({' + '.join(f'{a} * {b}' for a, b in zip(*args, strict=True))})"]
            case "matrix":
                rows = [record.payload[row * 3 : row * 3 + 3] for row in range(3)]
                return [
                    f"({' + '.join(f'{self._constant(float(m))} * {x}' for m, x in zip(row, args[0], strict=True))})"
                    for row in rows
                ]
            case op if op in LOOK_UPS:
                return self._look_up(record, args)
        row = TABLE[record.op]
        return [row.loop.format(*(arg[part] for arg in args)) for part in range(size)]

    def _look_up(self, record: NodeRecord, args: list[list[str]]) -> str:
        slot = str(record.payload[0])
        number, kind = self.slots.index(slot), self.kinds.index(self.bound[slot])
        given, chain = f"s{number}, t{number}, d{number}", f"b{number}, e{number}, p{number}"
        match record.op:
            case "strip":
                return f"strip{kind}({given}, {args[0][0]}, {args[1][0]})"
            case "sample_lod" | "layer_lod":
                u, v = args[0]
                of_layer = args[1][0] if record.op == "layer_lod" else "ZERO"
                if not self.bound[slot].chained:
                    return f"sample{kind}({given}, int({of_layer}), {u}, {v})"
                bias = self.bound[slot].bias
                level = f"{args[-1][0]} + {self._constant(bias)}" if bias else args[-1][0]
                lod = f"min(max({level}, ZERO), np.float32(p{number}.shape[1] - 1))"
                return f"mip{kind}({chain}, {u}, {v}, {lod}, {of_layer})"
        layer = int(record.payload[1]) if record.op == "layer" else 0
        if self.bound[slot].minified:
            at = f"{chain}, {args[0][0]}, {args[0][1]}, lods[{number}, 0], np.float32({layer})"
            return f"probed{kind}({at}, lods[{number}])" if self.bound[slot].probed else f"mip{kind}({at})"
        if self.bound[slot].direct and self.records[record.args[0]].op == "uv":
            return f"texel{kind}({given}, {layer}, y, x)"
        return f"sample{kind}({given}, {layer}, {args[0][0]}, {args[0][1]})"

    def _place(self, parameter: str) -> int:
        place = 0
        for name, kind in self.program.parameters.items():
            if name == parameter:
                return place
            place += kind.size
        raise KeyError(parameter)

    def _constant(self, value: float) -> str:
        text = repr(value)
        return self.constants.setdefault(text, f"C{len(self.constants)}")

    def _stored(self, name: str, at: int) -> list[str]:
        how = {"float": "{0}", "level": "level8({0})", "encoded": "encoded8({0}, table, edges)"}[self.stores[name]]
        return [
            f"            out_{name}[y, x, {part}] = {how.format(text)}" for part, text in enumerate(self.names[at])
        ]

    def _reader(self, number: int, bound: SlotReading) -> str:
        """Functions that read slots of one kind: a texel, a sample between texels, one of a level, one of a strip."""
        colours = 3 if bound.channels > 2 else 1

        def channel(at: int, place: str) -> str:
            if at >= bound.channels:
                return "ONE" if at == 3 else "ZERO"
            if place == "level":
                read = f"b[place + i * w + j, {at}]"
                return f"e[{read}]" if bound.integer_levels else read
            read = f"s[layer, i, j, {at}]"
            return f"{'t' if at < colours else 'd'}[{read}]" if bound.integer else read

        texel = ", ".join(channel(at, "texel") for at in range(4))
        kept = ", ".join(channel(at, "level") for at in range(4))
        near = "near" if bound.nearest else "between"
        given = ("texel", "sample", "strip", *(("mip", "probed") if bound.chained else ()))
        names = ", ".join(f"{name}{number}" for name in given)
        return f"{names} = readers({texel!r}, {kept!r}, {near!r}, {bound.repeat}, {bound.chained})"
