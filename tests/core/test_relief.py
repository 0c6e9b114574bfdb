"""Relief: reoriented normals against direct rotations, slopes of known heights, and what lies turned on the sheet."""

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from even_palette.core.arrays import Floats, float32
from even_palette.core.graph import slots
from even_palette.core.graph.program import program_of
from even_palette.core.graph.reference import Environment, run
from even_palette.core.material.build import BASE_SLOT, Dressed, worn
from even_palette.core.material.coats import COATS
from even_palette.core.material.model import Coat, PlaneUse
from even_palette.core.material.outputs import HEIGHT, NORMAL
from even_palette.core.material.plane_reads import Pictures, map_plane
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import Wrap, texel_centres
from even_palette.core.tones.kinds import TONES
from even_palette.core.tones.kinds._declare import ToneGround

RNG = np.random.default_rng(22)
SIDE = 24


def random_normals(flattest: float) -> np.ndarray:
    """(SIDE, SIDE, 3) of length 1 that stand up at least so far."""
    found = RNG.normal(size=(SIDE, SIDE, 3))
    found[..., 2] = np.abs(found[..., 2]) + flattest * 4
    return found / np.linalg.norm(found, axis=-1, keepdims=True)


def stored(normals: np.ndarray) -> Plane:
    return Plane(float32(normals * 0.5 + 0.5), Encoding.DATA)


def wear(coat: Coat, base: np.ndarray | None, detail: np.ndarray | None = None) -> Floats:
    """The normals after a coat, (SIDE, SIDE, 3) -1..1."""
    maps = {"normal": (PlaneUse(map_plane("base")), True)} if base is not None else {}
    size = (SIDE, SIDE)
    found = worn(Dressed("r", "R", (coat,), ((0.5,) * 3,)), [], Pictures(maps, lambda ref: size))
    there = {BASE_SLOT: slots.of(Plane(np.full((SIDE, SIDE, 3), 128, np.uint8), Encoding.SRGB))}
    planes = {"base": base, "detail": detail}
    for name, use in found.slots.items():
        plane = planes[use.plane.key]
        assert plane is not None
        there[name] = slots.of(stored(plane), use.sampler)
    environment = Environment(texel_centres(SIDE, SIDE), there)
    return run(program_of({NORMAL: found.outputs[NORMAL]}), environment)[NORMAL] * 2 - 1


def laid(base: np.ndarray, detail: np.ndarray) -> np.ndarray:
    """The detail turned by the shortest rotation that takes (0, 0, 1) to the base, by scipy."""
    found = np.empty_like(base)
    for at in np.ndindex(base.shape[:2]):
        n = base[at]
        axis = np.cross((0, 0, 1), n)
        sine = np.linalg.norm(axis)
        turn = Rotation.from_rotvec(axis / sine * np.arctan2(sine, n[2])) if sine > 1e-9 else Rotation.identity()
        found[at] = turn.apply(detail[at])
    return found


def steeper(normals: np.ndarray, by: float) -> np.ndarray:
    found = normals * (by, by, 1)
    return found / np.linalg.norm(found, axis=-1, keepdims=True)


@pytest.mark.parametrize(("scale", "height"), [(1.0, 1.0), (0.0, 1.0), (2.5, 0.4), (1.0, -1.5)])
def test_reoriented_normals_are_turned_ones(scale: float, height: float) -> None:
    """Barre-Brisebois and Hill 2012 against the rotation itself; slopes times their factors first."""
    base, detail = random_normals(0.1), random_normals(0.1)
    coat = Coat("relief", {"scale": scale, "height": height}, {"detail": PlaneUse(map_plane("detail"))})
    wanted = laid(steeper(base, scale), steeper(detail, height))
    assert np.abs(wear(coat, base, detail) - wanted).max() < 2e-5


def test_slopes_are_scaled_and_flat_is_flat() -> None:
    base = random_normals(0.2)
    for scale in (0.0, 0.5, 4.0):
        got = wear(Coat("relief", {"scale": scale}), base)
        assert np.abs(got - steeper(base, scale)).max() < 2e-5
    flat = wear(Coat("relief", {"height": 2.0}, {"detail": PlaneUse(map_plane("detail"))}), None, base)
    assert np.abs(flat - steeper(base, 2.0)).max() < 2e-5


def test_relief_of_nothing_leaves_the_program() -> None:
    for coat in (Coat("relief"), Coat("relief", {"height": 0.0}, {"detail": PlaneUse(map_plane("detail"))})):
        found = worn(Dressed("r", "R", (coat,), ((0.5,) * 3,)), [], Pictures({}, lambda ref: (8, 8)))
        assert NORMAL not in found.outputs
    assert COATS["relief"].set_by(()) == [NORMAL]
    still = Coat("relief", {"rise": 0.0}, {"height": PlaneUse(map_plane("plate"))})
    assert HEIGHT not in worn(Dressed("r", "R", (still,), ((0.5,) * 3,)), [], Pictures({}, lambda ref: (8, 8))).outputs


