"""The house stays one in which a newcomer finds things, and that opens quickly: no file is long, no start is slow."""

import subprocess
import sys
from pathlib import Path

import pytest

import even_palette

PLACE = Path(even_palette.__file__).parent


@pytest.mark.parametrize(("part", "most"), [("app", 400), ("core", 350)])
def test_no_file_is_long(part: str, most: int) -> None:
    lengths = {path: len(path.read_text().splitlines()) for path in (PLACE / part).rglob("*.py")}
    assert lengths
    assert [(path.name, length) for path, length in lengths.items() if length > most] == []


def test_nothing_slow_is_imported_at_the_start() -> None:
    """The window is there before packages that take a third of a second and more: whoever needs them first brings them."""
    asked = "import sys, even_palette.app.window; print(*(name for name in %r if name in sys.modules))"
    slow = ("scipy", "numba", "OpenImageIO", "trimesh", "pygltflib", "embreex", "pxr", "assimp_py")
    found = subprocess.run([sys.executable, "-c", asked % (slow,)], capture_output=True, text=True, check=True)
    assert found.stdout.split() == []
