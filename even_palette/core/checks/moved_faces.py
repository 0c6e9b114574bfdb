"""Faces that lie elsewhere on their sheet than in their file, which a package does not carry."""

from collections.abc import Iterator
from pathlib import Path

import numpy as np

from even_palette.core.checks._finding import Finding, Severity
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.results.sheet_mesh import mesh_of_file, moves_of
from even_palette.core.results.sheets import Sheets


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """Meshes of the sheet with moved faces: the game needs the mesh that is written here."""
    for file in at.kit.meshes_on(at.key):
        if at.key != file.sheet or not file.moved.packed:
            continue
        try:
            count = np.count_nonzero(moves_of(file, mesh_of_file(file, sheets).face_count).any(axis=1))
        except UserError:
            continue
        if count:
            name = Path(file.path).name
            text = f"{count:,} faces of {name} are moved on the sheet: write the mesh in Source for the game."
            yield Finding("Ship", Severity.NOTE, text)
