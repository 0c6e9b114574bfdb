"""Commands on the output plans that a kit keeps."""

from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit.commands._command import Command, new_name
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import new_key, retire
from even_palette.core.kit.output_plan import READY, OutputPlan
from even_palette.core.limits import MOST_PLANS


def add_plan(plan: OutputPlan) -> Command:
    """Keep an output plan in the kit; its key and its name are made unique."""

    def apply(kit: Kit) -> Kit:
        if len(kit.plans) >= MOST_PLANS:
            raise UserError(f"A kit keeps at most {MOST_PLANS} output plans.")
        name = new_name(plan.name, [other.name for other in (*READY, *kit.plans)])
        made = replace(plan, key=new_key(kit, f"{plan.key}_plan"), name=name)
        return replace(kit, plans=(*kit.plans, made))

    return Command("Keep output plan", apply)


def remove_plan(key: str) -> Command:
    """Let go of an output plan that the kit keeps."""

    def apply(kit: Kit) -> Kit:
        left = tuple(plan for plan in kit.plans if plan.key != key)
        return retire(replace(kit, plans=left), key) if len(left) < len(kit.plans) else kit

    return Command("Remove output plan", apply)


__all__ = ["add_plan", "remove_plan"]
