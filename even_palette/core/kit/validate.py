"""What makes a kit valid: that its parts fit each other and lie in their ranges."""

import math
from collections import Counter
from collections.abc import Mapping

from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit.coat_owners import ValueUse, owner_name, value_uses
from even_palette.core.kit.limits import (
    FARTHEST_VALUE,
    FASTEST,
    FORMAT,
    LEAST_BAKE,
    LEAST_TILING,
    MOST_BAKE,
    MOST_BAKES,
    MOST_BOXES,
    MOST_COATS,
    MOST_FACE_REGIONS,
    MOST_FACES,
    MOST_GRID,
    MOST_MAPS,
    MOST_MESHES,
    MOST_MIP,
    MOST_PADDING,
    MOST_PAINTED,
    MOST_PALETTES,
    MOST_PARAMETERS,
    MOST_RECIPES,
    MOST_REGIONS,
    MOST_SHEETS,
    MOST_SIDE,
    MOST_STEPS,
    MOST_TILING,
    MOST_TONES,
    MOST_UV_SETS,
    MOST_VARIANTS,
)
from even_palette.core.kit.mesh_file import MeshFile
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import IDENTIFIER
from even_palette.core.kit.planes import check_coats_on, check_steps_on
from even_palette.core.kit.sheet import Bake, Region, Sheet, Step, Tone
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import ValueSpec
from even_palette.core.material.model import Bound, Coat, Parameter, PlaneKind, PlaneRef, PlaneUse, Setting, ValueKind
from even_palette.core.mesh.bakes import BAKES
from even_palette.core.raster.guess import Role
from even_palette.core.regions.steps import STEPS
from even_palette.core.tones.kinds import TONES
from even_palette.core.tones.palette import check_palette
from even_palette.core.tones.ramp import check_ramp


def check_kit(kit: Kit) -> None:
    """Raise UserError for a kit that decodes but does not hold together."""
    if kit.format != FORMAT:
        raise UserError(f"the kit has format {kit.format}; this version reads format {FORMAT}.")
    check_counts(kit)
    _distinct("sheet", [sheet.key for sheet in kit.sheets])
    _distinct("sheet name", [sheet.name for sheet in kit.sheets])
    if not kit.sheets:
        raise UserError("there is no sheet in it.")
    _distinct("region", [region.key for region in kit.regions])
    for sheet in kit.sheets:
        _check_sheet(sheet)
    _distinct("palette", [palette.key for palette in kit.palettes])
    _distinct("ramp", [ramp.key for ramp in kit.ramps])
    for palette in kit.palettes:
        check_palette(palette)
    for ramp in kit.ramps:
        check_ramp(ramp)
    for key in (*(palette.key for palette in kit.palettes), *(ramp.key for ramp in kit.ramps)):
        if not IDENTIFIER.fullmatch(key):
            raise UserError(f"key “{key[:40]}” is not a plain identifier.")
    for sheet in kit.sheets:
        check_tones(sheet, {palette.key for palette in kit.palettes})
    _distinct("mesh", [mesh.key for mesh in kit.meshes])
    for mesh in kit.meshes:
        _check_mesh(mesh, [sheet.key for sheet in kit.sheets])
    _distinct("parameter", [parameter.key for parameter in kit.parameters])
    _distinct("parameter name", [parameter.name for parameter in kit.parameters])
    for parameter in kit.parameters:
        for text in (parameter.key, parameter.name):
            if not IDENTIFIER.fullmatch(text):
                raise UserError(f"parameter “{text[:40]}” is not a plain identifier.")
        low, high = parameter.low, parameter.high
        if parameter.kind == ValueKind.CHOICE or not -FARTHEST_VALUE <= low < high <= FARTHEST_VALUE:
            raise UserError(f"parameter “{parameter.name}” has no usable range.")
        if parameter.kind == ValueKind.SWITCH and (low, high) != (0.0, 1.0):
            raise UserError(f"“{parameter.name}” is a switch; it goes from 0 to 1.")
        check_setting(parameter, parameter.default)
    _check_recipes(kit)
    for use in value_uses(kit):
        _check_use(kit, use)
    for sheet in kit.sheets:
        _check_planes(kit, sheet)
    _check_variants(kit)


