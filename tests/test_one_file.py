"""Adding one thing is adding one file: a copy of the program gets a file of each kind, and nothing else, and uses it."""

import os
import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np

import even_palette
from even_palette.core.kit.model import Kit
from even_palette.core.kit.store import KitFolder

ADDED = {
    "core/material/coats/dull.py": """
from even_palette.core.material.declare import CoatKind, ValueSpec
from even_palette.core.material.model import ValueKind
from even_palette.core.material.outputs import COLOUR

COAT = CoatKind(
    name="dull", label="Dull", help="A dummy.",
    values=(ValueSpec("colour", "Colour", ValueKind.COLOUR, (0.5, 0.5, 0.5), "A colour."),),
    formula=lambda inputs: {COLOUR: inputs.values["colour"]},
)
""",
    "core/material/spaces/still.py": """
from even_palette.core.material.spaces._declare import Space

SPACE = Space("still", "Still", 99, "a dummy turns nothing", lambda linear, move: linear)
""",
    "core/regions/steps/swap.py": """
from even_palette.core.arrays import float32
from even_palette.core.regions.steps._declare import StepKind

STEP = StepKind("swap", "Swap", "A dummy.", edit=lambda mask, values: float32(1 - mask))
""",
    "core/mesh/bakes/even.py": """
import numpy as np
from even_palette.core.mesh.bakes._declare import BakeKind, flat

BAKE = BakeKind("even", "Even", "A dummy.", 99, 1, 8, lambda ground, settings: flat(np.ones((len(ground.uv), 1))))
""",
    "core/checks/always.py": """
from even_palette.core.checks._finding import Finding, Severity

def check(at, sheets, cancel):
    yield Finding("Source", Severity.NOTE, "A dummy finds this.")
""",
    "core/tones/kinds/flat.py": """
import numpy as np
from even_palette.core.tones.kinds._declare import ToneKind

TONE = ToneKind("flat", "Flat", "A dummy.", 99, lambda ground, settings: np.full((4, 4, 1), 7, np.uint8))
""",
    "core/raster/formats/dots.py": """
import numpy as np
from even_palette.core.raster.formats._declare import ImageFormat, ReadImage

def write(path, plane, compression):
    path.write_bytes(np.uint16(plane.samples.shape).tobytes() + plane.samples.tobytes())

def read(path, limits):
    data = path.read_bytes()
    samples = np.frombuffer(data[6:], np.uint8).reshape(np.frombuffer(data[:6], np.uint16))
    return ReadImage(samples, ("A dummy was read.",))

IMAGE_FORMAT = ImageFormat((".dots",), 99, read, write, bits=16)
""",
    "core/mesh/files/corner.py": """
import numpy as np
from even_palette.core.mesh.files._declare import MeshFormat
from even_palette.core.mesh.model import build_mesh

def read(data, path, limits, known_id):
    places = np.frombuffer(data, "<f4").reshape(3, 3)
    return build_mesh(places, np.array([[0, 1, 2]]), (places[None, :, :2],), None, known_id=known_id)

MESH_FORMAT = MeshFormat(
    (".corner",), read, writers={".corner": lambda path, mesh, colours: path.write_bytes(mesh.corners()[0].tobytes())}
)
""",
    "core/graph/languages/loud.py": """
from dataclasses import replace
from even_palette.core.graph.languages.glsl import LANGUAGE as GLSL

LANGUAGE = replace(GLSL, name="loud", comment="// {text}!")
""",
    "core/results/looks/black.py": """
from even_palette.core.graph import nodes
from even_palette.core.results.looks._declare import Look, LookKind
from even_palette.core.results.pictures import SHOWN, Picture, map_picture
from even_palette.core.results.maps import paint_of

LOOK = LookKind(
    "black", 99, lambda at, store, look: map_picture(paint_of(at, store)), lambda at, chosen: [("Black", Look("black"))]
)
""",
    "core/ship/targets/twofold.py": """
from dataclasses import replace
from even_palette.core.ship.targets.glsl import TARGET as GLSL

def texts(shipment):
    values = "".join(f"{variant.name} {len(variant.values)}\\n" for variant in shipment.package.variants)
    return {**GLSL.texts(shipment), "variants.txt": values}

TARGET = replace(GLSL, name="twofold", label="Twofold", place=99, texts=texts)
""",
    "app/stages/after.py": """
from even_palette.app.panel import Panel
from even_palette.app.stage import Stage

STAGE = Stage(
    "After", 9, lambda session, renderer, choice: Panel(session, "After", "A dummy."), lambda at, panel: True
)
""",
}
"""By its path below the program."""

