"""A process at work that is killed at random moments, again and again, without the cost of starting it each time."""

import os
import random
import signal
import subprocess
import sys
import time
from types import TracebackType

SERVER = """
import builtins, os, sys
def print(*told, **_):
    os.write(1, (" ".join(map(str, told)) + "\\n").encode())  # a line at once, so that none is cut by the killing
builtins.print = print
print("ready")
for line in sys.stdin:
    child = os.fork()
    if child == 0:
        work()
    print("child", child)
    os.waitpid(child, 0)
    print("ended")
"""


class Killing:
    """Runs `work()` of a text of Python, which prints a number for each thing that is done, and kills it."""

    def __init__(self, text: str, *arguments: str, seed: int = 7) -> None:
        self._process = subprocess.Popen(
            [sys.executable, "-c", text + SERVER, *arguments], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
            env={**os.environ, "NUMBA_NUM_THREADS": "1"},
        )  # fmt: skip
        self._rng = random.Random(seed)
        assert self._line() == "ready"

    def _line(self) -> str:
        assert self._process.stdout is not None
        line = self._process.stdout.readline()
        assert line, "the process has ended"
        return line.strip()

    def kill(self, most_done: int, within_s: float) -> list[int]:
        """Let it work until so many things are done at the most, and some moment more; the numbers that it told."""
        assert self._process.stdin is not None
        self._process.stdin.write("go\n")
        self._process.stdin.flush()
        wanted, told, child = self._rng.randrange(most_done + 1), list[int](), 0
        while not child or len(told) < wanted:
            line = self._line()
            if line.startswith("child"):
                child = int(line.split()[1])
            else:
                told.append(int(line))
        time.sleep(self._rng.random() * within_s)  # not a wait for anything: somewhere within its work
        os.kill(child, signal.SIGKILL)
        while (line := self._line()) != "ended":
            told.append(int(line))
        return told

    def __enter__(self) -> "Killing":
        return self

    def __exit__(self, *_: "type[BaseException] | BaseException | TracebackType | None") -> None:
        self._process.kill()
        self._process.wait()
