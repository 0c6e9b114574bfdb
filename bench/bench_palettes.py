"""Palettes on public photographs: errors of ways and methods beside general libraries, and the time of a large fit.

Writes docs/palettes.md. Errors are mean OKLab distances x 100.
"""

import statistics
import sys
import time
import tracemalloc
import warnings
from pathlib import Path

import numpy as np
from PIL import Image
from scipy.ndimage import gaussian_filter
from skimage import data
from sklearn.cluster import KMeans, MiniBatchKMeans

from even_palette.core.arrays import Levels
from even_palette.core.raster.blocks import Block, through_blocks
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.index_survival import errors_of, mean_errors
from even_palette.core.tones.colours import count_colours, to_levels, to_oklab
from even_palette.core.tones.index_map import index_map
from even_palette.core.tones.palette_fit import Method, Order, fit_palette, ordered
from even_palette.core.tones.strands import smooth_strands

PICTURES = ("coffee", "astronaut", "chelsea", "rocket")
SIZES = (16, 64, 256)
ROUNDS, RADIUS = 2, 8
DOCUMENT = Path(__file__).resolve().parent.parent / "docs" / "palettes.md"
K_MEANS = "k-means (scikit-learn)"
COLUMNS = ("fit", "filtered 1.5 ×", "mip of averaged indices", "in BC4")


def geometric(values: list[float]) -> float:
    return float(np.exp(np.mean(np.log(values))))


def distance(one: Levels, other: Levels) -> float:
    return float(100 * np.sqrt(np.square(to_oklab(one) - to_oklab(other)).sum(-1)).mean())


def of_libraries(rgb: Levels, size: int) -> dict[str, float]:
    """The fits of scikit-learn's k-means, and the best of Pillow's methods."""
    lab = to_oklab(rgb).reshape(-1, 3)
    means = KMeans(size, n_init=1, random_state=0, max_iter=30).fit(lab[::5])
    theirs = 100 * np.sqrt(np.square(lab - means.cluster_centers_[means.predict(lab)]).sum(-1)).mean()
    ways = (Image.Quantize.MEDIANCUT, Image.Quantize.MAXCOVERAGE, Image.Quantize.FASTOCTREE)
    pillow = min(distance(rgb, np.array(Image.fromarray(rgb).quantize(size, way).convert("RGB"))) for way in ways)
    return {K_MEANS: float(theirs), "best of Pillow": pillow}


def errors() -> list[str]:
    """The tables of errors, and the ratios that must hold."""
    lines = []
    for size in SIZES:
        lines += [
            f"## {size} entries",
            "",
            "| picture | palette | " + " | ".join(COLUMNS) + " |",
            "|---|---|" + "---|" * 4,
        ]
        rows: dict[str, list[tuple[float, ...]]] = {}
        libraries: dict[str, list[float]] = {}
        colour = []
        for name in PICTURES:
            rgb = np.ascontiguousarray(getattr(data, name)()[..., :3])
            colours = count_colours([rgb])
            chain = fit_palette(colours, size)
            palettes = {
                "chain": chain, "chain's colours by lightness": ordered(chain, Order.LIGHTNESS),
                "means, by lightness": fit_palette(colours, size, Method.MEANS),
                "cut, by lightness": fit_palette(colours, size, Method.CUT),
            }  # fmt: skip
            for told, entries in palettes.items():
                found = mean_errors(rgb, index_map(rgb, entries), entries)
                rows.setdefault(told, []).append(found)
                lines.append(f"| {name} | {told} | " + " | ".join(f"{value:.2f}" for value in found) + " |")
            for told, value in of_libraries(rgb, size).items():
                libraries.setdefault(told, []).append(value)
                lines.append(f"| {name} | {told} | {value:.2f} | – | – | – |")
            paint = Plane(rgb, Encoding.SRGB)
            colour.append(
                errors_of(Plane(through_blocks(rgb, Block.BC1), Encoding.SRGB).linear(), paint.linear())[0].mean
            )
            lines.append(f"| {name} | the colour itself in BC1, equal bytes | {colour[-1]:.2f} | – | – | – |")
        chain_g = [geometric([row[n] for row in rows["chain"]]) for n in range(4)]
        light_g = [geometric([row[n] for row in rows["chain's colours by lightness"]]) for n in range(4)]
        filtered = geometric([chain_g[1] / light_g[1], chain_g[2] / light_g[2]])
        lines += [
            "",
            "Geometric means over the pictures, chain against:",
            "",
            f"- k-means: fit {chain_g[0] / geometric(libraries[K_MEANS]):.3f} × (at 256: at most 1.05)",
            f"- best of Pillow: fit {chain_g[0] / geometric(libraries['best of Pillow']):.3f} × (below 1)",
            f"- its own colours by lightness: filtered before look-up {filtered:.3f} × (at 256: at most 0.75; "
            f"1.5 × magnified {chain_g[1] / light_g[1]:.3f}, 2 × minified {chain_g[2] / light_g[2]:.3f})",
            f"- the colour in BC1: index in BC4 {chain_g[3] / geometric(colour):.3f} × (at 256: at most 1.15)",
            "",
        ]
    return lines


