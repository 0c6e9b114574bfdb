"""Planes as textures, tile by tile: what a texture holds already is never uploaded again.

sRGB colour is stored as 16-bit UNORM linear light, so filters and mips work on light: the decoding samplers of drivers
may be off by a level and more in the darks (0.0012 measured on a software rasterizer). Mips are made by
`core/raster/chain`, a part of each for every tile, so that a change of one tile writes little.
"""

import time
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any
from weakref import WeakKeyDictionary

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.graph.slots import Slot
from even_palette.core.memory_account import ACCOUNT, Account
from even_palette.core.raster.chain import Chain
from even_palette.core.raster.mips import level_count, own_levels
from even_palette.core.raster.sampling import Filter, Sampler, Wrap
from even_palette.gl import raw

MOST_ALIKE = 4
"""Textures of one shape that are kept beside each other before one is written over."""
LEAST_SHARED = 0.25
"""Where fewer of the tiles are the same, a texture of its own is made while there may be more."""

Shape = tuple[int, int, int, int, str, bool]


@dataclass(eq=False)
class _Held:
    """A texture with what its tiles hold, by layer and place, the content that it is for, and whether all is there."""

    texture: Any
    shape: Shape
    names: dict[tuple[int, int, int], str] = field(default_factory=dict)
    last_own: list[Samples] = field(default_factory=list)
    content: str = ""
    filled: bool = False
    used: int = 0


class Textures:
    """Textures of slots, as much as memory allows. Lives on the thread of the context. `uploaded` counts tiles."""

    label, share = "Textures", 0.3

    def __init__(self, context: Any, account: Account = ACCOUNT) -> None:
        self._context, self._account = context, account
        self._held: list[_Held] = []
        self._kept_for: dict[str, set[str]] = {}
        self._clock = 0
        self._begun = 0
        self.uploaded = 0
        self.bytes = 0
        account.open(self)

    def settle(self) -> None:
        """Let go of what is more than the account allows: with the next drawing, on the thread of the context."""

    def begin(self) -> None:
        """From here on, textures that are asked for stay as they are until the next beginning."""
        self._begun = self._clock

    def of(self, slot: Slot) -> Any:
        """The texture of a slot, with all of its tiles."""
        held = self._place(slot)
        self._fill(held, slot, float("inf"))
        return held.texture

    def fits(self, slots: Iterable[Slot]) -> bool:
        """Whether the textures of these keep to the share that is always their own."""
        return sum(_bytes(_shape(slot)) for slot in slots) <= self._account.budget * self.share

    def ready(self, slots: list[Slot], seconds: float, purpose: str) -> bool:
        """Upload tiles for at most so long; whether all are there.

        What is there for a purpose stays until something else is: it is drawn again and again.
        """
        deadline = time.monotonic() + seconds
        self._kept_for[purpose] = {slot.content_id for slot in slots}
        self.begin()
        there = all(self._fill(self._place(slot), slot, deadline) for slot in slots)
        if there:
            self._forget_old(0)
        return there

    def _place(self, slot: Slot) -> _Held:
        """The texture that holds the slot, or the one that is written over with least to do."""
        self._clock += 1
        shape = _shape(slot)
        alike = [held for held in self._held if held.shape == shape]
        found = next((held for held in alike if held.content == slot.content_id), None)
        alike = [held for held in alike if held.used <= self._begun]
        if found is None and alike:
            names = _names(slot)
            shared = {id(held): sum(held.names.get(at) == name for at, name in names.items()) for held in alike}
            best = max(alike, key=lambda held: (shared[id(held)], -held.used))
            full = len(alike) >= MOST_ALIKE or self.bytes + _bytes(shape) > self._account.allowed(self)
            if shared[id(best)] >= LEAST_SHARED * len(names) or full:
                found = best if shared[id(best)] else min(alike, key=lambda held: held.used)
        if found is None:
            self._forget_old(_bytes(shape))
            found = self._allocate(shape)
            self._held.append(found)
            self.bytes += _bytes(shape)
            self._account.settle()
        found.used = self._clock
        if found.content != slot.content_id:
            found.content, found.filled = slot.content_id, False
        return found

    def _allocate(self, shape: Shape) -> _Held:
        width, height, layers, channels, kind, mips = shape
        dtype = {"u1": "f1", "u2": "nu2", "f4": "f4"}[kind]
        if layers:
            texture = self._context.texture_array((1, 1, layers), channels, alignment=1, dtype=dtype)
        else:
            texture = self._context.texture((1, 1), channels, alignment=1, dtype=dtype)
        held = _Held(texture, shape)
        texture.use(0)
        if mips:  # told before its size, so that drivers make room for all levels at once and never move the first
            texture.filter = self._context.LINEAR_MIPMAP_LINEAR, self._context.LINEAR
        for level in range(level_count(height, width) if mips else 1):
            raw.allocate(level, max(1, width >> level), max(1, height >> level), layers, channels, kind)
        own = own_levels(height, width)
        small = (max(1, height >> own), max(1, width >> own), channels)
        held.last_own = [np.zeros(small, dtype=f"<{kind}") for _ in range(max(1, layers))]
        return held

    def _fill(self, held: _Held, slot: Slot, deadline: float) -> bool:
        """Write the tiles that the texture does not have yet; False if time ran out."""
        if held.filled:
            return True
        held.texture.use(0)
        *_, mips = held.shape
        for layer, chain in enumerate(slot.chains):
            own, at_layer, changed = chain.own, (layer if slot.is_array else -1), False
            for spot in chain.spots:
                place, name = (layer, spot.down, spot.across), chain.tile_name(spot)
                if held.names.get(place) == name:
                    continue
                parts = chain.parts(spot)
                for level, part in enumerate(parts[: own + 1] if mips else parts[:1]):
                    raw.write(level, spot.left >> level, spot.top >> level, at_layer, part)
                if mips and len(parts) > own:
                    top, left = spot.top >> own, spot.left >> own
                    height, width = parts[own].shape[:2]
                    held.last_own[layer][top : top + height, left : left + width] = parts[own]
                held.names[place] = name
                self.uploaded += 1
                changed = True
                if time.monotonic() > deadline:
                    self._write_rest(held, chain, layer, at_layer)
                    return False
            if changed:
                self._write_rest(held, chain, layer, at_layer)
        held.filled = True
        return True

    def _write_rest(self, held: _Held, chain: Chain, layer: int, at_layer: int) -> None:
        if held.shape[5]:
            for number, level in enumerate(chain.after_own(held.last_own[layer]), chain.own + 1):
                raw.write(number, 0, 0, at_layer, level)

    def _forget_old(self, needed: int) -> None:
        """Make room; what was asked for since the last beginning stays, and what is there for a purpose."""
        most = self._account.allowed(self) - needed
        staying = set().union(*self._kept_for.values())
        for held in sorted(self._held, key=lambda held: held.used):
            if self.bytes <= most or held.used > self._begun:
                return
            if held.content in staying:
                continue
            self._held.remove(held)
            held.texture.release()
            self.bytes -= _bytes(held.shape)

    def release(self) -> None:
        """Free all textures."""
        for held in self._held:
            held.texture.release()
        self._held.clear()
        self._kept_for.clear()
        self.bytes = 0


