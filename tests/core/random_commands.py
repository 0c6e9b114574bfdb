"""Any command there is, with arguments that may or may not make sense: drawn by what its arguments are called."""

import inspect
import random
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from msgspec.structs import replace

from even_palette.core.kit import commands as c
from even_palette.core.kit.assignment import pack_chosen, pack_faces
from even_palette.core.kit.coat_owners import Overcoats, RecipeCoats, coats_of
from even_palette.core.kit.commands import Command
from even_palette.core.kit.mesh_file import MeshFile, move_name
from even_palette.core.kit.model import Kit
from even_palette.core.kit.output_plan import READY
from even_palette.core.kit.recipe_file import recipe_of, write_recipe
from even_palette.core.kit.scene import Camera, Lamp, LightKind, Placing, SceneLight
from even_palette.core.kit.sheet import Bake, Box, Region, Source, Step, Tone, Unmix
from even_palette.core.lineup.placings import PLACINGS
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import Reads
from even_palette.core.material.drawn import Drawing, Way
from even_palette.core.material.model import (
    Allowed,
    Blending,
    Coat,
    PlaneKind,
    PlaneRef,
    PlaneUse,
    Repeat,
    Track,
    TrackKey,
    ValueKind,
)
from even_palette.core.material.randomise import Spread
from even_palette.core.material.shading import Shaded, Shading
from even_palette.core.mesh.bakes import BAKES
from even_palette.core.proof.conditions import FORMATS, PRESETS, Beyond, Conditions, MapConditions, Mips
from even_palette.core.raster.guess import Role
from even_palette.core.raster.layouts import Hold
from even_palette.core.raster.plane import Encoding
from even_palette.core.raster.sampling import Filter, Wrap
from even_palette.core.regions.keying import Metric
from even_palette.core.regions.packing import Packing
from even_palette.core.regions.paint import Paint, PaintTile
from even_palette.core.regions.steps import STEPS, Join
from even_palette.core.regions.unmix import Mixing
from even_palette.core.regions.weights import Resolve
from even_palette.core.tones.kinds import TONES
from even_palette.core.tones.palette import new_palette, permuted
from even_palette.core.tones.ramp import Ramp, RampRow, Stop
from even_palette.scripting import command_names

KEYS = {
    "preset": "preset", "regions": "region", "tone": "tone", "parameter": "parameter", "variant": "variant", "parent": "variant",
    "mesh": "mesh", "slot": "mesh", "palette": "palette", "ramp": "ramp", "map": "map", "role": "map", "layout": "map", "green": "map",
    "encoding": "map", "bake": "bake", "sheet": "sheet", "base_tone": "tone", "twin": "twin", "plan": "plan", "strength": "map", "drawing": "sheet", "shaded": "sheet", "conditions": "sheet", "coverage": "map",
    "premultiplied": "map", "scene": "scene", "placing": "placing",
}  # fmt: skip
"""What the argument `key` of a command names, by a word of the command's name; regions otherwise."""


@dataclass
class World:
    """Files that commands may name: maps, meshes with their number of faces, and a folder for recipes."""

    maps: list[Path]
    meshes: list[tuple[Path, int]]
    recipes: Path


