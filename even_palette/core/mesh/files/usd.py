"""Universal Scene Description: usd, usda, usdc and usdz, by its own library in a process apart."""

from functools import partial

from even_palette.core.mesh.files._apart import read_apart
from even_palette.core.mesh.files._declare import MeshFormat

SUFFIXES = (".usd", ".usda", ".usdc", ".usdz")
MESH_FORMAT = MeshFormat(SUFFIXES, partial(read_apart, "even_palette.core.mesh.files._read_usd"))
