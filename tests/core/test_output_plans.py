"""Maps by output plans: every channel what the plan says, at every texel; names, levels, absent values, refusals."""

import io
import json
import zipfile
from pathlib import Path
from xml.etree import ElementTree

import msgspec
import numpy as np
import pytest
from jsonschema import Draft202012Validator
from PIL import Image
from scipy.spatial import cKDTree

from even_palette.cli import main
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import identifier
from even_palette.core.kit.output_plan import (
    READY,
    Of,
    OutputPlan,
    PlanChannel,
    PlanFile,
    check_plan,
    output,
    plan_schema,
    read_plan,
)
from even_palette.core.kit.ready_plans import plan_of, plans_of
from even_palette.core.kit.sheet import Box, Step
from even_palette.core.kit.store import KitFolder, read_kit
from even_palette.core.material.variants import MASTER
from even_palette.core.raster.alpha import carried
from even_palette.core.raster.files import read_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.layouts import Hold, guess_map
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.regions.packing import Packing
from even_palette.core.results.bakes import bake_of
from even_palette.core.results.fine_weights import fine_weights
from even_palette.core.results.maps import paint_of
from even_palette.core.results.planes import tone_of
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.shown_ids import shown_ids_of
from even_palette.core.results.weights import weights_of
from even_palette.core.ship.planned_maps import Wish, plan_maps, write_planned
from even_palette.core.ship.render import write_renders
from even_palette.core.tones.palette import Palette, PaletteRow, colours_of
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
    return write_planned(kit, Sheets(), [Wish(plan, [MASTER], ["sheet_1"], **options)], folder)  # type: ignore[arg-type]


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
            names = write_planned(kit, Sheets(), [Wish(colour, variants, ["sheet_1"], side, bits=bits)], folder)
            assert list(names) == list(renders)
            for name in names:
                ours = read_plane(folder / name, Encoding.SRGB).samples.astype(float) / (2**bits - 1) * 255
                theirs = read_plane(tmp_path / f"r{side}" / name, Encoding.SRGB).samples.astype(float)
                assert np.abs(ours - theirs).max() <= 1


def test_what_no_variant_changes_is_written_once(packed: tuple[Kit, np.ndarray], tmp_path: Path) -> None:
    kit, _ = packed
    plan, variants = READY_BY_KEY["occlusion_roughness_metalness"], list(kit.variant_names)
    names = write_planned(kit, Sheets(), [Wish(plan, variants, ["sheet_1"])], tmp_path / "out")
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
            PlanFile("nothing", (PlanChannel(Of.MAP, Role.OPACITY), PlanChannel(Of.MASK, "no such region"), PlanChannel(Of.PACKED, "5"))),
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
        write_planned(kit, Sheets(), [wish], tmp_path / "out")
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
        ({"files": [{"name": "a", "channels": [{"of": "mask", "part": 4}]}]}, "part"),
        ({"files": [{"name": "a", "channels": [{"of": "output", "name": "roughness", "part": 1}]}]}, "part 1"),
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
    ours = write_planned(kit, Sheets(), [wish], tmp_path / "a")
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
        (told,) = plan_maps(kit, sheets, [wish])
        names = write_planned(kit, sheets, [wish], tmp_path / plan.key)
        assert [each.wanted.name for each in told] == list(names)
        for each in told:
            with Image.open(tmp_path / plan.key / each.wanted.name) as made:
                assert (each.width, each.height) == made.size
                channels = {3: 4}.get(len(made.getbands()), len(made.getbands()))
                assert each.memory == made.size[0] * made.size[1] * channels * 4 // 3


def test_masks_by_plans_are_those_that_are_written(history: History, tmp_path: Path) -> None:
    """A file a region, and four a file in the order in which weights are packed, equal to what `masks` writes, whatever
    regions are called."""
    history.do(commands.rename_region("region_2", "3"))
    history.do(commands.set_packing("sheet_1", Packing.PLANES))
    history.do(commands.set_channels("sheet_1", ("region_3", "region_1", "region_2", "region_4")))
    kit, sheets = history.kit, Sheets()
    plans = {plan.key: plan for plan in plans_of(kit)}
    written(kit, plans["masks"], tmp_path / "masks")
    written(kit, plans["packed_masks"], tmp_path / "packed")
    levels = weights_of(kit.at(), sheets).levels
    for number, region in enumerate(kit.sheets[0].regions):
        made = np.asarray(Image.open(tmp_path / "masks" / f"sheet-master-{identifier(region.name)}.png"))
        assert np.array_equal(made, levels[number])
    packed = np.asarray(Image.open(tmp_path / "packed" / "sheet-master-packed_1.png"))
    assert np.array_equal(packed, np.dstack([levels[number] for number in (2, 0, 1, 3)]))
    assert plans_of(Kit()) == READY
    assert main(["write", str(saved(kit, tmp_path)), "--plan", "packed_masks", "--to", str(tmp_path / "cli")]) == 0
    assert (tmp_path / "cli" / "sheet-all-packed_1.png").exists()


