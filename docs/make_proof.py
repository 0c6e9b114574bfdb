"""Writes the tables of docs/proof.md: `python docs/make_proof.py`. Takes some minutes."""

from collections.abc import Mapping
from pathlib import Path

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.graph import nodes
from even_palette.core.graph.program import program_of
from even_palette.core.graph.reference import Environment, run
from even_palette.core.graph.slots import Slot
from even_palette.core.kit.store import read_kit
from even_palette.core.proof.conditions import Conditions, MapConditions, MapFacts, Use, bytes_of
from even_palette.core.proof.degrade import degraded, degraded_chain
from even_palette.core.proof.errors import colour_errors
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import texel_centres
from even_palette.core.regions.fresh_colours import fresh_id_colours
from even_palette.core.regions.packing import Packing, PackingPlan
from even_palette.core.results.proof import map_bytes, shipped
from even_palette.core.results.proof_errors import errors_of_results
from even_palette.core.results.proof_search import search
from even_palette.core.results.sheets import Sheets
from even_palette.demo import KIT_FOLDER

PAGE = Path(__file__).parent / "proof.md"
SHOWN = {
    "half": "blocks of half a byte", "byte": "blocks of a byte", "mobile": "mobile",
    "wrong_flag": "wrong flag on masks",
}  # fmt: skip
PACKINGS = {
    Packing.PLANES: ("planes of four, or array", ("plain", "BC7")),
    Packing.RGB: ("planes of three", ("plain", "BC1", "BC7", "ETC2 RGB")),
    Packing.PAIRS: ("edge pairs", ("plain",)),
}
SIDE, SOFT = 512, 1.2


def table(*columns: str) -> list[str]:
    """The head of a table."""
    return [f"| {' | '.join(columns)} |", "|---" * len(columns) + "|"]


def sheets_table() -> str:
    """Every sheet of the demo kit under four presets: bytes, and what colour is off in the worst variant."""
    kit, store = read_kit(KIT_FOLDER), Sheets()
    lines = table("sheet", "conditions", "KiB", "of plain", "mean", "95 %", "99.9 %", "worst", "mean at 4")
    for sheet in kit.sheets:
        at = kit.at(sheet.key)
        found = shipped(at, store)
        plain = sum(taken for _, taken in map_bytes(found, Conditions()).values())
        for name, label in SHOWN.items():
            conditions = Conditions(name)
            taken = sum(each for _, each in map_bytes(found, conditions).values())
            errors = errors_of_results(at, store, list(kit.variant_names), conditions, (1, 4))
            colours = [each for each in errors if each.output == "colour"]
            near, far = (
                max((e.spread for e in colours if e.distance == distance), key=lambda spread: spread.mean)
                for distance in (1, 4)
            )
            numbers = f"{near.mean:.2f} | {near.most:.2f} | {near.nearly_all:.2f} | {near.worst:.1f} | {far.mean:.2f}"
            lines.append(f"| {sheet.name} | {label} | {taken / 1024:,.0f} | {taken / plain:.0%} | {numbers} |")
    return "\n".join(lines)


