"""What masks are called in the keys of results, and the order in which regions that take each other's are made."""

import hashlib
from collections.abc import Container, Iterable

from even_palette.core.kit.model import Focus
from even_palette.core.kit.sheet import Region, Step
from even_palette.core.limits import MOST_STEPS
from even_palette.core.material.model import PlaneKind, PlaneUse
from even_palette.core.raster.guess import Role
from even_palette.core.regions.steps import STEPS
from even_palette.core.results.bakes import bake_name
from even_palette.core.results.file_names import map_name
from even_palette.core.results.id_map import id_name_of, mask_size_of
from even_palette.core.results.sheet_mesh import faces_name, mesh_on_sheet
from even_palette.core.results.store import Store

Wanted = tuple[str, int]
"""A region by its key, and how many of its first steps its mask has gone through."""


def acting(region: Region, first: int = MOST_STEPS) -> list[Step]:
    """Those of its first steps that change something: that are on, have a strength, and read what they need."""
    return [
        step for step in region.steps[:first]
        if step.on and step.strength > 0 and (step.plane is not None or not STEPS[step.kind].reads_channel)
        and (step.paint is not None or not STEPS[step.kind].is_paint)
        and (step.region or not STEPS[step.kind].reads_region)
    ]  # fmt: skip


class MaskNames:
    """Names of the masks of a sheet by what they are made of; nothing is read for that.

    A mask is named by the claims of all regions, its own steps, and the names of the masks that these take; what other
    regions do besides is no part of it.
    """

    def __init__(self, at: Focus, store: Store) -> None:
        found = mesh_on_sheet(at, store)
        self.claims = _digest(
            id_name_of(at, store),
            (found.content_id, faces_name(at), at.sheet.padding) if found else "",
            mask_size_of(at, store),
            at.sheet.unmix,
            tuple(_claims(region) for region in at.sheet.regions),
        )
        base = map_name(at.sheet.source(Role.BASE_COLOUR))
        self._regions = {region.key: region for region in at.sheet.regions}
        self._told = {
            region.key: [(step, _step_name(at, store, step, base)) for step in acting(region)]
            for region in at.sheet.regions
            if region.steps
        }
        self._names: dict[Wanted, str] = {}

    @property
    def steps(self) -> tuple[object, ...]:
        """Names all steps of all regions."""
        return tuple((key, tuple(name for _, name in told)) for key, told in self._told.items())

    def _acting(self, wanted: Wanted) -> list[tuple[Step, str]]:
        key, first = wanted
        told = self._told.get(key, [])
        if first >= len(self._regions[key].steps):
            return told
        count = len(acting(self._regions[key], first))
        return told[:count]

    def _needs(self, wanted: Wanted) -> list[Wanted]:
        return [
            (step.region, 0 if STEPS[step.kind].claims_only else MOST_STEPS)
            for step, _ in self._acting(wanted)
            if STEPS[step.kind].reads_region
        ]

    def in_order(self, wanted: Iterable[Wanted], without: Container[Wanted] = ()) -> list[Wanted]:
        """The masks that are wanted and all that they need, each behind those that it takes; without some and what
        these alone need. Chains may be as long as a sheet has regions; there are no circles (see
        `validate_sheet.check_circles`)."""
        done: dict[Wanted, None] = {}
        for start in wanted:
            stack = [(start, False)]
            while stack:
                one, ready = stack.pop()
                if one in done or one in without:
                    continue
                if ready:
                    done[one] = None
                else:
                    stack.append((one, True))
                    stack += [(other, False) for other in self._needs(one) if other not in done]
        return list(done)

    def name(self, wanted: Wanted) -> str:
        """The name of a mask."""
        for one in self.in_order([wanted], self._names):
            steps = [name for _, name in self._acting(one)]
            taken = [self._names[other] for other in self._needs(one)]
            self._names[one] = _digest(self.claims, one[0], steps, taken)
        return self._names[wanted]


def mask_names_of(at: Focus, store: Store) -> MaskNames:
    """The names of the masks of a sheet."""
    return store.named(at, MaskNames)


def _digest(*parts: object) -> str:
    return hashlib.blake2b(repr(parts).encode(), digest_size=16).hexdigest()


def _claims(region: Region) -> tuple[object, ...]:
    """What a region claims before its steps; the key stands for its faces."""
    return (region.key, region.keyed, region.id_colours, region.inner, region.outer, region.metric, region.boxes)


def _step_name(at: Focus, store: Store, step: Step, base: tuple[object, ...]) -> str:
    read = _plane_name(at, store, step.plane) if step.plane else ()
    return repr((step, read, base if STEPS[step.kind].reads_base else ()))


def _plane_name(at: Focus, store: Store, use: PlaneUse) -> object:
    if use.plane.kind == PlaneKind.MAP:
        return map_name(at.sheet.map(use.plane.key))
    return bake_name(at, store, at.sheet.bake(use.plane.key))
