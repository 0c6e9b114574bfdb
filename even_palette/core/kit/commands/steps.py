"""Commands on the steps of a region's mask."""

from collections.abc import Mapping, Sequence

from msgspec.structs import replace

from even_palette.core.kit.commands._command import Command
from even_palette.core.kit.model import Kit
from even_palette.core.kit.planes import check_steps_on, steps_on
from even_palette.core.kit.sheet import Step
from even_palette.core.kit.trees import with_region
from even_palette.core.kit.validate_sheet import check_circles, check_steps
from even_palette.core.regions.paint import Paint
from even_palette.core.regions.steps import STEPS


def set_steps(key: str, label: str, steps: tuple[Step, ...], merge: str = "") -> Command:
    """Replace the steps of a region. Raises UserError for steps that cannot be."""

    def apply(kit: Kit) -> Kit:
        check_steps(f"region “{kit.region(key).name}”", steps)
        check_steps_on(kit, kit.sheet_of(key), kit.region(key).name, steps)
        made = with_region(kit, key, lambda region: replace(region, steps=steps))
        check_circles(made.sheet_of(key))
        return made

    return Command(label, apply, merge)


def add_step(key: str, step: Step) -> Command:
    """Put a step behind those that a region has."""

    def apply(kit: Kit) -> Kit:
        return set_steps(key, "", (*kit.region(key).steps, step)).apply(kit)

    return Command(f"Add {STEPS[step.kind].label.lower()}", apply)


def fresh_paint() -> Step:
    """A step that nothing is painted in yet."""
    return Step("paint")


def paint_step(key: str, number: int, paint: Paint, label: str = "Paint", merge: str = "") -> Command:
    """Give a step of paint of a region what is painted now; one behind the last step is put there for it."""

    def apply(kit: Kit) -> Kit:
        steps = kit.region(key).steps
        if number == len(steps):
            return set_steps(key, "", (*steps, Step("paint", paint=paint))).apply(kit)
        if not 0 <= number < len(steps) or not STEPS[steps[number].kind].is_paint:
            raise KeyError(number)
        step = replace(steps[number], paint=paint)
        return set_steps(key, "", (*steps[:number], step, *steps[number + 1 :])).apply(kit)

    return Command(label, apply, merge)


def paint_steps(paints: Mapping[str, tuple[int, Paint]], label: str = "Paint") -> Command:
    """The same for several regions at once: by their keys, the number of the step and what is painted now."""

    def apply(kit: Kit) -> Kit:
        for key, (number, paint) in paints.items():
            kit = paint_step(key, number, paint).apply(kit)
        return kit

    return Command(label, apply)


def copy_steps(key: str, to: Sequence[str]) -> Command:
    """Put the steps of a region behind those of others."""

    def apply(kit: Kit) -> Kit:
        steps = kit.region(key).steps
        for other in to:
            copied = steps_on(kit, kit.sheet_of(other), steps)
            kit = set_steps(other, "", (*kit.region(other).steps, *copied)).apply(kit)
        return kit

    return Command("Copy steps", apply)


def change_step(key: str, number: int, step: Step) -> Command:
    """Replace one step of a region."""

    def apply(kit: Kit) -> Kit:
        steps = kit.region(key).steps
        if not 0 <= number < len(steps):
            raise KeyError(number)
        return set_steps(key, "", (*steps[:number], step, *steps[number + 1 :])).apply(kit)

    return Command(f"Change {STEPS[step.kind].label.lower()}", apply, f"step {key} {number}")


def remove_step(key: str, number: int) -> Command:
    """Take a step away."""

    def apply(kit: Kit) -> Kit:
        steps = kit.region(key).steps
        return set_steps(key, "", (*steps[:number], *steps[number + 1 :])).apply(kit)

    return Command("Remove step", apply)


def move_step(key: str, number: int, by: int) -> Command:
    """Let a step act earlier (negative) or later."""

    def apply(kit: Kit) -> Kit:
        steps = list(kit.region(key).steps)
        if not 0 <= number < len(steps):
            raise KeyError(number)
        steps.insert(max(0, number + by), steps.pop(number))
        return set_steps(key, "", tuple(steps)).apply(kit)

    return Command("Move step", apply)


__all__ = [
    "add_step", "change_step", "copy_steps", "fresh_paint", "move_step", "paint_step", "paint_steps", "remove_step",
    "set_steps",
]  # fmt: skip