COUNTS = {
    "sheets": MOST_SHEETS, "meshes": MOST_MESHES, "parameters": MOST_PARAMETERS, "variants": MOST_VARIANTS,
    "palettes": MOST_PALETTES, "ramps": MOST_PALETTES, "recipes": MOST_RECIPES,
}  # fmt: skip
SHEET_COUNTS = {"regions": MOST_REGIONS, "sources": MOST_MAPS, "bakes": MOST_BAKES, "tones": MOST_TONES}
TOLD = {"sources": "maps"}


def check_counts(kit: Kit) -> None:
    """Raise UserError for more parts than are read, before anything else is made of them."""
    _check_counts(kit, COUNTS, "in a kit")
    for sheet in kit.sheets:
        _check_counts(sheet, SHEET_COUNTS, "on one sheet")
    painted = sum(len(s.paint.tiles) for region in kit.regions for s in region.steps if s.paint is not None)
    if painted > MOST_PAINTED:
        raise UserError(f"{painted:,} tiles of paint; the limit is {MOST_PAINTED:,} in a kit.")


def _check_counts(whole: Kit | Sheet, limits: Mapping[str, int], where: str) -> None:
    for name, most in limits.items():
        if (count := len(getattr(whole, name))) > most:
            raise UserError(f"{count:,} {TOLD.get(name, name)}; the limit is {most:,} {where}.")


def _check_planes(kit: Kit, sheet: Sheet) -> None:
    """Raise UserError where what lies on a sheet reads a plane that is not there."""
    recipes = {recipe.key: recipe.coats for recipe in kit.recipes}
    check_coats_on(kit, sheet, f"sheet “{sheet.name[:40]}”", sheet.overcoats)
    for region in sheet.regions:
        who = f"region “{region.name[:40]}”"
        check_coats_on(kit, sheet, who, (*recipes.get(region.recipe, ()), *region.coats))
        check_steps_on(kit, sheet, who, region.steps)


def check_setting(of: Parameter | ValueSpec, setting: Setting) -> None:
    """Raise UserError unless a setting is of the kind and in the range of what it sets; colours are 0..1, encoded."""
    is_colour = of.kind == ValueKind.COLOUR
    parts = setting if isinstance(setting, tuple) else (setting,)
    low, high = (0.0, 1.0) if is_colour else (of.low, of.high)
    if isinstance(setting, tuple) != is_colour or not all(low <= part <= high for part in parts):
        raise UserError(f"“{of.name}” cannot be {str(setting)[:40]}; it is {low:g} to {high:g}.")
    if of.kind in (ValueKind.SWITCH, ValueKind.ROW) and setting != int(parts[0]):
        raise UserError(f"“{of.name}” cannot be {str(setting)[:40]}; it is a whole number.")


def _distinct(what: str, names: list[str]) -> None:
    counts = Counter(names)
    for name in names:
        if not name or counts[name] > 1:
            raise UserError(f"the {what} “{name[:40]}” is there more than once or has no name.")


def _check_sheet(sheet: Sheet) -> None:
    if not IDENTIFIER.fullmatch(sheet.key):
        raise UserError(f"sheet key “{sheet.key[:40]}” is not a plain identifier.")
    _distinct("region name", [region.name for region in sheet.regions])
    _distinct("map", [source.key for source in sheet.sources])
    _distinct("role of a map", [source.role for source in sheet.sources if source.role != Role.NONE])
    for source in sheet.sources:
        if source.width < 0 or source.height < 0:
            raise UserError(f"map “{source.key[:40]}” has an impossible size.")
        if not IDENTIFIER.fullmatch(source.key):
            raise UserError(f"map key “{source.key[:40]}” is not a plain identifier.")
    _check_coats(f"sheet “{sheet.name[:40]}”", sheet.overcoats)
    for region in sheet.regions:
        _check_region(region)
    if sheet.unmix and not all(0 <= level <= 255 for colour in sheet.unmix.dissolved for level in colour):
        raise UserError(f"sheet “{sheet.name[:40]}” has a dissolved colour outside 0..255.")
    check_circles(sheet)
    if len(set(sheet.channels)) != len(sheet.channels) or len(sheet.channels) > MOST_REGIONS:
        raise UserError(f"sheet “{sheet.name[:40]}” has a region in two channels.")
    if not 0 <= sheet.lowest_mip <= MOST_MIP:
        raise UserError(f"sheet “{sheet.name[:40]}” has a lowest mip outside 0..{MOST_MIP}.")
    if not 0 <= sheet.padding <= MOST_PADDING:
        raise UserError(f"sheet “{sheet.name[:40]}” has a padding outside 0..{MOST_PADDING} texels.")
    _distinct("bake", [bake.key for bake in sheet.bakes])
    for bake in sheet.bakes:
        if not IDENTIFIER.fullmatch(bake.key):
            raise UserError(f"bake key “{bake.key[:40]}” is not a plain identifier.")
        _check_bake(bake)
    if sheet.id_bake and sheet.id_bake not in [bake.key for bake in sheet.bakes]:
        raise UserError(f"sheet “{sheet.name[:40]}” takes its IDs from a bake that is not there.")


