"""Layouts: guessed from names and content, said by commands, and read as the roles that channels have."""

from pathlib import Path

import msgspec
import numpy as np
import pytest

from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.store import decode_kit, encode_kit
from even_palette.core.material.model import PlaneKind, PlaneRef, PlaneUse
from even_palette.core.raster.guess import Role
from even_palette.core.raster.layouts import GIVES, READY, Hold, Layout, guess_map
from even_palette.core.raster.plane import Encoding
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.maps import given_plane
from even_palette.core.results.pictures import render_reference, whole_sheet
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.weights import weights_of
from even_palette.gl.sheet_view import SheetRenderer
from tests.core.test_packages import add_map

N, C, O, R, S, M, H, A = (  # noqa: E741
    Hold.NOTHING, Hold.COLOUR, Hold.OCCLUSION, Hold.ROUGHNESS, Hold.SMOOTHNESS, Hold.METALNESS, Hold.HEIGHT, Hold.OPACITY,
)  # fmt: skip
RNG = np.random.default_rng(21)


def numbers(channels: int) -> np.ndarray:
    """Channels that have nothing to do with each other."""
    return RNG.integers(0, 256, (40, 30, channels)).astype(np.uint8)


def colours(channels: int, alpha: int = 200) -> np.ndarray:
    """Soft colours whose channels go with each other, as paint has them."""
    grey = RNG.integers(20, 200, (40, 30, 1))
    paint = np.concatenate([grey + 30, grey + 10, grey], axis=2).astype(np.uint8)
    return paint if channels == 3 else np.dstack([paint, np.full((40, 30), alpha, np.uint8)])


@pytest.mark.parametrize(
    ("name", "samples", "role", "layout"),
    [
        ("tug_orm.png", numbers(3), Role.NONE, (O, R, M)),
        ("tug_ARM.png", numbers(3), Role.NONE, (O, R, M)),
        ("tug_rma.png", numbers(3), Role.NONE, (R, M, O)),
        ("tug_mohs.png", numbers(4), Role.NONE, (M, O, H, S)),
        ("tug_orm.png", numbers(4), Role.NONE, (O, R, M, N)),
        ("tug_OcclusionRoughnessMetallic.png", numbers(3), Role.NONE, (O, R, M)),
        ("tug_metallicRoughness.png", numbers(3), Role.NONE, (N, R, M)),
        ("tug_metallic_smoothness.png", numbers(4), Role.NONE, (M, N, N, S)),
        ("tug_smoothness.png", numbers(1), Role.NONE, (S,)),
        ("tug_roughness.png", numbers(1), Role.ROUGHNESS, ()),
        ("left_arm.png", colours(3), Role.BASE_COLOUR, ()),
        ("left_arm_base_colour.png", colours(3), Role.BASE_COLOUR, ()),
        ("leaf_base_colour.png", colours(4), Role.BASE_COLOUR, (C, C, C, A)),
        ("leaf_base_colour.png", colours(4, 255), Role.BASE_COLOUR, ()),
        ("wall_height_base_colour.png", colours(4), Role.BASE_COLOUR, (C, C, C, H)),
    ],
)
def test_guesses(name: str, samples: np.ndarray, role: Role, layout: Layout) -> None:
    """File names as they are common practice; metalness and roughness together: glTF 2.0, section 3.9.2."""
    assert guess_map(Path(name), samples)[::2] == (role, layout)


