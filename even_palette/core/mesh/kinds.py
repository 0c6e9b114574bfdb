"""The words for elements, apart from the code that finds them, which is slow to import."""

from enum import StrEnum


class ElementKind(StrEnum):
    """What the faces of a mesh are grouped by."""

    FACE = "face"
    SHELL = "shell"
    ISLAND = "UV island"
    SLOT = "material slot"
    OBJECT = "object"
    COLOUR = "vertex colour"


class Likeness(StrEnum):
    """What makes elements alike."""

    SLOT = "same slot"
    SIZE = "same size"
    COLOUR = "same colour"
