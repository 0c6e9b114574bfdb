"""Types of graph nodes."""

from enum import StrEnum


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

Payload = tuple[float | str, ...]
"""What a node carries besides its arguments: constants, names, channel letters."""


def vector(size: int) -> Type:
    """The type with this many components. Raises ValueError unless size is 1..4."""
    for kind, components in _SIZES.items():
        if components == size:
            return kind
    raise ValueError(f"no type has {size} components.")