class Chance:
    """Draws a command for a kit."""

    def __init__(self, kit: Kit, rng: random.Random, world: World) -> None:
        self.kit, self.rng, self.world = kit, rng, world
        self.sheet = rng.choice(kit.sheets)
        self.owner = ""

    def command(self) -> Command:
        """Raises KeyError or UserError where arguments make no sense."""
        names = command_names()
        name = self.rng.choice(sorted(names))
        if name in ("remove_sheet", "remove_map", "remove_mesh") and self.rng.random() < 0.7:
            name = "rename_sheet"
        arguments = {}
        for each, parameter in inspect.signature(names[name]).parameters.items():
            if each == "merge" or (parameter.default is not parameter.empty and self.rng.random() < 0.4):
                continue
            arguments[each] = self.argument(name, each)
        return names[name](**arguments)

    def argument(self, command: str, name: str) -> Any:
        rng = self.rng
        makers: dict[str, Callable[[], Any]] = {
            "sheet": lambda: self.sheet.key, "owner": self.an_owner, "key": lambda: self.key_of(command),
            "others": lambda: [self.an_owner()], "to": lambda: [self.pick(self.kit.regions)],
            "keys": lambda: [self.pick(self.kit.parameters if "variants" in command else self.kit.regions)],
            "regions": lambda: self.regions(command), "targets": lambda: [(self.an_owner(), self.variant())],
            "region": lambda: rng.choice(["", self.pick(self.sheet.regions)]), "plane": lambda: rng.choice(["pattern", "plane", "noise"]),
            "cells": lambda: self.cells(command), "way": lambda: rng.choice(list(Way)), "moved": self.moved,
            "recipe": lambda: self.pick(self.kit.recipes), "variant": self.variant, "parameter": lambda: self.pick(self.kit.parameters),
            "parent": lambda: rng.choice([None, self.variant() or None]), "coat": lambda: rng.randrange(2),
            "coats": lambda: [rng.randrange(2)], "number": lambda: rng.randrange(3),
            "by": lambda: rng.randint(-2, 2) if "instances" not in command else (rng.random(), 0.0, -rng.random()),
            "track": lambda: rng.choice([None, Track(tuple(TrackKey(rng.uniform(-1, 9), self.setting()) for _ in range(rng.randrange(4))), rng.choice(list(Repeat)), rng.random())]),
            "allowed": lambda: Allowed(tuple((rng.random(),) * 3 for _ in range(rng.randrange(3))), rng.random(), rng.random(), hue_to=rng.uniform(0, 400)),
            "time": lambda: rng.uniform(0, 9), "one": self.variant, "other": self.variant, "seconds": lambda: rng.uniform(-1, 9),
            "camera": lambda: rng.choice([None, Camera(yaw=rng.uniform(-400, 400), pitch=rng.uniform(-99, 99))]),
            "repeat": lambda: rng.choice(list(Repeat)),
            "light": lambda: SceneLight(rng.choice(list(LightKind)), rng.uniform(-1, 25), lamps=(Lamp((rng.random(), 1.0, 0.0)),) * rng.randrange(6)),
            "settings": lambda: {self.variant(): self.setting()}, "least": lambda: rng.uniform(-1, 30), "severity": lambda: rng.random(),
            "scene": lambda: self.pick(self.kit.scenes), "placing": lambda: self.placing(command), "picks": self.picks,
            "value_name": lambda: self.spec().name, "setting": self.setting, "choice": self.choice,
            "name": lambda: self.name(command), "label": lambda: "Change", "kind": lambda: self.kind(command),
            "use": self.use, "pattern": lambda: rng.choice([None, self.use()]), "worn": self.coat, "step": self.step,
            "steps": lambda: tuple(self.step() for _ in range(rng.randrange(3))), "paint": self.paint,
            "paints": lambda: {self.pick(self.kit.regions): (rng.randrange(2), self.paint())},
            "box": self.box, "bake": self.bake, "tone": self.tone, "palette": lambda: self.palette(command), "ramp": self.ramp,
            "source": lambda: self.source(command), "file": lambda: self.file(command), "cell": self.cell,
            "change": lambda: self.change(command), "colours": lambda: [self.levels(), self.levels()], "colour": self.levels,
            "path": lambda: self.path(command), "size": lambda: rng.choice([-5, 0, 100, 1 << 50]), "sha256": lambda: "", "width": lambda: 0, "height": lambda: 0,
            "linked": dict, "order": lambda: rng.sample([r.key for r in self.sheet.regions], len(self.sheet.regions)),
            "texels": lambda: rng.randrange(20), "level": lambda: rng.randrange(-1, 9), "on": lambda: rng.random() < 0.5,
            "keyed": lambda: rng.random() < 0.5, "locked": lambda: rng.random() < 0.5, "inner": lambda: rng.random() * 99,
            "outer": lambda: rng.random() * 200, "mean": rng.random, "spread": lambda: Spread(apart=0.0) if "variants" in command else rng.random() / 3,
            "low": lambda: rng.random() - 1, "high": lambda: rng.random() + 0.5, "count": lambda: rng.randrange(1, 4),
            "seed": lambda: rng.randrange(99), "value": lambda: rng.choice([rng.random(), "both"]), "group": self.word,
            "help": self.word, "unit": lambda: "m", "slot": lambda: rng.choice(["left", "right"]),
            "faces": self.faces, "roots": self.roots, "part": lambda: (), "parts": lambda: (self.use(),) * rng.randrange(6),
            "unmix": lambda: rng.choice([None, Unmix(rng.choice(list(Mixing)), rng.random() < 0.5)]),
            "metric": lambda: rng.choice(list(Metric)), "how": lambda: rng.choice(list(Resolve)),
            "packing": lambda: rng.choice(list(Packing)), "blending": lambda: rng.choice(list(Blending)),
            "layout": lambda: tuple(rng.choices(list(Hold), k=rng.randrange(5))),
            "plan": lambda: rng.choice(READY),
            "command": lambda: c.set_cell_value(self.an_owner(), rng.choice(["colour", "strength"]), self.setting()),
            "drawing": lambda: Drawing(rng.choice(list(Way)), rng.random(), rng.random() < 0.5),
            "conditions": lambda: Conditions(rng.choice([*PRESETS, "none"]), {rng.choice(["base_colour", "weights_0", "x"]): MapConditions(rng.choice([*FORMATS, "BC2"]), rng.randrange(3), rng.choice(list(Mips)), wrap=rng.choice([None, *Beyond]), anisotropy=rng.randrange(18), bias=rng.uniform(-3, 3))}, kinds={"colour 3": MapConditions("BC7")} if rng.random() < 0.5 else {}),
            "shaded": lambda: Shaded(rng.choice(list(Shading)), broken_by=rng.choice([None, self.use()]), through=rng.random()),
            "encoding": lambda: rng.choice(list(Encoding)), "role": lambda: rng.choice(list(Role)),
        }  # fmt: skip
        assert name in makers, f"{command}: nothing is drawn for {name}"
        return makers[name]()

    # What is there, or now and then what is not

    def pick(self, parts: Any) -> str:
        keys = [part.key for part in parts]
        return self.rng.choice(keys) if keys and self.rng.random() < 0.95 else "none"

    def an_owner(self) -> str:
        recipes = [RecipeCoats(recipe.key) for recipe in self.kit.recipes]
        self.owner = self.rng.choice([self.pick(self.sheet.regions)] * 6 + [Overcoats(self.sheet.key)] * 2 + recipes)
        return self.owner

    def variant(self) -> str:
        return self.rng.choice(["", *(variant.key for variant in self.kit.variants)])

    def key_of(self, command: str) -> str:
        words = command.split("_")
        what = next((KEYS[word] for word in reversed(words) if word in KEYS), "region")
        if command in ("set_base_tone", "even_tone", "clear_tone_regions") or "tone" in words:
            what = "tone"
        if command in ("merge_slots",):
            what = "mesh"
        if command in ("draw_anew", "place_anew"):
            what = "placing"
        parts = {
            "region": self.kit.regions, "tone": self.sheet.tones, "parameter": self.kit.parameters, "map": self.sheet.sources,
            "variant": self.kit.variants, "mesh": self.kit.meshes, "palette": self.kit.palettes, "ramp": self.kit.ramps,
            "bake": self.sheet.bakes, "sheet": self.kit.sheets, "scene": self.kit.scenes, "placing": self.placings(),
            "plan": self.kit.plans, "preset": self.kit.presets, "twin": [twin for sheet in self.kit.sheets for twin in sheet.twins],
        }[what]  # fmt: skip
        return self.pick(parts)

    def spec(self) -> Any:
        try:
            coats = coats_of(self.kit, self.owner) or (Coat("tint"),)
        except KeyError:
            coats = (Coat("tint"),)
        return self.rng.choice(COATS[self.rng.choice(coats).kind].values)

    def setting(self) -> Any:
        if self.rng.random() < 0.4:
            return tuple(self.rng.random() for _ in range(3))
        return self.rng.choice([self.rng.random(), self.rng.uniform(-90, 90), 0.0, 1.0])

    def choice(self) -> str:
        choices = [name for spec in COATS[self.rng.choice(list(COATS))].values for name, _ in spec.choices]
        return self.rng.choice(choices or ["none"])

    def word(self) -> str:
        return self.rng.choice(["Hull", "Deck", "  ", "Bow № 2", "x" * 80, "<b>&amp;"])

    def name(self, command: str) -> str:
        if command == "set_start":
            return self.rng.choice([name for kind in COATS.values() for name, _ in kind.starts])
        if command == "set_coat_plane":
            return self.rng.choice([spec.name for kind in COATS.values() for spec in kind.planes])
        if command == "set_tone_value":
            return self.rng.choice([spec.name for kind in TONES.values() for spec in kind.values])
        return self.word()

    def kind(self, command: str) -> Any:
        return self.rng.choice(list(ValueKind)) if "parameter" in command else self.rng.choice(list(COATS))

    # Parts

    def levels(self) -> tuple[int, int, int]:
        return (self.rng.randrange(256), self.rng.randrange(256), self.rng.randrange(256))

    def ref(self) -> PlaneRef:
        sheet = self.sheet if self.rng.random() < 0.9 else self.rng.choice(self.kit.sheets)
        there = [PlaneRef(PlaneKind.MAP, part.key) for part in sheet.sources]
        there += [PlaneRef(PlaneKind.BAKE, part.key) for part in sheet.bakes if part.size <= 256]
        there += [PlaneRef(PlaneKind.TONE, part.key) for part in sheet.tones]
        there += [PlaneRef(PlaneKind.PALETTE, part.key) for part in self.kit.palettes]
        there += [PlaneRef(PlaneKind.RAMP, part.key) for part in self.kit.ramps]
        return self.rng.choice([*there, PlaneRef(PlaneKind.MAP, "none")])

    def use(self) -> PlaneUse:
        rng, value = self.rng, self.rng.random()
        use = PlaneUse(self.ref(), rng.randrange(4), value / 2, 1 - value / 2, 1 + value, rng.random() < 0.3,
                       rng.choice(list(Filter)), rng.choice(list(Wrap)), rng.random() < 0.8)  # fmt: skip
        if rng.random() < 0.2:
            return replace(use, tiling=(1 + value, 2.0), turn=value * 90, speed=(value, 0.0), grid=(2, 1))
        return use

    def coat(self) -> Coat:
        kind = COATS[self.rng.choice(list(COATS))]
        planes = {spec.name: self.use() for spec in kind.planes if self.rng.random() < 0.6}
        for spec in kind.planes:
            if spec.name in planes and spec.reads == Reads.STRIP and self.kit.ramps:
                planes[spec.name] = PlaneUse(PlaneRef(PlaneKind.RAMP, self.rng.choice(self.kit.ramps).key))
        return Coat(kind.name, {}, planes, self.rng.choice([None, None, self.use()]))

    def step(self) -> Step:
        kind = STEPS[self.rng.choice(list(STEPS))]
        value = self.rng.random()
        plain = [PlaneRef(PlaneKind.MAP, source.key) for source in self.sheet.sources] or [self.ref()]
        return Step(
            kind.name,
            {spec.name: spec.low + (spec.high - spec.low) * value for spec in kind.values},
            PlaneUse(self.rng.choice(plain), self.rng.randrange(4)) if kind.reads_channel else None,
            self.rng.choice(list(Join)),
            value,
            self.rng.random() < 0.8,
            self.paint() if kind.is_paint else None,
            self.pick(self.sheet.regions) if kind.reads_region else "",
        )

    def paint(self) -> Paint:
        side = self.rng.choice([48, 61, 300])
        shape = min(256, side), min(256, side), 2
        samples = np.random.default_rng(self.rng.randrange(99)).integers(0, 65536, shape).astype(np.uint16)
        samples[..., 0] = np.minimum(samples[..., 0], samples[..., 1])
        return Paint(side, side, {"0 0": PaintTile.of(samples)})

    def box(self) -> Box:
        return Box(*(self.rng.uniform(-0.1, 1.1) for _ in range(4)))

    def bake(self) -> Bake:
        key = self.pick(self.sheet.bakes)
        return Bake(key, self.rng.choice(list(BAKES)), 256, 4, 1, {"rays": 16.0}, self.variant())

    def tone(self) -> Tone:
        source = self.rng.choice([None, None, self.ref()])
        return Tone(
            "tone",
            "Tone",
            self.rng.choice(list(TONES)),
            source,
            palette=self.rng.choice(["", self.pick(self.kit.palettes)]),
        )

    def palette(self, command: str) -> Any:
        if command != "add_palette":
            return self.pick(self.kit.palettes)
        return new_palette("palette", "Palette", np.array([self.levels(), self.levels(), self.levels()], np.uint8))

    def ramp(self) -> Ramp:
        stops = (Stop(self.rng.random() / 2, self.levels()), Stop(0.5 + self.rng.random() / 2, self.levels()))
        return Ramp("ramp", "Ramp", (RampRow("Row", stops),) * self.rng.randrange(1, 3))

    def source(self, command: str) -> Any:
        if command == "set_tone_source":
            return self.rng.choice([None, self.ref()])
        path = self.rng.choice(self.world.maps)
        return Source(path.stem, self.rng.choice(list(Role)), str(path), self.rng.choice(list(Encoding)))

    def file(self, command: str) -> Any:
        if command == "add_mesh":
            path, _ = self.rng.choice(self.world.meshes)
            return MeshFile(path.stem, str(path), self.sheet.key)
        return recipe_of(self.kit, self.pick(self.kit.recipes))[0]

    def path(self, command: str) -> Any:
        if command == "point_map_to":
            return str(self.rng.choice(self.world.maps))
        path = self.world.recipes / f"{self.rng.randrange(3)}.recipe.json"
        if self.kit.recipes and command != "keep_recipe_in_file":
            write_recipe(path, recipe_of(self.kit, self.pick(self.kit.recipes))[0])
        return path if command != "keep_recipe_in_file" else str(path)

    def cells(self, command: str) -> Any:
        cells = [(self.an_owner(), self.variant(), self.rng.randrange(2)) for _ in range(self.rng.randrange(1, 4))]
        return [cell[:2] for cell in cells] if "clear" in command else cells

    def regions(self, command: str) -> Any:
        if "tone" in command or "colour_out" in command or "wear" in command:
            return [self.pick(self.sheet.regions)]
        taken = {region.key for region in self.kit.regions} | set(self.kit.retired)
        key = f"made_{self.rng.randrange(10**9)}"
        assert key not in taken
        return (Region(key, f"Made {key}", self.levels()),)

    def faces(self) -> Any:
        found = {}
        for mesh in self.kit.meshes:
            count = next((n for path, n in self.world.meshes if str(path) == mesh.path), 1)
            keys = tuple(region.key for region in self.kit.regions)
            labels = np.array([self.rng.randrange(-1, len(keys)) for _ in range(count)])
            found[mesh.key] = pack_faces(labels, keys)
        return found if self.rng.random() < 0.95 else {"none": pack_faces(np.array([-1]), ())}

    def moved(self) -> Any:
        return {key: replace(faces, regions=tuple(move_name(n, -n) for n in range(1, len(faces.regions) + 1)))
                for key, faces in self.faces().items()}  # fmt: skip

    def roots(self) -> dict[str, bytes]:
        return {mesh.key: pack_chosen(np.array([self.rng.random() < 0.5])) for mesh in self.kit.meshes}

    def cell(self) -> Any:
        return c.read_cell(self.kit, self.an_owner(), self.variant())

    def placings(self) -> list[Placing]:
        return [placing for scene in self.kit.scenes for placing in scene.placings]

    def placing(self, command: str) -> Placing:
        rng, there = self.rng, self.placings()
        kind, values = rng.choice(list(PLACINGS)), {"largest": 1 + rng.random(), "least": rng.random()}
        made = Placing("", "Placing", kind, self.pick(self.kit.meshes), rng.randrange(9), rng.randrange(99), rng.randrange(99),
                       {self.variant(): rng.random(), self.variant(): 1.0}, values, (rng.random(), 0.0, 0.0))  # fmt: skip
        return replace(rng.choice(there), kind=kind, count=rng.randrange(9)) if there and "change" in command else made

    def picks(self) -> list[tuple[str, int]]:
        return [(self.pick(self.placings()), self.rng.randrange(9)) for _ in range(self.rng.randrange(1, 4))]

    def change(self, command: str) -> Any:
        if "instances" in command:
            values = {self.pick(self.kit.parameters): self.setting()} if self.rng.random() < 0.5 else {}
            fields = {
                "variant": self.variant(),
                "locked": self.rng.random() < 0.5,
                "turn": self.setting(),
                "values": values,
            }
            return {name: fields[name] for name in self.rng.sample(list(fields), 2)}
        if "palette" in command:
            return lambda old: permuted(old, range(old.size)[::-1])
        if "ramp" in command:
            return lambda old: replace(old, rows=old.rows[:1])
        return lambda mesh: replace(mesh, uv_set=self.rng.randrange(2), unwrap=self.rng.random() < 0.2)


def random_command(kit: Kit, rng: random.Random, world: World) -> Command:
    """Any command there is. Raises KeyError or UserError where its arguments make no sense."""
    return Chance(kit, rng, world).command()
