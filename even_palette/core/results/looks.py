"""What a pane can look at. Each look is an expression, so every back end shows the same."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from even_palette.core.arrays import Bools, Floats, Levels, float32
from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.colour.luma import BT601
from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.errors import UserError
from even_palette.core.graph import nodes, slots
from even_palette.core.graph.nodes import Node
from even_palette.core.graph.program import Program, program_of
from even_palette.core.graph.reference import Environment, run
from even_palette.core.graph.slots import Slot
from even_palette.core.graph.types import Type
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus, Source
from even_palette.core.kit.owners import OVER, coats_of
from even_palette.core.material.build import acting, linear_setting
from even_palette.core.material.coats import COATS
from even_palette.core.material.colour_nodes import encode, to_oklab
from even_palette.core.material.outputs import COLOUR, LIGHT, OUTPUTS
from even_palette.core.material.variants import MASTER, resolve
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane, to_levels8
from even_palette.core.raster.sampling import SHARP, SMOOTH
from even_palette.core.regions.packing import plane_and_channel
from even_palette.core.results.bakes import known_bake_plane
from even_palette.core.results.footprints import footprint_of
from even_palette.core.results.id_map import mask_size_of
from even_palette.core.results.maps import paint_of, plane_of_map
from even_palette.core.results.masks import mask_of
from even_palette.core.results.materials import dressed, material_of, packing_plan, pictures_of
from even_palette.core.results.planes import tone_of
from even_palette.core.results.sheet_mesh import mesh_on_sheet
from even_palette.core.results.shown_ids import shown_ids_of
from even_palette.core.results.slots import slots_of
from even_palette.core.results.store import Store
from even_palette.core.results.weights import MOST_MASK_SUM, weights_of

DIFFERENCE_GAIN = 4.0
HOLE = (0.13, 0.42, 0.95)
OVERLAP = (0.98, 0.58, 0.08)
COVERED = 0.78


class LookKind(StrEnum):
    """What a pane can show."""

    RESULT = "result"
    SOURCE = "source"
    ID = "ID colours"
    WEIGHT = "weight"
    MASK = "mask"
    HEAT = "sum of masks"
    BAKE = "bake"
    LAYOUT = "UV layout"
    SURFACE = "surface value"
    TONE = "tone"
    ENTRY = "entry"
    DIFFERENCE = "difference"
    COAT = "where a coat acts"


@dataclass(frozen=True)
class Look:
    """What to show: a variant's result or surface value, a map, ID colours, a region's weight, the masks' sum, a bake.

    Of a region's mask, how it is after its first `steps`, before overlaps are resolved.
    `map` is the key of a map, "" for the base colour, or of a tone; `output` one of OUTPUTS, as the variant has it. Of
    an index map, where the `entry` occurs. Of two variants, how far the `other` one's colour is away. How far a `coat`
    by its number, of the owner that `region` names (see `coats_of`), acts in a variant.
    """

    kind: LookKind = LookKind.RESULT
    variant: str = MASTER
    region: str = ""
    map: str = ""
    bake: str = ""
    output: str = COLOUR
    steps: int = 0
    entry: int = 0
    other: str = MASTER
    coat: int = 0


@dataclass(frozen=True)
class View:
    """Which part of the sheet: uv of the upper left corner, uv per pixel across and down, and the size in pixels."""

    origin: tuple[float, float]
    scale: tuple[float, float]
    width: int
    height: int

    def uv(self) -> Floats:
        """uv of every pixel centre, (height, width, 2)."""
        u = self.origin[0] + (np.arange(self.width) + 0.5) * self.scale[0]
        v = self.origin[1] + (np.arange(self.height) + 0.5) * self.scale[1]
        return float32(np.stack(np.broadcast_arrays(u[None, :], v[:, None]), axis=-1))


def whole_sheet(width: int, height: int) -> View:
    """One pixel a texel."""
    return View((0.0, 0.0), (1 / width, 1 / height), width, height)


SHOWN = "shown"
"""The output of a picture that is seen, encoded RGB; others are surface values that a lit view takes."""


@dataclass(frozen=True)
class Picture:
    """A look made ready: expressions by name, of which `shown` is what is seen, with the slots and inputs they need.

    `light` is what is seen in linear light, where it is a colour of the material.
    """

    outputs: Mapping[str, Node]
    slots: Mapping[str, Slot]
    inputs: Mapping[str, float | tuple[float, ...]]
    seed: float = 0.0
    time: float = 0.0
    light: Node | None = None

    @property
    def program(self) -> Program:
        """The program of all outputs."""
        return program_of(self.outputs)

    def looks_like(self, other: "Picture") -> bool:
        """Whether both are the same at every pixel, as they are made of the same."""
        return self._made_of == other._made_of

    @property
    def _made_of(self) -> tuple[object, ...]:
        slots = {name: (slot.content_id, slot.sampler, slot.is_array) for name, slot in self.slots.items()}
        return self.outputs, slots, self.inputs, self.seed, self.time

    @property
    def finest(self) -> tuple[int, int]:
        """Width and height of the finest plane that is sampled."""
        planes = [slot.plane for slot in self.slots.values()]
        widest = max(planes, key=lambda plane: plane.width)
        return widest.width, widest.height


def picture(at: Focus, store: Store, look: Look) -> Picture:
    """The expressions of a look. Raises UserError if a map that it needs cannot be read."""
    match look.kind:
        case LookKind.RESULT | LookKind.SURFACE:
            return _result(at, store, look)
        case LookKind.DIFFERENCE:
            return _difference(at, store, look)
        case LookKind.COAT:
            return _acting(at, store, look)
        case LookKind.SOURCE:
            source = at.sheet.source(Role.BASE_COLOUR) if not look.map else _map(at, look.map)
            if source is None:
                raise UserError("There is no such map yet; open one in Source.")
            return map_picture(plane_of_map(source, store))
        case LookKind.ID:
            ids = shown_ids_of(at, store)
            if ids is None:
                raise UserError("There is no ID map and no mesh yet; open one in Source.")
            return map_picture(ids, sharp=True)
        case LookKind.LAYOUT:
            found, size = mesh_on_sheet(at, store), mask_size_of(at, store)
            seen = footprint_of(at, store, *size)
            if found is None or seen is None:
                raise UserError("There is no mesh on this sheet yet; open one in Source.")
            claims = Plane(seen.claims[..., None], Encoding.DATA, f"claims {found.content_id} {size}")
            return Picture({SHOWN: _layout()}, {"claims": slots.of(claims, SHARP)}, {})
        case LookKind.BAKE:
            made = known_bake_plane(at, store, at.sheet.bake(look.bake))
            if made is None:
                raise UserError("The bake is being made …")
            return map_picture(made)
        case LookKind.TONE:
            return map_picture(_tone(at, store, look.map))
        case LookKind.ENTRY:
            return _entry(at, store, look)
        case LookKind.WEIGHT:
            names = [region.key for region in at.sheet.regions]
            if look.region not in names:
                raise UserError("Choose a region to see its weight.")
            plane_index, channel = plane_and_channel(names.index(look.region))
            texel = nodes.texture("weights", nodes.uv())["xyzw"[channel]]
            packed = weights_of(at, store).packed[plane_index]
            return Picture({SHOWN: nodes.join(texel, texel, texel)}, {"weights": slots.of(packed)}, {})
        case LookKind.MASK:
            if all(region.key != look.region for region in at.sheet.regions):
                raise UserError("Choose a region to see its mask.")
            return map_picture(mask_of(at, store, look.region, look.steps))
        case LookKind.HEAT:
            return Picture({SHOWN: _heat()}, {"mask_sum": slots.of(weights_of(at, store).mask_sum)}, {})


def _tone(at: Focus, store: Store, key: str) -> Plane:
    if all(tone.key != key for tone in at.sheet.tones):
        raise UserError("There is no such tone yet; add one in Tones.")
    return tone_of(at, store, at.sheet.tone(key))


def _entry(at: Focus, store: Store, look: Look) -> Picture:
    """The paint, dimmed and grey but where a palette's entry occurs."""
    index = _tone(at, store, look.map)
    count = at.kit.palette(at.sheet.tone(look.map).palette).size
    stored = nodes.texture("index", nodes.uv())["x"]
    here = 1 - nodes.step(0.5, nodes.absolute(nodes.floor(stored * max(1, count - 1) + 0.5) - look.entry))
    colour = encode(nodes.clamp(nodes.texture("map", nodes.uv())["xyz"]))
    dim = nodes.splat(nodes.dot(colour, nodes.constant(*BT601)) * 0.3 + 0.1, Type.VEC3)
    return Picture(
        {SHOWN: nodes.mix(dim, colour, here)},
        {"map": slots.of(paint_of(at, store)), "index": slots.of(index, SHARP)},
        {},
    )


