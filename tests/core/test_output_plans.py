"""Maps by output plans: every channel what the plan says, at every texel; names, levels, absent values, refusals."""

import json
from pathlib import Path

import msgspec
import numpy as np
import pytest
from jsonschema import Draft202012Validator
from PIL import Image

from even_palette.cli import main
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.model import Kit
from even_palette.core.kit.output_plan import (
    READY,
    Of,
    OutputPlan,
    PlanChannel,
    PlanFile,
    output,
    plan_schema,
    read_plan,
)
from even_palette.core.kit.store import KitFolder, read_kit
from even_palette.core.material.variants import MASTER
from even_palette.core.raster.files import read_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.layouts import Hold, guess_map
from even_palette.core.raster.plane import Encoding
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.weights import weights_of
from even_palette.core.ship.planned_maps import Wish, plan_maps, write_planned
from even_palette.core.ship.render import write_renders
from even_palette.demo import KIT_FOLDER
from even_palette.scripting import open_kit
from tests.core.test_packages import add_map

RNG = np.random.default_rng(12)
READY_BY_KEY = {plan.key: plan for plan in READY}


@pytest.fixture
def packed(history: History, tmp_path: Path) -> tuple[Kit, np.ndarray]:
    """The small kit with a packed map of occlusion, roughness and metalness, and a height, of other sizes."""
    samples = RNG.integers(0, 256, (64, 64, 3)).astype(np.uint8)
    key = add_map(history, tmp_path / "crate_orm.png", samples, Role.NONE, Encoding.DATA)
    history.do(commands.set_layout("sheet_1", key, (Hold.OCCLUSION, Hold.ROUGHNESS, Hold.METALNESS)))
    add_map(history, tmp_path / "crate_height.png", samples[::-1, :, :1].copy(), Role.HEIGHT, Encoding.DATA)
    return history.kit, samples


def written(kit: Kit, plan: OutputPlan, folder: Path, **options: object) -> dict[str, int]:
    return write_planned(kit, Sheets(), Wish(plan, [MASTER], ["sheet_1"], **options), folder)  # type: ignore[arg-type]


def test_packed_maps_come_back_to_the_bit(packed: tuple[Kit, np.ndarray], tmp_path: Path) -> None:
    """What maps alone give is written as it is, smoothness as 255 − roughness; opened again its layout is known."""
    kit, samples = packed
    for plan, holds in (
        ("occlusion_roughness_metalness", (Hold.OCCLUSION, Hold.ROUGHNESS, Hold.METALNESS)),
        (
            "metalness_occlusion_height_smoothness",
            (Hold.METALNESS, Hold.OCCLUSION, Hold.HEIGHT, Hold.SMOOTHNESS),
        ),
    ):
        names = written(kit, READY_BY_KEY[plan], tmp_path / plan)
        (name,) = [name for name in names if plan in name]
        got = np.asarray(Image.open(tmp_path / plan / name))
        by = {
            Hold.OCCLUSION: samples[..., 0], Hold.ROUGHNESS: samples[..., 1], Hold.METALNESS: samples[..., 2],
            Hold.HEIGHT: samples[::-1, :, 0], Hold.SMOOTHNESS: 255 - samples[..., 1],
        }  # fmt: skip
        assert np.array_equal(got, np.dstack([by[hold] for hold in holds]))
        assert guess_map(tmp_path / plan / name, got)[::2] == (Role.NONE, holds)


def test_colours_are_those_of_renders(kit: Kit, tmp_path: Path) -> None:
    """Each variant, at the sheet's own size and at others, 8 and 16 bits: the same as `render` within 1/255."""
    variants = list(kit.variant_names)
    colour = OutputPlan("c", "C", (PlanFile("colour", tuple(output("colour", part) for part in range(3))),))
    for side in (0, 37, 150):
        renders = write_renders(kit, Sheets(), tmp_path / f"r{side}", variants, ["sheet_1"], ["colour"], side)
        for bits in (8, 16):
            folder = tmp_path / f"{side} {bits}"
            names = write_planned(kit, Sheets(), Wish(colour, variants, ["sheet_1"], side, bits=bits), folder)
            assert list(names) == list(renders)
            for name in names:
                ours = read_plane(folder / name, Encoding.SRGB).samples.astype(float) / (2**bits - 1) * 255
                theirs = read_plane(tmp_path / f"r{side}" / name, Encoding.SRGB).samples.astype(float)
                assert np.abs(ours - theirs).max() <= 1


