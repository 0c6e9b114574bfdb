"""Memory that is free goes back to the system."""

import platform
import subprocess
import sys

import pytest

SCRIPT = """
import os
from even_palette.core.memory import give_back

def resident() -> int:
    return int(open("/proc/self/statm").read().split()[1]) * os.sysconf("SC_PAGE_SIZE") >> 20

blocks = [bytearray(100_000) for _ in range(2000)]
last = blocks[-1]
full = resident()
del blocks
kept = resident()
give_back()
print(full, kept, resident())
"""


@pytest.mark.skipif(platform.libc_ver()[0] != "glibc", reason="other libraries have nothing to call")
def test_gaps_below_what_is_in_use_are_given_back() -> None:
    """200 MB of pieces below one that stays: the C library keeps them, and gives them back when asked."""
    told = subprocess.run([sys.executable, "-c", SCRIPT], check=True, capture_output=True, text=True).stdout
    full, kept, after = map(int, told.split())
    assert kept > full - 50
    assert after < full - 150
