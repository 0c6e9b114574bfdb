"""Compiled loops: programs in two parts, views that are drawn by loops, and how loops are kept."""

from itertools import product
from pathlib import Path
from threading import Timer

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from even_palette.core.graph import compiling, nodes, slots
from even_palette.core.graph.frames import FEW_PIXELS, run_frame
from even_palette.core.graph.fused import STORES, Frame, request, run_fused
from even_palette.core.graph.program import program_of
from even_palette.core.graph.reference import Environment, run
from even_palette.core.graph.types import Type
from even_palette.core.jobs import Cancelled, CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.store import read_kit
from even_palette.core.memory_account import Account, Kept
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import SHARP
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.pictures import SHOWN, View, render_reference, whole_sheet
from even_palette.core.results.sheets import Sheets
from even_palette.cpu.compile_apart import compile_apart
from even_palette.cpu.split_by_parameters import parted
from even_palette.cpu.view import keep_view, program_to_draw
from even_palette.demo import KIT_FOLDER
from even_palette.gl.sheet_view import SheetRenderer
from tests.gl.test_backends import GENERATE, PAINT, SIDE, SLOT, dressed_kit, dressings, x


@settings(max_examples=10, phases=GENERATE)
@given(dressings(), st.integers(0, 3))
def test_programs_in_two_parts_are_the_same(
    sheets: Sheets, tmp_path_factory: pytest.TempPathFactory, made: list[commands.Command], seed: int
) -> None:
    """What stays of a view, worked out first, and what is made of it by parameters: bit for bit the whole program."""
    kit_at = dressed_kit(tmp_path_factory.getbasetemp() / f"random-{seed}", made, seed).at()
    look = picture(kit_at, sheets, Look())
    assert look.light is not None
    whole = program_of({SHOWN: look.light})
    parts = parted(whole)
    uv = whole_sheet(48, 48).uv()
    at = Environment(uv, look.slots, look.inputs, pixel=(1 / 48, 0.0, 0.0, 1 / 48))
    still = run(parts.still, at)
    assert not parts.still.parameters
    planes = {name: Plane(value.reshape(48, 48, -1), Encoding.DATA) for name, value in still.items()}
    held = {**look.slots, **{name: slots.of(plane, SHARP) for name, plane in planes.items()}}
    moving = run(parts.moving, Environment(uv, held, look.inputs, pixel=at.pixel))
    assert np.array_equal(moving[SHOWN], run(whole, at)[SHOWN])


@pytest.mark.parametrize("zoom", [0.4, 1.0, 3.3])
def test_views_by_loops_are_those_of_opengl(renderer: SheetRenderer, sheets: Sheets, zoom: float) -> None:
    """The demo's tug in three variants, seen from afar, at 1:1 and from near, also with what is off the sheet."""
    demo_kit = read_kit(KIT_FOLDER)
    at = demo_kit.at()
    side = 1024 * zoom
    view = View((0.37 - 90 / side, -20 / side), (1 / side, 1 / side), 183, 97)
    shown = picture(at, sheets, Look())
    program = program_to_draw(shown)
    assert program is not None
    kept = keep_view(shown, program, view)
    for variant in demo_kit.variants[:3]:
        shown = picture(at, sheets, Look(variant=variant.key))
        drawn, by_loops = renderer.render(shown, view).astype(int), kept.draw(shown).astype(int)
        assert np.array_equal(drawn[..., 3], by_loops[..., 3])
        apart = np.abs(drawn - by_loops)[..., :3].max(axis=-1)
        assert apart.max() <= (2 if zoom < 1 else 1)  # drivers round how far a pixel lies between two mips
        assert np.mean(apart > 1) < 0.01
        if zoom == 1.0:
            assert np.abs(by_loops[..., :3] - render_reference(shown, view)).max() <= 1


