"""A mesh of the kit written with its regions as vertex colours, for programs that take IDs from those."""

from pathlib import Path

import numpy as np

from even_palette.core.disk.gate import refuse_sources
from even_palette.core.kit.assignment import unpack_faces
from even_palette.core.kit.model import Kit
from even_palette.core.mesh.files import write_mesh
from even_palette.core.results.sheet_mesh import mesh_of_file
from even_palette.core.results.store import Store


def write_with_ids(kit: Kit, store: Store, key: str, path: Path) -> None:
    """Write a mesh of the kit in the format of the suffix with its regions' ID colours as vertex colours.

    In metres, y up; faces of no region are black. Raises UserError, naming the file.
    """
    refuse_sources(path, [Path(file.path) for file in kit.files])
    mesh, stored = mesh_of_file(kit.mesh(key), store), kit.mesh(key).faces
    colours = {region.key: region.id_colour for region in kit.regions}
    table = np.array([*(colours.get(name, (0, 0, 0)) for name in stored.regions), (0, 0, 0)], dtype=np.uint8)
    write_mesh(path, mesh, table[unpack_faces(stored, mesh.face_count)])
