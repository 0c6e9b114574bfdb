"""Masks and weights of a sheet by tiles: claims by classes of texels, then the steps, then overlaps resolved.

Every tile is looked up by the names of the tiles that it is made of. So an edit recomputes the tiles within its reach,
and tiles that come out as they were are the same objects, for textures and files as well.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from even_palette.core.arrays import Bools, Floats, Levels, Samples, float32
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit.model import MOST_STEPS, Focus, Region, Step
from even_palette.core.material.model import PlaneKind, PlaneUse
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Plane
from even_palette.core.raster.sampling import Sampler, sample, texel_centres
from even_palette.core.raster.tiles import TILE, Grid, Spot, Tile, TiledPlane, each_tile, make_tile
from even_palette.core.regions.claims import box_masks, join_classes
from even_palette.core.regions.id_colours import distinct_colours
from even_palette.core.regions.keying import key_mask
from even_palette.core.regions.packing import REGIONS_A_PLANE, plane_and_channel
from even_palette.core.regions.steps import STEPS, joined, strengthened
from even_palette.core.regions.unmix import Unmixed
from even_palette.core.regions.weights import Coverage, Resolve, quantize_weights, resolve_weights

if TYPE_CHECKING:
    from even_palette.core.results.sheets import Sheets

QUARTER = 4


@dataclass(frozen=True, eq=False)
class Leaf:
    """What regions claim before their steps: masks (R, n) uint16 of the classes of texels, and each texel's (H, W).

    `present` are the classes in each tile; `name` names the classes, without the masks. Where the ID map is unmixed,
    its shares are no matter of classes: they stand in `unmixed`, and the region with number r has those of `chosen[r]`.
    """

    masks: Samples
    index: Samples
    present: list[Samples]
    name: str
    unmixed: Unmixed | None = None
    unmixed_name: str = ""
    chosen: dict[int, Bools] = field(default_factory=dict)


@dataclass(frozen=True)
class SheetWeights:
    """Weights as they are shipped, the sum of the masks before overlaps were resolved, and coverage.

    `packed` are the planes (H, W, 4) uint8 that hold the weights, four regions each; `mask_sum` (H, W, 1) uint16 holds
    a quarter of the sum, so that sums up to 4 fit.
    """

    count: int
    packed: tuple[TiledPlane, ...]
    mask_sum: TiledPlane
    coverage: Coverage

    @property
    def content_id(self) -> str:
        """Names the weights by their bytes."""
        return "+".join(plane.content_id for plane in self.packed)

    @property
    def levels(self) -> list[Levels]:
        """The weights (H, W) uint8 of each region; puts whole planes together."""
        planes = [plane.samples for plane in self.packed]
        places = map(plane_and_channel, range(self.count))
        return [planes[plane][..., channel] for plane, channel in places]

    @cached_property
    def areas(self) -> tuple[float, ...]:
        """The share of the sheet that each region has, 0..1; adds up what the tiles know of themselves."""
        texels = self.mask_sum.height * self.mask_sum.width * 255
        sums = [np.sum([tile.sums for tile in plane.grid.tiles], axis=0) / texels for plane in self.packed]
        places = map(plane_and_channel, range(self.count))
        return tuple(float(sums[plane][channel]) for plane, channel in places)

    def picked(self, rows: Samples, columns: Samples) -> list[Levels]:
        """The weights where rows (n,) and columns (m,) cross, both in rising order; (n, m) uint8 of each region."""
        planes = [plane.grid.pick(rows, columns) for plane in self.packed]
        places = map(plane_and_channel, range(self.count))
        return [planes[plane][..., channel] for plane, channel in places]

    def at(self, row: int, column: int) -> tuple[float, ...]:
        """The weights of all regions at a texel, 0..1."""
        here = (np.array([row]), np.array([column]))
        texels = [plane.fetch(*here)[0] for plane in self.packed]
        places = map(plane_and_channel, range(self.count))
        return tuple(float(texels[plane][channel]) for plane, channel in places)


def leaf_of(at: Focus, sheets: Sheets, progress: Progress, cancel: CancelToken | None) -> Leaf:
    """The claims of the regions of a sheet. Where several sources claim a texel for a region, the strongest counts.

    A claim depends on a texel's ID colour, on the elements that it shows, and on the boxes that it lies in; texels that
    are alike in these are one class, so each mask is computed once a class.
    """
    regions = at.sheet.regions
    width, height = sheets.mask_size(at)
    tables: list[Floats] = []
    indices: list[Samples] = []
    names: list[object] = [(width, height)]
    plane = sheets.id_levels(at)
    if plane and at.sheet.unmix is None:
        colours, index, _ = sheets.cache.get(("distinct", plane.content_id), lambda: distinct_colours(plane.samples))
        table = np.zeros((len(regions), len(colours)), dtype=np.float32)
        for row, region in enumerate(regions):
            if region.keyed:
                table[row] = key_mask(colours, region.id_colour, region.inner, region.outer, region.metric)[:, 0]
        tables.append(table)
        indices.append(index)
        names.append(plane.content_id)
    seen = sheets.meshes.footprint(at, width, height, progress, cancel)
    if seen is not None and regions:
        from even_palette.core.mesh.footprint import label_classes

        found = sheets.meshes.on_sheet(at)
        keys = tuple(region.key for region in regions)
        given = (
            "elements",
            found.content_id if found else "",
            sheets.meshes.assignment_key(at),
            at.sheet.padding,
            keys,
        )
        print_ = seen
        classes, shares = sheets.cache.get(
            (*given, width, height), lambda: label_classes(print_, sheets.meshes.face_regions(at), len(regions))
        )
        tables.append(float32(shares.T))
        indices.append(classes)
        names.append(given)
    if any(region.boxes for region in regions):
        table, index = box_masks([region.boxes for region in regions], width, height)
        tables.append(table)
        indices.append(index)
        names.append(tuple(region.boxes for region in regions))
    if not tables:
        tables, indices = [np.zeros((len(regions), 1), np.float32)], [np.zeros((height, width), np.uint16)]
    name = hashlib.sha256(repr(names).encode()).hexdigest()

    def classes_of() -> tuple[Samples, Samples, list[Samples]]:
        whole, rows = join_classes(indices, [table.shape[1] for table in tables])
        count = rows.shape[1]

        def present(spot: Spot) -> Samples:
            there = np.zeros(count, dtype=bool)
            there[whole[spot.top : spot.bottom, spot.left : spot.right]] = True
            return np.flatnonzero(there)

        return whole, rows, each_tile(height, width, present, cancel)

    whole, rows, present = sheets.cache.get(("classes", name), classes_of)
    masks = tables[0][:, rows[0]]
    for table, row in zip(tables[1:], rows[1:], strict=True):
        masks = np.maximum(masks, table[:, row])
    levels = np.asarray(masks * np.float32(65535) + np.float32(0.5), dtype=np.uint16)
    leaf = Leaf(levels, whole, present, name)
    if plane and at.sheet.unmix is not None:
        progress(0.0, "Unmixing")
        made, made_name = sheets.unmixed(at, cancel)
        return replace(leaf, unmixed=made, unmixed_name=made_name, chosen=_chosen(at, made))
    return leaf


LIKE, LIKE_LOSSY = 8, 32
"""Within how many levels (Chebyshev) an ID colour means a pure colour of the map, from clean files and lossy ones."""


def _chosen(at: Focus, made: Unmixed) -> dict[int, Bools]:
    """Which pure colours each keyed region has; regions that have none are not there."""
    unmix = at.sheet.unmix
    assert unmix is not None
    chosen = {}
    for number, region in enumerate(at.sheet.regions):
        own = np.zeros(len(made.colours), dtype=bool)
        for colour in region.id_colours if region.keyed else ():
            own |= made.of_colour(colour, LIKE_LOSSY if unmix.lossy else LIKE)
        if own.any():
            chosen[number] = own
    return chosen


def weights_key(at: Focus, sheets: Sheets) -> tuple[object, ...]:
    """Names the weights of a sheet by what they are made of."""
    found = sheets.meshes.on_sheet(at)
    return (
        "weights",
        _id_name(at, sheets),
        (found.content_id, sheets.meshes.assignment_key(at), at.sheet.padding) if found else "",
        sheets.mask_size(at),
        at.sheet.resolve,
        at.sheet.unmix,
        tuple(_claims(region) for region in at.sheet.regions),
        tuple(_plane_name(at, sheets, step.plane) for region in at.sheet.regions for step in acting(region)
              if step.plane),
        _base_name(at) if any(STEPS[step.kind].source for r in at.sheet.regions for step in acting(r)) else "",
    )  # fmt: skip


def _id_name(at: Focus, sheets: Sheets) -> str:
    """Names the ID map by what the kit says of it; nothing is read for that."""
    source = at.sheet.source(Role.ID)
    if source is not None:
        return f"{source.path} {source.sha256}"
    return sheets.meshes.bake_key(at, at.sheet.bake(at.sheet.id_bake)) if at.sheet.id_bake else ""


def _plane_name(at: Focus, sheets: Sheets, use: PlaneUse) -> str:
    if use.plane.kind == PlaneKind.MAP:
        source = at.sheet.map(use.plane.key)
        return f"{source.path} {source.sha256} {source.encoding} {source.role}"
    return sheets.meshes.bake_key(at, at.sheet.bake(use.plane.key))


def _base_name(at: Focus) -> str:
    """Names the base colour by what the kit says of it."""
    source = at.sheet.source(Role.BASE_COLOUR)
    return f"{source.path} {source.sha256} {source.encoding}" if source else ""


def _claims(region: Region) -> tuple[object, ...]:
    """What a region's mask depends on; the key stands for its faces."""
    claim = (region.key, region.keyed, region.id_colours, region.inner, region.outer, region.metric, region.boxes)
    return (*claim, repr(acting(region)))


