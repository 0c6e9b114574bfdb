"""Full-size colour of 4096² with six regions by the fused loop, against a copy and an add of the same bytes, and
against the reference; and the memory of a batch of variants against one.
"""

import gc
import os
import resource
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

os.environ["EVEN_PALETTE_CACHE"] = os.environ.get("EVEN_PALETTE_CACHE") or tempfile.mkdtemp()

import numpy as np

from even_palette import scripting
from even_palette.core.graph.reference import Environment, run
from even_palette.core.material.build import linear_setting
from even_palette.core.material.variants import MASTER, resolve
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import texel_centres
from even_palette.core.results.id_map import mask_size_of
from even_palette.core.results.materials import material_of, packing_plan
from even_palette.core.results.rendering import SheetRender
from even_palette.core.results.slots import slots_of
from even_palette.core.results.weights import weights_of

SIDE, VARIANTS, ROUNDS = 4096, 20, 9
COLOURS = [(220, 40, 40), (40, 200, 60), (40, 60, 220), (230, 210, 40), (40, 200, 210), (200, 50, 200)]


def make_kit(folder: Path, variants: int) -> scripting.OpenKit:
    """Six soft bands, each in a tint by a parameter; variants differ in all of them."""
    random = np.random.default_rng(5)
    base = random.integers(40, 220, (SIDE // 4, SIDE // 4, 3), dtype=np.uint8).repeat(4, axis=0).repeat(4, axis=1)
    place = np.arange(SIDE) * len(COLOURS) / SIDE
    first, share = np.minimum(place.astype(int), len(COLOURS) - 1), np.clip((place % 1 - 0.9) * 10, 0, 1)
    colours = np.array(COLOURS, dtype=float)
    mixed = colours[first] * (1 - share[:, None]) + colours[np.minimum(first + 1, len(COLOURS) - 1)] * share[:, None]
    ids = np.broadcast_to(np.round(mixed).astype(np.uint8)[:, None], (SIDE, SIDE, 3))
    kit = scripting.new_kit("Bands")
    for name, samples, role in (("base_colour", base, "base colour"), ("id", np.ascontiguousarray(ids), "ID map")):
        write_plane(folder / f"sheet_{name}.png", Plane(samples, Encoding.SRGB), 1)
        kit.add_map(folder / f"sheet_{name}.png", role=role)
    kit.do("add_regions", kit.at().key, COLOURS)
    for number in range(variants):
        kit.do("add_variant", f"Variant {number + 1}")
    for region in kit.at().sheet.regions:
        kit.do("set_coat_kind", region.key, "tint")
        for number in range(variants):
            colour = tuple(float(part) for part in random.random(3))
            kit.do("set_cell_value", region.key, "colour", colour, variant=f"variant_{number + 1}")
    return kit


def seconds(do) -> float:  # type: ignore[no-untyped-def]
    started = time.perf_counter()
    do()
    return time.perf_counter() - started


def speed(kit: scripting.OpenKit) -> None:
    at = kit.at()
    ready, settings = SheetRender(at, kit.results), resolve(kit.kit.parameters, kit.kit.variants, "variant_1")
    started = time.perf_counter()
    ready.render(["colour"], settings, in_levels=True)
    first = time.perf_counter() - started
    source = np.zeros((SIDE, SIDE, 3), np.uint8)

    def floor() -> None:
        copied = source.copy()
        copied += 1

    turns = [
        (seconds(lambda: ready.render(["colour"], settings, in_levels=True)), seconds(floor)) for _ in range(ROUNDS)
    ]
    fused, least = (statistics.median(times) for times in zip(*turns, strict=True))
    ratio = statistics.median(own / other for own, other in turns)
    material = material_of(at, kit.results)
    plan = packing_plan(at, material, size=mask_size_of(at, kit.results))
    held = {**slots_of(at, kit.results, material.slots), **plan.slots(weights_of(at, kit.results).packed)}
    inputs = {p.name: linear_setting(settings[p.key]) for p in kit.kit.parameters}
    uv, program = texel_centres(SIDE, SIDE), material.program(plan)
    started = time.perf_counter()
    for top in range(0, SIDE // 8, 64):  # an eighth of the sheet
        run(program, Environment(uv[top : top + 64], held, inputs))
    reference = (time.perf_counter() - started) * 8
    print(f"Colour of {SIDE}², six regions: {fused:.3f} s; the first time, with compiling, {first:.1f} s")
    print(f"  against one copy and one add ({least:.3f} s): {ratio:.1f} x, in turns (reach 8)")
    print(f"  the reference ({reference:.1f} s) takes {reference / fused:.0f} x as long (reach 20)")


def beside(kit: scripting.OpenKit) -> int:
    """The bytes that a render takes beside maps and weights, which are in memory: its peak above what was there."""
    ready = SheetRender(kit.at(), kit.results)
    settings = resolve(kit.kit.parameters, kit.kit.variants, "variant_1")
    ready.render(["colour"], settings, (64, 64), in_levels=True)  # compiled
    ready.render(["colour"], settings, in_levels=True)
    gc.collect()
    Path("/proc/self/clear_refs").write_text("5")  # forgets the peak (proc(5))
    before = kilobytes("VmRSS")
    ready.render(["colour"], settings, in_levels=True)
    return (kilobytes("VmHWM") - before) * 1024


def kilobytes(name: str) -> int:
    (line,) = [line for line in Path("/proc/self/status").read_text().splitlines() if line.startswith(name)]
    return int(line.split()[1])


def memory(count: int) -> int:
    """The largest memory, in bytes, of a process that writes so many variants."""
    call = [sys.executable, __file__, "--variants", str(count)]
    return int(subprocess.run(call, check=True, capture_output=True, text=True).stdout.split()[-1])


def main() -> None:
    if "--variants" in sys.argv:
        count = int(sys.argv[-1])
        with tempfile.TemporaryDirectory() as folder, make_kit(Path(folder), count) as kit:
            weights_of(kit.at(), kit.results)
            before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
            variants = [variant.name for variant in kit.kit.variants] or [MASTER]
            kit.render(Path(folder) / "out", variants, suffix=".tga")
            print(before * 1024, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024)
        return
    with tempfile.TemporaryDirectory() as folder, make_kit(Path(folder), 1) as kit:
        speed(kit)
        print(f"Memory beside the maps, the picture itself among it: {beside(kit) >> 20} MiB (reach 256)")
    one, many = memory(1), memory(VARIANTS)
    print(f"Memory of {VARIANTS} variants at {SIDE}² against one: {many / one:.2f} x ({one >> 20} MiB; reach 1.3)")


if __name__ == "__main__":
    main()
