"""A reader that wants more memory than it may have."""

import numpy as np


def read(path: object, limits: object) -> None:
    np.empty(1 << 36, np.uint8)
