"""Commands: each makes a function from kit to kit, with the label that the history shows.

A file lists those that it has in its `__all__`.
"""

from even_palette.core.kit.commands import (
    _command,
    cells,
    coats,
    instances,
    maps,
    meshes,
    parameters,
    patterns,
    plans,
    presets,
    recipes,
    regions,
    scenes,
    sheets,
    steps,
    tones,
    twins,
    variants,
)
from even_palette.core.kit.commands._command import *
from even_palette.core.kit.commands.cells import *
from even_palette.core.kit.commands.coats import *
from even_palette.core.kit.commands.instances import *
from even_palette.core.kit.commands.maps import *
from even_palette.core.kit.commands.meshes import *
from even_palette.core.kit.commands.parameters import *
from even_palette.core.kit.commands.patterns import *
from even_palette.core.kit.commands.plans import *
from even_palette.core.kit.commands.presets import *
from even_palette.core.kit.commands.recipes import *
from even_palette.core.kit.commands.regions import *
from even_palette.core.kit.commands.scenes import *
from even_palette.core.kit.commands.sheets import *
from even_palette.core.kit.commands.steps import *
from even_palette.core.kit.commands.tones import *
from even_palette.core.kit.commands.twins import *
from even_palette.core.kit.commands.variants import *

__all__: list[str] = []
__all__ += _command.__all__
__all__ += cells.__all__
__all__ += coats.__all__
__all__ += instances.__all__
__all__ += maps.__all__
__all__ += meshes.__all__
__all__ += parameters.__all__
__all__ += patterns.__all__
__all__ += plans.__all__
__all__ += presets.__all__
__all__ += recipes.__all__
__all__ += regions.__all__
__all__ += scenes.__all__
__all__ += sheets.__all__
__all__ += steps.__all__
__all__ += tones.__all__
__all__ += twins.__all__
__all__ += variants.__all__
