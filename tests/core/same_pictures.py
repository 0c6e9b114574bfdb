"""What the demo kit gives, small enough to keep: every output of every sheet in every variant, weights and bakes.

`python -m tests.core.same_pictures` writes it anew.
"""

import hashlib
from pathlib import Path

import numpy as np

from even_palette.core.arrays import Levels
from even_palette.core.kit.store import read_kit
from even_palette.core.material.variants import MASTER
from even_palette.core.results.bakes import bake_of
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.looks.surface import surface_outputs
from even_palette.core.results.pictures import render_reference, whole_sheet
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.weights import weights_of
from even_palette.demo import KIT_FOLDER

KEPT = Path(__file__).parent / "data" / "demo_pictures.npz"
SIDE = 37


def pictures(sheets: Sheets) -> dict[str, Levels]:
    """By sheet, variant and output, (37, 37, 3) uint8; the names of weights and bakes as bytes."""
    found: dict[str, Levels] = {}
    kit = read_kit(KIT_FOLDER)
    for sheet in kit.sheets:
        at = kit.at(sheet.key)
        for variant in (MASTER, *(one.key for one in kit.variants)):
            looks = [Look(variant=variant), *(Look("surface", variant, output=o) for o in surface_outputs(at))]
            for look in looks:
                shown = picture(at, sheets, look)
                kind = "surface value" if look.kind == "surface" else look.kind
                found[f"{sheet.key} {variant} {kind} {look.output}"] = render_reference(
                    shown, whole_sheet(SIDE, SIDE), True
                )
        found[f"{sheet.key} weights"] = _named(
            b"".join(plane.samples.tobytes() for plane in weights_of(at, sheets).packed)
        )
        for bake in sheet.bakes:
            found[f"{sheet.key} {bake.key}"] = _named(bake_of(at, sheets, bake)[0].samples.tobytes())
    return found


def _named(data: bytes) -> Levels:
    return np.frombuffer(hashlib.sha256(data).digest(), dtype=np.uint8)


if __name__ == "__main__":
    np.savez_compressed(KEPT, **pictures(Sheets()))  # type: ignore[arg-type]
    print(KEPT.stat().st_size)
