"""What shines through: cut out, blended and dithered, in every back end, on the sheet and on the model."""

from collections.abc import Sequence
from dataclasses import replace
from itertools import permutations
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace as changed

from even_palette.core.arrays import float32
from even_palette.core.colour.srgb import linear_to_srgb, srgb_to_linear
from even_palette.core.graph import frames, nodes, slots
from even_palette.core.graph.reference import Environment, evaluate
from even_palette.core.graph.types import Type
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import Overcoats
from even_palette.core.kit.history import History
from even_palette.core.kit.output_plan import READY
from even_palette.core.material.drawn import Drawing, Way, alpha_of, dithered
from even_palette.core.material.model import Coat, PlaneKind, PlaneRef, PlaneUse
from even_palette.core.material.outputs import ALPHA
from even_palette.core.material.variants import MASTER, resolve
from even_palette.core.mesh.model import Mesh, build_mesh
from even_palette.core.mesh.view import Orbit
from even_palette.core.raster.chain import Chain, Coverage
from even_palette.core.raster.coverage import covering
from even_palette.core.raster.files import read_plane, write_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.layouts import Hold
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import pixel_numbers
from even_palette.core.results.behind import Behind, over
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.pictures import SHOWN, Picture, render_reference, whole_sheet
from even_palette.core.results.rendering import SheetRender
from even_palette.core.results.sheets import Sheets
from even_palette.core.ship.planned_maps import Wish, write_planned
from even_palette.core.ship.render import write_renders
from even_palette.core.ship.write import ship
from even_palette.gl.context import offscreen_context
from even_palette.gl.model_view import Light, ModelRenderer, Skin
from even_palette.gl.sheet_view import SheetRenderer
from even_palette.gl.textures import Textures
from even_palette.player.load import load
from even_palette.player.opengl import play_opengl
from even_palette.player.reference import play_reference
from tests.conftest import kit_of, source, write_maps

WIDE, HIGH = 61, 43
C = Hold.COLOUR
SAMPLED = 5e-6
"""Numbers between texels are off by so much where a texel's place is rounded to float32."""
THRESHOLDS = (0.0, 1 / 255, 0.2, 0.5, 128 / 255, 0.8, 1.0)


@pytest.fixture
def models() -> ModelRenderer:
    context = offscreen_context()
    return ModelRenderer(context, Textures(context))


def alpha_levels(kind: type, seed: int = 3) -> np.ndarray:
    """Alpha of all levels by chance, with the thresholds themselves and what lies beside them."""
    most = 1 if kind is np.float32 else np.iinfo(kind).max
    found = np.random.default_rng(seed).random((HIGH, WIDE)) * most
    beside = [t * most + step for t in THRESHOLDS for step in (-1, 0, 1) if kind is not np.float32]
    beside += [t for t in THRESHOLDS if kind is np.float32]
    found.ravel()[: len(beside)] = np.clip(np.round(beside) if kind is not np.float32 else beside, 0, most)
    return found.astype(kind)


def leaf_kit(folder: Path, kind: type = np.uint8, beside: bool = True) -> tuple[History, np.ndarray]:
    """A paint with alpha in it, or in a map of its own, under two regions; and the alpha, 0..1."""
    paths = write_maps(folder)
    alpha = alpha_levels(kind)
    most = 1.0 if kind is np.float32 else np.iinfo(kind).max
    colour = (np.random.default_rng(5).random((HIGH, WIDE, 3)) * most).astype(kind)
    suffix = ".exr" if kind is np.float32 else ".png"
    paint, alone = folder / f"leaf_base_colour{suffix}", folder / f"leaf_opacity{suffix}"
    if beside:
        write_plane(paint, Plane(np.dstack([colour, alpha]), Encoding.LINEAR if kind is np.float32 else Encoding.SRGB))
    else:
        write_plane(paint, Plane(colour, Encoding.SRGB))
        write_plane(alone, Plane(alpha[..., None], Encoding.DATA))
    history = kit_of({Role.ID: paths[Role.ID]}, coats=False)
    encoding = Encoding.LINEAR if kind is np.float32 else Encoding.SRGB
    layout = (C, C, C, Hold.OPACITY) if beside else ()
    history.do(commands.add_map("sheet_1", changed(source(paint, Role.BASE_COLOUR, encoding), layout=layout)))
    if not beside:
        history.do(commands.add_map("sheet_1", source(alone, Role.OPACITY, Encoding.DATA)))
    return history, (alpha / most).astype(np.float64)


