"""Telling colours apart: matrices of deficiencies, closest pairs, colours that are spread; variants that are alike."""

import colour
import numpy as np
import pytest
from colour.blindness import matrix_cvd_Machado2009
from hypothesis import given, settings
from hypothesis import strategies as st

from even_palette.core.checks import find
from even_palette.core.colour.deficiency import VISIONS, matrix_of, seen_with
from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.mesh_file import MeshFile
from even_palette.core.kit.scene import Placing
from even_palette.core.lineup.apart import closest_pairs, differences, least_difference, spread_apart
from even_palette.core.material.model import Track, TrackKey
from even_palette.core.results.colour_spread import (
    MOST_INSTANCES_COMPARED,
    Shown,
    counted,
    instances_shown,
    mean_colours,
    told_apart,
    variants_shown,
)
from even_palette.core.results.sheets import Sheets

NAMES = {"protan": "Protanomaly", "deutan": "Deuteranomaly", "tritan": "Tritanomaly"}


@pytest.mark.parametrize("vision", NAMES)
@pytest.mark.parametrize("severity", [0.0, 0.1, 0.3, 0.8, 1.0])
def test_matrices_are_those_that_were_published(vision: str, severity: float) -> None:
    """Against colour-science, which keeps the tables of Machado, Oliveira and Fernandes 2009."""
    assert np.abs(matrix_of(vision, severity) - matrix_cvd_Machado2009(NAMES[vision], severity)).max() < 1e-5
    half = matrix_of(vision, 0.75) * 2 - matrix_of(vision, 0.7) - matrix_of(vision, 0.8)
    assert np.abs(half).max() < 1e-6
    greys = np.float32([[0, 0, 0], [0.2, 0.2, 0.2], [1, 1, 1]])
    assert np.abs(seen_with(greys, vision, severity) - greys).max() < 2e-3  # a grey stays one, within their rounding
    assert np.array_equal(seen_with(greys, "normal", severity), greys)


def test_pairs_are_those_of_brute_force() -> None:
    """All pairs under four visions, one by one by colour-science."""
    linear = np.random.default_rng(5).random((9, 3)).astype(np.float32)
    pairs = closest_pairs(differences(linear, 0.6))
    assert len(pairs) == 36
    wanted = []
    for one in range(9):
        for other in range(one + 1, 9):
            each = []
            for vision in VISIONS:
                both = seen_with(linear[[one, other]], vision, 0.6).astype(np.float64)
                lab = [colour.XYZ_to_Lab(colour.RGB_to_XYZ(c, "sRGB", apply_cctf_decoding=False)) for c in both]
                each.append(float(colour.delta_E(*lab, method="CIE 2000")))
            wanted.append((min(each), one, other))
    wanted.sort()
    assert [(pair.one, pair.other) for pair in pairs] == [(one, other) for _, one, other in wanted]
    assert [pair.least for pair in pairs] == pytest.approx([least for least, _, _ in wanted], abs=0.06)


@pytest.mark.parametrize("seed", [1, 2, 3, 4])
def test_eight_colours_are_spread(seed: int) -> None:
    """Where the whole gamut is free the least difference under all four visions doubles at least."""
    colours = np.random.default_rng(seed).random((8, 3)).astype(np.float32)
    before = least_difference(colours)
    after = spread_apart(colours, 1.0)
    assert least_difference(after) >= 2 * before
    assert after.min() >= 0
    assert after.max() <= 1


@settings(max_examples=5)
@given(st.integers(0, 99), st.floats(0, 0.4), st.floats(0, 1), st.integers(1, 5))
def test_no_range_is_left_and_nothing_gets_worse(seed: int, reach: float, severity: float, count: int) -> None:
    colours = np.random.default_rng(seed).random((count, 3)).astype(np.float32)
    after = spread_apart(colours, reach, severity, seed)
    assert np.abs(after - colours).max() <= reach + 1e-6
    assert least_difference(after, severity) >= least_difference(colours, severity) - 1e-3
    assert np.array_equal(after, spread_apart(colours, reach, severity, seed))


