"""Conditions: blocks, levels, flags and filters as runtimes have them, with their errors and their bytes."""

from pathlib import Path
from threading import get_ident

import numpy as np
import pytest
from msgspec.structs import replace
from skimage import data

from even_palette.core.arrays import float32
from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.errors import UserError
from even_palette.core.graph import nodes, slots
from even_palette.core.graph.fused import Frame, run_fused
from even_palette.core.graph.program import program_of
from even_palette.core.graph.reference import Environment, run
from even_palette.core.jobs import CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.model import Kit
from even_palette.core.kit.store import decode_kit, encode_kit
from even_palette.core.proof.conditions import (
    FORMATS,
    PLAIN,
    PRESETS,
    Conditions,
    MapConditions,
    MapFacts,
    Mips,
    ReadAs,
    Use,
    bytes_of,
    conditions_of,
    fits,
    formats_for,
    of_kinds,
)
from even_palette.core.proof.degrade import degraded, degraded_chain, most_frequent
from even_palette.core.proof.errors import angle_errors, colour_errors, number_errors, spread_of
from even_palette.core.raster.blocks import Block, block_bytes, decode_blocks, encode_blocks
from even_palette.core.raster.chain import Chain, sample_minified
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.pixel_footprint import covered_by
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import SHARP, Filter, Sampler, Wrap, sample
from even_palette.core.regions.packing import Packing
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.pictures import render_reference, whole_sheet
from even_palette.core.results.proof import map_bytes, shipped, under
from even_palette.core.results.proof_errors import errors_of_results
from even_palette.core.results.sheets import Sheets
from tests.conftest import kit_of, source

PHOTO = data.astronaut()[40:237, 100:351]


def facts(use: Use, channels: int, is_srgb: bool = False, size: tuple[int, int] = (512, 512)) -> MapFacts:
    return MapFacts(use, channels, is_srgb, 8, size[1], size[0], True)


def chain_of(samples: np.ndarray, encoding: Encoding) -> Chain:
    return Chain(Plane(np.ascontiguousarray(samples), encoding))


