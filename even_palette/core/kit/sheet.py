"""A sheet: its maps, regions, bakes and tones, as frozen structs."""

from pathlib import PurePath
from typing import Annotated

import msgspec
from msgspec import Meta

from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.kit.twin import Twin
from even_palette.core.limits import (
    LEAST_BAKE,
    MOST_BAKE,
    MOST_BAKES,
    MOST_BOXES,
    MOST_COATS,
    MOST_MAPS,
    MOST_MASK,
    MOST_MIP,
    MOST_PADDING,
    MOST_REGIONS,
    MOST_SLOPE,
    MOST_STEPS,
    MOST_TOLERANCE,
    MOST_TONES,
    MOST_TWINS,
)
from even_palette.core.material.drawn import OPAQUE, Drawing
from even_palette.core.material.model import Coat, PlaneKind, PlaneRef, PlaneUse, Value
from even_palette.core.material.shading import AS_SURFACE, Shaded
from even_palette.core.proof.conditions import Conditions
from even_palette.core.ranges import Key, Natural, Share
from even_palette.core.raster.guess import Role
from even_palette.core.raster.layouts import GIVES, Hold
from even_palette.core.raster.plane import Encoding
from even_palette.core.regions.keying import Metric
from even_palette.core.regions.packing import Packing
from even_palette.core.regions.paint import Paint
from even_palette.core.regions.steps import Join
from even_palette.core.regions.unmix import Mixing
from even_palette.core.regions.weights import Resolve

Padding = Annotated[int, Meta(ge=0, le=MOST_PADDING)]
Tolerance = Annotated[float, Meta(ge=0, le=MOST_TOLERANCE)]
Coats = Annotated[tuple[Coat, ...], Meta(max_length=MOST_COATS)]


