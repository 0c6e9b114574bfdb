"""HSL of encoded colours."""

from even_palette.core.graph.nodes import (
    Node,
    absolute,
    channels,
    clamp,
    constant,
    fract,
    join,
    maximum,
    minimum,
    select,
    step,
)
from even_palette.core.material.colour_nodes import decode, encode
from even_palette.core.material.input_levels import LEAST_STEP
from even_palette.core.material.spaces._declare import Move, Space


def shift(linear: Node, move: Move) -> Node:
    """The same in HSL of encoded R'G'B'; saturation and lightness are clipped to 0..1."""
    encoded = encode(linear)
    red, green, blue = channels(encoded)
    high = maximum(maximum(red, green), blue)
    low = minimum(minimum(red, green), blue)
    chroma, lightness = high - low, (high + low) / 2
    sector = select(
        step(high, red),
        (green - blue) / chroma,
        select(step(high, green), (blue - red) / chroma + 2, (red - green) / chroma + 4),
    )
    hue = fract(sector / 6 + move.turn)
    # Near black and white any chroma is the most there is: a millionth beside an outline would become full colour.
    room = maximum(1 - absolute(lightness * 2 - 1), LEAST_STEP)
    old_saturation = chroma / room
    new_saturation = clamp(old_saturation * move.stretch(lambda: old_saturation))
    new_lightness = clamp(move.lightness(lightness))
    new_chroma = (1 - absolute(new_lightness * 2 - 1)) * new_saturation
    position = fract(join(hue, hue, hue) + constant(0, 4 / 6, 2 / 6)) * 6
    wave = clamp(absolute(position - 3) - 1)
    return decode(clamp(new_lightness - new_chroma / 2 + wave * new_chroma))


SPACE = Space("hsl", "HSL", 3, "HSL is the plainest", shift)
