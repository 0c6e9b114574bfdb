"""What the Open Asset Import Library reads beside our own formats: COLLADA, STL, 3MF and others, in a process apart."""

from functools import partial

from even_palette.core.mesh.files._apart import read_apart
from even_palette.core.mesh.files._declare import MeshFormat

SUFFIXES = (".dae", ".stl", ".3mf", ".fbx", ".off", ".amf", ".x3d")
MESH_FORMAT = MeshFormat(SUFFIXES, partial(read_apart, "even_palette.core.mesh.files._read_assimp"))
