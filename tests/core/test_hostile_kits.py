"""Kits and recipes that ask for too much or lie: refused with a sentence, or read in work that grows with their size.

Work is counted in calls, which are the same on every machine.
"""

import os
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import msgspec
import numpy as np
import pytest
from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import keyed_coats
from even_palette.core.kit.mesh_file import MeshFile
from even_palette.core.kit.model import Kit
from even_palette.core.kit.recipe_file import (
    RecipeFile,
    decode_recipe,
    encode_recipe,
    recipe_of,
    with_recipe,
)
from even_palette.core.kit.sheet import Bake, Box, Region, Sheet, Step, Unmix
from even_palette.core.kit.store import decode_kit, encode_kit, read_kit
from even_palette.core.limits import MOST_PARAMETERS, MOST_REGIONS, MOST_SIDE, MOST_STEPS, MOST_VARIANTS
from even_palette.core.material.model import Bound, Coat, Parameter, ValueKind, Variant
from even_palette.core.raster.files import read_plane
from even_palette.core.raster.plane import Encoding
from even_palette.core.regions.paint import Paint, PaintTile
from even_palette.core.results.masks import mask_of
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.weights import weights_of
from even_palette.terminal import command
from tests.core.test_keys import ROOM
from tests.core.test_steps import sized


@contextmanager
def few_calls(things: int, each: int = 100) -> Iterator[None]:
    """No more than so many calls, of Python's functions and of the libraries', for each of the things: what compares
    each with each of hundreds or thousands takes more."""
    counted = 0

    def count(frame: object, event: str, argument: object) -> None:
        nonlocal counted
        counted += event in ("call", "c_call")

    sys.setprofile(count)
    try:
        yield
    finally:
        sys.setprofile(None)
    assert counted < each * things


def read_in_few_calls(text: bytes, folder: Path, things: int, each: int = 100) -> Kit:
    with few_calls(things, each):
        return decode_kit(text, folder)


# Masks that read each other


def chained(count: int, each: int) -> Kit:
    """Regions of which each takes the masks of so many after it."""
    regions = [
        Region(
            f"r{n}", f"R {n}", (n, 0, 1), keyed=False,
            steps=tuple(Step("region_mask", region=f"r{m}") for m in range(n + 1, min(n + 1 + each, count))),
        )
        for n in range(count)
    ]  # fmt: skip
    last = replace(regions[-1], boxes=(Box(0.0, 0.0, 0.5, 0.5),))
    return Kit(sheets=(Sheet("sheet_1", "Sheet", regions=(*regions[:-1], last)),))


@pytest.mark.parametrize("each", [1, MOST_STEPS - 1])
def test_regions_that_take_each_others_masks_in_a_line(each: int, tmp_path: Path) -> None:
    """As many regions as a sheet has: read, resolved in order, and each has the mask of the last one."""
    text, steps = encode_kit(chained(MOST_REGIONS, each), tmp_path), MOST_REGIONS * each
    kit = sized(read_in_few_calls(text, tmp_path, MOST_REGIONS + steps), 40, 30)
    sheets = Sheets()
    with few_calls(MOST_REGIONS, each=2000):
        weights_of(kit.at(), sheets)
    wanted = mask_of(kit.at(), sheets, f"r{MOST_REGIONS - 1}").samples
    assert wanted.any()
    assert np.array_equal(mask_of(kit.at(), sheets, "r0").samples, wanted)
    changed = commands.add_box(f"r{MOST_REGIONS - 1}", Box(0.5, 0.5, 1.0, 1.0)).apply(kit)
    assert not np.array_equal(mask_of(changed.at(), sheets, "r0").samples, wanted)


# Counts


def many_parameters(count: int) -> tuple[Parameter, ...]:
    return tuple(Parameter(f"a_{n}", f"a_{n}", ValueKind.NUMBER, 0.5) for n in range(count))


def test_as_many_bound_values_as_there_may_be(tmp_path: Path) -> None:
    """255 regions of 16 coats on 4,000 parameters, and 300 sheets with 255 regions between them, are read."""
    parameters = many_parameters(4000)
    coat = [Coat("repaint", {"strength": Bound(f"a_{n}")}, key=f"c_{n}") for n in range(4000)]
    regions = tuple(
        Region(f"r{n}", f"R {n}", (n, 1, 0), coats=tuple(coat[(16 * n + k) % 4000] for k in range(16)))
        for n in range(MOST_REGIONS)
    )
    kit = Kit(sheets=(Sheet("sheet_1", "Sheet", regions=regions),), parameters=parameters)
    assert read_in_few_calls(encode_kit(kit, tmp_path), tmp_path, 4000 + 16 * MOST_REGIONS) == kit
    sheets = tuple(
        Sheet(f"s{n}", f"S {n}", regions=tuple(Region(f"r{n}_{k}", f"R {k}", (k, 0, 0)) for k in range(255)))
        for n in range(300)
    )
    kit = Kit(sheets=sheets[:1] + tuple(replace(sheet, regions=()) for sheet in sheets[1:]))
    assert read_in_few_calls(encode_kit(kit, tmp_path), tmp_path, 300, each=300) == kit


