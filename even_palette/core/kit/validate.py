"""What makes a kit valid: that its parts are what their fields declare, and fit each other."""

from even_palette.core.errors import UserError
from even_palette.core.kit.coat_owners import value_uses
from even_palette.core.kit.mesh_file import MeshFile, move_of
from even_palette.core.kit.model import Kit
from even_palette.core.kit.output_plan import check_plan
from even_palette.core.kit.planes import check_coats_on, check_shaded, check_steps_on
from even_palette.core.kit.scene_references import check_scenes
from even_palette.core.kit.sheet import Sheet
from even_palette.core.kit.trees import paints_of, without_tiles
from even_palette.core.kit.validate_coats import check_coats, check_tracks, check_value, plain_setting
from even_palette.core.kit.validate_sheet import check_sheet, check_tones, distinct
from even_palette.core.limits import FORMAT, MOST_COATS, MOST_PAINTED
from even_palette.core.material.coats import COATS
from even_palette.core.material.model import ValueKind
from even_palette.core.material.plane_numbers import has_value
from even_palette.core.proof.conditions import check_conditions
from even_palette.core.ranges import check_declared
from even_palette.core.tones.palette import check_rows
from even_palette.core.tones.ramp import check_order


def check_kit(kit: Kit) -> None:
    """Raise UserError for a kit that was made here and does not hold: what a command was given may be anything."""
    check_declared(without_tiles(kit))
    check_together(kit)


def check_together(kit: Kit) -> None:
    """Raise UserError for a kit that decodes but does not hold together."""
    if kit.format != FORMAT:
        raise UserError(f"the kit has format {kit.format}; this version reads format {FORMAT}.")
    check_paint(kit)
    distinct("sheet", [sheet.key for sheet in kit.sheets])
    distinct("sheet name", [sheet.name for sheet in kit.sheets])
    distinct("region", [region.key for region in kit.regions])
    for sheet in kit.sheets:
        check_sheet(sheet)
    distinct("palette", [palette.key for palette in kit.palettes])
    distinct("ramp", [ramp.key for ramp in kit.ramps])
    for palette in kit.palettes:
        check_rows(palette)
    for ramp in kit.ramps:
        check_order(ramp)
    for sheet in kit.sheets:
        check_tones(sheet, {palette.key for palette in kit.palettes})
    distinct("mesh", [mesh.key for mesh in kit.meshes])
    for mesh in kit.meshes:
        _check_mesh(mesh, [sheet.key for sheet in kit.sheets])
    distinct("parameter", [parameter.key for parameter in kit.parameters])
    distinct("parameter name", [parameter.name for parameter in kit.parameters])
    for parameter in kit.parameters:
        low, high = parameter.low, parameter.high
        if parameter.kind == ValueKind.CHOICE or not low < high:
            raise UserError(f"parameter “{parameter.name}” has no usable range.")
        if parameter.kind == ValueKind.SWITCH and (low, high) != (0.0, 1.0):
            raise UserError(f"“{parameter.name}” is a switch; it goes from 0 to 1.")
        plain_setting(parameter, parameter.default)
    _check_twins(kit)
    distinct("output plan", [plan.key for plan in kit.plans])
    for plan in kit.plans:
        check_plan(plan)
    distinct("preset", [preset.key for preset in kit.presets])
    for preset in kit.presets:
        check_conditions(preset.conditions)
    _check_recipes(kit)
    for use in value_uses(kit):
        check_value(kit, use)
    for sheet in kit.sheets:
        _check_planes(kit, sheet)
    _check_variants(kit)
    check_scenes(kit)


def check_paint(kit: Kit) -> None:
    """Raise UserError for more paint than is read, however often one and the same tile occurs."""
    painted = sum(len(paint.tiles) for paint in paints_of(kit))
    if painted > MOST_PAINTED:
        raise UserError(f"{painted:,} tiles of paint; the limit is {MOST_PAINTED:,} in a kit.")