SCRIPT = """
from pathlib import Path
import numpy as np
from even_palette.core.graph.languages import LANGUAGES
from even_palette.core.graph.write import write
from even_palette.core.material.model import Coat
from even_palette.core.mesh.files import read_mesh
from even_palette.core.results.looks import Look, picture
from even_palette.core.kit.sheet import Bake, Step, Tone
from even_palette.core.results.bakes import bake_of
from even_palette.core.results.looks import Chosen, offered

at = kit.at()
region = at.sheet.regions[0].key
kit.add_map("tiny_base_colour.dots")
assert "tiny_base_colour.dots" in [Path(source.path).name for source in kit.at().sheet.sources]
kit.add_mesh("one.corner")
kit.write_mesh(kit.kit.meshes[-1].key, "again.corner")
assert read_mesh(Path("again.corner")).face_count == 1
kit.do("set_coat_kind", region, "dull")
kit.do("add_coat", region, Coat("shift", {"hue": 90.0, "space": "still"}))
kit.do("add_step", region, Step("swap"))
kit.do("add_tone", at.key, Tone("flat", "Flat", "flat"))
assert (kit.tone("flat") == 7).all()
assert kit.colours().shape
baked = bake_of(kit.at(), kit.results, Bake("even", "even", 256, 0, 1))[0]
assert baked.samples.max() == 255
assert "Black" in dict(offered(kit.at(), Chosen()))
program = picture(kit.at(), kit.results, Look()).program
assert "!" in write(program, LANGUAGES["loud"]).body
"""

WINDOW = """
import os, sys
from PyQt6.QtWidgets import QApplication
from even_palette.app import theme
from even_palette.app.window import Window
from even_palette.core.results.looks import LOOKS
app = QApplication([])
theme.apply_scheme(app, "day")
window = Window()
window.show()
assert [button.name for button in window.rail.buttons][-1] == "After"
window.rail.buttons[-1].click()
assert window.tray.current.title.text() == "After"
window.rail.buttons[-2].click()
assert window.tray.current.target.findText("Twofold") == 1
assert "black" in LOOKS
print("entered")
sys.stdout.flush()
os._exit(0)
"""


def test_one_file_each(kit: Kit, tmp_path: Path) -> None:
    """A coat, a colour space, a step, a bake, a check, a tone, formats of images and meshes, a language, a look, a target and a stage: each is a file, is offered, and does its work."""
    place = Path(even_palette.__file__).parent
    copy = tmp_path / "even_palette"
    shutil.copytree(place, copy, ignore=lambda folder, names: {Path(folder).name == "demo" and "kit"})
    before = {path.relative_to(copy): path.read_bytes() for path in copy.rglob("*.py")}
    for name, text in ADDED.items():
        (copy / name).write_text(text)
    after = {path.relative_to(copy): path.read_bytes() for path in copy.rglob("*.py")}
    assert {str(path) for path in after if before.get(path) != after[path]} == ADDED.keys()
    around = {**os.environ, "PYTHONPATH": str(tmp_path), "QT_QPA_PLATFORM": "offscreen"}

    def run(*arguments: str) -> str:
        done = subprocess.run([sys.executable, *arguments], env=around, capture_output=True, text=True, cwd=tmp_path)
        assert done.returncode in (0, 1), done.stderr + done.stdout
        return done.stdout

    home = KitFolder.create(tmp_path / "kit")
    home.save(kit)
    home.close()
    folder = str(home.folder)
    (tmp_path / "use.py").write_text(SCRIPT)
    (tmp_path / "tiny_base_colour.dots").write_bytes(bytes([1, 0, 2, 0, 3, 0, *range(6)]))
    (tmp_path / "one.corner").write_bytes(np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], "<f4").tobytes())
    assert run("-m", "even_palette", "run", str(tmp_path / "use.py"), folder) == ""
    assert "A dummy finds this." in run("-m", "even_palette", "check", folder)
    written = run("-m", "even_palette", "masks", folder, "--to", str(tmp_path / "masks"), "--suffix", ".dots")
    assert ".dots" in written
    package = tmp_path / "package"
    assert "variants.txt" in run("-m", "even_palette", "ship", folder, "--to", str(package), "--target", "twofold")
    assert (package / "variants.txt").read_text().splitlines()
    assert "variants.txt" not in run("-m", "even_palette", "ship", folder, "--to", str(package))
    assert not (package / "variants.txt").exists()
    run("-m", "even_palette", "play", str(package), "--out", str(tmp_path / "played.png"))
    assert "entered" in run("-c", WINDOW)
