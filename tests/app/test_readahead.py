"""Files of the last start are known to the next one; whatever the list holds, nothing fails or waits."""

import os
import threading
from pathlib import Path

import numpy as np
import pytest

from even_palette.app import session
from even_palette.app.readahead import Part, read_ahead, remember
from even_palette.core.disk.places import cache_home


@pytest.fixture(autouse=True)
def own_cache(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("EVEN_PALETTE_CACHE", str(tmp_path / "cache"))


def ended() -> bool:
    """Whether what was asked for is done within the time."""
    for thread in threading.enumerate():
        if thread.name in ("read ahead", "remember"):
            thread.join(10)
    return not any(thread.name in ("read ahead", "remember") for thread in threading.enumerate())


def listed(part: Part) -> list[str]:
    return (cache_home() / f"start-{part}.txt").read_text().splitlines()


def test_modules_and_libraries_are_remembered_once() -> None:
    remember(Part.WINDOW)
    assert ended()
    files = listed(Part.WINDOW)
    assert session.__cached__ in files
    assert any(Path(np.__file__).parent in Path(path).parents and path.endswith(".so") for path in files)
    assert all(os.path.isfile(path) for path in files)
    assert len(files) == len(set(files))
    import mailbox  # stands for what only views import

    remember(Part.VIEWS)
    assert ended()
    later = listed(Part.VIEWS)
    assert mailbox.__cached__ in later
    assert not set(later) & set(files)


@pytest.mark.parametrize("content", [b"", b"\xff\xfe\x00/x\n", b"/nowhere\n/\n/proc/self/mem\n" * 2000])
def test_a_damaged_list_costs_nothing(content: bytes, tmp_path: Path) -> None:
    """Binary rubbish, folders, what is no file or hangs when it is opened: a pipe that nobody writes to."""
    pipe = tmp_path / "pipe"
    os.mkfifo(pipe)
    cache_home().mkdir()
    (cache_home() / "start-window.txt").write_bytes(os.fsencode(pipe) + b"\n" + content)
    read_ahead(Part.WINDOW)
    read_ahead(Part.VIEWS)
    assert ended()


def test_a_folder_that_cannot_be_written(tmp_path: Path) -> None:
    (tmp_path / "cache").write_text("a file where the folder should be")
    remember(Part.WINDOW)
    read_ahead(Part.WINDOW)
    assert ended()
