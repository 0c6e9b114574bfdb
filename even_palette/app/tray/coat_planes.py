"""The planes that a coat reads, as editors; and planes of its own that are painted for it."""

from collections.abc import Callable

from even_palette.app import plain
from even_palette.app.session import Session
from even_palette.app.tray.plane_use import PlaneUseEditor, StripBox
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import SheetOwner, coats_of, owner_name
from even_palette.core.kit.sheet import Tone
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import PlaneSpec, Reads
from even_palette.core.material.model import PlaneKind, PlaneUse
from even_palette.core.material.plane_numbers import PATTERN, plane_of
from even_palette.core.regions.paint import Paint
from even_palette.core.results.id_map import mask_size_of

AS_PATTERN = PlaneSpec(PATTERN, "Pattern", "Where the coat acts: 0 not at all, 1 wholly.")


def plane_editor(
    session: Session, owner: SheetOwner, coat: int, spec: PlaneSpec, paint: Callable[[str], object]
) -> StripBox | PlaneUseEditor:
    """An editor of a plane of a coat, by what declares it; `paint` is given the key of a tone that shall be painted."""
    editor: StripBox | PlaneUseEditor
    if spec.reads == Reads.STRIP:
        editor = StripBox(spec.label, spec.strips)
    else:
        nothing = "Everywhere" if spec is AS_PATTERN else "Nothing is read"
        editor = PlaneUseEditor(spec.label, nothing, spec.reads, binds=True)
        editor.bind_wanted.connect(lambda number: session.do(commands.expose(owner, f"{spec.name}_{number}", coat)))
        editor.paint_wanted.connect(lambda: _paint(session, owner, coat, spec.name, paint))

    def change(use: PlaneUse | None) -> None:
        if spec is AS_PATTERN:
            session.do(commands.set_pattern(owner, coat, use))
        else:
            session.do(commands.set_coat_plane(owner, coat, spec.name, use))

    editor.setToolTip(plain.tip(spec.help))
    editor.changed.connect(change)
    editor.finished.connect(session.history.end_merge)
    return editor


def _paint(session: Session, owner: SheetOwner, coat: int, plane: str, paint: Callable[[str], object]) -> None:
    """Go to paint what a coat reads; where that is nothing to paint, it gets a plane of its own."""
    at = session.at
    worn = coats_of(at.kit, owner)[coat]
    use = plane_of(worn, plane)
    painted = [tone.key for tone in at.sheet.tones if tone.paint is not None]
    if use is not None and use.plane.kind == PlaneKind.TONE and use.plane.key in painted:
        paint(use.plane.key)
        return
    name = f"{owner_name(at.kit, owner)} {COATS[worn.kind].label.lower()}"
    tone = Tone("painted", name, "painted", paint=Paint(*mask_size_of(at, session.sheets)))
    if session.do(commands.add_pattern(owner, coat, plane, at.key, tone)):
        paint(session.at.sheet.tones[-1].key)
