"""Packages as others read them: by a walker of their own documentation, by browsers, and damaged in every way."""

import copy
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
import pytest
from hypothesis import assume, given, settings
from jsonschema import Draft202012Validator

from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.errors import UserError
from even_palette.core.graph.reference import Environment, evaluate
from even_palette.core.graph.slots import MOST_UNITS
from even_palette.core.graph.types import Type
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import Overcoats
from even_palette.core.kit.fingerprints import fingerprint
from even_palette.core.kit.history import History
from even_palette.core.kit.model import Kit
from even_palette.core.kit.sheet import Source, Tone
from even_palette.core.material.build import linear_setting
from even_palette.core.material.model import Coat, Easing, PlaneKind, PlaneRef, PlaneUse, Repeat, Track, TrackKey
from even_palette.core.material.outputs import COLOUR
from even_palette.core.material.variants import resolve
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import Wrap, pixel_numbers, texel_centres
from even_palette.core.regions.packing import Packing
from even_palette.core.results.at_time import at_time
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.pictures import SHOWN, render_reference, whole_sheet
from even_palette.core.results.sheets import Sheets
from even_palette.core.ship.package import package_schema
from even_palette.core.ship.write import contents, ship
from even_palette.core.tones.palette import new_palette
from even_palette.player.load import load, values_of
from even_palette.player.opengl import play_opengl
from even_palette.player.reference import play_reference
from tests.core.walker import Walker
from tests.gl import test_backends as backends


def add_map(history: History, path: Path, samples: np.ndarray, role: Role, encoding: Encoding) -> str:
    write_plane(path, Plane(samples, encoding))
    seen = fingerprint(path)
    history.do(commands.add_map("sheet_1", Source(path.stem, role, str(path), encoding, seen.size, seen.sha256)))
    return history.kit.sheets[0].sources[-1].key


# By a walker that knows nothing but the package


@pytest.mark.parametrize("packing", list(Packing))
@settings(max_examples=3, phases=backends.GENERATE)
@given(made=backends.dressings())
def test_a_walker_of_the_documentation_finds_the_same(
    packing: Packing, made: list[commands.Command], sheets: Sheets, tmp_path_factory: pytest.TempPathFactory
) -> None:
    """Random materials: every output at every texel of the sheet within 1/255 of what the kit's own reference gives.

    But for the few where a stored level that either rounds the other way is carried further by the material.
    """
    folder = tmp_path_factory.mktemp("walked")
    kit = backends.dressed_kit(folder / "maps", made, 3)
    kit = commands.set_packing("sheet_1", packing).apply(kit)
    look = picture(kit.at(), sheets, Look())
    assume(len(look.program.slots) <= MOST_UNITS)
    ship(kit, sheets, folder / "package")
    found = Walker(folder / "package").outputs(texel_centres(48, 48).astype(float))
    assert look.light is not None
    outputs = {COLOUR: look.light, **{name: node for name, node in look.outputs.items() if name not in (SHOWN, COLOUR)}}
    pixel, screen = (1 / 48, 0, 0, 1 / 48), pixel_numbers(48, 48)
    around = Environment(texel_centres(48, 48), look.slots, look.inputs, look.seed, look.time, pixel, screen)
    for name, output in outputs.items():
        value = np.clip(evaluate(output, around), 0, 1)
        off = np.abs(np.clip(found[name], 0, 1) - (value[..., None] if output.type == Type.FLOAT else value))
        if off.max() > 1 / 255:
            reach = backends.reach_of_samplers(output, look, whole_sheet(48, 48))
            assert (off <= 1 / 255 + reach.reshape(off.shape)).all(), name
            assert np.mean(off > 1 / 255) < 0.02, name


@pytest.mark.parametrize("divided", [False, True])
def test_the_walker_finds_every_variant_of_the_small_kit(
    divided: bool, kit: Kit, sheets: Sheets, tmp_path: Path
) -> None:
    kit = commands.set_divide_weights("sheet_1", divided).apply(kit)
    ship(kit, sheets, tmp_path / "package")
    walker = Walker(tmp_path / "package")
    for key, name in list(kit.variant_names.items())[1:]:
        light = walker.outputs(texel_centres(64, 64).astype(float), name)["colour"]
        encoded = np.where(light <= 0.0031308, light * 12.92, 1.055 * np.maximum(light, 1e-9) ** (1 / 2.4) - 0.055)
        shown = render_reference(picture(kit.at(), sheets, Look(variant=key)), whole_sheet(64, 64))
        assert np.abs(encoded * 255 - shown).max() <= 1


