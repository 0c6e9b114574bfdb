"""Scenes: what stands in a lineup, as part of the kit."""

from enum import StrEnum
from typing import Annotated

import msgspec
from msgspec import Meta

from even_palette.core.limits import MOST_INSTANCES, MOST_LAMPS, MOST_PLACINGS
from even_palette.core.material.model import Colour, Seconds, Setting, Track
from even_palette.core.ranges import END, Key, Natural, NoKey, Share

FARTHEST = 100_000.0
Metres = Annotated[float, Meta(ge=-FARTHEST, le=FARTHEST)]
Degrees = Annotated[float, Meta(ge=-100_000, le=100_000)]
Scale = Annotated[float, Meta(ge=1e-3, le=1e3)]
Place = tuple[Metres, Metres, Metres]
Seed = Annotated[int, Meta(ge=0, le=9999)]
Number = Annotated[str, Meta(pattern=f"^(0|[1-9][0-9]{{0,4}}){END}")]
"""The number of an instance in its placing, from 0, as text: names of objects in JSON are."""
Count = Annotated[int, Meta(ge=0, le=MOST_INSTANCES)]


class ToldApart(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """How far variants shall lie apart: the least CIEDE2000 of any two, 0 for none that is asked for.

    It counts for those who see all colours, and for those with a deficiency of this severity.
    """

    least: Annotated[float, Meta(ge=0, le=100)] = 0.0
    severity: Share = 1.0


class Own(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What one instance has of its own, None for what its placing gives it. Place in metres, turn in degrees.

    Its `seed` is what materials draw by, 0..1. One that is `locked` keeps what it has when others are drawn anew; one
    that is `gone` does not stand there. `values` are by parameter, by key, on top of those of its variant; `tracks` say
    what parameters are over time.
    """

    seed: Share | None = None
    variant: NoKey | None = None
    values: dict[Key, Setting] = {}
    tracks: dict[Key, Track] = {}
    place: Place | None = None
    turn: Degrees | None = None
    scale: Scale | None = None
    locked: bool = False
    gone: bool = False


class Spot(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Where an instance of a list stands: place in metres, turn in degrees about the upright axis, scale."""

    place: Place
    turn: Degrees = 0.0
    scale: Scale = 1.0


class Placing(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Instances of one mesh, placed by a kind of `core/lineup/placings` with its settings, about a `place` in metres.

    `shares` say how many of them are in which variant, by key, "" for the master; without any all are in the master.
    Places by chance follow from `seed`, and what materials draw and who is in which variant from `draw`; both with the
    key, or that of `drawn_as` where it was copied, and the number of an instance alone. `own` has what single ones have
    otherwise, by number. A list has its `spots`, and as many instances.
    """

    key: Key
    name: str
    kind: str
    mesh: Key
    count: Count = 1
    seed: Seed = 1
    draw: Seed = 1
    shares: dict[NoKey, Share] = {}
    values: dict[str, float | str] = {}
    place: Place = (0.0, 0.0, 0.0)
    spots: Annotated[tuple[Spot, ...], Meta(max_length=MOST_INSTANCES)] = ()
    own: dict[Number, Own] = {}
    drawn_as: NoKey = ""


class LightKind(StrEnum):
    """What lights a scene: the neutral studio of all models, sun and sky by the hour, an overcast sky, lamps alone, or
    a picture all around it.
    """

    STUDIO = "studio"
    DAYLIGHT = "daylight"
    OVERCAST = "overcast"
    NIGHT = "night"
    PICTURE = "picture"


class ToneCurve(StrEnum):
    """What becomes of light that is too bright: cut off, or rolled off by Khronos PBR Neutral (2024)."""

    NONE = "none"
    NEUTRAL = "neutral"


class Lamp(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A lamp at a place in metres: an encoded sRGB colour times its strength is what it gives at a metre."""

    place: Place
    colour: Colour = (1.0, 0.82, 0.55)
    strength: Annotated[float, Meta(ge=0, le=1000)] = 4.0


class Surround(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A picture all around a scene that the kit reads from a file; path as for maps. Equirectangular, see
    `core/lineup/surround`; floats are linear light, all else is encoded sRGB.
    """

    path: str
    size: Natural = 0
    sha256: str = ""


class SceneLight(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """The light of a scene. Only daylight has an `hour`, of solar time, and only a picture is `turned`, by degrees
    about the upright axis; `exposure` is in stops. With `sky` that, or the picture, is seen behind all. The studio has
    none of these, and no lamps.
    """

    kind: LightKind = LightKind.STUDIO
    hour: Annotated[float, Meta(ge=0, le=24)] = 10.0
    exposure: Annotated[float, Meta(ge=-10, le=10)] = 0.0
    tone: ToneCurve = ToneCurve.NONE
    sky: bool = False
    lamps: Annotated[tuple[Lamp, ...], Meta(max_length=MOST_LAMPS)] = ()
    picture: Surround | None = None
    turned: Degrees = 0.0


class Camera(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Where a scene is looked at from: towards a point in metres, from a distance, turned about the upright axis and
    lifted by degrees.
    """

    target: Place = (0.0, 0.0, 0.0)
    yaw: Degrees = 37.0
    pitch: Annotated[float, Meta(ge=-89, le=89)] = 22.0
    distance: Annotated[float, Meta(gt=0, le=FARTHEST)] = 10.0


class Scene(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A lineup: its placings, the light on them, the view that was kept of them, and the time in seconds in it."""

    key: Key
    name: str
    placings: Annotated[tuple[Placing, ...], Meta(max_length=MOST_PLACINGS)] = ()
    light: SceneLight = SceneLight()
    camera: Camera | None = None
    time: Seconds = 0.0

    def placing(self, key: str) -> Placing:
        """The placing with this key. Raises KeyError if there is none."""
        for placing in self.placings:
            if placing.key == key:
                return placing
        raise KeyError(key)
