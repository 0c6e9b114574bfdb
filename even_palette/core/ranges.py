"""Ranges that fields of structs declare, so that decoding checks them and schemas say them; and sentences of what does
not keep to them."""

import re
from collections.abc import Mapping
from typing import Annotated

import msgspec
from msgspec import Meta

from even_palette.core.errors import UserError

PLAIN = r"[a-z][a-z0-9]*(_[a-z0-9]+)*"
"""What keys and the names of parameters look like; GLSL (4.60, section 3.7) reserves doubled underscores."""
END = r"$(?!\n)"
"""The end of a text; Python's own `$` also stands before a last line break."""
Key = Annotated[str, Meta(pattern=f"^{PLAIN}{END}", max_length=64)]
NoKey = Annotated[str, Meta(pattern=f"^({PLAIN})?{END}", max_length=64)]
"""A key, or "" for none."""
Level = Annotated[int, Meta(ge=0, le=255)]
Share = Annotated[float, Meta(ge=0, le=1)]
Natural = Annotated[int, Meta(ge=0)]

_AT = re.compile(r"(?P<what>.*?) - at (?P<key>`key` in )?`\$(?P<path>[^`]*)`")
_PART = re.compile(r"\.(\w+)|\[(\d+)\]|\[\.\.\.\]")
_LENGTH = re.compile(r"Expected `\w+` of length (<=|>=) (\d+)")
_NUMBER = re.compile(r"Expected `(?:int|float)` (<=|>=|<|>) (\S+)")
_FORM = re.compile(r"Expected `str` matching regex '\^?(.*?)(?:\$\(\?!\\+n\))?'")
ONE = {"sources": "map", "meshes": "mesh", "boxes": "box", "overcoats": "coat"}
"""What one of many is called, where it is not the word without its s."""
WITHIN = ("coat", "row", "stop", "step", "box", "part")
"""What is told with what it is in; all else is known by its name."""
BOUND = {"<=": "at most", ">=": "at least", "<": "less than", ">": "more than"}


def check_declared(part: msgspec.Struct, kind: str = "") -> None:
    """Raise UserError where a struct that was made here is not what its fields declare; `kind` as in `told`."""
    try:
        values = msgspec.to_builtins(part, builtin_types=(bytes,))
    except TypeError as error:
        raise UserError(f"it holds what is no plain value: {error}.") from None
    try:
        msgspec.convert(values, type(part), builtin_types=(bytes,))
    except msgspec.ValidationError as error:
        raise UserError(told(error, values, kind)) from None


def told(error: Exception, whole: object, kind: str = "") -> str:
    """What msgspec found in plain values (dicts and lists), as a sentence that names the part and its value.

    `kind` is what the whole is called; without it just its parts are named.
    """
    found = _AT.fullmatch(str(error))
    if found is None:
        return str(error)
    parts, field, at = [_called(whole, kind)] if kind else [], "", None if found["key"] else whole
    for name, number in _PART.findall(found["path"]):
        at = _below(at, name, number)
        if name:
            field = name
        elif isinstance(at, Mapping):
            one = ONE.get(field, field.removesuffix("s"))
            parts = parts if one in WITHIN else []
            parts.append(_called(at, one) or f"{one} {int(number or 0) + 1}")
    return _sentence(found["what"], ", ".join(part for part in parts if part), field, at)


def _called(part: object, kind: str) -> str:
    """What a part is and what it is called; "" where it has neither name nor key."""
    called = (part.get("name") or part.get("key")) if isinstance(part, Mapping) else None
    return f"{kind} “{str(called)[:40]}”" if called else ""


def _below(at: object, name: str, number: str) -> object:
    """A part of plain values; None where it is not known which, as msgspec tells no keys of dicts."""
    if number:
        return at[int(number)] if isinstance(at, list | tuple) and int(number) < len(at) else None
    return at.get(name) if isinstance(at, Mapping) and name else None


def _sentence(what: str, who: str, field: str, value: object) -> str:
    field = field.replace("_", " ")
    if (length := _LENGTH.fullmatch(what)) and isinstance(value, list | tuple):
        of = f" of {who}" if who else ""
        if length[1] == ">=":
            return f"{len(value)} {field}{of}; there must be {int(length[2])} at least."
        return f"{len(value):,} {field}{of}; the limit is {int(length[2]):,}."
    of = f"{who}: " if who else ""
    bound = _NUMBER.fullmatch(what)
    if bound and isinstance(value, int | float):
        given = f"{value:g}" if isinstance(value, float) else str(value)[:40]
        return f"{of}{field} cannot be {given}; it is {BOUND[bound[1]]} {float(bound[2]):g}."
    if bound:
        return f"{of}{field} must be {BOUND[bound[1]]} {float(bound[2]):g}."
    if isinstance(value, str) and (PLAIN in what or "of length" in what):
        return f"{of}{field} “{value[:40]}” is not a plain identifier."
    if isinstance(value, str) and (form := _FORM.fullmatch(what)):
        return f"{of}{field} “{value[:40]}” is not of the form {form[1]}."
    return f"{of}{field}: {what}." if field else what
