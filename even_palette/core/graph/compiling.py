"""Compiling loops, here or in another process, and keeping what Numba makes of them in the cache folder.

Compiling takes seconds and holds the interpreter; another process can be ended, and lets this one go on.
"""

import hashlib
import importlib.util
import os
import pickle
import subprocess
import sys
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from threading import Lock
from typing import Any

import numpy as np

from even_palette import __version__
from even_palette.core.disk.places import cache_home
from even_palette.core.disk.whole import write_whole
from even_palette.core.jobs import CancelToken
from even_palette.core.memory_account import Kept

MOST_LOOPS = 200
"""Loops that are kept in the cache folder; those that were not used for longest go first."""
POLL_S = 0.05
NICENESS = 10
Request = tuple[str, list[Any]]
"""The text of a loop, and arguments of the kinds that it shall take."""


def compile_apart(requests: Sequence[Request], cancel: CancelToken) -> bool:
    """Have another process compile loops into the cache folder; False if it could not. Raises Cancelled, and ends it.

    A loop that is called afterwards with arguments of these kinds is read from there.
    """
    worker = subprocess.Popen(
        [sys.executable, "-m", __name__], stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    try:
        assert worker.stdin is not None
        with worker.stdin:
            told = [(text, arguments, [_is_read(each) for each in arguments]) for text, arguments in requests]
            pickle.dump(told, worker.stdin)
        while worker.poll() is None:
            cancel.wait(POLL_S)
            cancel.check()
        return worker.returncode == 0
    except OSError:
        return False
    finally:
        worker.kill()
        worker.wait()


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


def main() -> None:
    """Compile the loops of the requests that are read from standard input."""
    os.nice(NICENESS)
    for text, arguments, read in pickle.load(sys.stdin.buffer):
        for argument, is_read in zip(arguments, read, strict=True):
            if is_read:
                argument.flags.writeable = False  # pickles forget this, and it is part of an array's kind
        _from_folder(text)(*arguments)


def _is_read(argument: object) -> bool:
    return isinstance(argument, np.ndarray) and not argument.flags.writeable


if __name__ == "__main__":
    main()
