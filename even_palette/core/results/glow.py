"""What a sheet's texels give as light in a variant: what the bake of spilled light is made from."""

from collections.abc import Mapping

from msgspec.structs import replace

from even_palette.core.arrays import Floats, float32
from even_palette.core.graph.program import program_of
from even_palette.core.kit.coat_owners import (
    Overcoats,
    RecipeCoats,
    SheetOwner,
    coats_of,
    draws_of,
    own_coats,
    owners_on,
    with_coats,
)
from even_palette.core.kit.commands.maps import without_plane
from even_palette.core.kit.model import Focus
from even_palette.core.kit.sheet import Bake
from even_palette.core.material.build import BASE_SLOT, Dressed, Material, build_material
from even_palette.core.material.model import Coat, PlaneKind, PlaneRef, Setting
from even_palette.core.material.variants import MASTER, resolve
from even_palette.core.mesh.bakes import BAKES
from even_palette.core.mesh.bakes._declare import Reads
from even_palette.core.regions.packing import Packing
from even_palette.core.results.base_colour import base_name_of
from even_palette.core.results.materials import pictures_of
from even_palette.core.results.padded import padding_name
from even_palette.core.results.planes import plane_name
from even_palette.core.results.rendering import SheetRender
from even_palette.core.results.store import Store
from even_palette.core.results.weights import weights_name

EMISSION = "emission"


class SheetLight:
    """The light of sheets, by the results that it is made of."""

    def key(self, at: Focus, store: Store, bake: Bake) -> tuple[object, ...]:
        """Names the light by what its program reads: slots, parameters, weights and means; () where nothing glows."""
        lit = _without(at)
        material = _without_means(lit, store)
        if EMISSION not in material.outputs:
            return ()
        program = program_of({EMISSION: material.outputs[EMISSION]})
        values = material.inputs(_settings(lit, bake))
        read: list[object] = [repr(program.records)]
        read += [(name, values[name]) for name in program.parameters if not name.endswith("_Mean")]
        if BASE_SLOT in program.slots:
            read += [base_name_of(lit, store), padding_name(lit, store)]
        for slot in program.slots:
            if slot != BASE_SLOT:
                use = material.slots[slot]
                read.append((repr(use), *(plane_name(lit, store, ref) for ref in (use.plane, *use.below))))
                read.append(padding_name(lit, store))
        if any(record.op == "weight" for record in program.records):
            read += [weights_name(lit, store), lit.sheet.divide_weights]
        if any(name.endswith("_Mean") for name in program.parameters):
            read += [base_name_of(lit, store), weights_name(lit, store)]
        return tuple(read)

    def made(self, at: Focus, store: Store, bake: Bake) -> Floats | None:
        """The emission (size, size, 3) float32, linear, in the bake's variant; None where nothing glows."""
        ready = SheetRender(_packed_plainly(_without(at)), store)
        if EMISSION not in ready.outputs:
            return None
        return float32(ready.render([EMISSION], _settings(at, bake), (bake.size, bake.size))[EMISSION])


def _without(at: Focus) -> Focus:
    """The kit in which coats of the sheet that read a bake of light do nothing: none comes from what is made of it."""
    made = {PlaneRef(PlaneKind.BAKE, bake.key) for bake in at.sheet.bakes if Reads.LIGHT in BAKES[bake.kind].reads}
    kit = at.kit
    if not made:
        return at

    def dark(coat: Coat) -> Coat:
        uses = [use for use in (*coat.planes.values(), coat.pattern) if use is not None]
        return replace(coat, on=False) if any(use.plane in made for use in uses) else coat

    for owner in (*owners_on(at.sheet), *(RecipeCoats(recipe.key) for recipe in kit.recipes)):
        kit = with_coats(kit, owner, tuple(map(dark, own_coats(kit, owner))))
    for ref in made:
        kit = without_plane(kit, at.key, PlaneKind.BAKE, ref.key)
    return kit.at(at.key)


def _packed_plainly(at: Focus) -> Focus:
    """The kit in which the weights of the sheet are packed as without a word: how they ship is nothing to the light."""
    return at.kit.with_sheet(replace(at.sheet, packing=Packing.PLANES, channels=())).at(at.key)


def _settings(at: Focus, bake: Bake) -> Mapping[str, Setting]:
    variant = bake.variant if bake.variant in at.kit.variant_names else MASTER
    return resolve(at.kit.parameters, at.kit.variants, variant)


def _without_means(at: Focus, store: Store) -> Material:
    """The material of a sheet as expressions, whose means are inputs: nothing is read for it."""

    def dressed(key: str, owner: SheetOwner) -> Dressed:
        coats = coats_of(at.kit, owner)
        return Dressed(key, "", coats, ((0.0, 0.0, 0.0),) * len(coats), draws_of(at.kit, owner))

    regions = [dressed(region.key, region.key) for region in at.sheet.regions]
    over = dressed("Over", Overcoats(at.key)) if at.sheet.overcoats else None
    return build_material(regions, at.kit.parameters, at.kit.blending, True, over, pictures_of(at, store))
