"""Coats that look up, and a neutral under all coats: window, package and player agree, at every texel, with odd sizes."""

import dataclasses
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace

from even_palette.core.arrays import Levels, float32
from even_palette.core.colour.srgb import linear_to_srgb, srgb_to_linear
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.model import Kit
from even_palette.core.kit.sheet import Tone
from even_palette.core.material.model import Coat, PlaneKind, PlaneRef, PlaneUse
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane, to_levels8
from even_palette.core.raster.sampling import Wrap, sample, texel_centres
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.pictures import render_reference, whole_sheet
from even_palette.core.results.planes import entry_numbers, tone_of
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.weights import weights_of
from even_palette.core.ship.write import ship
from even_palette.core.tones.palette import PaletteRow, new_palette, shifted_row
from even_palette.core.tones.ramp import Ramp, RampRow, Space, Stop
from even_palette.gl.sheet_view import SheetRenderer
from even_palette.player.load import load
from even_palette.player.opengl import play_opengl
from even_palette.player.reference import play_reference
from tests.conftest import kit_of, write_maps

ENTRIES = np.random.default_rng(3).integers(0, 256, (7, 3)).astype(np.uint8)
SIDE = 37


def kit_with_tones(folder: Path) -> Kit:
    """Four regions of an odd size: a palette of three rows with its index map, a ramp, a neutral, a packed plane."""
    history = kit_of(write_maps(folder, SIDE), coats=False)
    palette = new_palette("colours", "Colours", ENTRIES)
    rows = (*palette.rows, *(shifted_row(palette.rows[0], str(n), n / 5, 0.8, 0.1) for n in (1, 2)))
    stops = (Stop(0, (10, 20, 60)), Stop(0.4, (200, 120, 40)), Stop(1, (250, 250, 220)))
    for command in (
        commands.add_palette(replace(palette, rows=rows)),
        commands.add_ramp(Ramp("dusk", "Dusk", (RampRow("a", stops), RampRow("b", stops[::-1][:1])), Space.SHORTER)),
        commands.add_tone("sheet_1", Tone("index_1", "Index", "index", palette="colours")),
        commands.add_tone("sheet_1", Tone("grey", "Grey", "neutral", values={"method": "luma_709"})),
        commands.add_tone(
            "sheet_1",
            Tone(
                "four",
                "Packed",
                "packed",
                parts=tuple(PlaneUse(PlaneRef(PlaneKind.TONE, key)) for key in ("grey", "index_1")),
            ),
        ),
    ):
        history.do(command)
    return history.kit


def swap(row: float, way: str, rows: str = "mixed", use: PlaneUse | None = None) -> Coat:
    index = use or PlaneUse(PlaneRef(PlaneKind.TONE, "index_1"))
    palette = PlaneUse(PlaneRef(PlaneKind.PALETTE, "colours"))
    return Coat("swap", {"row": row, "way": way, "rows": rows}, {"index": index, "palette": palette})


def going_round(row: float, speed: float, rows: str = "mixed", way: str = "four") -> Coat:
    coat = swap(row, way, rows)
    return replace(coat, values={**coat.values, "moves": "round", "speed": speed})


def ramp(place: str, **values: float) -> Coat:
    planes = {"ramp": PlaneUse(PlaneRef(PlaneKind.RAMP, "dusk")), "plane": PlaneUse(PlaneRef(PlaneKind.TONE, "grey"))}
    return Coat("ramp", {"from": place, **values}, planes)


def dressed(kit: Kit, *coats: Coat) -> Kit:
    """The kit with a coat for each region, and the last ones over the whole sheet."""
    sheet = kit.sheets[0]
    regions = tuple(replace(region, coats=(coat,)) for region, coat in zip(sheet.regions, coats, strict=False))
    return kit.with_sheet(replace(sheet, regions=regions, overcoats=coats[4:]))


def assert_played(kit: Kit, sheets: Sheets, package: Path, found: Levels, time: float = 0.0) -> None:
    """Shipped and played both ways it is what was found."""
    ship(kit, sheets, package)
    loaded = load(package)
    for play in (play_opengl, play_reference):
        assert np.abs(play(loaded, "", SIDE, SIDE, time=time).astype(int) - found).max() <= 1


CASES = {
    "ways": (swap(0, "nearest"), swap(1, "four"), swap(2, "filtered"), swap(0.5, "four")),
    "rows": (swap(1.4, "nearest", "whole"), swap(9.0, "four"), swap(1.25, "filtered"), swap(0.5, "nearest")),
    "repeat": (
        swap(0, "four", use=PlaneUse(PlaneRef(PlaneKind.TONE, "index_1"), wrap=Wrap.REPEAT)),
        swap(1, "four", use=PlaneUse(PlaneRef(PlaneKind.TONE, "four"), channel=1)),
        swap(1, "nearest", use=PlaneUse(PlaneRef(PlaneKind.TONE, "index_1"), wrap=Wrap.MIRROR)),
        swap(1, "filtered"),
    ),
    "ramps": (ramp("tone", power=0.7), ramp("plane", offset=0.2), ramp("across", row=1.0), ramp("down", offset=-0.3)),
    "over": (
        Coat("tint"),
        Coat("tint"),
        Coat("tint"),
        Coat("tint"),
        replace(ramp("tone"), values={"from": "tone", "strength": 0.4}),
    ),
}


