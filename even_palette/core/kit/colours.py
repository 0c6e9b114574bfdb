"""The colours of a kit as swatches: those of its parameters, variants, coats and palettes."""

from even_palette.core.colour.hexcode import Rgb8, encoded_to_hex, parse_hex
from even_palette.core.colour.swatches import MOST_SWATCHES, Swatch
from even_palette.core.kit.coat_owners import owner_name, value_uses
from even_palette.core.kit.model import Kit
from even_palette.core.material.model import ValueKind


def kit_swatches(kit: Kit) -> tuple[Swatch, ...]:
    """Each colour once, with what has it first: defaults of parameters, what variants set, coats, rows of palettes."""
    found: dict[Rgb8, str] = {}

    def note(value: object, name: str) -> None:
        if isinstance(value, tuple):
            red, green, blue = value
            found.setdefault(parse_hex(encoded_to_hex((red, green, blue))), name)

    for parameter in kit.parameters:
        note(parameter.default, parameter.name)
    names = {parameter.key: parameter.name for parameter in kit.parameters}
    for variant in kit.variants:
        for key, setting in variant.values.items():
            note(setting, f"{names[key]}, {variant.name}")
    for use in value_uses(kit):
        if use.spec.kind == ValueKind.COLOUR:
            note(use.value, f"{use.spec.label}, {owner_name(kit, use.owner)}")
    for palette in kit.palettes:
        for row in palette.rows:
            for colour in row.colours:
                found.setdefault(colour, f"{palette.name}, {row.name}")
    return tuple(Swatch(colour, name) for colour, name in list(found.items())[:MOST_SWATCHES])
