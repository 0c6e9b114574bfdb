"""How sheets are drawn: what is guessed on opening, what old kits say, and what does not hold together."""

from pathlib import Path

import msgspec
import numpy as np
import pytest

from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.model import Kit
from even_palette.core.kit.store import KitFolder, decode_kit, encode_kit, read_kit
from even_palette.core.material.drawn import Drawing, Way, likely_way
from even_palette.core.raster.alpha import divided, looks_multiplied
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.maps import paint_of
from even_palette.scripting import OpenKit, new_kit

SIDE = 96


def leaf(soft: bool) -> np.ndarray:
    """Alpha of a disc, with an edge of one texel, or fading from the middle on; uint8."""
    rows, columns = np.mgrid[:SIDE, :SIDE] - SIDE / 2 + 0.5
    away = np.hypot(rows, columns)
    alpha = np.clip(40 - away, 0, 1) if not soft else np.clip(1.2 - away / 40, 0, 1)
    return np.uint8(alpha * 255 + 0.5)


def opened(folder: Path, alpha: np.ndarray | None, own_map: bool) -> OpenKit:
    """A script that has opened a paint, with alpha in it or in a map of its own."""
    colour = np.full((SIDE, SIDE, 3), 90, np.uint8)
    paint, beside = folder / "leaf_basecolor.png", folder / "leaf_opacity.png"
    script = new_kit()
    if alpha is None or own_map:
        write_plane(paint, Plane(colour, Encoding.SRGB))
    else:
        write_plane(paint, Plane(np.dstack([colour, alpha]), Encoding.SRGB))
    script.add_map(paint)
    if own_map:
        assert alpha is not None
        write_plane(beside, Plane(alpha[..., None], Encoding.DATA))
        script.add_map(beside)
    return script


@pytest.mark.parametrize("own_map", [False, True])
def test_opening_alpha_draws_it(tmp_path: Path, own_map: bool) -> None:
    """A hard edge is cut out, much that is half seen is blended; paint without alpha stays opaque; undone in one step."""
    assert opened(tmp_path, None, False).kit.sheets[0].drawing.way == Way.OPAQUE
    for soft, way in ((False, Way.CUT_OUT), (True, Way.BLENDED)):
        script = opened(tmp_path, leaf(soft), own_map)
        assert script.kit.sheets[0].drawing.way == way
        assert likely_way(leaf(soft) / np.float32(255)) == way
        script.undo()
        assert script.kit.sheets[0].drawing.way == Way.OPAQUE


def test_a_way_that_was_chosen_stays(tmp_path: Path) -> None:
    """A sheet that is drawn in a way of its own keeps it when opacity comes; whole alpha is no opacity."""
    script = opened(tmp_path, None, False)
    script.do("set_drawing", "sheet_1", Drawing(Way.DITHERED, 0.3, True))
    write_plane(tmp_path / "leaf_opacity.png", Plane(leaf(True)[..., None], Encoding.DATA))
    script.add_map(tmp_path / "leaf_opacity.png")
    assert script.kit.sheets[0].drawing == Drawing(Way.DITHERED, 0.3, True)
    whole = opened(tmp_path, np.full((SIDE, SIDE), 255, np.uint8), False)
    assert whole.kit.sheets[0].drawing.way == Way.OPAQUE


def test_kits_of_format_6_open_as_they_were(tmp_path: Path) -> None:
    text = (Path(__file__).parent / "kits" / "format_6.json").read_bytes()
    kit = decode_kit(text, tmp_path)
    assert all(sheet.drawing == Drawing() for sheet in kit.sheets)
    assert not any(source.keep_coverage for sheet in kit.sheets for source in sheet.sources)
    assert kit.meshes
    assert not any(mesh.casts for mesh in kit.meshes)
    assert decode_kit(encode_kit(kit, tmp_path), tmp_path) == kit


def test_a_drawing_is_saved_and_bad_ones_are_refused(tmp_path: Path) -> None:
    history = History(Kit())
    history.do(commands.set_drawing("sheet_1", Drawing(Way.CUT_OUT, 0.25, True)))
    home = KitFolder.create(tmp_path / "kit")
    home.save(history.kit)
    home.close()
    assert read_kit(tmp_path / "kit") == history.kit
    for threshold in (-0.1, 1.1, float("nan")):
        with pytest.raises(UserError):
            history.do(commands.set_drawing("sheet_1", Drawing(Way.CUT_OUT, threshold)))
    stored = msgspec.json.decode((tmp_path / "kit" / "kit.json").read_bytes())
    for value in ("glass", 7, None):
        stored["sheets"][0]["drawing"]["way"] = value
        with pytest.raises(UserError, match="way"):
            decode_kit(msgspec.json.encode(stored), tmp_path)


@pytest.mark.parametrize("kind", [np.uint8, np.uint16, np.float32])
def test_multiplied_colour_is_told_and_divided(kind: type) -> None:
    """Colour times alpha (Porter and Duff 1984), rounded, is told from straight colour and comes back within what the
    rounding lost; colour under alpha 0 stays as it is."""
    rng = np.random.default_rng(4)
    alpha = leaf(True) / 255
    colour = 0.3 + 0.6 * rng.random((SIDE, SIDE, 3))
    most = 1.0 if kind is np.float32 else float(np.iinfo(kind).max)
    rounded = (lambda v: v) if kind is np.float32 else np.round

    def stored(rgb: np.ndarray) -> np.ndarray:
        return rounded(np.dstack([rgb, alpha]) * most).astype(kind)

    straight, multiplied = stored(colour), stored(colour * alpha[..., None])
    assert looks_multiplied(multiplied)
    assert not looks_multiplied(straight)
    assert not looks_multiplied(stored(colour * 0.05))
    assert not looks_multiplied(stored(colour)[..., :3])
    made = divided(multiplied)
    seen = alpha > 0
    lost = 0.5 / (alpha[seen, None] * most) + 0.51 / most
    assert (np.abs(made[seen, :3] / most - colour[seen]) <= lost + 1e-6).all()
    assert np.array_equal(made[~seen], multiplied[~seen])
    assert np.array_equal(made[..., 3], multiplied[..., 3])


def test_what_was_multiplied_opens_straight(tmp_path: Path) -> None:
    alpha = leaf(True)
    colour = np.uint8(np.full((SIDE, SIDE, 3), 180.0) * (alpha / 255)[..., None] + 0.5)
    script = opened(tmp_path, alpha, False)
    path = tmp_path / "leaf_basecolor.png"
    write_plane(path, Plane(np.dstack([colour, alpha]), Encoding.SRGB))
    script = new_kit()
    key = script.add_map(path)
    script.do("set_premultiplied", "sheet_1", key, True)
    paint = paint_of(script.at(), script.results)
    assert np.abs(paint.samples[alpha > 128][:, :3].astype(int) - 180).max() <= 1
