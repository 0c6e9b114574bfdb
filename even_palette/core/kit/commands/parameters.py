"""Commands on parameters: their names, order, ranges and kinds; and variants that differ in them by chance."""

from collections.abc import Mapping, Sequence

from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit.coat_owners import users_of
from even_palette.core.kit.commands._command import Command, new_name
from even_palette.core.kit.commands.coats import fits
from even_palette.core.kit.keyed import change_one
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import Names, identifier, keys_of, unique
from even_palette.core.kit.scene_references import fitting_scenes
from even_palette.core.kit.validate_coats import plain_setting, plain_track
from even_palette.core.limits import MOST_VARIANTS
from even_palette.core.material.model import Allowed, Parameter, Setting, Track, ValueKind, Variant
from even_palette.core.material.randomise import Spread, random_settings
from even_palette.core.material.tracks import with_value, with_values
from even_palette.core.material.variants import resolve


def rename_parameter(key: str, name: str) -> Command:
    """Give a parameter another name, which is made a plain identifier; its key stays."""

    def apply(kit: Kit) -> Kit:
        kit.parameter(key)
        others = [parameter.name for parameter in kit.parameters if parameter.key != key]
        return _changed(kit, replace(kit.parameter(key), name=unique(identifier(name), others, "_")))

    return Command("Rename parameter", apply)


def describe_parameter(key: str, group: str | None = None, help: str | None = None, unit: str | None = None) -> Command:
    """Say to which group a parameter belongs, what it is for, and its unit; what is None stays."""

    def apply(kit: Kit) -> Kit:
        old = kit.parameter(key)
        new = {"group": group, "help": help, "unit": unit}
        return _changed(kit, replace(old, **{name: text.strip() for name, text in new.items() if text is not None}))

    return Command("Describe parameter", apply)


def set_parameter_kind(key: str, kind: ValueKind, low: float = 0.0, high: float = 1.0) -> Command:
    """Make a parameter that is no colour a number in a range, a row or a switch; what variants set is held in it.

    Raises UserError where a value that follows it could then leave its own range.
    """

    def apply(kit: Kit) -> Kit:
        old = kit.parameter(key)
        if ValueKind.COLOUR in (old.kind, kind) or kind == ValueKind.CHOICE:
            raise UserError("Colours stay colours, and numbers become numbers, rows or switches.")
        bottom, top = (0.0, 1.0) if kind == ValueKind.SWITCH else (float(low), float(high))
        if not bottom < top:
            raise UserError(f"A range from {bottom:g} to {top:g} has nothing in it.")
        whole = kind in (ValueKind.SWITCH, ValueKind.ROW)

        def held(setting: Setting) -> float:
            assert not isinstance(setting, tuple)
            number = min(max(float(setting), bottom), top)
            return float(round(number)) if whole else number

        new = replace(old, kind=kind, low=bottom, high=top, default=held(old.default))
        for use in users_of(kit, key):
            if not fits(new, use.spec):
                spec = use.spec
                raise UserError(f"{spec.label} goes from {spec.low:g} to {spec.high:g}; it could not follow that.")
        variants = tuple(
            replace(
                v,
                values={k: held(value) if k == key else value for k, value in v.values.items()},
                tracks={k: with_values(track, held) if k == key else track for k, track in v.tracks.items()},
            )
            for v in kit.variants
        )
        return fitting_scenes(_changed(replace(kit, variants=variants), new))

    return Command("Change parameter", apply, f"kind {key}")


def set_parameter(key: str, setting: Setting, variant: str = "") -> Command:
    """Set a parameter in a variant, or its default. Raises UserError for a value out of its range."""

    def apply(kit: Kit) -> Kit:
        parameter = kit.parameter(key)
        plain = plain_setting(parameter, setting)
        if not variant:
            return _changed(kit, replace(parameter, default=plain))
        kit.variant(variant)
        return replace(
            kit,
            variants=change_one(
                kit.variants, lambda v: v.key == variant, lambda v: replace(v, values={**v.values, key: plain})
            ),
        )

    return Command("Change parameter", apply, f"parameter {key} {variant}")


