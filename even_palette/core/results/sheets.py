"""What follows from a sheet: its planes, masks, weights, means and tones, memoised by content."""

from pathlib import Path
from weakref import WeakKeyDictionary, ref

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.disk.gate import check_memory
from even_palette.core.errors import FileChanged, UserError
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.model import MOST_STEPS, Focus, Region, Source
from even_palette.core.raster.files import read_plane
from even_palette.core.raster.guess import COLOUR_ROLES, Role
from even_palette.core.raster.plane import Encoding, Plane, colour_plane
from even_palette.core.raster.tiles import TiledPlane, grid_of
from even_palette.core.regions.id_colours import IdColours, list_id_colours
from even_palette.core.regions.keying import distance_counts
from even_palette.core.regions.unmix import Unmixed, unmix
from even_palette.core.results.cache import Cache, Seen
from even_palette.core.results.claims import LIKE, Leaf, leaf_of
from even_palette.core.results.glow import SheetLight
from even_palette.core.results.kept_weights import lasting_weights
from even_palette.core.results.mask_names import MaskNames
from even_palette.core.results.masks import mask_of
from even_palette.core.results.means import region_means
from even_palette.core.results.meshes import Meshes
from even_palette.core.results.sources import map_name, name_of
from even_palette.core.results.tones import made_tone, tone_key
from even_palette.core.results.weights import SheetWeights, weights_key, weights_of

MOST_MASK_SUM = 4
MESH_SIDE = 1024
UNCLAIMED = 88
ID_BYTES = 14
"""What listing and keying the colours of an ID map takes a texel, beside the map."""
GREY = Plane(np.full((1, 1, 3), 128, dtype=np.uint8), Encoding.SRGB)


