"""Types of graph nodes."""

from collections.abc import Mapping
from enum import StrEnum
from typing import TypeVar


class Type(StrEnum):
    """float, or a vector of two to four of them; the names are those of GLSL."""

    FLOAT = "float"
    VEC2 = "vec2"
    VEC3 = "vec3"
    VEC4 = "vec4"

    @property
    def size(self) -> int:
        """The number of components."""
        return _SIZES[self]


_SIZES = {Type.FLOAT: 1, Type.VEC2: 2, Type.VEC3: 3, Type.VEC4: 4}

CHANNELS = "xyzw"
Key = TypeVar("Key")


def in_vectors(kinds: Mapping[Key, Type]) -> dict[Key, tuple[int, str]]:
    """Values packed into vectors of four, in their order, none in two of them: the vector and the channels of each."""
    places: dict[Key, tuple[int, str]] = {}
    vector, taken = 0, 0
    for key, kind in kinds.items():
        if taken + kind.size > len(CHANNELS):
            vector, taken = vector + 1, 0
        places[key] = vector, CHANNELS[taken : taken + kind.size]
        taken += kind.size
    return places


Payload = tuple[float | str, ...]
"""What a node carries besides its arguments: constants, names, channel letters."""


def vector(size: int) -> Type:
    """The type with this many components. Raises ValueError unless size is 1..4."""
    for kind, components in _SIZES.items():
        if components == size:
            return kind
    raise ValueError(f"no type has {size} components.")
