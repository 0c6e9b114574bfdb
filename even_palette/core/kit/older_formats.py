"""Kits of older formats, carried over before they are decoded."""

from collections.abc import Callable

from even_palette.core.kit.names import Names, identifier
from even_palette.core.limits import FORMAT


def upgraded(stored: object) -> object:
    """What an older version saved, in the present format.

    Format 1 had one sheet, without a key; format 2 said which sheet was in front, had one coat a region, and knew maps
    by their roles; format 3 knew parameters and variants by their names; format 4 knew coats by their places; in
    format 5 all channels of a map were of one role; in format 6 all sheets were opaque, and meshes threw no
    shade on each other; format 7 had no scenes; those of format 8 had no view, and nothing was drawn as strands;
    in format 9 maps were not padded, and there were no conditions of one's own.
    """
    if not isinstance(stored, dict):
        return stored
    if stored.get("format", 1) == 1 and isinstance(stored.get("sheet"), dict):
        rest = {name: value for name, value in stored.items() if name != "sheet"}
        stored = {**rest, "format": 2, "sheets": [{"key": "sheet_1", **stored["sheet"]}]}
    if stored.get("format") == 2:
        rest = {name: value for name, value in stored.items() if name != "front"}
        sheets = stored.get("sheets")
        if isinstance(sheets, list):
            rest["sheets"] = [_sheet_of_format_2(sheet) for sheet in sheets]
        stored = {**rest, "format": 3}
    if stored.get("format") == 3:
        stored = {**_with_keys(stored), "format": 4}
    if stored.get("format") == 4:
        stored = {**_with_coat_keys(stored), "format": 5}
    if stored.get("format") in (5, 6):
        stored = {**stored, **_mapped(stored, "meshes", _alone), "format": 7}
    if stored.get("format") in (7, 8, 9):
        stored = {**stored, "format": FORMAT}
    return stored


def _alone(mesh: object) -> object:
    """A mesh that throws nothing on others."""
    return {**mesh, "casts": False} if isinstance(mesh, dict) else mesh


def _with_keys(stored: dict[str, object]) -> dict[str, object]:
    """Format 3 with keys: those of parameters are their names, which are identifiers already."""
    changed = dict(stored)
    parameters, variants = stored.get("parameters"), stored.get("variants")
    if isinstance(parameters, list):
        changed["parameters"] = [{"key": p.get("name"), **p} if isinstance(p, dict) else p for p in parameters]
    if isinstance(variants, list):
        keys, free = dict[str, str](), Names(joiner="_")
        for variant in variants:
            if isinstance(variant, dict) and isinstance(name := variant.get("name"), str):
                keys[name] = free.give(identifier(name))
        changed["variants"] = [_variant_of_format_3(variant, keys) for variant in variants]
    return changed


def _variant_of_format_3(variant: object, keys: dict[str, str]) -> object:
    if not isinstance(variant, dict) or not isinstance(variant.get("name"), str):
        return variant
    parent = variant.get("parent")
    renamed = {"parent": keys.get(parent, parent)} if isinstance(parent, str) else {}
    return {"key": keys[variant["name"]], **variant, **renamed}


def _sheet_of_format_2(sheet: object) -> object:
    if not isinstance(sheet, dict):
        return sheet
    changed = dict(sheet)
    if isinstance(sheet.get("sources"), list):
        changed["sources"] = [
            {"key": identifier(str(source.get("role"))), **source} if isinstance(source, dict) else source
            for source in sheet["sources"]
        ]
    if isinstance(sheet.get("regions"), list):
        changed["regions"] = [_region_of_format_2(region) for region in sheet["regions"]]
    return changed


def _region_of_format_2(region: object) -> object:
    if not isinstance(region, dict) or "coat" not in region:
        return region
    return {**{name: value for name, value in region.items() if name != "coat"}, "coats": [region["coat"]]}


def _with_coat_keys(stored: dict[str, object]) -> dict[str, object]:
    """Format 4 with keys of coats, by which regions set values of their recipes. What files held is looked at anew."""
    recipes, coats = list[object](), dict[str, list[object]]()
    for recipe in _list(stored.get("recipes")):
        if isinstance(recipe, dict):
            recipe = {**_keyed(recipe, "coats"), "sha256": ""}
            coats[str(recipe.get("key"))] = _list(recipe.get("coats"))
        recipes.append(recipe)

    def region(worn: object) -> object:
        if not isinstance(worn, dict):
            return worn
        keys = [coat.get("key") if isinstance(coat, dict) else "" for coat in coats.get(str(worn.get("recipe")), [])]
        keyed = _keyed(worn, "coats")
        if isinstance(own := worn.get("own_values"), dict):
            keyed["own_values"] = _own_values(own, keys)
        return keyed

    def sheet(there: object) -> object:
        if not isinstance(there, dict):
            return there
        return {**_keyed(there, "overcoats"), **_mapped(there, "regions", region)}

    changed = {"recipes": recipes} if recipes else {}
    return {**stored, **changed, **_mapped(stored, "sheets", sheet)}


def _own_values(own: dict[object, object], keys: list[object]) -> dict[object, object]:
    """Values by places such as "0 hue" under the key of the coat there; what has no place stays, to be told."""
    found: dict[object, object] = {}
    for place, value in own.items():
        number, _, name = str(place).partition(" ")
        at = int(number) if number.isascii() and number.isdigit() and len(number) < 4 else -1
        key = keys[at] if 0 <= at < len(keys) else str(place)
        found.setdefault(key, {})[name] = value  # type: ignore[index]
    return found


def _keyed(owner: dict[str, object], name: str) -> dict[str, object]:
    """An owner whose coats, under this name, have keys: those that `keyed_coats` gives to the same."""
    free = Names(joiner="_")

    def coat(worn: object) -> object:
        return {**worn, "key": free.give(identifier(str(worn.get("kind"))))} if isinstance(worn, dict) else worn

    return {**owner, **_mapped(owner, name, coat)}


def _mapped(whole: dict[str, object], name: str, change: Callable[[object], object]) -> dict[str, object]:
    """The list under a name, changed part by part, if it is one."""
    parts = whole.get(name)
    return {name: list(map(change, parts))} if isinstance(parts, list) else {}


def _list(value: object) -> list[object]:
    return value if isinstance(value, list) else []