def draw_as(history: History, way: Way, threshold: float = 0.5) -> None:
    history.do(commands.set_drawing("sheet_1", Drawing(way, threshold)))


def rendered(history: History, names: Sequence[str] = (ALPHA,), size: tuple[int, int] = (WIDE, HIGH)) -> np.ndarray:
    """The first of some outputs, (H, W), as full-size renders give it."""
    kit = history.kit
    settings = resolve(kit.parameters, kit.variants, MASTER)
    return SheetRender(kit.at(), Sheets()).render(list(names), settings, size)[names[0]][..., 0]


def test_dither_is_the_ordered_pattern() -> None:
    """Thresholds by the recursion of Bayer (1973): M(2n) = 4 M(n) + (0 2; 3 1); so many of 64 pixels as the share says,
    none at 0 and all at 1, wherever the pattern begins."""
    pattern = np.zeros((1, 1), int)
    for _ in range(3):
        pattern = np.block([[4 * pattern, 4 * pattern + 2], [4 * pattern + 3, 4 * pattern + 1]])
    for share in (0.0, 0.25 / 64, 0.5 / 64, 1 / 64, 0.3, 0.5, 63 / 64, 63.5 / 64, 1.0):
        around = Environment(np.zeros((24, 32, 2), np.float32), screen=pixel_numbers(32, 24, (5, 3)))
        seen = evaluate(dithered(nodes.constant(share) + nodes.uv()["x"]), around)
        wanted = np.float32((np.roll(pattern, (-3, -5), (0, 1)) + 0.5) / 64) <= np.float32(share)
        assert np.array_equal(seen, np.tile(wanted, (3, 4)))
        assert abs(seen.mean() * 64 - share * 64) <= 0.5


@pytest.mark.parametrize("compiled", [False, True])
@pytest.mark.parametrize(("kind", "beside"), [(np.uint8, True), (np.uint16, False), (np.float32, True)])
def test_what_is_cut_out_is_exact(
    renderer: SheetRenderer, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, kind: type, beside: bool, compiled: bool
) -> None:
    """At threshold t just the texels with an opacity of t or more: reference, compiled loop, OpenGL, and both players."""
    monkeypatch.setattr(frames, "FEW_PIXELS", 0 if compiled else frames.FEW_PIXELS)
    history, alpha = leaf_kit(tmp_path, kind, beside)
    for number, threshold in enumerate(THRESHOLDS if not compiled else THRESHOLDS[2:4]):
        draw_as(history, Way.CUT_OUT, threshold)
        wanted = alpha >= threshold - 1e-9
        assert np.array_equal(rendered(history), wanted)
        if compiled:
            continue
        shown = picture(history.kit.at(), Sheets(), Look())
        seen = Picture({SHOWN: nodes.splat(shown.outputs[ALPHA], Type.VEC3)}, shown.slots, shown.inputs)
        assert np.array_equal(renderer.render(seen, whole_sheet(WIDE, HIGH))[..., 0] > 0, wanted)
        folder = tmp_path / f"package_{number}"
        ship(history.kit, Sheets(), folder)
        loaded = load(folder)
        for play in (play_opengl, play_reference):
            played = play(loaded, "", WIDE, HIGH)
            assert played.shape == (HIGH, WIDE, 4)
            assert np.array_equal(played[..., 3], wanted * 255)


