"""Single values of coats: what they are, what declares them, and which of them a wearer of a recipe sets itself."""

from msgspec.structs import replace

from even_palette.core.kit.coat_owners import Owner, coats_of, recipe_length
from even_palette.core.kit.model import Kit
from even_palette.core.kit.sheet import Region
from even_palette.core.kit.trees import with_region
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import ValueSpec
from even_palette.core.material.model import Coat, Value, ValueKind
from even_palette.core.material.plane_numbers import spec_named, value_in


def value_of(kit: Kit, owner: Owner, value_name: str, coat: int) -> Value:
    """What a coat has for a value. Raises KeyError if there is no such coat or value."""
    worn = _coat(kit, owner, coat)
    return value_in(COATS[worn.kind], worn, value_name)


def spec_of(kit: Kit, owner: Owner, value_name: str, coat: int) -> ValueSpec:
    """What a coat declares of a value. Raises KeyError if there is no such coat or value."""
    return spec_named(COATS[_coat(kit, owner, coat).kind], value_name)


def _coat(kit: Kit, owner: Owner, coat: int) -> Coat:
    coats = coats_of(kit, owner)
    if not 0 <= coat < len(coats):
        raise KeyError(coat)
    return coats[coat]


def alike(one: ValueSpec, other: ValueSpec) -> bool:
    """Whether two coats mean the same by a value, so that it can be kept or pasted."""
    same_choices = one.kind != ValueKind.CHOICE or one.choices == other.choices
    return one.name == other.name and one.kind == other.kind and same_choices


def overrides(kit: Kit, owner: Owner, value_name: str, coat: int) -> bool:
    """Whether a region sets a value of its recipe's coat itself."""
    if not isinstance(owner, str) or coat >= recipe_length(kit, owner):
        return False
    return value_name in kit.region(owner).own_values.get(coats_of(kit, owner)[coat].key, ())


def with_own_value(kit: Kit, region: str, coat: int, value_name: str, value: Value | None) -> Kit:
    """The kit in which a region sets a value of its recipe's coat itself, or follows the recipe there with None."""
    key = coats_of(kit, region)[coat].key

    def change(worn: Region) -> Region:
        own = {name: old for name, old in worn.own_values.get(key, {}).items() if name != value_name}
        own |= {} if value is None else {value_name: value}
        others = {coat: values for coat, values in worn.own_values.items() if coat != key}
        return replace(worn, own_values={**others, key: own} if own else others)

    return with_region(kit, region, change)
