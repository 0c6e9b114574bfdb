"""Builds the demo kit. `python -m even_palette.demo.build [FOLDER]` writes it anew."""

import sys
from pathlib import Path

from msgspec.structs import replace

from even_palette.core.colour.hexcode import hex_to_encoded
from even_palette.core.disk.whole import write_whole
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import Overcoats
from even_palette.core.kit.history import History
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import identifier
from even_palette.core.kit.sheet import Bake, Tone
from even_palette.core.kit.store import BLOBS, KIT_FILE, PAINT, encode_kit
from even_palette.core.kit.trees import paint_tiles
from even_palette.core.material.model import Coat, PlaneKind, PlaneRef, PlaneUse, Setting, Value
from even_palette.core.mesh.kinds import ElementKind
from even_palette.core.raster.guess import Role
from even_palette.core.results.dividing import give_to_twin, new_regions, scatter_split
from even_palette.core.results.picture_analysis import extract_palette
from even_palette.core.results.sheet_mesh import elements_of, regions_of_faces
from even_palette.core.results.sheets import Sheets
from even_palette.core.tones.palette import PaletteRow, colours_of, new_palette
from even_palette.core.tones.ramp import Ramp, RampRow, Stop
from even_palette.demo import (
    KIT_FOLDER,
    cargo,
    landing,
    quay,
    reeds,
    river,
    sail,
    sign,
    tug,
    tug_mesh,
    wear,
    wharf_tree,
)
from even_palette.demo.lay import DemoSheet, keep_bake, lay

SCATTER = {"hull": 62.0, "hull_weathered": 24.0, "hull_patched": 14.0}
SCATTER_SEED = 7
PLANK_FACES = 12
DECK_ENTRIES = 48
BRIGHTEST = 1.5
"""The light that the map of spilled light stores as 255."""


def _sheets() -> list[DemoSheet]:
    finish = tug.finish_planes()
    return [
        DemoSheet(
            "Ferry tug", "ferry_tug", tug_mesh.tug_mesh, tug_mesh.ID_COLOURS,
            {Role.BASE_COLOUR: tug.base_plane(), Role.NORMAL: finish["normal"]},
            (Bake("id_colours", "id_colours", 1024, 16, 4), Bake("occlusion", "occlusion", 1024, 16, 2),
             Bake("shell_ids", "shell_ids", 1024, 16, 1)),
            {"occlusion_roughness_metalness": finish["packed"], "dirt": tug.dirt_plane()},
        ),
        DemoSheet(
            "Oar and crate", "oar_and_crate", cargo.cargo_mesh, cargo.ID_COLOURS,
            {Role.BASE_COLOUR: cargo.base_plane(), Role.ID: cargo.id_plane()},
        ),
        DemoSheet(
            "Reed clump", "reed_clump", reeds.reed_mesh, reeds.ID_COLOURS, {Role.BASE_COLOUR: reeds.base_plane()},
            (Bake("along", "along", 512, 8, 2, {"way": "up"}), Bake("random", "random", 512, 8, 1)),
        ),
        DemoSheet("Painted sign", "painted_sign", None, {}, {Role.BASE_COLOUR: sign.sign_plane()}),
        DemoSheet(
            "Quay wall", "quay_wall", None, quay.ID_COLOURS,
            {Role.BASE_COLOUR: quay.base_plane(), Role.ID: quay.id_plane(), Role.HEIGHT: quay.height_plane()},
            others={"surfaces": quay.atlas_plane(), "surfaces_normal": quay.normal_plane()},
        ),
        DemoSheet(
            "Tattered sail", "tattered_sail", sail.sail_mesh, sail.ID_COLOURS, {Role.BASE_COLOUR: sail.base_plane()},
        ),
        DemoSheet(
            "River", "river", river.river_mesh, river.ID_COLOURS, {Role.BASE_COLOUR: river.base_plane()},
            others={"ripples": river.ripples_plane(), "foam": river.foam_plane()},
        ),
        DemoSheet(
            "Wharf tree", "wharf_tree", wharf_tree.tree_mesh, wharf_tree.ID_COLOURS,
            {Role.BASE_COLOUR: wharf_tree.base_plane()},
        ),
    ]  # fmt: skip