def _map(at: Focus, key: str) -> Source | None:
    return next((source for source in at.sheet.sources if source.key == key), None)


def _result(at: Focus, store: Store, look: Look) -> Picture:
    """The material in a variant, with its surface values; or one of these seen as grey."""
    material = material_of(at, store, live=True)
    plan = packing_plan(at, material, live=True)
    outputs = material.packed(plan)
    light = None
    if look.kind == LookKind.SURFACE:
        value = outputs.get(look.output)
        if value is None:
            raise UserError(f"Nothing sets {OUTPUTS[look.output].label.lower()} on this sheet.")
        wide = value if value.type == Type.VEC3 else nodes.join(value, value, value)
        shown = {SHOWN: encode(nodes.clamp(wide)) if look.output in LIGHT else wide}
    else:
        light = outputs.pop(COLOUR)
        shown = {SHOWN: encode(nodes.clamp(light)), **outputs}
    there = {**slots_of(at, store, material.slots), **plan.slots(weights_of(at, store).packed)}
    settings = resolve(at.kit.parameters, at.kit.variants, look.variant)
    return Picture(shown, there, material.inputs(settings), light=light)


def _difference(at: Focus, store: Store, look: Look) -> Picture:
    """How far the colours of two variants are from each other: OKLab distance, white from a quarter on."""
    material = material_of(at, store, live=True)
    plan = packing_plan(at, material, live=True)
    one = material.packed(plan)[COLOUR]
    (other,) = nodes.replaced(
        [one], "parameter", lambda node: nodes.parameter(f"Other_{node.payload[0]}", node.type)
    )  # keys have no capitals, so no two names are alike
    apart = nodes.length(to_oklab(nodes.clamp(one)) - to_oklab(nodes.clamp(other))) * DIFFERENCE_GAIN
    settings = [resolve(at.kit.parameters, at.kit.variants, key) for key in (look.variant, look.other)]
    inputs = dict(material.inputs(settings[0]))
    inputs |= {f"Other_{name}": value for name, value in material.inputs(settings[1]).items()}
    there = {**slots_of(at, store, material.slots), **plan.slots(weights_of(at, store).packed)}
    return Picture({SHOWN: nodes.join(apart, apart, apart)}, there, inputs)