def check_tones(sheet: Sheet, palettes: set[str]) -> None:
    """Raise UserError for tones that do not hold together; `palettes` are the keys of those that are there."""
    _distinct("tone", [tone.key for tone in sheet.tones])
    before: list[str] = []
    pictures = {PlaneRef(PlaneKind.MAP, source.key) for source in sheet.sources}
    pictures |= {PlaneRef(PlaneKind.BAKE, bake.key) for bake in sheet.bakes}
    for tone in sheet.tones:
        _check_tone(tone, before, pictures, palettes)
        before.append(tone.key)
    if not sheet.base_tone:
        return
    if sheet.base_tone not in before:
        raise UserError(f"sheet “{sheet.name[:40]}” has a base colour made of a tone that is not there.")
    if not TONES[sheet.tone(sheet.base_tone).kind].replaces:
        raise UserError(f"{sheet.tone(sheet.base_tone).name[:40]} cannot stand in place of the base colour.")


def _check_tone(tone: Tone, before: list[str], pictures: set[PlaneRef], palettes: set[str]) -> None:
    who = f"tone “{tone.name[:40]}”"
    if not IDENTIFIER.fullmatch(tone.key):
        raise UserError(f"tone key “{tone.key[:40]}” is not a plain identifier.")
    if tone.kind not in TONES:
        raise UserError(f"there is no tone called “{tone.kind[:40]}”.")
    if tone.palette and tone.palette not in palettes:
        raise UserError(f"{who} has a palette that is not there.")
    if len(tone.parts) > 4:
        raise UserError(f"{who} has {len(tone.parts)} parts; a plane has four channels.")
    for values in (tone.values, *tone.own.values()):
        if not all(math.isfinite(value) for value in values.values() if isinstance(value, float)):
            raise UserError(f"{who} has a value that is no number.")
    for use in tone.parts:
        check_plane_use(who, use)
    for ref in (tone.source, *(use.plane for use in tone.parts)):
        if ref is not None and ref.kind in (PlaneKind.PALETTE, PlaneKind.RAMP):
            raise UserError(f"{who} is made of a strip; it can be made of pictures.")
        if ref is not None and ref.kind == PlaneKind.TONE and ref.key not in before:
            raise UserError(f"{who} is made of a tone that does not stand before it.")
        if ref is not None and ref.kind != PlaneKind.TONE and ref not in pictures:
            raise UserError(f"{who} is made of the {ref.kind} “{ref.key[:40]}”, which its sheet does not have.")


def _check_bake(bake: Bake) -> None:
    if bake.kind not in BAKES:
        raise UserError(f"there is no bake called “{bake.kind[:40]}”.")
    if not (LEAST_BAKE <= bake.size <= MOST_BAKE and 0 <= bake.padding <= MOST_PADDING and 1 <= bake.samples <= 4):
        raise UserError(f"the bake “{bake.key[:40]}” has a size, padding or samples out of range.")
    if not all(math.isfinite(value) for value in bake.values.values() if isinstance(value, float)):
        raise UserError(f"the bake “{bake.key[:40]}” has a value that is no number.")


def _check_mesh(mesh: MeshFile, sheets: list[str]) -> None:
    if not IDENTIFIER.fullmatch(mesh.key):
        raise UserError(f"mesh key “{mesh.key[:40]}” is not a plain identifier.")
    for key in (mesh.sheet, *mesh.slots.values()):
        if key not in sheets:
            raise UserError(f"mesh “{mesh.key}” lies on sheet “{key[:40]}”, which is not there.")
    if not 0 <= mesh.uv_set < MOST_UV_SETS:
        raise UserError(f"mesh “{mesh.key}” has no UV set {mesh.uv_set}.")
    if not 0 <= mesh.faces.count <= MOST_FACES or len(mesh.faces.regions) > MOST_FACE_REGIONS:
        raise UserError(f"mesh “{mesh.key}” has an impossible assignment of faces.")


