"""Laying coats over what is under them: W3C's modes, mixing in other numbers, levels, planes with alpha."""

from pathlib import Path

import numpy as np
import pytest
from PIL import Image, ImageChops

from even_palette.core.colour.srgb import linear_to_srgb, srgb_to_linear
from even_palette.core.graph import nodes
from even_palette.core.graph.program import program_of
from even_palette.core.graph.reference import Environment, run
from even_palette.core.graph.types import Type
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.material.coats import COATS
from even_palette.core.material.coats.levels import formula
from even_palette.core.material.declare import BLENDING, MIXING, CoatInputs
from even_palette.core.material.mixing import MIXINGS, MODES
from even_palette.core.material.model import Coat, PlaneKind, PlaneRef, PlaneUse
from even_palette.core.material.variants import MASTER, resolve
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.pictures import render_reference, whole_sheet
from even_palette.core.results.rendering import SheetRender
from even_palette.core.results.sheets import Sheets
from tests.core.test_packages import add_map

RNG = np.random.default_rng(21)
LEVELS = np.arange(256, dtype=np.float32) / np.float32(255)
UNDER, OVER = (part.astype(np.float32) for part in np.meshgrid(LEVELS, LEVELS, indexing="ij"))
"""Every pair of levels."""
VIEW = whole_sheet(64, 64)


def soft_light(under: float, over: float) -> float:
    """As section 10.1.9 of the text has it, word by word."""
    if over <= 0.5:
        return under - (1 - 2 * over) * under * (1 - under)
    d = ((16 * under - 12) * under + 4) * under if under <= 0.25 else under**0.5
    return under + (2 * over - 1) * (d - under)


def hard_light(under: float, over: float) -> float:
    """Section 10.1.8: multiply with 2 Cs up to a half, else screen with 2 Cs - 1."""
    return under * 2 * over if over <= 0.5 else under + (2 * over - 1) - under * (2 * over - 1)


PUBLISHED = {
    "normal": lambda under, over: over,
    "multiply": lambda under, over: under * over,
    "screen": lambda under, over: under + over - under * over,
    "overlay": lambda under, over: hard_light(over, under),
    "darken": min,
    "lighten": max,
    "soft_light": soft_light,
    "add": lambda under, over: min(1.0, under + over),
}
"""W3C, Compositing and Blending Level 1, Candidate Recommendation Draft of 21 March 2024, sections 10.1 and 9.1.14."""


def of(node: nodes.Node, **inputs: np.ndarray) -> np.ndarray:
    """An expression of floats at every pixel; each input is a place of uv here."""
    uv = np.stack([inputs["under"], inputs["over"]], axis=-1)
    return np.asarray(run(program_of({"value": node}), Environment(uv, {}))["value"])


@pytest.mark.parametrize("name", list(MODES))
def test_modes_are_those_of_the_text(name: str) -> None:
    """Every pair of 8-bit levels, with the borders of the cases among them."""
    made = of(MODES[name].laid(nodes.uv()["x"], nodes.uv()["y"]), under=UNDER, over=OVER)
    wanted = np.vectorize(PUBLISHED[name])(UNDER.astype(float), OVER.astype(float))
    assert np.abs(made - wanted).max() <= 1e-6
    edges = np.float32([0.0, 0.25, 0.5, 1.0])
    under, over = (part for part in np.meshgrid(edges, edges, indexing="ij"))
    made = of(MODES[name].laid(nodes.uv()["x"], nodes.uv()["y"]), under=under, over=over)
    assert np.abs(made - np.vectorize(PUBLISHED[name])(under.astype(float), over.astype(float))).max() <= 1e-7


@pytest.mark.parametrize(
    ("name", "theirs"),
    [
        ("multiply", ImageChops.multiply), ("screen", ImageChops.screen), ("lighten", ImageChops.lighter),
        ("darken", ImageChops.darker), ("add", ImageChops.add), ("overlay", ImageChops.overlay),
    ],
)  # fmt: skip
def test_modes_are_those_of_a_library(name: str, theirs: object) -> None:
    """Pillow's, in levels, within one; its soft light is another formula."""
    images = [Image.fromarray((part * 255 + 0.5).astype(np.uint8)) for part in (UNDER, OVER)]
    wanted = np.asarray(theirs(*images)).astype(int)  # type: ignore[operator]
    made = of(MODES[name].laid(nodes.uv()["x"], nodes.uv()["y"]), under=UNDER, over=OVER)
    assert np.abs(np.floor(made * 255 + 0.5) - wanted).max() <= 1


@pytest.mark.parametrize("name", list(MIXINGS))
def test_mixing_goes_there_and_back(name: str) -> None:
    """Every level comes back; half and half of two levels is what the numbers say."""
    how = MIXINGS[name]
    x = nodes.uv()["x"]
    linear = srgb_to_linear(UNDER)
    assert np.abs(of(how.back(how.made(x)), under=linear, over=OVER) - linear).max() <= 1e-5
    mixed = of(
        how.back(nodes.mix(how.made(x), how.made(nodes.uv()["y"]), 0.5)), under=linear, over=srgb_to_linear(OVER)
    )
    wanted = {
        "linear": (linear + srgb_to_linear(OVER)) / 2,
        "encoded": srgb_to_linear((UNDER + OVER) / 2),
        "squares": srgb_to_linear(np.sqrt((UNDER**2 + OVER**2) / 2)),
    }[name]
    assert np.abs(linear_to_srgb(mixed) - linear_to_srgb(wanted)).max() <= 1e-4