COATS = {
    "hull": ("tint", {"mode": "luminance"}),
    "hull_weathered": ("tint", {"mode": "luminance"}),
    "hull_patched": ("tint", {"mode": "luminance"}),
    "waterline": ("repaint", {}),
    "deck": ("shift", {"space": "oklch"}),
    "cabin": ("tint", {"mode": "channel"}),
    "funnel": ("tint", {"mode": "luminance"}),
    "rails": ("shift", {"space": "yiq"}),
    "lamp": ("tint", {"mode": "plain"}),
    "fenders": ("shift", {"space": "hsl"}),
    "boards": ("tint", {"mode": "luminance"}),
    "irons": ("shift", {"space": "oklch"}),
    "grip": ("tint", {"mode": "luminance"}),
    "blades": ("shift", {"space": "oklch"}),
    "heads": ("shift", {"space": "oklch"}),
}


def _hull(hull: str, weathered: str, patched: str) -> dict[tuple[str, str], Setting]:
    """The three tones of the planks."""
    return {
        ("hull", "colour"): hex_to_encoded(hull),
        ("hull_weathered", "colour"): hex_to_encoded(weathered),
        ("hull_patched", "colour"): hex_to_encoded(patched),
    }


MASTER: dict[tuple[str, str], Setting] = {
    **_hull("#7a3328", "#8a4a38", "#5f3a2c"),
    ("waterline", "colour"): hex_to_encoded("#d8cba6"),
    ("waterline", "strength"): 0.8,
    ("cabin", "colour"): hex_to_encoded("#5c8783"),
    ("funnel", "colour"): hex_to_encoded("#b8913f"),
    ("boards", "colour"): hex_to_encoded("#a98258"),
    ("grip", "colour"): hex_to_encoded("#6f4a35"),
}

VARIANTS: dict[str, tuple[str | None, dict[tuple[str, str], Setting]]] = {
    "Morning Ferry": (
        None,
        {
            **_hull("#2c6e72", "#47858a", "#21525f"),
            ("waterline", "colour"): hex_to_encoded("#e9e2d0"),
            ("cabin", "colour"): hex_to_encoded("#cdbb92"),
            ("funnel", "colour"): hex_to_encoded("#b4502e"),
            ("deck", "hue"): 8.0,
            ("lamp", "colour"): hex_to_encoded("#e8f0e4"),
            ("boards", "colour"): hex_to_encoded("#b89a70"),
            ("blades", "hue"): 6.0,
        },
    ),
    "Night Post": (
        None,
        {
            **_hull("#242b40", "#343b52", "#1b2231"),
            ("waterline", "colour"): hex_to_encoded("#8f2430"),
            ("cabin", "colour"): hex_to_encoded("#39415c"),
            ("funnel", "colour"): hex_to_encoded("#8f2430"),
            ("deck", "saturation"): 0.45,
            ("deck", "brightness"): -0.06,
            ("lamp", "colour"): hex_to_encoded("#f0c26a"),
            ("boards", "colour"): hex_to_encoded("#5d5a66"),
            ("grip", "colour"): hex_to_encoded("#8f2430"),
            ("blades", "saturation"): 0.5,
            ("blades", "brightness"): -0.10,
        },
    ),
    "Harvest Barge": (
        None,
        {
            **_hull("#6f6a2a", "#85803f", "#565222"),
            ("waterline", "colour"): hex_to_encoded("#c9772b"),
            ("cabin", "colour"): hex_to_encoded("#a65f2c"),
            ("funnel", "colour"): hex_to_encoded("#4f5a2c"),
            ("deck", "hue"): 22.0,
            ("deck", "saturation"): 1.35,
            ("fenders", "hue"): -18.0,
            ("boards", "colour"): hex_to_encoded("#a4692f"),
            ("blades", "hue"): -38.0,
            ("blades", "saturation"): 1.3,
            ("heads", "brightness"): 0.05,
        },
    ),
    "Ice Patrol": (
        "Night Post",
        {
            **_hull("#9fb4bd", "#b4c4ca", "#84a0ad"),
            ("waterline", "colour"): hex_to_encoded("#d2622a"),
            ("rails", "hue"): 150.0,
            ("rails", "saturation"): 1.8,
            ("boards", "colour"): hex_to_encoded("#9aa3a6"),
            ("blades", "saturation"): 0.2,
            ("blades", "brightness"): 0.16,
        },
    ),
}


