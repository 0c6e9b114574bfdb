"""Shared by all tests: one small kit on disk, and a state folder that is not the user's."""

import gc
import os
from pathlib import Path
from zlib import crc32

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
import pytest
from hypothesis import HealthCheck, settings

from even_palette.core.kit import commands
from even_palette.core.kit.fingerprints import fingerprint
from even_palette.core.kit.history import History
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import identifier
from even_palette.core.kit.sheet import Source
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.sheets import Sheets

settings.register_profile(
    "explore", deadline=None, max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
"""Other examples in every run, to find what nobody thought of: `./test --hypothesis-profile=explore -m hypothesis`."""
settings.register_profile("suite", settings.get_profile("explore"), derandomize=True)
"""The same examples in every run of one state of the code: what fails then is of what was changed."""
settings.load_profile("suite")

RED, GREEN, BLUE, YELLOW = (230, 30, 40), (30, 200, 60), (40, 60, 220), (240, 220, 40)


def pytest_collection_finish() -> None:
    """What is there before the first test stays: garbage is looked for among what tests make alone."""
    gc.freeze()


@pytest.fixture(autouse=True)
def own_state(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> None:
    """Autosaves and settings of a test go to a folder of its own."""
    folder = tmp_path_factory.mktemp("state")
    monkeypatch.setenv("EVEN_PALETTE_STATE", str(folder))
    monkeypatch.setenv("XDG_CONFIG_HOME", str(folder))
    run = tmp_path_factory.getbasetemp()  # all processes of a run share what is made anew, as windows do
    shared = run.parent if "PYTEST_XDIST_WORKER" in os.environ else run
    monkeypatch.setenv("EVEN_PALETTE_CACHE", str(shared / "cache"))


@pytest.fixture(autouse=True)
def same_chance(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    """A test that draws from its module's RNG draws the same in every run, whatever was run before it."""
    if hasattr(request.module, "RNG"):
        monkeypatch.setattr(request.module, "RNG", np.random.default_rng(crc32(request.node.nodeid.encode())))


def write_maps(folder: Path, side: int = 64, seed: int = 5) -> dict[Role, Path]:
    """A random paint and an ID map of four soft-edged quarters with a border of base."""
    folder.mkdir(parents=True, exist_ok=True)
    rng = np.random.default_rng(seed)
    paint = rng.integers(8, 250, (side, side, 3)).astype(np.uint8)
    ids = np.zeros((side, side, 3), dtype=np.float32)
    half = side // 2
    for index, colour in enumerate((RED, GREEN, BLUE, YELLOW)):
        top, left = divmod(index, 2)
        ids[top * half + 2 : (top + 1) * half - 2, left * half + 2 : (left + 1) * half - 2] = colour
    ids[:, 1:] = 0.75 * ids[:, 1:] + 0.25 * ids[:, :-1]
    paths = {Role.BASE_COLOUR: folder / "crate_base_colour.png", Role.ID: folder / "crate_id.png"}
    write_plane(paths[Role.BASE_COLOUR], Plane(paint, Encoding.SRGB))
    write_plane(paths[Role.ID], Plane(ids.astype(np.uint8), Encoding.DATA))
    return paths


def source(path: Path, role: Role, encoding: Encoding) -> Source:
    seen = fingerprint(path)
    return Source(identifier(role), role, str(path.resolve()), encoding, seen.size, seen.sha256)


def kit_of(paths: dict[Role, Path], coats: bool = True) -> History:
    """A kit of four regions, one of each coat, and two variants of which one inherits."""
    history = History(Kit())
    for role, path in paths.items():
        encoding = Encoding.SRGB if role == Role.BASE_COLOUR else Encoding.DATA
        history.do(commands.add_map("sheet_1", source(path, role, encoding)))
    history.do(commands.add_regions("sheet_1", [RED, GREEN, BLUE, YELLOW]))
    if coats:
        for command in (
            commands.set_choice("region_1", "mode", "channel"),
            commands.set_cell_value("region_1", "colour", (0.5, 0.2, 0.3)),
            commands.set_coat_kind("region_2", "repaint"),
            commands.set_cell_value("region_2", "strength", 0.6),
            commands.set_coat_kind("region_3", "shift"),
            commands.set_cell_value("region_3", "hue", 40.0),
            commands.add_variant("Day"),
            commands.set_cell_value("region_1", "colour", (0.1, 0.4, 0.6), "day"),
            commands.add_variant("Dusk", "day"),
            commands.set_cell_value("region_4", "colour", (0.9, 0.7, 0.1), "dusk"),
        ):
            history.do(command)
    return history


@pytest.fixture
def maps(tmp_path: Path) -> dict[Role, Path]:
    return write_maps(tmp_path / "maps")


@pytest.fixture
def history(maps: dict[Role, Path]) -> History:
    return kit_of(maps)


@pytest.fixture
def kit(history: History) -> Kit:
    return history.kit


@pytest.fixture(scope="session")
def sheets() -> Sheets:
    return Sheets()
