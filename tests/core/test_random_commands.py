"""All commands, at random, on a kit of two sheets, meshes, recipes, tones and paint; and then what a user does next."""

import random
from pathlib import Path

import numpy as np
import pytest

from even_palette.core.checks import find
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import Overcoats, without_unused
from even_palette.core.kit.fingerprints import fingerprint
from even_palette.core.kit.history import History
from even_palette.core.kit.mesh_file import MeshFile
from even_palette.core.kit.model import Kit
from even_palette.core.kit.sheet import Bake, Tone
from even_palette.core.kit.store import KitFolder, as_kept, decode_kit, encode_kit, read_kit
from even_palette.core.kit.validate import check_kit
from even_palette.core.material.model import Coat
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.pictures import render_reference, whole_sheet
from even_palette.core.results.prepare_views import make_ready
from even_palette.core.results.sheets import Sheets
from even_palette.core.ship.write import ship
from even_palette.player.load import load
from even_palette.player.reference import play_reference
from tests.conftest import kit_of, write_maps
from tests.core.random_commands import World, random_command
from tests.core.test_bad_input import mutate_values
from tests.core.test_keys import ROOM

STEPS_A_ROUND, ROUNDS = 50, 6


@pytest.fixture
def world(tmp_path: Path) -> World:
    """Maps of several sizes and kinds, and two meshes."""
    rng, made = np.random.default_rng(5), []
    for name, shape, kind in (
        ("height", (40, 33, 1), np.uint16), ("light", (16, 16, 3), np.float32), ("dirt", (48, 48, 4), np.uint8),
    ):  # fmt: skip
        path = tmp_path / f"{name}{'.exr' if kind == np.float32 else '.png'}"
        top = 1 if kind == np.float32 else np.iinfo(kind).max
        write_plane(path, Plane((rng.random(shape) * top).astype(kind), Encoding.DATA))
        made.append(path)
    for number in range(2):
        text = ROOM.replace("usemtl floor", "usemtl left").replace("usemtl wall", "usemtl right")
        (tmp_path / f"room_{number}.obj").write_text(text + "# \n" * number)
    (tmp_path / "recipes").mkdir()
    return World(made, [(tmp_path / f"room_{number}.obj", 4) for number in range(2)], tmp_path / "recipes")


@pytest.fixture
def rich(tmp_path: Path, world: World) -> History:
    """Two sheets with paint and IDs, a mesh on both, a bake, a recipe, tones."""
    history = kit_of(write_maps(tmp_path / "one", 48, 1))
    other = kit_of(write_maps(tmp_path / "two", 61, 2), coats=False).kit.sheets[0]
    history.do(commands.add_sheet("Second"))
    for source in other.sources:
        history.do(commands.add_map("second", source))
    history.do(commands.add_regions("second", [region.id_colour for region in other.regions]))
    seen = fingerprint(world.meshes[0][0])
    history.do(commands.add_mesh(MeshFile("room", str(world.meshes[0][0]), "sheet_1", seen.size, seen.sha256)))
    history.do(commands.put_slot("room", "right", "second"))
    history.do(commands.add_bake("sheet_1", Bake("height", "height", 256, 4, 1)))
    history.do(commands.add_tone("second", Tone("neutral", "Neutral", "neutral")))
    history.do(commands.add_coat(Overcoats("second"), Coat("shift", {"hue": 20.0})))
    history.do(commands.make_recipe("region_3", "Paint"))
    return history


def step(history: History, rng: random.Random, world: World) -> bool:
    before = history.kit
    try:
        done = history.do(random_command(history.kit, rng, world))
    except (UserError, KeyError):
        assert history.kit is before
        return False
    if rng.random() < 0.3:
        history.end_merge()
    check_kit(history.kit)
    return done


@pytest.mark.parametrize("seed", range(2))
def test_undo_all_and_redo_all(seed: int, rich: History, world: World, tmp_path: Path) -> None:
    """The kit equals its first state byte for byte after undoing all, its last after redoing all; it is always valid."""
    history, rng = History(rich.kit), random.Random(seed)
    first = encode_kit(history.kit, tmp_path)
    assert sum(step(history, rng, world) for _ in range(800)) > 200
    last = encode_kit(history.kit, tmp_path)
    assert decode_kit(last, tmp_path) == history.kit
    while history.undo():
        pass
    assert encode_kit(history.kit, tmp_path) == first
    while history.redo():
        pass
    assert encode_kit(history.kit, tmp_path) == last


def as_a_user_goes_on(kit: Kit, folder: Path, rng: random.Random, sheets: Sheets) -> Kit:
    """Saved, opened again, equal, made ready, shown, checked, shipped; what cannot be is told in a sentence."""
    held = KitFolder.create(folder / "kit")
    kept = held.save(kit)
    held.close()
    opened = read_kit(folder / "kit")
    assert opened == without_unused(kept)
    for sheet in opened.sheets:
        at = opened.at(sheet.key)
        try:
            make_ready(at, sheets)
            variant = rng.choice(list(opened.variant_names))
            render_reference(picture(at, sheets, Look(variant=variant)), whole_sheet(24, 24))
        except UserError:
            continue
    list(find(opened, sheets))
    try:
        ship(opened, sheets, folder / "package")
    except UserError:
        return as_kept(kit, kit, kept)
    for sheet in load(folder / "package").package.sheets:
        play_reference(load(folder / "package", sheet.name), "", 16, 16)
    return as_kept(kit, kit, kept)


@pytest.mark.parametrize("seed", range(2))
def test_what_comes_next_after_fifty_commands(seed: int, rich: History, world: World, tmp_path: Path) -> None:
    history, rng, sheets = History(rich.kit), random.Random(seed + 100), Sheets()
    for number in range(ROUNDS):
        for _ in range(STEPS_A_ROUND):
            step(history, rng, world)
        kept = as_a_user_goes_on(history.kit, tmp_path / f"round {number}", rng, sheets)
        history.rewrite(lambda kit, kept=kept, now=history.kit: kept if kit is now else kit)  # type: ignore[misc]


def test_mutants_of_rich_kits_are_refused_or_made(rich: History, world: World, tmp_path: Path) -> None:
    """One value of a kit's file is another one: refused in a line, or each sheet is made or told in a sentence."""
    history, rng = History(rich.kit), random.Random(11)
    for _ in range(200):
        step(history, rng, world)
    data, made, told, sheets = encode_kit(history.kit, tmp_path), 0, list[str](), Sheets()
    for _ in range(150):
        try:
            mutant = decode_kit(mutate_values(data, rng), tmp_path, "damaged.json")
        except UserError as error:
            told.append(str(error))
            continue
        for sheet in mutant.sheets:
            try:
                make_ready(mutant.at(sheet.key), sheets)
                made += 1
            except UserError as error:
                told.append(f"damaged.json: {error}")
    assert made > 20
    assert all(text.startswith("damaged.json: ") and "\n" not in text for text in told)
