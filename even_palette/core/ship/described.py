"""What package.json says of a kit beside its sheets: parameters and variants as a runtime takes them."""

from typing import Literal

from even_palette import __version__
from even_palette.core.colour.hexcode import encoded_to_hex
from even_palette.core.graph.binding import uniform_name
from even_palette.core.kit.coat_owners import ValueUse, owner_name, users_of_all
from even_palette.core.kit.model import Kit
from even_palette.core.kit.twin import Twin
from even_palette.core.material.build import linear_setting
from even_palette.core.material.model import Colour, Parameter, Setting, Track, ValueKind
from even_palette.core.material.tracks import with_values
from even_palette.core.material.variants import MASTER, resolve_all, tracks_of
from even_palette.core.ship.package import (
    FORMAT,
    MAKER,
    Package,
    PackageParameter,
    PackageSheet,
    PackageTwin,
    PackageVariant,
)

KINDS: dict[ValueKind, Literal["colour", "number", "switch", "row"]] = {
    ValueKind.COLOUR: "colour", ValueKind.NUMBER: "number", ValueKind.SWITCH: "switch", ValueKind.ROW: "row",
}  # fmt: skip


def described(kit: Kit, shipped: tuple[PackageSheet, ...], parameters: list[Parameter]) -> Package:
    """The package of these sheets, with the parameters that they use and all variants."""
    names = {parameter.key: parameter.name for parameter in parameters}
    settings = resolve_all(parameters, kit.variants)
    variants = tuple(
        PackageVariant(
            variant.name,
            kit.variant(variant.parent).name if variant.parent else None,
            _runtime(
                {names[key]: settings[variant.key][key] for key in {**variant.values, **variant.tracks} if key in names}
            ),
            _runtime({names[key]: value for key, value in settings[variant.key].items()}),
            _tracks(kit, variant.key, names),
        )
        for variant in kit.variants
    )
    users = users_of_all(kit)
    told = tuple(_parameter(kit, parameter, users.get(parameter.key, [])) for parameter in parameters)
    sheets = {sheet.name for sheet in shipped}
    twins = tuple(
        _twin(kit, sheet.name, twin, names) for sheet in kit.sheets if sheet.name in sheets for twin in sheet.twins
    )
    made_by = f"{MAKER}{__version__}"
    return Package(FORMAT, kit.name, made_by, kit.blending, shipped, told, variants, twins=twins)


def _twin(kit: Kit, sheet: str, twin: Twin, names: dict[str, str]) -> PackageTwin:
    """A twin with the values of all parameters in all variants; `names` are those of parameters that are shipped."""
    worn = kit.as_twin(twin.key)
    called = {MASTER: "", **{variant.key: variant.name for variant in kit.variants}}
    values = {
        called[key]: _runtime({names[name]: value for name, value in settings.items() if name in names})
        for key, settings in resolve_all(worn.parameters, worn.variants).items()
    }
    moving = {variant.name: _tracks(worn, variant.key, names) for variant in worn.variants}
    return PackageTwin(twin.name, sheet, values, {name: tracks for name, tracks in moving.items() if tracks})


def _tracks(kit: Kit, variant: str, names: dict[str, str]) -> dict[str, Track]:
    """What goes over time in a variant, of parameters that are shipped, with colours in linear light."""
    found = tracks_of(kit.variants, variant)
    return {names[key]: with_values(track, linear_setting) for key, track in found.items() if key in names}


def _parameter(kit: Kit, parameter: Parameter, users: list[ValueUse]) -> PackageParameter:
    default = parameter.default
    return PackageParameter(
        parameter.name,
        uniform_name(parameter.name),
        "vec3" if parameter.kind == ValueKind.COLOUR else "float",
        linear_setting(default),
        encoded_to_hex(default) if isinstance(default, tuple) else "",
        parameter.low,
        parameter.high,
        parameter.unit,
        parameter.help,
        tuple(f"{owner_name(kit, use.owner)}: {use.spec.label}" for use in users),
        KINDS[parameter.kind],
        parameter.group,
        tuple(_linear(swatch) for swatch in parameter.allowed.swatches),
        (parameter.allowed.darkest, parameter.allowed.lightest),
        (parameter.allowed.hue_from, parameter.allowed.hue_to),
    )


def _linear(colour: Colour) -> Colour:
    found = linear_setting(colour)
    assert isinstance(found, tuple)
    return found


def _runtime(settings: dict[str, Setting]) -> dict[str, float | tuple[float, float, float]]:
    return {name: linear_setting(value) for name, value in settings.items()}
