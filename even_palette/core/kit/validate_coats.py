"""What makes coats valid: that kinds are known, and values and planes lie in their ranges."""

from collections.abc import Mapping

from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit.coat_owners import ValueUse, owner_name
from even_palette.core.kit.model import Kit
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import ValueSpec
from even_palette.core.material.model import Bound, Coat, Parameter, PlaneUse, Setting, Track, ValueKind
from even_palette.core.material.plane_numbers import has_value
from even_palette.core.material.tracks import with_values


def plain_setting(of: Parameter | ValueSpec, setting: Setting) -> Setting:
    """The setting in plain numbers, whatever kind of numbers it is given in.

    Raises UserError unless it is of the kind and in the range of what it sets; colours are 0..1, encoded.
    """
    if of.kind == ValueKind.CHOICE:
        raise UserError(f"“{of.name}” is chosen among ways; it has no number.")
    is_colour = of.kind == ValueKind.COLOUR
    parts = setting if isinstance(setting, tuple) else (setting,)
    low, high = (0.0, 1.0) if is_colour else (of.low, of.high)
    if isinstance(setting, tuple) != is_colour or not all(low <= part <= high for part in parts):
        raise UserError(f"“{of.name}” cannot be {str(setting)[:40]}; it is {low:g} to {high:g}.")
    if of.kind in (ValueKind.SWITCH, ValueKind.ROW) and setting != int(parts[0]):
        raise UserError(f"“{of.name}” cannot be {str(setting)[:40]}; it is a whole number.")
    if isinstance(setting, tuple):
        red, green, blue = map(float, setting)
        return red, green, blue
    return float(setting)


def check_tracks(who: str, tracks: Mapping[str, Track], parameters: Mapping[str, Parameter]) -> None:
    """Raise UserError for tracks, by parameter, whose parameter is not there, or with keys out of range or order."""
    for key, track in tracks.items():
        if key not in parameters:
            raise UserError(f"{who} moves “{key[:40]}”, which is not there.")
        if [each.time for each in track.keys] != sorted({each.time for each in track.keys}):
            raise UserError(f"{who}: the keys of “{key[:40]}” are not in order of time.")
        for each in track.keys:
            plain_setting(parameters[key], each.value)


def plain_track(of: Parameter, track: Track) -> Track:
    """The track with plain numbers, in order of time. Raises UserError as `plain_setting` does."""
    checked = with_values(track, lambda value: plain_setting(of, value))
    return replace(checked, keys=tuple(sorted(checked.keys, key=lambda each: each.time)))


def check_coats(who: str, coats: tuple[Coat, ...]) -> None:
    """Raise UserError for coats that are unknown, or have values or planes that their kinds do not have."""
    if len({coat.key for coat in coats}) < len(coats):
        raise UserError(f"{who} has two coats of one key.")
    for coat in coats:
        if not coat.key:
            raise UserError(f"{who} has a coat without a key.")
        if coat.kind not in COATS:
            raise UserError(f"{who} has an unknown coat “{coat.kind[:40]}”.")
        kind = COATS[coat.kind]
        for name in coat.values:
            if not has_value(kind, name):
                raise UserError(f"a coat of {who} has no value “{name[:40]}”.")
        for name in coat.planes:
            if name not in [spec.name for spec in kind.planes]:
                raise UserError(f"a coat of {who} reads no plane “{name[:40]}”.")
        for use in (*coat.planes.values(), *([coat.pattern] if coat.pattern else [])):
            check_plane_use(who, use)


def check_plane_use(who: str, use: PlaneUse) -> None:
    """Raise UserError where an atlas has less cells than are used."""
    if use.cells > use.grid[0] * use.grid[1]:
        raise UserError(f"{who} uses {use.cells} cells of an atlas of {use.grid[0]} × {use.grid[1]}.")


def check_value(kit: Kit, use: ValueUse) -> None:
    """Raise UserError for a value that cannot be, or is bound to what does not fit it."""
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
        plain_setting(use.spec, value)
