"""Cells that look otherwise: found by what changed, held against every cell looked at."""

import random

from even_palette.core.kit import commands
from even_palette.core.kit.changed_cells import changed_cells
from even_palette.core.kit.coat_owners import SheetOwner, owners_on
from even_palette.core.kit.model import Focus
from even_palette.core.kit.store import read_kit
from even_palette.core.material.variants import MASTER
from even_palette.demo import KIT_FOLDER


def each_cell(at: Focus) -> dict[tuple[SheetOwner, str], object]:
    """What every cell is set to, and whether it is so by its own variant."""
    kit, found = at.kit, dict[tuple[SheetOwner, str], object]()
    for owner in owners_on(at.sheet):
        bound = commands.bound_parameters(kit, owner).values()
        for variant in kit.variant_names:
            own = kit.variant(variant).values if variant != MASTER else {}
            cell = commands.read_cell(kit, owner, variant)
            found[owner, variant] = (cell.settings, cell.choices, sorted(set(bound) & own.keys()))
    return found


def test_of_every_sheet_by_any_variant() -> None:
    """Numbers and colours of the demo set and cleared at random, in variants that others inherit from, too."""
    kit, rng, small = read_kit(KIT_FOLDER), random.Random(5), 0
    for _ in range(150):
        variant, parameter = rng.choice(kit.variants), rng.choice(kit.parameters)
        if rng.random() < 0.3:
            owner = rng.choice([owner for sheet in kit.sheets for owner in owners_on(sheet)])
            command = commands.clear_cell(owner, variant.key)
        else:
            value = rng.random() if not isinstance(parameter.default, tuple) else (rng.random(), 0.5, rng.random())
            command = commands.set_parameter(parameter.key, value, variant.key)
        now = command.apply(kit)
        for sheet in kit.sheets:
            before, after = kit.at(sheet.key), now.at(sheet.key)
            cells = changed_cells(before, after)
            assert cells is not None
            one, other = each_cell(before), each_cell(after)
            assert {cell for cell in one if one[cell] != other[cell]} <= cells
            small += len(cells) < len(one) / 4
        kit = now
    assert small > 300  # most of the board stays


def test_what_is_more_than_values_may_be_any_cell() -> None:
    kit = read_kit(KIT_FOLDER)
    at, region = kit.at(), kit.at().sheet.regions[0]
    assert changed_cells(at, at) == frozenset()
    for command in (
        commands.rename_region(region.key, "Other"),
        commands.add_variant("More"),
        commands.rename_variant("night_post", "Night"),
        commands.set_cell_value("hull", "colour", (0.1, 0.2, 0.3)),
    ):
        assert changed_cells(at, command.apply(kit).at()) is None
    assert changed_cells(at, kit.at(kit.sheets[1].key)) is None
