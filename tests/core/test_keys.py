"""What results are called: by what was read, by all that they depend on, and by the code that makes them."""

import random
from collections.abc import Iterator
from enum import Enum
from pathlib import Path
from threading import get_ident
from typing import Any

import msgspec
import numpy as np
import pytest
from msgspec.structs import replace

from even_palette.core.errors import FileChanged, NotReady, UserError
from even_palette.core.kit import commands
from even_palette.core.kit.fingerprints import as_on_disk, fingerprint
from even_palette.core.kit.history import History
from even_palette.core.kit.mesh_file import MeshFile
from even_palette.core.kit.model import Focus, Kit
from even_palette.core.kit.sheet import Bake, Step, Tone
from even_palette.core.kit.validate import check_kit
from even_palette.core.material.model import Coat, PlaneKind, PlaneRef, PlaneUse
from even_palette.core.raster.files import read_plane, write_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.regions.packing import Packing
from even_palette.core.results.bakes import bake_name, bake_of
from even_palette.core.results.base_colour import base_colour_of, base_name_of
from even_palette.core.results.cache import Cache
from even_palette.core.results.disk_cache import DiskCache, code_version
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.maps import paint_of
from even_palette.core.results.mask_names import mask_names_of
from even_palette.core.results.masks import mask_of
from even_palette.core.results.materials import prepare_material
from even_palette.core.results.means import means_of
from even_palette.core.results.pictures import Picture
from even_palette.core.results.planes import tone_of
from even_palette.core.results.sheet_mesh import mesh_of_file
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.weights import weights_name, weights_of
from even_palette.core.results.weights_on_disk import lasting_weights_of
from even_palette.core.tones.palette import new_palette
from even_palette.core.tones.ramp import Ramp, RampRow, Stop

ROOM = """\
v -1 0 -1
v 1 0 -1
v 1 0 1
v -1 0 1
v -1 1 -1
v 1 1 -1
vt 0 0
vt 0.45 0
vt 0.45 0.9
vt 0 0.9
vt 0.5 0
vt 0.95 0
vt 0.95 0.9
vt 0.5 0.9
usemtl floor
f 4/1 3/2 2/3 1/4
usemtl wall
f 1/5 2/6 6/7 5/8
"""


def with_disk(folder: Path) -> Sheets:
    return Sheets(Cache(disk=DiskCache(folder)))


# What was read


def test_results_of_another_file_are_never_kept_under_its_name(
    kit: Kit, maps: dict[Role, Path], tmp_path: Path
) -> None:
    """A map changes while the kit is closed, and changes back: nothing shows the results of the other one."""
    at, disk = kit.at(), tmp_path / "disk"
    first = with_disk(disk)
    means = means_of(at, first)
    weights = [level.copy() for level in lasting_weights_of(at, first).levels]
    old = {role: path.read_bytes() for role, path in maps.items()}
    for path in maps.values():
        write_plane(path, Plane(255 - read_plane(path, Encoding.DATA).samples, Encoding.DATA))
    for ask in (lambda s: means_of(at, s), lambda s: lasting_weights_of(at, s), lambda s: paint_of(at, s)):
        with pytest.raises(FileChanged, match="is not the file that the kit knows any more"):
            ask(with_disk(tmp_path / "empty"))
    now, changed = as_on_disk(kit)
    assert sorted(changed) == sorted(path.name for path in maps.values())
    other = with_disk(disk)
    assert not np.array_equal(means_of(now.at(), other), means)
    lasting_weights_of(now.at(), other)
    for role, path in maps.items():
        path.write_bytes(old[role])
    again = with_disk(disk)
    assert np.array_equal(means_of(at, again), means)
    assert all(map(np.array_equal, lasting_weights_of(at, again).levels, weights))