def test_mean_colours_of_regions(history: History, sheets: Sheets) -> None:
    """Repainted, a region has that colour in every texel; by chance, instances differ and the master does not."""
    history.do(commands.set_coat_kind("region_1", "repaint"))
    history.do(commands.set_cell_value("region_1", "colour", (0.5, 0.25, 0.75)))
    history.do(commands.set_cell_value("region_1", "colour", (0.1, 0.9, 0.2), "day"))
    at = history.kit.at()
    found = mean_colours(at, sheets, variants_shown(at), ["region_1", "region_2"])
    assert found.shape == (3, 2, 3)
    assert found[0, 0] == pytest.approx(srgb_to_linear(np.float32([0.5, 0.25, 0.75])), abs=1e-6)
    assert found[1, 0] == pytest.approx(srgb_to_linear(np.float32([0.1, 0.9, 0.2])), abs=1e-6)
    parameter = next(p.key for p in history.kit.parameters if p.name == "region_1_colour")
    own = [Shown("one", "", {parameter: (1.0, 0.0, 0.0)}), Shown("two", "day", {}, 0.7)]
    assert mean_colours(at, sheets, own, ["region_1"])[0, 0] == pytest.approx([1, 0, 0], abs=1e-6)


def test_variants_that_are_alike_are_found(history: History, sheets: Sheets) -> None:
    """Where the kit asks for it: two that are the same, then none once a region sets them apart for all eyes."""
    assert not [finding for finding in find(history.kit, sheets) if finding.stage == "Lineup"]
    history.do(commands.add_variant("Late", "day"))
    history.do(commands.set_told_apart(8.0))
    told = [finding.text for finding in find(history.kit, sheets) if finding.stage == "Lineup"]
    assert any("Day and Late lie 0.0 ΔE apart" in text for text in told)
    history.do(commands.set_coat_kind("region_1", "repaint"))
    for variant, paint in (("day", (1.0, 1.0, 1.0)), ("dusk", (0.5, 0.5, 0.5)), ("late", (0.0, 0.0, 0.0))):
        history.do(commands.set_cell_value("region_1", "colour", paint, variant))
    assert not [finding for finding in find(history.kit, sheets) if finding.stage == "Lineup"]
    pairs = told_apart(mean_colours(history.kit.at(), sheets, variants_shown(history.kit.at()), ["region_1"]))
    assert len(pairs) == 6


def test_colours_are_counted_by_hue_and_lightness() -> None:
    """Ottosson's OKLab: pure red at 29 degrees, yellow at 110, green at 142, blue at 264; greys have no hue."""
    linear = np.float32([[1, 0, 0], [1, 1, 0], [0, 1, 0], [0, 0, 1], [0.2] * 3, [1] * 3, [0] * 3])
    found = counted(linear)
    assert [int(at) for at in np.flatnonzero(found.hues)] == [
        int(degrees / 15) for degrees in (29.2, 109.8, 142.5, 264.1)
    ]
    assert (found.hues.sum(), found.lightnesses.sum()) == (4, 7)
    assert found.hue_colours[int(29.2 / 15)] == pytest.approx([1, 0, 0])
    assert (found.lightnesses[0], found.lightnesses[-1]) == (1, 2)  # black; white, and yellow at 0.968
    assert counted(np.zeros((0, 3), np.float32)).hues.sum() == 0


def test_instances_are_compared_as_variants_are(history: History, sheets: Sheets) -> None:
    """Those of the sheet alone, each with its variant, its own values and its seed, at a time; of very many some."""
    without = history.kit.at()  # there is no file of a boat
    history.do(commands.add_mesh(MeshFile("boat", "/boat.glb", "sheet_1")))
    history.do(commands.add_sheet("Other"))
    history.do(commands.add_mesh(MeshFile("cart", "/cart.glb", "other")))
    history.do(commands.add_scene("Street"))
    history.do(commands.add_placing("street", Placing("", "Row", "row", "boat", 500, shares={"day": 0.5, "dusk": 0.5})))
    history.do(commands.add_placing("street", Placing("", "Carts", "row", "cart", 5)))
    colour = "region_1_colour"
    track = Track((TrackKey(0.0, (0.0, 0.0, 0.0)), TrackKey(2.0, (1.0, 1.0, 1.0))))
    history.do(commands.set_track_in_instances("street", [("row", 0)], colour, track))
    at = history.kit.at("sheet_1")
    shown = instances_shown(at, history.kit.scene("street"), 2.0)
    assert len(shown) == MOST_INSTANCES_COMPARED
    assert {each.name.split()[0] for each in shown} == {"Row"}
    assert shown[0].values == {colour: pytest.approx((1, 1, 1), abs=1e-6)}
    found = mean_colours(without, sheets, shown[:3], ["region_1"])
    wanted = mean_colours(without, sheets, [Shown("", shown[1].variant, {}, shown[1].seed)], ["region_1"])
    assert found[1] == pytest.approx(wanted[0], abs=1e-6)
    assert found[0, 0].min() > wanted[0, 0].max()
    assert len(instances_shown(history.kit.at("other"), history.kit.scene("street"))) == 5
