"""Tints that land far from the chosen swatch, because the paint under them has a colour of its own or is too dark."""

from collections.abc import Iterator

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.checks._finding import Finding, Mend, Severity
from even_palette.core.colour.ciede2000 import ciede2000
from even_palette.core.colour.cielab import linear_to_cielab
from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import coats_of
from even_palette.core.kit.commands import read_cell
from even_palette.core.kit.model import Focus
from even_palette.core.material.variants import resolve_all
from even_palette.core.raster.plane import rgb_of
from even_palette.core.raster.sampling import sample
from even_palette.core.results.base_colour import base_colour_of
from even_palette.core.results.means import means_of
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.typical_texels import typical_texels

FAR = 20.0
"""CIEDE2000 between the swatch and the mean of a tinted region from which it is told."""
WHITE, LIGHT = 0.97, 0.95


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """Regions whose first coat is a plain tint that lands far from its swatch, in the variant where it is worst."""
    every = resolve_all(at.kit.parameters, at.kit.variants)
    try:
        worn = {region.key: coats_of(at.kit, region.key)[0] for region in at.sheet.regions}
        firsts = {key: coat.kind if coat.on else "" for key, coat in worn.items()}
        if "tint" not in firsts.values():
            return
        places, means, base = typical_texels(at, sheets), means_of(at, sheets), base_colour_of(at, sheets)
        for number, region in enumerate(at.sheet.regions):
            if firsts[region.key] != "tint":
                continue
            worst, where, colour = 0.0, "", (0.0, 0.0, 0.0)
            for variant, settings in every.items():
                cell = read_cell(at.kit, region.key, variant, settings)
                chosen = cell.settings[0]["colour"]
                assert isinstance(chosen, tuple)
                if cell.choices[0]["mode"] != "plain" or min(chosen) > WHITE or cell.settings[0]["strength"] != 1.0:
                    continue
                missed = float(_missed(means[number], float32(chosen)))
                if missed > worst:
                    worst, where, colour = missed, variant, chosen
            if worst < FAR:
                continue
            tones = float32(rgb_of(sample(base, places[number])))
            dark, light = (_missed(tones[part].mean(axis=0), float32(colour)) for part in _tenths(len(tones)))
            yield Finding(
                "Tones", Severity.NOTE,
                f"{region.name} in {at.kit.variant_names[where]}: the tint lands {worst:.0f} ΔE from its swatch "
                f"(darkest tenth {dark:.0f}, lightest {light:.0f}).",
                region.key, "result",
                mend=Mend("Make it a true tint", commands.set_choice(region.key, "mode", "luminance")),
                other=Mend("Take the colour out of the paint", commands.take_colour_out(at.key, [region.key], LIGHT)),
                variant=where,
            )  # fmt: skip
    except UserError:
        return


def _missed(paint: Floats, encoded: Floats) -> Floats:
    """CIEDE2000 between a swatch and what it makes of linear paint."""
    swatch = srgb_to_linear(encoded)
    return ciede2000(linear_to_cielab(float32(paint * swatch)), linear_to_cielab(swatch))


def _tenths(count: int) -> tuple[slice, slice]:
    part = max(1, int(np.ceil(count / 10)))
    return slice(0, part), slice(count - part, count)
