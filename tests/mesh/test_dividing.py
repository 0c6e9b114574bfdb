"""From the mesh to weights: assignment, divisions, scatter, boxes, several sheets, and what the kit keeps of them."""

import os
import random
from dataclasses import replace as with_fields
from pathlib import Path

import msgspec
import numpy as np
import pytest
from msgspec.structs import replace

from even_palette.core.checks import find
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.assignment import pack_chosen, pack_faces, unpack_chosen, unpack_faces
from even_palette.core.kit.fingerprints import fingerprint
from even_palette.core.kit.history import History
from even_palette.core.kit.mesh_file import FaceRegions, MeshFile, Up
from even_palette.core.kit.model import Kit
from even_palette.core.kit.sheet import Bake, Box
from even_palette.core.kit.store import decode_kit, encode_kit
from even_palette.core.kit.validate import check_kit
from even_palette.core.mesh.files import read_mesh, write_mesh
from even_palette.core.mesh.kinds import ElementKind
from even_palette.core.mesh.model import Mesh
from even_palette.core.results.bakes import bake_of, known_bake
from even_palette.core.results.dividing import (
    assign,
    divide,
    new_regions,
    rest_region,
    scatter_split,
    take_ids,
    unassigned,
)
from even_palette.core.results.sheet_mesh import elements_of, mesh_of_file, mesh_on_sheet, regions_of_faces, roots_of
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.shown_ids import shown_ids_of
from even_palette.core.results.weights import weights_of
from even_palette.core.ship.mesh_with_ids import write_with_ids
from tests.core.test_bad_input import mutate, mutate_values
from tests.mesh.conftest import quads

GRID = [(0.05 + 0.3 * x, 0.05 + 0.3 * y, 0.30 + 0.3 * x, 0.30 + 0.3 * y) for y in range(3) for x in range(3)]


def opened(path: Path, mesh: Mesh, colours: np.ndarray | None = None) -> tuple[History, Sheets]:
    """A kit with one mesh on one sheet."""
    shades = np.zeros((mesh.face_count, 3), np.uint8) if colours is None else colours
    write_mesh(path, mesh, shades)
    seen = fingerprint(path)
    history = History(Kit())
    history.do(commands.add_mesh(MeshFile("tiles", str(path), "sheet_1", seen.size, seen.sha256)))
    return history, Sheets()


@pytest.fixture
def tiles(tmp_path: Path) -> tuple[History, Sheets]:
    """Nine squares, each a shell."""
    return opened(tmp_path / "tiles.ply", quads(GRID))


def test_a_region_per_shell_covers_each_shell(tiles: tuple[History, Sheets]) -> None:
    """Weights of a region are 1 at the texels of its shell, and all weights add up to 1 on the mesh."""
    history, sheets = tiles
    history.do(divide(history.kit.at(), sheets, ElementKind.SHELL))
    kit = history.kit
    assert [region.name for region in kit.sheets[0].regions] == [f"Shell {n}" for n in range(1, 10)]
    assert len({region.id_colour for region in kit.sheets[0].regions}) == 9
    weights = weights_of(kit.at(), sheets)
    side = weights.levels[0].shape[0]
    for number, (left, top, right, bottom) in enumerate(GRID):
        rows = slice(int(top * side) + 1, int(bottom * side) - 1)
        columns = slice(int(left * side) + 1, int(right * side) - 1)
        assert weights.levels[number][rows, columns].min() == 255
    total = sum(level.astype(int) for level in weights.levels)
    assert set(np.unique(total)) <= {0, 255}


def test_faces_of_a_mesh_that_is_not_there_are_refused(tiles: tuple[History, Sheets]) -> None:
    """Nothing is given to nobody without a word."""
    history, _ = tiles
    faces = history.kit.meshes[0].faces
    for command in (commands.set_faces("Assign", {"nobody": faces}), commands.set_roots({"nobody": ""})):  # type: ignore[dict-item]
        with pytest.raises(UserError, match="no mesh “nobody”"):
            history.do(command)