def test_what_no_variant_changes_is_written_once(packed: tuple[Kit, np.ndarray], tmp_path: Path) -> None:
    kit, _ = packed
    plan, variants = READY_BY_KEY["occlusion_roughness_metalness"], list(kit.variant_names)
    names = write_planned(kit, Sheets(), Wish(plan, variants, ["sheet_1"]), tmp_path / "out")
    assert list(names) == [
        "sheet-master-colour.png", "sheet-all-occlusion_roughness_metalness.png", "sheet-day-colour.png",
        "sheet-dusk-colour.png",
    ]  # fmt: skip


def test_masks_sums_levels_and_what_is_absent(packed: tuple[Kit, np.ndarray], tmp_path: Path) -> None:
    kit, samples = packed
    region = kit.regions[1]
    plan = OutputPlan(
        "own", "Own",
        (
            PlanFile("masks", (
                PlanChannel(Of.MASK, region.key), PlanChannel(Of.MASK, kit.regions[2].name, invert=True),
                PlanChannel(Of.MASKS), PlanChannel(Of.CONSTANT, absent=0.25),
            )),
            PlanFile("levels", (
                PlanChannel(Of.MAP, Role.HEIGHT, low=0.25, high=0.75),
                PlanChannel(Of.MAP, Role.EMISSION, absent=0.5, invert=True),
            )),
            PlanFile("nothing", (PlanChannel(Of.MAP, Role.OPACITY), PlanChannel(Of.MASK, "no such region"))),
            PlanFile("coat", (output("clear_coat"), output("roughness", invert=True))),
        ),
    )  # fmt: skip
    names = written(kit, plan, tmp_path / "out")
    assert [name.rsplit("-", 1)[1] for name in names] == ["masks.png", "levels.png", "coat.png"]
    masks, levels, coat = (np.asarray(Image.open(tmp_path / "out" / name)) for name in names)
    weights = weights_of(kit.at(), Sheets()).levels
    assert np.array_equal(masks[..., 0], weights[1])
    assert np.array_equal(masks[..., 1], 255 - weights[2])
    assert np.abs(masks[..., 2].astype(int) - np.minimum(sum(w.astype(int) for w in weights), 255)).max() <= 2
    assert (masks[..., 3] == 64).all()
    high = samples[::-1, :, 0].astype(float) / 255
    assert np.abs(levels[..., 0] - np.clip((high - 0.25) / 0.5, 0, 1) * 255).max() <= 0.51
    assert (levels[..., 1] == 128).all()  # what stands where nothing gives it is not turned
    assert (coat[..., 0] == 0).all()
    assert np.array_equal(coat[..., 1], 255 - samples[..., 1])


def test_floats_are_linear_and_other_formats_hold_what_they_hold(
    packed: tuple[Kit, np.ndarray], tmp_path: Path
) -> None:
    kit, samples = packed
    plan = READY_BY_KEY["occlusion_roughness_metalness"]
    names = written(kit, plan, tmp_path / "exr", suffix=".exr")
    colour, surface = (read_plane(tmp_path / "exr" / name, Encoding.DATA).samples for name in names)
    assert colour.dtype == surface.dtype == np.float32
    assert np.abs(surface - samples.astype(np.float32) / 255).max() < 1e-6
    assert colour.max() <= 1.0
    deep = written(kit, plan, tmp_path / "deep", bits=16, pattern="{kit}_{map}_{size}")
    assert list(deep) == ["untitled_colour_64.png", "untitled_occlusion_roughness_metalness_64.png"]
    assert np.array_equal(
        read_plane(tmp_path / "deep" / list(deep)[1], Encoding.DATA).samples, samples.astype(np.uint16) * 257
    )
    with pytest.raises(UserError, match="TGA holds 8 bits"):
        written(kit, plan, tmp_path / "tga", suffix=".tga", bits=16)


def test_a_second_writing_replaces_its_own_files_alone(packed: tuple[Kit, np.ndarray], tmp_path: Path) -> None:
    kit, _ = packed
    plan, folder = READY_BY_KEY["finish"], tmp_path / "out"
    names = written(kit, plan, folder)
    assert written(kit, plan, folder).keys() == names.keys()
    first = folder / next(iter(names))
    first.write_bytes(b"somebody else's")
    with pytest.raises(UserError, match="was not written here"):
        written(kit, plan, folder)
    assert first.read_bytes() == b"somebody else's"
    one, paint = OutputPlan("one", "One", plan.files[:1]), Path(kit.files[0].path)
    with pytest.raises(UserError, match="is a file that is read from"):
        written(kit, one, paint.parent, pattern=paint.stem)


