"""Loading a package: its maps, its shader text and its graph."""

from dataclasses import dataclass
from pathlib import Path

from even_palette.core.disk.gate import read_bytes
from even_palette.core.errors import UserError
from even_palette.core.graph.program import Program
from even_palette.core.graph.slots import Slot
from even_palette.core.material.drawn import Way
from even_palette.core.material.model import Track
from even_palette.core.material.outputs import COLOUR
from even_palette.core.material.tracks import value_at
from even_palette.core.raster.chain import Chain, Coverage
from even_palette.core.raster.coverage import covering
from even_palette.core.raster.files import read_plane
from even_palette.core.raster.plane import Plane
from even_palette.core.raster.sampling import Sampler, Wrap
from even_palette.core.ship.package import (
    PACKAGE_FILE,
    Package,
    PackageOutput,
    PackageSheet,
    RuntimeValue,
)
from even_palette.core.ship.read_package import plain_parameter, read_package

MOST_SHADER_BYTES = 16 << 20


@dataclass(frozen=True)
class Loaded:
    """A package ready to be played."""

    package: Package
    sheet: PackageSheet
    slots: dict[str, Slot]
    shader: str
    program: Program

    def output(self, name: str) -> PackageOutput:
        """An output by name. Raises UserError for one that the sheet does not have."""
        for output in self.sheet.outputs:
            if output.name == name:
                return output
        names = ", ".join(output.name for output in self.sheet.outputs)
        raise UserError(f"The sheet has no output “{name}”; it has {names}.")

    def has_alpha(self, name: str) -> bool:
        """Whether an output is played with the alpha that the sheet is drawn with: colour where it is not opaque."""
        return name == COLOUR and self.sheet.drawing.way != Way.OPAQUE

    def files(self, folder: Path) -> list[Path]:
        """The files of the package that were read from its folder."""
        names = [PACKAGE_FILE, self.sheet.shader, *(entry.file for entry in self.sheet.maps)]
        return [folder / name for name in names]


def load(folder: Path, sheet_name: str = "") -> Loaded:
    """Read one sheet of a package, the first one without a name.

    Raises UserError, naming the file, for anything that is missing or does not fit.
    """
    package = read_package(folder)
    sheet = next((s for s in package.sheets if s.name == (sheet_name or package.sheets[0].name)), None)
    if sheet is None:
        names = ", ".join(each.name for each in package.sheets)
        raise UserError(f"The package has no sheet “{sheet_name}”; it has {names}.")
    layers: dict[str, dict[int, Plane]] = {}
    for entry in sheet.maps:
        plane = read_plane(folder / entry.file, entry.encoding)
        told = (entry.width, entry.height, entry.channels, entry.bits)
        if (plane.width, plane.height, plane.channels, plane.samples.dtype.itemsize * 8) != told:
            raise UserError(f"{entry.file}: not of the size and bits that package.json tells.")
        layers.setdefault(entry.slot, {})[entry.layer] = plane
    found = {}
    for entry in sheet.maps:
        held = layers[entry.slot]
        sampler = Sampler(entry.filter, Wrap(entry.wrap), entry.mips)
        chains = tuple(Chain(held[number]) for number in sorted(held))
        if entry.coverage is not None:
            kept = Coverage(entry.coverage.channel, entry.coverage.threshold)
            chains = tuple(covering(chain, kept) for chain in chains)
        found[entry.slot] = Slot(chains, sampler, entry.layer >= 0)
    try:
        shader = read_bytes(folder / sheet.shader, MOST_SHADER_BYTES).decode("utf-8")
    except UnicodeDecodeError:
        raise UserError(f"{folder / sheet.shader}: is no text in UTF-8.") from None
    program = Program(sheet.program, {output.name: output.node for output in sheet.outputs})
    return Loaded(package, sheet, found, shader, program)


def values_of(loaded: Loaded, variant: str, twin: str = "", time: float = 0.0) -> dict[str, RuntimeValue]:
    """Parameter values of a variant at a time in seconds; the defaults for "". Or those that a twin of the sheet has.

    Raises UserError for a variant or a twin that is not there.
    """
    values, tracks = _still_values(loaded, variant, twin)
    parameters = {parameter.name: parameter for parameter in loaded.package.parameters}
    now = {
        name: value_at(track, plain_parameter(parameters[name]), time, is_linear=True) for name, track in tracks.items()
    }
    return {**values, **now}


def _still_values(loaded: Loaded, variant: str, twin: str) -> tuple[dict[str, RuntimeValue], dict[str, Track]]:
    if twin:
        there = {each.name: each for each in loaded.package.twins if each.sheet == loaded.sheet.name}
        if twin not in there:
            told = ", ".join(there) or "none"
            raise UserError(f"The sheet has no twin “{twin}”; it has {told}.")
        if variant in there[twin].values:
            return there[twin].values[variant], there[twin].tracks.get(variant, {})
    defaults = {parameter.name: parameter.default for parameter in loaded.package.parameters}
    if not variant:
        return defaults, {}
    for entry in loaded.package.variants:
        if entry.name == variant:
            return {**defaults, **entry.values}, entry.tracks
    names = ", ".join(entry.name for entry in loaded.package.variants) or "none"
    raise UserError(f"The package has no variant “{variant}”; it has {names}.")
