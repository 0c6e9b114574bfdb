"""What a game may set a colour to: held by swatches, lightness and hue; shipped; kept as a variant from an instance."""

from pathlib import Path

import colour
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.instances import instances_of
from even_palette.core.kit.mesh_file import MeshFile
from even_palette.core.kit.scene import Placing
from even_palette.core.kit.validate import check_kit
from even_palette.core.material.allowed import held
from even_palette.core.material.model import Allowed
from even_palette.core.material.variants import resolve
from even_palette.core.results.sheets import Sheets
from even_palette.core.ship.write import ship
from even_palette.player.load import load

COLOURS = st.tuples(*(st.floats(0, 1, width=32),) * 3)


def oklch(encoded: tuple[float, float, float]) -> tuple[float, float, float]:
    """Lightness, chroma and hue in degrees, by colour-science."""
    xyz = colour.RGB_to_XYZ(np.array(encoded), "sRGB", apply_cctf_decoding=True)
    lab = colour.XYZ_to_Oklab(xyz)
    return float(lab[0]), float(np.hypot(lab[1], lab[2])), float(np.degrees(np.arctan2(lab[2], lab[1])) % 360)


@given(COLOURS, st.floats(0, 0.5), st.floats(0.5, 1), st.floats(0, 360), st.floats(1, 359))
def test_colours_are_held(picked, darkest: float, lightest: float, start: float, wide: float) -> None:  # type: ignore[no-untyped-def]
    """Lightness and hue by colour-science lie in what is allowed, where the gamut has such a colour; what is in it stays."""
    allowed = Allowed(darkest=darkest, lightest=lightest, hue_from=start, hue_to=(start + wide) % 360)
    found = held(allowed, picked)
    assert min(found) >= 0
    assert max(found) <= 1
    lightness, chroma, hue = oklch(found)
    clipped = min(found) < 1e-4 or max(found) > 1 - 1e-4
    if not clipped:
        assert darkest - 2e-3 <= lightness <= lightest + 2e-3
        if chroma > 0.02:
            assert (hue - start + 1) % 360 <= wide + 2
        assert held(allowed, found) == pytest.approx(found, abs=3e-3)
    before = oklch(picked)
    if darkest < before[0] < lightest and 0 < (before[2] - start) % 360 < wide and before[1] > 0.01:
        assert found == pytest.approx(picked, abs=2e-3)


@given(COLOURS, st.lists(COLOURS, min_size=1, max_size=6))
def test_swatches_are_all_there_is(picked, swatches) -> None:  # type: ignore[no-untyped-def]
    found = held(Allowed(tuple(swatches)), picked)
    assert found in swatches
    distances = [np.linalg.norm(np.subtract(_oklab(each), _oklab(picked))) for each in swatches]
    assert np.linalg.norm(np.subtract(_oklab(found), _oklab(picked))) <= min(distances) + 1e-4


def _oklab(encoded: tuple[float, float, float]) -> np.ndarray:
    return np.asarray(colour.XYZ_to_Oklab(colour.RGB_to_XYZ(np.array(encoded), "sRGB", apply_cctf_decoding=True)))


def test_free_is_free() -> None:
    assert Allowed().is_free
    assert not Allowed(hue_to=90.0).is_free
    assert Allowed(hue_from=20.0, hue_to=20.0).is_free
    assert held(Allowed(), (0.1, 0.2, 0.3)) == (0.1, 0.2, 0.3)


def test_what_is_allowed_is_shipped(history: History, sheets: Sheets, tmp_path: Path) -> None:
    key = next(p.key for p in history.kit.parameters if p.name == "region_1_colour")
    history.do(commands.allow(key, Allowed(((1.0, 0.0, 0.0), (0.5, 0.5, 0.5)))))
    ship(history.kit, sheets, tmp_path / "package")
    told = next(p for p in load(tmp_path / "package").package.parameters if p.name == "region_1_colour")
    assert told.swatches[0] == (1.0, 0.0, 0.0)
    assert told.swatches[1] == pytest.approx((0.21404,) * 3, abs=1e-4)  # IEC 61966-2-1
    history.do(commands.allow(key, Allowed(darkest=0.2, lightest=0.7, hue_from=350.0, hue_to=40.0)))
    ship(history.kit, sheets, tmp_path / "package")
    told = next(p for p in load(tmp_path / "package").package.parameters if p.name == "region_1_colour")
    assert (told.swatches, told.lightness, told.hues) == ((), (0.2, 0.7), (350.0, 40.0))
    history.do(commands.expose("region_1", "strength"))
    number = history.kit.parameters[-1].key
    with pytest.raises(UserError, match="is no colour"):
        history.do(commands.allow(number, Allowed()))
    with pytest.raises(UserError, match="darkest"):
        history.do(commands.allow(key, Allowed(darkest=0.9, lightest=0.1)))


def test_a_parameter_is_set_on_many(history: History) -> None:
    """What else each has of its own stays; a drag is one step, and setting another parameter is another one."""
    key = next(p.key for p in history.kit.parameters if p.name == "region_1_colour")
    history.do(commands.expose("region_1", "strength"))
    other = history.kit.parameters[-1].key
    history.do(commands.add_mesh(MeshFile("boat", "/boat.glb", history.kit.sheets[0].key)))
    history.do(commands.add_scene("Street"))
    history.do(commands.add_placing("street", Placing("", "Row", "row", "boat", 3)))
    history.do(commands.set_instances("street", [("row", 1)], {"values": {other: 0.5}}))
    before, both = len(history.undo_labels), [("row", 0), ("row", 1)]
    for level in (0.2, 0.4, 0.6):
        history.do(commands.set_in_instances("street", both, key, (level, 0.0, 0.0)))
    assert len(history.undo_labels) == before + 1
    stood = [dict(each.values) for each in instances_of(history.kit.scene("street"))]
    assert stood == [{key: (0.6, 0.0, 0.0)}, {other: 0.5, key: (0.6, 0.0, 0.0)}, {}]
    history.do(commands.set_in_instances("street", both, other, 0.1))
    assert len(history.undo_labels) == before + 2
    with pytest.raises(UserError, match="there is no"):
        history.do(commands.set_in_instances("street", both, "none", 1.0))


def test_an_instance_becomes_a_variant(history: History) -> None:
    """What was tried on it, on top of the variant that it is in; all that were picked are in it, and look the same."""
    key = next(p.key for p in history.kit.parameters if p.name == "region_1_colour")
    history.do(commands.add_mesh(MeshFile("boat", "/boat.glb", history.kit.sheets[0].key)))
    history.do(commands.add_scene("Street"))
    history.do(commands.add_placing("street", Placing("", "Row", "row", "boat", 3, shares={"day": 1.0})))
    history.do(commands.set_instances("street", [("row", 1), ("row", 2)], {"values": {key: (0.9, 0.8, 0.1)}}))
    history.do(commands.keep_as_variant("street", [("row", 1), ("row", 2)], "Festival"))
    check_kit(history.kit)
    made = history.kit.variants[-1]
    assert (made.name, made.parent, made.values) == ("Festival", "day", {key: (0.9, 0.8, 0.1)})
    stood = instances_of(history.kit.scene("street"))
    assert [(each.variant, dict(each.values)) for each in stood] == [("day", {}), (made.key, {}), (made.key, {})]
    assert resolve(history.kit.parameters, history.kit.variants, made.key)[key] == (0.9, 0.8, 0.1)
    with pytest.raises(UserError, match="Pick an instance"):
        history.do(commands.keep_as_variant("street", [("row", 77)], "None"))
