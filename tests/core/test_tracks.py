"""Values over time: easing against its published curves, loops, rates, colours; variants that move, and what inherits."""

from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace

from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.store import decode_kit, encode_kit
from even_palette.core.kit.validate import check_kit
from even_palette.core.material.model import Blending, Easing, Parameter, Repeat, Track, TrackKey, ValueKind
from even_palette.core.material.tracks import CURVES, eased, value_at, with_key
from even_palette.core.material.variants import resolve, resolve_all, tracks_of
from even_palette.core.results.at_time import at_time
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.sheets import Sheets

NUMBER = Parameter("hue", "hue", ValueKind.NUMBER, 0.0, -180.0, 180.0)
COLOUR = Parameter("paint", "paint", ValueKind.COLOUR, (1.0, 1.0, 1.0))
ROW = Parameter("row", "row", ValueKind.ROW, 0.0, 0.0, 5.0)


def track(
    *keys: tuple[float, object], repeat: Repeat = Repeat.ONCE, rate: float = 0.0, easing: Easing = Easing.LINEAR
) -> Track:
    return Track(tuple(TrackKey(time, value, easing) for time, value in keys), repeat, rate)  # type: ignore[arg-type]


@pytest.mark.parametrize("easing", CURVES)
def test_easing_is_the_published_curve(easing: Easing) -> None:
    """CSS Easing Functions Level 1, 2.2: cubic Bezier curves from (0, 0) to (1, 1), drawn point by point."""
    named = {
        "ease": (0.25, 0.1, 0.25, 1),
        "ease-in": (0.42, 0, 1, 1),
        "ease-out": (0, 0, 0.58, 1),
        "ease-in-out": (0.42, 0, 0.58, 1),
    }
    x1, y1, x2, y2 = named[easing.value]
    t = np.linspace(0, 1, 20_001)
    x, y = (3 * (1 - t) ** 2 * t * one + 3 * (1 - t) * t**2 * two + t**3 for one, two in ((x1, x2), (y1, y2)))
    for share in np.linspace(0, 1, 101):
        assert eased(easing, float(share)) == pytest.approx(np.interp(share, x, y), abs=1e-6)


def test_ends_of_easing() -> None:
    for easing in Easing:
        assert eased(easing, 0.0) == 0
        assert eased(easing, 1.0) == 1
        assert eased(easing, -3.0) == 0
        assert eased(easing, 7.0) == 1
    assert eased(Easing.HOLD, 0.999) == 0


def test_once_again_and_to_and_fro() -> None:
    """Before the first and after the last key it stays; a loop is the same a whole turn later; to and fro has no step."""
    keys = ((1.0, 10.0), (3.0, 30.0), (5.0, -50.0))
    once, loop, fro = (track(*keys, repeat=repeat) for repeat in Repeat)
    assert [value_at(once, NUMBER, time) for time in (0.0, 1.0, 2.0, 3.0, 4.0, 5.0, 99.0)] == [
        10,
        10,
        20,
        30,
        -10,
        -50,
        -50,
    ]
    for time in np.linspace(1, 4.99, 37):
        for turn in (4.0, 40.0):
            assert value_at(loop, NUMBER, time + turn) == pytest.approx(value_at(loop, NUMBER, time))
            assert value_at(fro, NUMBER, time + 2 * turn) == pytest.approx(value_at(fro, NUMBER, time))
        assert value_at(fro, NUMBER, 5 + (5 - time)) == pytest.approx(value_at(fro, NUMBER, time))
    found = [float(value_at(fro, NUMBER, float(time))) for time in np.linspace(0, 30, 3001)]  # type: ignore[arg-type]
    assert np.abs(np.diff(found)).max() < 0.5
    closed = track((0.0, 5.0), (1.0, 9.0), (2.0, 5.0), repeat=Repeat.LOOP)
    assert value_at(closed, NUMBER, 1.9999) == pytest.approx(value_at(closed, NUMBER, 2.0001), abs=0.01)


