"""What a sheet's texels give as light in a variant: what the bake of spilled light is made from."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING
from weakref import ReferenceType

from even_palette.core.arrays import Floats, float32
from even_palette.core.graph.program import program_of
from even_palette.core.kit.commands.maps import without_plane
from even_palette.core.kit.model import Bake, Focus
from even_palette.core.kit.owners import OVER, coats_of
from even_palette.core.material.build import BASE_SLOT, Dressed, Material, build_material
from even_palette.core.material.model import PlaneKind, Setting
from even_palette.core.material.variants import MASTER, resolve

if TYPE_CHECKING:
    from even_palette.core.results.sheets import Sheets

EMISSION = "emission"


class SheetLight:
    """The light of sheets, by the results that it is made of; those hold on to it, not it to them."""

    def __init__(self, sheets: ReferenceType[Sheets]) -> None:
        self._sheets = sheets

    def key(self, at: Focus, bake: Bake) -> tuple[object, ...]:
        """Names the light by what its program reads: slots, parameters, weights and means; () where nothing glows."""
        from even_palette.core.results.tones import ref_name

        sheets, lit = self._sheets(), _without(at, bake)
        assert sheets is not None
        material = _without_means(lit, sheets)
        if EMISSION not in material.outputs:
            return ()
        program = program_of({EMISSION: material.outputs[EMISSION]})
        values = material.inputs(_settings(lit, bake))
        read: list[object] = [repr(program.records)]
        read += [(name, values[name]) for name in program.parameters if not name.endswith("_Mean")]
        if BASE_SLOT in program.slots:
            read.append(sheets.base_name(lit))
        for slot in program.slots:
            if slot != BASE_SLOT:
                use = material.slots[slot]
                read.append((repr(use), *(ref_name(lit, sheets, ref) for ref in (use.plane, *use.below))))
        if any(record.op == "weight" for record in program.records):
            read.append(sheets.weights_key(lit))
        if any(name.endswith("_Mean") for name in program.parameters):
            read += [sheets.base_name(lit), sheets.weights_key(lit)]
        return tuple(read)

    def made(self, at: Focus, bake: Bake) -> Floats | None:
        """The emission (size, size, 3) float32, linear, in the bake's variant; None where nothing glows."""
        from even_palette.core.results.rendering import SheetRender

        sheets = self._sheets()
        if sheets is None:
            return None
        ready = SheetRender(_without(at, bake), sheets)
        if EMISSION not in ready.outputs:
            return None
        return float32(ready.render([EMISSION], _settings(at, bake), (bake.size, bake.size))[EMISSION])


def _without(at: Focus, bake: Bake) -> Focus:
    """The kit without coats that read this bake, so that light does not come from what it is to make."""
    return without_plane(at.kit, at.key, PlaneKind.BAKE, bake.key).at(at.key)


def _settings(at: Focus, bake: Bake) -> Mapping[str, Setting]:
    variant = bake.variant if bake.variant in at.kit.variant_names else MASTER
    return resolve(at.kit.parameters, at.kit.variants, variant)


def _without_means(at: Focus, sheets: Sheets) -> Material:
    """The material of a sheet as expressions, whose means are inputs: nothing is read for it."""
    from even_palette.core.results.materials import pictures_of

    def dressed(key: str, owner: str) -> Dressed:
        coats = coats_of(at.kit, owner)
        return Dressed(key, "", coats, ((0.0, 0.0, 0.0),) * len(coats))

    regions = [dressed(region.key, region.key) for region in at.sheet.regions]
    over = dressed("Over", OVER + at.key) if at.sheet.overcoats else None
    return build_material(regions, at.kit.parameters, at.kit.blending, True, over, pictures_of(at, sheets))