@pytest.mark.parametrize("way", [Way.BLENDED, Way.DITHERED])
def test_blended_and_dithered_ship_as_they_are_seen(renderer: SheetRenderer, tmp_path: Path, way: Way) -> None:
    """Player's alpha and colour are the window's; opacity ships at every texel as it was painted."""
    history, alpha = leaf_kit(tmp_path)
    draw_as(history, way)
    ship(history.kit, Sheets(), tmp_path / "package")
    loaded = load(tmp_path / "package")
    gpu, reference = (play(loaded, "", WIDE, HIGH).astype(int) for play in (play_opengl, play_reference))
    assert np.abs(gpu - reference).max() <= 1
    assert np.abs(reference[..., 3] / 255 - rendered(history)).max() <= 0.5 / 255 + 1e-6
    assert np.abs(rendered(history, ["opacity"]) - alpha).max() < SAMPLED
    if way == Way.BLENDED:
        assert np.abs(reference[..., 3] / 255 - alpha).max() <= 0.5 / 255
    own = render_reference(picture(history.kit.at(), Sheets(), Look()), whole_sheet(WIDE, HIGH)).astype(int)
    assert np.abs(own - reference[..., :3]).max() <= 1


def test_an_opaque_sheet_says_nothing_of_opacity(tmp_path: Path) -> None:
    """Alpha that does nothing is neither in the material nor in the package, whose paint has three channels."""
    history, _ = leaf_kit(tmp_path)
    draw_as(history, Way.OPAQUE)
    ship(history.kit, Sheets(), tmp_path / "package")
    loaded = load(tmp_path / "package")
    assert [output.name for output in loaded.sheet.outputs] == ["colour"]
    assert next(entry for entry in loaded.sheet.maps if entry.slot == "base_colour").channels == 3
    assert play_reference(loaded, "", 8, 8).shape == (8, 8, 3)


def test_alpha_beside_colour_is_one_look_up(tmp_path: Path) -> None:
    history, _ = leaf_kit(tmp_path)
    ship(history.kit, Sheets(), tmp_path / "package")
    entries = {entry.slot: entry.channels for entry in load(tmp_path / "package").sheet.maps}
    assert entries == {"base_colour": 4, "weights_0": 4}


@pytest.mark.parametrize("behind", list(Behind))
def test_what_lies_behind_is_mixed_in_linear_light(renderer: SheetRenderer, tmp_path: Path, behind: Behind) -> None:
    """Porter and Duff's *over* (1984) on what lies behind, in OpenGL and the reference; where nothing of the sheet is
    seen, just that is."""
    history, alpha = leaf_kit(tmp_path)
    draw_as(history, Way.BLENDED)
    shown = picture(history.kit.at(), Sheets(), Look())
    view = whole_sheet(WIDE, HIGH)
    colour = srgb_to_linear(render_reference(shown, view).astype(np.float32) / 255)
    mixed = render_reference(over(shown, behind), view)
    under = {Behind.GREY: np.full((HIGH, WIDE, 3), 0.5), Behind.PAINT: linear_to_srgb(colour)}
    if behind == Behind.CHECKER:
        rows, columns = np.mgrid[:HIGH, :WIDE] // 10
        light = (rows + columns) % 2 == 1
        under[behind] = np.repeat(np.where(light, 0.46, 0.34)[..., None], 3, axis=-1)
    a = alpha[..., None]
    wanted = linear_to_srgb(float32(colour * a + srgb_to_linear(float32(under[behind])) * (1 - a))) * 255
    assert np.abs(mixed - wanted).max() <= 1.5  # the colour was rounded to 8 bits here
    assert np.abs(renderer.render(over(shown, behind), view)[..., :3].astype(int) - mixed).max() <= 1


# On the model


def card(depth: float, colour: float | tuple[float, float, float], alpha: float, way: Way = Way.BLENDED) -> Skin:
    """A square of one encoded colour that faces the eye of `ahead`, at a depth."""
    corners = float32([[-1, -1, depth], [1, -1, depth], [1, 1, depth], [-1, 1, depth]])
    return flat_skin(quad(corners), colour, alpha, way)