def test_a_file_that_the_kit_knows_nothing_of_is_looked_at(kit: Kit, maps: dict[Role, Path]) -> None:
    """Without a remembered hash, the same path may hold something else a moment later."""
    bare = kit.with_sheet(
        replace(kit.sheets[0], sources=tuple(replace(s, sha256="", width=0, height=0) for s in kit.sheets[0].sources))
    )
    sheets = Sheets()
    before = means_of(bare.at(), sheets)
    path = maps[Role.BASE_COLOUR]
    write_plane(path, Plane(255 - read_plane(path, Encoding.DATA).samples, Encoding.DATA))
    assert not np.array_equal(means_of(Focus(bare, "sheet_1"), sheets), before)


def test_planes_are_known_by_what_was_read(maps: dict[Role, Path]) -> None:
    for path in maps.values():
        assert read_plane(path, Encoding.DATA).known_id == fingerprint(path).sha256


def test_meshes_alike_with_the_files_beside_them(tmp_path: Path) -> None:
    """A .gltf is the same text while its buffer changes."""
    points = np.float32([[0, 0, 0], [1, 0, 0], [0, 1, 0]])
    document = {
        "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}], "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
        "accessors": [{"componentType": 5126, "count": 3, "type": "VEC3", "bufferView": 0}],
        "bufferViews": [{"buffer": 0, "byteLength": 36}], "buffers": [{"uri": "points.bin", "byteLength": 36}],
    }  # fmt: skip
    path = tmp_path / "a.gltf"
    path.write_bytes(msgspec.json.encode(document))
    (tmp_path / "points.bin").write_bytes(points.tobytes())
    seen = fingerprint(path)
    kit = Kit(meshes=(MeshFile("m", str(path), "sheet_1", seen.size, seen.sha256),))
    before = mesh_of_file(kit.meshes[0], Sheets())
    (tmp_path / "points.bin").write_bytes((points * 2).tobytes())
    with pytest.raises(FileChanged):
        mesh_of_file(kit.meshes[0], Sheets())
    now, changed = as_on_disk(kit)
    assert changed == ["a.gltf"]
    after = mesh_of_file(now.meshes[0], Sheets())
    assert after.content_id != before.content_id
    assert np.array_equal(after.points, before.points * 2)


def test_the_cache_is_of_the_code_that_makes_results(tmp_path: Path) -> None:
    (tmp_path / "a.py").write_text("x = 1\n")
    (tmp_path / "b").mkdir()
    (tmp_path / "b" / "c.py").write_text("")
    versions = [code_version.__wrapped__(tmp_path)]
    (tmp_path / "b" / "c.py").write_text("# another\n")
    versions.append(code_version.__wrapped__(tmp_path))
    (tmp_path / "b" / "c.py").rename(tmp_path / "b" / "d.py")
    versions.append(code_version.__wrapped__(tmp_path))
    assert len(set(versions)) == 3
    assert code_version() == code_version.__wrapped__()


# All that they depend on


@pytest.fixture
def whole(history: History, maps: dict[Role, Path], tmp_path: Path) -> Kit:
    """A kit with a mesh, bakes, spilled light of two regions, tones, a palette, a ramp, steps and a recipe."""
    (tmp_path / "room.obj").write_text(ROOM)
    seen = fingerprint(tmp_path / "room.obj")
    history.do(commands.add_mesh(MeshFile("room", str(tmp_path / "room.obj"), "sheet_1", seen.size, seen.sha256)))
    for kind, values in (("spill", {"rays": 16.0}), ("id_colours", {}), ("height", {})):
        history.do(commands.add_bake("sheet_1", Bake(kind, kind, 256, 4, 1, values, "day" if kind == "spill" else "")))
    entries = np.array([(10, 20, 30), (200, 180, 90), (90, 10, 200)], np.uint8)
    history.do(commands.add_palette(new_palette("palette", "Palette", entries)))
    history.do(
        commands.add_ramp(Ramp("ramp", "Ramp", (RampRow("Row", (Stop(0.0, (9, 9, 9)), Stop(1.0, (250, 99, 9)))),)))
    )
    history.do(commands.add_tone("sheet_1", Tone("neutral", "Neutral", "neutral", own={"region_2": {"gamma": 1.4}})))
    history.do(commands.add_tone("sheet_1", Tone("index", "Index", "index", palette="palette")))
    grey = PlaneUse(PlaneRef(PlaneKind.TONE, "neutral"))
    ramp = PlaneUse(PlaneRef(PlaneKind.RAMP, "ramp"))
    along = PlaneUse(PlaneRef(PlaneKind.BAKE, "height"))
    history.do(commands.add_coat("region_1", Coat("ramp", {"from": "plane"}, {"ramp": ramp, "plane": grey})))
    history.do(commands.add_coat("region_1", Coat("glow", {"colours": "plane", "intensity": 2.0},
                                                  {"colours": PlaneUse(PlaneRef(PlaneKind.MAP, "base_colour"))}, grey)))  # fmt: skip
    history.do(commands.add_coat("region_4", Coat("glow", {"intensity": 3.0}, {"mask": along})))
    history.do(commands.expose("region_4", "intensity", 1))
    history.do(commands.add_step("region_2", Step("lightness", {"low": 0.2, "high": 0.8})))
    history.do(commands.add_step("region_3", Step("channel", plane=along)))
    history.do(commands.make_recipe("region_3", "Paint"))
    return history.kit