def build(folder: Path = KIT_FOLDER) -> Kit:
    """Write the demo kit into a folder and return it. The same code always makes the same kit."""
    history, sheets = History(Kit()), Sheets()
    history.do(commands.rename_kit("Ferryman's Reach"))
    for number, sheet in enumerate(_sheets()):
        if number:
            history.do(commands.add_sheet(sheet.name))
        else:
            history.do(commands.rename_sheet("sheet_1", sheet.name))
        lay(history, sheets, sheet, history.kit.sheets[-1].key, folder)
    _scatter(history, sheets)
    _dress(history)
    _tone(history, sheets)
    keep_bake(history, sheets, folder, history.kit.sheets[0].bake("occlusion"), "baked_occlusion")
    _weather(history)
    keys = {identifier(region.name): region.key for region in history.kit.regions}
    wear.wear(history, [keys[name] for name in SCATTER])
    _build_quay(history)
    _tear(history)
    _dry(history, sheets)
    _spill(history, sheets, folder)
    keys = {identifier(region.name): region.key for region in history.kit.regions}
    for dress in (river.dress, wharf_tree.dress):
        dress(history, keys)
    landing.build_landing(history)
    blobs = folder / BLOBS
    blobs.mkdir(exist_ok=True)
    for tile in paint_tiles(history.kit):
        write_whole(blobs / f"{tile.name}{PAINT}", tile.packed)
    write_whole(folder / KIT_FILE, encode_kit(history.kit, folder))
    return history.kit


def _scatter(history: History, sheets: Sheets) -> None:
    """Give the hull's planks to three regions at random, neighbours apart where it can be."""
    tug = history.kit.sheets[0].key
    fresh = new_regions(history.kit.at(tug), ["Hull weathered", "Hull patched"], [(150, 30, 90), (250, 110, 110)])
    first, *rest = history.kit.sheet(tug).regions
    history.do(commands.put_regions(tug, fresh))
    sheet = history.kit.sheet(tug)
    history.kit = history.kit.with_sheet(replace(sheet, regions=(first, *fresh, *rest)))
    at = history.kit.at(tug)
    shells = elements_of(at, sheets, ElementKind.SHELL)
    planks = (regions_of_faces(at, sheets) == 0) & (shells.face_counts[shells.labels] == PLANK_FACES)
    split = scatter_split(at, sheets, planks, SCATTER, SCATTER_SEED, keep_apart=True)
    history.do(split.command)


def _dress(history: History) -> None:
    """Coats, parameters and variants, as an artist would make them."""
    keys = {identifier(region.name): region.key for region in history.kit.regions}
    for name, (kind, choices) in COATS.items():
        history.do(commands.set_coat_kind(keys[name], kind))
        for value, choice in choices.items():
            history.do(commands.set_choice(keys[name], value, choice))
    for (name, value), setting in MASTER.items():
        history.do(commands.set_cell_value(keys[name], value, setting))
    history.do(commands.expose("hull", "colour"))
    for variant, (parent, settings) in VARIANTS.items():
        history.do(commands.add_variant(variant, identifier(parent) if parent else None))
        for (name, value), setting in settings.items():
            history.do(commands.set_cell_value(keys[name], value, setting, identifier(variant)))


def _weather(history: History) -> None:
    """What stays on top of all paint, how shiny parts are, and the lamp's light."""
    tug_key, _, reed_key, *_ = (sheet.key for sheet in history.kit.sheets)
    keys = {identifier(region.name): region.key for region in history.kit.regions}
    over, dirt = Overcoats(tug_key), PlaneRef(PlaneKind.MAP, "dirt")
    occlusion = {"plane": PlaneUse(PlaneRef(PlaneKind.MAP, "baked_occlusion"))}
    history.do(commands.add_coat(over, Coat("shade", {"strength": 0.55}, occlusion)))
    history.do(commands.add_coat(over, Coat("bare", {"what": "all"}, pattern=PlaneUse(dirt, 0))))
    history.do(commands.add_coat(over, Coat("repaint", {"colour": hex_to_encoded("#3a3226"), "strength": 0.5},
                                            pattern=PlaneUse(dirt, 1))))  # fmt: skip
    history.do(commands.expose(over, "strength", 1))
    worn = history.kit.parameters[-1].key
    history.do(commands.rename_parameter(worn, "worn"))
    for variant, much in (("morning_ferry", 0.35), ("harvest_barge", 1.0)):
        history.do(commands.set_cell_value(over, "strength", much, variant, 1))
    for name, finish in FINISHES.items():
        history.do(commands.add_coat(keys[name], Coat("finish", finish)))
    history.do(commands.add_coat(keys["lamp"], Coat("glow", {"colour": hex_to_encoded("#ffd08a"), "intensity": 0.4})))
    number = len(history.kit.region(keys["lamp"]).coats) - 1
    for variant, much in (("night_post", 3.0), ("ice_patrol", 2.0)):
        history.do(commands.set_cell_value(keys["lamp"], "intensity", much, variant, number))
    history.do(commands.make_recipe(keys["hull"], "Ferry paint"))
    history.do(commands.wear_recipe(keys["blade"], "ferry_paint"))
    history.do(commands.set_own_value(keys["blade"], "strength", 0, 0.8))
    along = {"along": PlaneUse(PlaneRef(PlaneKind.BAKE, "along"))}
    root_to_tip: dict[str, Value] = {"root": hex_to_encoded("#b9c49a"), "tip": hex_to_encoded("#fff3cf"), "power": 1.4}
    history.do(commands.add_coat(keys["blades"], Coat("along", root_to_tip, along)))
    assert history.kit.sheet(reed_key).bake("along")