def _acting(at: Focus, store: Store, look: Look) -> Picture:
    """How far a coat acts, as grey."""
    try:
        there = look.coat < len(coats_of(at.kit, look.region))
    except KeyError:
        there = False
    if not there:
        raise UserError("There is no such coat any more.")
    region = dressed(at, store, look.region)
    found = acting(region, look.coat, at.kit.parameters, pictures_of(at, store), live=True)
    share = found.outputs["share"]
    settings = resolve(at.kit.parameters, at.kit.variants, look.variant)
    inputs = {**found.extra, **{key: linear_setting(setting) for key, setting in settings.items()}}
    return Picture({SHOWN: nodes.join(share, share, share)}, slots_of(at, store, found.slots), inputs)


def coats_that_vary(at: Focus, owner: str) -> list[int]:
    """The numbers of an owner's coats that do not act alike everywhere, by a mask of their own or a pattern."""
    coats = coats_of(at.kit, owner)
    return [n for n, coat in enumerate(coats) if coat.pattern is not None or COATS[coat.kind].varies(coat.values)]


def surface_outputs(at: Focus) -> list[str]:
    """The outputs beside colour that the coats of a sheet may set, in order; its maps can be looked at as they are."""
    found = set[str]()
    owners = [*(region.key for region in at.sheet.regions), OVER + at.key]
    coats = [coat for owner in owners for coat in coats_of(at.kit, owner) if coat.on]
    found.update(name for coat in coats for name in COATS[coat.kind].set_by(coat.planes))
    return [name for name in OUTPUTS if name in found and name != COLOUR]


def map_picture(plane: Plane, sharp: bool = False) -> Picture:
    """A plane as it is stored; colour planes are filtered in linear light, then encoded."""
    texel = nodes.texture("map", nodes.uv())
    colour = texel["xxx"] if plane.channels < 3 else texel["xyz"]
    if plane.encoding != Encoding.DATA:
        colour = encode(nodes.clamp(colour))
    return Picture({SHOWN: colour}, {"map": slots.of(plane, SHARP if sharp else SMOOTH)}, {})


def _heat() -> Node:
    """Sum of masks: blue where a texel is not fully claimed, grey at exactly 1, orange where it is claimed twice."""
    total = nodes.texture("mask_sum", nodes.uv())["x"] * MOST_MASK_SUM
    step = 1 / 255
    grey = nodes.constant(COVERED, COVERED, COVERED)
    hole = nodes.constant(*HOLE) * (nodes.clamp(total) * 0.75 + 0.25) * nodes.step(step, total)
    under = nodes.mix(hole, grey, nodes.step(1 - step, total))
    over = nodes.mix(grey, nodes.constant(*OVERLAP), nodes.clamp((total - 1) * 2 + 0.4))
    return nodes.select(nodes.step(1 + step, total), over, under)


def _layout() -> Node:
    """UV layout: dark where no face lies, grey where one does, orange where several overlap."""
    claims = nodes.texture("claims", nodes.uv())["x"] * 255
    one = nodes.mix(
        nodes.constant(0.18, 0.18, 0.18), nodes.constant(COVERED, COVERED, COVERED), nodes.step(0.5, claims)
    )
    return nodes.select(nodes.step(1.5, claims), nodes.constant(*OVERLAP), one)


