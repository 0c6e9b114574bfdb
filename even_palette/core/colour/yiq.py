"""YIQ of encoded R'G'B': the NTSC matrix (FCC 1953, SMPTE 170M; six digits as scikit-image gives it)."""

from even_palette.core.arrays import Floats, apply_matrix, float32, inverse

RGB_TO_YIQ = (
    (0.299, 0.587, 0.114),
    (0.59590059, -0.27455667, -0.32134392),
    (0.21153661, -0.52273617, 0.31119955),
)
YIQ_TO_RGB = inverse(RGB_TO_YIQ)


def rgb_to_yiq(encoded: Floats) -> Floats:
    """Encoded R'G'B' 0..1, shape (..., 3), to Y 0..1, I and Q about -0.6..0.6."""
    return apply_matrix(RGB_TO_YIQ, float32(encoded))


def yiq_to_rgb(yiq: Floats) -> Floats:
    """The inverse of rgb_to_yiq; results outside 0..1 are left as they are."""
    return apply_matrix(YIQ_TO_RGB, float32(yiq))