def test_assigning_moves_faces(tiles: tuple[History, Sheets]) -> None:
    history, sheets = tiles
    history.do(divide(history.kit.at(), sheets, ElementKind.SHELL))
    first, second = (region.key for region in history.kit.sheets[0].regions[:2])
    faces = elements_of(history.kit.at(), sheets, ElementKind.SHELL).labels == 1
    history.do(assign(history.kit.at(), sheets, faces, first))
    labels = regions_of_faces(history.kit.at(), sheets)
    assert (labels[faces] == 0).all()
    assert second not in history.kit.meshes[0].faces.regions
    history.do(assign(history.kit.at(), sheets, faces, ""))
    assert (regions_of_faces(history.kit.at(), sheets)[faces] == -1).all()
    history.undo()
    assert (regions_of_faces(history.kit.at(), sheets)[faces] == 0).all()


def test_a_region_for_the_rest(tiles: tuple[History, Sheets]) -> None:
    """What no region has becomes one; a second time there is nothing left; undone in one step."""
    history, sheets = tiles
    history.do(commands.put_regions("sheet_1", new_regions(history.kit.at(), ["Some"], [(255, 0, 0)])))
    some = history.kit.sheets[0].regions[0].key
    chosen = np.arange(18) < 8
    history.do(assign(history.kit.at(), sheets, chosen, some))
    assert np.array_equal(unassigned(history.kit.at(), sheets), ~chosen)
    history.do(rest_region(history.kit.at(), sheets))
    first, rest = history.kit.sheets[0].regions
    assert rest.name == "Rest"
    assert rest.id_colour != first.id_colour
    assert np.array_equal(regions_of_faces(history.kit.at(), sheets), np.where(chosen, 0, 1))
    with pytest.raises(UserError, match="Every face"):
        rest_region(history.kit.at(), sheets)
    history.undo()
    assert len(history.kit.sheets[0].regions) == 1


def test_vertex_colours_give_their_own_id_colours(tmp_path: Path) -> None:
    colours = np.repeat(np.uint8([(200, 10, 10), (10, 200, 10), (10, 10, 200)]), 6, axis=0)
    history, sheets = opened(tmp_path / "tiles.glb", quads(GRID), colours)
    history.do(divide(history.kit.at(), sheets, ElementKind.COLOUR))
    assert [region.id_colour for region in history.kit.sheets[0].regions] == [
        (200, 10, 10),
        (10, 200, 10),
        (10, 10, 200),
    ]
    write_with_ids(history.kit, sheets, "tiles", tmp_path / "out.glb")
    again = read_mesh(tmp_path / "out.glb")
    assert again.colours is not None
    assert (again.colours[:, 0] == colours).all()
    with pytest.raises(UserError, match="not written"):
        write_with_ids(history.kit, sheets, "tiles", tmp_path / "out.obj")


def test_too_many_elements_are_refused(tmp_path: Path) -> None:
    many = quads([(0.003 * i, 0, 0.003 * i + 0.002, 0.1) for i in range(300)])
    history, sheets = opened(tmp_path / "many.ply", many)
    with pytest.raises(UserError, match="300 of them and room for 255"):
        divide(history.kit.at(), sheets, ElementKind.SHELL)


def test_scatter_split_is_reproducible_and_editable(tiles: tuple[History, Sheets]) -> None:
    history, sheets = tiles
    history.do(divide(history.kit.at(), sheets, ElementKind.SLOT))
    history.do(commands.put_regions("sheet_1", tuple(replace(history.kit.sheets[0].regions[0], key=f"more_{n}", name=f"More {n}")
                                               for n in range(2))))  # fmt: skip
    keys = [region.key for region in history.kit.sheets[0].regions]
    every = np.ones(18, dtype=bool)
    shares = dict(zip(keys, (50, 30, 20), strict=True))
    split = scatter_split(history.kit.at(), sheets, every, shares, seed=3)
    assert sum(split.counts) == 9
    assert np.abs(np.array(split.counts) - (4.5, 2.7, 1.8)).max() < 1
    again = scatter_split(history.kit.at(), sheets, every, shares, seed=3)
    assert split.command.apply(history.kit) == again.command.apply(history.kit)
    other = scatter_split(history.kit.at(), sheets, every, shares, seed=4)
    assert split.command.apply(history.kit) != other.command.apply(history.kit)
    history.do(split.command)
    labels = regions_of_faces(history.kit.at(), sheets)
    assert (labels.reshape(9, 2)[:, 0] == labels.reshape(9, 2)[:, 1]).all()  # both faces of a shell go together
    for bad in ({}, {keys[0]: 0.0}):
        with pytest.raises(UserError, match="share above 0"):
            scatter_split(history.kit.at(), sheets, every, bad, 1)
    with pytest.raises(UserError, match="Select the shells"):
        scatter_split(history.kit.at(), sheets, ~every, shares, 1)


