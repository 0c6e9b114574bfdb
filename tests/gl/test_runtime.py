"""What the runtime leaves, drawn: OpenGL and the reference agree under random conditions, near and far."""

import random
from pathlib import Path

import numpy as np
import pytest

from even_palette.core.graph.fused import Frame, run_fused
from even_palette.core.graph.program import program_of
from even_palette.core.graph.reference import Environment, run
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.store import read_kit
from even_palette.core.proof.conditions import (
    PRESETS,
    Beyond,
    Conditions,
    MapConditions,
    Mips,
    ReadAs,
    Use,
    formats_for,
)
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import Filter
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.pictures import SHOWN, View, render_reference
from even_palette.core.results.proof import shipped
from even_palette.core.results.sheets import Sheets
from even_palette.demo import KIT_FOLDER
from even_palette.gl.sheet_view import SheetRenderer
from tests.conftest import kit_of, source


@pytest.mark.parametrize("sheet", ["oar_and_crate", "reed_clump", "painted_sign"])
@pytest.mark.parametrize("seed", range(3))
def test_opengl_is_the_reference_under_any_conditions(
    sheet: str, seed: int, sheets: Sheets, renderer: SheetRenderer
) -> None:
    """Within 1 of 255 but for what rounds the other way where filters mix stored levels, at odd sizes, near and far.

    An index between entries is another entry, so that filter is left as it is here.
    """
    rng = random.Random(f"{sheet} {seed}")
    history = History(read_kit(KIT_FOLDER))
    found = shipped(history.kit.at(sheet), sheets)
    maps = {
        name: MapConditions(
            rng.choice(formats_for(facts)), rng.randrange(3), rng.choice([Mips.LINEAR, Mips.ENCODED, Mips.NONE]),
            None if facts.use in (Use.INDEX, Use.STRIP) else rng.choice([None, None, Filter.LINEAR]), rng.choice([ReadAs.MEANT, ReadAs.MEANT, ReadAs.SRGB]),
            rng.choice([None, None, Beyond.REPEAT, Beyond.CLAMP]), 1, rng.choice([0.0, 0.0, -1.5, 0.75]),
        )
        for name, facts in found.facts.items()
    }  # fmt: skip
    history.do(commands.set_conditions(sheet, Conditions(rng.choice(list(PRESETS)), maps)))
    shown = picture(history.kit.at(sheet), sheets, Look("runtime", "night_post"))
    far = picture(history.kit.at(sheet), sheets, Look("runtime", "night_post", distance=8))
    for scale in (0.6, 1.0, 3.7):
        step = scale / max(facts.width for facts in found.facts.values())
        view = View((0.11, 0.23), (step, step), 173, 121)
        drawn = renderer.render(shown, view)[..., :3].astype(int)
        wanted = render_reference(shown, view).astype(int)
        off = np.abs(drawn - wanted).max(axis=-1)
        assert off.max() <= 3, scale
        assert (off > 1).mean() < 0.01, scale
    step = 0.4 / max(facts.width for facts in found.facts.values())
    view = View((0.31, 0.23), (step, step), 173, 121)
    moved = picture(history.kit.at(sheet), sheets, Look("shimmer", "night_post", steps=1, distance=4, slant=2))
    for each in (far, moved):
        off = np.abs(renderer.render(each, view)[..., :3].astype(int) - render_reference(each, view)).max(axis=-1)
        assert (off > 2).mean() < 0.01  # a pixel on the edge of a square is of one or the other


@pytest.mark.parametrize("most", [2, 8, 16])
def test_slanted_pixels(most: int, sheets: Sheets, renderer: SheetRenderer, tmp_path: Path) -> None:
    """Stripes of six texels upright, in pixels of one texel by eight.

    Without anisotropy a pixel is a mean of eight texels each way, with eight samples each is of one stripe. Loops do as
    the reference does. Drivers may choose their filter (OpenGL 4.6, section 8.14), and this one takes its own whatever
    the most samples are: its distance from the reference is held to a quarter of what eight samples and more change.
    """
    stripes = np.zeros((160, 120, 3), np.uint8)  # no side is a power of two
    stripes[:, np.arange(120) // 6 % 2 == 1] = 255
    path = tmp_path / "paint.png"
    write_plane(path, Plane(stripes, Encoding.SRGB))
    history = kit_of({}, coats=False)
    history.do(commands.add_map("sheet_1", source(path, Role.BASE_COLOUR, Encoding.SRGB)))
    pictures = []
    for samples in (1, most):
        own = Conditions("nothing", {"base_colour": MapConditions(anisotropy=samples)})
        history.do(commands.set_conditions("sheet_1", own))
        pictures.append(picture(history.kit.at(), sheets, Look("runtime")))
    plain, slanted = pictures
    view = View((0.0, 0.0), (1 / 120, 8 / 160), 120, 20)
    wanted, without = (render_reference(each, view).astype(int) for each in (slanted, plain))
    drawn = renderer.render(slanted, view)[..., :3].astype(int)
    changed = float(np.abs(wanted - without).mean())
    if most >= 8:
        assert (wanted == stripes[::8]).all()
        assert float(np.abs(drawn - wanted).mean()) < changed / 4
    assert changed > 10
    assert float(np.abs(drawn - without).mean()) > 10  # the driver was told
    frame = Frame(view.width, view.height, view.origin, view.scale)
    program = program_of(slanted.outputs)
    looped = run_fused(program, slanted.slots, slanted.inputs, frame)[SHOWN]
    pixel = (view.scale[0], 0.0, 0.0, view.scale[1])
    exact = run(program, Environment(frame.uv(), slanted.slots, slanted.inputs, pixel=pixel))[SHOWN]
    assert np.abs(looped - exact).max() < 2e-5
