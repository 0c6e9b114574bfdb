"""Findings of stage 7, each with its mend: flags, sums of weights, numbers of entries."""

from pathlib import Path

import numpy as np
import pytest

from even_palette.core.checks import (
    Finding,
    find,
    proof_coverage,
    proof_flags,
    proof_indices,
    proof_ranges,
    proof_variants,
    proof_weights,
)
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.store import read_kit
from even_palette.core.material.model import ValueKind
from even_palette.core.material.outputs import COLOUR
from even_palette.core.material.variants import MASTER
from even_palette.core.proof.conditions import Conditions, MapConditions, Mips, ReadAs
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import Filter
from even_palette.core.results.proof import shipped
from even_palette.core.results.proof_errors import errors_of_results
from even_palette.core.results.sheets import Sheets
from even_palette.demo import KIT_FOLDER
from tests.conftest import GREEN, RED, kit_of, write_maps

CHECKS = tuple(
    each.check for each in (proof_flags, proof_weights, proof_indices, proof_coverage, proof_ranges, proof_variants)
)


def of_proof(history: History, sheets: Sheets, sheet: str) -> list[Finding]:
    """What the checks of stage 7 find on a sheet."""
    return [found for check in CHECKS for found in check(history.kit.at(sheet), sheets, None)]


@pytest.fixture(scope="module")
def store() -> Sheets:
    return Sheets()


def test_nothing_done_finds_nothing(history: History, sheets: Sheets) -> None:
    assert of_proof(history, sheets, "sheet_1") == []
    history.do(commands.set_conditions("sheet_1", Conditions("wrong_flag")))
    assert any(each.stage == "Proof" for each in find(history.kit, sheets))  # they are among all checks


def test_a_wrong_flag_is_found_and_mended(history: History, sheets: Sheets) -> None:
    """Each map that is decoded otherwise than it is meant; 0.5 counts as 0.21 (IEC 61966-2-1)."""
    maps = {"base_colour": MapConditions(read_as=ReadAs.DATA)}
    history.do(commands.set_conditions("sheet_1", Conditions("wrong_flag", maps)))
    found = of_proof(history, sheets, "sheet_1")
    assert len(found) >= 2
    assert all("0.21" in each.text for each in found)
    assert any("without decoding" in each.text for each in found)
    while found := [each for each in of_proof(history, sheets, "sheet_1") if each.mend]:
        assert history.do(found[0].mend.command)  # type: ignore[union-attr]
    assert of_proof(history, sheets, "sheet_1") == []


def test_weights_that_do_not_add_up(store: Sheets) -> None:
    """The tug's in BC3: off by much at its edges; a better format mends it, and is looked at where it was worst."""
    history = History(read_kit(KIT_FOLDER))
    history.do(commands.set_conditions("sheet_1", Conditions("half")))
    (found,) = [each for each in of_proof(history, store, "sheet_1") if "add up" in each.text]
    assert found.place is not None
    assert found.mend is not None
    assert "BC7" in found.mend.label
    assert found.other is not None  # the tug's base has no part where regions are
    divided = History(history.kit)
    divided.do(found.other.command)
    assert [each for each in of_proof(divided, store, "sheet_1") if "add up" in each.text] == []
    worst = float(found.text.split("up to ")[1].split(",")[0])
    assert worst > 0.06
    history.do(found.mend.command)
    told = history.kit.sheet("sheet_1").conditions.maps
    assert {told[name].format for name in told} == {"BC7"}
    again = [each for each in of_proof(history, store, "sheet_1") if "add up" in each.text]
    assert not again or float(again[0].text.split("up to ")[1].split(",")[0]) < worst


def test_entries_that_are_in_neither_neighbour(store: Sheets) -> None:
    history = History(read_kit(KIT_FOLDER))
    name = next(n for n, f in shipped(history.kit.at("sheet_1"), store).facts.items() if f.use.value == "index")
    for own, told in (
        (MapConditions(filter=Filter.LINEAR), "in neither neighbour"),
        (MapConditions("BC4"), "other numbers"),
    ):
        history.do(commands.set_conditions("sheet_1", Conditions("nothing", {name: own})))
        (found,) = of_proof(history, store, "sheet_1")
        assert told in found.text
        assert found.mend is not None
        history.do(found.mend.command)
        assert of_proof(history, store, "sheet_1") == []


def test_leaves_that_thin_out(store: Sheets) -> None:
    """Levels of encoded means keep no coverage (Castaño 2010); those that keep it are found nothing of, also in blocks."""
    history = History(read_kit(KIT_FOLDER))
    sheet = history.kit.sheet("reed_clump")
    given = sheet.given(Role.OPACITY)
    assert given is not None
    assert given.source.keep_coverage
    history.do(commands.set_conditions("reed_clump", Conditions("byte")))
    assert [each for each in of_proof(history, store, "reed_clump") if "is seen" in each.text] == []
    history.do(
        commands.set_conditions("reed_clump", Conditions("nothing", {"base_colour": MapConditions(mips=Mips.NONE)}))
    )
    assert [
        each for each in of_proof(history, store, "reed_clump") if "is seen" in each.text
    ] == []  # no level is looked up
    lost = Conditions("nothing", {"base_colour": MapConditions(mips=Mips.ENCODED)})
    history.do(commands.set_conditions("reed_clump", lost))
    (found,) = [each for each in of_proof(history, store, "reed_clump") if "is seen" in each.text]
    assert found.mend is not None
    history.do(found.mend.command)
    assert [each for each in of_proof(history, store, "reed_clump") if "is seen" in each.text] == []


