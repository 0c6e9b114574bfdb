"""Findings of stage 7 on borders: seams that open, padding that ends, edges of masks that fringe."""

from pathlib import Path

import numpy as np
import pytest
import skimage.color

from even_palette.core.arrays import float32
from even_palette.core.checks import proof_fringes, proof_padding, proof_seams
from even_palette.core.checks._proof import colours_on
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.mesh_file import MeshFile
from even_palette.core.kit.store import fingerprint, read_kit
from even_palette.core.material.model import Blending
from even_palette.core.material.variants import MASTER
from even_palette.core.mesh.files import read_mesh
from even_palette.core.mesh.padding import lasting_mips
from even_palette.core.mesh.seams import along, seams
from even_palette.core.proof.conditions import Conditions, MapConditions
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.proof import shipped
from even_palette.core.results.sheets import Sheets
from even_palette.demo import KIT_FOLDER
from tests.conftest import GREEN, RED, kit_of, source, write_maps

SIDE, LEFT, RIGHT, TOP, BOTTOM = 64, (8, 24), (40, 56), 8, 56
"""Two islands, in texels; the edge on which they meet lies at 24 and at 40. All are multiples of 8."""


def two_quads(folder: Path) -> MeshFile:
    """Two squares side by side, whose UVs part."""
    points = [(0, 0), (1, 0), (1, 1), (0, 1), (2, 0), (2, 1)]
    uvs = [(u / SIDE, 1 - v / SIDE) for low, high in (LEFT, RIGHT) for u, v in
           ((low, BOTTOM), (high, BOTTOM), (high, TOP), (low, TOP))]  # fmt: skip
    lines = [f"v {x} {y} 0" for x, y in points] + [f"vt {u} {v}" for u, v in uvs]
    lines += ["f 1/1 2/2 3/3 4/4", "f 2/5 5/6 6/7 3/8", ""]
    path = folder / "quads.obj"
    path.write_text("\n".join(lines))
    seen = fingerprint(path)
    return MeshFile("quads", str(path), "sheet_1", seen.size, seen.sha256)


