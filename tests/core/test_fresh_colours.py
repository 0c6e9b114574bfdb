"""ID colours that are made here: pure ones first, none twice, far apart; baked and found again."""

import numpy as np
import pytest

from even_palette.core.colour.ciede2000 import ciede2000
from even_palette.core.colour.cielab import linear_to_cielab
from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.limits import MOST_REGIONS
from even_palette.core.regions.fresh_colours import HALVES, PURE, fresh_id_colours


def apart(colours: list[tuple[int, int, int]]) -> np.ndarray:
    """CIEDE2000 between all pairs, infinite of each to itself."""
    lab = linear_to_cielab(srgb_to_linear(np.array(colours, np.float32) / 255))
    found = np.stack([ciede2000(lab, one[None]) for one in lab])
    np.fill_diagonal(found, np.inf)
    return found


def test_as_many_as_a_sheet_has_are_unlike() -> None:
    """All 255: none twice, none black, the least CIEDE2000 as it is stated."""
    found = fresh_id_colours(MOST_REGIONS)
    assert len(set(found)) == MOST_REGIONS
    assert (0, 0, 0) not in found
    assert tuple(found[: len(PURE)]) == PURE
    assert set(found[len(PURE) : len(PURE) + len(HALVES)]) == set(HALVES)
    assert all(set(colour) <= {0, 255} for colour in PURE)
    assert apart(found).min() >= 4.6
    assert apart([*found, (0, 0, 0)])[-1, :-1].min() >= 12


@pytest.mark.parametrize("taken", [[(220, 40, 40)], [(255, 0, 0), (0, 255, 0)], [(10, 250, 5), (250, 128, 3)]])
def test_what_is_taken_is_kept_away_from(taken: list[tuple[int, int, int]]) -> None:
    """No fresh colour keys texels of one that is there (64 levels, the tolerance of a fresh region)."""
    found = fresh_id_colours(20, taken)
    levels = np.abs(np.array(found)[:, None] - np.array(taken)[None]).max(axis=-1)
    assert levels.min() >= 64
    assert apart([*found, *taken]).min() > 4


def test_the_next_is_the_same_whether_asked_one_by_one() -> None:
    """Regions that are added one after another get what they would have got at once."""
    one_by_one: list[tuple[int, int, int]] = []
    for _ in range(40):
        one_by_one += fresh_id_colours(1, one_by_one)
    assert len(set(one_by_one)) == 40
    assert one_by_one[: len(PURE)] == list(PURE)


def test_regions_are_made_pure_at_once(history: History) -> None:
    """In their order; not where a file has the colours; undo brings them back."""
    with pytest.raises(UserError, match="is a file"):
        history.do(commands.make_id_colours_pure("sheet_1"))
    history.do(commands.remove_map("sheet_1", "id_map"))
    before = history.kit
    history.do(commands.make_id_colours_pure("sheet_1"))
    assert [region.id_colour for region in history.kit.regions] == list(PURE[:4])
    assert [region.name for region in history.kit.regions] == [region.name for region in before.regions]
    history.undo()
    assert history.kit == before