def _check_recipes(kit: Kit) -> None:
    """Raise UserError for recipes that do not hold, and for regions that wear what is not there."""
    _distinct("recipe", [recipe.key for recipe in kit.recipes])
    _distinct("recipe name", [recipe.name for recipe in kit.recipes])
    for recipe in kit.recipes:
        if not IDENTIFIER.fullmatch(recipe.key):
            raise UserError(f"recipe key “{recipe.key[:40]}” is not a plain identifier.")
        if not recipe.coats:
            raise UserError(f"recipe “{recipe.name[:40]}” has no coat.")
        if not all(IDENTIFIER.fullmatch(name) for pair in recipe.linked.items() for name in pair):
            raise UserError(f"recipe “{recipe.name[:40]}” links what has no plain key.")
        _check_coats(f"recipe “{recipe.name[:40]}”", recipe.coats)
    lengths = {recipe.key: recipe.coats for recipe in kit.recipes}
    for region in kit.regions:
        if region.recipe and region.recipe not in lengths:
            raise UserError(f"region “{region.name[:40]}” wears the recipe “{region.recipe[:40]}”, which is not there.")
        worn = lengths.get(region.recipe, ())
        if len(worn) + len(region.coats) > MOST_COATS:
            raise UserError(f"region “{region.name[:40]}” wears more than {MOST_COATS} coats.")
        for place in region.own_values:
            number, _, name = place.partition(" ")
            known = number.isascii() and number.isdigit() and int(number) < len(worn)
            if not known or name not in [spec.name for spec in COATS[worn[int(number)].kind].values]:
                raise UserError(f"region “{region.name[:40]}” sets “{place[:40]}”, which its recipe does not have.")


def _check_region(region: Region) -> None:
    if not IDENTIFIER.fullmatch(region.key):
        raise UserError(f"region key “{region.key[:40]}” is not a plain identifier.")
    if not all(0 <= level <= 255 for colour in region.id_colours for level in colour):
        raise UserError(f"region “{region.name[:40]}” has an ID colour outside 0..255.")
    if len(region.boxes) > MOST_BOXES:
        raise UserError(f"region “{region.name[:40]}” has {len(region.boxes)} boxes; the limit is {MOST_BOXES}.")
    for box in region.boxes:
        if not (0 <= box.left < box.right <= 1 and 0 <= box.top < box.bottom <= 1):
            raise UserError(f"region “{region.name[:40]}” has a box outside the sheet.")
    if not (0 <= region.inner <= 512 and 0 <= region.outer <= 512):
        raise UserError(f"region “{region.name[:40]}” has tolerances outside 0..512 levels.")
    if not region.coats and not region.recipe:
        raise UserError(f"region “{region.name[:40]}” wears no coat.")
    _check_coats(f"region “{region.name[:40]}”", region.coats)
    check_steps(f"region “{region.name[:40]}”", region.steps)


def check_steps(who: str, steps: tuple[Step, ...]) -> None:
    """Raise UserError for steps that are unknown, or are set to what they cannot be."""
    if len(steps) > MOST_STEPS:
        raise UserError(f"{who} has {len(steps)} steps; the limit is {MOST_STEPS}.")
    for step in steps:
        if step.kind not in STEPS:
            raise UserError(f"{who} has an unknown step “{step.kind[:40]}”.")
        known = {value.name: value for value in STEPS[step.kind].values}
        for name, number in step.values.items():
            if name not in known or not known[name].low <= number <= known[name].high:
                raise UserError(f"a step of {who} cannot have {name[:20]} {number:g}.")
        if not 0 <= step.strength <= 1:
            raise UserError(f"a step of {who} has a strength outside 0..1.")
        if step.plane is not None and step.plane.plane.kind not in (PlaneKind.MAP, PlaneKind.BAKE):
            raise UserError(f"a step of {who} reads a tone; masks are made of maps and bakes.")
        if step.plane is not None and replace(step.plane, tiling=(1.0, 1.0), turn=0.0, speed=(0.0, 0.0)) != step.plane:
            raise UserError(f"a step of {who} reads a plane that is tiled, turned or moved; masks take it as it lies.")
        if step.plane is not None:
            check_plane_use(who, step.plane)
        if step.paint is not None and not STEPS[step.kind].is_paint:
            raise UserError(f"{who} has paint in a step that is not painted.")
        if step.paint is not None and (wrong := step.paint.wrong(MOST_SIDE)):
            raise UserError(f"the paint of {who} has {wrong}.")


