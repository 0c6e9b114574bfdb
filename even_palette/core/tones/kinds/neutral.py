"""Neutral: paint without its colour, so that a tint gives it another."""

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.curve import POINTS
from even_palette.core.settings import Settings, SettingSpec
from even_palette.core.tones.kinds._declare import ToneGround, ToneKind, number
from even_palette.core.tones.neutral import (
    CONTRAST,
    METHODS,
    Curve,
    Histogram,
    contrast_mix,
    grey_of,
    histogram_of,
    towards,
)

CURVES = (("straight", "Straight"), ("own", "Through five points"))
REACH = (("keep", "Keep mean and spread"), ("mean", "Reach a mean"), ("both", "Reach mean and spread"))


def grey(ground: ToneGround, settings: Settings, weight: Floats | None = None) -> Floats:
    """The grey before its curve, (H, W), encoded."""
    encoded, method = ground.encoded(), str(settings["method"])
    if method != CONTRAST:
        return grey_of(encoded, method)
    step = max(1, encoded.shape[0] // 512), max(1, encoded.shape[1] // 512)
    some = encoded[:: step[0], :: step[1]].reshape(-1, 3)
    weights = float32(np.ones(len(some))) if weight is None else weight[:: step[0], :: step[1]].ravel()
    return grey_of(encoded, method, contrast_mix(some, weights if weights.any() else np.ones(len(some))))


def curve_of(settings: Settings, histogram: Histogram) -> Curve:
    """The curve of settings for greys with this histogram."""
    black, white, gamma, contrast = (number(settings, name) for name in ("black", "white", "gamma", "contrast"))
    points = tuple(number(settings, f"at_{at}") for at in POINTS) if settings["curve"] == "own" else ()
    curve = Curve(black, white, gamma, contrast, points=points)
    reach = settings["reach"]
    if reach == "keep":
        return curve
    mean = float(srgb_to_linear(float32([number(settings, "mean")]))[0])
    return towards(curve, histogram, mean, number(settings, "spread") if reach == "both" else None)


def make(ground: ToneGround, settings: Settings) -> Samples:
    """The grey through its curve; regions with settings of their own through theirs, mixed by their weights.

    The paint's alpha, if it has one, is kept as a second channel.
    """
    whole = grey(ground, settings)
    done: Floats = curve_of(settings, histogram_of(whole))(whole)
    if ground.own:
        mixed, rest = np.zeros_like(done), np.ones_like(done)
        for share, (region, own) in enumerate(ground.own.items()):
            ground.progress(share / len(ground.own), "Taking the colour out")
            if ground.cancel:
                ground.cancel.check()
            weight = ground.weight(region)
            here = grey(ground, own, weight)
            mixed += weight * curve_of(own, histogram_of(here, weight))(here)
            rest -= weight
        done = float32(mixed + np.maximum(rest, 0) * done)
    alpha = ground.alpha()
    return ground.like_source(done[..., None] if alpha is None else np.concatenate([done[..., None], alpha], axis=-1))


def _number(name: str, label: str, default: float, low: float, high: float, told: str) -> SettingSpec:
    return SettingSpec(name, label, default, told, low, high)


TONE = ToneKind(
    "neutral",
    "Neutral",
    "The paint without its colour, so that tints give it another.",
    1,
    make,
    (
        SettingSpec(
            "method", "By", "luminance", "How the grey of a colour is found.",
            choices=(*((name, label) for name, (label, _) in METHODS.items()), (CONTRAST, "Mix with most contrast")),
        ),
        _number("black", "Black", 0.0, 0.0, 0.95, "The grey that becomes black."),
        _number("white", "White", 1.0, 0.05, 1.0, "The grey that becomes white."),
        _number("gamma", "Gamma", 1.0, 0.2, 5.0, "Above 1 lightens the middle, below 1 darkens it."),
        SettingSpec("curve", "Curve", "straight", "Whether the grey goes through a curve of its own, before contrast.",
                  choices=CURVES),
        *(
            SettingSpec(f"at_{at}", f"At {at} %", at / 100, f"What a grey of {at} % becomes.", when=("curve", ("own",)))
            for at in POINTS
        ),
        _number("contrast", "Contrast", 1.0, 0.0, 4.0, "About the middle grey; 1 leaves it."),
        SettingSpec("reach", "Aim", "keep", "Whether mean and spread are brought to what is set.",
                  choices=REACH),
        SettingSpec("mean", "Mean", 0.73, "The mean that the grey is brought to, as it looks; met in light.",
                    0.05, 0.98, when=("reach", ("mean", "both"))),
        SettingSpec("spread", "Spread", 0.12, "The standard deviation that the grey is brought to.", 0.0, 0.4,
                    when=("reach", ("both",))),
    ),
    replaces=True,
    grey=True,
)  # fmt: skip
