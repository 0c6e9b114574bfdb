"""Strips of colours, dark to light: what typical texels of a region are, and what its coats make of them."""

from collections.abc import Callable
from dataclasses import dataclass, replace

from msgspec.structs import replace as replace_

from even_palette.core.arrays import Floats, Levels, float32
from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import SheetOwner, coats_of, followed_by
from even_palette.core.kit.model import Focus, Kit
from even_palette.core.material.build import Dressed
from even_palette.core.material.coats import COATS
from even_palette.core.material.model import Coat
from even_palette.core.material.variants import MASTER, resolve
from even_palette.core.raster.plane import rgb_of, to_levels8
from even_palette.core.results.base_colour import base_colour_of
from even_palette.core.results.made_of import sampled_made_of
from even_palette.core.results.materials import colours_in_coats, dressed
from even_palette.core.results.planes import plane_of
from even_palette.core.results.store import Store
from even_palette.core.results.typical_texels import SPOTS_A_TONE, TONES, owner_row, typical_texels
from even_palette.core.results.weights import weights_name


@dataclass(frozen=True)
class _Spots:
    """Typical texels of an owner with the coats that it wears, and a name for all that they are made of."""

    region: Dressed
    uv: Floats
    name: tuple[object, ...]


def _spots(at: Focus, store: Store, owner: SheetOwner, first: int | None) -> _Spots:
    """For the thread that only looks they are remembered: what variants set is none of it."""

    def find() -> _Spots:
        region, uv = dressed(at, store, owner), typical_texels(at, store)[owner_row(at, owner)]
        if first is not None:
            region = replace(region, coats=region.coats[:first], means=region.means[:first])
        refs = [use.plane for coat in region.coats for use in (*coat.planes.values(), coat.pattern) if use]
        planes = tuple(plane_of(at, store, ref).content_id for ref in refs)
        return _Spots(region, uv, (base_colour_of(at, store).content_id, uv.tobytes(), repr(region), planes))

    if not store.cache.is_looked_at:
        return find()
    return store.seen.get(("spots", at.key, owner, first), sampled_made_of(at), find)


def paint_strip(at: Focus, store: Store, owner: SheetOwner) -> Levels:
    """The paint of a region from dark to light, as it is; (24, 3) uint8, encoded."""
    base, spots = base_colour_of(at, store), _spots(at, store, owner, 0)

    def pick() -> Levels:
        rows, columns = (spots.uv[:, 1] * base.height).astype(int), (spots.uv[:, 0] * base.width).astype(int)
        return _as_strip(float32(rgb_of(base.fetch(rows, columns))))

    return store.cache.get(("paint strip", base.content_id, spots.uv.tobytes()), pick)


def coat_strip(at: Focus, store: Store, owner: SheetOwner, variant: str, first: int | None = None) -> Levels:
    """Typical texels of an owner in its coats as a variant wears them, dark to light; (24, 3) uint8, encoded.

    With `first`, in so many of its coats alone.
    """
    spots = _spots(at, store, owner, first)
    settings = resolve(at.kit.parameters, at.kit.variants, variant)
    bound = [(name, settings[name]) for name in sorted(followed_by(spots.region.coats))]
    return store.cache.get(
        ("strip", *spots.name, repr(bound)),
        lambda: _as_strip(colours_in_coats(at, store, spots.region, settings, spots.uv)),
    )


def strip_after(
    at: Focus, store: Store, owner: SheetOwner, variant: str, change: Callable[[Kit], Kit]
) -> Levels | None:
    """The same after a change of the kit; None where that cannot be."""
    try:
        return coat_strip(change(at.kit).at(at.key, at.twin), store, owner, variant)
    except UserError:
        return None


def strip_with(at: Focus, store: Store, owner: SheetOwner, variant: str, coat: Coat) -> Levels | None:
    """The same with one more coat on top, in the values that its kind is shown with; None where it cannot be worn."""
    worn = replace_(coat, values={**COATS[coat.kind].shown, **coat.values})
    return strip_after(at, store, owner, variant, commands.add_coat(owner, worn).apply)


def strip_made_of(at: Focus, store: Store, owner: SheetOwner, variant: str) -> tuple[object, ...]:
    """All that the strip of an owner in a variant is made of; equal where it is the same."""
    kit, sheet, coats = at.kit, at.sheet, coats_of(at.kit, owner)
    worn_in = [resolve(kit.parameters, kit.variants, key) for key in (variant, MASTER)]
    planes = (sheet.sources, sheet.bakes, sheet.tones, sheet.base_tone, kit.palettes, kit.ramps)
    values = tuple((key, *(settings[key] for settings in worn_in)) for key in sorted(followed_by(coats)))
    return coats, values, planes, weights_name(at, store), kit.blending


def _as_strip(colours: Floats) -> Levels:
    return to_levels8(linear_to_srgb(float32(colours.reshape(TONES, SPOTS_A_TONE, 3).mean(axis=1))))