@pytest.mark.parametrize("format_", [3, 4])
@pytest.mark.parametrize(("what", "most"), [("parameters", MOST_PARAMETERS), ("variants", MOST_VARIANTS)])
def test_too_many_of_alike_names(format_: int, what: str, most: int, tmp_path: Path) -> None:
    """20,000 are refused before any is named; as many as there may be are named."""

    def text(count: int) -> bytes:
        parts = (
            [msgspec.to_builtins(p) for p in many_parameters(count)] if what == "parameters"
            else [{**msgspec.to_builtins(Variant(f"k{n}", " a " + "!" * (n + 1))), "parent": None} for n in range(count)]
        )  # fmt: skip
        if format_ == 3:
            parts = [{name: value for name, value in part.items() if name != "key"} for part in parts]
        return msgspec.json.encode({"format": format_, what: parts})

    read_in_few_calls(text(most), tmp_path, most)
    with pytest.raises(UserError, match=f"20,000 {what}; the limit is {most:,}"):
        read_in_few_calls(text(20_000), tmp_path, 1)


def test_recipe_files_of_too_many_parameters() -> None:
    few = RecipeFile((Coat("repaint", {"strength": Bound("a_0")}, key="c"),), many_parameters(MOST_PARAMETERS))
    text = encode_recipe(few)
    with few_calls(MOST_PARAMETERS):
        assert decode_recipe(text, "x").parameters == few.parameters[:1]
    text = encode_recipe(replace(few, parameters=many_parameters(20_000)))
    with pytest.raises(UserError, match="20,000 parameters; the limit"), few_calls(1):
        decode_recipe(text, "x")


def test_a_recipe_file_gives_its_text_again() -> None:
    """Whatever the order and whatever is left over: what was read is what every kit writes."""
    file = RecipeFile(
        keyed_coats([Coat("repaint", {"strength": Bound("b")}), Coat("repaint", {"strength": Bound("a")})]),
        tuple(Parameter(name, f"{name}_other", ValueKind.NUMBER, 0.5) for name in ("c", "b", "a")),
    )
    read = decode_recipe(encode_recipe(file), "x")
    kit, key = with_recipe(Kit(), Path("x"), read)
    assert encode_recipe(recipe_of(kit, key)[0]) == encode_recipe(read)


# Paint


def test_sizes_of_paint_are_those_of_sheets(tmp_path: Path) -> None:
    def kit(paint: Paint) -> Kit:
        region = Region("a", "A", (1, 2, 3), keyed=False, steps=(Step("paint", paint=paint),))
        return Kit(sheets=(Sheet("sheet_1", "Sheet", regions=(region,)),))

    for size, most in (((65535, 65535), 16384), ((MOST_SIDE + 1, 8), 16384), ((0, 5), 1)):
        with pytest.raises(
            UserError, match=f"region “A”, step 1: width cannot be {size[0]:g}; it is at (most|least) {most}"
        ):
            decode_kit(encode_kit(kit(Paint(*size)), tmp_path), tmp_path)
    tile = PaintTile.of(np.full((256, 256, 2), 65535, np.uint16))
    large = decode_kit(encode_kit(kit(Paint(MOST_SIDE, MOST_SIDE, {"63 63": tile})), tmp_path), tmp_path)
    large = commands.change_step("a", 0, Step("paint", paint=Paint(MOST_SIDE, MOST_SIDE, {"63 63": tile}))).apply(large)
    mask = mask_of(sized(large, 512, 300).at(), Sheets(), "a").samples[..., 0]
    assert mask[-4, -7] == 65535
    assert mask.sum(dtype=np.int64) < 65535 * 9 * 6