class Sheets:
    """Derived results of sheets. Holds nothing but the cache; all methods may be called from any thread."""

    def __init__(self, cache: Cache | None = None) -> None:
        self.cache = cache or Cache()
        self.seen = Seen()
        self.meshes = Meshes(self.cache, SheetLight(ref(self)))  # a circle that ends with the last who holds this
        self._mask_names: WeakKeyDictionary[Focus, MaskNames] = WeakKeyDictionary()
        self._named: WeakKeyDictionary[Focus, tuple[object, ...]] = WeakKeyDictionary()

    def plane(self, source: Source) -> Plane:
        """The plane of a map; maps of colour have three channels, or four with alpha, also where the file is grey.

        Raises UserError if its file cannot be read, or if work on it would not fit into memory, and FileChanged if the
        file is not what the kit knows: what is made of it would be kept under the name of something else.
        """

        def read_known() -> Plane:
            found = read_plane(Path(source.path), Encoding.DATA)
            if source.sha256 not in ("", found.known_id):
                raise FileChanged(source.path)
            return found

        read = self.cache.get(("plane", name_of(source)), read_known)
        if (source.width or read.width, source.height or read.height) != (read.width, read.height):
            raise UserError(
                f"{Path(source.path).name}: is {read.width} x {read.height} texels, the kit says "
                f"{source.width} x {source.height}; remove the map in Source and open it again."
            )
        if source.role == Role.ID:
            texels = read.width * read.height
            check_memory(Path(source.path).name, texels * (read.channels + ID_BYTES), "keying")
        read = read.with_encoding(source.encoding)
        return colour_plane(read) if source.role in COLOUR_ROLES else read

    def known_plane(self, source: Source) -> Plane | None:
        """The plane of a map as it was read, if it was."""
        found: Plane | None = self.cache.peek(("plane", name_of(source)))
        return found

    def paint(self, at: Focus) -> Plane:
        """The base colour as it was painted, three channels or four with alpha; a grey texel where there is none."""
        source = at.sheet.source(Role.BASE_COLOUR)
        return self.plane(source) if source else GREY

    def base_colour(self, at: Focus) -> Plane:
        """What lies under all coats, three channels or four: the paint, or the tone that takes its place."""
        if not at.sheet.base_tone:
            return self.paint(at)
        made = self.tone(at, at.sheet.base_tone)
        if made.channels > 2:
            return made.with_encoding(Encoding.SRGB)
        return self.cache.get(
            ("grey base", made.content_id),
            lambda: colour_plane(Plane(made.samples, Encoding.SRGB, f"tone {made.content_id}")),
        )

    def base_name(self, at: Focus) -> tuple[object, ...]:
        """Names what lies under all coats by what the kit says of it."""
        if not at.sheet.base_tone:
            return map_name(at.sheet.source(Role.BASE_COLOUR))
        return tone_key(at, self, at.sheet.tone(at.sheet.base_tone))

    def tone(self, at: Focus, key: str, progress: Progress = silent, cancel: CancelToken | None = None) -> Plane:
        """The plane of a tone. Raises UserError if it cannot be made, KeyError if there is none, Cancelled."""
        return made_tone(at, self, at.sheet.tone(key), progress, cancel)

    def id_levels(self, at: Focus) -> Plane | None:
        """The ID map in 8 bits, if there is one: a file, or the bake that serves as one."""
        source = at.sheet.source(Role.ID)
        if source is not None:
            plane = self.plane(source)
        elif at.sheet.id_bake and self.meshes.on_sheet(at) is not None:
            plane = self.meshes.bake(at, at.sheet.bake(at.sheet.id_bake))[0]
        else:
            return None
        if plane.samples.dtype == np.uint8:
            return plane
        key = ("levels", plane.content_id)
        return self.cache.get(key, lambda: Plane(plane.levels8(), Encoding.DATA, plane.content_id))

    def id_colours(self, at: Focus) -> IdColours:
        """The ID colours of a sheet's ID map with their counts; none without a map."""

        def compute() -> IdColours:
            plane = self.id_levels(at)
            return list_id_colours(plane.samples) if plane else IdColours((), 0)

        return self.cache.get(("id colours", self.id_name(at)), compute)

    def unmixed(self, at: Focus, cancel: CancelToken | None = None) -> tuple[Unmixed, str]:
        """The unmixed ID map of a sheet that has one and is set to that, and its name. Raises Cancelled."""
        plane, how = self.id_levels(at), at.sheet.unmix
        assert plane is not None
        assert how is not None
        listed = self.id_colours(at)
        known = np.array([colour.levels for colour in listed.colours], dtype=np.int16).reshape(-1, 3)
        wanted = dict.fromkeys(colour for region in at.sheet.regions for colour in region.id_colours)
        others = tuple(
            colour for colour in wanted
            if not how.lossy and (np.abs(known - np.array(colour)).max(axis=1) > LIKE).all()
        )  # fmt: skip
        kept = tuple(colour for colour in listed.colours if colour.levels not in how.dissolved)
        key = ("unmixed", plane.content_id, how, others)
        made = self.cache.get(
            key, lambda: unmix(plane.samples, IdColours(kept, 0), others, how.mixing, how.lossy, cancel)
        )
        return made, repr(key)

    def id_distances(self, at: Focus, region: Region) -> Samples | None:
        """How many texels of the ID map are how far from a region's ID colour, (256,); None without a map."""
        if not self.id_name(at):
            return None

        def compute() -> Samples:
            plane = self.id_levels(at)
            assert plane is not None
            return distance_counts(plane.samples, region.id_colour, region.metric)

        return self.cache.get(("id distances", self.id_name(at), region.id_colour, region.metric), compute)

    def known_id_colours(self, at: Focus) -> IdColours | None:
        """The ID colours if they were listed already."""
        name = self.id_name(at)
        return self.cache.peek(("id colours", name)) if name else IdColours((), 0)

    def id_name(self, at: Focus) -> str:
        """Names what serves as ID map by what the kit says alone; "" for nothing."""
        if source := at.sheet.source(Role.ID):
            return name_of(source)
        there = at.sheet.id_bake and self.meshes.on_sheet(at) is not None
        return self.meshes.bake_key(at, at.sheet.bake(at.sheet.id_bake)) if there else ""

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
                leaf = self.leaf(at)
                masks, index = float32(leaf.masks) / np.float32(65535), leaf.index
                shares = masks / np.maximum(1, masks.sum(axis=0))
                mixed = shares.T @ np.array(colours, dtype=np.float32).reshape(-1, 3)
                shown = np.asarray(mixed + 0.5, dtype=np.uint8)[index]
                free = (masks.max(axis=0, initial=0) == 0)[index]
            seen = self.meshes.footprint(at, shown.shape[1], shown.shape[0])
            if seen is not None:
                shown[seen.covered & free] = UNCLAIMED
            return TiledPlane(grid_of(shown))

        return self.cache.get(key, compute)

    def mask_size(self, at: Focus) -> tuple[int, int]:
        """Width and height of the masks of the sheet: those of its ID map, else of its base colour."""
        source = at.sheet.source(Role.ID)
        if source is None and at.sheet.id_bake and self.meshes.on_sheet(at) is not None:
            side = at.sheet.bake(at.sheet.id_bake).size
            return side, side
        source = source or at.sheet.source(Role.BASE_COLOUR)
        return self.size_of(source) if source else (MESH_SIDE, MESH_SIDE)

    def size_of(self, source: Source) -> tuple[int, int]:
        """Width and height of a map; it is read only where the kit does not say."""
        if source.width and source.height:
            return source.width, source.height
        plane = self.plane(source)
        return plane.width, plane.height

    def has_masks(self, at: Focus) -> bool:
        """Whether there is anything that regions of the sheet can be made of."""
        made = any(region.boxes or region.steps for region in at.sheet.regions)
        return made or at.sheet.source(Role.ID) is not None or self.meshes.on_sheet(at) is not None

    def leaf(self, at: Focus, progress: Progress = silent, cancel: CancelToken | None = None) -> Leaf:
        """What the regions claim before their steps, by classes of texels."""
        return leaf_of(at, self, progress, cancel)

    def mask(self, at: Focus, region: str, steps: int = MOST_STEPS) -> TiledPlane:
        """The mask of a region after its first steps, (H, W, 1) uint16. Raises KeyError without such a region."""
        if at.kit.sheet_of(region).key != at.key:
            raise KeyError(region)
        return mask_of(at, self, region, steps)

    def mask_names(self, at: Focus) -> MaskNames:
        """Names the masks of a sheet; views ask often, so names are put together once."""
        known = self._mask_names.get(at)
        if known is None:
            known = self._mask_names[at] = MaskNames(at, self)
        return known

    def weights_key(self, at: Focus) -> tuple[object, ...]:
        """Names the weights of a sheet by what they are made of; views ask often, so a name is put together once."""
        known = self._named.get(at)
        if known is None:
            known = self._named[at] = weights_key(at, self)
        return known

    def weights(
        self, at: Focus, progress: Progress = silent, cancel: CancelToken | None = None, lasting: bool = False
    ) -> SheetWeights:
        """The weights as they are shipped, in 8 bits. Raises Cancelled if the token is cancelled.

        They are looked for on the disk and kept there if they shall be `lasting`: once a kit is opened, not with each
        of its edits.
        """
        key = self.weights_key(at)
        if not lasting:
            return self.cache.get(key, lambda: weights_of(at, self, progress, cancel))
        return self.cache.get(
            key, lambda: lasting_weights(self.cache.disk, key, lambda: weights_of(at, self, progress, cancel))
        )

    def means(self, at: Focus, cancel: CancelToken | None = None) -> Floats:
        """The mean of the linear base colour in each region, weighted by the shipped weights; (R, 3)."""
        weights, base = self.weights(at), self.base_colour(at)
        grey = GREY.linear()[0, 0]
        key = ("means", base.content_id, weights.content_id)
        return self.cache.get_lasting(np.ndarray, key, lambda: region_means(base, weights, self.cache, grey, cancel))
