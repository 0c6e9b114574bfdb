"""Scenes: placings, who is in which variant, single instances, locks, lists from files; what goes when its mesh does."""

import contextlib
import json
import random
from dataclasses import replace as replace_dataclass
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from scipy.spatial import cKDTree

from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.instances import instances_of, placed_by, settings_at, spots_of, variants_of
from even_palette.core.kit.mesh_file import MeshFile
from even_palette.core.kit.scene import Own, Placing
from even_palette.core.kit.spots_file import read_spots
from even_palette.core.kit.store import decode_kit, encode_kit
from even_palette.core.kit.validate import check_kit
from even_palette.core.lineup.placings import PLACINGS
from even_palette.core.lineup.placings._declare import placed
from even_palette.core.lineup.placings.scatter import _apart
from even_palette.core.material.model import Track, TrackKey

MADE = [name for name, kind in PLACINGS.items() if kind.make]


@pytest.fixture
def street(history: History) -> History:
    """A scene with a row of seven and a scatter of forty in shares, of one mesh; the kit has day and night."""
    sheet = history.kit.sheets[0].key
    history.do(commands.add_mesh(MeshFile("boat", "/boat.glb", sheet)))
    history.do(commands.add_variant("Night"))
    history.do(commands.add_scene("Street"))
    history.do(commands.add_placing("street", Placing("", "Row", "row", "boat", 7)))
    shares = {"": 0.5, "day": 0.3, "night": 0.2}
    values = {"turn_range": 180.0, "smallest": 0.5, "largest": 2.0}
    history.do(
        commands.add_placing("street", Placing("", "Reeds", "scatter", "boat", 40, shares=shares, values=values))
    )
    return history


def scene(history: History):  # type: ignore[no-untyped-def]
    return history.kit.scene("street")


def test_places_of_every_kind() -> None:
    """By hand: rows and grids about the middle, rings at their radius, and a count of nothing is nothing."""
    row = placed(PLACINGS["row"], 3, {"apart": 2.0, "along": "z"}, 1)
    assert np.allclose(row, [(0, 0, -2, 0, 1), (0, 0, 0, 0, 1), (0, 0, 2, 0, 1)])
    grid = placed(PLACINGS["grid"], 5, {"columns": 3.0, "apart": 1.0, "behind": 4.0, "turn": 30.0}, 1)
    assert np.allclose(grid[:, 0], [-1, 0, 1, -1, 0])
    assert np.allclose(grid[:, 2], [2, 2, 2, -2, -2])
    assert (grid[:, 3] == 30).all()
    ring = placed(PLACINGS["ring"], 8, {"radius": 3.0, "face": "out"}, 1)
    assert np.allclose(np.hypot(ring[:, 0], ring[:, 2]), 3)
    assert np.allclose(np.radians(ring[:, 3]) % (2 * np.pi), np.arctan2(ring[:, 0], ring[:, 2]) % (2 * np.pi))
    for name in MADE:
        assert placed(PLACINGS[name], 0, {}, 1).shape == (0, 5)
        assert placed(PLACINGS[name], 1, {}, 1).shape == (1, 5)
    sizes = placed(PLACINGS["row"], 400, {"smallest": 0.5, "largest": 2.0, "turn_range": 90.0}, 3)
    assert 0.5 <= sizes[:, 4].min() < 0.52
    assert 1.98 < sizes[:, 4].max() <= 2
    assert 85 < np.abs(sizes[:, 3]).max() <= 90


