"""Commands on cells of the board: the values of an owner of coats in a variant."""

from collections.abc import Sequence
from dataclasses import dataclass

from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit.coat_owners import (
    Owner,
    coats_of,
    home_of,
    own_coats,
    owner_name,
    recipe_length,
    value_uses,
    with_coats,
)
from even_palette.core.kit.coat_values import alike
from even_palette.core.kit.commands._command import Command
from even_palette.core.kit.commands.coats import bound_parameters, coats_for, set_cell_value, with_value
from even_palette.core.kit.keyed import change_one
from even_palette.core.kit.model import Kit
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import STRENGTH
from even_palette.core.material.model import (
    Bound,
    Coat,
    Setting,
    Variant,
)
from even_palette.core.material.plane_numbers import numbers_of, plane_of, spec_named
from even_palette.core.material.variants import MASTER, resolve


def clear_cell(owner: Owner, variant: str) -> Command:
    """Return the values of an owner's coats in a variant to what is inherited; in the master, to their defaults."""

    def apply(kit: Kit) -> Kit:
        if variant == MASTER:
            bare = tuple(replace(coat, values={}) for coat in own_coats(kit, owner))
            return with_coats(kit, owner, bare)
        bound = set(bound_parameters(kit, owner).values())

        def change(v: Variant) -> Variant:
            return replace(v, values={key: value for key, value in v.values.items() if key not in bound})

        return replace(kit, variants=change_one(kit.variants, lambda v: v.key == variant, change))

    return Command("Return to inherited", apply)


def set_start(owner: Owner, coat: int, name: str, variant: str) -> Command:
    """Give a coat one of the named sets of values that its kind begins with. Raises KeyError for another name."""

    def apply(kit: Kit) -> Kit:
        home, number = home_of(kit, owner, coat)
        kind = COATS[own_coats(kit, home)[number].kind]
        for value_name, setting in dict(kind.starts)[name].items():
            kit = set_cell_value(owner, value_name, setting, variant, coat).apply(kit)
        return kit

    return Command(name, apply)


@dataclass(frozen=True)
class Cell:
    """What copying a cell of the board takes along: the coats without values, and for each its choices and settings."""

    coats: tuple[Coat, ...]
    choices: tuple[dict[str, str], ...]
    settings: tuple[dict[str, Setting], ...]


def read_cell(kit: Kit, owner: Owner, variant: str, settings: dict[str, Setting] | None = None) -> Cell:
    """The coats of an owner as they are in a variant. Raises KeyError for an unknown owner or variant.

    `settings` are those of the variant, where they are known already.
    """
    settings = settings or resolve(kit.parameters, kit.variants, variant)
    coats = coats_of(kit, owner)
    choices: list[dict[str, str]] = [{} for _ in coats]
    values: list[dict[str, Setting]] = [{} for _ in coats]
    for use in value_uses(kit, owner):
        if isinstance(use.value, str):
            choices[use.coat][use.spec.name] = use.value
        else:
            bound = settings[use.value.parameter] if isinstance(use.value, Bound) else use.value
            values[use.coat][use.spec.name] = bound
    bare = tuple(replace(coat, values={}) for coat in coats)
    return Cell(bare, tuple(choices), tuple(values))


