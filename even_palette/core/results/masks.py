"""Masks of regions by tiles: what a region claims, then its steps.

Every tile is looked up by the names of the tiles that it is made of. So an edit recomputes the tiles within its reach,
and tiles that come out as they were are the same objects, for textures and files as well.
"""

import hashlib
from collections.abc import Callable, Mapping, Sequence
from functools import cache

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.kit.sheet import Step
from even_palette.core.limits import MOST_STEPS
from even_palette.core.material.input_levels import through_levels
from even_palette.core.material.model import PlaneKind, PlaneUse
from even_palette.core.mesh.kinds import ElementKind
from even_palette.core.raster.plane import Plane, channel_of
from even_palette.core.raster.sampling import Sampler, sample, texel_centres, texels_beside
from even_palette.core.raster.tiles import TILE, Grid, Spot, Tile, TiledPlane, each_tile, make_tile
from even_palette.core.regions.paint import Paint, over, packed_levels
from even_palette.core.regions.steps import STEPS, joined, strengthened
from even_palette.core.results.bakes import bake_of
from even_palette.core.results.claims import Claims, claims_of
from even_palette.core.results.footprints import footprint_of
from even_palette.core.results.id_map import id_levels_of
from even_palette.core.results.maps import paint_of, plane_of_map
from even_palette.core.results.mask_names import Wanted, acting, mask_names_of
from even_palette.core.results.sheet_mesh import elements_of, mesh_on_sheet
from even_palette.core.results.store import Store

HALF = 32768


def masks_of(
    at: Focus,
    store: Store,
    wanted: Sequence[Wanted],
    claims: Callable[[], Claims],
    cancel: CancelToken | None = None,
) -> list[TiledPlane]:
    """The masks of regions after their first steps, (H, W, 1) uint16 each. Raises Cancelled.

    Those that they take are made before them, one by one. `claims` gives the claims of the sheet, if any is made.
    """
    names = mask_names_of(at, store)
    numbers = {region.key: number for number, region in enumerate(at.sheet.regions)}
    made: dict[Wanted, TiledPlane] = {}

    def mask(each: Wanted) -> TiledPlane:
        return TiledPlane(mask_grid(at, store, claims(), numbers[each[0]], made, cancel, each[1]))

    for each in names.in_order(wanted):
        made[each] = store.cache.get(("mask", names.name(each)), lambda each=each: mask(each))  # type: ignore[misc]
    return [made[each] for each in wanted]


def mask_of(at: Focus, store: Store, region: str, steps: int = MOST_STEPS) -> TiledPlane:
    """The mask of a region after its first steps, (H, W, 1) uint16. Raises KeyError without such a region.

    Where nothing may be made, all that it needs is made at once.
    """
    if at.kit.sheet_of(region).key != at.key:
        raise KeyError(region)
    names, wanted = mask_names_of(at, store), (region, steps)
    before = [each for each in names.in_order([wanted]) if each != wanted]

    @cache
    def claims() -> Claims:
        return claims_of(at, store)

    def compute() -> TiledPlane:
        made = dict(zip(before, masks_of(at, store, before, claims), strict=True))
        number = [other.key for other in at.sheet.regions].index(region)
        return TiledPlane(mask_grid(at, store, claims(), number, made, None, steps))

    return store.cache.get(("mask", names.name(wanted)), compute)


