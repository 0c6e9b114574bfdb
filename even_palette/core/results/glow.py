"""What a sheet's texels give as light in a variant: what the bake of spilled light is made from."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from msgspec.structs import replace

from even_palette.core.arrays import Floats, float32
from even_palette.core.kit.commands.maps import without_plane
from even_palette.core.kit.model import Bake, Focus
from even_palette.core.kit.owners import OVER, coats_of
from even_palette.core.material.coats import COATS
from even_palette.core.material.model import Bound, PlaneKind, Setting
from even_palette.core.material.variants import MASTER, resolve

if TYPE_CHECKING:
    from even_palette.core.results.sheets import Sheets


def _without(at: Focus, bake: Bake) -> Focus:
    """The kit without coats that read this bake, so that light does not come from what it is to make."""
    return without_plane(at.kit, at.key, PlaneKind.BAKE, bake.key).at(at.key)


def _settings(at: Focus, bake: Bake) -> Mapping[str, Setting]:
    variant = bake.variant if bake.variant in at.kit.variant_names else MASTER
    return resolve(at.kit.parameters, at.kit.variants, variant)


def light_key(at: Focus, bake: Bake) -> tuple[object, ...]:
    """Names the light by what it depends on: coats that glow, their values, and where their regions are."""
    at, settings = _without(at, bake), _settings(at, bake)
    glowing = []
    for owner in (*(region.key for region in at.sheet.regions), OVER + at.key):
        coats = [coat for coat in coats_of(at.kit, owner) if "emission" in COATS[coat.kind].sets and coat.on]
        for coat in coats:
            bound = {v.parameter: settings[v.parameter] for v in coat.values.values() if isinstance(v, Bound)}
            glowing.append((owner, repr(coat), repr(bound)))
    shapes = [repr(replace(region, coats=(), recipe="", own_values={}, name="")) for region in at.sheet.regions]
    maps = [(source.path, source.sha256, source.encoding) for source in at.sheet.sources]  # any may say where it glows
    bakes = [repr(other) for other in at.sheet.bakes if other.key != bake.key]
    return (*glowing, *(shapes if glowing else ()), *maps, *bakes, at.sheet.resolve, at.sheet.unmix, at.sheet.padding)


def light_of(at: Focus, sheets: Sheets, bake: Bake) -> Floats | None:
    """The emission (size, size, 3) float32, linear, of the sheet in the bake's variant; None where nothing glows."""
    from even_palette.core.results.rendering import SheetRender

    ready = SheetRender(_without(at, bake), sheets)
    if "emission" not in ready.outputs:
        return None
    return float32(ready.render(["emission"], _settings(at, bake), (bake.size, bake.size))["emission"])