def test_boxes_hold_the_texels_whose_centres_lie_in_them(tiles: tuple[History, Sheets]) -> None:
    history, sheets = tiles
    history.do(divide(history.kit.at(), sheets, ElementKind.SLOT))
    key = history.kit.sheets[0].regions[0].key
    faces = np.ones(18, dtype=bool)
    history.do(assign(history.kit.at(), sheets, faces, ""))
    history.do(commands.add_box(key, Box(0.25, 0.5, 0.75, 1.2)))
    level = weights_of(history.kit.at(), sheets).levels[0]
    side = level.shape[0]
    centre = (np.arange(side) + 0.5) / side
    inside = (centre[:, None] >= 0.5) & (centre[None] >= 0.25) & (centre[None] < 0.75)
    assert np.array_equal(level == 255, inside)
    with pytest.raises(UserError, match="no part of the sheet"):
        commands.add_box(key, Box(0.5, 0.5, 0.5, 0.6)).apply(history.kit)
    history.do(commands.clear_boxes(key))
    assert not weights_of(history.kit.at(), sheets).levels[0].any()


def test_sources_of_a_region_are_mixed_by_the_strongest_claim(tiles: tuple[History, Sheets]) -> None:
    """A face and a box of one region claim a texel once; of two regions, they share it."""
    history, sheets = tiles
    history.do(divide(history.kit.at(), sheets, ElementKind.SHELL))
    first, second = (region.key for region in history.kit.sheets[0].regions[:2])
    history.do(commands.add_box(first, Box(0, 0, 0.5, 0.5)))
    weights = weights_of(history.kit.at(), sheets)
    at = int(0.15 * 1024), int(0.15 * 1024)  # on the first shell, in the box
    assert weights.levels[0][at] == 255
    assert weights.mask_sum.samples[(*at, 0)] / 65535 * 4 == pytest.approx(1, abs=1e-3)
    at = int(0.15 * 1024), int(0.45 * 1024)  # on the second shell, in the first one's box
    assert (weights.levels[0][at], weights.levels[1][at]) in ((128, 127), (127, 128))
    assert second == history.kit.sheets[0].regions[1].key


def test_kit_json_keeps_meshes_and_assignments(tiles: tuple[History, Sheets], tmp_path: Path) -> None:
    history, sheets = tiles
    history.do(divide(history.kit.at(), sheets, ElementKind.SHELL))
    history.do(commands.add_bake("sheet_1", Bake("along", "along", 512, 8, 2, {"way": "up"})))
    history.do(commands.set_roots({"tiles": pack_chosen(np.arange(18) < 3)}))
    text = encode_kit(history.kit, tmp_path)
    assert decode_kit(text, tmp_path) == history.kit
    assert b'"tiles.ply"' in text
    stored = msgspec.json.decode(text)
    for change in (
        {"uv_set": 99}, {"sheet": "nowhere"}, {"slots": {"Material": "nowhere"}}, {"unit": "league"}, {"key": "Not plain"},
    ):  # fmt: skip
        broken = {**stored, "meshes": [{**stored["meshes"][0], **change}]}
        with pytest.raises(UserError, match=r"kit\.json"):
            decode_kit(msgspec.json.encode(broken), tmp_path)
    for change in ({"kind": "nothing"}, {"size": 100_000}, {"samples": 9}, {"padding": -1}):
        sheet = {**stored["sheets"][0], "bakes": [{**stored["sheets"][0]["bakes"][0], **change}]}
        with pytest.raises(UserError, match=r"kit\.json"):
            decode_kit(msgspec.json.encode({**stored, "sheets": [sheet]}), tmp_path)


def test_packed_faces() -> None:
    rng = np.random.default_rng(0)
    labels = rng.integers(-1, 5, 1000)
    stored = pack_faces(labels, ("a", "b", "c", "d", "e"))
    found = unpack_faces(stored, 1000)
    names = np.array([*stored.regions, ""])
    assert (names[found] == np.array(["a", "b", "c", "d", "e", ""])[labels]).all()
    assert pack_faces(np.full(4, 2), ("a", "b", "c")).regions == ("c",)
    chosen = rng.random(1000) < 0.5
    assert np.array_equal(unpack_chosen(pack_chosen(chosen), 1000), chosen)