def check_circles(sheet: Sheet) -> None:
    """Raise UserError where regions take each other's masks in a circle, or those of regions that are not there.

    The claims of a region depend on no mask, so they may be taken by anyone.
    """
    names = {region.key: region.name for region in sheet.regions}
    takes: dict[str, list[str]] = {}
    for region in sheet.regions:
        for step in region.steps:
            if step.region and step.region not in names:
                raise UserError(f"a step of {region.name} takes the mask of a region that is not on its sheet.")
        takes[region.key] = [step.region for step in region.steps if step.region and not STEPS[step.kind].claims_only]
    done: set[str] = set()
    for start in takes:
        path, left = [start], [list(dict.fromkeys(takes[start]))]
        while path:
            if not left[-1]:
                done.add(path.pop())
                left.pop()
                continue
            key = left[-1].pop()
            if key in path:
                round_ = " → ".join(names[each] for each in [*path[path.index(key) :], key])
                raise UserError(f"Regions cannot take each other's masks in a circle: {round_}.")
            if key not in done:
                path.append(key)
                left.append(list(dict.fromkeys(takes[key])))


def _check_coats(who: str, coats: tuple[Coat, ...]) -> None:
    if len(coats) > MOST_COATS:
        raise UserError(f"{who} has {len(coats)} coats; the limit is {MOST_COATS}.")
    for coat in coats:
        if coat.kind not in COATS:
            raise UserError(f"{who} has an unknown coat “{coat.kind[:40]}”.")
        kind = COATS[coat.kind]
        for name in coat.values:
            if name not in [spec.name for spec in kind.values]:
                raise UserError(f"a coat of {who} has no value “{name[:40]}”.")
        for name in coat.planes:
            if name not in [spec.name for spec in kind.planes]:
                raise UserError(f"a coat of {who} reads no plane “{name[:40]}”.")
        for use in (*coat.planes.values(), *([coat.pattern] if coat.pattern else [])):
            check_plane_use(who, use)


def check_plane_use(who: str, use: PlaneUse) -> None:
    """Raise UserError unless the channel and the levels of a plane lie in their ranges."""
    if not IDENTIFIER.fullmatch(use.plane.key):
        raise UserError(f"{who} reads a plane “{use.plane.key[:40]}”, which has no plain key.")
    if not (0 <= use.channel <= 3 and 0 <= use.low <= 1 and 0 <= use.high <= 1 and 0.01 <= use.power <= 100):
        raise UserError(f"{who} reads a plane with a channel, levels or power out of range.")
    tiles = all(LEAST_TILING <= side <= MOST_TILING for side in use.tiling)
    if not (tiles and abs(use.turn) <= 360 and all(abs(part) <= FASTEST for part in use.speed)):
        raise UserError(f"{who} reads a plane that is tiled, turned or moved out of range.")
    if not all(1 <= side <= MOST_GRID for side in use.grid) or not 0 <= use.cells <= use.grid[0] * use.grid[1]:
        raise UserError(f"{who} reads an atlas of a grid out of range.")


def _check_use(kit: Kit, use: ValueUse) -> None:
    where = f"“{use.spec.label}” of “{owner_name(kit, use.owner)[:40]}”"
    value, kind = use.value, use.spec.kind
    if isinstance(value, Bound):
        try:
            parameter = kit.parameter(value.parameter)
        except KeyError:
            raise UserError(f"{where} is bound to “{value.parameter[:40]}”, which is not there.") from None
        if (parameter.kind == ValueKind.COLOUR) != (kind == ValueKind.COLOUR) or kind == ValueKind.CHOICE:
            raise UserError(f"{where} is bound to “{parameter.name}”, which is a {parameter.kind}.")
    elif kind == ValueKind.CHOICE:
        if value not in [name for name, _ in use.spec.choices]:
            raise UserError(f"{where} cannot be {str(value)[:40]}.")
    elif isinstance(value, str):
        raise UserError(f"{where} cannot be a word.")
    else:
        check_setting(use.spec, value)


def _check_variants(kit: Kit) -> None:
    _distinct("variant", [variant.key for variant in kit.variants])
    _distinct("variant name", [variant.name for variant in kit.variants])
    parents = {variant.key: variant.parent for variant in kit.variants}
    parameters = {parameter.key: parameter for parameter in kit.parameters}
    sound: set[str] = set()
    for variant in kit.variants:
        if not IDENTIFIER.fullmatch(variant.key):
            raise UserError(f"variant key “{variant.key[:40]}” is not a plain identifier.")
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
            check_setting(parameters[key], setting)