class Source(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A map that the kit reads from a file: absolute path in memory, relative to the kit in kit.json. Or a `plain`
    colour in a file's place, of a width and height that were chosen; its path is empty.

    `key` is an identifier that stays, whatever the map is called or is for; a sheet has one map of a role at the most.
    Where channels hold different things, `layout` says what each of them holds, and has roles of its own. Width and
    height are in texels, 0 where they are not known yet. The green of a normal map points up, or `green_down`. Mips of
    opacity that `keep_coverage` show as much of what is cut out as the map does; colour that was `premultiplied` is
    divided by its alpha. Slopes of a normal map are multiplied by its `strength`.
    """

    key: Key
    role: Role
    path: str
    encoding: Encoding
    size: Natural = 0
    sha256: str = ""
    width: Natural = 0
    height: Natural = 0
    layout: Annotated[tuple[Hold, ...], Meta(max_length=4)] = ()
    plain: Rgb8 | None = None
    green_down: bool = False
    keep_coverage: bool = False
    premultiplied: bool = False
    strength: Annotated[float, Meta(ge=0, le=MOST_SLOPE)] = 1.0

    @property
    def label(self) -> str:
        """What it is called: the name of its file, or that it is plain."""
        return "Plain colour" if self.plain is not None else PurePath(self.path).name

    @property
    def roles(self) -> list[Role]:
        """The roles that the map has for its sheet, as a whole and by its channels."""
        whole = [] if self.role == Role.NONE else [self.role]
        return whole + [GIVES[hold] for hold in self.layout if hold in GIVES]


class Given(msgspec.Struct, frozen=True):
    """What gives a role to a sheet: a map as a `whole`, or one of its channels as a number."""

    source: Source
    use: PlaneUse
    whole: bool


class Box(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A rectangle of a sheet in uv, 0..1; it holds the texels whose centres lie in it."""

    left: Share
    top: Share
    right: Share
    bottom: Share


class Bake(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A map that is made from the mesh: a kind of `core/mesh/bakes` with its settings. Size and padding in texels.

    One that is made from light takes that of a variant, by its key; "" for the master.
    """

    key: Key
    kind: str
    size: Annotated[int, Meta(ge=LEAST_BAKE, le=MOST_BAKE)] = 1024
    padding: Padding = 16
    samples: Annotated[int, Meta(ge=1, le=4)] = 2
    values: dict[str, float | str] = {}
    variant: str = ""


class Step(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A part of how a region's mask is made: a kind of `core/regions/steps` with its values.

    A source reads `plane`, or the region with the key `region`, and joins the mask by `join`; `strength` 0..1 says how
    far the step acts. A step of paint has what was painted.
    """

    kind: str
    values: dict[str, float] = {}
    plane: PlaneUse | None = None
    join: Join = Join.STRONGEST
    strength: Share = 1.0
    on: bool = True
    paint: Paint | None = None
    region: str = ""


class Unmix(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """How the ID map of a sheet is unmixed (see `core/regions/unmix`).

    `lossy` allows for the errors of block compression. `dissolved` colours are no areas of their own, though the map
    has areas of them: their texels go to the colours around.
    """

    mixing: Mixing = Mixing.FOUND
    lossy: bool = False
    dissolved: tuple[Rgb8, ...] = ()


class Region(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A named area of a sheet: its ID colour, how that is keyed (tolerances in 8-bit levels), and its coats in order.

    `key` is an identifier that stays when the name changes. The region holds what is keyed in the ID map, if it is
    `keyed`, the faces of meshes that were given to it, and its boxes; then its mask goes through its steps in order.
    Where the map is unmixed, tolerances do not count, and stray colours that were given to the region are `also` its.
    What a `locked` region has, the strokes of others do not touch, and where masks overlap it comes first. A region
    that wears a `recipe` (a key) has the coats of that first, then its own; `own_values` are what it sets otherwise
    than the recipe, by the key of the coat and the name of the value.
    """

    key: Key
    name: str
    id_colour: Rgb8
    inner: Tolerance = 12.0
    outer: Tolerance = 64.0
    metric: Metric = Metric.CHEBYSHEV
    keyed: bool = True
    boxes: Annotated[tuple[Box, ...], Meta(max_length=MOST_BOXES)] = ()
    coats: Coats = (Coat("tint", key="tint"),)
    steps: Annotated[tuple[Step, ...], Meta(max_length=MOST_STEPS)] = ()
    also: tuple[Rgb8, ...] = ()
    locked: bool = False
    recipe: str = ""
    own_values: dict[str, dict[str, Value]] = {}

    @property
    def id_colours(self) -> tuple[Rgb8, ...]:
        """All ID colours that the region takes in where the map is unmixed, its own first."""
        return (self.id_colour, *self.also)


class Tone(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A plane that is made of a picture: a kind of `core/tones/kinds` with its values.

    `source` is the picture, None for the base colour as it was painted; a tone may be made of one that stands before
    it. `own` are values by region that differ there. `palette` is a key; `parts` are what a packed plane holds. One
    that is painted has `paint`, which has its size; one that is made of a mask has the key of the `region`.
    """

    key: Key
    name: str
    kind: str
    source: PlaneRef | None = None
    values: dict[str, float | str] = {}
    own: dict[str, dict[str, float | str]] = {}
    palette: str = ""
    parts: Annotated[tuple[PlaneUse, ...], Meta(max_length=4)] = ()
    paint: Paint | None = None
    region: str = ""


class Sheet(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One UV tile: its maps, its regions from the topmost down, and how overlaps of their masks are resolved.

    `key` is an identifier that stays when the name changes. `id_bake` is the key of a bake that serves as ID map where
    there is no file; `padding` (texels) is how far regions of mesh elements, and with `pad_maps` maps, reach beyond UV
    islands. Overcoats are put on the whole sheet, after the coats of all regions. With `unmix` the ID map is unmixed,
    else its colours are keyed by each region's tolerances. Checks look at the mips down to `lowest_mip`, 0 for the
    sheet alone. Weights are shipped as `packing` says, the regions of `channels` first, in that order, and the formula
    may divide them by their sum. `tones` are made of its pictures; the one with the key `base_tone` takes the place of
    the base colour under all coats. Masks that no ID map gives are `mask_side` texels wide, 0 for as wide as the base
    colour. `drawing` says what its opacity does, `shaded` what light does, and `conditions` what the runtime does to
    its maps (stage 7). Its `twins` are drawn with other values.
    """

    key: Key
    name: str
    sources: Annotated[tuple[Source, ...], Meta(max_length=MOST_MAPS)] = ()
    regions: Annotated[tuple[Region, ...], Meta(max_length=MOST_REGIONS)] = ()
    resolve: Resolve = Resolve.SHARE
    bakes: Annotated[tuple[Bake, ...], Meta(max_length=MOST_BAKES)] = ()
    id_bake: str = ""
    padding: Padding = 16
    pad_maps: bool = False
    overcoats: Coats = ()
    unmix: Unmix | None = None
    lowest_mip: Annotated[int, Meta(ge=0, le=MOST_MIP)] = 0
    packing: Packing = Packing.PLANES
    channels: Annotated[tuple[str, ...], Meta(max_length=MOST_REGIONS)] = ()
    divide_weights: bool = False
    tones: Annotated[tuple[Tone, ...], Meta(max_length=MOST_TONES)] = ()
    base_tone: str = ""
    mask_side: Annotated[int, Meta(ge=0, le=MOST_MASK)] = 0
    drawing: Drawing = OPAQUE
    shaded: Shaded = AS_SURFACE
    conditions: Conditions = Conditions()
    twins: Annotated[tuple[Twin, ...], Meta(max_length=MOST_TWINS)] = ()

    def tone(self, key: str) -> Tone:
        """The tone with this key. Raises KeyError if there is none."""
        for tone in self.tones:
            if tone.key == key:
                return tone
        raise KeyError(key)

    def bake(self, key: str) -> Bake:
        """The bake with this key. Raises KeyError if there is none."""
        for bake in self.bakes:
            if bake.key == key:
                return bake
        raise KeyError(key)

    @property
    def channel_order(self) -> tuple[str, ...]:
        """The keys of all regions in the order in which their weights are packed."""
        there = [region.key for region in self.regions]
        chosen = [key for key in self.channels if key in there]
        return (*chosen, *(key for key in there if key not in chosen))

    def source(self, role: Role) -> Source | None:
        """The map of a role, if there is one."""
        return next((source for source in self.sources if source.role == role), None)

    def given(self, role: Role) -> Given | None:
        """What gives a role: the map of that role, else a channel that holds it. Nothing gives no role."""
        if role == Role.NONE:
            return None
        for source in self.sources:
            if source.role == role:
                return Given(source, PlaneUse(PlaneRef(PlaneKind.MAP, source.key)), whole=True)
        for source in self.sources:
            for channel, hold in enumerate(source.layout):
                if GIVES.get(hold) == role:
                    turned = hold == Hold.SMOOTHNESS
                    use = PlaneUse(PlaneRef(PlaneKind.MAP, source.key), channel=channel, invert=turned)
                    return Given(source, use, whole=False)
        return None

    def map(self, key: str) -> Source:
        """The map with this key. Raises KeyError if there is none."""
        for source in self.sources:
            if source.key == key:
                return source
        raise KeyError(key)
