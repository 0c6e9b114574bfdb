"""A function of a picture must not jump: each input moved by a millionth, and the picture stays."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings

from even_palette.core.arrays import Floats, float32
from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.graph.program import Program, program_of
from even_palette.core.graph.reference import Environment, run
from even_palette.core.graph.slots import Slot
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import Overcoats
from even_palette.core.kit.history import History
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import Reads
from even_palette.core.material.model import Coat, PlaneKind, PlaneRef, PlaneUse, ValueKind
from even_palette.core.material.outputs import LIGHT
from even_palette.core.raster.chain import Chain
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import Wrap, texel_centres
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.sheets import Sheets
from tests.conftest import kit_of, write_maps
from tests.gl import test_backends as backends

MOVED, MOST = 1e-6, 2 / 255


def outlined(side: int, channels: int, seed: int) -> Floats:
    """Blocks of paint, noise, and black and white in stripes of a texel: as outlines lie in it."""
    rng = np.random.default_rng(seed)
    made = np.repeat(np.repeat(rng.random((-(-side // 8), -(-side // 8), channels)), 8, 0), 8, 1)[:side, :side]
    made[::5] = 0
    made[:, 3::7] = 1
    made[6::9] = 0.4987
    made[2::11, 1::3] = rng.random(channels) * 0.01
    return float32(made)


def moved(slot: Slot, seed: int, by: float) -> Slot:
    """The slot with other contents, or with the same moved."""
    rng = np.random.default_rng(seed)
    planes = []
    for number, plane in enumerate(slot.planes):
        weights = slot.is_array and plane.encoding == Encoding.DATA
        samples = (
            plane.linear() if weights or plane.height < 4 else outlined(plane.height, plane.channels, seed + number)
        )
        samples = samples[:, : plane.width] if samples.shape[1] >= plane.width else plane.linear()
        step = rng.choice([-by, by], samples.shape)
        kept = Encoding.LINEAR if plane.encoding == Encoding.SRGB else plane.encoding
        planes.append(Plane(float32(np.clip(samples + step, 0, 1)), kept))
    return replace(slot, chains=tuple(map(Chain, planes)))


def seen(program: Program, slots: dict[str, Slot], inputs: dict, uv: Floats, by: float) -> dict[str, Floats]:  # type: ignore[type-arg]
    held = {name: moved(slot, number, by) for number, (name, slot) in enumerate(slots.items())}
    rng = np.random.default_rng(7)

    def nudged(value: float | tuple[float, ...]) -> float | tuple[float, ...]:
        if isinstance(value, tuple):
            return tuple(float(part + rng.choice([-by, by])) for part in value)
        return float(value + rng.choice([-by, by]))

    values = {name: nudged(value) for name, value in inputs.items()}
    found = run(program, Environment(uv, held, values, 0.37, 2.6, (1 / 50, 0.0, 0.0, 1 / 50)))
    return {
        name: linear_to_srgb(np.clip(value, 0, 1)) if name in LIGHT else np.clip(value, 0, 1)
        for name, value in found.items()
    }


def assert_continuous(history: History, sheets: Sheets) -> None:
    at = history.kit.at()
    look = picture(at, sheets, Look())
    outputs = {name: node for name, node in look.outputs.items() if name != "shown"}
    outputs["colour"] = look.light if look.light is not None else look.outputs["shown"]
    program = program_of(outputs)
    rng = np.random.default_rng(3)
    uv = texel_centres(48, 48).copy()
    uv[::2] += rng.uniform(-0.008, 0.008, (24, 48, 2))  # between texels, and at their centres
    slots = {name: slot for name, slot in look.slots.items() if name in program.slots}
    inputs = {name: look.inputs[name] for name in program.parameters}
    before, after = (seen(program, slots, inputs, uv, by) for by in (0.0, MOVED))
    for name, value in before.items():
        assert np.abs(after[name] - value).max() <= MOST, name


@pytest.fixture(scope="module")
def wide(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("continuity")
    write_maps(folder, 48, 5)
    return folder


@settings(max_examples=45, phases=backends.GENERATE)
@given(made=backends.dressings())
def test_random_materials_do_not_jump(made: list[commands.Command], wide: Path, sheets: Sheets) -> None:
    at = backends.dressed_kit(wide, made, 5)
    assert_continuous(History(at), sheets)


ENDS = {"low": 0.0, "middle": 0.65, "high": 1.0}
LEVELS = {
    "low": {"power": 0.01}, "middle": {"low": 0.4987, "high": 0.4987}, "high": {"power": 100.0},
}  # fmt: skip
ROLES = {Role.BASE_COLOUR: "base_colour", Role.ID: "id"}


@pytest.mark.parametrize("kind", sorted(COATS))
@pytest.mark.parametrize("end", list(ENDS))
def test_no_coat_jumps_at_the_ends_of_its_values(kind: str, end: str, wide: Path, sheets: Sheets) -> None:
    """All numbers at their least, between, and at their most, in each way of the coat, on planes through steep levels."""
    coat = COATS[kind]
    choices = [spec for spec in coat.values if spec.choices] or [None]
    for choice in choices:
        for way, _ in choice.choices if choice else [("", "")]:
            history = kit_of({role: wide / f"crate_{name}.png" for role, name in ROLES.items()}, coats=False)
            for add in (commands.add_ramp(backends.TIDE), commands.add_palette(backends.FEW)):
                history.do(add)
            values = {
                spec.name: spec.low + (spec.high - spec.low) * ENDS[end] for spec in coat.values
                if spec.kind == ValueKind.NUMBER and spec.name not in ("row", "cell")
            }  # fmt: skip
            values |= {choice.name: way} if choice else {}
            if way == "turned":
                continue
            use = PlaneUse(PlaneRef(PlaneKind.MAP, "base_colour"), **LEVELS[end])
            if kind == "surface":
                use = PlaneUse(PlaneRef(PlaneKind.MAP, "base_colour"), wrap=Wrap.REPEAT)
            planes = {
                spec.name: backends.STRIPS[0 if spec.name == "ramp" else 1] if spec.reads == Reads.STRIP else use
                for spec in coat.planes
            }
            history.do(commands.add_coat("region_1", Coat(kind, values, planes)))
            history.do(commands.add_coat(Overcoats("sheet_1"), Coat(kind, values, planes)))
            assert_continuous(history, sheets)


def test_outlines_do_not_take_colour_from_a_trace(sheets: Sheets, wide: Path) -> None:
    """Hue 40, brightness 0.3 in HSL, black with a millionth of red: it stays as grey as black is."""
    history = kit_of({role: wide / f"crate_{name}.png" for role, name in ROLES.items()}, coats=False)
    history.do(commands.add_coat(Overcoats("sheet_1"), Coat("shift", {"space": "hsl", "hue": 40.0, "brightness": 0.3})))
    look = picture(history.kit.at(), sheets, Look())
    node = look.light
    assert node is not None
    found = []
    for trace in (0.0, MOVED):
        paint = np.zeros((8, 8, 3), np.float32)
        paint[..., 0] = trace
        held = {**look.slots, "base_colour": Slot((Chain(Plane(paint, Encoding.LINEAR)),))}
        value = run(program_of({"c": node}), Environment(texel_centres(8, 8), held, look.inputs))["c"]
        found.append(linear_to_srgb(value))
    assert np.abs(found[0] - found[1]).max() <= MOST
    assert np.ptp(found[1], axis=-1).max() <= MOST