@given(st.integers(0, 9999), st.floats(0.05, 3), st.sampled_from(["field", "disc"]), st.integers(1, 300))
def test_scattered_ones_keep_their_distance(seed: int, least: float, shape: str, count: int) -> None:
    """By cKDTree; on the ground; fewer of the same seed are the first of more."""
    settings = {"wide": 9.0, "deep": 6.0, "least": least, "shape": shape}
    spots = placed(PLACINGS["scatter"], count, settings, seed)
    assert 1 <= len(spots) <= count
    if len(spots) > 1:
        distances, _ = cKDTree(spots[:, [0, 2]]).query(spots[:, [0, 2]], k=2)
        assert distances[:, 1].min() >= least - 1e-9
    x, z = spots[:, 0] / 4.5, spots[:, 2] / 3
    assert (x * x + z * z if shape == "disc" else np.maximum(abs(x), abs(z))).max() <= 1 + 1e-6
    fewer = placed(PLACINGS["scatter"], max(1, count // 3), settings, seed)
    assert np.array_equal(fewer, spots[: len(fewer)])


def test_a_scene_has_room_for_so_many(street: History) -> None:
    for number in range(2):
        street.do(commands.add_placing("street", Placing("", f"Row {number}", "row", "boat", 20_000)))
    with pytest.raises(UserError, match="50,000 in a scene"):
        street.do(commands.add_placing("street", Placing("", "Row", "row", "boat", 20_000)))


def test_scattering_is_going_through_places_one_by_one() -> None:
    """Against the plain way: a place counts unless one before it that counts is closer."""
    places = np.random.default_rng(4).random((9000, 2)) * 12
    found = _apart(places, 0.4, 10_000)
    kept: list[np.ndarray] = []
    for place in places:
        if not kept or np.linalg.norm(np.array(kept) - place, axis=1).min() >= 0.4:
            kept.append(place)
    assert np.array_equal(found, kept)
    assert np.array_equal(_apart(places, 0.4, 50), kept[:50])


@given(st.lists(st.floats(0, 1), min_size=1, max_size=5), st.integers(0, 500), st.integers(0, 9999))
def test_shares_are_met_within_one(shares: list[float], count: int, draw: int) -> None:
    named = {f"v{number}" if number else "": share for number, share in enumerate(shares)}
    found = variants_of(Placing("p", "P", "row", "m", count, draw=draw, shares=named), count)
    assert len(found) == count
    total = sum(named.values())
    for variant, share in named.items():
        wanted = (share / total if total else variant == "") * count
        assert abs(found.count(variant) - wanted) < 1 + 1e-6
    assert found == variants_of(Placing("p", "P", "row", "m", count, draw=draw, shares=named), count)


def test_an_instance_hangs_on_its_placing_and_number_alone(street: History) -> None:
    """Other order, other places and what is added to the scene change no variant and no seed; seeds are all different."""
    before = {(i.placing, i.number): (i.variant, i.seed) for i in instances_of(scene(street))}
    assert len({seed for _, seed in before.values()}) == 47
    street.do(commands.move_placing("street", "reeds", -1))
    assert [placing.key for placing in scene(street).placings] == ["reeds", "row"]
    street.do(commands.place_anew("street", "reeds", 77))
    street.do(commands.add_placing("street", Placing("", "Row", "ring", "boat", 3)))
    street.do(commands.move_instances("street", [("reeds", 3), ("row", 2)], (1.0, 0.0, -2.0)))
    after = {(i.placing, i.number): (i.variant, i.seed) for i in instances_of(scene(street))}
    assert {pick: after[pick] for pick in before} == before
    assert scene(street).placings[-1].key == "row_2"


def test_locks_keep_what_pleases(street: History) -> None:
    """A locked instance keeps seed, variant and place, whatever is drawn anew; all others change; undo is exact."""
    first = street.kit
    street.do(commands.set_instances("street", [("reeds", 4), ("reeds", 9)], {"locked": True}))
    kept = {i.number: i for i in placed_by(scene(street).placing("reeds"))}
    street.do(commands.draw_anew("street", "reeds", 5))
    street.do(commands.place_anew("street", "reeds", 6))
    street.do(commands.draw_instances_anew("street", [("reeds", 4), ("reeds", 5)], 12))
    now = {i.number: i for i in placed_by(scene(street).placing("reeds"))}
    for number, instance in now.items():
        assert (instance == kept[number]) == (number in (4, 9))
        assert (instance.seed == kept[number].seed) == (number in (4, 9))
    check_kit(street.kit)
    while street.kit != first:
        assert street.undo()


def test_single_instances(street: History) -> None:
    """Moved, turned, in a variant with values of their own, taken away, put back, and copied as they are."""
    parameter = next(p for p in street.kit.parameters if p.kind == "colour")
    street.do(
        commands.set_instances(
            "street", [("row", 0)], {"variant": "night", "turn": 45.0, "values": {parameter.key: (1.0, 0.5, 0.25)}}
        )
    )
    one = placed_by(scene(street).placing("row"))[0]
    assert (one.variant, one.turn, one.values) == ("night", 45.0, {parameter.key: (1.0, 0.5, 0.25)})
    assert one.place == (-6.0, 0.0, 0.0)
    street.do(commands.duplicate_instances("street", [("row", 0), ("reeds", 7)], (0.0, 0.0, 3.0)))
    copies = placed_by(scene(street).placings[-1])
    assert [each.seed for each in copies] == [one.seed, placed_by(scene(street).placing("reeds"))[7].seed]
    assert (copies[0].variant, copies[0].values, copies[0].turn) == (one.variant, one.values, one.turn)
    assert copies[0].place == (-6.0, 0.0, 3.0)
    street.do(commands.remove_instances("street", [("row", 1), ("row", 2)]))
    assert [i.number for i in placed_by(scene(street).placing("row"))] == [0, 3, 4, 5, 6]
    street.do(commands.clear_instances("street", [("row", number) for number in range(7)]))
    assert scene(street).placing("row").own == {}
    with pytest.raises(UserError, match="no such field"):
        street.do(commands.set_instances("street", [("row", 1)], {"colour": 1}))
    with pytest.raises(UserError, match="colour"):
        street.do(commands.set_instances("street", [("row", 1)], {"values": {parameter.key: 3.0}}))


def test_scenes_are_saved_and_opened(street: History, tmp_path: Path) -> None:
    street.do(commands.set_instances("street", [("row", 3)], {"place": (1.0, 2.0, 3.0), "locked": True}))
    again = decode_kit(encode_kit(street.kit, tmp_path), tmp_path)
    assert again.scenes == street.kit.scenes
    assert instances_of(again.scene("street")) == instances_of(scene(street))


def test_what_scenes_refer_to_may_go(street: History) -> None:
    """A variant's instances go to its parent, a mesh takes its placings along, values of what is no parameter go."""
    parameter = next(p for p in street.kit.parameters if p.kind == "colour")
    street.do(commands.add_variant("Late", "night"))
    street.do(
        commands.set_instances("street", [("row", 1)], {"variant": "late", "values": {parameter.key: (0.0, 0.0, 0.0)}})
    )
    reeds = scene(street).placing("reeds")
    street.do(commands.change_placing("street", replace(reeds, shares={"late": 0.5, "night": 0.25})))
    street.do(commands.remove_variant("late"))
    check_kit(street.kit)
    assert scene(street).placing("row").own["1"].variant == "night"
    assert scene(street).placing("reeds").shares == {"night": 0.75}
    street.do(commands.remove_mesh("boat"))
    check_kit(street.kit)
    assert scene(street).placings == ()
    assert {"reeds", "row"} <= set(street.kit.retired)
    street.undo()
    assert len(scene(street).placings) == 2


@pytest.mark.parametrize(
    ("change", "told"),
    [
        ({"kind": "heap"}, "is a “heap”; there is row, grid"), ({"mesh": "gone"}, "which is not there"),
        ({"shares": {"none": 1.0}}, "variant “none”"), ({"own": {"0": Own(variant="none")}}, "variant “none”"),
        ({"own": {"0": Own(values={"none": 1.0})}}, "sets “none”"), ({"count": -1}, "count"), ({"shares": {"day": 2.0}}, "shares must be at most 1"),
        ({"place": (float("nan"), 0.0, 0.0)}, "place cannot be nan"), ({"values": {"apart": float("nan")}}, "no number"), ({"count": 10**9}, "count"),
    ],
)  # fmt: skip
def test_damaged_scenes_are_refused(street: History, change, told: str) -> None:  # type: ignore[no-untyped-def]
    placing = replace(scene(street).placing("row"), **change)
    kit = replace(street.kit, scenes=(replace(scene(street), placings=(placing,)),))
    with pytest.raises(UserError, match=told):
        check_kit(kit)


def test_places_from_files(street: History, tmp_path: Path) -> None:
    """CSV and JSON with the same content are the same; names or keys of variants; what lacks stays as it is usual."""
    table = tmp_path / "wharf.csv"
    table.write_text("X, z,variant,scale,seed\n1,2,Day,,0.25\n-3.5,4,night,2,\n0,0,,,\n", encoding="utf-8-sig")
    found = read_spots(table, street.kit, "boat")
    assert found.name == "wharf"
    street.do(commands.add_placing("street", found))
    check_kit(street.kit)
    stood = placed_by(scene(street).placings[-1])
    assert [each.place for each in stood] == [(1.0, 0.0, 2.0), (-3.5, 0.0, 4.0), (0.0, 0.0, 0.0)]
    assert [each.variant for each in stood] == ["day", "night", ""]
    assert stood[0].seed == 0.25
    assert [each.scale for each in stood] == [1.0, 2.0, 1.0]
    rows = [
        {"x": 1, "z": 2, "variant": "day", "seed": 0.25},
        {"x": -3.5, "z": 4, "variant": "Night", "scale": 2},
        {"x": 0, "z": 0},
    ]
    (tmp_path / "wharf.json").write_text(json.dumps(rows))
    assert spots_of(read_spots(tmp_path / "wharf.json", street.kit, "boat")).tolist() == spots_of(found).tolist()


@pytest.mark.parametrize(
    ("name", "text", "told"),
    [
        ("a.csv", "x,y\n1,2\n", "place 1 has no z"), ("a.csv", "x,z\n1,far\n", "“far”, which is no number"), ("a.csv", "", "lists 0 places"),
        ("a.csv", "x,z\n1,nan\n", "outside"), ("a.csv", "x,z,variant\n1,1,Noon\n", "no variant “Noon”"), ("a.csv", "x,z,seed\n1,1,7\n", "between 0 and 1"),
        ("a.csv", "x,z,scale\n1,1,0\n", "a scale lies between"), ("a.json", "{}", "no list of places"), ("a.json", "[1]", "no list of places"),
        ("a.json", '[{"x": [1], "z": 0}]', "no number"), ("a.json", "[" * 100_000, "no list of places"), ("a.csv", b"\xff\xfe\x00", "no table of text"),
    ],
)  # fmt: skip
def test_lists_that_cannot_be_read_are_told(street: History, tmp_path: Path, name: str, text, told: str) -> None:  # type: ignore[no-untyped-def]
    path = tmp_path / name
    path.write_bytes(text if isinstance(text, bytes) else text.encode())
    with pytest.raises(UserError, match=told) as found:
        read_spots(path, street.kit, "boat")
    assert name in str(found.value)


def test_mutated_lists_are_read_or_told(street: History, tmp_path: Path) -> None:
    rng, path, read = random.Random(3), tmp_path / "a.csv", 0
    good = b"x,y,z,turn,scale,variant,seed\n" + b"".join(b"%d,0,%d,30,1.5,day,0.5\n" % (n, -n) for n in range(20))
    for _ in range(150):
        text = bytearray(good)
        for _ in range(rng.randrange(1, 6)):
            text[rng.randrange(len(text))] = rng.randrange(256)
        path.write_bytes(bytes(text))
        with contextlib.suppress(UserError):
            check_kit(commands.add_placing("street", read_spots(path, street.kit, "boat")).apply(street.kit))
            read += 1
    assert read > 3


def test_single_instances_over_time(street: History, tmp_path: Path) -> None:
    """A track of an instance goes over its variant, its values and saves; as a variant it is kept; a copy has it too."""
    key = street.kit.parameters[0].key
    picks = [("reeds", 3), ("reeds", 4)]
    moves = Track((TrackKey(2.0, (1.0, 1.0, 1.0)), TrackKey(0.0, (0.0, 0.0, 0.0))))
    street.do(commands.set_in_instances("street", picks, key, (0.3, 0.3, 0.3)))
    street.do(commands.set_track_in_instances("street", picks, key, moves))
    parameters = {parameter.key: parameter for parameter in street.kit.parameters}

    def at(history: History, number: int, time: float):  # type: ignore[no-untyped-def]
        found = next(each for each in placed_by(scene(history).placing("reeds")) if each.number == number)
        return settings_at(found, parameters, time)

    assert at(street, 3, 0.0) == {key: (0.0, 0.0, 0.0)}
    assert at(street, 4, 5.0)[key] == pytest.approx((1, 1, 1), abs=1e-6)
    assert at(street, 5, 1.0) == {}
    street.do(commands.set_in_instances("street", picks[:1], key, (1.0, 0.0, 0.0), 2.0))
    assert at(street, 3, 2.0)[key] == pytest.approx((1, 0, 0), abs=1e-6)
    assert at(street, 4, 2.0)[key] == pytest.approx((1, 1, 1), abs=1e-6)
    assert decode_kit(encode_kit(street.kit, tmp_path), tmp_path) == street.kit
    street.do(commands.duplicate_instances("street", picks[:1], (1, 0, 0)))
    assert scene(street).placings[-1].own["0"].tracks == scene(street).placing("reeds").own["3"].tracks
    street.do(commands.keep_as_variant("street", picks[:1], "Pulse"))
    assert street.kit.variant("pulse").tracks[key].keys[1].value == (1.0, 0.0, 0.0)
    assert scene(street).placing("reeds").own["3"] == Own(variant="pulse")
    with pytest.raises(UserError, match="cannot be"):
        street.do(commands.set_track_in_instances("street", picks, key, Track((TrackKey(0.0, 2.0),))))
    street.do(commands.set_track_in_instances("street", picks, key, None))
    assert at(street, 4, 5.0) == {key: (0.3, 0.3, 0.3)}
    changed = replace(scene(street).placing("row"), own={"1": Own(tracks={"nothing": moves})})
    with pytest.raises(UserError, match="moves “nothing”"):
        check_kit(replace(street.kit, scenes=(replace(scene(street), placings=(changed,)),)))


def test_a_copy_of_a_scene_looks_the_same(street: History) -> None:
    """Every instance where it was and as it was, also of a copy of a copy; drawn anew it goes its own way."""
    street.do(commands.set_instances("street", [("reeds", 3)], {"locked": True}))
    street.do(commands.copy_scene("street", "Street by night"))
    street.do(commands.copy_scene(street.kit.scenes[-1].key, "Third"))

    def told(number: int) -> list[object]:
        found = instances_of(street.kit.scenes[number])
        return [replace_dataclass(each, placing="") for each in found]

    assert told(0) == told(1) == told(2)
    keys = [placing.key for each in street.kit.scenes for placing in each.placings]
    assert len(set(keys)) == 6
    street.do(commands.draw_anew("third", street.kit.scene("third").placings[1].key, 9))
    assert told(0) == told(1) != told(2)
    street.do(commands.remove_scene("street"))
    assert len(told(0)) == 47
