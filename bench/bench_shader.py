"""What the shaders of the demo kit cost a pixel: arithmetic and look-ups that are left after spirv-opt -O.

All outputs are asked for; what the vertex stage works out is not counted. Counts do not depend on the machine, so they
are kept in the table below, and the run fails where one is exceeded. Needs glslang-tools and spirv-tools.
"""

import re
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from msgspec.structs import replace

from even_palette.core.kit import commands
from even_palette.core.kit.model import Kit
from even_palette.core.kit.store import read_kit
from even_palette.core.material.model import Coat
from even_palette.core.regions.packing import Packing
from even_palette.core.results.base_colour import base_colour_of
from even_palette.core.results.materials import material_of, packing_plan
from even_palette.core.results.sheets import Sheets
from even_palette.core.ship.targets.glsl import SETUP, STRUCT, SURFACE_FUNCTION, shader_text
from even_palette.demo import KIT_FOLDER

KEPT = {
    "Ferry tug, planes": (282, 20),
    "Ferry tug, pairs": (555, 25),
    "Oar and crate, planes": (27, 3),
    "Oar and crate, pairs": (225, 9),
    "Reed clump, planes": (49, 5),
    "Reed clump, pairs": (217, 12),
    "Painted sign, planes": (57, 12),
    "Painted sign, pairs": (57, 12),
    "Quay wall, planes": (529, 21),
    "Quay wall, pairs": (680, 28),
    "Tattered sail, planes": (12, 2),
    "Tattered sail, pairs": (165, 9),
    "River, planes": (67, 4),
    "River, pairs": (218, 11),
    "Wharf tree, planes": (51, 2),
    "Wharf tree, pairs": (204, 9),
    "Ferry tug with 72 regions, array": (530, 35),
    "Ferry tug with 72 regions, pairs": (1733, 25),
}
"""The most arithmetic operations and look-ups of each sheet and packing."""
MANY = 72
TOOLS = "glslangValidator", "spirv-opt", "spirv-dis"
LOOK_UP = re.compile(r"= OpImage(?:Sample|Fetch)\w+")
ARITHMETIC = re.compile(
    r"= Op(?:[FSU](?!unction)\w+|I(?!mage)\w+|ExtInst|Dot|Select|Logical\w+|\w+Times\w+|Convert\w+|DPd\w+)\b"
)


def pixel_shader(kit: Kit, sheets: Sheets, key: str) -> str:
    """A fragment shader that writes all outputs of a sheet."""
    at = kit.at(key)
    material, base = material_of(at, sheets), base_colour_of(at, sheets)
    program = material.program(packing_plan(at, material, size=(base.width, base.height)))
    text = shader_text(program, material.parameters, at.sheet.name)
    setup, given = (f"flat in {SETUP} v_setup;", ", v_setup") if SETUP in text else ("", "")
    lines = ["#version 330", text, "in vec2 v_uv;", setup]
    lines += [f"out vec4 o_{name};" for name in program.outputs]
    lines += [f"void main() {{ {STRUCT} s = {SURFACE_FUNCTION}(v_uv{given});"]
    for name, node in program.outputs.items():
        rest = ", 1.0" * (4 - program.records[node].type.size)
        lines.append(f"o_{name} = vec4(s.{name}{rest});")
    return "\n".join([*lines, "}"])


def cost_of(shader: str) -> tuple[int, int]:
    """Arithmetic operations and look-ups of a pixel."""
    with tempfile.TemporaryDirectory() as place:
        source, made, small = (str(Path(place) / name) for name in ("all.frag", "all.spv", "small.spv"))
        Path(source).write_text(shader)
        for command in (
            ("glslangValidator", "-G", "--auto-map-locations", "--auto-map-bindings", "-o", made, source),
            ("spirv-opt", "-O", made, "-o", small),
            ("spirv-dis", small),
        ):
            done = subprocess.run(command, capture_output=True, text=True, check=False)
            if done.returncode:
                sys.exit(f"{command[0]}: {done.stdout}{done.stderr}")
    return len(ARITHMETIC.findall(done.stdout)), len(LOOK_UP.findall(done.stdout))


def with_many_regions(kit: Kit) -> Kit:
    """The kit with as many regions on its first sheet as `MANY` says, each with a colour of its own."""
    sheet = kit.sheets[0]
    missing = MANY - len(sheet.regions)
    kit = commands.add_regions(sheet.key, [(9, 10 + number, 9) for number in range(missing)]).apply(kit)
    for number, region in enumerate(kit.sheets[0].regions[-missing:]):
        kit = commands.add_coat(region.key, Coat("tint", {"colour": (number / MANY, 0.4, 0.5)})).apply(kit)
    return kit


def main() -> None:
    missing = [tool for tool in TOOLS if shutil.which(tool) is None]
    if missing:
        sys.exit(f"Needs {', '.join(missing)}: apt-get install glslang-tools spirv-tools")
    print("Operations and look-ups of a pixel, after spirv-opt -O")
    demo, sheets, over = read_kit(KIT_FOLDER), Sheets(), []
    cases = [(demo, sheet.key, sheet.name, packing) for sheet in demo.sheets for packing in ("planes", "pairs")]
    many = with_many_regions(demo)
    cases += [(many, many.sheets[0].key, f"Ferry tug with {MANY} regions", packing) for packing in ("array", "pairs")]
    for kit, key, name, packing in cases:
        packed = kit.with_sheet(replace(kit.at(key).sheet, packing=Packing(packing)))
        found, case = cost_of(pixel_shader(packed, sheets, key)), f"{name}, {packing}"
        kept = KEPT.get(case, (0, 0))
        print(f"  {case}: {found[0]} operations, {found[1]} look-ups (kept: {kept[0]}, {kept[1]})", flush=True)
        over += [case] if found[0] > kept[0] or found[1] > kept[1] else []
    if over:
        sys.exit(f"More than is kept: {'; '.join(over)}")


if __name__ == "__main__":
    main()
