"""The planes of a sheet's maps, as they were read."""

from pathlib import Path

import numpy as np

from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.disk.gate import check_memory
from even_palette.core.errors import FileChanged, UserError
from even_palette.core.kit.model import Focus
from even_palette.core.kit.sheet import Source
from even_palette.core.raster.alpha import divided
from even_palette.core.raster.files import read_plane
from even_palette.core.raster.formats import in_srgb
from even_palette.core.raster.guess import COLOUR_ROLES, Role
from even_palette.core.raster.normals import as_stored
from even_palette.core.raster.plane import Encoding, Plane, colour_plane
from even_palette.core.raster.tiles import Grid, Tile, TiledPlane, make_tile, spots
from even_palette.core.results.file_names import name_of
from even_palette.core.results.store import Store

ID_BYTES = 14
"""What listing and keying the colours of an ID map takes a texel, beside the map."""
GREY = Plane(np.full((1, 1, 3), 128, dtype=np.uint8), Encoding.SRGB)


def plane_of_map(source: Source, store: Store) -> Plane:
    """The plane of a map; maps of colour have three channels, or four with alpha, also where the file is grey. Normals
    have three with green up, however the file has them.

    Raises UserError if its file cannot be read, or if work on it would not fit into memory, and FileChanged if the
    file is not what the kit knows: what is made of it would be kept under the name of something else.
    """

    def read_known() -> Plane:
        if source.plain is not None:
            return _plain(source.plain, source.width, source.height)
        found = read_plane(Path(source.path), Encoding.DATA)
        if source.sha256 not in ("", found.known_id):
            raise FileChanged(source.path)
        return found

    read = store.cache.get(("plane", name_of(source)), read_known)
    if (source.width or read.width, source.height or read.height) != (read.width, read.height):
        raise UserError(
            f"{Path(source.path).name}: is {read.width} x {read.height} texels, the kit says "
            f"{source.width} x {source.height}; remove the map in Source and open it again."
        )
    if source.role == Role.ID:
        texels = read.width * read.height
        check_memory(Path(source.path).name, texels * (read.channels + ID_BYTES), "keying")
    read = read.with_encoding(source.encoding)
    changed = source.green_down or read.channels == 2 or source.strength != 1
    if source.role == Role.NORMAL and read.channels > 1 and changed:
        down, strength = source.green_down, source.strength
        name = ("normal", read.content_id, down, strength)
        return store.cache.get(name, lambda: read.made(lambda part: as_stored(part, down, strength), Encoding.DATA))
    if read.space and source.role in COLOUR_ROLES and source.encoding == Encoding.SRGB:
        foreign = read
        read = store.cache.get(("in sRGB", read.content_id, read.space), lambda: _as_srgb(foreign))
    if source.premultiplied and read.channels == 4:
        multiplied = read
        read = store.cache.get(("straight", read.content_id), lambda: multiplied.made(divided, multiplied.encoding))
    return colour_plane(read) if source.role in COLOUR_ROLES else read


def _as_srgb(plane: Plane) -> Plane:
    return plane.made(lambda samples: in_srgb(samples, plane.space), Encoding.SRGB, f"{plane.content_id} in sRGB")


def _plain(colour: Rgb8, width: int, height: int) -> Plane:
    """One colour all over, of tiles that are one and the same."""
    texel = np.array(colour, dtype=np.uint8)
    made: dict[tuple[int, int], Tile] = {}
    for spot in spots(height, width):
        made.setdefault(spot.shape, make_tile(np.broadcast_to(texel, (*spot.shape, 3))))
    tiles = tuple(made[spot.shape] for spot in spots(height, width))
    return TiledPlane(Grid(height, width, tiles), Encoding.SRGB)


def given_plane(at: Focus, role: Role, store: Store) -> Plane | None:
    """What gives a role to a sheet: the plane of a map, or one channel of it, smoothness turned; None for nothing.

    Raises UserError if its file cannot be read.
    """
    given = at.sheet.given(role)
    if given is None:
        return None
    whole = plane_of_map(given.source, store)
    if given.whole:
        return whole
    channel, turned = min(given.use.channel, whole.channels - 1), given.use.invert

    def cut() -> Plane:
        samples = np.ascontiguousarray(whole.samples[..., channel : channel + 1])
        most = 1 if samples.dtype.kind == "f" else np.iinfo(samples.dtype).max
        return Plane(np.asarray(most - samples, samples.dtype) if turned else samples, Encoding.DATA)

    return store.cache.get(("channel", whole.content_id, channel, turned), cut)


def known_map(source: Source, store: Store) -> Plane | None:
    """The plane of a map as it was read, if it was."""
    found: Plane | None = store.cache.peek(("plane", name_of(source)))
    return found


def size_of_map(source: Source, store: Store) -> tuple[int, int]:
    """Width and height of a map; it is read only where the kit does not say."""
    if source.width and source.height:
        return source.width, source.height
    plane = plane_of_map(source, store)
    return plane.width, plane.height


def paint_of(at: Focus, store: Store) -> Plane:
    """The base colour as it was painted, three channels or four with alpha; a grey texel where there is none."""
    source = at.sheet.source(Role.BASE_COLOUR)
    return plane_of_map(source, store) if source else GREY
