"""The stages of the work: every module of this package declares a `STAGE`; adding a stage is adding a file.

Panels and pages are read when their stage is entered first.
"""

from even_palette.app.stage import Stage
from even_palette.core.declared import declared

STAGES: tuple[Stage, ...] = tuple(sorted(declared(__name__, __path__, "STAGE"), key=lambda stage: stage.place))
"""In the order of the work."""
