"""CIEDE2000 colour difference (Sharma, Wu, Dalal 2005, equations 2 to 22)."""

import numpy as np

from even_palette.core.arrays import Floats, float32

CHROMA_POWER_25_7 = 25.0**7


def ciede2000(lab_1: Floats, lab_2: Floats) -> Floats:
    """Difference of CIELAB colours, shapes (..., 3) to (...); about 1 is just noticeable.

    Works in float64 inside because the hue terms cancel.
    """
    l1, a1, b1 = np.moveaxis(np.asarray(lab_1, dtype=np.float64), -1, 0)
    l2, a2, b2 = np.moveaxis(np.asarray(lab_2, dtype=np.float64), -1, 0)
    mean_c7 = ((np.hypot(a1, b1) + np.hypot(a2, b2)) / 2) ** 7
    stretch = 1.5 - 0.5 * np.sqrt(mean_c7 / (mean_c7 + CHROMA_POWER_25_7))
    c1, c2 = np.hypot(a1 * stretch, b1), np.hypot(a2 * stretch, b2)
    h1 = np.degrees(np.arctan2(b1, a1 * stretch)) % 360
    h2 = np.degrees(np.arctan2(b2, a2 * stretch)) % 360
    grey = c1 * c2 == 0

    turn = (h2 - h1 + 180) % 360 - 180
    turn = np.where((turn == -180) & (h2 > h1), 180, turn)
    delta_h = np.where(grey, 0, 2 * np.sqrt(c1 * c2) * np.sin(np.radians(turn / 2)))
    delta_l, delta_c = l2 - l1, c2 - c1

    total = h1 + h2
    apart = np.abs(h1 - h2) > 180
    mean_h = np.where(apart, np.where(total < 360, total + 360, total - 360), total) / 2
    mean_h = np.where(grey, total, mean_h)
    mean_l, mean_c = (l1 + l2) / 2, (c1 + c2) / 2

    t = (
        1
        - 0.17 * np.cos(np.radians(mean_h - 30))
        + 0.24 * np.cos(np.radians(2 * mean_h))
        + 0.32 * np.cos(np.radians(3 * mean_h + 6))
        - 0.20 * np.cos(np.radians(4 * mean_h - 63))
    )
    bowl = (mean_l - 50) ** 2
    s_l = 1 + 0.015 * bowl / np.sqrt(20 + bowl)
    s_c = 1 + 0.045 * mean_c
    s_h = 1 + 0.015 * mean_c * t
    r_c = 2 * np.sqrt(mean_c**7 / (mean_c**7 + CHROMA_POWER_25_7))
    r_t = -np.sin(np.radians(60 * np.exp(-(((mean_h - 275) / 25) ** 2)))) * r_c
    l_term, c_term, h_term = delta_l / s_l, delta_c / s_c, delta_h / s_h
    return float32(np.sqrt(l_term**2 + c_term**2 + h_term**2 + r_t * c_term * h_term))
