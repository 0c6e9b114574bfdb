"""Planes that suit a coat, and the usual overcoats that one click puts on."""

from collections.abc import Callable

from msgspec.structs import replace
from PyQt6.QtWidgets import QPushButton

from even_palette.app import plain
from even_palette.app.session import Session
from even_palette.app.tray.plane_use import strips_of
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import Overcoats
from even_palette.core.kit.commands import Command
from even_palette.core.kit.model import Focus, Kit
from even_palette.core.kit.sheet import Tone
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import PlaneSpec
from even_palette.core.material.model import Coat, PlaneKind, PlaneRef, PlaneUse, Value
from even_palette.core.raster.guess import Role


def suited(at: Focus, spec: PlaneSpec) -> PlaneUse | None:
    """The first plane of a sheet that suits a coat: a map of one of its roles, else a bake of one of its kinds."""
    for role in spec.roles:
        if (given := at.sheet.given(role)) is not None:
            return given.use
    for kind in spec.bakes:
        for bake in at.sheet.bakes:
            if bake.kind == kind:
                return PlaneUse(PlaneRef(PlaneKind.BAKE, bake.key))
    for kind in spec.tones:
        for tone in at.sheet.tones:
            if tone.kind == kind:
                return PlaneUse(PlaneRef(PlaneKind.TONE, tone.key))
    for _, ref in strips_of(at, spec.strips):
        assert isinstance(ref, PlaneRef)
        return PlaneUse(ref)
    return None


def suited_coat(at: Focus, kind: str) -> Coat:
    """A coat of a kind with the planes of a sheet that suit it best."""
    planes = {spec.name: use for spec in COATS[kind].planes if (use := suited(at, spec)) is not None}
    return Coat(kind, planes=planes)


def _put_on(at: Focus, coat: Coat) -> Command:
    return commands.add_coat(Overcoats(at.key), coat)


def _occlusion(at: Focus) -> Command | str:
    use = suited(at, COATS["shade"].planes[0])
    told = "There is no occlusion yet; open a map in Source or bake it in Regions, then try again."
    return _put_on(at, Coat("shade", planes={"plane": use})) if use is not None else told


def _dirt(at: Focus) -> Command | str:
    """The paint as it was opened, where a map says that there is dirt or wear, or where it is found in the paint."""
    for source in at.sheet.sources:
        if any(word in source.key for word in DIRT_WORDS):
            return _put_on(at, Coat("bare", pattern=PlaneUse(PlaneRef(PlaneKind.MAP, source.key))))
    if not at.sheet.regions or at.sheet.source(Role.BASE_COLOUR) is None:
        return "No map is named for dirt or wear, and there are no regions in whose paint it could be found."

    def apply(kit: Kit) -> Kit:
        found = next((tone for tone in kit.sheet(at.key).tones if tone.kind == "dirt"), None)
        if found is None:
            kit = commands.add_tone(at.key, Tone("dirt", "Dirt", "dirt")).apply(kit)
            found = kit.sheet(at.key).tones[-1]
        return _put_on(at, Coat("bare", pattern=PlaneUse(PlaneRef(PlaneKind.TONE, found.key)))).apply(kit)

    return Command("Add bare by found dirt", apply)


def _decals(at: Focus) -> Command | str:
    """A plane of colour over everything, where it is opaque."""
    for source in at.sheet.sources:
        if any(word in source.key for word in DECAL_WORDS):
            use = PlaneUse(PlaneRef(PlaneKind.MAP, source.key))
            return _put_on(at, Coat("blend", planes={"colour": use, "mask": replace(use, channel=3)}))
    return "No map is named for decals; open one with opacity, or add Blend and choose its planes."


def _spill(at: Focus) -> Command | str:
    """The light that glowing texels throw on what is around them, where it was baked."""
    for bake in at.sheet.bakes:
        if bake.kind == "spill":
            use = PlaneUse(PlaneRef(PlaneKind.BAKE, bake.key))
            brightest = float(bake.values.get("brightest", 1.0))
            values: dict[str, Value] = {"colours": "plane", "intensity": min(20.0, brightest)}
            return _put_on(at, Coat("glow", values, {"colours": use}))
    return "There is no spilled light yet; let a region glow, then bake Spill in Regions."


DIRT_WORDS = ("dirt", "wear", "grime", "rust", "worn")
DECAL_WORDS = ("decal", "sticker", "label")
DEFAULT_OVERCOATS: tuple[tuple[str, str, Callable[[Focus], Command | str]], ...] = (
    ("Occlusion", "Shade everything by occlusion", _occlusion),
    ("Dirt", "Let dirt and wear of the paint show on all coats", _dirt),
    ("Decals", "Lay a plane with opacity over everything", _decals),
    ("Spill", "Add the light that glowing parts throw around them", _spill),
)


def default_buttons(session: Session, put_on: Callable[[Command], object]) -> list[QPushButton]:
    """A button for each of the usual overcoats, that puts it on or says what is missing for it."""

    def button(name: str, tip: str, make: Callable[[Focus], Command | str]) -> QPushButton:
        def put() -> None:
            made = make(session.at)
            if isinstance(made, str):
                session.notice.emit(made)
            else:
                put_on(made)

        found = QPushButton(name)
        found.setToolTip(plain.tip(tip))
        found.clicked.connect(put)
        return found

    return [button(*each) for each in DEFAULT_OVERCOATS]