@pytest.mark.parametrize("repeat", list(Repeat))
@pytest.mark.parametrize("easing", list(Easing))
def test_variants_over_time_are_the_same_for_all(
    repeat: Repeat, easing: Easing, history: History, sheets: Sheets, tmp_path: Path
) -> None:
    """The window, both players and the walker: a colour and a number that turns, of a variant and of its child."""
    history.do(commands.expose("region_3", "hue"))
    colour, number = "region_1_colour", history.kit.parameters[-1].key
    keys = (TrackKey(0.5, (0.1, 0.2, 0.9), easing), TrackKey(2.0, (0.9, 0.6, 0.1), easing), TrackKey(3.0, (0, 0, 0)))
    history.do(commands.set_track(colour, "day", Track(keys, repeat)))
    history.do(commands.set_track(number, "day", Track((TrackKey(1.0, -20.0),), repeat, 75.0)))
    kit = history.kit
    ship(kit, sheets, tmp_path / "package")
    assert "cubic-bezier" in (tmp_path / "package" / "README.txt").read_text()
    walker, loaded = Walker(tmp_path / "package"), load(tmp_path / "package")
    for time in (0.0, 0.9, 1.7, 2.999, 4.3, 11.0):
        for variant in ("day", "dusk"):
            name = kit.variant_names[variant]
            given = {
                kit.parameter(key).name: linear_setting(value)
                for key, value in resolve(kit.parameters, kit.variants, variant, time).items()
            }
            for told in (walker.values(name, time), values_of(loaded, name, "", time)):
                for each, value in given.items():
                    assert told[each] == pytest.approx(value, abs=1e-3 if each == number else 2e-5), (time, each)
    played = play_reference(loaded, "Day", 64, 64, time=1.7).astype(int)
    look = Look(variant="day")
    shown = render_reference(at_time(kit.at(), look, picture(kit.at(), sheets, look), 1.7, 0.0), whole_sheet(64, 64))
    assert np.abs(played - shown).max() <= 1
    assert np.abs(played - play_reference(loaded, "Day", 64, 64)).max() > 8


@pytest.mark.parametrize(
    ("find", "put", "told"),
    [
        ('"time":2.0', '"time":0.25', "not in order of time"),
        ('"time":2.0', '"time":-2.0', "time"),
        ('"tracks":{"region_1_colour"', '"tracks":{"nothing"', "moves “nothing”"),
        ('"easing":"ease"', '"easing":"bounce"', "bounce"),
        ('"value":[0.25,0.25,0.25]', '"value":[0.25,0.25,1.25]', "cannot be"),
        ('"value":[0.25,0.25,0.25]', '"value":0.25', "cannot be"),
    ],
)
def test_damaged_tracks_are_refused(
    find: str, put: str, told: str, history: History, sheets: Sheets, tmp_path: Path
) -> None:
    half = linear_to_srgb(np.float32([0.25]))[0].item()
    keys = (TrackKey(0.5, (0.0, 0.0, 0.0), Easing.EASE), TrackKey(2.0, (half,) * 3))
    history.do(commands.set_track("region_1_colour", "day", Track(keys)))
    ship(history.kit, sheets, tmp_path / "package")
    path = tmp_path / "package" / "package.json"
    package = json.loads(path.read_text())
    day = next(each for each in package["variants"] if each["name"] == "Day")
    day["tracks"]["region_1_colour"]["keys"][1]["value"] = [0.25] * 3
    text = json.dumps(package, separators=(",", ":"))
    assert find in text
    path.write_text(text.replace(find, put))
    with pytest.raises(UserError, match=told):
        load(tmp_path / "package")


# As a browser reads it


def chunks(path: Path) -> set[bytes]:
    data, at, found = path.read_bytes(), 8, set()
    while at < len(data):
        found.add(data[at + 4 : at + 8])
        at += 12 + int.from_bytes(data[at : at + 4], "big")
    return found