def _spill(history: History, sheets: Sheets, folder: Path) -> None:
    """What the lamp throws on cabin and deck by night."""
    sheet = history.kit.sheets[0]
    bake = Bake(
        "spill", "spill", 256, 8, 2, {"rays": 64.0, "reach": 1.0, "brightest": BRIGHTEST, "smooth": 2.0}, "night_post"
    )
    keep_bake(history, sheets, folder, bake, "spill")
    over = Overcoats(sheet.key)
    use = {"colours": PlaneUse(PlaneRef(PlaneKind.MAP, "spill"))}
    history.do(commands.add_coat(over, Coat("glow", {"colours": "plane", "intensity": 0.0}, use)))
    number = len(history.kit.sheet(sheet.key).overcoats) - 1
    for variant, much in (("night_post", BRIGHTEST), ("ice_patrol", BRIGHTEST * 2 / 3)):
        history.do(commands.set_cell_value(over, "intensity", much, variant, number))


def _build_quay(history: History) -> None:
    """The wall of stones or bricks, moss where the joints lie deep, a coping of planks in winter."""
    keys = {identifier(region.name): region.key for region in history.kit.regions}
    sheet = history.kit.sheets[4]
    atlas = PlaneUse(PlaneRef(PlaneKind.MAP, "surfaces"), grid=(2, 2))
    normal = PlaneUse(PlaneRef(PlaneKind.MAP, "surfaces_normal"), grid=(2, 2))
    height = PlaneUse(PlaneRef(PlaneKind.MAP, sheet.source(Role.HEIGHT).key))  # type: ignore[union-attr]
    for name, cell, repeat in (("wall", 0.0, "plain"), ("coping", 3.0, "turned")):
        history.do(commands.set_coat_kind(keys[name], "surface"))
        history.do(commands.set_coat_plane(keys[name], 0, "atlas", atlas))
        history.do(commands.set_coat_plane(keys[name], 0, "normal", normal))
        history.do(commands.set_choice(keys[name], "repeat", repeat))
        history.do(commands.set_cell_value(keys[name], "scale", 4.0))
        history.do(commands.set_cell_value(keys[name], "cell", cell))
    history.do(
        commands.add_coat(
            keys["wall"],
            Coat(
                "surface",
                {"cell": 2.0, "scale": 3.0, "repeat": "moved", "cover": "height", "band": 0.2, "offset": -0.2},
                {"atlas": atlas, "normal": normal, "under": height},
            ),
        )
    )
    history.do(commands.set_cell_value(keys["wall"], "cell", 1.0, "harvest_barge"))
    history.do(commands.set_cell_value(keys["wall"], "strength", 0.25, "ice_patrol", 1))


def _tear(history: History) -> None:
    """Reeds that keep their leaves at a distance; a sail of a colour of its own that fades, more torn in winter."""
    _, _, reeds_key, _, _, sail_key, *_ = (sheet.key for sheet in history.kit.sheets)
    history.do(commands.set_keep_coverage(reeds_key, history.kit.sheet(reeds_key).sources[0].key, True))
    keys = {identifier(region.name): region.key for region in history.kit.regions}
    history.do(commands.set_cell_value(keys["cloth"], "colour", hex_to_encoded("#b08a5a")))
    for variant, colour in (("morning_ferry", "#d9cfb4"), ("night_post", "#4a5068"), ("harvest_barge", "#a8552e")):
        history.do(commands.set_cell_value(keys["cloth"], "colour", hex_to_encoded(colour), variant))
    over = Overcoats(sail_key)
    history.do(commands.add_coat(over, Coat("opacity")))
    history.do(commands.expose(over, "fade", 0))
    history.do(commands.rename_parameter(history.kit.parameters[-1].key, "sail_fade"))
    history.do(commands.set_cell_value(over, "offset", -0.22, "ice_patrol", 0))


