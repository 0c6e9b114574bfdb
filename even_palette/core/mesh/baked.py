"""What a bake gives."""

from dataclasses import dataclass

from even_palette.core.arrays import Samples


@dataclass(frozen=True, eq=False)
class Baked:
    """Samples (H, W, C) of the bake's bit depth, and how many of the covered texels found nothing."""

    samples: Samples
    covered_texels: int
    missed_texels: int
