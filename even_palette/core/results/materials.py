"""The material of a sheet: what its regions and overcoats wear, as expressions."""

from collections.abc import Mapping

from even_palette.core.arrays import Floats
from even_palette.core.graph.program import program_of
from even_palette.core.graph.reference import Environment, run
from even_palette.core.graph.slots import MOST_UNITS
from even_palette.core.kit.coat_owners import Overcoats, SheetOwner, coats_of, draws_of, owner_name
from even_palette.core.kit.model import Focus
from even_palette.core.material.build import Dressed, Material, build_material, linear_setting, worn
from even_palette.core.material.coats import COATS
from even_palette.core.material.model import Coat, Colour, PlaneUse, Setting
from even_palette.core.material.outputs import COLOUR, OUTPUTS
from even_palette.core.material.plane_reads import Pictures, map_plane
from even_palette.core.material.variants import MASTER, resolve
from even_palette.core.raster.guess import Role
from even_palette.core.regions.packing import Packing, PackingPlan
from even_palette.core.results.base_colour import has_grey_base
from even_palette.core.results.made_of import made_of
from even_palette.core.results.maps import GREY
from even_palette.core.results.means import means_of
from even_palette.core.results.planes import plane_size
from even_palette.core.results.slots import slots_of
from even_palette.core.results.store import Store
from even_palette.core.results.typical_texels import owner_row, typical_texels


def pictures_of(at: Focus, store: Store) -> Pictures:
    """What a material must know of the planes of a sheet: maps by the output that they set, sizes, and the base."""
    found = {}
    for name, output in OUTPUTS.items():
        given = at.sheet.given(output.role) if output.role and name != COLOUR else None
        if given is not None:
            found[name] = given.use, given.whole
    paint = at.sheet.source(Role.BASE_COLOUR)
    alpha = None if paint is None or at.sheet.base_tone else PlaneUse(map_plane(paint.key), channel=3)
    return Pictures(found, lambda ref: plane_size(at, store, ref), has_grey_base(at), alpha)


def material_of(at: Focus, store: Store, live: bool = False) -> Material:
    """The material of a sheet. Raises UserError if a map that it needs cannot be read.

    For the thread that only looks it is remembered, so that a value that a variant has is dragged without building it.
    """

    def build() -> Material:
        regions = [dressed(at, store, region.key) for region in at.sheet.regions]
        over = dressed(at, store, Overcoats(at.key)) if at.sheet.overcoats else None
        return build_material(
            regions, at.kit.parameters, at.kit.blending, live, over, pictures_of(at, store), at.sheet.drawing,
            at.sheet.shaded,
        )  # fmt: skip

    return store.remembered(("material", at.key, live), made_of(at), build)


def dressed(at: Focus, store: Store, owner: SheetOwner) -> Dressed:
    """A region, or the overcoats of the sheet, with the mean of the colour under each coat."""
    coats = coats_of(at.kit, owner)
    key = "Over" if isinstance(owner, Overcoats) else owner
    first = _first_mean(at, store, owner)
    means = [first]
    for number in range(1, len(coats)):
        choices = {name: value for name, value in coats[number].values.items() if isinstance(value, str)}
        needed = bool(COATS[coats[number].kind].promise(choices))
        means.append(_mean_under(at, store, owner, coats[:number], tuple(means)) if needed else first)
    return Dressed(key, owner_name(at.kit, owner), coats, tuple(means[: len(coats)]), draws_of(at.kit, owner))


def _first_mean(at: Focus, store: Store, owner: SheetOwner) -> Colour:
    if isinstance(owner, Overcoats):
        red, green, blue = map(float, GREY.linear()[0, 0])
        return (red, green, blue)
    number = [region.key for region in at.sheet.regions].index(owner)
    red, green, blue = map(float, means_of(at, store)[number])
    return (red, green, blue)


def _mean_under(
    at: Focus, store: Store, owner: SheetOwner, coats: tuple[Coat, ...], means: tuple[Colour, ...]
) -> Colour:
    """The mean colour of typical texels under these coats, as the master wears them."""
    region = Dressed("under", "", coats, means)
    settings = resolve(at.kit.parameters, at.kit.variants, MASTER)
    at_spots = colours_in_coats(at, store, region, settings, typical_texels(at, store)[owner_row(at, owner)])
    red, green, blue = map(float, at_spots.mean(axis=0))
    return (red, green, blue)


def colours_in_coats(
    at: Focus, store: Store, region: Dressed, settings: Mapping[str, Setting], uv: Floats, seed: float = 0.0
) -> Floats:
    """The colour of one owner's coats at some places, as an instance of that seed has it, (n, 3) linear."""
    found = worn(region, at.kit.parameters, pictures_of(at, store))
    inputs = {name: linear_setting(setting) for name, setting in settings.items()}
    program = program_of({COLOUR: found.outputs[COLOUR]})
    return run(program, Environment(uv, slots_of(at, store, found.slots), inputs, seed))[COLOUR]


def packing_plan(at: Focus, material: Material, live: bool = False, size: tuple[int, int] = (1, 1)) -> PackingPlan:
    """How the weights reach a shader: as the sheet says where the texture units suffice, else as one array."""
    keys = tuple(region.key for region in at.sheet.regions)
    divided = at.sheet.divide_weights
    wanted = PackingPlan(at.sheet.packing, at.sheet.channel_order, size, keys, divided)
    fits = 1 + len(material.slots) + wanted.units <= MOST_UNITS
    return wanted if fits and not live else PackingPlan(Packing.ARRAY, keys, divided=divided)


def prepare_material(at: Focus, store: Store) -> None:
    """Make what the material of a sheet needs: weights, means, and the bakes that its coats read."""
    slots_of(at, store, material_of(at, store).slots)
