"""Compiling loops, and keeping what Numba makes of them in the cache folder."""

import hashlib
import importlib.util
import os
import sys
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from threading import Lock
from typing import Any

from even_palette import __version__
from even_palette.core.disk.places import cache_home
from even_palette.core.disk.whole import write_whole
from even_palette.core.memory_account import Kept

MOST_LOOPS = 200
"""Loops that are kept in the cache folder; those that were not used for longest go first."""
Request = tuple[str, list[Any]]
"""The text of a loop, and arguments of the kinds that it shall take."""


CODE_SHARE = 100
"""Bytes that a loop takes for each of its text, read from the cache folder (measured: 50 to 280)."""


@dataclass(frozen=True)
class _Loop:
    """A function with how long the text is that it was made of."""

    run: Callable[..., None]
    length: int


_LOOPS: Kept[_Loop] = Kept("Compiled loops", 0.04, lambda loop: loop.length * CODE_SHARE)
_compiling = Lock()


def compiled(text: str) -> Callable[..., None]:
    """The function `loop` of a text, from the cache folder if it is there; another text there is replaced."""

    def make() -> _Loop:
        try:
            return _Loop(_from_folder(text), len(text))
        except OSError:  # a full disk, or a folder that is not ours: the loop is compiled for this process alone
            space: dict[str, Any] = {}
            exec(text.replace("cache=True, ", ""), space)
            return _Loop(space["loop"], len(text))

    with _compiling:
        return _LOOPS.get(text, make).run


def compile_into_folder(text: str, arguments: list[Any]) -> None:
    """Have what Numba makes of a loop for arguments of these kinds in the cache folder; the loop is run with them."""
    _from_folder(text)(*arguments)


def _from_folder(text: str) -> Callable[..., None]:
    folder = cache_home() / "loops"
    folder.mkdir(parents=True, exist_ok=True)
    name = "loop_" + hashlib.blake2b(f"{__version__}{text}".encode(), digest_size=16).hexdigest()
    path = folder / f"{name}.py"
    if not path.is_file() or path.read_bytes() != text.encode():
        write_whole(path, text.encode())
        _forget_old(folder)
    os.utime(path)
    spec = importlib.util.spec_from_file_location(f"even_palette_{name}", path)
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    sys.modules[spec.name] = module  # Numba looks there for the text
    spec.loader.exec_module(module)
    loop: Callable[..., None] = module.loop
    return loop


def _forget_old(folder: Path) -> None:
    """Remove the loops that were not used for longest, with what Numba keeps of them."""
    kept = sorted(folder.glob("loop_*.py"), key=lambda path: path.stat().st_mtime, reverse=True)
    for path in kept[MOST_LOOPS:]:
        for part in (*(folder / "__pycache__").glob(f"{path.stem}*"), path):
            part.unlink(missing_ok=True)
