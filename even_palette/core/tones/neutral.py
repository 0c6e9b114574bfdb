"""Neutral: paint without its colour, brought to a chosen tone."""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.colour.luma import BT601, BT709, luminance
from even_palette.core.colour.oklab import linear_to_oklab
from even_palette.core.colour.srgb import linear_to_srgb, srgb_to_linear
from even_palette.core.curve import through_points

BINS = 4096
FLAT_RANGE, DARK_MEAN, LIGHT_MEAN = 0.12, 0.25, 0.85

Grey = Callable[[Floats, Floats], Floats]
"""Gives the grey (..., ) of colours (..., 3): encoded and in linear light. Greys are encoded, 0..1."""


def _weighted(weights: tuple[float, float, float]) -> Grey:
    return lambda encoded, linear: float32(encoded @ float32(weights))


def _channel(number: int) -> Grey:
    return lambda encoded, linear: encoded[..., number]


METHODS: dict[str, tuple[str, Grey]] = {
    "luminance": ("Luminance, in light", lambda encoded, linear: linear_to_srgb(luminance(linear))),
    "luma_601": ("Luma, BT.601", _weighted(BT601)),
    "luma_709": ("Luma, BT.709", _weighted(BT709)),
    "oklab": ("Lightness, OKLab", lambda encoded, linear: linear_to_oklab(linear)[..., 0]),
    "hsl": ("Lightness, HSL", lambda encoded, linear: float32((encoded.max(-1) + encoded.min(-1)) / 2)),
    "hsv": ("Value, HSV", lambda encoded, linear: encoded.max(-1)),
    "mean": ("Mean of the channels", lambda encoded, linear: float32(encoded.mean(-1))),
    "largest": ("Largest channel", lambda encoded, linear: encoded.max(-1)),
    "smallest": ("Smallest channel", lambda encoded, linear: encoded.min(-1)),
    "red": ("Red alone", _channel(0)),
    "green": ("Green alone", _channel(1)),
    "blue": ("Blue alone", _channel(2)),
}
"""Ways of taking the colour out, with their names. `contrast` needs the mix that `contrast_mix` finds."""
CONTRAST = "contrast"


def grey_of(encoded: Floats, method: str, mix: tuple[float, float, float] = BT709) -> Floats:
    """The grey of encoded colours (..., 3), 0..1 encoded, by one of METHODS or by a mix of the channels."""
    if method == CONTRAST:
        return float32(encoded @ float32(mix))
    _, grey = METHODS[method]
    return grey(encoded, srgb_to_linear(encoded))


def contrast_mix(encoded: Floats, weights: Samples) -> tuple[float, float, float]:
    """The mix of channels, adding up to 1 and none below 0, whose grey keeps most of the differences of colour.

    The direction in which encoded colours (n, 3) vary most, by least squares (Pearson 1901), held to mixes that keep
    white white.
    """
    mean = np.average(encoded, axis=0, weights=weights)
    apart = encoded - mean
    spread = (apart * weights[:, None]).T @ apart / weights.sum()
    _, directions = np.linalg.eigh(spread)
    mix = directions[:, -1] * (1 if directions[:, -1].sum() >= 0 else -1)
    mix = np.maximum(mix, 0)
    red, green, blue = mix / mix.sum() if mix.sum() > 1e-6 else np.array(BT709)
    return float(red), float(green), float(blue)


@dataclass(frozen=True)
class Curve:
    """What is done to greys: levels, a curve through five points (see `core/curve`) if there are any, contrast about
    the middle, then gain and offset; all on encoded values."""

    black: float = 0.0
    white: float = 1.0
    gamma: float = 1.0
    contrast: float = 1.0
    gain: float = 1.0
    offset: float = 0.0
    points: tuple[float, ...] = ()

    def __call__(self, grey: Floats) -> Floats:
        """Greys 0..1 of any shape."""
        x = np.clip((grey - self.black) / max(1e-6, self.white - self.black), 0, 1) ** (1 / self.gamma)
        x = through_points(x, self.points) if self.points else x
        x = np.clip((x - 0.5) * self.contrast + 0.5, 0, 1)
        return float32(np.clip(x * self.gain + self.offset, 0, 1))


@dataclass(frozen=True, eq=False)
class Histogram:
    """How much of a region has which grey: weights (BINS,) of greys from 0 to 1, encoded."""

    weights: Samples

    @property
    def greys(self) -> Floats:
        """The grey of each bin."""
        return float32(np.linspace(0, 1, len(self.weights)))

    def mean(self, curve: Callable[[Floats], Floats] = lambda grey: grey) -> float:
        """The mean in linear light after a curve."""
        return float(np.average(srgb_to_linear(curve(self.greys)), weights=self.weights))

    def spread(self, curve: Callable[[Floats], Floats] = lambda grey: grey) -> float:
        """The standard deviation of the encoded grey after a curve."""
        greys = curve(self.greys)
        middle = np.average(greys, weights=self.weights)
        return float(np.sqrt(np.average(np.square(greys - middle), weights=self.weights)))

    def at(self, share: float) -> float:
        """The grey below which this share of the region lies, 0..1."""
        line = np.cumsum(self.weights)
        return float(self.greys[min(len(line) - 1, int(np.searchsorted(line, share * line[-1])))])


def histogram_of(grey: Floats, weights: Samples | None = None) -> Histogram:
    """The histogram of greys of any shape, weighted by an array of the same shape. All 0 where nothing weighs."""
    bins = np.clip(np.round(grey.ravel() * (BINS - 1)), 0, BINS - 1).astype(np.int32)
    return Histogram(np.bincount(bins, None if weights is None else weights.ravel(), BINS).astype(np.float64))


def towards(curve: Curve, histogram: Histogram, mean: float | None, spread: float | None) -> Curve:
    """The curve with the gain and offset that bring a histogram's greys to a mean and a spread.

    The mean is in linear light, the spread the standard deviation of encoded greys; None leaves one as it is. What is
    clipped at black and white counts, so the mean is met wherever it can be.
    """
    if not histogram.weights.any():
        return curve

    def met(gain: float) -> Curve:
        if mean is None:
            middle = float(np.average(curve(histogram.greys), weights=histogram.weights))
            return replace(curve, gain=gain, offset=middle * (1 - gain))
        low, high = -gain - 1.0, 1.0
        for _ in range(48):
            offset = (low + high) / 2
            tried = replace(curve, gain=gain, offset=offset)
            low, high = (low, offset) if histogram.mean(tried) > mean else (offset, high)
        return replace(curve, gain=gain, offset=(low + high) / 2)

    if spread is None:
        return met(1.0)
    low, high = 0.0, 16.0
    for _ in range(32):
        gain = (low + high) / 2
        low, high = (low, gain) if histogram.spread(met(gain)) > spread else (gain, high)
    return met((low + high) / 2)


def advice(histogram: Histogram) -> str:
    """What the tone range of a region means under a tint, in words."""
    if not histogram.weights.any():
        return "Nothing is there."
    low, high, mean = histogram.at(0.05), histogram.at(0.95), histogram.at(0.5)
    told = f"Uses {low:.0%} to {high:.0%} of the tone range."
    if high - low < FLAT_RANGE:
        return f"{told} So narrow a range looks flat: raise the spread or the contrast."
    if mean > LIGHT_MEAN:
        return f"{told} Near white, a tint looks flat: lower the mean."
    if mean < DARK_MEAN:
        return f"{told} Near black, little of a tint's colour is seen: raise the mean."
    return f"{told} A tint shows well on it."
