"""What the regions of a sheet claim before their steps, by classes of texels."""

import hashlib
from dataclasses import dataclass, field, replace

import numpy as np

from even_palette.core.arrays import Bools, Floats, Samples, float32
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.model import Focus
from even_palette.core.raster.tiles import Spot, each_tile
from even_palette.core.regions.claims import box_masks, join_classes
from even_palette.core.regions.id_colours import distinct_colours
from even_palette.core.regions.keying import key_mask
from even_palette.core.regions.unmix import Unmixed
from even_palette.core.results.footprints import footprint_of
from even_palette.core.results.id_map import LIKE, LIKE_LOSSY, id_levels_of, mask_size_of, unmixed_of
from even_palette.core.results.sheet_mesh import faces_name, mesh_on_sheet, regions_of_faces
from even_palette.core.results.store import Store


@dataclass(frozen=True, eq=False)
class Claims:
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


def claims_of(at: Focus, store: Store, progress: Progress = silent, cancel: CancelToken | None = None) -> Claims:
    """The claims of the regions of a sheet. Where several sources claim a texel for a region, the strongest counts.

    A claim depends on a texel's ID colour, on the elements that it shows, and on the boxes that it lies in; texels that
    are alike in these are one class, so each mask is computed once a class.
    """
    regions = at.sheet.regions
    width, height = mask_size_of(at, store)
    tables: list[Floats] = []
    indices: list[Samples] = []
    names: list[object] = [(width, height)]
    plane = id_levels_of(at, store)
    if plane and at.sheet.unmix is None:
        colours, index, _ = store.cache.get(("distinct", plane.content_id), lambda: distinct_colours(plane.samples))
        table = np.zeros((len(regions), len(colours)), dtype=np.float32)
        for row, region in enumerate(regions):
            if region.keyed:
                table[row] = key_mask(colours, region.id_colour, region.inner, region.outer, region.metric)[:, 0]
        tables.append(table)
        indices.append(index)
        names.append(plane.content_id)
    seen = footprint_of(at, store, width, height, progress, cancel)
    if seen is not None and regions:
        from even_palette.core.mesh.footprint import label_classes

        found = mesh_on_sheet(at, store)
        keys = tuple(region.key for region in regions)
        given = (
            "elements",
            found.content_id if found else "",
            faces_name(at),
            at.sheet.padding,
            keys,
        )
        print_ = seen

        def by_faces() -> tuple[Samples, Floats]:
            labels = regions_of_faces(at, store)
            return label_classes(print_, labels, len(regions))

        classes, shares = store.cache.get((*given, width, height), by_faces)
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

    whole, rows, present = store.cache.get(("classes", name), classes_of)
    masks = tables[0][:, rows[0]]
    for table, row in zip(tables[1:], rows[1:], strict=True):
        masks = np.maximum(masks, table[:, row])
    levels = np.asarray(masks * np.float32(65535) + np.float32(0.5), dtype=np.uint16)
    claims = Claims(levels, whole, present, name)
    if plane and at.sheet.unmix is not None:
        progress(0.0, "Unmixing")
        made, made_name = unmixed_of(at, store, plane, cancel)
        return replace(claims, unmixed=made, unmixed_name=made_name, chosen=_chosen(at, made))
    return claims


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