def test_data_says_nothing_of_colour(kit: Kit, sheets: Sheets, tmp_path: Path) -> None:
    """Browsers convert by gamma, primaries and profiles (PNG, third edition, section 4.3); sRGB is what they show."""
    ship(kit, sheets, tmp_path / "package")
    told = load(tmp_path / "package").sheet.maps
    assert {entry.encoding for entry in told} == {Encoding.SRGB, Encoding.DATA}
    for entry in told:
        own = chunks(tmp_path / "package" / entry.file)
        assert not own & {b"iCCP", b"cICP"}
        assert (b"sRGB" in own) == (entry.encoding == Encoding.SRGB)
        assert entry.encoding == Encoding.SRGB or not own & {b"gAMA", b"cHRM", b"sRGB"}
    for encoding in (Encoding.DATA, Encoding.LINEAR):
        write_plane(tmp_path / "a.png", Plane(np.zeros((2, 2, 3), np.uint8), encoding))
        assert not chunks(tmp_path / "a.png") & {b"gAMA", b"cHRM", b"sRGB", b"iCCP"}


def test_floats_ship_as_floats(history: History, sheets: Sheets, tmp_path: Path) -> None:
    """Emission of (3, 0.5, 0.001) comes back as that, and package.json says so."""
    samples = np.full((16, 16, 3), (3.0, 0.5, 0.001), np.float32)
    add_map(history, tmp_path / "light.exr", samples, Role.EMISSION, Encoding.LINEAR)
    history.do(commands.add_coat("region_1", Coat("glow", {"intensity": 0.0})))
    ship(history.kit, sheets, tmp_path / "package")
    (entry,) = [each for each in load(tmp_path / "package").sheet.maps if each.bits == 32]
    assert entry.file.endswith(".exr")
    found = Walker(tmp_path / "package").outputs(texel_centres(8, 8).astype(float))["emission"]
    assert found == pytest.approx(np.broadcast_to((3.0, 0.5, 0.001), found.shape), rel=1e-6)
    wrong = tmp_path / "package" / "package.json"
    wrong.write_bytes(wrong.read_bytes().replace(b'"bits": 32', b'"bits": 16'))
    with pytest.raises(UserError, match="not of the size and bits"):
        load(tmp_path / "package")


@pytest.mark.parametrize("wrap", [Wrap.REPEAT, Wrap.MIRROR, Wrap.CLAMP])
def test_hours_later(wrap: Wrap, history: History, sheets: Sheets, tmp_path: Path) -> None:
    """After two hours at 90 widths a second a plane lies where whole numbers of turns have put it, in all runtimes."""
    use = PlaneUse(PlaneRef(PlaneKind.MAP, "base_colour"), wrap=wrap, speed=(90.0, -90.0))
    history.do(commands.add_coat(Overcoats("sheet_1"), Coat("shade", planes={"plane": use})))
    ship(history.kit, sheets, tmp_path / "package")
    loaded = load(tmp_path / "package")
    late = [play(loaded, "", 64, 64, time=7200.0).astype(int) for play in (play_reference, play_opengl)]
    assert np.abs(late[0] - late[1]).max() <= 1
    if wrap != Wrap.CLAMP:
        assert np.abs(late[0] - play_reference(loaded, "", 64, 64)).max() <= 1
    walked = Walker(tmp_path / "package").outputs(texel_centres(64, 64).astype(float), time=7200.0)["colour"]
    encoded = np.where(walked <= 0.0031308, walked * 12.92, 1.055 * np.maximum(walked, 1e-9) ** (1 / 2.4) - 0.055)
    assert np.abs(encoded * 255 - late[0]).max() <= 1


# Bytes that nobody reads


def test_a_package_holds_what_its_program_reads(history: History, sheets: Sheets, tmp_path: Path) -> None:
    """No paint under a palette that covers all; no alpha of opaque paint; a number alone where one is read."""
    rng = np.random.default_rng(3)
    paint = np.full((32, 32, 4), 255, np.uint8)
    paint[..., :3] = rng.integers(0, 255, (32, 32, 3))
    key = history.kit.sheets[0].source(Role.BASE_COLOUR).key  # type: ignore[union-attr]
    history.do(commands.remove_map("sheet_1", key))
    add_map(history, tmp_path / "paint.png", paint, Role.BASE_COLOUR, Encoding.SRGB)
    dirt = add_map(
        history, tmp_path / "dirt.png", rng.integers(0, 255, (32, 32, 4)).astype(np.uint8), Role.NONE, Encoding.DATA
    )
    history.do(
        commands.add_coat(
            Overcoats("sheet_1"), Coat("shade", planes={"plane": PlaneUse(PlaneRef(PlaneKind.MAP, dirt))})
        )
    )
    made = contents(history.kit, sheets).package.sheets[0]
    channels = {entry.slot: entry.channels for entry in made.maps}
    assert channels["base_colour"] == 3
    assert channels[f"map_{dirt}"] == 1
    entries = np.array([(10, 20, 30), (200, 180, 90)], np.uint8)
    history.do(commands.add_palette(new_palette("palette", "Palette", entries)))
    history.do(commands.add_tone("sheet_1", Tone("index", "Index", "index", palette="palette")))
    uses = {
        "index": PlaneUse(PlaneRef(PlaneKind.TONE, "index")),
        "palette": PlaneUse(PlaneRef(PlaneKind.PALETTE, "palette")),
    }
    history.do(commands.add_coat(Overcoats("sheet_1"), Coat("swap", planes=uses)))
    made = contents(history.kit, sheets).package.sheets[0]
    assert "base_colour" not in [entry.slot for entry in made.maps]
    assert (made.width, made.height) == (32, 32)
    ship(history.kit, sheets, tmp_path / "package")
    loaded = load(tmp_path / "package")
    played = play_opengl(loaded, "", 32, 32).astype(int)
    assert np.abs(played - render_reference(picture(history.kit.at(), sheets, Look()), whole_sheet(32, 32))).max() <= 1