@pytest.mark.parametrize("ready", READY, ids=lambda ready: ready.name)
def test_ready_layouts_are_read_as_their_roles(ready, history: History, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    """Every channel gives its role, smoothness turned; in the material as well, at every texel, in all back ends."""
    samples = RNG.integers(0, 256, (64, 64, len(ready.holds))).astype(np.uint8)
    if Hold.COLOUR in ready.holds:
        history.do(commands.remove_map("sheet_1", "base_colour"))
    key = add_map(history, tmp_path / "packed.png", samples, Role.NONE, Encoding.DATA)
    history.do(commands.set_layout("sheet_1", key, ready.holds))
    history.do(commands.set_coat_kind("region_1", "finish"))
    at, sheets = history.kit.at(), Sheets()
    for channel, hold in enumerate(ready.holds):
        if hold not in GIVES:
            continue
        plane = given_plane(at, GIVES[hold], sheets)
        assert plane is not None
        wanted = 255 - samples[..., channel] if hold == S else samples[..., channel]
        assert np.array_equal(plane.samples[..., 0], wanted)
        if hold not in (R, S, M):
            continue
        output = str(GIVES[hold])
        shown = picture(history.kit.at(), sheets, Look("surface", output=output))
        free = weights_of(history.kit.at(), sheets).levels[0] == 0  # texels of no region in that coat
        assert free.sum() > 1000
        view = whole_sheet(64, 64)
        for drawn in (render_reference(shown, view), SheetRenderer().render(shown, view)[..., :3]):
            assert np.abs(drawn[..., 0].astype(int) - wanted)[free].max() <= 1


def test_smoothness_turned_twice_is_the_same(history: History, tmp_path: Path) -> None:
    for bits in (np.uint8, np.uint16, np.float32):
        values = RNG.random((9, 7, 1))
        samples = values.astype(bits) if bits == np.float32 else (values * np.iinfo(bits).max).astype(bits)
        path = tmp_path / f"{np.dtype(bits).name}.tif"
        key = add_map(history, path, samples, Role.NONE, Encoding.DATA)
        history.do(commands.set_layout("sheet_1", key, (S,)))
        once = given_plane(history.kit.at(), Role.ROUGHNESS, Sheets())
        assert once is not None
        again = add_map(history, tmp_path / f"turned-{path.name}", once.samples, Role.NONE, Encoding.DATA)
        history.do(commands.set_layout("sheet_1", again, (S,)))
        twice = given_plane(history.kit.at(), Role.ROUGHNESS, Sheets())
        assert twice is not None
        if bits == np.float32:
            assert np.abs(twice.samples - samples).max() < 1e-6
        else:
            assert np.array_equal(twice.samples, samples)


def test_a_role_is_given_once(history: History, tmp_path: Path) -> None:
    """What a map gives anew, no other gives any more; undo brings it back; two that give one are refused."""
    first = add_map(history, tmp_path / "rough.png", numbers(1), Role.ROUGHNESS, Encoding.DATA)
    packed = add_map(history, tmp_path / "packed.png", numbers(3), Role.NONE, Encoding.DATA)
    before = history.kit
    history.do(commands.set_layout("sheet_1", packed, (O, R, M)))
    sheet = history.kit.sheets[0]
    assert sheet.map(first).role == Role.NONE
    assert [sheet.given(role).source.key for role in (Role.OCCLUSION, Role.ROUGHNESS)] == [packed] * 2  # type: ignore[union-attr]
    history.do(commands.set_role("sheet_1", first, Role.ROUGHNESS))
    assert history.kit.sheets[0].map(packed).layout == (O, N, M)
    other = add_map(history, tmp_path / "other.png", numbers(1), Role.METALNESS, Encoding.DATA)
    assert history.kit.sheets[0].map(other).role == Role.NONE  # a channel gives that already
    history.undo()
    history.undo()
    history.undo()
    assert history.kit == before
    two = before.sheets[0]
    sources = tuple(
        msgspec.structs.replace(source, layout=(R, N, N)) if source.key == packed else source for source in two.sources
    )
    text = encode_kit(before.with_sheet(msgspec.structs.replace(two, sources=sources)), tmp_path)
    with pytest.raises(UserError, match="roughness"):
        decode_kit(text, tmp_path)


def test_what_lies_beside_colour_leaves_it_its_role(history: History, tmp_path: Path) -> None:
    """The alpha of paint gives opacity; the paint stays the base colour."""
    sheet, sheets = history.kit.sheets[0], Sheets()
    samples = np.dstack([colours(3)[:40, :30], numbers(1)])
    path = tmp_path / "leaf_base_colour.png"
    history.do(commands.remove_map("sheet_1", sheet.source(Role.BASE_COLOUR).key))  # type: ignore[union-attr]
    key = add_map(history, path, samples, Role.BASE_COLOUR, Encoding.SRGB)
    history.do(commands.set_layout("sheet_1", key, (C, C, C, A)))
    given = history.kit.sheets[0].given(Role.OPACITY)
    assert given is not None
    assert given.use == PlaneUse(PlaneRef(PlaneKind.MAP, key), channel=3)
    assert history.kit.sheets[0].map(key).role == Role.BASE_COLOUR
    plane = given_plane(history.kit.at(), Role.OPACITY, sheets)
    assert plane is not None
    assert np.array_equal(plane.samples[..., 0], samples[..., 3])


def test_a_kit_whose_maps_were_one_thing_opens(tmp_path: Path) -> None:
    """Format 5: as it was, in the present format."""
    text = (Path(__file__).parent / "kits" / "format_5.json").read_bytes()
    stored, kit = msgspec.json.decode(text), decode_kit(text, tmp_path)
    assert stored["format"] == 5
    assert all(source.layout == () for sheet in kit.sheets for source in sheet.sources)
    assert decode_kit(encode_kit(kit, tmp_path), tmp_path) == kit
    again = msgspec.json.decode(encode_kit(kit, tmp_path))
    assert [[source["role"] for source in sheet["sources"]] for sheet in again["sheets"]] == [
        [source["role"] for source in sheet["sources"]] for sheet in stored["sheets"]
    ]
