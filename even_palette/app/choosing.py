"""What is chosen on the mesh of the sheet in front: faces, by elements of one kind. The panes and the tray share it."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from even_palette.app.jobs import Rank
from even_palette.app.session import Session
from even_palette.core.arrays import Bools, Samples
from even_palette.core.mesh.kinds import ElementKind, Likeness
from even_palette.core.results.dividing import unassigned
from even_palette.core.results.footprints import footprint_of
from even_palette.core.results.id_map import mask_size_of
from even_palette.core.results.sheet_mesh import SheetMesh, mesh_on_sheet

if TYPE_CHECKING:
    from even_palette.core.mesh.elements import Elements


class Choice(QObject):
    """Chosen faces (F,), the element under the cursor, and the kind of elements that clicks choose."""

    changed = pyqtSignal()
    hover_changed = pyqtSignal()
    kind_changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.hovered = -1
        self._faces = np.zeros(0, dtype=bool)
        self._shape = ""
        session.shown_changed.connect(self._follow)
        session.results.elements_found.connect(self.kind_changed)

    @property
    def mesh(self) -> SheetMesh | None:
        """The mesh of the sheet that is shown."""
        at = self.session.shown
        return mesh_on_sheet(at, self.session.sheets) if at else None

    @property
    def kind(self) -> ElementKind:
        """The kind of elements that clicks choose."""
        return self.session.view.state.elements

    @property
    def faces(self) -> Bools:
        """The chosen faces (F,)."""
        return self._faces

    def _follow(self) -> None:
        """Another mesh begins with nothing chosen."""
        found = self.mesh
        shape = found.faces_id if found else ""
        if shape != self._shape:
            self._shape, self.hovered = shape, -1
            self.choose(np.zeros(found.mesh.face_count if found else 0, dtype=bool))

    def set_kind(self, kind: ElementKind) -> None:
        """Choose elements of another kind from now on."""
        self.hovered = -1
        self.session.view.change(quiet=True, elements=kind)
        self.kind_changed.emit()
        self.hover_changed.emit()

    def elements(self) -> Elements | None:
        """The elements of the kind that is chosen, once they are found; asking has them found."""
        return self.session.elements_of(self.kind)

    def labels(self) -> Samples | None:
        """The element of each face (F,) of the kind that is chosen."""
        found = self.elements()
        return found.labels if found else None

    def choose(self, faces: Bools) -> None:
        """Choose just these faces."""
        self._faces = faces
        self.changed.emit()

    def hover(self, face: int) -> None:
        """Tell which face is under the cursor, -1 for none."""
        labels = self.labels()
        element = int(labels[face]) if labels is not None and 0 <= face < len(labels) else -1
        if element != self.hovered:
            self.hovered = element
            self.hover_changed.emit()

    def click(self, face: int, add: bool) -> None:
        """Choose the element of a face; with `add` it joins or leaves what is chosen. -1 chooses nothing."""
        labels = self.labels()
        if labels is None:
            return
        none = np.zeros(len(labels), dtype=bool)
        hit = labels == labels[face] if 0 <= face < len(labels) else none
        self.choose(np.asarray(self._faces ^ hit) if add else hit)

    def take(self, faces: Samples, add: bool) -> None:
        """Choose the elements of these faces (n,)."""
        labels = self.labels()
        if labels is None:
            return
        known = faces[(faces >= 0) & (faces < len(labels))]
        hit = np.isin(labels, np.unique(labels[known]))
        self.choose(np.asarray(self._faces | hit) if add else hit)

    def take_elements(self, elements: list[int], add: bool = False) -> None:
        """Choose elements by number."""
        labels = self.labels()
        if labels is not None:
            hit = np.isin(labels, elements)
            self.choose(np.asarray(self._faces | hit) if add else hit)

    # On what is chosen

    def invert(self) -> None:
        """Choose what is not chosen."""
        self.choose(~self._faces)

    def clear(self) -> None:
        """Choose nothing."""
        self.choose(np.zeros_like(self._faces))

    def grow(self) -> None:
        """Add the ring of faces around what is chosen."""
        from even_palette.core.mesh.elements import grown

        if found := self.mesh:
            faces = self._faces
            self._choose_made(lambda: grown(found.mesh, faces))

    def shrink(self) -> None:
        """Take away the outermost ring of faces."""
        from even_palette.core.mesh.elements import shrunk

        if found := self.mesh:
            faces = self._faces
            self._choose_made(lambda: shrunk(found.mesh, faces))

    def overlapping(self) -> None:
        """Choose the faces whose UVs share a texel with others."""
        from even_palette.core.mesh.raster import overlapping_faces

        at, found, sheets = self.session.shown, self.mesh, self.session.sheets
        if at is None or found is None:
            return

        def make() -> Bools:
            seen = footprint_of(at, sheets, *mask_size_of(at, sheets))
            return overlapping_faces(found.uv, seen.claims) if seen else np.zeros(found.mesh.face_count, dtype=bool)

        self._choose_made(make)

    def unassigned(self) -> None:
        """Choose the faces that no region has."""
        at, sheets = self.session.shown, self.session.sheets
        if at is not None and self.mesh is not None:
            self._choose_made(lambda: unassigned(at, sheets))

    def outside(self) -> None:
        """Choose the faces whose UVs leave the tile."""
        from even_palette.core.mesh.raster import outside_faces

        if found := self.mesh:
            self._choose_made(lambda: outside_faces(found.uv))

    def similar(self, by: Likeness) -> None:
        """Choose all elements like those that are chosen."""
        from even_palette.core.mesh.elements import similar

        found, of, faces = self.mesh, self.elements(), self._faces
        if found and of:
            self._choose_made(lambda: similar(found.mesh, faces, by, of))

    def _choose_made(self, make: Callable[[], Bools]) -> None:
        """Choose the faces that a worker finds, if the mesh is still the same by then."""
        shape = self._shape

        def done(faces: Bools) -> None:
            if shape == self._shape:
                self.choose(faces)

        notice = self.session.notice.emit
        self.session.jobs.run("Choose", lambda progress, cancel: make(), done, notice, rank=Rank.VIEW, place="choose")
