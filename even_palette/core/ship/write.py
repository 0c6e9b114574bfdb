"""Writing a package: a shipment, as a target wants it, into a folder that holds all that a runtime needs."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import msgspec
from msgspec.structs import replace

from even_palette.core.disk.folders import replacing_folder
from even_palette.core.disk.gate import reason, refuse_sources
from even_palette.core.disk.whole import write_whole
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.model import Kit
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.plane import Plane
from even_palette.core.results.sheets import Sheets
from even_palette.core.ship.package import PACKAGE_FILE, README_FILE, Package
from even_palette.core.ship.read_package import package_files
from even_palette.core.ship.shipment import shipment_of
from even_palette.core.ship.targets import target_of


@dataclass(frozen=True)
class Planned:
    """A file that will be written: its name, what it holds, and its size in video memory with mips (0: no texture)."""

    file: str
    holds: str
    texture_bytes: int


@dataclass(frozen=True)
class Contents:
    """A package in memory: package.json as structs, the planes by file name and the texts by file name."""

    package: Package
    planes: dict[str, Plane]
    texts: dict[str, str]


def plan(kit: Kit, sheets: Sheets, target: str = "") -> list[Planned]:
    """What a package of this kit will hold. Raises UserError for a kit that cannot be shipped."""
    made = contents(kit, sheets, target=target)
    maps: dict[str, Planned] = {}
    for sheet in made.package.sheets:
        for m in sheet.maps:
            size = texture_bytes(m.width, m.height, m.channels * m.bits // 8, m.mips)
            maps.setdefault(m.file, Planned(m.file, ", ".join(m.holds) or m.slot.replace("_", " "), size))
    return [*maps.values(), *(Planned(name, "text", 0) for name in made.texts)]


def texture_bytes(width: int, height: int, texel_bytes: int, mips: bool = True) -> int:
    """Bytes of a texture, with its mip chain down to 1 x 1; three channels take four in video memory."""
    total, texel = 0, 4 * (texel_bytes // 3) if texel_bytes % 3 == 0 else texel_bytes
    while True:
        total += width * height * texel
        if width == height == 1 or not mips:
            return total
        width, height = max(1, width // 2), max(1, height // 2)


def contents(
    kit: Kit, sheets: Sheets, progress: Progress = silent, cancel: CancelToken | None = None, target: str = ""
) -> Contents:
    """The package of a kit for a target, in memory.

    Raises UserError if there is no base colour, a map cannot be read, or there is no such target; and Cancelled.
    """
    wanted = target_of(target)
    shipment = shipment_of(kit, sheets, progress, cancel)
    texts = dict(wanted.texts(shipment))
    known = {README_FILE, *(sheet.told.shader for sheet in shipment.sheets)}
    beside = tuple(sorted(texts.keys() - known))
    package = replace(shipment.package, target=wanted.name, beside=beside)
    text = msgspec.json.format(msgspec.json.encode(package), indent=2).decode() + "\n"
    return Contents(package, dict(shipment.planes), {PACKAGE_FILE: text, **texts})


def ship(
    kit: Kit,
    sheets: Sheets,
    folder: Path,
    progress: Progress = silent,
    cancel: CancelToken | None = None,
    target: str = "",
) -> dict[str, int]:
    """Write the package of a kit for a target into a folder; gives the bytes of each file.

    The package appears whole or not at all. An older package there is replaced in one step; a folder that holds
    anything else, or a file that the kit reads, is refused before the work. Raises UserError, or Cancelled.
    """
    refuse_sources(folder, [Path(file.path) for file in kit.files])
    try:
        with replacing_folder(folder, package_files) as new:
            made = contents(kit, sheets, lambda share, doing: progress(share * 0.4, doing), cancel, target)
            with ThreadPoolExecutor(2) as pool:
                jobs = [pool.submit(write_plane, new / name, plane) for name, plane in made.planes.items()]
                for done, job in enumerate(jobs, 1):
                    job.result()
                    progress(0.4 + 0.55 * done / len(jobs), "Maps")
                    if cancel:
                        cancel.check()
            for name, text in sorted(made.texts.items(), key=lambda item: item[0] == PACKAGE_FILE):
                write_whole(new / name, text.encode())
            sizes = {path.name: path.stat().st_size for path in sorted(new.iterdir())}
    except OSError as error:
        raise UserError(f"{folder}: the package could not be written ({reason(error)}).") from error
    progress(1.0, "Done")
    return sizes