def saved(kit: Kit, folder: Path) -> Path:
    home = KitFolder.create(folder / "saved")
    home.save(kit)
    home.close()
    return folder / "saved"


def test_bakes_tones_and_id_colours_leave_by_a_plan(tmp_path: Path) -> None:
    """What the demo has of pictures, in its own size: bakes to the level, tones and ID colours to the bit."""
    kit, sheets = read_kit(KIT_FOLDER), Sheets()
    plan = next(plan for plan in plans_of(kit) if plan.key == "pictures")
    key = kit.sheets[0].key
    names = write_planned(kit, sheets, [Wish(plan, [MASTER], [key])], tmp_path / "out")
    at = kit.at(key)
    assert {f"ferry_tug-master-{name}.png" for name in ("occlusion", "shell_ids", "id_colours")} <= set(names)
    occlusion = np.asarray(Image.open(tmp_path / "out" / "ferry_tug-master-occlusion.png")).astype(int)
    made = bake_of(at, sheets, at.sheet.bake("occlusion"))[0].values()[..., 0] * 255
    assert np.abs(occlusion - made).max() <= 0.51
    neutral = np.asarray(Image.open(tmp_path / "out" / "ferry_tug-master-hull_neutral.png"))
    tone = tone_of(at, sheets, at.sheet.tone("hull_neutral")).values()[..., 0] * 255
    assert np.abs(neutral - tone).max() <= 0.51
    ids = np.asarray(Image.open(tmp_path / "out" / "ferry_tug-master-id_colours.png"))
    shown = shown_ids_of(at, sheets)
    assert shown is not None
    assert np.array_equal(ids, shown.samples[..., :3])


def test_layers_open_as_the_open_standard_says(history: History, tmp_path: Path) -> None:
    """OpenRaster 0.0.6: the kind first and stored, a stack of layers from the top down, the paint lowest and seen, a
    merged image and a thumbnail of 256 pixels at the most; each layer is what the plan's file would be."""
    kit, sheets = history.kit, Sheets()
    plan = next(plan for plan in plans_of(kit) if plan.key == "paint_and_masks")
    wish = Wish(plan, list(kit.variant_names), ["sheet_1"], suffix=".ora")
    ((told,),) = plan_maps(kit, sheets, [wish])
    (name,) = write_planned(kit, sheets, [wish], tmp_path)
    assert name == told.wanted.name == "sheet-all-layers.ora"
    with zipfile.ZipFile(tmp_path / name) as whole:
        kind = whole.infolist()[0]
        assert (kind.filename, kind.compress_type) == ("mimetype", zipfile.ZIP_STORED)
        assert whole.read("mimetype") == b"image/openraster"
        image = ElementTree.fromstring(whole.read("stack.xml"))
        assert (image.get("w"), image.get("h")) == ("64", "64")
        layers = image.findall("./stack/layer")
        assert [layer.get("name") for layer in layers] == ["region_4", "region_3", "region_2", "region_1", "base"]
        assert [layer.get("visibility") for layer in layers] == ["hidden"] * 4 + ["visible"]
        pixels = [np.asarray(Image.open(io.BytesIO(whole.read(str(layer.get("src")))))) for layer in layers]
        merged = np.asarray(Image.open(io.BytesIO(whole.read("mergedimage.png"))))
        assert max(Image.open(io.BytesIO(whole.read("Thumbnails/thumbnail.png"))).size) <= 256
    levels = weights_of(kit.at(), sheets).levels
    for number, layer in enumerate(pixels[:-1]):
        assert np.array_equal(layer[..., 0], levels[3 - number])
        assert (layer[..., 3] == 255).all()
    paint = paint_of(kit.at(), sheets).samples
    assert np.array_equal(pixels[-1][..., :3], paint)
    assert np.array_equal(merged, pixels[-1])