def test_rates_stay_in_range() -> None:
    turning = track((0.0, 170.0), repeat=Repeat.LOOP, rate=20.0)
    assert [value_at(turning, NUMBER, time) for time in (0.0, 0.5, 1.0, 18.0)] == [170, -180, -170, 170]
    stopped = track((0.0, 170.0), rate=20.0)
    assert [value_at(stopped, NUMBER, time) for time in (0.0, 1.0, 9.0)] == [170, 180, 180]
    swinging = track((0.0, 0.0), repeat=Repeat.TO_AND_FRO, rate=90.0)
    assert [value_at(swinging, NUMBER, time) for time in (0.0, 1.0, 2.0, 3.0, 4.0)] == [0, 90, 180, 90, 0]


def test_colours_in_linear_light_and_whole_rows() -> None:
    fade = track((0.0, (1.0, 0.0, 0.2)), (2.0, (0.0, 0.5, 0.2)))
    half = value_at(fade, COLOUR, 1.0)
    wanted = (srgb_to_linear(np.float32([1.0, 0.0, 0.2])) + srgb_to_linear(np.float32([0.0, 0.5, 0.2]))) / 2
    assert srgb_to_linear(np.float32(half)) == pytest.approx(wanted, abs=1e-5)
    rows = track((0.0, 0.0), (1.0, 3.0), (2.0, 1.0))
    assert [value_at(rows, ROW, time) for time in (0.0, 0.99, 1.0, 1.5, 2.0)] == [0, 0, 3, 3, 1]
    switched = with_key(with_key(None, TrackKey(2.0, 1.0)), TrackKey(1.0, 0.0))
    assert [key.time for key in switched.keys] == [1.0, 2.0]
    assert with_key(switched, TrackKey(2.0, 5.0)).keys[1].value == 5.0


@pytest.fixture
def moving(history: History) -> tuple[History, str]:
    """Day moves the colour of region 1; dusk inherits from it."""
    key = next(p.key for p in history.kit.parameters if p.name == "region_1_colour")
    history.do(commands.set_track(key, "day", track((0.0, (0.0, 0.0, 0.0)), (2.0, (1.0, 1.0, 1.0)))))
    return history, key


def test_variants_move_and_children_follow(moving: tuple[History, str], sheets: Sheets) -> None:
    """One resolver: the nearest in the line that says anything; the same whatever was asked for before; pictures too."""
    history, key = moving
    kit = history.kit
    assert resolve(kit.parameters, kit.variants, "dusk", 2.0)[key] == pytest.approx((1, 1, 1), abs=1e-6)
    assert resolve(kit.parameters, kit.variants, "day", 0.0)[key] == pytest.approx((0, 0, 0), abs=1e-6)
    assert resolve(kit.parameters, kit.variants, "", 2.0)[key] == kit.parameter(key).default
    assert set(tracks_of(kit.variants, "dusk")) == {key}
    assert resolve_all(kit.parameters, kit.variants)["dusk"][key] == resolve(kit.parameters, kit.variants, "dusk")[key]
    times = [0.3, 1.7, 0.3, 0.0, 1.1, 0.3]
    found = [resolve(kit.parameters, kit.variants, "day", time)[key] for time in times]
    assert found[0] == found[2] == found[5]
    history.do(commands.set_parameter(key, (0.5, 0.2, 0.1), "dusk"))
    assert resolve(history.kit.parameters, history.kit.variants, "dusk", 1.0)[key] == (0.5, 0.2, 0.1)
    at, look = kit.at(), Look(variant="day")
    shown = picture(at, sheets, look)
    early, late = (at_time(at, look, shown, time, 0.25).inputs[key] for time in (0.5, 2.0))
    assert late == pytest.approx((1, 1, 1), abs=1e-6)
    assert early == pytest.approx((0.25,) * 3, abs=1e-5)
    assert at_time(at, look, shown, 0.5, 0.25).seed == 0.25