def _dry(history: History, sheets: Sheets) -> None:
    """Every third card of the reeds is a twin's, which is as dry in all weathers as reeds are in autumn."""
    key = history.kit.sheets[2].key
    history.do(commands.add_twin(key, "Dry reeds"))
    at = history.kit.at(key)
    cards = regions_of_faces(at, sheets) == [region.name for region in at.sheet.regions].index("Blades")
    shells = elements_of(at, sheets, ElementKind.SHELL).labels
    history.do(give_to_twin(at, sheets, cards & (shells % 3 == 0), "dry_reeds"))
    blades = next(region.key for region in at.sheet.regions if region.name == "Blades")
    for value, setting in (("hue", -52.0), ("saturation", 0.9), ("brightness", 0.06)):
        history.do(commands.in_twin(commands.set_cell_value(blades, value, setting, coat=1), "dry_reeds"))


FINISHES: dict[str, dict[str, Value]] = {
    "hull": {"metalness": 0.0, "roughness": 0.42, "clear_coat": 0.5},
    "funnel": {"metalness": 0.2, "roughness": 0.35, "clear_coat": 0.3},
    "rails": {"metalness": 1.0, "roughness": 0.3},
}


def _tone(history: History, sheets: Sheets) -> None:
    """Palettes, ramps and tones: the sign's rows, the deck by numbers, an even hull, smooth rope, reeds by instance."""
    tug_key, _, _, sign_key, *_ = (sheet.key for sheet in history.kit.sheets)
    keys = {identifier(region.name): region.key for region in history.kit.regions}
    palette = new_palette("sign_colours", "Sign", sign.colours_of(sign.DAY))
    rows = tuple(PaletteRow(name, colours_of(sign.colours_of(look))) for name, look in sign.ROWS.items())
    history.do(commands.add_palette(replace(palette, rows=rows)))
    history.do(commands.add_tone(sign_key, Tone("sign_index", "Sign by numbers", "index", palette="sign_colours")))
    over = Overcoats(sign_key)
    history.do(commands.add_coat(over, Coat("swap", {"way": "four"}, _planes("sign_index", "sign_colours"))))
    history.do(commands.set_cell_value(over, "row", 1.0, "night_post"))
    history.do(commands.set_cell_value(over, "row", 2.0, "harvest_barge"))
    history.do(extract_palette(history.kit.at(tug_key), sheets, DECK_ENTRIES, region=keys["deck"]))
    deck, index = history.kit.palettes[-1], history.kit.sheets[0].tones[-1]
    swap = Coat("swap", {"way": "four"}, _planes(index.key, deck.key))
    history.do(commands.add_coat(keys["deck"], swap))
    history.do(commands.move_coat(keys["deck"], 1, -1))
    history.do(commands.add_tone(tug_key, Tone("hull_neutral", "Hull neutral", "neutral")))
    hull = [keys[name] for name in SCATTER]
    history.do(commands.even_tone(tug_key, "hull_neutral", hull, 0.62, 0.1))
    history.do(commands.add_tone(tug_key, Tone("rope_strands", "Rope strands", "strands", values={"radius": 3.0})))
    leaf = RampRow("Leaf", (Stop(0.0, (62, 84, 38)), Stop(0.5, (128, 138, 62)), Stop(1.0, (176, 150, 84))))
    head = RampRow("Head", (Stop(0.0, (86, 56, 36)), Stop(1.0, (148, 108, 70))))
    history.do(commands.add_ramp(Ramp("reed_kinds", "Reeds", (leaf, head))))
    ramp = {"ramp": PlaneUse(PlaneRef(PlaneKind.RAMP, "reed_kinds"))}
    for number, name in enumerate(("blades", "heads")):
        coat = Coat("ramp", {"from": "seed", "row": float(number), "strength": 0.45}, ramp)
        history.do(commands.add_coat(keys[name], coat))
        history.do(commands.move_coat(keys[name], 1, -1))


def _planes(index: str, palette: str) -> dict[str, PlaneUse]:
    """What the coat swap reads."""
    return {
        "index": PlaneUse(PlaneRef(PlaneKind.TONE, index)),
        "palette": PlaneUse(PlaneRef(PlaneKind.PALETTE, palette)),
    }


if __name__ == "__main__":
    build(Path(sys.argv[1]) if len(sys.argv) > 1 else KIT_FOLDER)
