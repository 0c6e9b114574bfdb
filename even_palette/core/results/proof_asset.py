"""What the textures of a whole kit take in a runtime, map by map, and in how many draws its meshes are drawn."""

from dataclasses import dataclass

from even_palette.core.errors import NotReady, UserError
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.model import Kit
from even_palette.core.proof.conditions import MapConditions, sizes_of
from even_palette.core.results.proof import map_bytes, map_label, shipped
from even_palette.core.results.sheet_mesh import parts_of
from even_palette.core.results.store import Store


@dataclass(frozen=True)
class MapSize:
    """A map of a sheet, by its key and slot, with what is done to it; its size in texels, levels, layers and bytes."""

    sheet: str
    slot: str
    label: str
    conditions: MapConditions
    width: int
    height: int
    levels: int
    layers: int
    bytes: int


@dataclass(frozen=True)
class Asset:
    """All maps of a kit under the conditions of their sheets; `draws` is each part of a mesh with each sheet or twin
    that it wears. `lacking` are sheets by key whose maps cannot be read, with why.
    """

    maps: tuple[MapSize, ...]
    draws: int
    lacking: dict[str, str]

    @property
    def bytes(self) -> int:
        """Of all maps, with their levels."""
        return sum(each.bytes for each in self.maps)

    def share(self, budget: int) -> float:
        """Of a budget in bytes, what all maps take."""
        return self.bytes / budget if budget else 0.0


def asset_of(kit: Kit, store: Store, progress: Progress = silent, cancel: CancelToken | None = None) -> Asset:
    """The whole of a kit; sheets without maps and regions have none. Raises Cancelled."""
    maps, lacking, draws = list[MapSize](), dict[str, str](), 0
    for number, sheet in enumerate(kit.sheets):
        if cancel:
            cancel.check()
        progress(number / len(kit.sheets), sheet.name)
        if not (sheet.sources or sheet.regions):
            continue
        at = kit.at(sheet.key)
        try:
            found = shipped(at, store)
            draws += sum(len(parts_of(at, store, mesh.key)) for mesh in kit.meshes_on(sheet.key))
        except NotReady:
            raise
        except UserError as error:
            lacking[sheet.key] = str(error)
            continue
        for slot, (own, taken) in map_bytes(found, sheet.conditions).items():
            facts, label = found.facts[slot], map_label(at, found, slot)
            sizes = sizes_of(own, facts)
            maps.append(MapSize(sheet.key, slot, label, own, *sizes[0], len(sizes), facts.layers, taken))
    progress(1.0, "Done")
    return Asset(tuple(maps), draws, lacking)
