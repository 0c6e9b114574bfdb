"""The light of a scene in numbers that are drawn with."""

from dataclasses import replace

from even_palette.core.kit.scene import LightKind, SceneLight, ToneCurve
from even_palette.core.lineup.daylight import Lighting, daylight, night, overcast
from even_palette.core.material.build import linear_setting


def lighting_of(light: SceneLight) -> Lighting | None:
    """The light of a scene; None for the neutral studio, which needs no numbers."""
    match light.kind:
        case LightKind.STUDIO:
            return None
        case LightKind.DAYLIGHT:
            found = daylight(light.hour)
        case LightKind.OVERCAST:
            found = overcast()
        case LightKind.NIGHT:
            found = night()
    lamps = []
    for lamp in light.lamps:
        colour = linear_setting(lamp.colour)
        assert isinstance(colour, tuple)
        red, green, blue = (part * lamp.strength for part in colour)
        lamps.append((lamp.place, (red, green, blue)))
    return replace(
        found,
        lamps=tuple(lamps),
        stops=light.exposure,
        rolls_off=light.tone == ToneCurve.NEUTRAL,
        sky_behind=light.sky,
    )
