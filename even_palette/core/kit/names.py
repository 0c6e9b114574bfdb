"""Names and keys: free ones, and the form of keys."""

import re
from collections.abc import Iterable, Mapping

from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit.model import Kit


class Names:
    """Names that are taken. However many there are, a free one is found by looking it up."""

    def __init__(self, taken: Iterable[str] = (), joiner: str = " ") -> None:
        self._taken, self._joiner = set(taken), joiner
        self._next: dict[str, int] = {}

    def give(self, wanted: str) -> str:
        """`wanted`, with a number behind it if it is taken; it is taken from then on."""
        number, name = self._next.get(wanted, 2), wanted
        while name in self._taken:
            name, number = f"{wanted}{self._joiner}{number}", number + 1
        self._next[wanted] = number
        self._taken.add(name)
        return name


def unique(wanted: str, taken: Iterable[str], joiner: str = " ") -> str:
    """`wanted`, with a number behind it if it is taken."""
    return Names(taken, joiner).give(wanted)


def keys_of(kit: Kit) -> set[str]:
    """Every key that is or was in use, whatever for, and those that were retired."""
    lists = (kit.meshes, kit.parameters, kit.variants, kit.palettes, kit.ramps, kit.recipes, kit.plans, kit.presets)
    keys = {*kit.retired, *(part.key for parts in lists for part in parts)}
    for mesh in kit.meshes:
        keys.update((*mesh.faces.regions, *mesh.twins.regions))
    for sheet in kit.sheets:
        keys.add(sheet.key)
        for parts in (sheet.sources, sheet.regions, sheet.bakes, sheet.tones, sheet.twins):
            keys.update(part.key for part in parts)
    for scene in kit.scenes:
        keys.update((scene.key, *(placing.key for placing in scene.placings)))
    return keys


def new_key(kit: Kit, wanted: str) -> str:
    """A key that was never used in the kit, made from any text."""
    return unique(identifier(wanted), keys_of(kit), "_")


def retire(kit: Kit, *keys: str) -> Kit:
    """The kit with keys noted that are never to be used again; the kit itself where that are none."""
    more = [key for key in keys if key not in kit.retired]
    return replace(kit, retired=(*kit.retired, *more)) if more else kit


def keys_called(what: str, there: Mapping[str, str], wanted: Iterable[str]) -> list[str]:
    """The keys of what is wanted by name or key, of names by key; all without a wish.

    Raises UserError for what is not there.
    """
    found = []
    for each in wanted or there:
        key = each if each in there else next((key for key, name in there.items() if name == each), None)
        if key is None:
            raise UserError(f"There is no {what} “{each}”; there is {', '.join(there.values())}.")
        found.append(key)
    return list(dict.fromkeys(found))


def identifier(text: str) -> str:
    """A lower-case ASCII identifier made from any text, without doubled underscores (GLSL reserves those)."""
    name = re.sub(r"[^a-z0-9]+", "_", text.lower()).strip("_")[:48].rstrip("_") or "item"
    return f"n{name}" if name[0].isdigit() else name
