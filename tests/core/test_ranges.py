"""Ranges that fields declare: the reader refuses what lies beside them, names it, and the published schema says so too."""

import copy
import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
import pytest
from jsonschema import Draft202012Validator
from msgspec import inspect
from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.model import Kit
from even_palette.core.kit.sheet import Box
from even_palette.core.kit.store import decode_kit, encode_kit, kit_schema
from even_palette.core.kit.validate import check_kit
from even_palette.demo import KIT_FOLDER

Path_ = tuple[str | int, ...]
RAW = json.loads((KIT_FOLDER / "kit.json").read_bytes())
SCHEMA = Draft202012Validator(kit_schema())


def _length(part: Any) -> int:
    return len(json.dumps(part))


def beside(kind: Any) -> list[Any]:
    """Values just beside what a type declares."""
    match kind:
        case inspect.IntType() | inspect.FloatType():
            step = 1 if isinstance(kind, inspect.IntType) else 1e-3
            bounds = ((kind.ge, -step), (kind.le, step), (kind.gt, 0), (kind.lt, 0))
            return [bound + by for bound, by in bounds if bound is not None]
        case inspect.StrType() if kind.pattern is not None:
            return ["Not Plain", "a\n", "a__b", "a" * 65]
    return []


def places(kind: Any, raw: Any, path: Path_, told: str) -> Iterator[tuple[str, Path_, list[Any]]]:
    """Fields of a document whose types declare something: what they are called, where they are, and values beside."""
    match kind:
        case inspect.StructType():
            for field in kind.fields:
                if field.name in raw:
                    yield from places(
                        field.type, raw[field.name], (*path, field.name), f"{kind.cls.__name__}.{field.name}"
                    )
        case inspect.VarTupleType() | inspect.ListType():
            if kind.max_length is not None:
                yield told, path, [[min(raw, key=_length)] * (kind.max_length + 1)] if raw else []
            for number, part in enumerate(raw):
                yield from places(kind.item_type, part, (*path, number), told)
        case inspect.TupleType():
            for number, (of, part) in enumerate(zip(kind.item_types, raw, strict=True)):
                yield from places(of, part, (*path, number), told)
        case inspect.DictType():
            for name, part in raw.items():
                yield from places(kind.value_type, part, (*path, name), told)
        case inspect.UnionType() if raw is not None:
            for of in kind.types:
                if isinstance(of, inspect.StructType) and isinstance(raw, dict):
                    yield from places(of, raw, path, told)
        case _:
            yield told, path, beside(kind)


FOUND: dict[str, tuple[Path_, list[Any]]] = {}
for _told, _path, _values in places(inspect.type_info(Kit), RAW, (), "Kit"):
    if _values:
        FOUND.setdefault(_told, (_path, _values))


def with_value(path: Path_, value: Any) -> Any:
    changed = copy.deepcopy(RAW)
    at = changed
    for part in path[:-1]:
        at = at[part]
    at[path[-1]] = value
    return changed


def test_the_demo_has_most_of_what_declares_something() -> None:
    decode_kit(json.dumps(RAW).encode(), KIT_FOLDER)
    assert SCHEMA.is_valid(RAW)
    assert len(FOUND) > 35, sorted(FOUND)


@pytest.mark.parametrize("told", sorted(FOUND))
def test_what_lies_beside_is_refused_by_reader_and_schema(told: str, tmp_path: Path) -> None:
    path, values = FOUND[told]
    for value in values:
        changed = with_value(path, value)
        field = next(str(part) for part in reversed(path) if isinstance(part, str)).replace("_", " ")
        declared = told.rpartition(".")[2].replace("_", " ")  # of what a name leads to, its field is told
        with pytest.raises(UserError, match=f"{field}|{declared}"):
            decode_kit(json.dumps(changed).encode(), tmp_path)
        if not (isinstance(value, str) and value.endswith("\n")):  # what checks schemas here is written in Python
            assert not SCHEMA.is_valid(changed), value


def test_what_commands_are_given_is_refused_alike(history: History, tmp_path: Path) -> None:
    """Before it is in the kit: also numbers that are none, and values that no kit can hold."""
    region = history.kit.regions[0]
    for wrong, said in (
        (replace(region, inner=float("nan")), "region “.*”: inner cannot be nan; it is at least 0"),
        (replace(region, boxes=(Box(0.0, 0.0, 1.5, 1.0),)), "right cannot be 1.5; it is at most 1"),
        (replace(region, id_colour=(0, 300, 0)), "region “.*”: id colour cannot be 300"),
        (replace(region, boxes=(Box(0.0, 0.0, 0.1, 0.1),) * 65), "65 boxes of region “.*”; the limit is 64"),
        (replace(region, inner=np.float64(3.0)), "no plain value"),
        (replace(region, key="Not Plain"), "key “Not Plain” is not a plain identifier"),
        (replace(region, locked="yes"), "locked: Expected `bool`"),
    ):
        sheet = replace(history.kit.sheets[0], regions=(wrong,))
        with pytest.raises(UserError, match=said):
            check_kit(history.kit.with_sheet(sheet))


def test_numbers_of_any_kind_are_kept_as_plain_ones(history: History, tmp_path: Path) -> None:
    """What a script works out with NumPy is set, saved and read again."""
    region = history.kit.regions[0].key
    history.do(commands.set_cell_value(region, "colour", tuple(np.linspace(0, 1, 3))))
    history.do(commands.set_cell_value(region, "strength", np.float32(0.5)))
    history.do(commands.set_cell_value(region, "colour", tuple(np.float32((1, 0, 0.5))), "day"))
    check_kit(history.kit)
    assert decode_kit(encode_kit(history.kit, tmp_path), tmp_path) == history.kit
    with pytest.raises(UserError, match="cannot be"):
        history.do(commands.set_cell_value(region, "strength", np.float32("nan")))
    assert msgspec.to_builtins(history.kit.regions[0].coats[0].values)
