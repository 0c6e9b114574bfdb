"""Meshes that are missing, unreadable, without UVs, or changed so that their faces no longer fit the assignment."""

from collections.abc import Iterator
from pathlib import Path

from even_palette.core.checks._finding import Finding, Mend, Severity
from even_palette.core.disk.gate import exists
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.assignment import is_readable
from even_palette.core.kit.model import Focus
from even_palette.core.results.sheet_mesh import mesh_of_file
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.uv_tiles import faces_by_tile, sheets_for_tiles, tile_number, told_of_tiles


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """Mesh files that are missing, cannot be read, have no UVs, or do not fit what was given to regions."""
    for file in at.kit.meshes:
        if at.key not in file.sheets:
            continue
        name = Path(file.path).name
        if not exists(Path(file.path)):
            yield Finding("Source", Severity.ERROR, f"{name} (mesh) is missing; point to it in Source.")
            continue
        try:
            mesh = mesh_of_file(file, sheets)
        except UserError as error:
            yield Finding("Source", Severity.ERROR, str(error))
            continue
        if not mesh.uv_sets and not file.reference:
            yield Finding("Source", Severity.ERROR, f"{name} has no UVs; unwrap it in Source.")
        if not file.reference and at.key == file.sheet and (told := told_of_tiles(file, sheets)):
            numbered = any(tile_number(*tile) for tile in faces_by_tile(file, sheets))
            mend = Mend("A sheet for each tile", sheets_for_tiles(at, sheets, file.key)) if numbered else None
            yield Finding("Source", Severity.WARNING, f"{name}: {told}", mend=mend)
        if not is_readable(file.faces):
            yield Finding(
                "Regions",
                Severity.ERROR,
                f"{name}: which faces were given to regions cannot be read from the kit; give them again.",
            )
        if file.faces.count not in (0, mesh.face_count):
            yield Finding(
                "Regions",
                Severity.ERROR,
                f"{name} now has {mesh.face_count:,} faces; the {file.faces.count:,} that were given to regions no "
                "longer fit. Give them again, or go back to the old file.",
            )