def test_what_is_equal_is_in_one_file(history: History, sheets: Sheets, tmp_path: Path) -> None:
    """Two sheets with the same paint: one file, named by both, and both play."""
    first = history.kit.sheets[0]
    history.do(commands.add_sheet("Second"))
    for source in first.sources:
        history.do(commands.add_map("second", source))
    history.do(commands.add_regions("second", [region.id_colour for region in first.regions]))
    ship(history.kit, sheets, tmp_path / "package")
    told = [load(tmp_path / "package", name).sheet.maps for name in (first.name, "Second")]
    files = [{entry.slot: entry.file for entry in maps} for maps in told]
    assert files[0]["base_colour"] == files[1]["base_colour"]
    assert len(list((tmp_path / "package").glob("*base_colour*"))) == 1
    for name in (first.name, "Second"):
        loaded = load(tmp_path / "package", name)
        assert np.abs(play_opengl(loaded, "", 64, 64).astype(int) - play_reference(loaded, "", 64, 64)).max() <= 1
    ship(history.kit, sheets, tmp_path / "package")  # over the older one


# Damaged


def at(tree: Any, path: tuple[Any, ...]) -> Any:
    for part in path:
        tree = tree[part]
    return tree


def put(*path: Any, to: Any) -> Callable[[Any], None]:
    def change(tree: Any) -> None:
        at(tree, path[:-1])[path[-1]] = to

    return change


def gone(*path: Any) -> Callable[[Any], None]:
    def change(tree: Any) -> None:
        del at(tree, path[:-1])[path[-1]]

    return change


def doubled(*path: Any) -> Callable[[Any], None]:
    def change(tree: Any) -> None:
        at(tree, path).append(copy.deepcopy(at(tree, path)[0]))

    return change


