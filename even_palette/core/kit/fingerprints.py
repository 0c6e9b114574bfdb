"""What files hold now, beside what the kit remembers of them."""

import contextlib
from dataclasses import dataclass
from pathlib import Path

from msgspec.structs import replace

from even_palette.core.disk.gate import file_size, read_bytes, sha256_of
from even_palette.core.errors import UserError
from even_palette.core.kit.model import Kit, Recipe
from even_palette.core.kit.sheet import Source
from even_palette.core.kit.trees import FromFile, with_files
from even_palette.core.mesh.files import content_of, is_parted

MOST_FILE_BYTES = 2 << 30


@dataclass(frozen=True)
class Fingerprint:
    """Size in bytes and SHA-256 of a file."""

    size: int
    sha256: str


def fingerprint(path: Path) -> Fingerprint:
    """Raises UserError if the file cannot be read. A mesh in parts is known by all of them."""
    if is_parted(path):
        return Fingerprint(file_size(path, MOST_FILE_BYTES), content_of(path, read_bytes(path, MOST_FILE_BYTES)))
    return Fingerprint(file_size(path, MOST_FILE_BYTES), sha256_of(path, MOST_FILE_BYTES))


def as_on_disk(kit: Kit) -> tuple[Kit, list[str]]:
    """The kit with its maps and meshes known as they are on disk now, and the names of those that are others.

    What cannot be read stays as it was known.
    """
    changed: list[str] = []

    def look(file: FromFile) -> FromFile:
        if isinstance(file, Recipe):
            return file
        with contextlib.suppress(UserError):
            seen = fingerprint(Path(file.path))
            if seen.sha256 != file.sha256:
                changed.append(Path(file.path).name)
                return renewed(file, seen)
        return file

    return with_files(kit, look), changed


def renewed(file: FromFile, seen: Fingerprint) -> FromFile:
    """A map or mesh whose file holds something else now."""
    if isinstance(file, Recipe):
        return file
    made = replace(file, size=seen.size, sha256=seen.sha256)
    return replace(made, width=0, height=0) if isinstance(made, Source) else made