def test_tracks_are_kept_and_checked(moving: tuple[History, str], tmp_path: Path) -> None:
    history, key = moving
    again = decode_kit(encode_kit(history.kit, tmp_path), tmp_path)
    assert again.variant("day").tracks == history.kit.variant("day").tracks
    history.do(commands.remove_variant("day"))
    assert key in history.kit.variant("dusk").tracks
    check_kit(history.kit)
    history.undo()
    with pytest.raises(UserError):
        history.do(commands.set_track(key, "day", track((0.0, 3.0))))
    with pytest.raises(UserError):
        history.do(commands.set_track("none", "day", track((0.0, 3.0))))
    mixed = track((2.0, (0.1, 0.1, 0.1)), (1.0, (0.2, 0.2, 0.2)))
    history.do(commands.set_track(key, "day", mixed))
    assert [each.time for each in history.kit.variant("day").tracks[key].keys] == [1.0, 2.0]
    for wrong in (
        mixed,
        track((1.0, (0.1, 0.1, 0.1)), (1.0, (0.2, 0.2, 0.2))),
        replace(mixed, keys=(TrackKey(-1.0, (0.0, 0.0, 0.0)),)),
    ):
        day = replace(history.kit.variant("day"), tracks={key: wrong})
        others = tuple(day if v.key == "day" else v for v in history.kit.variants)
        with pytest.raises(UserError):
            check_kit(replace(history.kit, variants=others))
    history.do(commands.set_track(key, "day", None))
    assert history.kit.variant("day").tracks == {}


def test_what_a_twin_has_of_its_own_hides_tracks_and_keeps_them(moving: tuple[History, str]) -> None:
    """A twin that sets the colour itself stands still, whatever the sheet does; what is done to the twin loses no track."""
    history, key = moving
    history.do(commands.add_twin("sheet_1", "Spare"))
    history.do(commands.in_twin(commands.set_parameter(key, (0.3, 0.3, 0.3), "day"), "spare"))
    worn = history.kit.as_twin("spare")
    assert resolve(worn.parameters, worn.variants, "day", 2.0)[key] == (0.3, 0.3, 0.3)
    kept = history.kit.variant("day").tracks
    assert key in kept
    history.do(commands.in_twin(commands.set_blending(Blending.ENCODED), "spare"))
    assert history.kit.variant("day").tracks == kept
    other = next(p.key for p in history.kit.parameters if p.key != key and p.kind == "colour")
    history.do(commands.in_twin(commands.set_track(other, "day", track((0.0, (0.1, 0.2, 0.3)))), "spare"))
    assert history.kit.variant("day").tracks.keys() == {key, other}


def test_a_fade_goes_from_one_variant_to_the_other(moving: tuple[History, str]) -> None:
    """Its ends are both variants, its middle the mean in linear light, and to and fro it comes back the same way."""
    history, key = moving
    history.do(commands.add_variant("Plain"))
    history.do(commands.set_parameter(key, (0.2, 0.9, 0.4), "plain"))
    history.do(commands.add_fade("Day to plain", "day", "plain", 3.0))
    kit = history.kit
    parameters, variants = kit.parameters, kit.variants
    for time, name in ((0.0, "day"), (3.0, "plain"), (6.0, "day"), (9.0, "plain")):
        end, wanted = resolve(parameters, variants, "day_to_plain", time), resolve(parameters, variants, name)
        assert all(end[each] == pytest.approx(wanted[each], abs=1e-6) for each in wanted), (time, name)
    halfway = srgb_to_linear(np.float32(resolve(parameters, variants, "day_to_plain", 1.5)[key]))
    assert halfway == pytest.approx(srgb_to_linear(np.float32([0.2, 0.9, 0.4])) / 2, abs=1e-5)
    one, other = (resolve(parameters, variants, "day_to_plain", time)[key] for time in (2.0, 4.0))
    assert one == pytest.approx(other, abs=1e-6)
    with pytest.raises(UserError, match="alike"):
        history.do(commands.add_fade("Nothing", "plain", "plain"))