def test_equal_tiles_are_held_once(tmp_path: Path) -> None:
    tile = PaintTile.of(np.random.default_rng(1).integers(0, 65535, (256, 256, 2)).astype(np.uint16))
    paint = Paint(16384, 16384, {f"{row} {column}": tile for row in range(64) for column in range(64)})
    region = Region("a", "A", (1, 2, 3), keyed=False, steps=(Step("paint", paint=paint),) * 2)
    kit = Kit(sheets=(Sheet("sheet_1", "Sheet", regions=(region,)),))
    (tmp_path / "blobs").mkdir()
    (tmp_path / "blobs" / f"{tile.name}.paint").write_bytes(tile.packed)
    (tmp_path / "kit.json").write_bytes(encode_kit(kit, tmp_path))
    with few_calls(2 * len(paint.tiles)):
        read = read_kit(tmp_path)
    held = {id(each) for step in read.regions[0].steps for each in step.paint.tiles.values()}  # type: ignore[union-attr]
    assert len(held) == 1
    many = replace(region, steps=(Step("paint", paint=paint),) * 32)
    sheets = tuple(Sheet(f"s{n}", f"S {n}", regions=(replace(many, key=f"a{n}"),)) for n in range(3))
    with pytest.raises(UserError, match="tiles of paint; the limit is 262,144"):
        decode_kit(encode_kit(Kit(sheets=sheets), tmp_path), tmp_path)


def test_a_tile_means_the_same_before_and_after_it_is_read() -> None:
    """Also where it is none of its place: of other sides, or too small."""
    rng = np.random.default_rng(2)
    for shape in ((200, 256), (256, 200), (44, 256), (10, 10)):
        tile = PaintTile.of(rng.integers(0, 65535, (*shape, 2)).astype(np.uint16))
        again = PaintTile.read(tile.name, PaintTile.of(tile.samples(*shape)).packed)
        for place in ((256, 200), (200, 256), (256, 256), (44, 256)):
            assert np.array_equal(tile.samples(*place), again.samples(*place)), (shape, place)


# Numbers, sizes, names


@pytest.mark.parametrize(
    "text", [b'{"format": %s}', b'{"name": "x", "sheets": [{"key": "a", "name": "b", "padding": %s}]}']
)
def test_numbers_of_thousands_of_digits(text: bytes, tmp_path: Path) -> None:
    long = text % (b"9" * 5000)
    with pytest.raises(UserError, match="not a kit that can be opened"):
        decode_kit(long, tmp_path)
    with pytest.raises(UserError, match="not a recipe that can be opened"):
        decode_recipe(b'{"coats": [], "format": %s}' % (b"9" * 5000), "x")


@pytest.mark.parametrize("size", [(64, 65), (32, 255), (1, 1), (128, 128)])
def test_a_kit_that_lies_about_the_size_of_a_map(size: tuple[int, int], kit: Kit) -> None:
    sources = tuple(replace(source, width=size[0], height=size[1]) for source in kit.sheets[0].sources)
    odd = kit.with_sheet(replace(kit.sheets[0], sources=sources))
    with pytest.raises(UserError, match="is 64 x 64 texels, the kit says"):
        weights_of(odd.at(), Sheets())


def test_a_folder_named_in_bytes_that_are_no_text(tmp_path: Path, maps: dict[str, Path]) -> None:
    odd = Path(os.fsdecode(os.fsencode(tmp_path) + b"/\xff\xfe"))
    odd.mkdir()
    picture = next(iter(maps.values()))
    (odd / "a.png").write_bytes(picture.read_bytes())
    with pytest.raises(UserError, match="UTF-8"):
        read_plane(odd / "a.png", Encoding.SRGB)
    (odd / "kit.json").write_bytes(encode_kit(Kit(), tmp_path))
    for words in (["check", odd], ["masks", odd, "--to", tmp_path / "out"], ["ship", odd, "--to", odd / "out"]):
        done = subprocess.run(command(*map(str, words)), capture_output=True, check=False, timeout=60)
        assert b"Traceback" not in done.stderr
        assert b"argument" not in done.stderr
        assert done.stderr.count(b"\n") <= 1


def test_any_bake_may_serve_as_ids(tmp_path: Path) -> None:
    """Also one of 16 bits and of one channel: it is looked at in 8."""
    (tmp_path / "room.obj").write_text(ROOM)
    kit = commands.add_mesh(MeshFile("room", str(tmp_path / "room.obj"), "sheet_1")).apply(Kit())
    kit = commands.add_bake("sheet_1", Bake("height", "height", 256, 4, 1)).apply(kit)
    kit = commands.set_id_bake("sheet_1", kit.sheets[0].bakes[0].key).apply(kit)
    kit = commands.add_regions("sheet_1", [(200, 200, 200)]).apply(kit)
    for unmix in (None, Unmix()):
        weights_of(commands.set_unmix("sheet_1", unmix).apply(kit).at(), Sheets())