def speed() -> list[str]:
    """2048² to 256 entries, beside scikit-learn's mini-batch k-means, in turns."""
    rgb = np.ascontiguousarray(np.tile(data.astronaut(), (4, 4, 1)))
    noise = np.random.default_rng(1).integers(-3, 4, rgb.shape)
    rgb = np.clip(rgb + noise, 0, 255).astype(np.uint8)
    spent: dict[Method, list[float]] = {Method.CHAIN: [], Method.MEANS: []}
    quality: dict[Method, float] = {}
    theirs, their_error = [], 0.0
    for _ in range(ROUNDS):
        for method, times in spent.items():
            started = time.perf_counter()
            entries = fit_palette(count_colours([rgb]), 256, method)
            indices = index_map(rgb, entries)
            times.append(time.perf_counter() - started)
            quality[method] = distance(rgb, entries[indices])
        started = time.perf_counter()
        lab = to_oklab(rgb).reshape(-1, 3)
        model = MiniBatchKMeans(256, n_init=1, batch_size=16384, max_iter=8, random_state=0).fit(lab)
        labels = model.predict(lab)
        theirs.append(time.perf_counter() - started)
        centres = model.cluster_centers_.astype(np.float32)  # as a palette keeps them, in 8 bits
        their_error = float(100 * np.sqrt(np.square(lab - to_oklab(to_levels(centres))[labels]).sum(-1)).mean())
    tracemalloc.start()
    fit_palette(count_colours([rgb]), 256)
    index_map(rgb, entries)
    peak = tracemalloc.get_traced_memory()[1] / 2**30
    tracemalloc.stop()
    lines = ["## Time of 2048 × 2048 texels to 256 entries, index map included", ""]
    lines.append(
        f"scikit-learn's mini-batch k-means, in 8 bits: {statistics.median(theirs):.2f} s, error {their_error:.2f}. "
        "In turns with it:"
    )
    lines.append("")
    for method, times in spent.items():
        ratio = statistics.median(b / a for a, b in zip(times, theirs, strict=True))
        taken = f"{statistics.median(times):.2f} s, error {quality[method]:.2f}"
        lines.append(f"- {method}: {taken}; {ratio:.1f} × faster (reach: 5)")
    return [*lines, "", f"Arrays of the chain take at most {peak:.2f} GiB (reach: 1).", ""]


def strands() -> list[str]:
    """Smoothing along strands at 2048², beside one Gaussian of the same radius, in turns."""
    plane = np.random.default_rng(2).random((2048, 2048, 1)).astype(np.float32)
    ours, theirs = [], []
    for _ in range(ROUNDS):
        started = time.perf_counter()
        smooth_strands(plane, RADIUS)
        ours.append(time.perf_counter() - started)
        started = time.perf_counter()
        gaussian_filter(plane[..., 0], RADIUS)
        theirs.append(time.perf_counter() - started)
    ratio = statistics.median(a / b for a, b in zip(ours, theirs, strict=True))
    return [
        "## Strands of 2048 × 2048 texels, radius 8",
        "",
        f"{statistics.median(ours):.2f} s, {ratio:.1f} × one Gaussian of scipy.ndimage (reach: 20).",
        "",
    ]


def main() -> None:
    warnings.filterwarnings("ignore")
    head = [
        "# Palettes, measured",
        "",
        "Made by `bench/bench_palettes.py --write` on the photographs that ship inside scikit-image. Mean OKLab",
        "distances × 100: *fit* is the picture with every texel at its nearest entry; the others look the index up",
        "after a linear filter, magnified and in the first mip, and from BC4, each against the source under the same",
        "sampling.",
        "",
    ]
    lines = head
    for part in (strands, speed, errors):
        found = part()
        print("\n".join(found), flush=True)
        lines += found
    text = "\n".join(lines)
    if "--write" in sys.argv:
        DOCUMENT.write_text(text)


if __name__ == "__main__":
    main()