def coated(history: History, coat: Coat) -> np.ndarray:
    """The linear colours of the small sheet with a coat on the whole of region 2 alone."""
    for command in (
        commands.set_coat_kind("region_2", coat.kind),
        *(commands.set_coat_plane("region_2", 0, name, use) for name, use in coat.planes.items()),
        *(
            commands.set_choice("region_2", name, value)
            if isinstance(value, str)
            else commands.set_cell_value("region_2", name, value)
            for name, value in coat.values.items()
        ),
    ):
        history.do(command)
    kit = history.kit
    settings = resolve(kit.parameters, kit.variants, MASTER)
    return SheetRender(kit.at(), Sheets()).render(["colour"], settings)["colour"][6:26, 38:58]


@pytest.mark.parametrize("mixing", list(MIXINGS))
@pytest.mark.parametrize("mode", list(MODES))
def test_a_coat_is_laid_over_the_paint(history: History, mode: str, mixing: str) -> None:
    """A tint by any mode in any numbers, half strong: what the formulas say of the paint and the tinted paint."""
    history.do(commands.set_coat_kind("region_2", "bare"))
    plain = coated(history, Coat("tint", {"colour": (1.0, 1.0, 1.0)}))
    tint = srgb_to_linear(np.float32((0.9, 0.4, 0.6)))
    made = coated(history, Coat("tint", {
        "colour": (0.9, 0.4, 0.6), BLENDING.name: mode, MIXING.name: mixing, "strength": 0.5,
    }))  # fmt: skip
    to = {"linear": lambda x: x, "encoded": linear_to_srgb, "squares": lambda x: linear_to_srgb(x) ** 2}[mixing]
    back = {"linear": lambda x: x, "encoded": srgb_to_linear, "squares": lambda x: srgb_to_linear(np.sqrt(x))}[mixing]
    under, over = to(plain), to(plain * tint)
    laid = np.vectorize(PUBLISHED[mode])(under.astype(float), over.astype(float))
    wanted = back(np.float32(under * 0.5 + laid * 0.5))
    assert np.abs(linear_to_srgb(made) - linear_to_srgb(wanted)).max() <= 1e-3


def test_a_plane_with_alpha_is_laid_by_it(history: History, tmp_path: Path) -> None:
    """Blend: the plane times its tint by multiply, where its own alpha says, with a mask of halves beside it."""
    plane = RNG.integers(0, 256, (64, 64, 4)).astype(np.uint8)
    key = add_map(history, tmp_path / "stain.png", plane, Role.NONE, Encoding.SRGB)
    plain = coated(history, Coat("tint", {"colour": (1.0, 1.0, 1.0)}))
    use = PlaneUse(PlaneRef(PlaneKind.MAP, key))
    tint = (0.8, 0.9, 0.5)
    made = coated(history, Coat("blend", {
        "tint": tint, "opacity": "alpha", BLENDING.name: "multiply", "strength": 0.75,
    }, {"colour": use}))  # fmt: skip
    part = plane[6:26, 38:58].astype(np.float32) / 255
    over = srgb_to_linear(part[..., :3]) * srgb_to_linear(np.float32(tint))
    wanted = plain + (plain * over - plain) * part[..., 3:] * 0.75
    assert np.abs(linear_to_srgb(made) - linear_to_srgb(wanted)).max() <= 2e-3


def levels_of(colour: np.ndarray, **values: float) -> np.ndarray:
    kind = COATS["levels"]
    given = {
        spec.name: nodes.constant(float(values.get(spec.name, spec.default))) for spec in kind.values if spec.bindable
    }  # type: ignore[arg-type]
    under = nodes.splat(nodes.uv()["x"], Type.VEC3)
    made = formula(CoatInputs({"colour": under}, under, under, given))
    return of(made["colour"]["x"], under=colour, over=colour) if made else colour


def test_levels_are_what_their_formula_says() -> None:
    """Of every level: stretched, bent and spread about a pivot, encoded; without a word the paint leaves no trace."""
    encoded = LEVELS[None]
    linear = srgb_to_linear(encoded)
    assert levels_of(linear) is linear
    made = linear_to_srgb(levels_of(linear, black=0.2, white=0.7, gamma=1.6, contrast=1.8, pivot=0.4))
    x = np.clip((encoded - 0.2) / 0.5, 0, 1) ** (1 / 1.6)
    wanted = np.clip(0.4 + (x - 0.4) * 1.8, 0, 1)
    assert np.abs(made - wanted)[x > 1 / 255].max() <= 1e-4
    assert np.abs(linear_to_srgb(levels_of(linear, contrast=0.0, pivot=0.3)) - 0.3).max() <= 1e-6
    step = linear_to_srgb(levels_of(linear, black=0.5, white=0.2))
    assert np.abs(step[encoded < 0.5]).max() == 0
    assert np.abs(step[encoded > 0.505] - 1).max() <= 1e-6


def test_old_coats_look_as_they_did(history: History) -> None:
    """Normal in linear light is what coats were before they had a mode: nothing is written for it."""
    program = SheetRender(history.kit.at(), Sheets())._whole
    for name in (BLENDING.name, MIXING.name):
        history.do(commands.set_choice("region_2", name, {BLENDING.name: "normal", MIXING.name: "linear"}[name]))
    assert SheetRender(history.kit.at(), Sheets())._whole.records == program.records
    seen = render_reference(picture(history.kit.at(), Sheets(), Look()), VIEW)
    history.do(commands.set_choice("region_2", BLENDING.name, "screen"))
    assert not np.array_equal(render_reference(picture(history.kit.at(), Sheets(), Look()), VIEW), seen)