def test_bytes_are_those_of_the_specification() -> None:
    """Khronos Data Format Specification 1.3; 512 x 512 RGBA8 is 1 MiB, its BC1 128 KiB (common practice); with levels
    below 4/3 of the first.
    """
    still = replace(MapConditions(), mips=Mips.NONE)
    assert bytes_of(still, facts(Use.COLOUR, 4)) == 1 << 20
    assert bytes_of(replace(still, format="BC1"), facts(Use.COLOUR, 3)) == 128 << 10
    assert bytes_of(replace(still, format="ETC2 RGB"), facts(Use.COLOUR, 3)) == 128 << 10
    assert bytes_of(replace(still, format="BC7"), facts(Use.COLOUR, 4)) == 256 << 10
    assert bytes_of(replace(still, format="EAC R"), facts(Use.NUMBERS, 1)) == 128 << 10
    for name in FORMATS:
        fact = facts(Use.COLOUR, 1, size=(300, 197))
        with_levels, first = (bytes_of(MapConditions(name, mips=mips), fact) for mips in (Mips.LINEAR, Mips.NONE))
        assert first < with_levels < first * 4 / 3 + 1000  # small levels take whole blocks
    assert bytes_of(MapConditions("BC1", smaller=1), facts(Use.COLOUR, 3)) < 128 << 9
    sizes = [(1, 1), (3, 2), (4, 4), (5, 7), (1, 64)]
    by_hand = [1, 1, 1, 4, 16]
    assert [block_bytes(Block.BC1, *size) // 8 for size in sizes] == by_hand


MODIFIERS = np.array([
    (-3, -6, -9, -15, 2, 5, 8, 14), (-3, -7, -10, -13, 2, 6, 9, 12), (-2, -5, -8, -13, 1, 4, 7, 12), (-2, -4, -6, -13, 1, 3, 5, 12),
    (-3, -6, -8, -12, 2, 5, 7, 11), (-3, -7, -9, -11, 2, 6, 8, 10), (-4, -7, -8, -11, 3, 6, 7, 10), (-3, -5, -8, -11, 2, 4, 7, 10),
    (-2, -6, -8, -10, 1, 5, 7, 9), (-2, -5, -8, -10, 1, 4, 7, 9), (-2, -4, -8, -10, 1, 3, 7, 9), (-2, -5, -7, -10, 1, 4, 6, 9),
    (-3, -4, -7, -10, 2, 3, 6, 9), (-1, -2, -3, -10, 0, 1, 2, 9), (-4, -6, -8, -9, 3, 5, 7, 8), (-3, -5, -7, -9, 2, 4, 6, 8),
])  # fmt: skip
"""Of EAC blocks (Khronos Data Format Specification 1.3, section on R11 EAC; from memory)."""


def eac(blocks: bytes, width: int, height: int, stride: int, first: int) -> np.ndarray:
    """One channel of R11 blocks by the specification, 0..255: base 8 + 4 + modifier multiplier 8, of 2047."""
    found = np.zeros((-(-height // 4) * 4, -(-width // 4) * 4))
    for number in range(len(blocks) // stride):
        data_ = int.from_bytes(blocks[number * stride + first : number * stride + first + 8], "big")
        base, multiplier, table = data_ >> 56, data_ >> 52 & 15, data_ >> 48 & 15
        down, across = divmod(number, found.shape[1] // 4)
        for texel in range(16):  # columns first
            modifier = MODIFIERS[table][data_ >> (45 - 3 * texel) & 7]
            value = base * 8 + 4 + modifier * (multiplier * 8 if multiplier else 1)
            found[down * 4 + texel % 4, across * 4 + texel // 4] = min(max(value, 0), 2047) / 2047 * 255
    return found[:height, :width]


@pytest.mark.parametrize(("block", "channels"), [(Block.EAC_R, 1), (Block.EAC_RG, 2)])
def test_eac_is_decoded_as_the_specification_says(block: Block, channels: int) -> None:
    photo = np.ascontiguousarray(PHOTO[:61, :46, :channels])
    blocks = encode_blocks(photo, block)
    ours = decode_blocks(blocks, block, 46, 61)
    for channel in range(channels):
        theirs = eac(blocks, 46, 61, 8 * channels, 8 * channel)
        assert np.abs(ours[..., channel] - theirs).max() <= 1
    assert np.abs(ours.astype(int) - photo).mean() < 3


@pytest.mark.parametrize(("block", "most"), [(Block.ETC2_RGB, 4.5), (Block.ETC2_RGBA, 4.0)])
def test_photographs_survive_etc2(block: Block, most: float) -> None:
    levels = np.dstack([PHOTO, PHOTO[..., :1]])[..., : 3 if block == Block.ETC2_RGB else 4]
    back = decode_blocks(encode_blocks(np.ascontiguousarray(levels), block), block, PHOTO.shape[1], PHOTO.shape[0])
    assert np.abs(back.astype(int) - levels).mean() < most


def test_levels_of_light_and_of_encoded_values() -> None:
    """Black and white in turn: half the light is 188 as sRGB, half of the encoded values 128 (arithmetic)."""
    checker = np.indices((64, 64)).sum(axis=0) % 2 * 255
    chain = chain_of(np.repeat(checker[..., None], 3, axis=2).astype(np.uint8), Encoding.SRGB)
    for mips, wanted in ((Mips.LINEAR, 188), (Mips.ENCODED, 128)):
        found = degraded_chain(chain, MapConditions(mips=mips), facts(Use.COLOUR, 3, True))
        assert found.count == 7
        for number in range(1, 7):
            assert np.abs(found.level(number).samples.astype(int) - wanted).max() <= 1


def test_normals_stay_at_length_1() -> None:
    """Also where only x and y are kept in blocks: z follows."""
    rng = np.random.default_rng(1)
    n = rng.normal(size=(61, 44, 3)) * (1, 1, 0.3) + (0, 0, 0.8)
    n[..., 2] = np.abs(n[..., 2]) + 0.05
    n /= np.linalg.norm(n, axis=-1, keepdims=True)
    chain = chain_of(np.asarray((n + 1) * 127.5 + 0.5, np.uint8), Encoding.DATA)
    for conditions in (MapConditions(mips=Mips.NORMALS), MapConditions("BC5", mips=Mips.NORMALS)):
        found = degraded_chain(chain, conditions, facts(Use.NORMAL, 3))
        for number in range(1, found.count):
            lengths = np.linalg.norm(found.level(number).values() * 2 - 1, axis=-1)
            assert np.abs(lengths - 1).max() < 0.03, number
    flat = degraded_chain(chain, MapConditions(mips=Mips.LINEAR), facts(Use.NORMAL, 3))
    assert np.linalg.norm(flat.level(5).values() * 2 - 1, axis=-1).min() < 0.97


def test_a_wrong_flag() -> None:
    """A mask of 0.5 that is read as sRGB gives 0.214 (IEC 61966-2-1), colour that is not decoded its encoded value."""
    grey = chain_of(np.full((8, 8, 1), 128, np.uint8), Encoding.DATA)
    misread = degraded_chain(grey, MapConditions(read_as=ReadAs.SRGB), facts(Use.NUMBERS, 1))
    assert misread.plane.linear() == pytest.approx(0.214, abs=2.5e-3)  # 128 is 0.502
    colour = chain_of(np.full((8, 8, 3), 128, np.uint8), Encoding.SRGB)
    plain = degraded_chain(colour, MapConditions(read_as=ReadAs.DATA), facts(Use.COLOUR, 3, True))
    assert plain.plane.linear() == pytest.approx(128 / 255)


def test_an_index_filtered_halfway_is_another_entry() -> None:
    """Common practice: halfway between entries i and j lies (i + j) / 2; at the border of a repeating sheet, the other
    end's entry.
    """
    stored = np.zeros((4, 4, 1), np.uint8)
    stored[:, 2:] = 200
    slot = slots.of(Plane(stored, Encoding.DATA), SHARP)
    loose = degraded(slot, MapConditions(filter=Filter.LINEAR), lambda chain: chain)
    halfway = float32([[0.5, 0.5]])
    assert sample(loose.plane, halfway, loose.sampler)[0, 0] == pytest.approx(100 / 255)
    assert sample(slot.plane, halfway, slot.sampler)[0, 0] in (0, np.float32(200 / 255))


@pytest.mark.parametrize("size", [(16, 16), (13, 22), (1, 9)])
def test_the_entry_that_occurs_most_often(size: tuple[int, int]) -> None:
    """By counting, square by square, the lowest of equals; a level has the size that textures have."""
    rng = np.random.default_rng(4)
    stored = rng.integers(0, 4, (*size, 1)).astype(np.uint8) * 60
    for level in range(1, max(size).bit_length()):
        found = most_frequent(stored, level)
        assert found.shape == (max(1, size[0] >> level), max(1, size[1] >> level), 1)
        side = 2**level
        square = stored[: min(side, size[0]), : min(side, size[1])]
        values, counts = np.unique(square, return_counts=True)
        assert found[0, 0, 0] == values[counts.argmax()]


@pytest.mark.parametrize("name", [name for name in FORMATS if fits(MapConditions(name), facts(Use.COLOUR, 3))])
@pytest.mark.parametrize("smaller", [0, 1, 3])
def test_every_level_goes_through_its_format(name: str, smaller: int) -> None:
    """A photograph of odd size: as many levels as textures have, each what blocks make of the level as it is meant."""
    chain = chain_of(PHOTO, Encoding.SRGB)
    found = degraded_chain(chain, MapConditions(name, smaller), facts(Use.COLOUR, 3, True))
    assert found.count == chain.count - smaller
    uv = float32(np.random.default_rng(0).random((4000, 2)))
    meant, shown = (sample_minified(each, uv, 1.0) for each in (chain.from_level(smaller), found))
    off = np.abs(meant - shown).mean()
    assert off < (0.003 if name == PLAIN else 0.03)
    assert off > 0 or name == PLAIN  # blocks lose
    for number in (1, found.count - 1):
        assert found.level(number).samples.shape[:2] == (
            max(1, (PHOTO.shape[0] >> smaller) >> number),
            max(1, (PHOTO.shape[1] >> smaller) >> number),
        )


def test_formats_that_hold_a_map() -> None:
    assert formats_for(facts(Use.WEIGHTS, 4)) == ["plain", "BC3", "BC7", "ETC2 RGBA"]
    assert "BC5" in formats_for(facts(Use.NORMAL, 3))
    assert "BC5" not in formats_for(facts(Use.COLOUR, 3))
    own = Conditions("byte", {"a": MapConditions("BC1"), "b": MapConditions("BC4")})
    assert conditions_of(own, "a", facts(Use.COLOUR, 3)).format == "BC1"
    assert conditions_of(own, "b", facts(Use.COLOUR, 3)).format == "BC7"  # one channel does not hold it
    for preset in PRESETS.values():
        for use in Use:
            for channels in (1, 2, 3, 4):
                assert fits(preset.of(use, channels), facts(use, channels)), (preset.label, use, channels)


def test_errors_by_hand() -> None:
    """CIEDE2000 and OKLab of white and black, angles by a turn, percent of the range; where the worst lies."""
    white, black = np.ones((1, 3), np.float32), np.zeros((1, 3), np.float32)
    seen, apart = colour_errors(white, black)
    assert (seen[0], apart[0]) == (pytest.approx(100, abs=1e-3), pytest.approx(100, abs=1e-3))
    up, tilted = np.float32([[0.5, 0.5, 1.0]]), np.float32([[0.5 + 0.5 * np.sin(0.3), 0.5, 0.5 + 0.5 * np.cos(0.3)]])
    assert angle_errors(up, tilted)[0] == pytest.approx(np.degrees(0.3), abs=1e-3)
    assert number_errors(np.float32([0.25]), np.float32([0.75]))[0] == pytest.approx(50)
    found = spread_of(np.arange(1000) / 10, float32(np.linspace(0, 1, 2000).reshape(1000, 2)))
    assert (found.mean, found.worst) == (pytest.approx(49.95), pytest.approx(99.9))
    assert found.most == pytest.approx(94.9, abs=0.1)
    assert found.place == pytest.approx((1998 / 1999, 1.0))


def test_nothing_done_is_the_result(history: History, sheets: Sheets) -> None:
    """Under no conditions nothing is off, and the picture is that of the result, whatever packing weights ship in."""
    at = history.kit.at()
    for each in errors_of_results(at, sheets, ["", "day"], Conditions()):
        assert each.spread.worst == 0, each
    one, other = (
        render_reference(picture(at, sheets, look), whole_sheet(64, 64)) for look in (Look(), Look("runtime"))
    )
    assert np.abs(one.astype(int) - other).max() <= 1
    black = render_reference(picture(at, sheets, Look("runtime", steps=4)), whole_sheet(64, 64))
    assert black.max() == 0


def test_what_a_pixel_covers() -> None:
    """OpenGL 4.6, section 8.14.1: log2 of the longer side; with anisotropy of the longer side shared among the probes."""
    level = [covered_by(256, 128, (8 / 256, 0, 0, 2 / 128), Sampler(anisotropy=most)) for most in (1, 2, 4, 16)]
    assert [(seen.level, seen.probes) for seen in level] == [(3, 1), (2, 2), (1, 4), (1, 4)]
    assert np.allclose(level[2].shifts, [(8 / 256 * (n / 5 - 0.5), 0) for n in (1, 2, 3, 4)])
    assert covered_by(256, 128, (1 / 256, 0, 0, 7 / 128), Sampler(anisotropy=16)).axis == (0, 7 / 128)
    for bias, wanted in ((0.75, 2.75), (-1.5, 0.5), (-2.0, 0.0)):
        assert covered_by(64, 64, (4 / 64, 0, 0, 1 / 64), Sampler(bias=bias)).level == wanted
    assert covered_by(64, 64, (0.5 / 64, 0, 0, 0.5 / 64), Sampler(bias=2)).level == 1  # magnified twice
    nothing = covered_by(64, 64, (0, 0, 0, 0), Sampler(bias=2))
    assert (nothing.level, nothing.probes) == (0, 1)
    for plain in (Sampler(Filter.NEAREST, anisotropy=8), Sampler(mips=False, anisotropy=8)):
        assert covered_by(64, 64, (8 / 64, 0, 0, 1 / 64), plain).probes == 1


@pytest.mark.parametrize("bias", [-0.6, 0.0, 1.25])
def test_loops_read_the_levels_that_the_reference_reads(bias: float) -> None:
    """Levels that the sampler chooses, and those that the formula asks for, with a bias; sides are odd."""
    rng = np.random.default_rng(3)
    plane = Plane(rng.integers(0, 256, (53, 77, 3)).astype(np.uint8), Encoding.SRGB)
    slot = slots.of(plane, Sampler(wrap=Wrap.REPEAT, anisotropy=4, bias=bias))
    asked = nodes.texture_lod("map", nodes.uv(), nodes.uv()["x"] * 5)
    program = program_of({"seen": nodes.texture("map", nodes.uv()), "asked": asked})
    frame = Frame(31, 17, (0.2, 0.1), (3.3 / 77, 1.1 / 53))
    looped = run_fused(program, {"map": slot}, {}, frame)
    pixel = (frame.step[0], 0.0, 0.0, frame.step[1])
    exact = run(program, Environment(frame.uv(), {"map": slot}, {}, pixel=pixel))
    for name in program.outputs:
        assert np.abs(looped[name] - exact[name]).max() < 2e-5, name


def test_conditions_for_kinds_of_maps(tmp_path: Path) -> None:
    """Those of most maps of a kind, where the preset says otherwise; a map's own go before, what does not fit does not."""
    colour, one = facts(Use.COLOUR, 3), facts(Use.NUMBERS, 1)
    maps = {"a": colour, "b": colour, "c": colour, "d": one}
    blocks, wide = MapConditions("BC7"), MapConditions(anisotropy=8)
    kept = of_kinds(Conditions("half", {"a": blocks, "b": blocks, "c": wide}), maps)
    assert kept == Conditions("half", kinds={"colour 3": blocks})
    assert conditions_of(kept, "x", colour) == blocks
    assert conditions_of(replace(kept, maps={"x": wide}), "x", colour) == wide
    assert conditions_of(kept, "d", one) == conditions_of(Conditions("half"), "d", one)
    assert (
        conditions_of(Conditions("half", kinds={"colour 4": MapConditions("BC1")}), "x", facts(Use.COLOUR, 4)).format
        == "BC3"
    )
    history = History(Kit())
    history.do(commands.add_preset(" Mine ", replace(kept, maps={"a": wide}, held=("a",))))
    history.do(commands.add_preset("Mobile", kept))
    assert [(each.name, each.conditions) for each in history.kit.presets] == [("Mine", kept), ("Mobile 2", kept)]
    again = decode_kit(encode_kit(history.kit, tmp_path), tmp_path)
    assert again.presets == history.kit.presets
    history.do(commands.remove_preset(history.kit.presets[0].key))
    assert [each.name for each in history.kit.presets] == ["Mobile 2"]
    with pytest.raises(UserError, match="BC9"):
        history.do(commands.add_preset("x", Conditions(kinds={"colour 3": MapConditions("BC9")})))


def test_views_of_large_maps_come_before_their_blocks(tmp_path: Path) -> None:
    """Levels that a whole view reads are in blocks at once; the rest is wished for on the thread that looks. Who does not
    hurry gets all of it.
    """
    paint = np.random.default_rng(2).integers(0, 256, (1100, 1301, 3)).astype(np.uint8)
    write_plane(tmp_path / "a.png", Plane(paint, Encoding.SRGB))
    history, store = kit_of({}, coats=False), Sheets()
    history.do(commands.add_map("sheet_1", source(tmp_path / "a.png", Role.BASE_COLOUR, Encoding.SRGB)))
    history.do(commands.set_conditions("sheet_1", Conditions("half")))
    at = history.kit.at()
    found = shipped(at, store)
    with store.hurrying():
        early = under(at.sheet.conditions, found, store).slots["base_colour"].chain
    assert store.wishes == {}
    assert np.array_equal(early.plane.samples[..., :3], paint)
    store.cache.only_looks = get_ident()
    again = under(at.sheet.conditions, found, store).slots["base_colour"].chain
    assert again is early
    (wish,) = [store.wishes[name] for name in store.wishes if found.slots["base_colour"].chain.content_id in name]
    store.cache.only_looks = None
    wish(CancelToken())
    store.cache.only_looks = get_ident()
    whole = under(at.sheet.conditions, found, store).slots["base_colour"].chain
    wanted = degraded_chain(found.slots["base_colour"].chain, MapConditions("BC1"), found.facts["base_colour"])
    assert whole.content_id == wanted.content_id
    assert [early.level(n).content_id for n in range(1, early.count)] == [
        wanted.level(n).content_id for n in range(1, wanted.count)
    ]


def test_each_map_counts_by_what_it_does_to_the_result(history: History, sheets: Sheets) -> None:
    """Conditions of one map alone: only what samples it is off; the difference picture is that distance."""
    kit = history.kit
    weights = next(name for name in shipped(kit.at(), sheets).names if name.startswith("weights"))
    history.do(commands.set_conditions("sheet_1", Conditions("nothing", {weights: MapConditions("BC7", 3)})))
    at = history.kit.at()
    found = errors_of_results(at, sheets, ["day"], distances=(1,))
    colour = next(each for each in found if each.output == "colour")
    assert colour.spread.worst > 5
    assert colour.oklab is not None
    assert colour.oklab.worst > 2
    assert [name for name, slot in under(at.sheet.conditions, shipped(at, sheets), sheets).slots.items() if slot is not shipped(at, sheets).slots[name]
            and slot.content_id != shipped(at, sheets).slots[name].content_id] == [weights]  # fmt: skip
    side = 64
    view = whole_sheet(side, side)
    meant, shown = (render_reference(picture(at, sheets, Look(kind, "day")), view) for kind in ("result", "runtime"))
    off = render_reference(picture(at, sheets, Look("runtime", "day", steps=1)), view)[..., 0]
    _, apart = colour_errors(*(srgb_to_linear(float32(each.reshape(-1, 3)) / 255) for each in (meant, shown)))
    assert np.abs(off.reshape(-1) / 255 * 100 - apart).max() < 1.2
    told = map_bytes(shipped(at, sheets), at.sheet.conditions)
    assert told[weights][1] * 30 < map_bytes(shipped(at, sheets), Conditions())[weights][1]


def test_conditions_are_kept_and_checked(history: History, tmp_path: Path) -> None:
    conditions = Conditions("half", {"base_colour": MapConditions("BC7", 1, Mips.ENCODED, Filter.NEAREST, ReadAs.DATA)})
    history.do(commands.set_conditions("sheet_1", conditions))
    assert decode_kit(encode_kit(history.kit, tmp_path), tmp_path) == history.kit
    with pytest.raises(UserError, match="no preset “best”"):
        history.do(commands.set_conditions("sheet_1", Conditions("best")))
    with pytest.raises(UserError, match="BC9"):
        history.do(commands.set_conditions("sheet_1", Conditions("half", {"a": MapConditions("BC9")})))
    with pytest.raises(UserError, match="smaller"):
        history.do(commands.set_conditions("sheet_1", Conditions("half", {"a": MapConditions("BC7", 99)})))


@pytest.mark.parametrize("distance", [2, 4, 16])
@pytest.mark.parametrize("packing", list(Packing))
def test_afar_each_pixel_is_a_square(distance: int, packing: Packing, history: History, sheets: Sheets) -> None:
    """What is seen from afar is the picture of so many fewer pixels, each shown large: at every texel, as runtimes pack."""
    history.do(commands.set_packing("sheet_1", packing))
    history.do(commands.set_conditions("sheet_1", Conditions("byte")))
    at = history.kit.at()
    for meant in (False, True):
        near = picture(at, sheets, Look("runtime", "day", meant=meant))
        small = render_reference(near, whole_sheet(64 // distance, 64 // distance)).astype(int)
        seen = render_reference(
            picture(at, sheets, Look("runtime", "day", meant=meant, distance=distance)), whole_sheet(64, 64)
        )
        large = small.repeat(distance, axis=0).repeat(distance, axis=1)
        assert np.abs(seen.astype(int) - large).max() <= 1
