"""Chains whose levels are given: every back end samples just these, whatever they hold."""

import numpy as np
import pytest

from even_palette.core.arrays import Samples
from even_palette.core.graph import nodes
from even_palette.core.graph.fused import Frame, run_fused
from even_palette.core.graph.program import program_of
from even_palette.core.graph.slots import Slot
from even_palette.core.raster.chain import Chain
from even_palette.core.raster.mips import level_count
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import SMOOTH, Sampler
from even_palette.core.raster.tiles import TiledPlane, grid_of
from even_palette.core.results.pictures import SHOWN, Picture, View, on_sheet, render_reference, whole_sheet
from even_palette.gl.sheet_view import SheetRenderer

SIZES = [(300, 517), (512, 768), (9, 16), (37, 53)]
HELD = "held"


def noise(height: int, width: int, kind: str, seed: int) -> Samples:
    rng = np.random.default_rng(seed)
    if kind == "float32":
        return rng.random((height, width, 3)).astype(np.float32)
    return rng.integers(0, np.iinfo(kind).max + 1, (height, width, 3)).astype(kind)


def unlike(height: int, width: int, kind: str, encoding: Encoding, seed: int = 0) -> Chain:
    """A chain in which no level has to do with another; the first is of tiles where it can be."""
    first = noise(height, width, kind, seed)
    plane = TiledPlane(grid_of(first), encoding) if seed % 2 else Plane(first, encoding)
    given = [
        Plane(noise(max(1, height >> n), max(1, width >> n), kind, 100 * seed + n), encoding)
        for n in range(1, level_count(height, width))
    ]
    return Chain(plane, tuple(given))


@pytest.mark.parametrize("size", SIZES)
@pytest.mark.parametrize(
    ("kind", "encoding"),
    [("uint8", Encoding.SRGB), ("uint8", Encoding.DATA), ("uint16", Encoding.LINEAR), ("float32", Encoding.DATA)],
)
@pytest.mark.parametrize("is_array", [False, True])
def test_every_back_end_samples_the_levels_that_are_given(
    renderer: SheetRenderer, size: tuple[int, int], kind: str, encoding: Encoding, is_array: bool
) -> None:
    """Loops between levels and texels; drivers where a level fits exactly, as how far between two a pixel lies is worked
    out roughly by them (0.04 of a level seen), which matters where levels are unlike. Samplers may mix in 8 bits, two
    times between texels, half a level each (OpenGL leaves it open)."""
    chains = tuple(unlike(*size, kind, encoding, seed) for seed in range(1, 2 + is_array))
    slot = Slot(chains, SMOOTH, is_array)
    texel = nodes.layer(HELD, len(chains) - 1, nodes.uv()) if is_array else nodes.texture(HELD, nodes.uv())
    shown = Picture({SHOWN: texel["xyz"]}, {HELD: slot}, {})
    height, width = size
    views = [
        whole_sheet(width, height),
        View((0.3, 0.1), (0.6 / width, 0.6 / height), 40, 30),
        View((0.1, 0.2), (2 / width, 2 / height), 31, 23),
        View((0.1, 0.0), (8 / width, 8 / height), 31, 23),
        View((0.1, 0.2), (5 / width, 5 / height), 31, 23),
        whole_sheet(max(1, width // 3), max(1, height // 3)),
    ]
    for number, view in enumerate(views):
        want = render_reference(shown, view).astype(int)
        seen = on_sheet(view.uv())
        if number < 4:
            assert np.abs(renderer.render(shown, view)[..., :3] - want)[seen].max(initial=0) <= 2
        frame = Frame(view.width, view.height, view.origin, view.scale)
        looped = run_fused(program_of(shown.outputs), shown.slots, {}, frame, {SHOWN: "level"})[SHOWN]
        assert np.abs(looped - want)[seen].max(initial=0) <= 1


def test_levels_are_asked_for_by_number(renderer: SheetRenderer) -> None:
    """A level that an expression asks for is the one that was given; numbers beyond are held in the chain."""
    chain = unlike(64, 96, "uint8", Encoding.DATA)
    view = whole_sheet(96, 64)
    for number in (0, 1, 3, 6, 40):
        asked = nodes.texture_lod(HELD, nodes.uv(), nodes.uv()["x"] * 0 + float(number))["xyz"]
        shown = Picture({SHOWN: asked}, {HELD: Slot((chain,))}, {})
        level = chain.given[min(number, 6) - 1] if number else chain.plane
        by_hand = Picture(
            {SHOWN: nodes.texture(HELD, nodes.uv())["xyz"]}, {HELD: Slot((Chain(level),), Sampler(mips=False))}, {}
        )
        want = render_reference(by_hand, view).astype(int)
        assert np.abs(render_reference(shown, view) - want).max() <= 1
        assert np.abs(renderer.render(shown, view)[..., :3] - want).max() <= 1


def test_a_chain_may_begin_further_down() -> None:
    """Without its finest levels it has the same texels as before, whether they were made or given."""
    samples = noise(600, 777, "uint8", 3)
    made = [Chain(TiledPlane(grid_of(samples), Encoding.SRGB)), Chain(Plane(samples, Encoding.DATA))]
    for chain in (*made, unlike(600, 777, "uint8", Encoding.DATA)):
        shorter = chain.from_level(2)
        assert shorter.count == chain.count - 2
        for number in range(shorter.count):
            assert np.array_equal(shorter.level(number).linear(), chain.level(number + 2).linear())
        assert len({chain.content_id, shorter.content_id, chain.from_level(3).content_id}) == 3
        assert chain.from_level(0) is chain


def test_levels_that_do_not_fit_are_refused() -> None:
    plane = Plane(noise(6, 5, "uint8", 1), Encoding.DATA)
    good = [Plane(noise(3, 2, "uint8", 2), Encoding.DATA), Plane(noise(1, 1, "uint8", 3), Encoding.DATA)]
    assert Chain(plane, tuple(good)).count == 3
    for wrong in (
        good[:1],
        [*good, good[1]],
        good[::-1],
        [Plane(noise(3, 2, "uint16", 2), Encoding.DATA), good[1]],
        [Plane(good[0].samples, Encoding.SRGB), good[1]],
        [Plane(good[0].samples[..., :2], Encoding.DATA), good[1]],
    ):
        with pytest.raises(ValueError, match="level"):
            Chain(plane, tuple(wrong))
