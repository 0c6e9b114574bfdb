"""How coats read planes: as numbers, colours, strips, index maps and cells, and in which slots these planes stand."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace

from even_palette.core.graph import nodes
from even_palette.core.graph.mip_level import fitting_level
from even_palette.core.graph.nodes import Node, as_node, is_constant
from even_palette.core.graph.types import Type
from even_palette.core.graph.walks import replaced
from even_palette.core.material import tiling
from even_palette.core.material.colour_nodes import above, curved
from even_palette.core.material.declare import Atlas, IndexMap, Strip
from even_palette.core.material.input_levels import LEAST_STEP
from even_palette.core.material.model import PlaneKind, PlaneRef, PlaneUse
from even_palette.core.raster.sampling import SHARP, SMOOTH, Filter, Sampler, Wrap

IN_STRIP = Sampler(mips=False)
"""How strips are sampled: filtered, their ends held, never in mips."""
IN_ATLAS = Sampler(wrap=Wrap.REPEAT)
"""How cells of atlases are sampled: each repeats, and has mips of its own."""
Followed = Mapping[str, Node]
"""Numbers of a plane that follow parameters, by their names (see `plane_numbers`)."""
NOTHING: Followed = {}
WAYS = ("across", "down")


@dataclass(frozen=True)
class SlotUse:
    """What a slot holds: a plane under a sampler, made a `colour`, or cut into the cells of a grid.

    Strips of one width stand in one sheet, the rows of those `below` under those of the first.
    """

    plane: PlaneRef
    sampler: Sampler
    colour: bool = False
    grid: tuple[int, int] = (1, 1)
    cells: int = 0
    below: tuple[PlaneRef, ...] = ()


@dataclass(frozen=True)
class Pictures:
    """What a material must know of the planes of a sheet beside what coats say.

    `maps` are those of surface values, by the output that they set, each with whether all of its channels count;
    `size` gives width and height of a plane, entries and rows of a strip. Where the base is `grey`, one number a texel
    stands in its place, encoded. `beside_colour` is read with the base colour: its alpha, where that lies under all
    coats as it was painted.
    """

    maps: Mapping[str, tuple[PlaneUse, bool]] = field(default_factory=dict)
    size: Callable[[PlaneRef], tuple[int, int]] = lambda ref: (1, 1)
    grey: bool = False
    beside_colour: PlaneUse | None = None


class PlaneReads:
    """Turns uses of planes into expressions, and notes the `slots` that they sample and the size of each strip."""

    def __init__(self, pictures: Pictures) -> None:
        self.pictures = pictures
        self.slots: dict[str, SlotUse] = {}
        self.strips: dict[str, tuple[int, int]] = {}

    def value(self, use: PlaneUse, bound: Followed = NOTHING) -> Node:
        """The number 0..1 that a plane gives at the texel; `bound` are its numbers that are not fixed, by name."""
        x = self.texel(use, bound)["xyzw"[use.channel]]
        if "low" in bound or "high" in bound:
            low, wide = bound.get("low", use.low), bound.get("high", use.high) - bound.get("low", as_node(use.low))
            held = nodes.clamp((x - low) / nodes.maximum(wide, LEAST_STEP))
            x = nodes.select(nodes.step(LEAST_STEP, wide), held, above(x, low))
        elif (use.low, use.high) != (0.0, 1.0):
            fixed = use.high - use.low
            x = nodes.clamp((x - use.low) / fixed) if fixed >= LEAST_STEP else above(x, use.low)
        if "power" in bound or use.power != 1.0:
            x = curved(nodes.maximum(x, 0), bound.get("power", use.power))
        return 1 - x if use.invert else x

    def normal(self, use: PlaneUse, bound: Followed = NOTHING) -> Node:
        """The normal that a map gives at the texel, vec3 -1..1, y up; where it is turned, slopes turn back with it."""
        texel, turn = self.texel(use, bound), bound.get("turn", use.turn)
        x, y, z = texel["x"] * 2 - 1, texel["y"] * 2 - 1, texel["z"] * 2 - 1
        if isinstance(turn, Node) or turn % 360 != 0:
            slope = tiling.turned(nodes.join(x, -y), -as_node(turn) / 360)
            x, y = slope["x"], -slope["y"]
        return nodes.join(x, y, z)

    def strip(self, use: PlaneUse) -> Strip:
        """The rows of a palette or ramp."""
        slot = slot_name(use.plane, IN_STRIP)
        self.slots[slot] = SlotUse(use.plane, IN_STRIP)
        self.strips[slot] = self.pictures.size(use.plane)
        return Strip(slot, *self.strips[slot])

    def index(self, use: PlaneUse) -> IndexMap:
        """An index map: its nearest texel, what filters make of it, and the four texels around with their shares."""
        channel = "xyzw"[use.channel]
        sharp, smooth = replace(SHARP, wrap=use.wrap, mips=False), Sampler(wrap=use.wrap)

        def around() -> list[tuple[Node, Node]]:
            size = nodes.constant(*(float(side) for side in self.pictures.size(use.plane)))
            at = nodes.uv() * size - 0.5
            corner, share = nodes.floor(at), nodes.fract(at)
            across, down = share["x"], share["y"]
            found = []
            for x, y in ((0, 0), (1, 0), (0, 1), (1, 1)):
                uv = (corner + nodes.constant(x + 0.5, y + 0.5)) / size
                texel = self.sampled(use.plane, sharp, uv)[channel]
                found.append((texel, (across if x else 1 - across) * (down if y else 1 - down)))
            return found

        return IndexMap(self.sampled(use.plane, sharp)[channel], self.sampled(use.plane, smooth)[channel], around)

    def atlas(self, use: PlaneUse) -> Atlas:
        """The cells of a plane."""
        slot = f"cells_{use.grid[0]}_{use.grid[1]}_{use.count}_{slot_name(use.plane)}"
        self.slots[slot] = SlotUse(use.plane, IN_ATLAS, True, use.grid, use.count)
        width, height = self.pictures.size(use.plane)
        size = max(1, width // use.grid[0]), max(1, height // use.grid[1])

        def sample(number: Node, at: Node, steps: tuple[Node, Node]) -> Node:
            number = nodes.clamp(nodes.floor(number + 0.5), 0, use.count - 1)
            return nodes.layer_lod(slot, at, number, fitting_level(steps, size))

        return Atlas(use.count, sample, size[0] == size[1])

    def texel(self, use: PlaneUse, bound: Followed = NOTHING, colour: bool = False) -> Node:
        """A plane as it lies over the sheet; one that is tiled or turned has the mips that its own steps ask for."""
        sampler = Sampler(use.filter, use.wrap, use.mips)
        scale, turn = _pair("tiling", use.tiling, bound), bound.get("turn", use.turn)
        moved = _moved(use, bound, scale)
        # At the folds of a mirror drivers would see no way from one pixel to the next, and take a finer mip.
        folded = use.wrap == Wrap.MIRROR and use.mips
        straight = not isinstance(turn, Node) and turn % 360 == 0
        if is_constant(scale, 1) and straight and not folded:
            return self.sampled(use.plane, sampler, nodes.uv() + moved, colour)

        def turned(at: Node) -> Node:
            return tiling.turned(at, turn / 360)

        at = turned(nodes.uv() * scale - scale / 2) + scale / 2 + moved
        if not use.mips:
            return self.sampled(use.plane, sampler, at, colour)
        slot, at = self._slot(use.plane, sampler, colour), _held(sampler, at)
        steps, size = (nodes.pixel()["xy"] * scale, nodes.pixel()["zw"] * scale), self.pictures.size(use.plane)
        if size[0] != size[1]:  # a turn changes no length in a square
            steps = turned(steps[0]), turned(steps[1])
        return nodes.texture_lod(slot, at, fitting_level(steps, size))

    def sampled(self, plane: PlaneRef, sampler: Sampler, uv: Node | None = None, colour: bool = False) -> Node:
        """A plane under a sampler, (x, y, z, w), at uv or where the sheet is."""
        return nodes.texture(self._slot(plane, sampler, colour), _held(sampler, uv or nodes.uv()))

    def _slot(self, plane: PlaneRef, sampler: Sampler, colour: bool) -> str:
        slot = ("colour_" if colour else "") + slot_name(plane, sampler)
        self.slots[slot] = SlotUse(plane, sampler, colour)
        return slot


def in_one_sheet(
    roots: list[Node], slots: Mapping[str, SlotUse], strips: Mapping[str, tuple[int, int]]
) -> tuple[list[Node], dict[str, SlotUse]]:
    """The expressions with strips of one width looked up in one slot; `strips` has the width and rows of each."""
    moved: dict[str, tuple[str, int]] = {}
    below: dict[str, int] = {}
    made = dict(slots)
    for width in sorted({width for width, _ in strips.values()}):
        alike = [slot for slot, (other, _) in strips.items() if other == width]
        if len(alike) < 2:
            continue
        sheet, first = f"strips_{width}", 0
        planes = [made.pop(slot).plane for slot in alike]
        made[sheet] = SlotUse(planes[0], IN_STRIP, below=tuple(planes[1:]))
        for slot in alike:
            moved[slot] = sheet, first
            first += strips[slot][1]
        below[sheet] = first

    def look_up(node: Node) -> Node:
        (position, row), slot = node.args, str(node.payload[0])
        if slot not in moved:
            return node
        sheet, first = moved[slot]
        width, rows = strips[slot]
        return nodes.strip(sheet, (width, below[sheet]), position, nodes.clamp(row, 0, rows - 1) + first)

    return (replaced(roots, "strip", look_up) if moved else roots), made


def _pair(name: str, fixed: tuple[float, float], bound: Followed) -> Node:
    """Two numbers of a plane, across and down, a vec2."""
    parts = [bound.get(f"{name}_{way}", fixed[n]) for n, way in enumerate(WAYS)]
    return nodes.constant(*fixed) if not any(isinstance(part, Node) for part in parts) else nodes.join(*parts)


def _moved(use: PlaneUse, bound: Followed, tiles: Node) -> Node:
    """How far a plane lies from where it would, and how far it has gone, in widths and heights.

    What repeats is taken off the way before it is added to a place: after hours the way alone is so long that float32
    has no digits left for the place in it.
    """
    offset, speed = _pair("offset", use.offset, bound), _pair("speed", use.speed, bound)
    if is_constant(speed, 0):
        return offset
    way = speed * nodes.time()
    match use.wrap:
        case Wrap.REPEAT:
            way = nodes.fract(way)
        case Wrap.MIRROR:
            way = nodes.fract(way / 2) * 2
        case _:
            # The held edge goes on for ever: beyond the plane, turned or not, there is nothing else.
            far = nodes.splat((tiles["x"] + tiles["y"]) * 2 + 3, Type.VEC2)
            way = nodes.clamp(way, -far, far)
    return way + offset


def _held(sampler: Sampler, uv: Node) -> Node:
    """uv turned over where the wrap is a mirror, so that no host needs to know of mirrors."""
    return 1 - nodes.absolute(nodes.fract(uv / 2) * 2 - 1) if sampler.wrap == Wrap.MIRROR else uv


def slot_name(plane: PlaneRef, sampler: Sampler = SMOOTH) -> str:
    """The slot of a plane under a sampler: an identifier, and another one for each way of sampling."""
    how = [sampler.filter.value] if sampler.filter != Filter.LINEAR else []
    how += [sampler.wrap.value] if sampler.wrap != Wrap.CLAMP else []
    how += [] if sampler.mips else ["whole"]
    return "_".join([*how, plane.kind.value, plane.key])


def map_plane(key: str) -> PlaneRef:
    """A map by its key."""
    return PlaneRef(PlaneKind.MAP, key)