def set_at_time(key: str, setting: Setting, variant: str, time: float) -> Command:
    """Set a parameter in a variant at a time in seconds: a key of its track, or its value where it stands still."""
    still = set_parameter(key, setting, variant)

    def apply(kit: Kit) -> Kit:
        track = kit.variant(variant).tracks.get(key) if variant else None
        if track is None:
            return still.apply(kit)
        plain = plain_setting(kit.parameter(key), setting)
        return set_track(key, variant, with_value(track, time, plain)).apply(kit)

    return Command(still.label, apply, still.merge)


def allow(key: str, allowed: Allowed) -> Command:
    """Say what a game may set a colour to; what variants have stays. Raises UserError for what is no colour."""

    def apply(kit: Kit) -> Kit:
        parameter = kit.parameter(key)
        if parameter.kind != ValueKind.COLOUR:
            raise UserError(f"{parameter.name} is no colour; its range says what the game may set it to.")
        if allowed.darkest > allowed.lightest:
            raise UserError("The darkest that is allowed is lighter than the lightest.")
        return _changed(kit, replace(parameter, allowed=allowed))

    return Command("Change what the game may set", apply, f"allow {key}")


def set_track(key: str, variant: str, track: Track | None) -> Command:
    """Let a parameter go over time in a variant, or be still again. Raises UserError for values out of its range."""

    def apply(kit: Kit) -> Kit:
        parameter, old = kit.parameter(key), kit.variant(variant)
        tracks = {name: each for name, each in old.tracks.items() if name != key}
        if track is not None:
            tracks[key] = plain_track(parameter, track)
        changed = replace(old, tracks=tracks)
        return replace(kit, variants=change_one(kit.variants, lambda v: v.key == variant, lambda _: changed))

    return Command("Change over time", apply, f"track {key} {variant}")


def set_in_variants(key: str, settings: Mapping[str, Setting]) -> Command:
    """Set a parameter in several variants, by key, as one step. Raises UserError for a value out of its range."""

    def apply(kit: Kit) -> Kit:
        for variant, setting in settings.items():
            kit = set_parameter(key, setting, variant).apply(kit)
        return kit

    return Command("Change parameter", apply)


def move_parameter(key: str, by: int) -> Command:
    """List a parameter earlier (negative) or later: the order in which packages list them."""

    def apply(kit: Kit) -> Kit:
        there = list(kit.parameters)
        at = there.index(kit.parameter(key))
        there.insert(max(0, at + by), there.pop(at))
        return replace(kit, parameters=tuple(there))

    return Command("Move parameter", apply)


def add_random_variants(
    name: str, count: int, keys: Sequence[str], spread: Spread, seed: int = 0, parent: str | None = None
) -> Command:
    """Add variants in which some parameters differ by chance from those of `parent`, or of the master.

    The same seed gives the same variants. Raises UserError where they cannot all be so far apart as is asked.
    """

    def apply(kit: Kit) -> Kit:
        if not 1 <= count <= MOST_VARIANTS - len(kit.variants):
            raise UserError(f"A kit holds at most {MOST_VARIANTS:,} variants.")
        chosen = [kit.parameter(key) for key in keys]
        if not chosen:
            raise UserError("Choose the parameters that shall differ.")
        about = resolve(kit.parameters, kit.variants, parent or "")
        names, free = Names(variant.name for variant in kit.variants), Names(keys_of(kit), "_")
        stem, added = new_name(name, []), list[Variant]()
        for settings in random_settings(chosen, about, count, spread, seed):
            final = names.give(stem)
            added.append(Variant(free.give(identifier(final)), final, parent, settings))
        return replace(kit, variants=(*kit.variants, *added))

    return Command("Add random variants", apply)


def _changed(kit: Kit, parameter: Parameter) -> Kit:
    return replace(kit, parameters=change_one(kit.parameters, lambda p: p.key == parameter.key, lambda _: parameter))


__all__ = [
    "add_random_variants", "allow", "describe_parameter", "move_parameter", "rename_parameter", "set_at_time",
    "set_in_variants", "set_parameter", "set_parameter_kind", "set_track",
]  # fmt: skip