def mask_grid(
    at: Focus,
    store: Store,
    claims: Claims,
    number: int,
    taken: Mapping[Wanted, TiledPlane],
    cancel: CancelToken | None = None,
    steps: int = MOST_STEPS,
) -> Grid:
    """The mask of the region with this number after its first steps, tiles (h, w, 1) uint16. Raises Cancelled.

    `taken` are the masks of other regions that its steps take.
    """
    region = at.sheet.regions[number]
    height, width = claims.index.shape
    row = claims.masks[number]

    own = claims.chosen.get(number)
    own_name = (claims.unmixed_name, own.tobytes()) if own is not None else ()

    def claimed(spot: Spot) -> Tile:
        there = claims.present[spot.down * -(-width // TILE) + spot.across]
        values = row[there]
        if own is not None:
            return with_unmixed(spot, values)
        if (values == values[0]).all():
            return make_tile(np.broadcast_to(values[0], (*spot.shape, 1)))
        key = (
            "claimed",
            claims.name,
            spot.down,
            spot.across,
            hashlib.blake2b(values.tobytes(), digest_size=16).digest(),
        )
        cut = claims.index[spot.top : spot.bottom, spot.left : spot.right]
        return store.cache.get(key, lambda: make_tile(row[cut][..., None]))

    def with_unmixed(spot: Spot, values: Samples) -> Tile:
        assert claims.unmixed is not None
        assert own is not None
        unmixed, chosen = claims.unmixed, own
        named = (*own_name, spot.down, spot.across)
        shares = store.cache.get(
            ("unmixed tile", *named), lambda: make_tile(unmixed.tile_shares(chosen, spot)[..., None])
        )
        if not values.any():
            return shares
        key = ("unmixed claim", claims.name, *named, hashlib.blake2b(values.tobytes(), digest_size=16).digest())
        cut = claims.index[spot.top : spot.bottom, spot.left : spot.right]
        return store.cache.get(key, lambda: make_tile(np.maximum(row[cut][..., None], shares.samples)))

    own_claims = grid = Grid(height, width, tuple(each_tile(height, width, claimed, cancel)))
    for step in acting(region, steps):
        if step.paint is not None:
            grid = painted_over(store, grid, step.paint, step.strength, cancel)
        elif STEPS[step.kind].keeps_islands:
            grid = _kept_to_islands(at, store, own_claims, grid, step.strength, cancel)
        else:
            grid = stepped(at, store, grid, step, taken, cancel)
    return grid


def stepped(
    at: Focus,
    store: Store,
    before: Grid,
    step: Step,
    taken: Mapping[Wanted, TiledPlane],
    cancel: CancelToken | None,
) -> Grid:
    """The mask after one step that is no paint; `taken` as for `mask_grid`. Raises Cancelled."""
    kind = STEPS[step.kind]
    values = kind.filled(step.values)
    reach = kind.reach(values)
    plane = paint_of(at, store) if kind.reads_base else None
    plane = _plane(at, store, step.plane) if step.plane and kind.reads_channel else plane
    plane = id_levels_of(at, store) if kind.of_ids else plane
    if kind.reads_region:
        plane = taken[step.region, 0 if kind.claims_only else MOST_STEPS]
    told = repr((step.kind, values, step.plane if kind.reads_channel else "", step.join, step.strength))

    def source(spot: Spot) -> Tile:
        tile = before.tiles[spot.down * before.across + spot.across]
        size = (before.height, before.width)
        other = plane.grid.at(spot.down, spot.across) if isinstance(plane, TiledPlane) and kind.reads_region else None
        named = other.name if other else plane.content_id if plane else ""
        key = ("source step", told, named, size, spot.down, spot.across, tile.name)

        def compute() -> Tile:
            uv = texel_centres(*size)[spot.top : spot.bottom, spot.left : spot.right]
            if other is not None:
                found = _as_floats(other.samples)
            elif kind.of_place:
                found = kind.of_place(uv, values)
            elif plane is None:
                found = np.zeros(spot.shape, dtype=np.float32)
            elif kind.of_ids:
                found = kind.of_ids(plane.samples[spot.top : spot.bottom, spot.left : spot.right], values)
            elif kind.source:
                found = kind.source(sample(plane, uv, Sampler())[..., :3], values)
            else:
                assert step.plane is not None
                found = plane_values(plane, step.plane, spot, *size)
                found = kind.through(found, values) if kind.through else found
            return _as_tile(joined(_as_floats(tile.samples), found, step.join, step.strength))

        return store.cache.get(key, compute)

    def alike(tile: Tile) -> Tile:
        """What the edit makes of a mask of one value."""
        if kind.edit is None:
            return tile  # what is guided by the paint keeps one value
        value = _as_floats(tile.samples[:1, :1])
        around = np.broadcast_to(value, (2 * reach + 1, 2 * reach + 1))
        return _as_tile(strengthened(value, kind.edit(around, values), step.strength))

    def edited(spot: Spot) -> Tile:
        tile = before.at(spot.down, spot.across)
        assert tile is not None
        names = before.names_within(spot, reach)
        if tile.is_constant and all(name == tile.name or not name for name in names):
            even = store.cache.get(("edit of one value", told, tile.name), lambda: alike(tile))
            return make_tile(np.broadcast_to(even.samples[:1, :1], (*spot.shape, 1)))
        guide = plane.content_id if kind.guided and plane else ""
        key = ("edit step", told, guide, before.height, before.width, spot.top, spot.left, names)

        def compute() -> Tile:
            around = _as_floats(before.padded(spot, reach))
            if kind.guided:
                assert plane is not None
                made = kind.guided(around, _paint_around(plane, spot, reach, before.height, before.width), values)
            else:
                assert kind.edit is not None
                made = kind.edit(around, values)
            return _as_tile(strengthened(_as_floats(tile.samples), made, step.strength))

        return store.cache.get(key, compute)

    if kind.whole:
        return store.cache.get(("whole step", told, before.name), lambda: _whole(before, step, values, cancel))
    made = each_tile(before.height, before.width, source if kind.is_source else edited, cancel)
    return Grid(before.height, before.width, tuple(made))


def _paint_around(plane: Plane, spot: Spot, reach: int, height: int, width: int) -> Floats:
    """The base colour at the texels of a tile with its surround; beyond the sheet its edge goes on."""
    rows = np.clip(np.arange(spot.top - reach, spot.bottom + reach), 0, height - 1)
    columns = np.clip(np.arange(spot.left - reach, spot.right + reach), 0, width - 1)
    uv = np.empty((len(rows), len(columns), 2), dtype=np.float32)
    uv[..., 0] = (columns + np.float32(0.5)) / np.float32(width)
    uv[..., 1] = ((rows + np.float32(0.5)) / np.float32(height))[:, None]
    return sample(plane, uv, Sampler())[..., :3]


def _kept_to_islands(
    at: Focus, store: Store, claims: Grid, grid: Grid, strength: float, cancel: CancelToken | None
) -> Grid:
    """The mask on the UV islands that the claims have a texel of, with their padding; as it is without a mesh."""
    seen = footprint_of(at, store, grid.width, grid.height, cancel=cancel)
    found = mesh_on_sheet(at, store)
    if seen is None or found is None:
        return grid

    def compute() -> Grid:
        labels = elements_of(at, store, ElementKind.ISLAND).labels
        nearest = seen.nearest
        face = np.where(nearest < 0, -1, seen.face.ravel()[nearest])
        island = np.where(face < 0, -1, labels[face])
        own = np.zeros(int(labels.max()) + 2, dtype=bool)
        claimed = claims.cut(0, 0, grid.height, grid.width)[..., 0] >= HALF
        own[island[claimed & (seen.face >= 0)]] = True
        own[-1] = False  # texels of no island

        def kept(spot: Spot) -> Tile:
            tile = grid.tiles[spot.down * grid.across + spot.across]
            cut = island[spot.top : spot.bottom, spot.left : spot.right]
            mask = _as_floats(tile.samples)
            return _as_tile(strengthened(mask, float32(mask * own[cut]), strength))

        return Grid(grid.height, grid.width, tuple(each_tile(grid.height, grid.width, kept, cancel)))

    key = ("kept to islands", found.content_id, at.sheet.padding, claims.name, grid.name, strength)
    return store.cache.get(key, compute)


def painted_over(
    store: Store, before: Grid, paint: Paint, strength: float = 1.0, cancel: CancelToken | None = None
) -> Grid:
    """The mask with paint over it; paint of a sheet of another size is scaled to this one."""
    alike = (paint.height, paint.width) == (before.height, before.width)

    def painted(spot: Spot) -> Tile:
        tile = before.tiles[spot.down * before.across + spot.across]
        own = paint.at(spot) if alike else None
        if alike and own is None:
            return tile
        key = ("painted", tile.name, own.name if own else (paint.content_id, spot), strength)

        def compute() -> Tile:
            texels = own.samples(*spot.shape) if own else scaled_paint(paint, spot, before.height, before.width)
            mask = _as_floats(tile.samples)
            return _as_tile(strengthened(mask, over(mask, texels), strength))

        return store.cache.get(key, compute)

    return Grid(before.height, before.width, tuple(each_tile(before.height, before.width, painted, cancel)))


def scaled_paint(paint: Paint, spot: Spot, height: int, width: int) -> Samples:
    """Paint at the texels of a tile of a mask of another size, filtered linearly, (h, w, 2) uint16."""
    top, bottom, down = texels_beside(spot.top, spot.bottom, height, paint.height)
    left, right, across = texels_beside(spot.left, spot.right, width, paint.width)

    def row(rows: Samples) -> Floats:
        near, far = (float32(paint.pick(rows, columns)) / np.float32(65535) for columns in (left, right))
        return near * (1 - across)[:, None] + far * across[:, None]

    found = row(top) * (1 - down)[:, None, None] + row(bottom) * down[:, None, None]
    return packed_levels(found[..., 0], found[..., 1])


def _whole(before: Grid, step: Step, values: dict[str, float], cancel: CancelToken | None) -> Grid:
    """A step that must see the whole mask."""
    act = STEPS[step.kind].whole
    assert act is not None
    mask = _as_floats(before.cut(0, 0, before.height, before.width))
    made = strengthened(mask, act(mask, values, cancel), step.strength)
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
    return through_levels(channel_of(values, use.channel), use)


def _plane(at: Focus, store: Store, use: PlaneUse) -> Plane:
    """The plane that a step reads; a bake is made."""
    if use.plane.kind == PlaneKind.MAP:
        return plane_of_map(at.sheet.map(use.plane.key), store)
    return bake_of(at, store, at.sheet.bake(use.plane.key))[0]


def _as_floats(samples: Samples) -> Floats:
    return float32(samples[..., 0]) / np.float32(65535)


def _as_tile(mask: Floats) -> Tile:
    return make_tile(np.asarray(np.clip(mask, 0, 1) * np.float32(65535) + np.float32(0.5), dtype=np.uint16)[..., None])
