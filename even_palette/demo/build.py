"""Builds the demo kit. `python -m even_palette.demo.build [FOLDER]` writes it anew."""

import sys
from pathlib import Path

from even_palette.core.atomic import write_whole
from even_palette.core.colour.hexcode import hex_to_encoded
from even_palette.core.kit import commands
from even_palette.core.kit.commands import Command
from even_palette.core.kit.history import History
from even_palette.core.kit.model import Kit, Source
from even_palette.core.kit.store import KIT_FILE, encode_kit, fingerprint
from even_palette.core.material.model import Setting
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.guess import Role
from even_palette.demo import KIT_FOLDER, tug

COATS = {
    "Hull": ("tint", {"mode": "luminance"}),
    "Waterline": ("repaint", {}),
    "Deck": ("shift", {"space": "oklch"}),
    "Cabin": ("tint", {"mode": "channel"}),
    "Funnel": ("tint", {"mode": "luminance"}),
    "Rails": ("shift", {"space": "yiq"}),
    "Lamp": ("tint", {"mode": "plain"}),
    "Fenders": ("shift", {"space": "hsl"}),
}

MASTER: dict[tuple[str, str], Setting] = {
    ("Hull", "colour"): hex_to_encoded("#7a3328"),
    ("Waterline", "colour"): hex_to_encoded("#d8cba6"),
    ("Waterline", "strength"): 0.8,
    ("Cabin", "colour"): hex_to_encoded("#5c8783"),
    ("Funnel", "colour"): hex_to_encoded("#b8913f"),
}

VARIANTS: dict[str, tuple[str | None, dict[tuple[str, str], Setting]]] = {
    "Morning Ferry": (
        None,
        {
            ("Hull", "colour"): hex_to_encoded("#2c6e72"),
            ("Waterline", "colour"): hex_to_encoded("#e9e2d0"),
            ("Cabin", "colour"): hex_to_encoded("#cdbb92"),
            ("Funnel", "colour"): hex_to_encoded("#b4502e"),
            ("Deck", "hue"): 8.0,
            ("Lamp", "colour"): hex_to_encoded("#e8f0e4"),
        },
    ),
    "Night Post": (
        None,
        {
            ("Hull", "colour"): hex_to_encoded("#242b40"),
            ("Waterline", "colour"): hex_to_encoded("#8f2430"),
            ("Cabin", "colour"): hex_to_encoded("#39415c"),
            ("Funnel", "colour"): hex_to_encoded("#8f2430"),
            ("Deck", "saturation"): 0.45,
            ("Deck", "brightness"): -0.06,
            ("Lamp", "colour"): hex_to_encoded("#f0c26a"),
        },
    ),
    "Harvest Barge": (
        None,
        {
            ("Hull", "colour"): hex_to_encoded("#6f6a2a"),
            ("Waterline", "colour"): hex_to_encoded("#c9772b"),
            ("Cabin", "colour"): hex_to_encoded("#a65f2c"),
            ("Funnel", "colour"): hex_to_encoded("#4f5a2c"),
            ("Deck", "hue"): 22.0,
            ("Deck", "saturation"): 1.35,
            ("Fenders", "hue"): -18.0,
        },
    ),
    "Ice Patrol": (
        "Night Post",
        {
            ("Hull", "colour"): hex_to_encoded("#9fb4bd"),
            ("Waterline", "colour"): hex_to_encoded("#d2622a"),
            ("Rails", "hue"): 150.0,
            ("Rails", "saturation"): 1.8,
        },
    ),
}


def build(folder: Path = KIT_FOLDER) -> Kit:
    """Write the demo kit into a folder and return it. The same code always makes the same kit."""
    maps = folder / "maps"
    maps.mkdir(parents=True, exist_ok=True)
    planes = {
        "ferry_tug_base_colour.png": (Role.BASE_COLOUR, tug.base_plane()),
        "ferry_tug_id.png": (Role.ID, tug.id_plane()),
    }
    history = History(Kit())
    history.do(commands.rename_kit("Ferry tug"))
    for name, (role, plane) in planes.items():
        write_plane(maps / name, plane)
        seen = fingerprint(maps / name)
        path = str((maps / name).resolve())
        history.do(commands.set_source(Source(role, path, plane.encoding, seen.size, seen.sha256)))
    for command in _dressing(history):
        history.do(command)
    write_whole(folder / KIT_FILE, encode_kit(history.kit, folder))
    return history.kit


def _dressing(history: History) -> list[Command]:
    """Regions, coats, parameters and variants, as an artist would make them."""
    history.do(commands.add_regions([part.id_colour for part in tug.PARTS]))
    keys = {part.name: region.key for part, region in zip(tug.PARTS, history.kit.sheet.regions, strict=True)}
    steps: list[Command] = []
    for name, (kind, choices) in COATS.items():
        steps += [commands.rename_region(keys[name], name), commands.set_coat_kind(keys[name], kind)]
        steps += [commands.set_choice(keys[name], value, choice) for value, choice in choices.items()]
    steps += [commands.set_cell_value(keys[name], value, setting) for (name, value), setting in MASTER.items()]
    for variant, (parent, settings) in VARIANTS.items():
        steps.append(commands.add_variant(variant, parent))
        steps += [commands.set_cell_value(keys[n], value, s, variant) for (n, value), s in settings.items()]
    return steps


if __name__ == "__main__":
    build(Path(sys.argv[1]) if len(sys.argv) > 1 else KIT_FOLDER)