@pytest.mark.parametrize(("rise", "strength", "has_map"), [(0.3, 1.0, True), (-0.8, 0.6, True), (0.7, 1.0, False)])
def test_heights_rise_by_a_plane(rise: float, strength: float, has_map: bool) -> None:
    """map + plane * rise within 0..1, mixed by the strength; without a map the mesh is 0.5, and normals stay out of it."""
    high, plate = (RNG.random((SIDE, SIDE, 1)).astype(np.float32) for _ in range(2))
    maps = {HEIGHT: (PlaneUse(map_plane("high")), True)} if has_map else {}
    coat = Coat("relief", {"rise": rise, "strength": strength}, {"height": PlaneUse(map_plane("plate"))})
    found = worn(Dressed("r", "R", (coat,), ((0.5,) * 3,)), [], Pictures(maps, lambda ref: (SIDE, SIDE)))
    assert [name for name in found.outputs if name != "colour"] == [HEIGHT]
    there = {BASE_SLOT: slots.of(Plane(np.full((SIDE, SIDE, 3), 128, np.uint8), Encoding.SRGB))}
    for name, use in found.slots.items():
        there[name] = slots.of(Plane({"high": high, "plate": plate}[use.plane.key], Encoding.DATA), use.sampler)
    environment = Environment(texel_centres(SIDE, SIDE), there)
    made = run(program_of({HEIGHT: found.outputs[HEIGHT]}), environment)[HEIGHT]
    under = high[..., 0].astype(np.float64) if has_map else np.full((SIDE, SIDE), 0.5)
    wanted = under + (np.clip(under + plate[..., 0] * rise, 0, 1) - under) * strength
    assert np.abs(made.reshape(wanted.shape) - wanted).max() < 1e-6


@pytest.mark.parametrize("turn", [90.0, 180.0, -90.0])
def test_slopes_turn_back_with_a_turned_map(turn: float) -> None:
    """A map that lies turned tells of a surface that is turned: its slopes are those of the turned height."""
    rows, columns = (np.mgrid[0:SIDE, 0:SIDE] + 0.5) / SIDE * 2 * np.pi
    height = np.sin(columns) * 0.3 + np.cos(rows + columns) * 0.2
    detail = normals_of(height)
    use = PlaneUse(map_plane("detail"), turn=turn, wrap=Wrap.REPEAT, mips=False)
    got = wear(Coat("relief", {}, {"detail": use}), None, detail)
    candidates = [normals_of(np.rot90(height, quarters)) for quarters in range(4)]
    errors = [np.abs(got - each).max() for each in candidates]
    assert min(errors) < 1e-4
    assert int(np.argmin(errors)) == {90.0: 1, 180.0: 2, -90.0: 3}[turn]


def normals_of(height: np.ndarray) -> np.ndarray:
    """Normals of a height that tiles, green up, by np.roll."""
    across = (np.roll(height, -1, 1) - np.roll(height, 1, 1)) / 2
    down = (np.roll(height, -1, 0) - np.roll(height, 1, 0)) / 2
    found = np.stack([-across, down, np.ones_like(across)], axis=-1)
    return found / np.linalg.norm(found, axis=-1, keepdims=True)


def make(samples: np.ndarray, **settings: float | str) -> np.ndarray:
    kind = TONES["relief"]
    ground = ToneGround(Plane(samples, Encoding.DATA))
    return kind.make(ground, kind.settings(settings)).astype(float) / 65535 * 2 - 1


@pytest.mark.parametrize("size", [(37, 53), (600, 19)])
def test_normals_of_a_slope_are_its_own(size: tuple[int, int]) -> None:
    """A plane that rises by a in x and b in y has the normal (-a, b, 1) made of length 1, green up, away from edges."""
    height, width = size
    a, b = 0.3 / width, -0.5 / height
    rows, columns = np.mgrid[0:height, 0:width]
    heights = float32(0.5 + a * (columns - width / 2) + b * (rows - height / 2))[..., None]
    got = make(heights, height=20.0)[1:-1, 1:-1]
    wanted = np.array([-a * 20, b * 20, 1]) / np.linalg.norm([-a * 20, b * 20, 1])
    assert np.abs(got - wanted).max() < 1e-4
    sunk = make(heights, height=-20.0)[1:-1, 1:-1]
    assert np.abs(sunk - wanted * (-1, -1, 1)).max() < 1e-4


def test_normals_of_heights_that_tile_meet() -> None:
    rows, columns = (np.mgrid[0:30, 0:44] + 0.5) * 2 * np.pi / [[[30]], [[44]]]
    heights = 0.5 + 0.25 * np.sin(columns) + 0.2 * np.cos(rows)
    got = make(float32(heights)[..., None], height=6.0, edges="meet")
    assert np.abs(got - normals_of(heights * 6)).max() < 1e-4
    held = make(float32(heights)[..., None], height=6.0)
    assert np.abs(held[1:-1, 1:-1] - got[1:-1, 1:-1]).max() < 1e-9
    assert np.abs(held[:, 0] - got[:, 0]).max() > 0.01