def quad(corners: np.ndarray) -> Mesh:
    faces = np.array([[0, 1, 2], [0, 2, 3]])
    uv = float32([[0, 1], [1, 1], [1, 0], [0, 0]])
    return build_mesh(corners, faces, (uv[faces],))


def flat_skin(
    mesh: Mesh, colour: float | tuple[float, float, float], alpha: float | nodes.Node, way: Way, sided: bool = False
) -> Skin:
    parts = colour if isinstance(colour, tuple) else (colour,) * 3
    plane = Plane(np.zeros((4, 4, 3), np.uint8), Encoding.DATA)
    drawing = Drawing(way, 0.5, sided)
    opacity = alpha if isinstance(alpha, nodes.Node) else nodes.constant(alpha)
    nothing = nodes.texture("none", nodes.uv())["xyz"]
    outputs = {SHOWN: nodes.constant(*parts) + nothing, ALPHA: alpha_of(opacity + nothing["x"], drawing)}
    return Skin(mesh, Picture(outputs, {"none": slots.of(plane)}, {}), drawing=drawing)


AHEAD = replace(Orbit(), yaw=0.0, pitch=0.0, distance=3.0)
SIDE = 32


def middle(models: ModelRenderer, skins: Sequence[Skin], smooth: bool = False) -> np.ndarray:
    pixels = models.render(skins, AHEAD, SIDE, SIDE, Light(smooth=smooth)).pixels
    return pixels[SIDE // 2, SIDE // 2].astype(float)


def composed(cards: Sequence[tuple[float, tuple[float, float, float], float]]) -> np.ndarray:
    """Straight RGBA in 8-bit levels of cards (depth, encoded colour, alpha), by *over* from the farthest on."""
    light, alpha = np.zeros(3), 0.0
    for _, colour, a in sorted(cards):
        light = srgb_to_linear(float32(colour)) * a + light * (1 - a)
        alpha = a + alpha * (1 - a)
    return np.append(linear_to_srgb(float32(light / alpha)), alpha) * 255


@pytest.mark.parametrize("smooth", [False, True])
def test_blended_layers_are_over_in_any_order(models: ModelRenderer, smooth: bool) -> None:
    """Four layers drawn in all 24 orders: Porter and Duff's *over*, within 2/255; and in front of a solid one."""
    cards = [(-0.4, (0.9, 0.2, 0.1), 0.5), (-0.1, (0.1, 0.8, 0.3), 0.3), (0.2, (0.2, 0.3, 1.0), 0.7),
             (0.4, (0.9, 0.9, 0.2), 0.2)]  # fmt: skip
    wanted = composed(cards)
    skins = [card(*each) for each in cards]
    for order in permutations(skins):
        assert np.abs(middle(models, order, smooth) - wanted).max() <= 2
    for depth in (-0.6, 0.0, 0.6):
        solid = (depth, (0.5, 0.5, 0.5), 1.0)
        found = middle(models, [*skins, card(*solid, way=Way.OPAQUE)], smooth)
        nearer = [each for each in cards if each[0] > depth]
        assert np.abs(found - composed([solid, *nearer])).max() <= 2


def test_crossing_cards_are_right_on_both_sides_of_where_they_cross(models: ModelRenderer) -> None:
    """Two cards that cross in the middle: left the one is nearer, right the other."""
    left = float32([[-1, -1, 0.5], [1, -1, -0.5], [1, 1, -0.5], [-1, 1, 0.5]])
    right = left * (1, 1, -1)
    one, other = (0.9, 0.1, 0.1), (0.1, 0.2, 0.9)
    skins = [flat_skin(quad(left), one, 0.6, Way.BLENDED), flat_skin(quad(float32(right)), other, 0.6, Way.BLENDED)]
    for order in (skins, skins[::-1]):
        pixels = models.render(order, AHEAD, SIDE, SIDE, Light(smooth=False)).pixels.astype(float)
        assert np.abs(pixels[SIDE // 2, SIDE // 2 - 6] - composed([(1, one, 0.6), (0, other, 0.6)])).max() <= 2
        assert np.abs(pixels[SIDE // 2, SIDE // 2 + 6] - composed([(0, one, 0.6), (1, other, 0.6)])).max() <= 2


@pytest.mark.parametrize("way", [Way.CUT_OUT, Way.DITHERED])
def test_what_is_not_seen_hides_nothing(models: ModelRenderer, way: Way) -> None:
    """Left half of the near card has opacity 0, right half 1: the far card is seen on the left alone, whatever is
    drawn first; from the back the same, but for one-sided cards."""
    half = nodes.step(0.5, nodes.uv()["x"])
    near = quad(float32([[-1, -1, 0.3], [1, -1, 0.3], [1, 1, 0.3], [-1, 1, 0.3]]))
    front, back = flat_skin(near, 0.9, half, way), card(-0.3, 0.2, 1.0, Way.OPAQUE)
    for order in ([front, back], [back, front]):
        pixels = models.render(order, AHEAD, SIDE, SIDE, Light(smooth=False)).pixels[SIDE // 2, :, 0]
        assert abs(int(pixels[SIDE // 4 + 4]) - 51) <= 1
        assert abs(int(pixels[SIDE * 3 // 4 - 4]) - 230) <= 1
    behind = replace(AHEAD, yaw=np.pi)
    for sided in (False, True):
        alone = flat_skin(near, 0.9, 1.0, way, sided)
        seen = models.render([alone], behind, SIDE, SIDE, Light(smooth=False)).pixels[SIDE // 2, SIDE // 2, 3]
        assert (seen == 255) == (not sided)


@pytest.mark.parametrize("way", [Way.CUT_OUT, Way.BLENDED])
def test_what_is_picked_is_what_is_seen(models: ModelRenderer, way: Way) -> None:
    """Where nothing of the near card is seen, the face behind it is picked; at every pixel, in any order, also where
    the near card is a twin's part of a larger mesh."""
    half = nodes.step(0.5, nodes.uv()["x"])
    near = quad(float32([[-1, -1, 0.3], [1, -1, 0.3], [1, 1, 0.3], [-1, 1, 0.3]]))
    front, back = flat_skin(near, (0.9, 0.0, 0.0), half, way), card(-0.3, (0.0, 0.0, 0.9), 1.0, Way.OPAQUE)
    part = replace(front, mesh=near.part(np.array([True, False])), whole=near)
    for order in ([front, back], [back, front], [part, replace(part, mesh=near.part(np.array([False, True]))), back]):
        pixels = models.render(order, AHEAD, SIDE, SIDE, Light(smooth=False)).pixels.astype(int)
        faces = models.faces(order, AHEAD, SIDE, SIDE)
        first = 2 * (order[0] is back)
        red, blue = pixels[..., 0] > 200, pixels[..., 2] > 200
        assert red.any()
        assert blue.any()
        assert np.array_equal((faces >= first) & (faces < first + 2), red)
        assert np.array_equal((faces >= 2 - first) & (faces < 4 - first), blue)
        assert np.array_equal(faces < 0, pixels[..., 3] == 0)


def test_half_dithered_is_half_of_the_pixels(models: ModelRenderer) -> None:
    pixels = models.render([card(0.0, 0.9, 0.5, Way.DITHERED)], AHEAD, SIDE, SIDE, Light(smooth=False)).pixels
    inside = pixels[8:24, 8:24, 3] > 0
    assert inside.mean() == 0.5


# The coat


def test_the_coat_scales_moves_and_fades(tmp_path: Path) -> None:
    """clamp(opacity * plane * scale + offset) * fade, at every texel; fade 0 and 1 are exact; fading by pixels leaves
    out as many as it says and changes no other."""
    history, alpha = leaf_kit(tmp_path)
    draw_as(history, Way.BLENDED)
    plane = PlaneUse(PlaneRef(PlaneKind.MAP, "base_colour"), channel=0)
    red = np.float64(SheetRender(history.kit.at(), Sheets()).render(
        ["colour"], {}, (WIDE, HIGH))["colour"][..., 0])  # fmt: skip
    before = history.kit
    for values, planes, wanted in (
        ({"scale": 2.0, "offset": -0.3}, {}, np.clip(alpha * 2 - 0.3, 0, 1)),
        ({"fade": 0.0}, {}, alpha * 0), ({"fade": 1.0}, {}, alpha), ({"fade": 0.25}, {}, alpha * 0.25),
        ({"fade": 0.0, "fading": "pixels"}, {}, alpha * 0), ({"fade": 1.0, "fading": "pixels"}, {}, alpha),
        ({"scale": 1.5}, {"plane": plane}, np.clip(alpha * red * 1.5, 0, 1)),
    ):  # fmt: skip
        history = History(before)
        history.do(commands.add_coat(Overcoats("sheet_1"), Coat("opacity", values, planes)))
        assert np.abs(rendered(history, ["opacity"]) - wanted).max() < 2 * SAMPLED
    history = History(before)
    coat = Coat("opacity", {"fade": 0.25, "fading": "pixels"})
    history.do(commands.add_coat(Overcoats("sheet_1"), coat))
    left = rendered(history, ["opacity"])
    rows, columns = np.mgrid[:HIGH, :WIDE]
    there = (rows % 2 == 0) & (columns % 2 == 0)  # a quarter: the first of each four
    assert np.abs(left - np.where(there, alpha, 0)).max() < SAMPLED


def test_a_region_wears_the_coat_alone(tmp_path: Path) -> None:
    """Where the region is not, the opacity is that of the map."""
    history, alpha = leaf_kit(tmp_path)
    history.do(commands.add_coat("region_1", Coat("opacity", {"scale": 0.0, "offset": 0.0})))
    weight = rendered(history, ["opacity"])
    assert weight[5:16, 6:24].max() < SAMPLED
    assert np.abs(weight[-8:, -8:] - alpha[-8:, -8:]).max() < SAMPLED


# Mips that keep coverage


@pytest.mark.parametrize("kind", [np.uint8, np.uint16, np.float32])
@pytest.mark.parametrize("threshold", [0.2, 0.35, 0.5, 0.8])
def test_mips_keep_coverage(kind: type, threshold: float) -> None:
    """Castaño (2010): at each level of some hundred texels and more as large a share reaches the threshold as in the
    map, within 1 %, where the mean alone thins leaves out; what else is in the map stays as it was."""
    blades = 0.5 + 0.5 * np.sin(np.add.outer(np.arange(301) * 1.7, np.arange(517) * 0.9))
    noise = np.random.default_rng(2).random(blades.shape)
    alpha = np.clip(blades**6 * 1.2 + (noise - 0.5) * 0.3, 0, 1)
    most = 1 if kind is np.float32 else np.iinfo(kind).max
    samples = (np.dstack([noise, noise.T[:1, :1] + noise * 0, noise, alpha]) * most).astype(kind)
    plane = Plane(samples, Encoding.DATA)
    plain, kept = Chain(plane), covering(Chain(plane), Coverage(3, threshold))
    share = (samples[..., 3] >= threshold * most).mean()
    thinned = []
    for number in range(1, plain.count):
        was, now = plain.level(number).samples, kept.level(number).samples
        assert np.array_equal(was[..., :3], now[..., :3])
        if was.shape[0] * was.shape[1] >= 400:
            assert abs((now[..., 3] >= threshold * most).mean() - share) <= 0.01
            thinned.append((was[..., 3] >= threshold * most).mean() - share)
    assert max(np.abs(thinned)) > 0.05


def test_coverage_is_kept_in_all_that_draws(renderer: SheetRenderer, tmp_path: Path) -> None:
    """A small view of a cut-out sheet, whose alpha is in the paint or beside it: as much is seen as of the whole, in the
    reference, OpenGL and both players; without the option less."""
    for beside in (True, False):
        folder = tmp_path / f"{beside}"
        history, _ = leaf_kit(folder, beside=beside)
        spots = np.zeros((256, 320, 4), np.uint8)
        spots[..., :3] = 120
        spots[..., 3] = np.random.default_rng(8).random((256, 320)) ** 12 * 255
        key = "base_colour" if beside else "opacity"
        path = folder / f"spots_{key}.png"
        samples, encoding = (spots, Encoding.SRGB) if beside else (spots[..., 3:], Encoding.DATA)
        write_plane(path, Plane(samples, encoding))
        seen = source(path, Role.NONE, encoding)
        history.do(commands.point_map_to("sheet_1", key, str(path), seen.size, seen.sha256))
        if not beside:
            paint = folder / "grey_base_colour.png"
            write_plane(paint, Plane(spots[..., :3], Encoding.SRGB))
            seen = source(paint, Role.NONE, Encoding.SRGB)
            history.do(commands.point_map_to("sheet_1", "base_colour", str(paint), seen.size, seen.sha256))
        whole = rendered(history, size=(320, 256)).mean()
        assert 0.03 < whole < 0.08
        shares = []
        for on in (False, True):
            history.do(commands.set_keep_coverage("sheet_1", key, on))
            small = rendered(history, size=(80, 64))
            shares.append(small.mean())
            shown = picture(history.kit.at(), Sheets(), Look())
            seen_alpha = Picture({SHOWN: nodes.splat(shown.outputs[ALPHA], Type.VEC3)}, shown.slots, shown.inputs)
            assert np.array_equal(renderer.render(seen_alpha, whole_sheet(80, 64))[..., 0] > 0, small)
            ship(history.kit, Sheets(), folder / f"package_{on}")
            loaded = load(folder / f"package_{on}")
            for play in (play_opengl, play_reference):
                assert np.array_equal(play(loaded, "", 80, 64)[..., 3], small * 255)
        assert shares[0] < whole / 4
        assert abs(shares[1] - whole) <= 0.01


@pytest.mark.parametrize("suffix", [".png", ".exr"])
def test_renders_and_plans_keep_alpha(tmp_path: Path, suffix: str) -> None:
    """Colour of a sheet that shines through is written with its opacity as straight alpha, by `render` and by a plan; of
    an opaque one without."""
    history, alpha = leaf_kit(tmp_path)
    draw_as(history, Way.BLENDED)
    kit, sheets = history.kit, Sheets()
    write_renders(kit, sheets, tmp_path / "renders", [MASTER], ["sheet_1"], ["colour", "opacity"], suffix=suffix)
    encoding = Encoding.LINEAR if suffix == ".exr" else Encoding.SRGB
    made = read_plane(tmp_path / "renders" / f"sheet-master-colour{suffix}", encoding)
    assert made.channels == 4
    assert np.abs(made.values()[..., 3] - alpha).max() <= 0.5 / 255 + SAMPLED
    own = SheetRender(kit.at(), sheets).render(["colour"], resolve(kit.parameters, kit.variants, MASTER))["colour"]
    assert np.abs(made.linear()[..., :3] - own).max() <= 0.01
    wish = Wish(next(plan for plan in READY if plan.key == "colour_opacity"), [MASTER], ["sheet_1"], suffix=suffix)
    write_planned(kit, sheets, [wish], tmp_path / "plan")
    planned = read_plane(tmp_path / "plan" / f"sheet-master-colour_opacity{suffix}", encoding)
    apart = np.abs(planned.values() - made.values())
    assert apart[made.values()[..., 3] >= 0.5 / 255].max() <= 1 / 255  # below that the plan carries colour
    assert apart[..., 3].max() <= 1 / 255
    draw_as(history, Way.OPAQUE)
    write_renders(history.kit, sheets, tmp_path / "opaque", [MASTER], ["sheet_1"], ["colour"], suffix=suffix)
    assert read_plane(tmp_path / "opaque" / f"sheet-master-colour{suffix}", encoding).channels == 3


@pytest.mark.parametrize("seed", range(8))
def test_random_opacity_in_all_back_ends(
    renderer: SheetRenderer, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, seed: int
) -> None:
    """Coats of opacity by chance on regions and overcoats, blended into each other, drawn in any way: colour, opacity and
    alpha of OpenGL, players and (once) the compiled loop are the reference's within a level; alpha that is 0 or 1 where
    the opacity is no nearer to its threshold than rounding."""
    rng = np.random.default_rng(seed)
    history, _ = leaf_kit(tmp_path, [np.uint8, np.uint16][seed % 2], bool(rng.random() < 0.5))
    red = PlaneUse(PlaneRef(PlaneKind.MAP, "base_colour"), channel=int(rng.integers(3)), invert=bool(seed % 2))
    for owner in ("region_1", "region_3", Overcoats("sheet_1")):
        values = {
            "scale": float(rng.uniform(0, 3)), "offset": float(rng.uniform(-0.6, 0.6)),
            "fade": float(rng.choice([0.0, 1.0, rng.random()])), "fading": str(rng.choice(["opacity", "pixels"])),
            "strength": float(rng.choice([1.0, rng.random()])),
        }  # fmt: skip
        planes = {"plane": red} if rng.random() < 0.5 else {}
        history.do(commands.add_coat(owner, Coat("opacity", values, planes, red if rng.random() < 0.3 else None)))
    way, threshold = [Way.CUT_OUT, Way.BLENDED, Way.DITHERED][seed % 3], float(rng.uniform(0.05, 0.95))
    draw_as(history, way, threshold)
    view, sheets = whole_sheet(WIDE, HIGH), Sheets()
    shown = picture(history.kit.at(), sheets, Look())
    around = Environment(
        view.uv(), shown.slots, shown.inputs, pixel=(1 / WIDE, 0, 0, 1 / HIGH), screen=pixel_numbers(WIDE, HIGH)
    )
    opacity, alpha = (evaluate(shown.outputs[name], around) for name in ("opacity", ALPHA))
    edge = threshold if way == Way.CUT_OUT else (np.floor(opacity * 64 + 0.5) - 0.5) / 64
    clear = np.abs(opacity - edge) > 2e-3 if way != Way.BLENDED else np.ones_like(opacity, bool)
    assert clear.mean() > 0.5
    ship(history.kit, sheets, tmp_path / "package")
    loaded = load(tmp_path / "package")
    monkeypatch.setattr(frames, "FEW_PIXELS", 0 if seed == 0 else frames.FEW_PIXELS)
    found = [rendered(history, ["opacity", ALPHA]), rendered(history, [ALPHA, "opacity"])]
    for name in ("opacity", ALPHA):
        node = shown.outputs[name]
        grey = Picture({SHOWN: nodes.join(node, node, node)}, shown.slots, shown.inputs)
        found.append(renderer.render(grey, view)[..., 0] / 255)
        found += [play(loaded, "", WIDE, HIGH, name)[..., 0] / 255 for play in (play_opengl, play_reference)]
    for number, made in enumerate(found):
        of_opacity = number in (0, 2, 3, 4)
        apart = np.abs(made - (opacity if of_opacity else alpha))
        apart = apart if of_opacity else apart[clear]
        # What is played is rounded to levels; masks lie between texels here, where samplers take steps of their own.
        assert np.quantile(apart, 0.98) <= 1.5 / 255
        assert apart.max() <= 3 / 255
    colours = [play(loaded, "", WIDE, HIGH).astype(int)[..., :3] for play in (play_opengl, play_reference)]
    assert np.abs(colours[0] - colours[1]).max() <= 1
