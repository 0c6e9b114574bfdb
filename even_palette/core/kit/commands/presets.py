"""Commands on the conditions that a kit keeps under a name, and on its budget of memory."""

from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit.commands._command import Command, new_name
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import new_key, retire
from even_palette.core.limits import MOST_BUDGET, MOST_PRESETS
from even_palette.core.proof.conditions import PRESETS, Conditions, OwnPreset, check_conditions


def add_preset(name: str, conditions: Conditions) -> Command:
    """Keep conditions in the kit under a name, which is made unique: what they say of kinds of maps (see `of_kinds`).

    Raises UserError for formats and presets that are not there.
    """

    def apply(kit: Kit) -> Kit:
        if len(kit.presets) >= MOST_PRESETS:
            raise UserError(f"A kit keeps at most {MOST_PRESETS} conditions.")
        check_conditions(conditions)
        final = new_name(name, [*(each.label for each in PRESETS.values()), *(each.name for each in kit.presets)])
        made = OwnPreset(new_key(kit, final), final, Conditions(conditions.preset, kinds=conditions.kinds))
        return replace(kit, presets=(*kit.presets, made))

    return Command("Keep conditions", apply)


def remove_preset(key: str) -> Command:
    """Let go of conditions that the kit keeps; sheets that took them stay as they are."""

    def apply(kit: Kit) -> Kit:
        left = tuple(each for each in kit.presets if each.key != key)
        return retire(replace(kit, presets=left), key) if len(left) < len(kit.presets) else kit

    return Command("Remove conditions", apply)


def set_budget(size: int) -> Command:
    """How many bytes all textures of the kit may take in a runtime, 0 for no budget."""
    return Command("Change budget", lambda kit: replace(kit, budget_bytes=min(max(size, 0), MOST_BUDGET)), "budget")


__all__ = ["add_preset", "remove_preset", "set_budget"]
