"""Relief: normals made flatter or steeper, and others laid over them; heights raised or sunk."""

from collections.abc import Mapping

from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node, is_constant
from even_palette.core.material.declare import CoatInputs, CoatKind, Group, PlaneSpec, Reads, ValueSpec
from even_palette.core.material.model import ValueKind
from even_palette.core.material.outputs import HEIGHT, NORMAL

LEAST = 0.05
"""The least that a normal stands up: what lies flatter, or looks inwards, is no slope of a map."""


def formula(inputs: CoatInputs) -> Mapping[str, Node]:
    """Slopes x and y of the normal times the scale, then turned so that it stands on what it is laid over.

    Reoriented normal mapping (Barre-Brisebois and Hill, Blending in Detail, 2012): with t = n + (0, 0, 1) and
    u = d (-1, -1, 1), the result is t (t . u) / t.z - u; d has its own slopes times the height. The height output is
    what it was and a plane times the rise.
    """
    raised, rise = inputs.planes.get("height"), inputs.values["rise"]
    found = dict(_bent(inputs))
    if raised is not None and not is_constant(rise, 0):
        found[HEIGHT] = inputs.output(HEIGHT) + raised * rise
    return found


def _bent(inputs: CoatInputs) -> Mapping[str, Node]:
    scale, height = inputs.values["scale"], inputs.values["height"]
    detail = inputs.normals.get("detail")
    laid = detail is not None and not is_constant(height, 0)
    if not laid and is_constant(scale, 1):
        return {}
    stored = inputs.output(NORMAL) * 2 - 1
    normal = _long(nodes.join(stored["x"] * scale, stored["y"] * scale, stored["z"]))
    if laid:
        assert detail is not None
        own = _long(nodes.join(detail["x"] * height, detail["y"] * height, detail["z"]))
        normal = reoriented(normal, own)
    return {NORMAL: normal * 0.5 + 0.5}


def reoriented(normal: Node, detail: Node) -> Node:
    """A normal laid over another one, both of length 1, as if the other one's surface were flat."""
    t = nodes.join(normal["x"], normal["y"], normal["z"] + 1)
    u = nodes.join(-detail["x"], -detail["y"], detail["z"])
    return t * (nodes.dot(t, u) / t["z"]) - u


def _long(normal: Node) -> Node:
    """A normal made of length 1, that stands up."""
    up = nodes.join(normal["x"], normal["y"], nodes.maximum(normal["z"], LEAST))
    return up / nodes.length(up)


COAT = CoatKind(
    name="relief",
    label="Relief",
    help="Makes the normals of the region flatter or steeper, and lays others over them: raised plates, sunk scars.",
    values=(
        ValueSpec("scale", "Slopes", ValueKind.NUMBER, 1.0, "Factor on the slopes that are there; 0 is flat.", 0.0, 4.0,
                  "×"),
        ValueSpec("height", "Height", ValueKind.NUMBER, 1.0, "Factor on the slopes that are laid over; below 0 sunk.",
                  -4.0, 4.0, "×"),
        ValueSpec("rise", "Rises by", ValueKind.NUMBER, 0.25, "How much higher or lower the surface lies where the "
                  "plane is 1, for games that move it: a share of the whole range of heights.", -1.0, 1.0),
    ),
    formula=formula,
    group=Group.SURFACE,
    place=2,
    sets=(NORMAL, HEIGHT),
    planes=(
        PlaneSpec("detail", "Laid over", "A map of normals with green up.", tones=("relief",), reads=Reads.NORMAL,
                  needed=False),
        PlaneSpec("height", "Raised by", "1 where the surface is raised or sunk.", needed=False),
    ),
)  # fmt: skip