def test_plans_are_kept_in_the_kit(history: History, tmp_path: Path) -> None:
    """Under keys and names of their own, saved, asked for by key, removed, undone; bad ones are refused."""
    history.do(commands.add_plan(READY_BY_KEY["finish"]))
    history.do(commands.add_plan(READY_BY_KEY["finish"]))
    first, second = history.kit.plans
    assert first.files == READY_BY_KEY["finish"].files
    assert len({first.key, second.key, "finish"}) == 3
    assert len({first.name, second.name, READY_BY_KEY["finish"].name}) == 3
    place = saved(history.kit, tmp_path)
    assert read_kit(place).plans == history.kit.plans
    assert plan_of(second.key, history.kit) == second
    history.do(commands.remove_plan(first.key))
    assert history.kit.plans == (second,)
    bad = msgspec.structs.replace(second, files=(PlanFile("a", (PlanChannel(Of.OUTPUT, "shine"),)),))
    with pytest.raises(UserError, match="shine"):
        history.do(commands.add_plan(bad))


@pytest.mark.parametrize("suffix", [".png", ".exr"])
def test_strips_leave_once_with_rows_of_any_height(history: History, tmp_path: Path, suffix: str) -> None:
    """Each entry a texel, each row so many; once for all sheets and variants; encoded, or linear in floats."""
    rng = np.random.default_rng(4)
    rows = tuple(PaletteRow(f"row {n}", colours_of(rng.integers(0, 256, (7, 3)).astype(np.uint8))) for n in range(3))
    history.do(commands.add_palette(Palette("p", "Paints", rows[0].colours, rows)))
    history.do(commands.add_sheet("Other"))
    plan = next(plan for plan in plans_of(history.kit) if plan.key == "strips")
    surfaces, variants = list(history.kit.surface_names), list(history.kit.variant_names)
    for high in (1, 2, 5, 16):
        wish = Wish(plan, variants, surfaces, 32, suffix, row_texels=high)
        ((told,),) = plan_maps(history.kit, Sheets(), [wish])
        (name,) = write_planned(history.kit, Sheets(), [wish], tmp_path / str(high))
        assert name == told.wanted.name == f"all-all-paints{suffix}"
        assert (told.width, told.height) == (7, 3 * high)
        made = read_plane(tmp_path / str(high) / name, Encoding.LINEAR if suffix == ".exr" else Encoding.SRGB)
        wanted = Plane(np.array([row.colours for row in rows], np.uint8).repeat(high, axis=0), Encoding.SRGB)
        if suffix == ".png":
            assert np.array_equal(made.samples, wanted.samples)
        assert np.abs(made.linear() - wanted.linear()).max() <= 1e-6


def test_what_no_surface_gives_is_left_out_or_refused(kit: Kit, tmp_path: Path) -> None:
    """One wish of several may give nothing; all may not, and rows are no higher than they may be."""
    nothing = Wish(OutputPlan("n", "N", (PlanFile("n", (PlanChannel(Of.MAP, Role.HEIGHT),)),)), [MASTER], ["sheet_1"])
    colour = Wish(READY_BY_KEY["separate"], [MASTER], ["sheet_1"])
    names = write_planned(kit, Sheets(), [nothing, colour], tmp_path / "both")
    assert list(names) == ["sheet-master-colour.png"]
    with pytest.raises(UserError, match="Nothing gives any channel"):
        write_planned(kit, Sheets(), [nothing, nothing], tmp_path / "none")
    with pytest.raises(UserError, match="Two maps would be called sheet-master-colour"):
        write_planned(kit, Sheets(), [colour, colour], tmp_path / "twice")
    for high in (0, 17):
        with pytest.raises(UserError, match="1 to 16 texels high"):
            written(kit, READY_BY_KEY["separate"], tmp_path / "high", row_texels=high)


def test_a_strip_stands_alone() -> None:
    """A file holds strips or what lies on sheets; colour is carried under a fourth channel alone."""
    strip = PlanChannel(Of.STRIP, "p")
    for file, why in (
        (PlanFile("both", (strip, PlanChannel(Of.MASK, "a"))), "of a strip and of what lies on sheets"),
        (PlanFile("three", (output("roughness"),), carry=True), "no fourth channel"),
    ):
        with pytest.raises(UserError, match=why):
            check_plan(OutputPlan("a", "A", (file,)))


