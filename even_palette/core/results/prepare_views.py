"""All that the views need of a kit, made in the order in which they ask for it."""

from collections.abc import Callable, Sequence

from even_palette.core.errors import UserError
from even_palette.core.graph.slots import Slot
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.model import Focus
from even_palette.core.results.base_colour import base_colour_of
from even_palette.core.results.id_map import mask_size_of
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.materials import prepare_material
from even_palette.core.results.means import means_of
from even_palette.core.results.sheet_mesh import mesh_on_sheet
from even_palette.core.results.store import Store
from even_palette.core.results.weights import weights_of
from even_palette.core.results.weights_on_disk import lasting_weights_of


def sheets_seen(at: Focus) -> list[str]:
    """The keys of the sheet that is meant, and of those that lie on the same meshes."""
    seen = {at.key: None}
    for mesh in at.kit.meshes_on(at.key):
        seen.update(dict.fromkeys(mesh.sheets))
    return list(seen)


def make_ready(
    at: Focus,
    store: Store,
    looks: Sequence[Look] = (),
    progress: Progress = silent,
    cancel: CancelToken | None = None,
    opened: bool = False,
    prepared: Callable[[Slot], None] | None = None,
) -> None:
    """Leave in the cache what views of a kit ask for, and of looks what textures take.

    What is made of a kit that was just `opened` lasts on the disk; `prepared` is told of each slot of the result that
    can be uploaded. Raises UserError for files that cannot be read, and Cancelled.
    """
    cancel = cancel or CancelToken()
    for sheet in sheets_seen(at):
        part = at.kit.at(sheet)
        base_colour_of(part, store)
        mesh_on_sheet(part, store)
        mask_size_of(part, store)
        cancel.check()
        (lasting_weights_of if opened else weights_of)(part, store, progress, cancel)
        means_of(part, store)
        cancel.check()
        prepare_material(part, store)
    make_look(at, store, Look(), cancel, prepared)
    for look in looks:
        make_look(at, store, look, cancel)


def make_look(
    at: Focus,
    store: Store,
    look: Look,
    cancel: CancelToken,
    prepared: Callable[[Slot], None] | None = None,
) -> None:
    """Compute what a look samples, and the parts of its tiles that textures take; tell of slots. Raises Cancelled."""
    try:
        with store.hurrying():
            slots = picture(at, store, look).slots
        for slot in slots.values():
            for chain in slot.chains:
                chain.prepare(cancel)
            if prepared:
                prepared(slot)
    except UserError:
        return  # whoever shows the look tells why it cannot be shown
