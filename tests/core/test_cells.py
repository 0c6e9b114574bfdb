"""Several cells of the board at once, and cells as text."""

import json
import random

import pytest

from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.cell_text import cell_from_text, cell_to_text, is_cell
from even_palette.core.kit.coat_owners import coats_of
from even_palette.core.kit.commands import read_cell
from even_palette.core.kit.history import History
from even_palette.core.kit.store import read_kit
from even_palette.core.kit.validate import check_kit
from even_palette.core.material.model import Coat
from even_palette.demo import KIT_FOLDER


@pytest.fixture(scope="module")
def demo_kit() -> object:
    return read_kit(KIT_FOLDER)


def plain(kit) -> list[str]:  # type: ignore[no-untyped-def]
    """Regions of the first sheet that wear no recipe."""
    return [region.key for region in kit.sheets[0].regions if not region.recipe]


def test_a_value_is_set_in_all_cells_that_wear_such_a_coat(demo_kit) -> None:  # type: ignore[no-untyped-def]
    """By kind: the coat at the same place, else the first of the kind; others are left; one step, undone exactly."""
    history = History(demo_kit)
    one, two, three = plain(demo_kit)[:3]
    history.do(commands.add_coat(one, Coat("levels")))
    history.do(commands.add_coat(two, Coat("levels")))
    kit, variant = history.kit, demo_kit.variants[0].key
    last = len(coats_of(kit, one)) - 1
    chosen = [(one, variant), (two, variant), (two, ""), (three, variant)]
    cells = commands.cells_alike(kit, chosen, one, last)
    assert [(owner, name) for owner, name, _ in cells] == chosen[:3]
    history.do(commands.set_in_cells(cells, "gamma", 1.7))
    for owner, name, coat in cells:
        assert read_cell(history.kit, owner, name).settings[coat]["gamma"] == 1.7
    assert read_cell(history.kit, one, "").settings[last]["gamma"] == 1.0
    assert read_cell(history.kit, three, variant) == read_cell(kit, three, variant)
    history.do(commands.set_in_cells(cells, "gamma", 1.9))  # merged with the step before, as a drag is
    assert history.undo()
    assert history.kit == kit
    history.do(commands.choose_in_cells(cells, "blending", "screen"))
    assert all(coats_of(history.kit, owner)[coat].values["blending"] == "screen" for owner, _, coat in cells)
    with pytest.raises(UserError):
        history.do(commands.set_in_cells(cells, "gamma", 99.0))


def test_cells_are_cleared_together(demo_kit) -> None:  # type: ignore[no-untyped-def]
    history = History(demo_kit)
    one, two = plain(demo_kit)[:2]
    variant = demo_kit.variants[1].key
    history.do(commands.set_in_cells([(one, variant, 0), (two, variant, 0)], "strength", 0.3))
    history.do(commands.clear_cells([(one, variant), (two, variant)]))
    for owner in (one, two):
        assert read_cell(history.kit, owner, variant).settings[0]["strength"] == 1.0
    assert history.undo_labels[0] == "Return to inherited"


def test_every_cell_comes_back_from_its_text(demo_kit) -> None:  # type: ignore[no-untyped-def]
    """Readable JSON that names coats and values; the same cell again, in all variants of the demo."""
    for region in demo_kit.regions:
        for variant in demo_kit.variant_names:
            cell = read_cell(demo_kit, region.key, variant)
            text = cell_to_text(cell)
            assert is_cell(text)
            assert cell_from_text(text) == cell
            assert all(coat.kind in text for coat in cell.coats)


def test_a_cell_is_pasted_from_text_into_another_kit(demo_kit) -> None:  # type: ignore[no-untyped-def]
    history = History(demo_kit)
    one, two = plain(demo_kit)[:2]
    history.do(commands.set_cell_value(one, "strength", 0.41))
    text = cell_to_text(read_cell(history.kit, one, ""))
    other = History(demo_kit)
    other.do(commands.fill_cells(cell_from_text(text), [(two, "")]))
    assert read_cell(other.kit, two, "").settings[0]["strength"] == 0.41
    assert [coat.kind for coat in coats_of(other.kit, two)] == [coat.kind for coat in coats_of(history.kit, one)]
    check_kit(other.kit)


@pytest.mark.parametrize("seed", range(150))
def test_changed_texts_are_refused_or_harmless(demo_kit, seed: int) -> None:  # type: ignore[no-untyped-def]
    """Values of other types, of no range, names that are not there, parts cut out: a sentence, or a kit that holds."""
    rng = random.Random(seed)
    region = rng.choice(plain(demo_kit))
    told = json.loads(cell_to_text(read_cell(demo_kit, region, "")))
    places: list[tuple[object, object]] = []

    def walk(part: object) -> None:
        items = part.items() if isinstance(part, dict) else enumerate(part) if isinstance(part, list) else ()
        for name, value in items:
            places.append((part, name))
            walk(value)

    walk(told)
    part, name = rng.choice(places)
    wrong = rng.choice([None, -1, 1e308, "x", [], {}, True, "../..", [1, 2], 2**70])
    if rng.random() < 0.2 and isinstance(part, dict):
        part["new"] = part.pop(name)
    else:
        part[name] = wrong  # type: ignore[index]
    text = json.dumps(told)
    if rng.random() < 0.1:
        text = text[: rng.randrange(len(text))]
    history, refused = History(demo_kit), ""
    try:
        history.do(commands.fill_cells(cell_from_text(text), [(region, "")]))
    except UserError as error:
        refused = str(error)
    assert (10 < len(refused) < 400 and history.kit == demo_kit) if refused else check_kit(history.kit) is None


def test_other_texts_are_no_cells() -> None:
    for text in ("", "#8a4b38", "{}", '{"even_palette": 1}', "x" * 100):
        assert not is_cell(text)
    with pytest.raises(UserError, match="newer version"):
        cell_from_text('{"even_palette_cell": 2, "cell": {"coats": [], "choices": [], "settings": []}}')
    with pytest.raises(UserError, match="not there"):
        cell_from_text('{"even_palette_cell": 1, "cell": {"coats": [], "choices": [{}], "settings": []}}')
    with pytest.raises(UserError, match="no cell"):
        cell_from_text('{"even_palette_cell": 1, "cell": ' + "[" * 100_000)
