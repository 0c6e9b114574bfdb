"""UV tiles beside the first: what lies in them, and a sheet for each."""

import numpy as np
from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.commands import Command
from even_palette.core.kit.keyed import change_one
from even_palette.core.kit.mesh_file import MeshFile
from even_palette.core.kit.model import Focus, Kit
from even_palette.core.results.sheet_mesh import mesh_of_file, tiles_of
from even_palette.core.results.store import Store

MOST_ACROSS = 10
"""Tiles in a row; they are numbered 1001 on, row by row upwards: common practice."""


def tile_number(across: int, down: int) -> int:
    """What the trade calls a tile, 0 for one that has no number."""
    up = -down
    return 1001 + across + MOST_ACROSS * up if 0 <= across < MOST_ACROSS and 0 <= up < MOST_ACROSS else 0


def faces_by_tile(file: MeshFile, store: Store) -> dict[tuple[int, int], int]:
    """How many faces of a mesh lie in each tile beside the first that has no sheet yet, by its place (right, down)."""
    mesh = mesh_of_file(file, store)
    if not mesh.uv_sets:
        return {}
    uv_set = min(file.uv_set, len(mesh.uv_sets) - 1)

    def count() -> list[tuple[int, int, int]]:
        places, counts = np.unique(tiles_of(mesh.uv_sets[uv_set]), axis=0, return_counts=True)
        found = zip(*places.T.tolist(), counts.tolist(), strict=True)
        return sorted(found, key=lambda each: (-each[1], each[0]))

    found = store.cache.get(("tiles", mesh.content_id, uv_set), count)
    return {
        (across, down): faces
        for across, down, faces in found
        if (across, down) != (0, 0) and f"{across} {down}" not in file.tiles
    }


def sheets_for_tiles(at: Focus, store: Store, key: str) -> Command:
    """Give each numbered tile of a mesh that has faces a sheet of its own. Raises UserError where none needs one."""
    file = at.kit.mesh(key)
    wanted = [tile for tile in faces_by_tile(file, store) if tile_number(*tile)]
    if not wanted:
        raise UserError("No face of this mesh lies in another tile.")
    name = at.kit.sheet(file.sheet).name

    def apply(kit: Kit) -> Kit:
        tiles = dict(kit.mesh(key).tiles)
        for across, down in wanted:
            kit = commands.add_sheet(f"{name} {tile_number(across, down)}").apply(kit)
            tiles[f"{across} {down}"] = kit.sheets[-1].key
        meshes = change_one(kit.meshes, lambda mesh: mesh.key == key, lambda mesh: replace(mesh, tiles=tiles))
        return replace(kit, meshes=meshes)

    return Command("Sheets for tiles", apply)


def told_of_tiles(file: MeshFile, store: Store) -> str:
    """What lies in tiles beside the first, in words; "" for nothing."""
    parts = []
    for tile, count in faces_by_tile(file, store).items():
        where = str(tile_number(*tile)) if tile_number(*tile) else f"{tile[0]:+} right, {tile[1]:+} down"
        parts.append(f"{count:,} in tile {where}")
    more = f" and {len(parts) - 4} more" if len(parts) > 4 else ""
    return f"Of its faces {', '.join(parts[:4])}{more}." if parts else ""
