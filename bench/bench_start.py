"""Start of the window with the demo kit shown, cold and warm, against an empty Qt window, taking turns in one run."""

import os
import statistics
import subprocess
import sys
import time
from pathlib import Path

ROUNDS = 5

EMPTY = """
import sys
from PyQt6.QtWidgets import QApplication, QMainWindow
app = QApplication([])
window = QMainWindow()
window.resize(1280, 800)
window.show()
app.processEvents()
window.grab()
"""

START = """
import os, tempfile
os.environ["EVEN_PALETTE_STATE"] = tempfile.mkdtemp()
from even_palette.app.main import start_demo
app, window = start_demo()
"""

WINDOW = (
    START
    + """
app.processEvents()
window.grab()
os._exit(0)
"""
)

DRAWN = (
    START
    + """
while not window.stand.canvas.tiles or window.stand.canvas.pending:
    app.processEvents()
window.grab()
os._exit(0)
"""
)

SETTLED = (
    START
    + """
while window.jobs.busy or not window.stand.canvas.tiles or window.stand.canvas.pending:
    app.processEvents()
os._exit(0)
"""
)
"""What lasts on the disk between starts is there after it."""

SHARES = """
import time
started = time.perf_counter()
def told(what):
    global started
    print(f"    {what}: {time.perf_counter() - started:.2f} s")
    started = time.perf_counter()
import os, tempfile
os.environ["EVEN_PALETTE_STATE"] = tempfile.mkdtemp()
import PyQt6.QtWidgets
told("Qt's modules")
import numpy
told("NumPy")
import even_palette.app.window
told("our modules")
import even_palette.gl.sheet_view as sheet_view
from even_palette.app.main import start_demo
driver = 0.0
start_driver = sheet_view.offscreen_context
def timed():
    global driver
    before = time.perf_counter()
    made = start_driver()
    driver += time.perf_counter() - before
    return made
sheet_view.offscreen_context = timed
app, window = start_demo()
told("application and window built, style sheet put on, kit begun to be read")
app.processEvents()
window.grab()
told("first picture of the window")
while not window.stand.canvas.tiles or window.stand.canvas.pending:
    app.processEvents()
window.grab()
told("maps, weights and OpenGL, until the result is drawn")
print(f"    of which the driver's own start: {driver:.2f} s")
os._exit(0)
"""


def forget_files() -> bool:
    """Make the next start a cold one: let the kernel drop its copies of files. Needs root; False if it may not."""
    try:
        os.sync()
        Path("/proc/sys/vm/drop_caches").write_text("3")
    except OSError:
        return False
    return True


def seconds(text: str, cold: bool) -> float:
    if cold:
        forget_files()
    environment = {**os.environ, "QT_QPA_PLATFORM": os.environ.get("QT_QPA_PLATFORM", "offscreen")}
    started = time.perf_counter()
    subprocess.run([sys.executable, "-c", text], check=True, env=environment)
    return time.perf_counter() - started


def main() -> None:
    for text in (EMPTY, SETTLED):
        seconds(text, cold=False)
    for cold in (True, False):
        name = "Cold start (files not in memory)" if cold else "Warm start (files in memory)"
        if cold and not forget_files():
            print(f"{name}: not measured, dropping the file cache needs root")
            continue
        print(f"{name}, against an empty Qt window")
        rounds = [[seconds(text, cold) for text in (EMPTY, WINDOW, DRAWN)] for _ in range(ROUNDS)]
        print(f"  empty Qt window: median {statistics.median(r[0] for r in rounds):.2f} s")
        for what, column, reach in (
            ("the window is there", 1, 3.5),
            ("the demo kit's result is drawn", 2, 7),
        ):
            median = statistics.median(r[column] for r in rounds)
            ratio = statistics.median(r[column] / r[0] for r in rounds)
            print(
                f"  until {what}: median {median:.2f} s, ratio {ratio:.1f}"
                + (f" (reach: at most {reach})" if reach and not cold else "")
            )
    for cold in (True, False):
        if cold and not forget_files():
            continue
        print(f"Shares of one {'cold' if cold else 'warm'} start")
        subprocess.run([sys.executable, "-u", "-c", SHARES], check=True)


if __name__ == "__main__":
    main()