def test_a_range_that_brings_out_what_blocks_lose(store: Sheets) -> None:
    """The end of a range is told with the error that the table of errors gives it; better maps or a smaller range mend it."""
    history = History(read_kit(KIT_FOLDER))
    history.do(commands.set_conditions("reed_clump", Conditions("mobile")))
    told = of_heads(history, store)
    assert len(told) == 1
    end, off, usual = (
        float(told[0].split(before)[1].split(" ")[0].rstrip("."))
        for before in ("heads_brightness at ", "off by ", "that is ")
    )
    assert off >= 2 * usual
    for value, error in ((end, off), (0.0, usual)):
        history.do(commands.set_parameter("heads_brightness", value))
        rows = errors_of_results(history.kit.at("reed_clump"), store, [MASTER], distances=[1])
        (row,) = [each for each in rows if each.output == COLOUR]
        assert row.spread.most <= error <= row.spread.nearly_all  # 95, 99 and 99.9 of a hundred
    smaller = commands.set_parameter_kind("heads_brightness", ValueKind.NUMBER, -0.02, 0.02)
    (found,) = [each for each in of_proof(history, store, "reed_clump") if "heads_brightness at" in each.text]
    assert found.mend is not None
    for mend in (commands.set_conditions("reed_clump", Conditions("byte")), smaller, found.mend.command):
        mended = History(history.kit)
        mended.do(mend)
        assert of_heads(mended, store) == []


def of_heads(history: History, store: Sheets) -> list[str]:
    """What is told of the range of one number of the reeds."""
    return [each.text for each in of_proof(history, store, "reed_clump") if "heads_brightness at" in each.text]


def test_variants_that_are_the_same_from_afar(tmp_path: Path, sheets: Sheets) -> None:
    """A chequer of single texels the other way round: the mean of both is the same. Larger squares are told from afar."""
    for side, expected in ((1, ["One and Two differ on 100% of the sheet near by"]), (32, [])):
        history = chequer(tmp_path / str(side), side)
        assert of_variants(history, sheets) == []  # nothing is asked for
        history.do(commands.set_conditions("sheet_1", Conditions("nothing", {"base_colour": MapConditions("BC7")})))
        found = of_variants(history, sheets)
        assert [text[: len(start)] for text, start in zip(found, expected, strict=True)] == expected
        history.do(commands.set_cell_value("region_1", "colour", (0.1, 0.2, 0.7), "two"))
        history.do(commands.set_cell_value("region_2", "colour", (0.1, 0.7, 0.2), "two"))
        assert of_variants(history, sheets) == []  # now the mean differs, too


@pytest.mark.parametrize(
    ("side", "own", "mend"),
    [(16, MapConditions(bias=2.0), "Store Weights 1 as it is meant"), (3, MapConditions("BC7"), "levels larger"),
     (1, MapConditions("BC7"), "")],
)  # fmt: skip
def test_what_sets_variants_apart_from_afar(
    side: int, own: MapConditions, mend: str, tmp_path: Path, sheets: Sheets
) -> None:
    """Squares as large as the pixels that a bias blurs, as they are meant; squares of three texels, which a larger level
    still shows; those of single texels no level shows.
    """
    history = chequer(tmp_path, side)
    history.do(commands.set_conditions("sheet_1", Conditions("nothing", {"weights_0": own})))
    (found,) = proof_variants.check(history.kit.at("sheet_1"), sheets, None)
    assert (found.mend is not None) == bool(mend)
    if found.mend is not None:
        assert mend in found.mend.label
        history.do(found.mend.command)
        assert of_variants(history, sheets) == []


def of_variants(history: History, sheets: Sheets) -> list[str]:
    return [each.text for each in proof_variants.check(history.kit.at("sheet_1"), sheets, None)]


def chequer(folder: Path, side: int) -> History:
    """Two regions in squares of so many texels, red and green in one variant, green and red in the other."""
    paths = write_maps(folder)
    row, column = np.mgrid[:64, :64] // side
    ids = np.where(((row + column) % 2 == 0)[..., None], RED, GREEN).astype(np.uint8)
    write_plane(paths[Role.ID], Plane(ids, Encoding.DATA))
    write_plane(paths[Role.BASE_COLOUR], Plane(np.full((64, 64, 3), 128, np.uint8), Encoding.SRGB))
    history = kit_of(paths, coats=False)
    one, other = (0.7, 0.2, 0.1), (0.1, 0.5, 0.2)
    for region in ("region_1", "region_2"):
        history.do(commands.set_choice(region, "mode", "channel"))
    for name, colours in (("One", (one, other)), ("Two", (other, one))):
        history.do(commands.add_variant(name))
        for region, colour in zip(("region_1", "region_2"), colours, strict=True):
            history.do(commands.set_cell_value(region, "colour", colour, name.lower()))
    return history
