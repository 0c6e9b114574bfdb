"""The maps of a sheet as texture files, stored as its conditions say."""

from pathlib import Path

from even_palette.core.disk.gate import refuse_sources
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.model import Focus
from even_palette.core.proof.conditions import conditions_of
from even_palette.core.proof.degrade import texture_of
from even_palette.core.raster.files import write_texture
from even_palette.core.results.proof import shipped
from even_palette.core.results.store import Store


def write_textures(
    at: Focus, store: Store, folder: Path, suffix: str, progress: Progress = silent, cancel: CancelToken | None = None
) -> dict[Path, int]:
    """Write every map as it ships under the conditions of its sheet, one file a texture; gives the bytes of each.

    Raises UserError for what the format does not hold, and for a path that a file of the kit has, and Cancelled.
    """
    found = shipped(at, store)
    written: dict[Path, int] = {}
    for number, name in enumerate(found.names):
        progress(number / len(found.names), name.replace("_", " "))
        facts, path = found.facts[name], folder / f"{name}{suffix}"
        refuse_sources(path, [Path(file.path) for file in at.whole.files])
        own = conditions_of(at.sheet.conditions, name, facts)
        write_texture(path, texture_of(found.slots[name], own, facts, cancel))
        written[path] = path.stat().st_size
    progress(1.0, "Done")
    return written