def leaves(part: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[tuple[Any, ...], Any]]:
    if isinstance(part, msgspec.Struct):
        for name in part.__struct_fields__:
            yield from leaves(getattr(part, name), (*path, name))
    elif isinstance(part, tuple) and not (path and isinstance(part[0] if part else None, float)):
        for number, each in enumerate(part):
            yield from leaves(each, (*path, number))
    elif isinstance(part, dict):
        for name, each in part.items():
            yield from leaves(each, (*path, name))
    else:
        yield path, part


def changed(part: Any, path: tuple[Any, ...], value: Any) -> Any:
    if not path:
        return value
    first, rest = path[0], path[1:]
    if isinstance(part, msgspec.Struct):
        return replace(part, **{first: changed(getattr(part, first), rest, value)})
    if isinstance(part, dict):
        return {**part, first: changed(part[first], rest, value)}
    return (*part[:first], changed(part[first], rest, value), *part[first + 1 :])


def another(value: Any, rng: random.Random) -> Any:
    match value:
        case Enum():
            return rng.choice([other for other in type(value) if other is not value] or [value])
        case bool():
            return not value
        case int():
            return value + rng.choice([-1, 1, 3])
        case float():
            return rng.choice([value + 0.25, value - 0.25, value * 2])
        case (float(), *_):
            return tuple(min(1.0, part + 0.2) if part < 0.6 else part - 0.3 for part in value)
        case str():
            return rng.choice(["day", "dusk", "", "neutral", "index", "height", "along", f"{value}x"])
    return value


def results(kit: Kit, folder: Path) -> dict[str, tuple[object, np.ndarray]]:
    """Names and samples of what follows from a kit, all made anew."""
    at, sheets = kit.at(), with_disk(folder)
    found: dict[str, tuple[object, np.ndarray]] = {
        "weights": (weights_name(at, sheets), np.stack(weights_of(at, sheets).levels)),
        "base": (base_name_of(at, sheets), np.asarray(base_colour_of(at, sheets).linear())),
    }
    for region in at.sheet.regions:
        found[f"mask {region.key}"] = (
            mask_names_of(at, sheets).name((region.key, 32)),
            mask_of(at, sheets, region.key).samples,
        )
    for bake in at.sheet.bakes:
        found[f"bake {bake.key}"] = bake_name(at, sheets, bake), bake_of(at, sheets, bake)[0].samples
    for tone in at.sheet.tones:
        from even_palette.core.results.planes import tone_name

        found[f"tone {tone.key}"] = tone_name(at, sheets, tone), tone_of(at, sheets, at.sheet.tone(tone.key)).samples
    return found


