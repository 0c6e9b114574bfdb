"""The light of a scene in numbers that are drawn with."""

import math
from dataclasses import replace
from pathlib import Path

import numpy as np

from even_palette.core.errors import FileChanged
from even_palette.core.kit.fingerprints import fingerprint
from even_palette.core.kit.scene import LightKind, SceneLight, Surround, ToneCurve
from even_palette.core.lineup.daylight import Lighting, constant, daylight, night, overcast
from even_palette.core.lineup.surround import surround_atlas
from even_palette.core.material.build import linear_light
from even_palette.core.raster.files import read_plane
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.file_names import name_of
from even_palette.core.results.store import Store

BRIGHTEST = 60_000.0
"""Of a half float, as textures hold them."""


def lighting_of(light: SceneLight, store: Store) -> Lighting | None:
    """The light of a scene; None for the neutral studio, which needs no numbers, and for a picture that is not chosen.

    Raises NotReady, and UserError for a picture that cannot be read.
    """
    match light.kind:
        case LightKind.STUDIO:
            return None
        case LightKind.DAYLIGHT:
            found = daylight(light.hour)
        case LightKind.OVERCAST:
            found = overcast()
        case LightKind.NIGHT:
            found = night()
        case LightKind.PICTURE:
            if light.picture is None:
                return None
            surround = surround_of(light.picture, store)
            found = replace(constant(0.0), surround=surround, turned=math.radians(light.turned))
    return replace(
        found,
        lamps=tuple((lamp.place, linear_light(lamp.colour, lamp.strength)) for lamp in light.lamps),
        stops=light.exposure,
        rolls_off=light.tone == ToneCurve.NEUTRAL,
        sky_behind=light.sky,
    )


def surround_file(path: Path) -> Surround:
    """A picture around a scene, by its file. Raises UserError if that cannot be read."""
    seen = fingerprint(path)
    return Surround(str(path.resolve()), seen.size, seen.sha256)


def surround_of(picture: Surround, store: Store) -> Plane:
    """A picture around a scene as light, see `core/lineup/surround`.

    Raises UserError if its file cannot be read, and FileChanged if it is not what the kit knows.
    """

    def made() -> Plane:
        found = read_plane(Path(picture.path), Encoding.DATA)
        if picture.sha256 not in ("", found.known_id):
            raise FileChanged(picture.path)
        if found.samples.dtype == np.float32:
            light = np.maximum(np.nan_to_num(found.samples, posinf=BRIGHTEST), 0)
        else:
            light = found.with_encoding(Encoding.SRGB).linear()
        if light.shape[-1] < 3:
            light = np.repeat(light[..., :1], 3, axis=-1)
        return Plane(surround_atlas(np.minimum(light[..., :3], BRIGHTEST)), Encoding.LINEAR)

    return store.cache.get(("surround", name_of(picture)), made)
