"""What the channels of an output plan hold on a sheet: each as an array of numbers."""

import re
from collections.abc import Sequence
from functools import cached_property

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.errors import UserError
from even_palette.core.graph import nodes, slots
from even_palette.core.graph.frames import run_frame
from even_palette.core.graph.fused import Frame
from even_palette.core.graph.program import program_of
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.kit.output_plan import Of, PlanChannel, PlanFile
from even_palette.core.kit.sheet import Bake, Tone
from even_palette.core.material.model import PlaneKind, PlaneRef
from even_palette.core.material.outputs import LIGHT, OUTPUTS
from even_palette.core.material.variants import resolve
from even_palette.core.raster.guess import COLOUR_ROLES, Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import SHARP, SMOOTH, Sampler
from even_palette.core.regions.packing import plane_and_channel
from even_palette.core.results.bakes import bake_of
from even_palette.core.results.fine_weights import fine_weights
from even_palette.core.results.id_map import has_masks, mask_size_of
from even_palette.core.results.maps import given_plane, paint_of
from even_palette.core.results.planes import strip_plane, tone_of
from even_palette.core.results.rendering import SheetRender
from even_palette.core.results.sheet_mesh import mesh_on_sheet
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.shown_ids import shown_ids_of
from even_palette.core.results.weights import MOST_MASK_SUM, weights_of
from even_palette.core.tones.kinds import TONES

Size = tuple[int, int]
"""Width and height in texels."""

OF_MASKS = (Of.MASK, Of.PACKED, Of.MASKS, Of.CONSTANT)


