"""Compiling loops in another process, into the cache folder: it takes seconds and would hold this interpreter."""

import os
import pickle
import subprocess
import sys
from collections.abc import Sequence

import numpy as np

from even_palette.core.graph.compiling import Request, compile_into_folder
from even_palette.core.jobs import CancelToken

POLL_S = 0.05
NICENESS = 10


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


def main() -> None:
    """Compile the loops of the requests that are read from standard input."""
    os.nice(NICENESS)
    for text, arguments, read in pickle.load(sys.stdin.buffer):
        for argument, is_read in zip(arguments, read, strict=True):
            if is_read:
                argument.flags.writeable = False  # pickles forget this, and it is part of an array's kind
        compile_into_folder(text, arguments)


def _is_read(argument: object) -> bool:
    return isinstance(argument, np.ndarray) and not argument.flags.writeable


if __name__ == "__main__":
    main()