SHEET, MAP, REGION = ("sheets", 0), ("sheets", 0, "maps", 0), ("sheets", 0, "regions", 0)
PARAMETER, VARIANT, OUTPUT = ("parameters", 0), ("variants", 1), ("sheets", 0, "outputs", 0)
CORRUPTIONS: list[tuple[Callable[[Any], None], bool]] = [
    *((put(*MAP, field, to=value), True) for field, values in {
        "width": [-512, 0, 10**9, 1e39, 3.5, "64", None], "height": [-512, 0, 1 << 40], "channels": [0, 5, -1, 2.5],
        "bits": [0, 7, 64, -8], "encoding": ["gamma", "SRGB", 1], "filter": ["cubic", ""], "wrap": ["mirror", "border"],
        "mips": ["yes", 1], "layer": [-2, 300], "uniform": ["t x", "gl;", ""], "slot": ["", "a b"],
        "file": ["../x.png", "", "/etc/passwd"],
    }.items() for value in values),
    *((put(*PARAMETER, field, to=value), True) for field, values in {
        "type": ["mat4", "vec2"], "default": ["red", [1, 2], 1e39, [0.1, 0.2, 1e39]], "kind": ["text", ""],
        "low": [-1e39, "a"], "high": [1e39], "uniform": ["1x"], "name": ["p x"], "default_hex": ["#12", "red"],
    }.items() for value in values),
    *((put(*SHEET, field, to=value), True) for field, values in {
        "width": [-512, 0], "height": [0], "function": ["main", "x; discard"], "surface_function": ["other"],
        "shader": ["../material.glsl", ""], "outputs": [[]], "program": [[]], "name": [""],
    }.items() for value in values),
    *((put(*REGION, field, to=value), True) for field, values in {
        "id_colour": ["red", "#12345"], "channel": ["x", "0", ""], "layer": [-5], "slot": [""], "key": [""],
    }.items() for value in values),
    (put("format", to=2), True), (put("format", to="3"), True), (put("made_by", to="Somebody"), True),
    (put("blending", to="gamma"), True), (put("mips", to="nearest"), True), (put("sheets", to=[]), True),
    (put("more", to=1), True), (put(*SHEET, "more", to=1), True), (put(*SHEET, "program", 0, "more", to=1), True),
    (put(*SHEET, "program", 0, "op", to="explode"), True), (put(*SHEET, "program", 5, "args", to=[-1]), True),
    (put(*OUTPUT, "name", to="smell"), True), (put(*OUTPUT, "node", to=-1), True),
    (put(*VARIANT, "values", "region_1_colour", to="red"), True), (put(*VARIANT, "name", to=""), True),
    (gone("parameters"), True), (gone("sheets", 0, "program"), True), (gone(*MAP, "file"), True),
    # what a schema cannot say
    (put(*MAP, "uniform", to="t_other"), False), (put(*MAP, "slot", to="other"), False), (gone(*MAP), False),
    (doubled("sheets", 0, "maps"), False), (doubled("sheets", 0, "outputs"), False), (doubled("sheets", 0, "regions"), False),
    (doubled("parameters"), False), (doubled("variants"), False), (doubled("sheets"), False),
    (put(*PARAMETER, "uniform", to="p_other"), False), (put(*PARAMETER, "name", to="other"), False),
    (put(*PARAMETER, "type", to="float"), False), (put(*PARAMETER, "default", to=0.5), False),
    (put(*PARAMETER, "default", to=[0.1, 0.2, 7.0]), False), (put(*PARAMETER, "kind", to="number"), False),
    (gone(*PARAMETER), False), (gone(*VARIANT, "values", "region_1_colour"), False),
    (put(*VARIANT, "values", "other", to=1.0), False), (put(*VARIANT, "values", "region_1_colour", to=1.0), False),
    (put(*VARIANT, "values", "region_1_colour", to=[9.0, 0.0, 0.0]), False),
    (put(*VARIANT, "own", "other", to=1.0), False), (put(*VARIANT, "own", "region_4_colour", to=[0.5, 0.5, 0.5]), False),
    (put(*VARIANT, "parent", to="Nobody"), False), (put("variants", 0, "parent", to="Dusk"), False),
    (put(*VARIANT, "parent", to="Dusk"), False), (put(*OUTPUT, "node", to=90_000), False),
    (put(*OUTPUT, "node", to=0), False), (put(*OUTPUT, "type", to="float"), False),
    (put(*SHEET, "program", 5, "args", to=[70_000]), False), (put(*SHEET, "program", 0, "args", to=[0]), False),
    (put(*MAP, "width", to=63), False), (put(*MAP, "channels", to=4), False), (put(*MAP, "bits", to=16), False),
    (put(*MAP, "layer", to=0), False), (put(*MAP, "layer", to=3), False), (put(*MAP, "file", to="missing.png"), False),
    (put(*MAP, "file", to="material.glsl"), False), (put(*SHEET, "shader", to="package.json"), False),
]  # fmt: skip


def test_every_corruption_is_refused_in_one_sentence(kit: Kit, sheets: Sheets, tmp_path: Path) -> None:
    """By the schema (jsonschema) where it can say so, and by the player always; never with a traceback or silently."""
    ship(kit, sheets, tmp_path / "package")
    path = tmp_path / "package" / "package.json"
    whole = msgspec.json.decode(path.read_bytes())
    validator = Draft202012Validator(package_schema())
    validator.validate(whole)
    load(tmp_path / "package")
    passed, silent, told = [], [], []
    for number, (change, by_schema) in enumerate(CORRUPTIONS):
        tree = copy.deepcopy(whole)
        change(tree)
        if by_schema and validator.is_valid(tree):
            passed.append(number)
        path.write_bytes(msgspec.json.encode(tree))
        try:
            play_reference(load(tmp_path / "package"), "", 8, 8)
            silent.append(number)
        except UserError as error:
            told.append(str(error))
    assert (passed, silent) == ([], [])
    assert not any("\n" in text for text in told)
    assert len(CORRUPTIONS) > 86