@pytest.mark.parametrize("base", ["", "grey"])
@pytest.mark.parametrize("case", CASES)
def test_every_runtime_agrees(case: str, base: str, tmp_path: Path) -> None:
    """Within 1/255 of the reference: OpenGL at 1:1 and magnified, the player's shader, and its program."""
    kit = dressed(kit_with_tones(tmp_path / "maps"), *CASES[case])
    kit = commands.set_base_tone("sheet_1", base).apply(kit)
    sheets = Sheets()
    shown = picture(kit.at(), sheets, Look())
    expected = render_reference(shown, whole_sheet(SIDE, SIDE))
    seen = SheetRenderer().render(shown, whole_sheet(SIDE, SIDE))[..., :3]
    assert np.abs(seen.astype(int) - expected).max() <= 1
    ship(kit, sheets, tmp_path / "package")
    loaded = load(tmp_path / "package")
    for play in (play_opengl, play_reference):
        assert np.abs(play(loaded, "", SIDE, SIDE).astype(int) - expected).max() <= 1
    assert base == "" or {m.slot: m.channels for m in loaded.sheet.maps}["base_colour"] == 1


@pytest.mark.parametrize("at", [0.0, 0.7, 5.3, 11.9])
def test_rows_go_round_over_time(at: float, tmp_path: Path) -> None:
    """The row is where it began plus speed times time, the last goes over into the first: as a row that stays there."""
    moving = [
        going_round(0, 1),
        going_round(2, -0.5),
        going_round(1, 0.5, "whole"),
        going_round(0.5, 2, way="filtered"),
    ]
    kit, sheets = dressed(kit_with_tones(tmp_path / "maps"), *moving), Sheets()
    rows = len(kit.palettes[0].rows)
    shown = dataclasses.replace(picture(kit.at(), sheets, Look()), time=at)
    found = render_reference(shown, whole_sheet(SIDE, SIDE))
    seen = SheetRenderer().render(shown, whole_sheet(SIDE, SIDE))[..., :3]
    assert np.abs(seen.astype(int) - found).max() <= 1
    assert_played(kit, sheets, tmp_path / "package", found, at)
    still = kit_with_tones(tmp_path / "still")
    for number, coat in enumerate(moving):
        row = (float(coat.values["row"]) + float(coat.values["speed"]) * at) % rows  # type: ignore[arg-type]
        way, whole = str(coat.values["way"]), coat.values["rows"] == "whole"
        below, above = int(row + 0.5 if whole else row) % rows, (int(row) + 1) % rows
        share = 0.0 if whole else row - int(row)
        ends = [
            render_reference(
                picture(dressed(still, *(swap(end, way),) * 4).at(), sheets, Look()), whole_sheet(SIDE, SIDE)
            )
            for end in (below, above)
        ]
        light = [srgb_to_linear(float32(end / 255)) for end in ends]
        mixed = to_levels8(linear_to_srgb(float32(light[0] * (1 - share) + light[1] * share)))
        own = weights_of(kit.at(), sheets).levels[number] == 255
        assert own.any()
        assert np.abs(found.astype(int) - mixed)[own].max() <= 1


def test_a_neutral_as_a_colour_looks_as_it_does_alone(tmp_path: Path) -> None:
    """Laid over the paint by blend its greys are what the look at the neutral shows, in window and package."""
    kit = kit_with_tones(tmp_path / "maps")
    grey = Coat("blend", {"way": "mask"}, {"colour": PlaneUse(PlaneRef(PlaneKind.TONE, "grey"))})
    sheets, whole, kit = Sheets(), whole_sheet(SIDE, SIDE), dressed(kit, *(grey,) * 4)
    shown = picture(kit.at(), sheets, Look())
    found = render_reference(shown, whole)
    inside = weights_of(kit.at(), sheets).mask_sum.samples[..., 0] == 16384
    assert inside.any()
    alone = np.broadcast_to(tone_of(kit.at(), sheets, kit.at().sheet.tone("grey")).samples[..., :1], found.shape)
    assert np.abs(found.astype(int) - alone)[inside].max() <= 1
    assert np.abs(SheetRenderer().render(shown, whole)[..., :3].astype(int) - found).max() <= 1
    assert_played(kit, sheets, tmp_path / "package", found)


