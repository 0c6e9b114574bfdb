"""Loading a package: its maps, its shader text and its graph."""

from dataclasses import dataclass
from pathlib import Path

from even_palette.core.disk.gate import read_bytes
from even_palette.core.errors import UserError
from even_palette.core.graph.document import from_records
from even_palette.core.graph.nodes import Node
from even_palette.core.raster.files import read_plane
from even_palette.core.raster.plane import Plane
from even_palette.core.ship.package import PACKAGE_FILE, Package, PackageSheet, RuntimeValue, read_package

MOST_SHADER_BYTES = 16 << 20


@dataclass(frozen=True)
class Loaded:
    """A package ready to be played. `planes` are by slot."""

    package: Package
    sheet: PackageSheet
    planes: dict[str, Plane]
    shader: str
    graph: Node

    def files(self, folder: Path) -> list[Path]:
        """The files of the package that were read from its folder."""
        names = [PACKAGE_FILE, self.sheet.shader, *(entry.file for entry in self.sheet.maps)]
        return [folder / name for name in names]


def load(folder: Path, sheet_name: str = "") -> Loaded:
    """Read one sheet of a package, the first one without a name.

    Raises UserError, naming the file, for anything that is missing or does not fit.
    """
    package = read_package(folder)
    if not package.sheets:
        raise UserError(f"{folder}: the package has no sheet.")
    sheet = next((s for s in package.sheets if s.name == (sheet_name or package.sheets[0].name)), None)
    if sheet is None:
        names = ", ".join(each.name for each in package.sheets)
        raise UserError(f"The package has no sheet “{sheet_name}”; it has {names}.")
    planes = {}
    for entry in sheet.maps:
        plane = read_plane(folder / entry.file, entry.encoding)
        if (plane.width, plane.height, plane.channels) != (entry.width, entry.height, entry.channels):
            raise UserError(f"{entry.file}: not of the size that package.json tells.")
        planes[entry.slot] = plane
    try:
        shader = read_bytes(folder / sheet.shader, MOST_SHADER_BYTES).decode("utf-8")
    except UnicodeDecodeError:
        raise UserError(f"{folder / sheet.shader}: is no text in UTF-8.") from None
    return Loaded(package, sheet, planes, shader, from_records(sheet.graph))


def values_of(loaded: Loaded, variant: str) -> dict[str, RuntimeValue]:
    """Parameter values of a variant; the defaults for "". Raises UserError for a variant that is not there."""
    defaults = {parameter.name: parameter.default for parameter in loaded.package.parameters}
    if not variant:
        return defaults
    for entry in loaded.package.variants:
        if entry.name == variant:
            return {**defaults, **entry.values}
    names = ", ".join(entry.name for entry in loaded.package.variants) or "none"
    raise UserError(f"The package has no variant “{variant}”; it has {names}.")
