"""Kits of older formats, carried over before they are decoded."""

from even_palette.core.kit.limits import FORMAT
from even_palette.core.kit.names import Names, identifier


def upgraded(stored: object) -> object:
    """What an older version saved, in the present format.

    Format 1 had one sheet, without a key; format 2 said which sheet was in front, had one coat a region, and knew maps
    by their roles; format 3 knew parameters and variants by their names.
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
        stored = {**_with_keys(stored), "format": FORMAT}
    return stored


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