@pytest.mark.parametrize(
    ("pattern", "told"),
    [
        ("{sheet}", "Two maps would be called"), ("{asset}-{map}", "there is no {asset}"), ("a/{map}", "no plain file name"),
        ("{map", "there is no"), ("", "no plain file name"), (".{map}", "no plain file name"), ("x" * 201 + "{map}", "plain"),
    ],
)  # fmt: skip
def test_names_that_cannot_be(kit: Kit, tmp_path: Path, pattern: str, told: str) -> None:
    wish = Wish(READY[0], [MASTER, "day"], ["sheet_1"], pattern=pattern)
    with pytest.raises(UserError, match=told):
        write_planned(kit, Sheets(), wish, tmp_path / "out")
    assert not (tmp_path / "out").exists() or not list((tmp_path / "out").glob("*.png"))


def test_plans_of_files(tmp_path: Path) -> None:
    """Plans are written and read again, fit their schema, and what is none is refused in a sentence."""
    schema = Draft202012Validator(plan_schema())
    published = json.loads((Path(__file__).parents[2] / "docs" / "plan.schema.json").read_text())
    assert published == json.loads(msgspec.json.encode(plan_schema()))
    path = tmp_path / "plan.json"
    for plan in READY:
        path.write_bytes(msgspec.json.encode(plan))
        assert schema.is_valid(json.loads(path.read_bytes()))
        assert read_plan(path) == plan
    whole = json.loads(msgspec.json.encode(READY[1]))
    for change, told in (
        ({"files": []}, "files"), ({"format": 2}, "format 2"), ({"more": 1}, "more"), ({"key": "Not plain"}, "key"),
        ({"files": [whole["files"][0]] * 2}, "two files of one name"),
        ({"files": [{"name": "a", "channels": [{"of": "output", "name": "sheen"}]}]}, "sheen"),
        ({"files": [{"name": "a", "channels": [{"of": "map", "name": "sheen"}]}]}, "sheen"),
        ({"files": [{"name": "a", "channels": [{"of": "map", "name": "no role"}]}]}, "no role"),
        ({"files": [{"name": "a", "channels": [{"of": "mask", "low": 0.5, "high": 0.5}]}]}, "levels"),
        ({"files": [{"name": "a", "channels": [{"of": "mask", "part": 3}]}]}, "part"),
    ):  # fmt: skip
        path.write_text(json.dumps({**whole, **change}))
        with pytest.raises(UserError, match=told):
            read_plan(path)
    for text in ("", "[", "null", "[" * 100_000, "\0"):
        path.write_text(text)
        with pytest.raises(UserError, match="not an output plan"):
            read_plan(path)


def test_by_the_command_line_and_a_script(kit: Kit, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """Both write the same as the function; a plan that is not there is told with those that are."""
    home = KitFolder.create(tmp_path / "kit")
    home.save(kit)
    home.close()
    wish = Wish(READY_BY_KEY["finish"], ["day"], ["sheet_1"], 100, bits=16)
    ours = write_planned(kit, Sheets(), wish, tmp_path / "a")
    place = str(tmp_path / "kit")
    words = ["write", place, "--plan", "finish", "--to", str(tmp_path / "b"), "--variant", "Day", "--size", "100"]
    assert main([*words, "--bits", "16"]) == 0
    assert next(iter(ours)) in capsys.readouterr().out
    with open_kit(tmp_path / "kit") as script:
        script.write(tmp_path / "c", "finish", ["Day"], side=100, bits=16)
    for name in ours:
        assert len({(tmp_path / folder / name).read_bytes() for folder in "abc"}) == 1
    assert main(["write", place, "--plan", "shiny", "--to", str(tmp_path / "b")]) == 2
    assert "There is no plan “shiny”; there is separate" in capsys.readouterr().err


def test_the_demo_by_every_ready_plan(tmp_path: Path) -> None:
    """What is told before is what is written: names, sizes, and bytes in memory with mips."""
    kit, sheets = read_kit(KIT_FOLDER), Sheets()
    of_sheets = [kit.sheets[0].key, kit.sheets[3].key]
    for plan in READY:
        wish = Wish(plan, [MASTER], of_sheets, 128)
        told = plan_maps(kit, sheets, wish)
        names = write_planned(kit, sheets, wish, tmp_path / plan.key)
        assert [each.wanted.name for each in told] == list(names)
        for each in told:
            with Image.open(tmp_path / plan.key / each.wanted.name) as made:
                assert (each.width, each.height) == made.size
                channels = {3: 4}.get(len(made.getbands()), len(made.getbands()))
                assert each.memory == made.size[0] * made.size[1] * channels * 4 // 3
