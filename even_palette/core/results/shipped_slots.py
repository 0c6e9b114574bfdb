"""The planes of a material as they ship: channels that nothing reads are left out, floats of colour are encoded."""

from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np

from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.graph.program import Program
from even_palette.core.graph.slots import Slot
from even_palette.core.material.build import BASE_SLOT
from even_palette.core.raster.chain import Chain
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.store import Store


def shipped_base(plane: Plane) -> Plane:
    """The base colour as a PNG can hold it: integer levels as they are, floats as 16-bit sRGB."""
    if plane.samples.dtype != np.float32:
        return plane
    encoded = np.clip(plane.linear(), 0, 1)
    encoded[..., :3] = linear_to_srgb(encoded[..., :3])
    return Plane(np.asarray(encoded * 65535 + 0.5, dtype=np.uint16), Encoding.SRGB)


def as_shipped(store: Store, program: Program, name: str, slot: Slot) -> Slot:
    """A slot as it ships: without the last channels where nothing reads them."""
    read = program.channels[name]
    planes = slot.planes
    if name == BASE_SLOT:
        painted = slot.plane
        planes = (store.cache.get(("shipped base", painted.content_id), lambda: shipped_base(painted)),)
    count = planes[0].channels
    least = 3 if planes[0].encoding == Encoding.SRGB else 1  # there is no texture of one sRGB channel
    wanted = next((few for few in (1, 3) if least <= few < count and few > max(read, default=0)), count)
    if count == 4 and wanted == 4 and all(_is_opaque(store, plane) for plane in planes):
        wanted = 3  # a channel that is not there reads as 1
    if wanted == count:
        return replace(slot, chains=tuple(Chain(plane, keeps=slot.chain.keeps) for plane in planes))

    def part(plane: Plane) -> Plane:
        return plane.made(lambda samples: np.ascontiguousarray(samples[..., :wanted]), plane.encoding)

    kept = [store.cache.get(("channels", plane.content_id, wanted), partial(part, plane)) for plane in planes]
    return replace(slot, chains=tuple(Chain(plane, keeps=slot.chain.keeps) for plane in kept))


def _is_opaque(store: Store, plane: Plane) -> bool:
    def look() -> np.ndarray[Any, Any]:
        alpha = plane.samples[..., 3]
        return np.array([(alpha == (1.0 if alpha.dtype.kind == "f" else np.iinfo(alpha.dtype).max)).all()])

    return bool(store.cache.get(("opaque", plane.content_id), look)[0])