def search_table() -> str:
    """What the search gives for the tug, over all variants."""
    kit, store = read_kit(KIT_FOLDER), Sheets()
    found = search(kit.at("sheet_1"), store, list(kit.variant_names))
    lines = table("KiB", "error")
    for point in found.points[:: max(1, len(found.points) // 10)]:
        lines.append(f"| {point.choice.bytes / 1024:,.0f} | {point.error:.2f} |")
    return "\n".join(lines)


def cells(count: int) -> Floats:
    """Weights (SIDE, SIDE, count) of cells around random points, with edges a texel and a bit soft, adding up to 1."""
    rng = np.random.default_rng(count)
    points = rng.random((count * 3, 2)) * SIDE
    y, x = np.mgrid[:SIDE, :SIDE] + 0.5
    away = np.stack([np.hypot(x - px, y - py) for px, py in points], axis=-1)
    near = np.exp(-(away - away.min(axis=-1, keepdims=True)) / SOFT)
    found = np.stack([near[..., number::count].sum(axis=-1) for number in range(count)], axis=-1)
    return float32(found / found.sum(axis=-1, keepdims=True))


def planes_of(weights: Floats) -> list[Plane]:
    """Weights in planes of four, 8 bits a channel."""
    levels = np.floor(weights * 255 + 0.5).astype(np.uint8)
    parts = [levels[..., first : first + 4] for first in range(0, weights.shape[-1], 4)]
    filled = [np.pad(part, ((0, 0), (0, 0), (0, 4 - part.shape[-1]))) for part in parts]
    return [Plane(np.ascontiguousarray(part), Encoding.DATA) for part in filled]


def stored(slots: Mapping[str, Slot], name: str) -> tuple[dict[str, Slot], int]:
    """The slots of weights in a format, and their bytes; a plane of one channel is in BC4."""
    made, taken = {}, 0
    for slot, held in slots.items():
        plane = held.plane
        facts = MapFacts(Use.WEIGHTS, plane.channels, False, 8, plane.width, plane.height, held.sampler.mips)
        own = MapConditions(name) if name == "plain" or plane.channels > 1 else MapConditions("BC4")
        made[slot] = degraded(held, own, lambda chain, own=own, facts=facts: degraded_chain(chain, own, facts))
        taken += bytes_of(own, facts)
    return made, taken


def weights_table() -> str:
    """Weights of 4, 12 and 30 regions in every packing and format: what the colour loses, plain and renormalized."""
    lines = table("regions", "packing", "format", "KiB", "mean", "99.9 %", "worst", "renormalized", "99.9 %", "sum off")
    uv, pixel = texel_centres(SIDE, SIDE), (1 / SIDE, 0.0, 0.0, 1 / SIDE)
    for count in (4, 12, 30):
        planes, keys = planes_of(cells(count)), tuple(f"r{number}" for number in range(count))
        colours = srgb_to_linear(float32(fresh_id_colours(count)) / 255).tolist()
        meant: Floats | None = None
        for packing, (label, formats) in PACKINGS.items():
            plan = PackingPlan(packing, keys, (SIDE, SIDE))
            parts = [plan.weight(key) for key in keys]
            colour = nodes.total([part * nodes.constant(*each) for part, each in zip(parts, colours, strict=True)])
            program, slots = program_of({"colour": colour, "sum": nodes.total(parts)}), plan.slots(planes)
            for name in formats:
                made, taken = stored(slots, name)
                found = run(program, Environment(uv, made, {}, 0.0, 0.0, pixel))
                meant = found["colour"] if meant is None else meant
                whole = found["colour"] / np.maximum(found["sum"], 1e-3)[..., None]
                plain, again = (
                    colour_errors(meant.reshape(-1, 3), each.reshape(-1, 3))[0] for each in (found["colour"], whole)
                )
                told = f"{plain.mean():.2f} | {np.percentile(plain, 99.9):.1f} | {plain.max():.1f}"
                told += f" | {again.mean():.2f} | {np.percentile(again, 99.9):.1f}"
                off = float(np.abs(found["sum"] - 1).max())
                lines.append(f"| {count} | {label} | {name} | {taken / 1024:,.0f} | {told} | {off:.2f} |")
    return "\n".join(lines)


def main() -> None:
    """Put the tables where the page has marks for them."""
    text = PAGE.read_text()
    for name, make in (("sheets", sheets_table), ("search", search_table), ("weights", weights_table)):
        made = make()
        print(made)
        begin = f"<!-- {name} -->\n"
        first = text.index(begin) + len(begin)
        text = text[:first] + made + "\n" + text[text.index("<!-- end -->", first) :]
    PAGE.write_text(text)


if __name__ == "__main__":
    main()