def _check_planes(kit: Kit, sheet: Sheet) -> None:
    """Raise UserError where what lies on a sheet reads a plane that is not there."""
    recipes = {recipe.key: recipe.coats for recipe in kit.recipes}
    check_shaded(kit, sheet)
    check_conditions(sheet.conditions)
    check_coats_on(kit, sheet, f"sheet “{sheet.name[:40]}”", sheet.overcoats)
    for region in sheet.regions:
        who = f"region “{region.name[:40]}”"
        check_coats_on(kit, sheet, who, (*recipes.get(region.recipe, ()), *region.coats))
        check_steps_on(kit, sheet, who, region.steps)


def _check_mesh(mesh: MeshFile, sheets: list[str]) -> None:
    for key in mesh.sheets:
        if key not in sheets:
            raise UserError(f"mesh “{mesh.key}” lies on sheet “{key[:40]}”, which is not there.")
    for name in mesh.moved.regions:
        try:
            move_of(name)
        except ValueError:
            raise UserError(f"mesh “{mesh.key}” has faces that are moved by “{name[:40]}”, which is no move.") from None


def _check_twins(kit: Kit) -> None:
    """Raise UserError for twins that share a key or a name, and for values that are none of their parameters."""
    twins = [twin for sheet in kit.sheets for twin in sheet.twins]
    distinct("twin", [twin.key for twin in twins])
    distinct("name of a sheet or twin", [*(sheet.name for sheet in kit.sheets), *(twin.name for twin in twins)])
    parameters = kit.parameters_by_key
    for twin in twins:
        for own in twin.values.values():
            for key, value in own.items():
                if key in parameters:
                    plain_setting(parameters[key], value)


def _check_recipes(kit: Kit) -> None:
    """Raise UserError for recipes that do not hold, and for regions that wear what is not there."""
    distinct("recipe", [recipe.key for recipe in kit.recipes])
    distinct("recipe name", [recipe.name for recipe in kit.recipes])
    for recipe in kit.recipes:
        check_coats(f"recipe “{recipe.name[:40]}”", recipe.coats)
        if {coat.key for coat in recipe.coats} & set(recipe.retired):
            raise UserError(f"recipe “{recipe.name[:40]}” has a coat under a key that it retired.")
    lengths = {recipe.key: recipe.coats for recipe in kit.recipes}
    for region in kit.regions:
        if region.recipe and region.recipe not in lengths:
            raise UserError(f"region “{region.name[:40]}” wears the recipe “{region.recipe[:40]}”, which is not there.")
        worn = lengths.get(region.recipe, ())
        if len(worn) + len(region.coats) > MOST_COATS:
            raise UserError(f"region “{region.name[:40]}” wears more than {MOST_COATS} coats.")
        kinds = {coat.key: COATS[coat.kind] for coat in worn}
        for coat, own in region.own_values.items():
            for name in own:
                if coat not in kinds or not has_value(kinds[coat], name):
                    told = f"sets “{name[:40]}” of “{coat[:40]}”, which its recipe does not have."
                    raise UserError(f"region “{region.name[:40]}” {told}")


def _check_variants(kit: Kit) -> None:
    distinct("variant", [variant.key for variant in kit.variants])
    distinct("variant name", [variant.name for variant in kit.variants])
    parents = {variant.key: variant.parent for variant in kit.variants}
    parameters = kit.parameters_by_key
    sound: set[str] = set()
    for variant in kit.variants:
        line: dict[str, None] = {}
        at: str | None = variant.key
        while at is not None and at not in sound:
            if at in line:
                raise UserError(f"Variant “{variant.name[:40]}” inherits from itself.")
            if at not in parents:
                raise UserError(f"variant “{variant.name[:40]}” has an ancestor that is not there.")
            line[at] = None
            at = parents[at]
        sound |= line.keys()
        for key, setting in variant.values.items():
            if key not in parameters:
                raise UserError(f"variant “{variant.name[:40]}” sets “{key[:40]}”, which is not there.")
            plain_setting(parameters[key], setting)
        check_tracks(f"variant “{variant.name[:40]}”", variant.tracks, parameters)
