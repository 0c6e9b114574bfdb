"""Strips of colours, dark to light: what typical texels of a region are, and what its coats make of them."""

from dataclasses import replace

from even_palette.core.arrays import Floats, Levels, float32
from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.kit.coat_owners import SheetOwner, coats_of
from even_palette.core.kit.model import Focus
from even_palette.core.material.model import Bound
from even_palette.core.material.variants import MASTER, resolve
from even_palette.core.raster.plane import rgb_of, to_levels8
from even_palette.core.results.base_colour import base_colour_of
from even_palette.core.results.materials import colours_in_coats, dressed
from even_palette.core.results.planes import plane_of
from even_palette.core.results.store import Store
from even_palette.core.results.typical_texels import SPOTS_A_TONE, TONES, owner_row, typical_texels
from even_palette.core.results.weights import weights_name


def paint_strip(at: Focus, store: Store, owner: SheetOwner) -> Levels:
    """The paint of a region from dark to light, as it is; (24, 3) uint8, encoded."""
    uv = typical_texels(at, store)[owner_row(at, owner)]
    base = base_colour_of(at, store)
    rows, columns = (uv[:, 1] * base.height).astype(int), (uv[:, 0] * base.width).astype(int)
    return _as_strip(float32(rgb_of(base.fetch(rows, columns))))


def coat_strip(at: Focus, store: Store, owner: SheetOwner, variant: str, first: int | None = None) -> Levels:
    """Typical texels of an owner in its coats as a variant wears them, dark to light; (24, 3) uint8, encoded.

    With `first`, in so many of its coats alone.
    """
    region = dressed(at, store, owner)
    if first is not None:
        region = replace(region, coats=region.coats[:first], means=region.means[:first])
    settings = resolve(at.kit.parameters, at.kit.variants, variant)
    bound = {use.parameter: settings[use.parameter] for coat in region.coats for use in coat.values.values()
             if isinstance(use, Bound)}  # fmt: skip
    uv = typical_texels(at, store)[owner_row(at, owner)]
    refs = [use.plane for coat in region.coats for use in (*coat.planes.values(), coat.pattern) if use]
    planes = [plane_of(at, store, ref).content_id for ref in refs]
    key = ("strip", base_colour_of(at, store).content_id, uv.tobytes(), repr(region), repr(bound), tuple(planes))
    return store.cache.get(key, lambda: _as_strip(colours_in_coats(at, store, region, settings, uv)))


def strip_made_of(at: Focus, store: Store, owner: SheetOwner, variant: str) -> tuple[object, ...]:
    """All that the strip of an owner in a variant is made of; equal where it is the same."""
    kit, sheet, coats = at.kit, at.sheet, coats_of(at.kit, owner)
    bound = {value.parameter for coat in coats for value in coat.values.values() if isinstance(value, Bound)}
    worn_in = [resolve(kit.parameters, kit.variants, key) for key in (variant, MASTER)]
    planes = (sheet.sources, sheet.bakes, sheet.tones, sheet.base_tone, kit.palettes, kit.ramps)
    values = tuple((key, *(settings[key] for settings in worn_in)) for key in sorted(bound))
    return coats, values, planes, weights_name(at, store), kit.blending


def _as_strip(colours: Floats) -> Levels:
    return to_levels8(linear_to_srgb(float32(colours.reshape(TONES, SPOTS_A_TONE, 3).mean(axis=1))))
