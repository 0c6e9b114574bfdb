"""Cold start of the window with the demo kit shown, against an empty Qt window, taking turns in one run."""

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
from even_palette.app.main import _start, open_demo
app, window = _start()
open_demo(window)
window.show()
"""

WINDOW = (
    START
    + """
app.processEvents()
window.grab()
os._exit(0)
"""
)

PICTURE = (
    START
    + """
while not (window.session.settled and window.stand.canvas.tiles):
    app.processEvents()
window.grab()
os._exit(0)
"""
)

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
import even_palette.app.window
told("our modules, and NumPy")
from even_palette.app.main import _start, open_demo
app, window = _start()
told("application, style sheet and window built")
open_demo(window)
window.show()
app.processEvents()
window.grab()
told("first picture of the window")
while not (window.session.settled and window.stand.canvas.tiles):
    app.processEvents()
window.grab()
told("kit, maps, weights and OpenGL, until the result is drawn")
os._exit(0)
"""

DRIVER = """
import time
from even_palette.gl.context import offscreen_context
started = time.perf_counter()
offscreen_context()
print(f"    of which the driver's own start: {time.perf_counter() - started:.2f} s")
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
    for text in (EMPTY, WINDOW, PICTURE):
        seconds(text, cold=False)
    for cold in (True, False):
        name = "Cold start (files not in memory)" if cold else "Warm start (files in memory)"
        if cold and not forget_files():
            print(f"{name}: not measured, dropping the file cache needs root")
            continue
        print(f"{name}, against an empty Qt window")
        rounds = [[seconds(text, cold) for text in (EMPTY, WINDOW, PICTURE)] for _ in range(ROUNDS)]
        print(f"  empty Qt window: median {statistics.median(r[0] for r in rounds):.2f} s")
        for what, column, reach in (("the window is there", 1, 4), ("the demo kit's result is drawn", 2, 6)):
            median = statistics.median(r[column] for r in rounds)
            ratio = statistics.median(r[column] / r[0] for r in rounds)
            print(
                f"  until {what}: median {median:.2f} s, ratio {ratio:.1f}"
                + (f" (reach: at most {reach})" if cold else "")
            )
    print("Shares of one warm start")
    for text in (SHARES, DRIVER):
        subprocess.run([sys.executable, "-u", "-c", text], check=True)


if __name__ == "__main__":
    main()
