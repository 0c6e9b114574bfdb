"""What machines do to us: processes that are killed, folders that cannot be written or go away, few files, no memory."""

import ctypes
import resource
import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest
from msgspec.structs import replace

from even_palette.core.disk.whole import PREFIX, sweep
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.model import Kit
from even_palette.core.kit.recipe_file import RecipeFile, read_recipe, write_recipe
from even_palette.core.kit.store import KitFolder
from even_palette.core.material.model import Coat
from even_palette.core.raster.files import read_plane
from even_palette.core.raster.plane import Encoding
from even_palette.terminal import command
from tests.conftest import kit_of, write_maps
from tests.core.killing import Killing

PR_CAPBSET_DROP, CAP_DAC_OVERRIDE = 24, 1
"""From linux/prctl.h and linux/capability.h: root without this is bound by the modes of files as everybody is."""

WORK_ON = """
import sys
from pathlib import Path
from msgspec.structs import replace
from even_palette.core.kit.recipe_file import RecipeFile, write_recipe
from even_palette.core.kit.store import KitFolder
from even_palette.core.material.model import Coat
from even_palette.core.results.sheets import Sheets
from even_palette.core.ship.maps import write_masks
folder, sheets = Path(sys.argv[1]), Sheets()
home = KitFolder(folder / "kit")
kit = home.open().saved
home.close()
write_masks(kit, sheets, folder / "masks")

def work():
    home, number = KitFolder(folder / "kit"), 0
    while True:
        number += 1
        write_recipe(folder / "paint.recipe.json", RecipeFile((Coat("shift", {"hue": float(number % 90)}, key="shift"),)))
        write_masks(kit, sheets, folder / "masks")
        home.autosave(replace(kit, name=f"State {number}"))
        print(number, flush=True)
"""


def left_in(folder: Path) -> list[str]:
    """What unfinished work has left, anywhere below a folder."""
    return [str(path.relative_to(folder)) for path in folder.rglob(f"{PREFIX}*")]


def test_killed_at_any_moment(kit: Kit, tmp_path: Path) -> None:
    """Recipes, renders and autosaves are whole; what was unfinished is swept by the next work in that place."""
    folder = KitFolder.create(tmp_path / "kit")
    folder.save(kit)
    folder.close()
    write_recipe(tmp_path / "paint.recipe.json", RecipeFile((Coat("shift", key="shift"),)))
    seen = 0
    with Killing(WORK_ON, str(tmp_path)) as worker:
        for _ in range(40):
            told = worker.kill(2, 0.03)
            seen += len(left_in(tmp_path))
            read_recipe(tmp_path / "paint.recipe.json")
            for path in (tmp_path / "masks").glob("*.png"):
                read_plane(path, Encoding.DATA)
            home = KitFolder(tmp_path / "kit")
            found = home.open()
            if found.recovered is not None:
                assert replace(found.recovered, name=kit.name) == kit
            if told:
                assert found.recovered is not None
                assert int(found.recovered.name.split()[1]) in (told[-1], told[-1] + 1)
            home.save(kit)
            home.close()
    assert seen > 0  # kills did hit work in progress
    sweep(tmp_path)
    done = subprocess.run(command("masks", str(tmp_path / "kit"), "--to", str(tmp_path / "masks")), check=False)
    assert done.returncode == 0
    assert left_in(tmp_path) == []


def bound_by(limit: int, most: int) -> Callable[[], None]:
    return lambda: resource.setrlimit(limit, (most, most))


def without_override() -> None:
    ctypes.CDLL(None).prctl(PR_CAPBSET_DROP, CAP_DAC_OVERRIDE)


WORK = [
    ["check", "kit"], ["ship", "kit", "--to", "new"], ["masks", "kit", "--to", "masks"],
    ["play", "package", "--out", "a.png"], ["play", "package", "--reference", "--out", "a.png"],
]  # fmt: skip


@pytest.fixture(scope="module")
def shipped(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with a kit and its package."""
    place = tmp_path_factory.mktemp("shipped")
    folder = KitFolder.create(place / "kit")
    folder.save(kit_of(write_maps(place / "kit" / "maps")).kit)
    folder.close()
    subprocess.run(command("ship", "kit", "--to", "package"), cwd=place, check=True, capture_output=True)
    return place


@pytest.fixture
def place(shipped: Path, tmp_path: Path) -> Path:
    return Path(shutil.copytree(shipped, tmp_path / "place"))


def told_in_a_sentence(done: "subprocess.CompletedProcess[str]") -> bool:
    """Whether the program refused in one sentence of its own."""
    plain = "Traceback" not in done.stderr and "an error of the program" not in done.stderr
    return done.returncode == 2 and plain and done.stderr.startswith("even-palette: ") and done.stderr.count("\n") == 1


@pytest.mark.parametrize("words", WORK, ids=" ".join)
@pytest.mark.parametrize("most", [64, 20])
def test_few_files_may_be_open(words: list[str], most: int, place: Path) -> None:
    done = subprocess.run(
        command(*words), cwd=place, capture_output=True, text=True, check=False, timeout=600,
        preexec_fn=bound_by(resource.RLIMIT_NOFILE, most),
    )  # fmt: skip
    assert done.returncode == 0 or told_in_a_sentence(done), done.stderr


@pytest.mark.parametrize(
    "words", [words for words in WORK if words[0] != "play" or "--reference" in words], ids=" ".join
)
@pytest.mark.parametrize("mebibytes", [200, 700])
def test_little_memory(words: list[str], mebibytes: int, place: Path) -> None:
    """OpenGL's drivers are left out: they end the process themselves."""
    done = subprocess.run(
        command(*words), cwd=place, capture_output=True, text=True, check=False, timeout=600,
        preexec_fn=bound_by(resource.RLIMIT_AS, mebibytes << 20),
    )  # fmt: skip
    assert done.returncode == 0 or told_in_a_sentence(done), done.stderr


@pytest.mark.parametrize(
    "words", [["ship", "kit", "--to", "shut/new"], ["masks", "kit", "--to", "shut"], ["play", "package", "--out", "shut/a.png"]],
    ids=" ".join,
)  # fmt: skip
def test_folders_that_are_read_only(words: list[str], place: Path) -> None:
    shut = place / "shut"
    shut.mkdir()
    shut.chmod(0o555)
    done = subprocess.run(
        command(*words), cwd=place, capture_output=True, text=True, check=False, preexec_fn=without_override
    )
    assert told_in_a_sentence(done), done.stderr
    assert "shut" in done.stderr
    assert list(shut.iterdir()) == []


def test_a_kit_whose_folder_is_gone(kit: Kit, tmp_path: Path) -> None:
    """Saving says so in a sentence; beside the same name again, it goes on."""
    folder = KitFolder.create(tmp_path / "kit")
    folder.save(kit)
    shutil.rmtree(tmp_path / "kit")
    changed = commands.rename_kit("Kept").apply(kit)
    for keep in (folder.save, folder.autosave):
        with pytest.raises(UserError, match="kit") as told:
            keep(changed)
        assert "\n" not in str(told.value)
    folder.close()
    again = KitFolder.create(tmp_path / "kit")
    again.save(changed)
    again.close()
    assert KitFolder(tmp_path / "kit").open().saved == changed
