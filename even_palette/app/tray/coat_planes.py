"""The planes that a coat reads, as editors; and planes of its own that are painted for it."""

from collections.abc import Callable

from even_palette.app import plain
from even_palette.app.session import Session
from even_palette.app.tray.plane_use import PlaneUseEditor, StripBox
from even_palette.core.errors import NotReady, UserError
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import SheetOwner, coats_of, owner_name
from even_palette.core.kit.model import Focus
from even_palette.core.kit.sheet import Tone
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import PlaneSpec, Reads
from even_palette.core.material.model import Coat, PlaneKind, PlaneUse
from even_palette.core.material.plane_numbers import PATTERN, plane_of
from even_palette.core.regions.paint import Paint
from even_palette.core.results.id_map import mask_size_of
from even_palette.core.results.plane_facts import plane_facts

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
    editor.finished.connect(session.end_merge)
    return editor


def show_plane(session: Session, at: Focus, editor: StripBox | PlaneUseEditor, coat: Coat, plane: str) -> bool:
    """Show what a coat reads under the name of a plane; False while something of it is made."""
    use = plane_of(coat, plane)
    if isinstance(editor, StripBox):
        editor.show_use(at, use)
        return True
    editor.show_use(at, use, [name.removeprefix(f"{plane}_") for name in coat.values if name.startswith(f"{plane}_")])
    if use is None or editor.facts.isHidden():
        return True
    try:
        editor.show_facts(plane_facts(at, session.sheets, use))
    except NotReady as missing:
        editor.show_facts(None)
        session.results.make(missing)
        return False
    except UserError:
        editor.show_facts(None)
    return True


def _paint(session: Session, owner: SheetOwner, coat: int, plane: str, paint: Callable[[str], object]) -> None:
    """Go to paint what a coat reads; where that is nothing to paint, it gets a plane of its own."""
    at = session.at
    worn = coats_of(at.kit, owner)[coat]
    if there := _painted(at, plane_of(worn, plane)):
        paint(there)
        return
    name = f"{owner_name(at.kit, owner)} {COATS[worn.kind].label.lower()}"
    tone = Tone("painted", name, "painted", paint=Paint(*mask_size_of(at, session.sheets)))
    if session.do(commands.add_pattern(owner, coat, plane, at.key, tone)):
        paint(session.at.sheet.tones[-1].key)


def _painted(at: Focus, use: PlaneUse | None) -> str:
    """The key of the painted tone that a plane is, or that its channel was packed of; "" if it is none."""
    if use is None or use.plane.kind != PlaneKind.TONE:
        return ""
    tone = at.sheet.tone(use.plane.key)
    if use.channel < len(tone.parts):
        return _painted(at, tone.parts[use.channel])
    return tone.key if tone.paint is not None else ""
