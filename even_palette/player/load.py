"""Loading a package: its maps, its shader text and its graph."""

from dataclasses import dataclass
from pathlib import Path

from even_palette.core.errors import UserError
from even_palette.core.graph.document import from_records
from even_palette.core.graph.nodes import Node
from even_palette.core.raster.files import read_plane
from even_palette.core.raster.plane import Plane
from even_palette.core.ship.package import Package, PackageSheet, RuntimeValue, read_package


@dataclass(frozen=True)
class Loaded:
    """A package ready to be played. `planes` are by slot."""

    package: Package
    sheet: PackageSheet
    planes: dict[str, Plane]
    shader: str
    graph: Node


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
        shader = (folder / sheet.shader).read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise UserError(f"{folder / sheet.shader}: cannot be read ({error}).") from None
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
