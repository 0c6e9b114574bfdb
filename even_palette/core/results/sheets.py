"""What follows from a sheet: its planes, masks, weights, means and tones, memoised by content."""

import hashlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from even_palette.core.arrays import Floats, Levels, Samples, float32
from even_palette.core.disk.gate import check_memory
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.model import Focus, Region, Source
from even_palette.core.raster.files import read_plane
from even_palette.core.raster.guess import COLOUR_ROLES, Role
from even_palette.core.raster.plane import Encoding, Plane, colour_plane, rgb_of
from even_palette.core.raster.sampling import sample, texel_centres
from even_palette.core.regions.claims import box_masks, strongest
from even_palette.core.regions.id_colours import IdColours, distinct_colours, list_id_colours
from even_palette.core.regions.keying import key_mask
from even_palette.core.regions.packing import REGIONS_A_PLANE, pack_weights, unpack_weights
from even_palette.core.regions.weights import Coverage, coverage, quantize_weights, resolve_weights
from even_palette.core.results.cache import Cache
from even_palette.core.results.meshes import Meshes

BAND_ROWS = 256
MOST_MASK_SUM = 4
MESH_SIDE = 1024
UNCLAIMED = 88
ID_BYTES = 14
"""What listing and keying the colours of an ID map takes a texel, beside the map."""
GREY = Plane(np.full((1, 1, 3), 128, dtype=np.uint8), Encoding.SRGB)


@dataclass(frozen=True)
class SheetWeights:
    """Weights as they are shipped, the sum of the masks before overlaps were resolved, and coverage.

    `levels` are the weights (H, W) uint8 of each region, `packed` the planes that hold them; `mask_sum` (H, W, 1)
    uint16 holds a quarter of the sum, so that sums up to 4 fit.
    """

    count: int
    packed: tuple[Plane, ...]
    mask_sum: Plane
    coverage: Coverage
    content_id: str

    @property
    def levels(self) -> list[Levels]:
        return unpack_weights(self.packed, self.count)