def acting(region: Region, first: int = MOST_STEPS) -> list[Step]:
    """Those of its first steps that change something: that are on, have a strength, and read what they need."""
    return [
        step for step in region.steps[:first]
        if step.on and step.strength > 0 and (step.plane is not None or not STEPS[step.kind].reads_channel)
    ]  # fmt: skip


def mask_grid(
    at: Focus, sheets: Sheets, leaf: Leaf, number: int, cancel: CancelToken | None = None, steps: int = MOST_STEPS
) -> Grid:
    """The mask of the region with this number after its first steps, tiles (h, w, 1) uint16. Raises Cancelled."""
    region = at.sheet.regions[number]
    height, width = leaf.index.shape
    row = leaf.masks[number]

    own = leaf.chosen.get(number)
    own_name = (leaf.unmixed_name, own.tobytes()) if own is not None else ()

    def claimed(spot: Spot) -> Tile:
        there = leaf.present[spot.down * -(-width // TILE) + spot.across]
        values = row[there]
        if own is not None:
            return with_unmixed(spot, values)
        if (values == values[0]).all():
            return make_tile(np.broadcast_to(values[0], (*spot.shape, 1)))
        key = ("claimed", leaf.name, spot.down, spot.across, hashlib.blake2b(values.tobytes(), digest_size=16).digest())
        cut = leaf.index[spot.top : spot.bottom, spot.left : spot.right]
        return sheets.cache.get(key, lambda: make_tile(row[cut][..., None]))

    def with_unmixed(spot: Spot, values: Samples) -> Tile:
        assert leaf.unmixed is not None
        assert own is not None
        unmixed, chosen = leaf.unmixed, own
        named = (*own_name, spot.down, spot.across)
        shares = sheets.cache.get(
            ("unmixed tile", *named), lambda: make_tile(unmixed.tile_shares(chosen, spot)[..., None])
        )
        if not values.any():
            return shares
        key = ("unmixed claim", leaf.name, *named, hashlib.blake2b(values.tobytes(), digest_size=16).digest())
        cut = leaf.index[spot.top : spot.bottom, spot.left : spot.right]
        return sheets.cache.get(key, lambda: make_tile(np.maximum(row[cut][..., None], shares.samples)))

    grid = Grid(height, width, tuple(each_tile(height, width, claimed, cancel)))
    for step in acting(region, steps):
        grid = _stepped(at, sheets, grid, step, cancel)
    return grid


def _stepped(at: Focus, sheets: Sheets, before: Grid, step: Step, cancel: CancelToken | None) -> Grid:
    kind = STEPS[step.kind]
    values = kind.filled(step.values)
    reach = kind.reach(values)
    plane = _plane(at, sheets, step.plane) if step.plane and kind.reads_channel else None
    plane = sheets.base_colour(at) if kind.source else plane
    told = repr((step.kind, values, step.plane if kind.reads_channel else "", step.join, step.strength))

    def source(spot: Spot) -> Tile:
        assert plane is not None
        tile = before.at(spot.down, spot.across)
        assert tile is not None
        size = (before.height, before.width)
        key = ("source step", told, plane.content_id, size, spot.down, spot.across, tile.name)

        def compute() -> Tile:
            if kind.source:
                uv = texel_centres(*size)[spot.top : spot.bottom, spot.left : spot.right]
                found = kind.source(sample(plane, uv, Sampler())[..., :3], values)
            else:
                assert step.plane is not None
                found = plane_values(plane, step.plane, spot, *size)
            return _as_tile(joined(_as_floats(tile.samples), found, step.join, step.strength))

        return sheets.cache.get(key, compute)

    def alike(tile: Tile) -> Tile:
        """What the edit makes of a mask of one value."""
        assert kind.edit is not None
        value = _as_floats(tile.samples[:1, :1])
        around = np.broadcast_to(value, (2 * reach + 1, 2 * reach + 1))
        return _as_tile(strengthened(value, kind.edit(around, values), step.strength))

    def edited(spot: Spot) -> Tile:
        tile = before.at(spot.down, spot.across)
        assert tile is not None
        names = before.names_within(spot, reach)
        if tile.is_constant and all(name == tile.name or not name for name in names):
            even = sheets.cache.get(("edit of one value", told, tile.name), lambda: alike(tile))
            return make_tile(np.broadcast_to(even.samples[:1, :1], (*spot.shape, 1)))
        key = ("edit step", told, before.height, before.width, spot.top, spot.left, names)

        def compute() -> Tile:
            assert kind.edit is not None
            around = _as_floats(before.padded(spot, reach))
            return _as_tile(strengthened(_as_floats(tile.samples), kind.edit(around, values), step.strength))

        return sheets.cache.get(key, compute)

    if kind.whole:
        return sheets.cache.get(("whole step", told, before.name), lambda: _whole(before, step, values, cancel))
    made = each_tile(before.height, before.width, source if kind.is_source else edited, cancel)
    return Grid(before.height, before.width, tuple(made))


def _whole(before: Grid, step: Step, values: dict[str, float], cancel: CancelToken | None) -> Grid:
    """A step that must see the whole mask."""
    act = STEPS[step.kind].whole
    assert act is not None
    mask = _as_floats(before.cut(0, 0, before.height, before.width))
    made = strengthened(mask, act(mask, values), step.strength)
    return Grid(
        before.height,
        before.width,
        tuple(each_tile(before.height, before.width,
                        lambda s: _as_tile(made[s.top : s.bottom, s.left : s.right]), cancel)),
    )  # fmt: skip


def plane_values(plane: Plane, use: PlaneUse, spot: Spot, height: int, width: int) -> Floats:
    """A channel of a plane through its levels at the texel centres of a tile, (h, w) float32 0..1."""
    uv = texel_centres(height, width)[spot.top : spot.bottom, spot.left : spot.right]
    values = sample(plane, uv, Sampler(use.filter, use.wrap, use.mips))
    x = values[..., use.channel] if use.channel < values.shape[-1] else np.full(values.shape[:2], use.channel == 3)
    if use.low < use.high:
        x = np.clip((float32(x) - np.float32(use.low)) / np.float32(use.high - use.low), 0, 1)
    else:
        x = float32(x >= use.low)
    x = x ** np.float32(use.power) if use.power != 1 else x
    return float32(1 - x if use.invert else x)


def _plane(at: Focus, sheets: Sheets, use: PlaneUse) -> Plane:
    """The plane that a step reads; a bake is made."""
    if use.plane.kind == PlaneKind.MAP:
        return sheets.plane(at.sheet.map(use.plane.key))
    return sheets.meshes.bake(at, at.sheet.bake(use.plane.key))[0]


def _as_floats(samples: Samples) -> Floats:
    return float32(samples[..., 0]) / np.float32(65535)


def _as_tile(mask: Floats) -> Tile:
    return make_tile(np.asarray(np.clip(mask, 0, 1) * np.float32(65535) + np.float32(0.5), dtype=np.uint16)[..., None])


@dataclass(frozen=True)
class _Made:
    """A tile of all weights: packed tiles, the tile of the sum, and texels covered, over and empty."""

    packed: tuple[Tile, ...]
    total: Tile
    counts: tuple[int, int, int]


def weights_of(at: Focus, sheets: Sheets, progress: Progress, cancel: CancelToken | None) -> SheetWeights:
    """The weights of a sheet: looked up by class, or with steps resolved texel by texel."""
    leaf = leaf_of(at, sheets, progress, cancel)
    regions = at.sheet.regions
    height, width = leaf.index.shape
    stepped = [number for number, region in enumerate(regions) if acting(region) or number in leaf.chosen]
    grids = {number: mask_grid(at, sheets, leaf, number, cancel) for number in stepped}
    table = quantize_weights(resolve_weights(float32(leaf.masks[:, None]) / np.float32(65535), at.sheet.resolve))[:, 0]
    total = (float32(leaf.masks) / np.float32(65535)).sum(axis=0, dtype=np.float32)
    quarter = np.asarray(np.minimum(total / QUARTER, 1) * np.float32(65535) + np.float32(0.5), dtype=np.uint16)
    across, done = -(-width // TILE), [0]
    count = across * -(-height // TILE)

    def make(spot: Spot) -> _Made:
        done[0] += 1
        progress(done[0] / count, "Weights")
        there = leaf.present[spot.down * across + spot.across]
        cut = (slice(spot.top, spot.bottom), slice(spot.left, spot.right))
        tiles = [grids[number].tiles[spot.down * across + spot.across] for number in stepped]
        digest = hashlib.blake2b(leaf.masks[:, there].tobytes(), digest_size=16).digest()
        own = tuple(tile.name for tile in tiles)
        key = ("weights tile", leaf.name, spot.down, spot.across, digest, at.sheet.resolve, tuple(stepped), own)
        if not stepped:
            return sheets.cache.get(key, lambda: _by_class(leaf.index[cut], table, total, quarter, there))

        def compute() -> _Made:
            """Only regions that are on the tile are resolved; a tile of one value as one texel."""
            found = dict(zip(stepped, tiles, strict=True))
            acts = [
                number for number in range(len(regions))
                if (found[number].samples.any() if number in found else leaf.masks[number, there].any())
            ]  # fmt: skip
            even = all(found[number].is_constant if number in found else len(there) == 1 for number in acts)
            size = (1, 1) if even else spot.shape
            masks = np.empty((len(acts), *size), dtype=np.uint16)
            index = leaf.index[cut][: size[0], : size[1]]
            for row, number in enumerate(acts):
                tile = found.get(number)
                own = tile.samples[: size[0], : size[1], 0] if tile else leaf.masks[number, index]
                masks[row] = own
            return _by_texel(masks, at.sheet.resolve, acts, len(regions), spot.shape)

        return sheets.cache.get(key, compute)

    made = each_tile(height, width, make, cancel)
    planes = -(-len(regions) // REGIONS_A_PLANE)
    covered, over, empty = (sum(tile.counts[k] for tile in made) / (height * width) for k in range(3))
    return SheetWeights(
        len(regions),
        tuple(TiledPlane(Grid(height, width, tuple(tile.packed[p] for tile in made))) for p in range(planes)),
        TiledPlane(Grid(height, width, tuple(tile.total for tile in made))),
        Coverage(covered, over, empty),
    )


def _by_class(index: Samples, table: Levels, total: Floats, quarter: Samples, there: Samples) -> _Made:
    packed = []
    for first in range(0, len(table), REGIONS_A_PLANE):
        texels = np.zeros((table.shape[1], REGIONS_A_PLANE), dtype=np.uint8)
        texels[:, : len(table) - first] = table[first : first + REGIONS_A_PLANE].T
        one = (texels[there] == texels[there[0]]).all()
        packed.append(make_tile(np.broadcast_to(texels[there[0]], (*index.shape, 4)) if one else texels[index]))
    texels_of = np.bincount(index.ravel(), minlength=len(total))
    step = np.float32(1 / 255)
    chosen = (total >= 1 - step, total > 1 + step, total < step)
    covered, over, empty = (int(texels_of[which].sum()) for which in chosen)
    return _Made(tuple(packed), make_tile(quarter[index][..., None]), (covered, over, empty))


def _by_texel(masks: Samples, resolve: Resolve, acts: list[int], count: int, shape: tuple[int, int]) -> _Made:
    """The tile from the masks (A, h, w) of those of `count` regions that act on it, or (A, 1, 1) for all its texels."""
    from even_palette.core.regions.resolve_kernel import resolve_tile

    levels, quarter, counts = resolve_tile(masks, resolve == Resolve.ORDER)
    packed = []
    for first in range(0, count, REGIONS_A_PLANE):
        texels = np.zeros((*masks.shape[1:], REGIONS_A_PLANE), dtype=np.uint8)
        for level, number in zip(levels, acts, strict=True):
            if first <= number < first + REGIONS_A_PLANE:
                texels[..., number - first] = level
        packed.append(make_tile(np.broadcast_to(texels, (*shape, REGIONS_A_PLANE))))
    share = shape[0] * shape[1] // (masks.shape[1] * masks.shape[2])
    covered, over, empty = (int(number) * share for number in counts)
    return _Made(tuple(packed), make_tile(np.broadcast_to(quarter[..., None], (*shape, 1))), (covered, over, empty))
