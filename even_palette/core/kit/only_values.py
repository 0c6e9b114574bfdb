"""What two kits differ in: where it is numbers and colours alone, nothing that takes long has to be made anew."""

from msgspec.structs import replace

from even_palette.core.kit.model import Kit, Recipe
from even_palette.core.kit.sheet import Region, Sheet
from even_palette.core.kit.twin import Twin
from even_palette.core.material.model import Bound, Coat, Parameter, Value
from even_palette.core.material.plane_numbers import is_number

VALUES_IN = ("variants", "parameters", "sheets", "recipes")


def only_values_differ(one: Kit, other: Kit) -> bool:
    """Whether two kits differ in nothing but variants, defaults of parameters, and fixed numbers and colours of coats.

    Quick where they share most of their parts, as steps of a history do.
    """
    if any(getattr(one, name) is not getattr(other, name) for name in Kit.__struct_fields__ if name not in VALUES_IN):
        return False
    return (
        _all(one.parameters, other.parameters, _parameters_alike)
        and _all(one.sheets, other.sheets, _sheets_alike)
        and _all(one.recipes, other.recipes, _recipes_alike)
    )


def _all(ones, others, alike) -> bool:  # type: ignore[no-untyped-def]
    """Whether two tuples have as many parts, each the same as that of the other, or like it."""
    if ones is others:
        return True
    return len(ones) == len(others) and all(a is b or alike(a, b) for a, b in zip(ones, others, strict=True))


def _parameters_alike(one: Parameter, other: Parameter) -> bool:
    return replace(one, default=other.default) == other


def _sheets_alike(one: Sheet, other: Sheet) -> bool:
    bare = replace(one, regions=other.regions, overcoats=other.overcoats, twins=other.twins)
    return (
        bare == other
        and _all(one.twins, other.twins, _twins_alike)
        and _all(one.overcoats, other.overcoats, _coats_alike)
        and _all(one.regions, other.regions, _regions_alike)
    )


def _twins_alike(one: Twin, other: Twin) -> bool:
    return (one.key, one.name) == (other.key, other.name)


def _regions_alike(one: Region, other: Region) -> bool:
    bare = replace(one, coats=other.coats, own_values=other.own_values)
    coats = _all(one.coats, other.coats, _coats_alike)
    return bare == other and coats and _own_alike(one.own_values, other.own_values)


def _own_alike(one: dict[str, dict[str, Value]], other: dict[str, dict[str, Value]]) -> bool:
    return all(_values_alike(one.get(key, {}), other.get(key, {})) for key in one.keys() | other.keys())


def _recipes_alike(one: Recipe, other: Recipe) -> bool:
    return replace(one, coats=other.coats) == other and _all(one.coats, other.coats, _coats_alike)


def _coats_alike(one: Coat, other: Coat) -> bool:
    return replace(one, values=other.values) == other and _values_alike(one.values, other.values)


def _values_alike(one: dict[str, Value], other: dict[str, Value]) -> bool:
    """Whether choices, numbers of planes and what follows a parameter are the same.

    What is not named is a number or a colour, too.
    """
    pairs = [(name, one.get(name), other.get(name)) for name in one.keys() | other.keys()]
    return all(
        a == b or not (isinstance(a, str | Bound) or isinstance(b, str | Bound) or is_number(name))
        for name, a, b in pairs
    )