class Sheets:
    """Derived results of sheets. Holds nothing but the cache; all methods may be called from any thread."""

    def __init__(self, cache: Cache | None = None) -> None:
        self.cache = cache or Cache()
        self.meshes = Meshes(self.cache)

    def plane(self, source: Source) -> Plane:
        """The plane of a map; maps of colour have three channels, or four with alpha, also where the file is grey.

        Raises UserError if its file cannot be read, or if work on it would not fit into memory.
        """
        key = ("plane", source.path, source.sha256)
        read = self.cache.get(key, lambda: read_plane(Path(source.path), Encoding.DATA, known_id=source.sha256))
        if source.role == Role.ID:
            texels = read.width * read.height
            check_memory(Path(source.path).name, texels * (read.channels + ID_BYTES), "keying")
        read = read.with_encoding(source.encoding)
        return colour_plane(read) if source.role in COLOUR_ROLES else read

    def known_plane(self, source: Source) -> Plane | None:
        """The plane of a map as it was read, if it was."""
        found: Plane | None = self.cache.peek(("plane", source.path, source.sha256))
        return found

    def base_colour(self, at: Focus) -> Plane:
        """The base colour, three channels or four with alpha; a grey texel where there is none."""
        source = at.sheet.source(Role.BASE_COLOUR)
        return self.plane(source) if source else GREY

    def id_levels(self, at: Focus) -> Plane | None:
        """The ID map in 8 bits, if there is one: a file, or the bake that serves as one."""
        source = at.sheet.source(Role.ID)
        if source is None and at.sheet.id_bake and self.meshes.on_sheet(at) is not None:
            return self.meshes.bake(at, at.sheet.bake(at.sheet.id_bake))[0]
        if source is None:
            return None
        plane = self.plane(source)
        return plane if plane.samples.dtype == np.uint8 else Plane(plane.levels8(), Encoding.DATA, plane.content_id)

    def id_colours(self, at: Focus) -> IdColours:
        plane = self.id_levels(at)
        if plane is None:
            return IdColours((), 0)
        return self.cache.get(("id colours", plane.content_id), lambda: list_id_colours(plane.samples))

    def known_id_colours(self, at: Focus) -> IdColours | None:
        """The ID colours if they were listed already."""
        plane = self.id_levels(at)
        return self.cache.peek(("id colours", plane.content_id)) if plane else IdColours((), 0)

    def shown_ids(self, at: Focus) -> Plane | None:
        """ID colours for looking at, (H, W, 3 or 4) uint8; None if there is neither map, mesh nor box.

        The ID map where there is one, else as faces and boxes claim the texels, with edges mixed. Texels of the mesh
        that belong to no region, or for which another mesh had no ID, are grey, so that they can be seen.
        """
        if at.sheet.source(Role.ID):
            return self.id_levels(at)
        baked = self.id_levels(at)
        if baked is None and not self.has_masks(at):
            return None
        colours = tuple(region.id_colour for region in at.sheet.regions)
        key = ("shown ids", baked.content_id if baked else "", self.weights_key(at), colours)

        def compute() -> Plane:
            if baked is not None:
                shown = baked.samples.copy()
                free = ~shown.any(axis=-1)
            else:
                masks, index, _ = self._masks(at, silent, None)
                shares = masks / np.maximum(1, masks.sum(axis=0))
                mixed = shares.T @ np.array(colours, dtype=np.float32).reshape(-1, 3)
                shown = np.asarray(mixed + 0.5, dtype=np.uint8)[index]
                free = (masks.max(axis=0, initial=0) == 0)[index]
            seen = self.meshes.footprint(at, shown.shape[1], shown.shape[0])
            if seen is not None:
                shown[seen.covered & free] = UNCLAIMED
            return Plane(shown, Encoding.DATA, _name(key))

        return self.cache.get(key, compute)

    def mask_size(self, at: Focus) -> tuple[int, int]:
        """Width and height of the masks of the sheet: those of its ID map, else of its base colour."""
        plane = self.id_levels(at)
        if plane is None and at.sheet.source(Role.BASE_COLOUR):
            plane = self.base_colour(at)
        return (plane.width, plane.height) if plane else (MESH_SIDE, MESH_SIDE)

    def has_masks(self, at: Focus) -> bool:
        """Whether there is anything that regions of the sheet can be made of."""
        boxes = any(region.boxes for region in at.sheet.regions)
        return boxes or self.id_levels(at) is not None or self.meshes.on_sheet(at) is not None

    def weights_key(self, at: Focus) -> tuple[object, ...]:
        plane, found = self.id_levels(at), self.meshes.on_sheet(at)
        return (
            "weights",
            plane.content_id if plane else "",
            (found.content_id, self.meshes.assignment_key(at), at.sheet.padding) if found else "",
            self.mask_size(at),
            at.sheet.resolve,
            tuple(_claims(region) for region in at.sheet.regions),
        )

    def weights(self, at: Focus, progress: Progress = silent, cancel: CancelToken | None = None) -> SheetWeights:
        """The weights as they are shipped, in 8 bits. Raises Cancelled if the token is cancelled."""
        key = self.weights_key(at)

        def compute() -> SheetWeights:
            masks, index, counts = self._masks(at, progress, cancel)
            table = quantize_weights(resolve_weights(masks[:, None], at.sheet.resolve))[:, 0]
            total = masks.sum(axis=0)
            quarter = np.asarray(np.minimum(total / MOST_MASK_SUM, 1) * 65535 + 0.5, dtype=np.uint16)
            packed = []
            for first in range(0, len(table), REGIONS_A_PLANE):
                if cancel:
                    cancel.check()
                progress(first / len(table), "Weights")
                packed.append(pack_weights(table[first : first + REGIONS_A_PLANE], index, f"{_name(key)}-{first}"))
            return SheetWeights(
                len(table),
                tuple(packed),
                Plane(quarter[index][..., None], Encoding.DATA, f"{_name(key)}-sum"),
                coverage(total, counts),
                _name(key),
            )

        return self.cache.get(key, compute)

    def _masks(self, at: Focus, progress: Progress, cancel: CancelToken | None) -> tuple[Floats, Samples, Samples]:
        """Masks (R, n) of the n classes of texels, the class of each texel (H, W), and texels of each class (n,).

        A mask depends on a texel's ID colour, on the elements that it shows, and on the boxes that it lies in; texels
        that are alike in these are one class, so each mask is computed once a class. Where several sources claim a
        texel for a region, the strongest claim counts.
        """
        return self.cache.get(("masks", self.weights_key(at)), lambda: self._claimed(at, progress, cancel))

    def _claimed(self, at: Focus, progress: Progress, cancel: CancelToken | None) -> tuple[Floats, Samples, Samples]:
        regions = at.sheet.regions
        width, height = self.mask_size(at)
        claims: list[tuple[Floats, Samples]] = []
        if plane := self.id_levels(at):
            colours, index, _ = self.cache.get(("distinct", plane.content_id), lambda: distinct_colours(plane.samples))
            masks = np.zeros((len(regions), len(colours)), dtype=np.float32)
            for row, region in enumerate(regions):
                if region.keyed:
                    masks[row] = _mask(colours, region)[:, 0]
            claims.append((masks, index))
        seen = self.meshes.footprint(at, width, height, progress, cancel)
        if seen is not None and regions:
            from even_palette.core.mesh.footprint import label_classes

            classes, shares = label_classes(seen, self.meshes.face_regions(at), len(regions))
            claims.append((float32(shares.T), classes))
        if any(region.boxes for region in regions):
            claims.append(box_masks([region.boxes for region in regions], width, height))
        masks, index = strongest(claims) if claims else (
            np.zeros((len(regions), 1), dtype=np.float32), np.zeros((height, width), dtype=np.uint16)
        )  # fmt: skip
        return masks, index, np.bincount(index.ravel(), minlength=masks.shape[1])

    def means(self, at: Focus) -> Floats:
        """The mean of the linear base colour in each region, weighted by the shipped weights; (R, 3)."""
        weights, base = self.weights(at), self.base_colour(at)

        def compute() -> Floats:
            totals = np.zeros((len(at.sheet.regions), 3))
            counts = np.zeros(len(at.sheet.regions))
            for colours, levels in aligned_bands(base, weights.levels):
                share = levels.reshape(len(levels), levels.shape[1] * levels.shape[2])
                totals += share @ colours.reshape(-1, 3)
                counts += share.sum(axis=1)
            seen = counts[:, None] > 0
            return float32(np.where(seen, totals / np.maximum(counts, 1)[:, None], GREY.linear()[0, 0]))

        return self.cache.get(("means", base.content_id, self.weights_key(at)), compute)


