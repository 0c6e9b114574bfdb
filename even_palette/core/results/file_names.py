"""What files are called in the keys of results: by what they hold."""

import os

from even_palette.core.kit.mesh_file import MeshFile
from even_palette.core.kit.scene import Surround
from even_palette.core.kit.sheet import Source


def name_of(file: Source | MeshFile | Surround) -> str:
    """Names what a file holds, as the kit knows it; one whose content the kit does not know by its time and size."""
    if isinstance(file, Source) and file.plain is not None:
        return f"plain {file.plain} {file.width} {file.height}"
    if file.sha256:
        return file.sha256
    try:
        found = os.stat(file.path)
    except (OSError, ValueError):
        return f"{file.path} is not there"
    return f"{file.path} {found.st_size} {found.st_mtime_ns} {found.st_ino}"


def map_name(source: Source | None) -> tuple[object, ...]:
    """Names the plane of a map: the file, and how its samples are meant."""
    if source is None:
        return ()
    return name_of(source), source.encoding, source.role, source.green_down, source.premultiplied, source.strength