def view_of(place: tuple[float, float, float, float], width: int, height: int) -> View:
    """A view of this size that shows a rectangle of uv with room around it, at the same scale both ways."""
    left, top, right, bottom = place
    side = max(0.04, (right - left) * 2.2, (bottom - top) * 2.2 * width / height)
    scale = min(side, 1.15) / width
    middle = ((left + right) / 2, (top + bottom) / 2)
    if side > 1.15:
        scale, middle = 1.15 / height, (0.5, 0.5)
    return View((middle[0] - scale * width / 2, middle[1] - scale * height / 2), (scale, scale), width, height)


def render_reference(shown: Picture, view: View, filtered: bool = True, cancel: CancelToken | None = None) -> Levels:
    """A picture by the NumPy reference: (height, width, 3) uint8. Pixels off the sheet are 0.

    Works by rows, so that memory stays small at any size. Raises Cancelled.
    """
    uv = view.uv()
    result = np.empty((view.height, view.width, 3), dtype=np.uint8)
    program = program_of({SHOWN: shown.outputs[SHOWN]})
    step = view.scale if filtered else (1 / shown.finest[0], 1 / shown.finest[1])
    pixel = (step[0], 0.0, 0.0, step[1])
    for first in range(0, view.height, 64):
        if cancel is not None:
            cancel.check()
        part = uv[first : first + 64]
        if not filtered:
            part = _texel_centres_at(part, shown)
        result[first : first + 64] = to_levels8(run(program, _environment(shown, part, pixel))[SHOWN])
    result[~on_sheet(uv)] = 0
    return result


def _environment(shown: Picture, uv: Floats, pixel: tuple[float, float, float, float]) -> Environment:
    return Environment(uv, shown.slots, shown.inputs, shown.seed, shown.time, pixel)


def _texel_centres_at(uv: Floats, shown: Picture) -> Floats:
    """uv moved to the centres of the texels of the finest map, which shows texels as squares."""
    size = float32(shown.finest)
    return float32((np.floor(uv * size) + 0.5) / size)


def on_sheet(uv: Floats) -> Bools:
    """Which uv lie on the tile 0..1; shape (..., 2) to (...)."""
    return np.asarray(np.all((uv >= 0) & (uv < 1), axis=-1))


@dataclass(frozen=True)
class Texel:
    """What the loupe tells of one uv: colour (encoded and linear), the masks' outcome as shipped, surface values.

    `entry` is the number of the palette's entry that an index map shows there, with its colour; None of other looks.
    """

    encoded: tuple[float, float, float]
    linear: tuple[float, float, float]
    weights: tuple[float, ...]
    mask_sum: float
    surface: Mapping[str, tuple[float, ...]]
    entry: tuple[int, Rgb8] | None = None


def read_texel(
    at: Focus, store: Store, look: Look, uv: tuple[float, float], time: float = 0.0, seed: float = 0.0
) -> Texel:
    """Exact values at a texel by the reference, at a time in seconds and of the instance with a seed.

    Raises UserError if a map cannot be read.
    """
    shown = replace(picture(at, store, look), time=time, seed=seed)
    centre = _texel_centres_at(float32([[uv]]), shown)
    texel = (1 / shown.finest[0], 0.0, 0.0, 1 / shown.finest[1])
    values = {name: value[0, 0] for name, value in run(shown.program, _environment(shown, centre, texel)).items()}
    encoded = values.pop(SHOWN)
    weights = weights_of(at, store)
    height, width = weights.mask_sum.height, weights.mask_sum.width
    row, column = min(int(uv[1] * height), height - 1), min(int(uv[0] * width), width - 1)
    linear = srgb_to_linear(encoded)
    return Texel(
        (float(encoded[0]), float(encoded[1]), float(encoded[2])),
        (float(linear[0]), float(linear[1]), float(linear[2])),
        weights.at(row, column),
        float(weights.mask_sum.fetch(np.array([row]), np.array([column]))[0, 0]) * MOST_MASK_SUM,
        {name: tuple(float(part) for part in np.atleast_1d(value)) for name, value in values.items()},
        _entry_at(at, store, look, uv),
    )


def _entry_at(at: Focus, store: Store, look: Look, uv: tuple[float, float]) -> tuple[int, Rgb8] | None:
    tone = at.sheet.tone(look.map) if look.kind == LookKind.TONE else None
    if tone is None or not tone.palette:
        return None
    palette, plane = at.kit.palette(tone.palette), tone_of(at, store, at.sheet.tone(look.map))
    row, column = min(int(uv[1] * plane.height), plane.height - 1), min(int(uv[0] * plane.width), plane.width - 1)
    stored = float(plane.fetch(np.array([row]), np.array([column]))[0, 0])
    number = int(stored * max(1, palette.size - 1) + 0.5)
    return number, palette.rows[0].colours[number]