def _name(key: tuple[object, ...]) -> str:
    return hashlib.sha256(repr(key).encode()).hexdigest()


def _claims(region: Region) -> tuple[object, ...]:
    """What a region's mask depends on; the key stands for its faces."""
    return (region.key, region.keyed, region.id_colour, region.inner, region.outer, region.metric, region.boxes)


def _mask(levels: Samples, region: Region) -> Floats:
    return key_mask(levels, region.id_colour, region.inner, region.outer, region.metric)


def bands(height: int) -> Iterator[tuple[int, int]]:
    """Rows first..last of pieces that keep the memory of full-size work small."""
    for first in range(0, height, BAND_ROWS):
        yield first, min(first + BAND_ROWS, height)


def aligned_bands(base: Plane, levels: Sequence[Levels]) -> Iterator[tuple[Floats, Floats]]:
    """Bands of the base colour, (h, W, 3) linear, each with the weights (R, h, W) at its texels, 0..255."""
    same = all(level.shape == (base.height, base.width) for level in levels)
    for first, last in bands(base.height):
        colours = float32(rgb_of(base.rows(first, last).linear()))
        weights = np.empty((len(levels), last - first, base.width), dtype=np.float32)
        for row, level in enumerate(levels):
            if same:
                weights[row] = level[first:last]
            else:
                uv = texel_centres(base.height, base.width)[first:last]
                weights[row] = sample(Plane(level[..., None], Encoding.DATA), uv)[..., 0] * 255
        yield colours, weights


def thinned(base: Plane, levels: Sequence[Levels], most: int) -> tuple[Floats, list[Levels]]:
    """Colours (n, m, 3) linear and each region's weights (n, m) 0..255 at a grid of at most `most` texels a side."""
    step = max(1, -(-max(base.height, base.width) // most))
    colours = float32(rgb_of(Plane(base.samples[::step, ::step], base.encoding).linear()))
    rows = (np.arange(0, base.height, step) + 0.5) / base.height
    columns = (np.arange(0, base.width, step) + 0.5) / base.width
    return colours, [
        level[np.ix_((rows * level.shape[0]).astype(int), (columns * level.shape[1]).astype(int))] for level in levels
    ]