def padded_kit(folder: Path, padding: int) -> History:
    """Grey islands with so many texels of padding in the paint; beyond it is black on the left and white on the right."""
    paint = np.zeros((SIDE, SIDE, 3), np.uint8)
    paint[:, SIDE // 2 :] = 255
    for low, high in (LEFT, RIGHT):
        paint[TOP - padding : BOTTOM + padding, low - padding : high + padding] = 128
    path = folder / "paint.png"
    write_plane(path, Plane(paint, Encoding.SRGB))
    history = kit_of({}, coats=False)
    history.do(commands.add_map("sheet_1", source(path, Role.BASE_COLOUR, Encoding.SRGB)))
    history.do(commands.add_mesh(two_quads(folder)))
    history.do(commands.set_conditions("sheet_1", Conditions("encoded_mips")))
    return history


def test_seams_are_edges_on_which_uvs_part(tmp_path: Path) -> None:
    mesh = read_mesh(Path(two_quads(tmp_path).path))
    found = seams(mesh, mesh.uv_sets[0])
    assert found.both.shape == (1, 2, 2, 2)
    assert sorted((found.both[0, :, :, 0] * SIDE).tolist()) == [[24, 24], [40, 40]]
    assert (found.both[0, 0, :, 1] == found.both[0, 1, :, 1]).all()  # the same ends on both sides
    assert len(found.alone) == 6
    assert len(found.borders) == 8
    points = along(found.both, 7)
    assert points.shape == (7, 2, 2)
    assert np.allclose(np.sort(points[:, 0, 1]) * SIDE, TOP + (np.arange(7) + 0.5) / 7 * (BOTTOM - TOP), atol=1e-4)
    assert (points[:, 0, 1] == points[:, 1, 1]).all()
    assert along(found.both[:0], 7).shape == (0, 2, 2)


@pytest.mark.parametrize("padding", [1, 2, 3, 4])
def test_padding_ends_and_seams_open_at_a_level(tmp_path: Path, sheets: Sheets, padding: int) -> None:
    """Filtered at an edge, level k reads 2^k texels beyond it: padding lasts as long as it is that wide (common practice)."""
    history = padded_kit(tmp_path, padding)
    first = lasting_mips(padding) + 1
    (found,) = proof_padding.check(history.kit.at(), sheets, None)
    assert f"ends at level {first}:" in found.text
    assert found.distance == 1 << first
    (seam,) = proof_seams.check(history.kit.at(), sheets, None)
    assert f"open at level {first} " in seam.text
    assert "on 100% of their length" in seam.text
    assert seam.place is not None
    assert any(seam.place[0] <= at / SIDE <= seam.place[2] for at in (LEFT[1], RIGHT[0]))
    assert found.mend is not None
    history.do(found.mend.command)
    assert list(proof_padding.check(history.kit.at(), sheets, None)) == []
    assert list(proof_seams.check(history.kit.at(), sheets, None)) == []


def test_padding_that_lasts_is_not_told(tmp_path: Path, sheets: Sheets) -> None:
    """Two texels last to level 1: all that is used, where the artist says so."""
    history = padded_kit(tmp_path, 2)
    history.do(commands.set_lowest_mip("sheet_1", 1))
    assert list(proof_padding.check(history.kit.at(), sheets, None)) == []
    history.do(commands.set_lowest_mip("sheet_1", 4))
    assert len(list(proof_padding.check(history.kit.at(), sheets, None))) == 1
    history.do(commands.set_conditions("sheet_1", Conditions()))
    assert list(proof_padding.check(history.kit.at(), sheets, None)) == []  # nothing is asked of a runtime


def test_paint_that_goes_on_beyond_islands_is_no_finding(sheets: Sheets) -> None:
    """The demo's: planks and leaves are painted over the borders, other than the nearest texel, but as they go on."""
    history = History(read_kit(KIT_FOLDER))
    for sheet in ("sheet_1", "reed_clump"):
        history.do(commands.set_conditions(sheet, Conditions("half")))
        assert list(proof_padding.check(history.kit.at(sheet), sheets, None)) == []


def test_maps_are_padded_from_texels_whose_centres_islands_cover(tmp_path: Path, sheets: Sheets) -> None:
    history = padded_kit(tmp_path, 0)
    history.do(commands.set_pad_maps("sheet_1", True, 3))
    history.do(commands.set_padding("sheet_1", 3))
    plane = shipped(history.kit.at(), sheets).slots["base_colour"].plane
    islands = np.zeros((SIDE, SIDE), bool)
    for low, high in (LEFT, RIGHT):
        islands[TOP - 3 : BOTTOM + 3, low - 3 : high + 3] = True
    assert (plane.samples[islands][:, :3] == 128).all()
    assert set(np.unique(plane.samples[~islands][:, :3])) == {0, 255}
    history.do(commands.set_pad_maps("sheet_1", False))
    assert (shipped(history.kit.at(), sheets).slots["base_colour"].plane.samples == 128).all(
        axis=-1
    ).sum() < islands.sum()


def test_a_border_under_a_wrong_flag(tmp_path: Path, sheets: Sheets) -> None:
    """Two regions that share a column of texels half and half; 0.5 that is decoded counts as 0.214 (IEC 61966-2-1)."""
    paths = write_maps(tmp_path)
    ids = np.zeros((SIDE, SIDE, 3), np.float32)
    ids[:, : SIDE // 2], ids[:, SIDE // 2 :] = RED, GREEN
    ids[:, SIDE // 2] = (float32(RED) + float32(GREEN)) / 2
    write_plane(paths[Role.ID], Plane(np.asarray(ids + 0.5, np.uint8), Encoding.DATA))
    write_plane(paths[Role.BASE_COLOUR], Plane(np.full((SIDE, SIDE, 3), 188, np.uint8), Encoding.SRGB))
    history = kit_of(paths, coats=False)
    history.do(commands.set_blending(Blending.LINEAR))
    for region, colour in (("region_1", (0.8, 0.1, 0.1)), ("region_2", (0.1, 0.2, 0.8))):
        history.do(commands.set_cell_value(region, "colour", colour))
    assert list(proof_fringes.check(history.kit.at(), sheets, None)) == []
    history.do(commands.set_conditions("sheet_1", Conditions("wrong_flag")))
    (found,) = proof_fringes.check(history.kit.at(), sheets, None)
    at = history.kit.at()
    meant = shipped(at, sheets)
    uv = float32([[(0.25, 0.5), (0.75, 0.5)]])
    one, other = colours_on(at, meant, MASTER, uv, 1, None)[0]
    base = np.float32(((188 / 255 + 0.055) / 1.055) ** 2.4)
    shown = 0.214 * (one + other) + (1 - 2 * 0.214) * base
    off = delta((one + other) / 2, shown)
    assert f"off by {off:.0f}" == f"off by {float(found.text.split('off by ')[1].split(' ')[0]):.0f}"
    assert "within them by 0.0" in found.text
    assert found.place == (0.5, 0.0, 33 / SIDE, 1.0)
    assert found.mend is not None
    history.do(found.mend.command)
    assert list(proof_fringes.check(history.kit.at(), sheets, None)) == []


def delta(one: np.ndarray, other: np.ndarray) -> float:
    """CIEDE2000 of two linear colours by scikit-image, which takes encoded ones."""
    encoded = [np.where(c <= 0.0031308, c * 12.92, 1.055 * np.maximum(c, 0) ** (1 / 2.4) - 0.055) for c in (one, other)]
    return float(skimage.color.deltaE_ciede2000(*(skimage.color.rgb2lab(c[None, None]) for c in encoded)).ravel()[0])


def test_edges_in_blocks_of_half_a_byte_fringe(sheets: Sheets) -> None:
    """Three masks in a block of BC1 share two colours, so where regions meet a third shines in (common practice)."""
    history = History(read_kit(KIT_FOLDER))
    history.do(commands.set_conditions("oar_and_crate", Conditions("half")))
    found = list(proof_fringes.check(history.kit.at("oar_and_crate"), sheets, None))
    assert found
    assert all("fringe in" in each.text and each.variant for each in found)
    history.do(
        commands.set_conditions("oar_and_crate", Conditions("nothing", {"base_colour": MapConditions("BC1", 2)}))
    )
    assert list(proof_fringes.check(history.kit.at("oar_and_crate"), sheets, None)) == []  # not by the weights
