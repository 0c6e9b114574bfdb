"""Blocks encoded by other processes, by rows of tiles on all cores.

The library that encodes holds the interpreter while it works, seconds for a large map: a window would stand still.
"""

import atexit
import os
import pickle
import subprocess
import sys
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from queue import Empty, LifoQueue
from threading import BoundedSemaphore
from typing import Any

import numpy as np

from even_palette.core.arrays import Levels
from even_palette.core.jobs import CancelToken
from even_palette.core.raster.blocks import Block, encode_blocks, through_blocks

BAND_TEXELS = 1 << 18
"""So many are encoded at a time, a quarter of a second at the most; a map of fewer texels than SMALL right here."""
SMALL = 1 << 12
WORKERS = min(os.cpu_count() or 1, 8)
NICENESS = 5
ENCODE, THROUGH = "encode", "through"
HOW: dict[str, Callable[[Levels, Block], Any]] = {ENCODE: encode_blocks, THROUGH: through_blocks}


def encoded_apart(levels: Levels, block: Block, cancel: CancelToken | None = None) -> bytes:
    """As `encode_blocks`. Raises Cancelled."""
    return b"".join(_by_bands(ENCODE, levels, block, cancel))


def through_blocks_apart(levels: Levels, block: Block, cancel: CancelToken | None = None) -> Levels:
    """As `through_blocks`. Raises Cancelled."""
    parts = _by_bands(THROUGH, levels, block, cancel)
    return parts[0] if len(parts) == 1 else np.concatenate(parts)


def _by_bands(how: str, levels: Levels, block: Block, cancel: CancelToken | None) -> list[Any]:
    """What is made of each band of rows, from the top down. Blocks do not know of each other, so bands may be apart."""
    height, width = levels.shape[:2]
    if height * width < SMALL:
        return [HOW[how](levels, block)]
    rows = max(4, BAND_TEXELS // width // 4 * 4)

    def band(first: int) -> Any:
        if cancel:
            cancel.check()
        with _TURNS:
            return _done_apart(how, np.ascontiguousarray(levels[first : first + rows]), block)

    with ThreadPoolExecutor(WORKERS) as pool:
        return list(pool.map(band, range(0, height, rows)))


class _Worker:
    """A process that waits for levels."""

    def __init__(self) -> None:
        self._process = subprocess.Popen(
            [sys.executable, "-m", __name__], stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL
        )

    def ask(self, request: tuple[str, Levels, str]) -> Any:
        """What the process makes of it. Raises OSError or EOFError if it is gone."""
        assert self._process.stdin is not None
        assert self._process.stdout is not None
        pickle.dump(request, self._process.stdin, protocol=5)
        self._process.stdin.flush()
        return pickle.load(self._process.stdout)

    def end(self) -> None:
        """Let it go."""
        self._process.kill()
        self._process.wait()


_IDLE: LifoQueue[_Worker] = LifoQueue()
_TURNS = BoundedSemaphore(WORKERS)


def _done_apart(how: str, levels: Levels, block: Block) -> Any:
    """By a process that is free or a new one; by this one if that fails."""
    worker = None
    try:
        try:
            worker = _IDLE.get_nowait()
        except Empty:
            worker = _Worker()
        found = worker.ask((how, levels, block.value))
    except (OSError, EOFError, pickle.UnpicklingError):
        if worker is not None:
            worker.end()
        return HOW[how](levels, block)
    except BaseException:
        if worker is not None:
            worker.end()  # half an answer may be under way
        raise
    _IDLE.put(worker)
    return found


@atexit.register
def end_all() -> None:
    """Let all processes go; the next map starts others."""
    while True:
        try:
            _IDLE.get_nowait().end()
        except Empty:
            return


def main() -> None:
    """Answer requests until no more come."""
    os.nice(NICENESS)
    while True:
        try:
            how, levels, block = pickle.load(sys.stdin.buffer)
        except EOFError:
            return
        pickle.dump(HOW[how](levels, Block(block)), sys.stdout.buffer, protocol=5)
        sys.stdout.buffer.flush()


if __name__ == "__main__":
    main()