def paste_cell(cell: Cell, owner: Owner, variant: str) -> Command:
    """Give an owner the values of a copied cell.

    In the master the coats come along with their kinds, choices, planes and patterns. In a variant they are the
    master's, so only values that they have are taken; raises UserError if there are none.
    """

    def apply(kit: Kit) -> Kit:
        if variant == MASTER and recipe_length(kit, owner):
            raise UserError(f"{owner_name(kit, owner)} wears a recipe; let go of it to paste coats.")
        if variant == MASTER:
            old = coats_of(kit, owner)
            # Planes of another sheet become those that are the same here.
            kept = tuple(
                replace(
                    coat,
                    key=old[number].key if number < len(old) else "",
                    values=old[number].values if number < len(old) and old[number].kind == coat.kind else {},
                )
                for number, coat in enumerate(coats_for(kit, owner, cell.coats))
            )
            kit = with_coats(kit, owner, kept)
        taken = False
        for number, (mine, theirs) in enumerate(zip(coats_of(kit, owner), cell.coats, strict=False)):
            own, source = COATS[mine.kind], COATS[theirs.kind]
            specs = {spec.name: spec for spec in own.values}
            specs |= {name: spec for name, (plane, _, spec) in numbers_of(own).items() if plane_of(mine, plane)}
            if variant == MASTER:
                for name, choice in cell.choices[number].items():
                    kit = with_value(kit, owner, name, choice, number)
            for name, setting in cell.settings[number].items():
                if name in specs and alike(specs[name], spec_named(source, name)):
                    counts = spec_named(source, name).counts(cell.choices[number])
                    taken = taken or (counts and name != STRENGTH.name)
                    kit = set_cell_value(owner, name, setting, variant, number).apply(kit)
        if not taken and variant != MASTER:
            raise UserError("The copied coats have no value that these coats have; paste them in Master first.")
        return kit

    return Command("Paste coat", apply)


def set_in_cells(cells: Sequence[tuple[Owner, str, int]], value_name: str, setting: Setting) -> Command:
    """Set a value in several cells at once: owners with a variant and the number of a coat each. Raises UserError."""
    if len(cells) == 1:
        owner, variant, coat = cells[0]
        return set_cell_value(owner, value_name, setting, variant, coat)

    def apply(kit: Kit) -> Kit:
        for owner, variant, coat in cells:
            kit = set_cell_value(owner, value_name, setting, variant, coat).apply(kit)
        return kit

    return Command(f"Change {value_name} in {len(cells)} cells", apply, f"value {cells} {value_name}")


def choose_in_cells(cells: Sequence[tuple[Owner, str, int]], value_name: str, choice: str) -> Command:
    """Choose one of the ways of a coat in several cells at once; the ways are those of all variants."""

    def apply(kit: Kit) -> Kit:
        for owner, coat in dict.fromkeys((owner, coat) for owner, _, coat in cells):
            kit = with_value(kit, owner, value_name, choice, coat)
        return kit

    return Command("Change coat", apply)


def clear_cells(cells: Sequence[tuple[Owner, str]]) -> Command:
    """Return the values of several cells to what is inherited, in one step."""

    def apply(kit: Kit) -> Kit:
        for owner, variant in cells:
            kit = clear_cell(owner, variant).apply(kit)
        return kit

    return Command("Return to inherited", apply)


def cells_alike(kit: Kit, cells: Sequence[tuple[Owner, str]], owner: Owner, coat: int) -> list[tuple[Owner, str, int]]:
    """Those of some cells that wear a coat of the kind of an owner's coat: owner, variant, and the number of the coat.

    The coat at the same place if it is of that kind, else the first one that is.
    """
    kind = coats_of(kit, owner)[coat].kind
    found: list[tuple[Owner, str, int]] = []
    for other, variant in cells:
        kinds = [each.kind for each in coats_of(kit, other)]
        if coat < len(kinds) and kinds[coat] == kind:
            found.append((other, variant, coat))
        elif kind in kinds:
            found.append((other, variant, kinds.index(kind)))
    return found


def fill_cells(cell: Cell, targets: Sequence[tuple[Owner, str]]) -> Command:
    """Give the values of a cell to others, by owner and variant, in one step."""

    def apply(kit: Kit) -> Kit:
        for owner, variant in targets:
            kit = paste_cell(cell, owner, variant).apply(kit)
        return kit

    return Command("Fill cells", apply)


__all__ = [
    "Cell", "cells_alike", "choose_in_cells", "clear_cell", "clear_cells", "fill_cells", "paste_cell", "read_cell",
    "set_in_cells", "set_start",
]  # fmt: skip