@pytest.mark.parametrize("seed", range(2))
def test_where_pixels_change_names_change(seed: int, whole: Kit, tmp_path: Path) -> None:
    """Any field of the kit is changed: a result that has other samples has another name."""
    rng = random.Random(seed)
    places = list(leaves(whole))
    before = results(whole, tmp_path / "before")
    assert before["bake spill"][1].any()
    sound = told = 0
    for number, (path, value) in enumerate(rng.sample(places, 30)):
        try:
            kit = changed(whole, path, another(value, rng))
            check_kit(kit)
            after = results(kit, tmp_path / f"disk {number}")
        except (UserError, KeyError, TypeError, ValueError, AttributeError, AssertionError):
            continue  # no kit that can be
        sound += 1
        for name in before.keys() & after.keys():
            if not np.array_equal(before[name][1], after[name][1]):
                told += 1
                assert before[name][0] != after[name][0], (path, value, name)
    assert sound > 10
    assert told


# What is missing


def test_a_bake_that_a_coat_reads_is_named_where_it_is_missing(whole: Kit) -> None:
    """While only a variant's value changes: the thread that looks is told what is missing, and another can make it.

    What that thread remembers of a material is of use only as long as it is of the same light.
    """
    use = PlaneUse(PlaneRef(PlaneKind.BAKE, "spill"))
    kit = commands.add_coat("region_2", Coat("shade", planes={"plane": use})).apply(whole)
    sheets, made = Sheets(), list[object]()

    def looked_at(kit: Kit) -> Picture:
        while len(made) == len(set(made)):
            sheets.cache.only_looks = get_ident()
            try:
                return picture(kit.at(), sheets, Look(variant="day"))
            except NotReady as missing:
                made.append(missing.name)
                sheets.cache.only_looks = None
                missing.make()
        raise AssertionError(f"{made[-1]} is missing again")

    key = kit.region("region_4").coats[1].values["intensity"].parameter  # type: ignore[union-attr]
    before = looked_at(kit)
    count = len(made)
    after = looked_at(commands.set_parameter(key, 9.0, "day").apply(kit))
    assert len(made) > count
    assert before.slots["bake_spill"].content_id != after.slots["bake_spill"].content_id
    count = len(made)
    elsewhere = looked_at(commands.set_cell_value("region_1", "colour", (0.1, 0.2, 0.9), "day").apply(kit))
    assert elsewhere.slots["bake_spill"].content_id == before.slots["bake_spill"].content_id
    assert elsewhere.inputs != before.inputs
    assert len(made) == count


def test_without_light_the_slots_of_a_dragged_picture_stay(kit: Kit) -> None:
    """What variants set is in a picture's inputs alone: nothing else is put together for a frame."""
    sheets = Sheets()
    prepare_material(kit.at(), sheets)
    sheets.cache.only_looks = get_ident()
    one, other = (
        picture(
            commands.set_cell_value("region_1", "colour", colour, "day").apply(kit).at(), sheets, Look(variant="day")
        )
        for colour in ((0.1, 0.2, 0.3), (0.1, 0.2, 0.4))
    )
    assert one.slots is other.slots
    assert one.outputs is other.outputs
    assert one.inputs != other.inputs
    assert not one.looks_like(other)


@pytest.mark.parametrize("packing", list(Packing))
def test_spilled_light_is_no_matter_of_how_weights_ship(whole: Kit, tmp_path: Path, packing: Packing) -> None:
    """The bake has the same samples, to the bit, and the same name."""
    other = commands.set_packing("sheet_1", packing).apply(whole)
    other = commands.set_channels("sheet_1", ("region_3", "region_1", "region_4", "region_2")).apply(other)
    found = []
    for number, kit in enumerate((whole, other)):
        at, sheets = kit.at(), with_disk(tmp_path / f"disk {number}")
        bake = next(bake for bake in at.sheet.bakes if bake.kind == "spill")
        found.append((bake_name(at, sheets, bake), bake_of(at, sheets, bake)[0].samples))
    assert found[0][0] == found[1][0]
    assert np.array_equal(found[0][1], found[1][1])
