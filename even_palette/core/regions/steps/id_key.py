"""ID colour: texels of the ID map near a colour join the mask, with tolerances of their own."""

from even_palette.core.arrays import Floats, Levels, float32
from even_palette.core.regions.keying import Metric, key_mask
from even_palette.core.regions.steps._declare import Group, StepKind, StepValue, Values


def key(ids: Levels, values: Values) -> Floats:
    """1 - smoothstep(inner, outer, distance) of texels (h, w, C) uint8 to the colour, Chebyshev, in levels."""
    red, green, blue = (round(values[name]) for name in ("red", "green", "blue"))
    outer = max(values["inner"], values["outer"])
    return float32(key_mask(ids, (red, green, blue), values["inner"], outer, Metric.CHEBYSHEV))


STEP = StepKind(
    "id_key",
    "ID colour",
    "Texels of the ID map near a colour join the mask.",
    (
        StepValue("red", "Red", 255.0, 0.0, 255.0, "The colour in the ID map.", "levels"),
        StepValue("green", "Green", 0.0, 0.0, 255.0, "The colour in the ID map.", "levels"),
        StepValue("blue", "Blue", 0.0, 0.0, 255.0, "The colour in the ID map.", "levels"),
        StepValue("inner", "Inner", 12.0, 0.0, 255.0, "Up to this distance a texel is wholly in.", "levels"),
        StepValue("outer", "Outer", 64.0, 0.0, 255.0, "From this distance on a texel is out.", "levels"),
    ),
    of_ids=key,
    group=Group.PAINT,
    place=4,
)