@pytest.mark.parametrize(
    "stored",
    [
        FaceRegions(4, ("a",), b"no zlib stream"),
        FaceRegions(4, ("a",), pack_faces(np.zeros(10**6, dtype=int), ("a",)).packed),  # far more than it says
        FaceRegions(4, ("a",), pack_faces(np.zeros(2, dtype=int), ("a",)).packed),
        FaceRegions(9, ("a",), pack_faces(np.zeros(9, dtype=int), ("a",)).packed),  # another mesh
    ],
)
def test_damaged_assignments_are_none(stored: FaceRegions) -> None:
    assert (unpack_faces(stored, 4) == -1).all()


def test_slots_on_two_sheets_and_merged(tmp_path: Path) -> None:
    """Each sheet sees the faces of its slots; merged, one sheet sees all."""
    mesh = with_fields(quads(GRID), slots=("wood", "iron"), face_slot=(np.arange(18) // 2 % 2).astype(np.int32))
    history, sheets = opened(tmp_path / "two.glb", mesh)
    history.do(commands.add_sheet("Irons"))
    history.do(commands.put_slot("tiles", "iron", "irons"))
    kit = history.kit
    for key, count in (("sheet_1", 10), ("irons", 8)):
        found = mesh_on_sheet(kit.at(key), sheets)
        assert found is not None
        assert found.mesh.face_count == count
    history.do(divide(kit.at("irons"), sheets, ElementKind.SLOT))
    assert len(history.kit.at("irons").sheet.regions) == 1
    assert (regions_of_faces(history.kit.at("irons"), sheets) == 0).all()
    history.do(commands.merge_slots("tiles", "sheet_1"))
    found = mesh_on_sheet(history.kit.at("sheet_1"), sheets)
    assert found is not None
    assert found.mesh.face_count == 18
    assert mesh_on_sheet(history.kit.at("irons"), sheets) is None
    check_kit(history.kit)
    with pytest.raises(UserError, match="at least one sheet"):
        commands.remove_sheet("sheet_1").apply(commands.remove_sheet("irons").apply(history.kit))


def test_units_and_axes(tiles: tuple[History, Sheets]) -> None:
    """Centimetres become metres; z up becomes y up: (x, y, z) to (x, z, -y)."""
    history, sheets = tiles
    file = history.kit.meshes[0]
    plain = mesh_of_file(file, sheets).points
    turned = mesh_of_file(replace(file, up=Up.Z, unit=msgspec.convert("cm", type(file.unit))), sheets).points
    assert np.allclose(turned, plain[:, [0, 2, 1]] * (0.01, 0.01, -0.01), atol=1e-7)


def test_ids_from_another_mesh(tiles: tuple[History, Sheets], tmp_path: Path) -> None:
    """The reference's slots become regions of the sheet; what it does not cover is counted."""
    history, sheets = tiles
    half = with_fields(quads(GRID[:6]), slots=("wood", "iron"), face_slot=(np.arange(12) // 6).astype(np.int32))
    write_mesh(tmp_path / "other.glb", half, np.zeros((12, 3), np.uint8))
    seen = fingerprint(tmp_path / "other.glb")
    with pytest.raises(UserError, match="no other mesh"):
        take_ids(history.kit.at(), sheets, "slots", 0.02)
    reference = MeshFile("other", str(tmp_path / "other.glb"), "sheet_1", seen.size, seen.sha256, reference=True)
    history.do(commands.add_mesh(reference))
    history.do(take_ids(history.kit.at(), sheets, "slots", 0.02))
    kit = history.kit
    assert [region.name for region in kit.sheets[0].regions] == ["wood", "iron"]
    weights = weights_of(kit.at(), sheets)
    for number, (left, top, right, bottom) in enumerate(GRID):
        at = int((top + bottom) / 2 * 1024), int((left + right) / 2 * 1024)
        expected = (255, 0) if number < 3 else (0, 255) if number < 6 else (0, 0)
        assert (weights.levels[0][at], weights.levels[1][at]) == expected
    _, made = bake_of(kit.at(), sheets, kit.sheets[0].bake(kit.sheets[0].id_bake))
    assert made.missed_texels / made.covered_texels == pytest.approx(1 / 3, abs=0.01)
    shown = shown_ids_of(kit.at(), sheets)
    assert shown is not None
    left, top, right, bottom = GRID[8]
    assert len(set(shown.samples[int((top + bottom) / 2 * 1024), int((left + right) / 2 * 1024)])) == 1  # grey
    assert shown.samples[int((top + bottom) / 2 * 1024), int((left + right) / 2 * 1024), 0] > 0
    assert not shown.samples[0, 0].any()  # background stays black


def test_bakes_follow_the_assignment_and_only_what_they_depend_on(tiles: tuple[History, Sheets]) -> None:
    history, sheets = tiles
    for name in ("id_colours", "position"):
        history.do(commands.add_bake("sheet_1", Bake(name, name, 256, 4, 1)))
    before = {bake.key: bake_of(history.kit.at(), sheets, bake)[0] for bake in history.kit.sheets[0].bakes}
    history.do(divide(history.kit.at(), sheets, ElementKind.SHELL))
    assert known_bake(history.kit.at(), sheets, history.kit.sheets[0].bake("id_colours")) is None
    assert known_bake(history.kit.at(), sheets, history.kit.sheets[0].bake("position")) is not None
    after = bake_of(history.kit.at(), sheets, history.kit.sheets[0].bake("id_colours"))[0]
    assert not np.array_equal(after.samples, before["id_colours"].samples)


def test_findings_of_meshes(tmp_path: Path) -> None:
    """Overlaps, UVs outside, faces that no longer fit, no UVs, a missing file: each is told with its number."""
    bad = quads([(0.1, 0.1, 0.4, 0.4), (0.2, 0.2, 0.5, 0.5), (0.9, 0.1, 1.2, 0.3)])
    history, sheets = opened(tmp_path / "bad.ply", bad)
    history.do(divide(history.kit.at(), sheets, ElementKind.SLOT))
    told = " ".join(finding.text for finding in find(history.kit, sheets))
    overlap = round((0.2 * 1024) ** 2)
    counted = int(told.split(" texels are claimed")[0].split()[-1].replace(",", ""))
    assert abs(counted - overlap) < 5 * 0.2 * 1024
    assert "2 faces have UVs outside the tile" in told
    path = tmp_path / "bad.ply"
    write_mesh(path, quads(GRID), np.zeros((18, 3), np.uint8))
    os.utime(path, (0, 0))  # another time than before, however quick this was
    seen = fingerprint(path)
    changed = replace(history.kit.meshes[0], size=seen.size, sha256=seen.sha256)
    kit = replace(history.kit, meshes=(changed,))
    assert "now has 18 faces; the 6 that were given" in " ".join(finding.text for finding in find(kit, Sheets()))
    write_mesh(path, with_fields(quads(GRID), uv_sets=()), np.zeros((18, 3), np.uint8))
    seen = fingerprint(path)
    kit = replace(history.kit, meshes=(replace(changed, size=seen.size, sha256=seen.sha256),))
    assert "has no UVs; unwrap it" in " ".join(finding.text for finding in find(kit, Sheets()))
    assert mesh_on_sheet(replace(kit, meshes=(replace(kit.meshes[0], unwrap=True),)).at(), sheets) is not None
    path.unlink()
    assert "(mesh) is missing" in " ".join(finding.text for finding in find(kit, Sheets()))


def test_mutated_kits_with_meshes(tiles: tuple[History, Sheets], tmp_path: Path) -> None:
    """200 damaged kit.json with meshes, boxes and bakes: refused in one line, or opened and computed."""
    history, sheets = tiles
    history.do(divide(history.kit.at(), sheets, ElementKind.SHELL))
    history.do(commands.add_box(history.kit.sheets[0].regions[0].key, Box(0.1, 0.1, 0.6, 0.6)))
    history.do(commands.add_bake("sheet_1", Bake("height", "height", 256, 4, 1, {"axis": "x"})))
    history.do(commands.set_roots({"tiles": pack_chosen(np.arange(18) < 3)}))
    data, rng, opened_kits = encode_kit(history.kit, tmp_path), random.Random(8), 0
    refused = []
    for number in range(200):
        try:
            kit = decode_kit((mutate_values if number % 2 else mutate)(data, rng), tmp_path, "damaged.json")
            labels = regions_of_faces(kit.at(), sheets)
            assert ((labels >= -1) & (labels < len(kit.sheets[0].regions))).all()
            roots_of(kit.at(), sheets)
            for bake in kit.sheets[0].bakes:
                if bake.size == 256:
                    bake_of(kit.at(), sheets, bake)
            opened_kits += 1
        except UserError as error:
            refused.append(str(error))
    assert opened_kits > 10
    assert refused
    assert not any("\n" in text for text in refused)