_SHAPES: WeakKeyDictionary[Slot, Shape] = WeakKeyDictionary()
"""Asked for at every frame."""


def _shape(slot: Slot) -> Shape:
    if slot not in _SHAPES:
        plane = slot.plane
        layers = len(slot.chains) if slot.is_array else 0
        kind = slot.chain.kind.str[1:]
        _SHAPES[slot] = plane.width, plane.height, layers, plane.channels, kind, slot.sampler.mips
    return _SHAPES[slot]


def _names(slot: Slot) -> dict[tuple[int, int, int], str]:
    return {
        (layer, spot.down, spot.across): chain.tile_name(spot)
        for layer, chain in enumerate(slot.chains)
        for spot in chain.spots
    }


def _bytes(shape: Shape) -> int:
    width, height, layers, channels, kind, _ = shape
    texel = (4 if channels == 3 else channels) * int(kind[1])
    return width * height * max(1, layers) * texel * 4 // 3


class Samplers:
    """Sampler objects by what they say. Lives on the thread of the context."""

    def __init__(self, context: Any) -> None:
        self._context = context
        self._kept: dict[Sampler, Any] = {}

    def of(self, sampler: Sampler) -> Any:
        """The sampler object. Mirrors are turned over by the expressions themselves, so that they clamp here."""
        if sampler not in self._kept:
            context, sharp = self._context, sampler.filter == Filter.NEAREST
            near = context.NEAREST if sharp else context.LINEAR
            far = context.NEAREST_MIPMAP_NEAREST if sharp else context.LINEAR_MIPMAP_LINEAR
            repeat = sampler.wrap == Wrap.REPEAT
            made = self._kept[sampler] = context.sampler(
                repeat_x=repeat, repeat_y=repeat, filter=(far if sampler.mips else near, near),
                anisotropy=float(1 if sharp or not sampler.mips else sampler.anisotropy),
            )  # fmt: skip
            if sampler.bias:
                made.use(0)
                raw.set_bias(sampler.bias)
                made.clear(0)
        return self._kept[sampler]

    def release(self) -> None:
        """Free all of them."""
        for kept in self._kept.values():
            kept.release()
        self._kept.clear()