class PlanSheet:
    """A sheet, or a twin, whose channels are asked for; what takes long is made once.

    `side` is how wide maps are in texels, 0 for as wide as what they show; `bits` 8, 16, or 32 for floats.
    """

    def __init__(
        self, at: Focus, store: Sheets, side: int, bits: int, row_texels: int = 1, cancel: CancelToken | None = None
    ) -> None:
        self.at, self._store, self._cancel = at, store, cancel
        self._side, self._bits, self._row_texels = side, bits, row_texels
        self._rendered: tuple[object, dict[str, Samples]] = ((), {})

    @cached_property
    def _ready(self) -> SheetRender:
        return SheetRender(self.at, self._store, cancel=self._cancel)

    @cached_property
    def _fine(self) -> list[Samples]:
        return fine_weights(self.at, self._store, self._cancel)

    def size_of(self, file: PlanFile) -> Size:
        """How wide and high a file is in texels. Raises UserError for strips of several lengths."""
        if file.is_strip:
            strips = [strip for channel in file.channels if (strip := self._strip(channel)) is not None]
            sizes = {(strip.width, strip.height * self._row_texels) for strip in strips}
            if len(sizes) > 1:
                raise UserError(f"“{file.name}” is of palettes and ramps that are not of one length.")
            return sizes.pop() if sizes else (1, self._row_texels)
        of_masks = all(channel.of in OF_MASKS for channel in file.channels)
        own = mask_size_of(self.at, self._store) if of_masks else self._ready.size
        return (self._side, max(1, round(self._side * own[1] / own[0]))) if self._side else own

    def gives(self, channel: PlanChannel) -> bool:
        """Whether anything gives a channel here."""
        match channel.of:
            case Of.OUTPUT:
                return channel.name in self._ready.outputs or self._map(channel) is not None
            case Of.MAP:
                return self._map(channel) is not None
            case Of.ALPHA:
                return paint_of(self.at, self._store).channels == 4
            case Of.MASK | Of.PACKED:
                return self._region(channel) is not None
            case Of.MASKS:
                return bool(self.at.sheet.regions) and has_masks(self.at, self._store)
            case Of.ID:
                return bool(self.at.sheet.regions) and shown_ids_of(self.at, self._store) is not None
            case Of.BAKE:
                return self._bake(channel) is not None
            case Of.TONE:
                return self._tone(channel) is not None
            case Of.STRIP:
                return self._strip(channel) is not None
            case Of.UV:
                return mesh_on_sheet(self.at, self._store) is not None
        return False

    def varies(self, channel: PlanChannel) -> bool:
        """Whether a channel may differ from variant to variant: what coats set may, maps and masks do not."""
        return channel.of == Of.OUTPUT and channel.name in self._ready.outputs

    def values(self, channel: PlanChannel, variant: str, asked: Sequence[PlanChannel], size: Size) -> Floats:
        """A channel as it is written, (H, W) float32: light linear for floats, else encoded.

        `asked` are all channels that the variant is asked for; what its material gives is rendered at once.
        """
        if not self.gives(channel):
            return np.full(size[::-1], channel.absent, np.float32)
        if self.varies(channel):
            found, encoded = self._outputs(channel, variant, asked, size)
        else:
            found, encoded = self._read(channel, size), False
        if (channel.low, channel.high) != (0.0, 1.0):
            found = np.clip((found - channel.low) / (channel.high - channel.low), 0, 1)
        found = float32(1 - found if channel.invert else found)
        if is_light(channel) and self._bits < 32 and not encoded:
            found = linear_to_srgb(np.clip(found, 0, 1))
        return found

    def _read(self, channel: PlanChannel, size: Size) -> Floats:
        match channel.of:
            case Of.MASK | Of.PACKED:
                number = self._region(channel)
                assert number is not None
                if self._bits > 8:
                    return self._sampled(Plane(self._fine[number][..., None], Encoding.DATA), 0, size)
                plane, place = plane_and_channel(number)
                return self._sampled(weights_of(self.at, self._store, cancel=self._cancel).packed[plane], place, size)
            case Of.MASKS:
                summed = weights_of(self.at, self._store, cancel=self._cancel).mask_sum
                return np.minimum(self._sampled(summed, 0, size) * MOST_MASK_SUM, 1)
            case Of.ALPHA:
                return self._sampled(paint_of(self.at, self._store), 3, size)
            case Of.ID:
                ids = shown_ids_of(self.at, self._store)
                assert ids is not None
                return self._sampled(ids, channel.part, size, SHARP)
            case Of.BAKE:
                bake = self._bake(channel)
                assert bake is not None
                return self._sampled(bake_of(self.at, self._store, bake, cancel=self._cancel)[0], channel.part, size)
            case Of.TONE:
                tone = self._tone(channel)
                assert tone is not None
                toned = tone_of(self.at, self._store, tone, cancel=self._cancel).with_encoding(Encoding.DATA)
                return self._sampled(toned, channel.part, size, SHARP if TONES[tone.kind].matches else SMOOTH)
            case Of.STRIP:
                strip = self._strip(channel)
                assert strip is not None
                return float32(strip.linear()[..., min(channel.part, 2)].repeat(self._row_texels, axis=0))
            case Of.UV:
                from even_palette.core.mesh.uv_lines import uv_lines

                found = mesh_on_sheet(self.at, self._store)
                assert found is not None
                return uv_lines(found.uv, *size)
        given = self._map(channel)
        assert given is not None
        return self._sampled(given, channel.part, size)

    def _outputs(
        self, channel: PlanChannel, variant: str, asked: Sequence[PlanChannel], size: Size
    ) -> tuple[Floats, bool]:
        """What the material gives, and whether it is in levels: rounded to 8 bits, and light encoded.

        It is where 8 bits are written and no levels stretch them: that is much faster.
        """
        plain = all((each.low, each.high) == (0.0, 1.0) and not (each.invert and is_light(each)) for each in asked)
        wanted = (variant, tuple(asked), size)
        if self._rendered[0] != wanted:
            settings = resolve(self.at.kit.parameters, self.at.kit.variants, variant)
            names = list(dict.fromkeys(each.name for each in asked if self.varies(each)))
            made = self._ready.render(names, settings, size, self._bits == 8 and plain, cancel=self._cancel)
            self._rendered = wanted, made
        found = self._rendered[1][channel.name][..., channel.part]
        in_levels = found.dtype == np.uint8
        return (float32(found) / np.float32(255) if in_levels else float32(found)), in_levels

    def _map(self, channel: PlanChannel) -> Plane | None:
        """The map that gives what a channel asks for, if there is one."""
        role = OUTPUTS[channel.name].role if channel.of == Of.OUTPUT else Role(channel.name)
        return given_plane(self.at, role, self._store) if role is not None else None

    def _region(self, channel: PlanChannel) -> int | None:
        """The number of the region whose mask a channel is."""
        if not has_masks(self.at, self._store):
            return None
        sheet, name = self.at.sheet, channel.name
        if channel.of == Of.PACKED:
            place = int(name) if re.fullmatch("[0-9]{1,3}", name) else 0
            keys = [region.key for region in sheet.regions]
            return keys.index(sheet.channel_order[place - 1]) if 0 < place <= len(keys) else None
        return next((n for n, region in enumerate(sheet.regions) if name in (region.key, region.name)), None)

    def _bake(self, channel: PlanChannel) -> Bake | None:
        on_mesh = mesh_on_sheet(self.at, self._store) is not None
        return next((bake for bake in self.at.sheet.bakes if on_mesh and bake.key == channel.name), None)

    def _tone(self, channel: PlanChannel) -> Tone | None:
        return next((tone for tone in self.at.sheet.tones if channel.name in (tone.key, tone.name)), None)

    def _strip(self, channel: PlanChannel) -> Plane | None:
        kit = self.at.kit
        for kind, strips in ((PlaneKind.PALETTE, kit.palettes), (PlaneKind.RAMP, kit.ramps)):
            for strip in strips:
                if channel.name in (strip.key, strip.name):
                    return strip_plane(self.at, self._store, PlaneRef(kind, strip.key))
        return None

    def _sampled(self, plane: Plane, channel: int, size: Size, sampler: Sampler = SMOOTH) -> Floats:
        """A channel of a plane, or its last one, at every texel, by the filter and the mips of a runtime."""
        read = nodes.texture("map", nodes.uv())["xyzw"[min(channel, plane.channels - 1)]]
        program, slot = program_of({"value": read}), slots.of(plane, sampler)
        return float32(run_frame(program, {"map": slot}, {}, Frame(*size), cancel=self._cancel)["value"][..., 0])


def is_light(channel: PlanChannel) -> bool:
    """Whether a channel holds light, which 8 and 16 bits hold encoded."""
    match channel.of:
        case Of.MAP:
            return channel.name in COLOUR_ROLES
        case Of.OUTPUT:
            return channel.name in LIGHT
    return channel.of == Of.STRIP