def test_strips_of_one_width_stand_in_one_sheet(tmp_path: Path) -> None:
    """Two palettes of as many entries, and a ramp beside them: one texture for both, and each region as it looks alone."""
    kit = kit_with_tones(tmp_path / "maps")
    night = new_palette("night", "Night", ENTRIES[::-1].copy() // 2)
    kit = commands.add_palette(replace(night, rows=(*night.rows, shifted_row(night.rows[0], "b", 0.4, 1, 0)))).apply(
        kit
    )

    def of_night(row: float, way: str) -> Coat:
        coat = swap(row, way)
        return replace(coat, planes={**coat.planes, "palette": PlaneUse(PlaneRef(PlaneKind.PALETTE, "night"))})

    coats = (swap(9.0, "four"), of_night(-1.0, "nearest"), of_night(0.5, "four"), ramp("tone", row=1.0))
    sheets, whole = Sheets(), whole_sheet(SIDE, SIDE)
    together = dressed(kit, *coats)
    shown = picture(together.at(), sheets, Look())
    assert [slot.plane.height for name, slot in shown.slots.items() if name.startswith("strips_")] == [5]
    found = render_reference(shown, whole)
    assert np.abs(SheetRenderer().render(shown, whole)[..., :3].astype(int) - found).max() <= 1
    assert_played(together, sheets, tmp_path / "package", found)
    for number, coat in enumerate(coats):
        alone = render_reference(picture(dressed(kit, *(coat,) * 4).at(), sheets, Look()), whole)
        own = weights_of(kit.at(), sheets).levels[number] == 255
        assert own.any()
        assert np.array_equal(found[own], alone[own])


@pytest.mark.parametrize("row", [0.0, 1.4, 9.0])
@pytest.mark.parametrize("way", ["nearest", "four"])
def test_look_ups_agree_magnified(way: str, row: float, tmp_path: Path) -> None:
    """At 3 ×, with all wraps. An index that is filtered first is left out: a sampler's shares have 8 bits, which a
    palette of unlike neighbours turns into other colours (stated in docs/architecture.md).
    """
    uses = [PlaneUse(PlaneRef(PlaneKind.TONE, "index_1"), wrap=wrap) for wrap in Wrap]
    uses.append(PlaneUse(PlaneRef(PlaneKind.TONE, "four"), channel=1))
    kit = dressed(kit_with_tones(tmp_path / "maps"), *(swap(row, way, use=use) for use in uses))
    shown = picture(kit.at(), Sheets(), Look())
    view = whole_sheet(3 * SIDE, 3 * SIDE)
    seen = SheetRenderer().render(shown, view)[..., :3]
    assert np.abs(seen.astype(int) - render_reference(shown, view)).max() <= 1


def test_four_look_ups_are_the_filtered_picture(tmp_path: Path) -> None:
    """By the coat itself: within 1/255, in linear light, of a linear filter over the quantized picture, magnified 3 ×."""
    kit = dressed(kit_with_tones(tmp_path), *(swap(0, "four"),) * 4, swap(0, "four"))
    sheets = Sheets()
    numbers = entry_numbers(kit.at(), sheets, kit.sheets[0].tone("index_1"))
    quantized = Plane(ENTRIES[numbers], Encoding.SRGB)
    wanted = sample(quantized, texel_centres(3 * SIDE, 3 * SIDE))
    found = render_reference(picture(kit.at(), sheets, Look()), whole_sheet(3 * SIDE, 3 * SIDE))
    assert np.abs(found.astype(int) - to_levels8(linear_to_srgb(float32(wanted)))).max() <= 1


def test_reading_what_is_not_there_is_told(tmp_path: Path) -> None:
    """A tone or strip that a coat reads and that is gone is one sentence; removing it takes the reference with it."""
    kit = dressed(kit_with_tones(tmp_path), swap(0, "four"), ramp("plane"))
    broken = kit.with_sheet(replace(kit.sheets[0], tones=()))
    with pytest.raises(UserError, match="not there"):
        picture(broken.at(), Sheets(), Look())
    history = History(kit)
    with pytest.raises(UserError, match="is made by"):
        history.do(commands.remove_palette("colours"))
    with pytest.raises(UserError, match="is made of"):
        history.do(commands.remove_tone("sheet_1", "index_1"))
    for command in (
        commands.remove_tone("sheet_1", "four"), commands.remove_tone("sheet_1", "index_1"),
        commands.remove_palette("colours"), commands.remove_ramp("dusk"),
    ):  # fmt: skip
        history.do(command)
    planes = [plane for region in history.kit.regions for coat in region.coats for plane in coat.planes]
    assert planes == ["plane"]
    assert {"colours", "dusk", "index_1", "four"} <= set(history.kit.retired)
    picture(history.kit.at(), Sheets(), Look())
    while history.undo():
        pass
    assert history.kit == kit


def test_a_palette_is_changed_without_changing_indices(tmp_path: Path) -> None:
    """Editing what an entry looks like, or adding a row, makes no new index map; a new order makes one."""
    kit = kit_with_tones(tmp_path)
    sheets = Sheets()
    before = tone_of(kit.at(), sheets, kit.at().sheet.tone("index_1"))
    row = PaletteRow("new", tuple((9, 9, n) for n in range(7)))
    more = commands.change_palette("colours", "Add row", lambda p: replace(p, rows=(*p.rows, row))).apply(kit)
    assert tone_of(more.at(), sheets, more.at().sheet.tone("index_1")) is before
    assert more.sheets[0].source(Role.BASE_COLOUR) is not None
