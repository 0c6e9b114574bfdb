"""Parameters: kinds, ranges, order; and variants by chance."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from even_palette.core.arrays import float32
from even_palette.core.checks import find
from even_palette.core.checks.alike_names import alike
from even_palette.core.colour.ciede2000 import ciede2000
from even_palette.core.colour.cielab import linear_to_cielab
from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.validate import check_kit
from even_palette.core.material.model import Parameter, ValueKind
from even_palette.core.material.randomise import Spread, random_settings
from even_palette.core.results.sheets import Sheets
from even_palette.core.ship.write import contents

COLOURS = [Parameter(f"p{n}", f"p{n}", ValueKind.COLOUR, (0.5, 0.2 * n, 0.3)) for n in range(4)]


@given(st.integers(0, 1000), st.integers(1, 6), st.floats(10, 180), st.floats(0, 12))
def test_sets_by_chance_are_apart_and_the_seed_decides(seed: int, count: int, hue: float, apart: float) -> None:
    """Any two sets, and each and what they vary about, differ by the asked CIEDE2000 in some colour."""
    about = {p.key: p.default for p in COLOURS}
    spread = Spread(hue, 0.2, 0.05, 0.0, apart)
    try:
        sets = random_settings(COLOURS, about, count, spread, seed)
    except UserError:
        return  # told where ranges are too narrow
    assert sets == random_settings(COLOURS, about, count, spread, seed)
    labs = [linear_to_cielab(srgb_to_linear(float32([each[p.key] for p in COLOURS]))) for each in (about, *sets)]
    for at, one in enumerate(labs):
        for other in labs[:at]:
            assert ciede2000(one, other).max() >= apart
    assert all(0 <= part <= 1 for each in sets for colour in each.values() for part in colour)


def test_numbers_rows_and_switches_by_chance_stay_what_they_are() -> None:
    parameters = [
        Parameter("n", "n", ValueKind.NUMBER, 0.2, 0.0, 2.0), Parameter("r", "r", ValueKind.ROW, 1.0, 0.0, 3.0),
        Parameter("s", "s", ValueKind.SWITCH, 0.0),
    ]  # fmt: skip
    sets = random_settings(parameters, {p.key: p.default for p in parameters}, 40, Spread(numbers=0.8), 3)
    values = {p.key: np.array([each[p.key] for each in sets]) for p in parameters}
    assert len(set(values["n"])) > 20
    assert values["n"].min() >= 0
    assert values["n"].max() <= 1.8
    assert set(values["r"]) <= {0.0, 1.0, 2.0, 3.0}
    assert set(values["s"]) == {0.0, 1.0}


@pytest.fixture
def strength(history: History) -> str:
    """The key of a parameter that drives the strength of a coat, 0.3 by day."""
    history.do(commands.set_cell_value("region_1", "strength", 0.3, "day"))
    return history.kit.parameters[-1].key


def test_a_number_becomes_a_switch_or_a_row(history: History, strength: str) -> None:
    history.do(commands.set_parameter_kind(strength, ValueKind.SWITCH))
    assert history.kit.variant("day").values[strength] == 0.0
    with pytest.raises(UserError, match="whole number"):
        history.do(commands.set_parameter(strength, 0.5))
    history.do(commands.set_parameter(strength, 0.0))
    with pytest.raises(UserError, match="could not follow"):
        history.do(commands.set_parameter_kind(strength, ValueKind.ROW, 0, 7))
    with pytest.raises(UserError, match="Colours stay colours"):
        history.do(commands.set_parameter_kind("region_1_colour", ValueKind.NUMBER))
    check_kit(history.kit)
    with pytest.raises(UserError, match="switch"):
        check_kit(replace(history.kit, parameters=tuple(
            replace(p, high=2.0) if p.key == strength else p for p in history.kit.parameters)))  # fmt: skip


def test_order_group_and_kind_are_shipped(history: History, sheets: Sheets, strength: str) -> None:
    history.do(commands.describe_parameter(strength, "Wear", "How much paint there is"))
    history.do(commands.move_parameter(strength, -5))
    history.do(commands.set_parameter_kind(strength, ValueKind.SWITCH))
    shipped = contents(history.kit, sheets).package.parameters[0]
    assert (shipped.group, shipped.help, shipped.kind) == ("Wear", "How much paint there is", "switch")


@pytest.mark.parametrize(
    ("one", "other", "told"),
    [("hull_colour", "hul_colour", True), ("hull_colour", "hullcolour", True), ("hull_colour", "hall_colour", True),
     ("part_1", "part_2", False), ("part_1", "part_12", False), ("row", "raw", False), ("deck", "mast", False),
     ("hull_colour", "hull_colours", True)],
)  # fmt: skip
def test_names_that_are_almost_alike_are_told(history: History, one: str, other: str, told: bool) -> None:
    assert alike(one, other) == told
    assert alike(other, one) == told
    history.do(commands.rename_parameter("region_1_colour", one))
    history.do(commands.rename_parameter("region_4_colour", other))
    texts = [finding.text for finding in find(history.kit, Sheets())]
    assert any("almost alike" in text for text in texts) == told
