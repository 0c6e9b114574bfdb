"""Laying a sheet of the demo: its maps and mesh are written and taken in, and its parts become regions."""

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from even_palette.core.arrays import Levels
from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.kit import commands
from even_palette.core.kit.assignment import pack_faces
from even_palette.core.kit.fingerprints import fingerprint
from even_palette.core.kit.history import History
from even_palette.core.kit.mesh_file import MeshFile
from even_palette.core.kit.names import identifier
from even_palette.core.kit.sheet import Bake, Source
from even_palette.core.material.drawn import Way, likely_way
from even_palette.core.mesh.files import write_mesh
from even_palette.core.mesh.model import Mesh
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.layouts import guess_map, opacity_of
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.bakes import bake_of
from even_palette.core.results.dividing import new_regions
from even_palette.core.results.sheet_mesh import mesh_of_file
from even_palette.core.results.sheets import Sheets


@dataclass(frozen=True)
class DemoSheet:
    """A sheet of the demo: maps by role, its mesh with the ID colours of its parts, bakes, maps without a role."""

    name: str
    file: str
    mesh: Callable[[], tuple[Mesh, tuple[str, ...]]] | None
    id_colours: dict[str, Rgb8]
    maps: dict[Role, Plane]
    bakes: tuple[Bake, ...] = ()
    others: dict[str, Plane] = field(default_factory=dict)


def lay(history: History, sheets: Sheets, sheet: DemoSheet, key: str, folder: Path) -> None:
    """Write a sheet's maps and mesh, take them in, and make a region of each of its parts."""
    maps = folder / "maps"
    maps.mkdir(parents=True, exist_ok=True)
    for role, plane in sheet.maps.items():
        path = maps / f"{sheet.file}_{role.value.replace(' map', '').replace(' ', '_').lower()}.png"
        write_plane(path, plane)
        seen = fingerprint(path)
        size = (plane.width, plane.height)
        layout = guess_map(path, plane.samples)[2]
        opacity = opacity_of(plane.samples, role, layout)
        source = Source(
            identifier(role), role, str(path.resolve()), plane.encoding, seen.size, seen.sha256, *size, layout
        )  # fmt: skip
        way = Way.CUT_OUT if opacity is None else likely_way(opacity)
        history.do(commands.add_map(key, source, way))
    for name, plane in sheet.others.items():
        path = maps / f"{sheet.file}_{name}.png"
        write_plane(path, plane)
        seen = fingerprint(path)
        told = Source(
            name, Role.NONE, str(path.resolve()), plane.encoding, seen.size, seen.sha256, plane.width, plane.height,
            guess_map(path, plane.samples)[2],
        )  # fmt: skip
        history.do(commands.add_map(key, told))
    if sheet.mesh is None:
        if sheet.id_colours:
            _name_regions(history, sheet, key)
        return
    mesh, parts = sheet.mesh()
    path = maps / f"{sheet.file}.glb"
    colours: Levels = np.array([sheet.id_colours[part] for part in parts], dtype=np.uint8)
    write_mesh(path, mesh, colours)
    seen = fingerprint(path)
    file = MeshFile(sheet.file, str(path.resolve()), key, seen.size, seen.sha256, casts=False)
    history.do(commands.add_mesh(file))
    file = history.kit.meshes[-1]  # its key is made unique
    names = list(sheet.id_colours)
    if Role.ID in sheet.maps:
        _name_regions(history, sheet, key)
    else:
        made = new_regions(history.kit.at(key), names, list(sheet.id_colours.values()))
        loaded = mesh_of_file(file, sheets)
        assert loaded.colours is not None
        palette = np.array(list(sheet.id_colours.values()))
        labels = (loaded.colours[:, 0][:, None] == palette[None]).all(axis=-1).argmax(axis=1)
        faces = pack_faces(labels, tuple(region.key for region in made))
        history.do(commands.set_faces("Give parts to regions", {file.key: faces}, key, made))
    for bake in sheet.bakes:
        history.do(commands.add_bake(key, bake))


def _name_regions(history: History, sheet: DemoSheet, key: str) -> None:
    history.do(commands.add_regions(key, list(sheet.id_colours.values())))
    for region, name in zip(history.kit.sheet(key).regions, sheet.id_colours, strict=True):
        history.do(commands.rename_region(region.key, name))


def keep_bake(history: History, sheets: Sheets, folder: Path, bake: Bake, name: str) -> None:
    """Make a bake of the tug and keep it as a map in 8 bits, so that no start waits for rays."""
    sheet = history.kit.sheets[0]
    made, _ = bake_of(history.kit.at(sheet.key), sheets, bake)
    path = folder / "maps" / f"ferry_tug_{name}.png"
    write_plane(path, Plane(made.levels8(), Encoding.DATA))
    seen = fingerprint(path)
    told = Source(name, Role.NONE, str(path.resolve()), Encoding.DATA, seen.size, seen.sha256, bake.size, bake.size)
    history.do(commands.add_map(sheet.key, told))