def test_few_pixels_are_those_of_a_loop() -> None:
    """The reference in bands, which serves small frames, keeps what a loop keeps: floats, levels, encoded levels."""
    texel = nodes.texture(SLOT, nodes.uv())
    outputs = {
        "one": texel["x"] * 1.2 - 0.1,
        "light": texel["xyz"] * nodes.parameter("tint", Type.VEC3),
        "even": nodes.constant(0.5),
    }
    program, held, inputs = program_of(outputs), {SLOT: slots.of(PAINT)}, {"tint": (0.3, 0.9, 1.4)}
    frames = Frame(47, 61), Frame(230, 190), Frame(47, 61, (0.2, 0.1), (1 / 90, 1 / 70))
    for frame, how in product(frames, STORES):
        stores = dict.fromkeys(outputs, how)
        few, many = (of(program, held, inputs, frame, stores) for of in (run_frame, run_fused))
        assert frame.width * frame.height <= FEW_PIXELS
        for name in outputs:
            assert few[name].dtype == many[name].dtype
            assert few[name].shape == many[name].shape
            assert np.allclose(few[name], many[name], rtol=0, atol=1e-5 if how == "float" else 1), (name, how)


def forget_loops(monkeypatch: pytest.MonkeyPatch) -> None:
    """Let this process know no loops any more."""
    monkeypatch.setattr(compiling, "_LOOPS", Kept("Loops", 1.0, lambda loop: 1, Account(1000)))


def test_loops_are_compiled_apart_and_found_here(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Another process compiles; this one reads what it made. A process that is not wanted any more is ended."""
    monkeypatch.setenv("EVEN_PALETTE_CACHE", str(tmp_path))
    forget_loops(monkeypatch)
    program, held, frame = program_of({"seen": x * 0.3125}), {SLOT: slots.of(PAINT)}, Frame(SIDE, SIDE)
    wanted = request(program, held, frame)
    assert compile_apart([wanted], CancelToken())
    assert run_fused(program, held, {}, frame)["seen"] == pytest.approx(PAINT.samples[..., :1] * 0.3125)
    ((kept, _),) = compiling._LOOPS._kept.values()
    loop = kept.run
    assert list(loop.stats.cache_hits.values()) == [1]  # type: ignore[attr-defined]
    assert not loop.stats.cache_misses  # type: ignore[attr-defined]
    token = CancelToken()
    Timer(0.2, token.cancel).start()
    with pytest.raises(Cancelled):
        compile_apart([request(program_of({"seen": x * 0.3}), held, frame)], token)
    (tmp_path / "file").write_text("")
    monkeypatch.setenv("EVEN_PALETTE_CACHE", str(tmp_path / "file"))
    assert not compile_apart([wanted], CancelToken())


def test_loops_are_kept_within_bounds_and_made_without_a_folder(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Another text in a loop's place is replaced, old loops go, and a folder that cannot be written to stops nothing."""
    monkeypatch.setenv("EVEN_PALETTE_CACHE", str(tmp_path))
    monkeypatch.setattr(compiling, "MOST_LOOPS", 2)
    forget_loops(monkeypatch)

    def halved_paint(by: float) -> np.ndarray:
        return run_fused(program_of({"seen": x * by}), {SLOT: slots.of(PAINT)}, {}, Frame(SIDE, SIDE))["seen"]

    for share in (0.5, 0.625, 0.75, 0.875):
        assert halved_paint(share) == pytest.approx(PAINT.samples[..., :1] * share)
    kept = list((tmp_path / "loops").glob("*.py"))
    assert len(kept) == 2
    for path in kept:
        path.write_text("loop = None")
    forget_loops(monkeypatch)
    assert halved_paint(0.875) == pytest.approx(PAINT.samples[..., :1] * 0.875)
    (tmp_path / "file").write_text("")
    monkeypatch.setenv("EVEN_PALETTE_CACHE", str(tmp_path / "file"))
    forget_loops(monkeypatch)
    assert halved_paint(0.25) == pytest.approx(PAINT.samples[..., :1] * 0.25)
