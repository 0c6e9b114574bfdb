"""Twins: parts of a sheet that look different, though their maps, regions and masks are those of the sheet."""

import msgspec

from even_palette.core.material.model import Setting
from even_palette.core.ranges import Key, NoKey


class Twin(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A twin of a sheet: it has all that the sheet has but the values of parameters that it sets itself.

    `values` are those, by variant ("" for the master) and parameter, both by key. What the twin sets in a variant, or
    in one that this inherits from, counts before all that variants set for others. `key` stays when the name changes.
    """

    key: Key
    name: str
    values: dict[NoKey, dict[Key, Setting]] = {}