def test_masks_are_written_as_fine_as_asked_and_as_large_as_they_are(history: History, tmp_path: Path) -> None:
    """Masks larger than the paint keep their size; 16 bits are resolved anew, and add up with the base."""
    history.do(commands.remove_map("sheet_1", "id_map"))
    history.do(commands.set_mask_side("sheet_1", 100))
    for number in range(4):
        history.do(commands.add_box(f"region_{number + 1}", Box(number / 5, 0.1, number / 5 + 0.3, 0.93)))
    history.do(commands.add_step("region_1", Step("feather", {"radius": 3.0})))
    kit = history.kit
    plan = next(plan for plan in plans_of(kit) if plan.key == "masks")
    names = written(kit, plan, tmp_path / "masks", bits=16)
    made = [read_plane(tmp_path / "masks" / name, Encoding.DATA).samples[..., 0] for name in names]
    assert all(np.array_equal(ours, fine) for ours, fine in zip(made, fine_weights(kit.at(), Sheets()), strict=True))
    assert made[0].shape == (100, 100)
    assert (made[0] % 257 != 0).any()  # finer than 8 bits


def test_twins_are_written_where_they_differ(history: History, tmp_path: Path) -> None:
    """All surfaces: colours of each, masks once; a twin alone has its masks under its own name; by name in both doors."""
    history.do(commands.add_twin("sheet_1", "Left boot"))
    key = history.kit.sheets[0].twins[0].key
    history.do(commands.in_twin(commands.set_cell_value("region_1", "colour", (0.9, 0.1, 0.1)), key))
    kit = history.kit
    place = saved(kit, tmp_path)
    assert main(["write", str(place), "--plan", "separate", "--variant", "Master", "--to", str(tmp_path / "all")]) == 0
    both = [tmp_path / "all" / f"{name}-master-colour.png" for name in ("sheet", "left_boot")]
    pixels = [np.asarray(Image.open(path)).astype(int) for path in both]
    weight = weights_of(kit.at(), Sheets()).levels[0]
    assert np.abs(pixels[0] - pixels[1])[weight == 0].max() == 0
    assert np.abs(pixels[0] - pixels[1])[weight == 255].max() > 20
    assert main(["render", str(place), "--variant", "Master", "--to", str(tmp_path / "render")]) == 0
    for path in both:
        assert (tmp_path / "render" / path.name).read_bytes() == path.read_bytes()
    masks = next(plan for plan in plans_of(kit) if plan.key == "packed_masks")
    (told,) = plan_maps(kit, Sheets(), [Wish(masks, [MASTER], list(kit.surface_names))])
    assert [each.wanted.name for each in told] == ["sheet-master-packed_1.png"]
    with open_kit(place) as script:
        names = script.write(tmp_path / "alone", masks, sheets=["Left boot"])
        assert list(names) == ["left_boot-all-packed_1.png"]
        with pytest.raises(UserError, match="no sheet or twin “Right boot”; there is Sheet, Left boot"):
            script.write(tmp_path / "alone", masks, sheets=["Right boot"])


def test_colour_is_carried_under_alpha() -> None:
    """What no alpha of 8 bits shows takes the colour of the nearest texel that one does, wherever that is; the rest, and
    alpha, stay to the bit."""
    rng = np.random.default_rng(6)
    values = rng.random((37, 53, 4)).astype(np.float32)
    values[..., 3] = np.where(rng.random((37, 53)) < 0.05, rng.random((37, 53)) * 0.9 + 0.1, 0.001)
    made = carried(values)
    seen = np.argwhere(values[..., 3] >= 0.5 / 255)
    tree = cKDTree(seen)
    everywhere = np.argwhere(np.ones((37, 53), bool))
    far, _ = tree.query(everywhere)
    for place, distance in zip(everywhere, far, strict=True):
        near = seen[tree.query_ball_point(place, distance + 1e-9)]
        assert (values[near[:, 0], near[:, 1], :3] == made[tuple(place)][:3]).all(axis=1).any()
    assert np.array_equal(made[..., 3], values[..., 3])
    for alike in (np.ones((4, 5, 4), np.float32), np.zeros((4, 5, 4), np.float32)):
        assert carried(alike) is alike
