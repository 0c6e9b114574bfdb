"""Proof: how long the search takes for the demo tug, and what another format costs on a small and a large map."""

import resource
import sys
import time
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1]))

from even_palette.core.kit.store import read_kit
from even_palette.core.proof.conditions import MapConditions, MapFacts, Use
from even_palette.core.proof.degrade import degraded_chain
from even_palette.core.raster.chain import Chain
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.proof import VIEW_SIDE, shipped
from even_palette.core.results.proof_search import candidates, search
from even_palette.core.results.sheets import Sheets
from even_palette.demo import KIT_FOLDER


def main() -> None:
    """Print what each takes."""
    kit, store = read_kit(KIT_FOLDER), Sheets()
    at, variants = kit.at("sheet_1"), list(kit.variant_names)
    found = shipped(at, store)
    tried = sum(len(candidates(facts)) for facts in found.facts.values())
    started = time.perf_counter()
    points = search(at, store, variants).points
    taken = time.perf_counter() - started
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"search: {len(found.facts)} maps, {tried} ways, {len(variants)} variants: {taken:.1f} s (aim 30), "
          f"{len(points)} points, {memory:,.0f} MiB at the most (aim 2,048)")  # fmt: skip
    times = {}
    for side in (1024, 4096):
        squares = np.random.default_rng(3).integers(0, 256, (256, 256, 3))  # what is seen of both is the same
        smooth = np.kron(squares, np.ones((side // 256, side // 256, 1))).astype(np.uint8)
        chain, facts = Chain(Plane(smooth, Encoding.SRGB)), MapFacts(Use.COLOUR, 3, True, 8, side, side, True)
        chain.prepare()
        for most in (VIEW_SIDE, 0):
            taken = []
            for _ in range(3):
                started = time.perf_counter()
                degraded_chain(chain, MapConditions("BC7"), facts, most=most)
                taken.append(time.perf_counter() - started)
            times[side, most] = min(taken)
    ratio, whole = (times[4096, most] / times[1024, most] for most in (VIEW_SIDE, 0))
    print(f"one map to BC7, what a whole view reads: 1024² {times[1024, VIEW_SIDE]:.2f} s, 4096² "
          f"{times[4096, VIEW_SIDE]:.2f} s: {ratio:.1f} x (aim 1.5); all levels, later: {whole:.1f} x")  # fmt: skip


if __name__ == "__main__":
    main()
