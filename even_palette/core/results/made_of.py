"""The parts of a kit that what is looked at of a sheet is made of: while they stay the same objects, so does that."""

from even_palette.core.kit.model import Focus
from even_palette.core.mesh.bakes import BAKES
from even_palette.core.mesh.bakes._declare import Reads


def made_of(at: Focus) -> tuple[object, ...]:
    """All parts that the material of a sheet is made of; what variants set is not among them."""
    kit = at.kit
    return at.sheet, kit.parameters, kit.recipes, kit.palettes, kit.ramps, kit.meshes, kit.blending


def sampled_made_of(at: Focus) -> tuple[object, ...]:
    """All parts that the material, its weights and the planes that it samples are made of.

    What variants set is among them only where a bake spills their light, and other sheets where rays may meet them.
    """
    reads = frozenset[Reads]().union(*(BAKES[bake.kind].reads for bake in at.sheet.bakes))
    around = at.kit.sheets if Reads.AROUND in reads else None
    return *made_of(at), at.kit.variants if Reads.LIGHT in reads else None, around
