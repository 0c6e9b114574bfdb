"""Lists of places in files: CSV with a line of names, or JSON, a list of objects; x and z in metres at the least."""

import csv
import io
import math
from collections.abc import Mapping
from pathlib import Path

import msgspec

from even_palette.core.disk.gate import read_bytes
from even_palette.core.errors import UserError
from even_palette.core.kit.model import Kit
from even_palette.core.kit.scene import FARTHEST, Own, Placing, Spot
from even_palette.core.limits import MOST_INSTANCES

MOST_BYTES = 16 << 20
NAMES = ("x", "y", "z", "turn", "scale", "variant", "seed")
"""What a line may have, by these names: metres, degrees, a factor, the name or key of a variant, a seed 0..1."""


def read_spots(path: Path, kit: Kit, mesh: str) -> Placing:
    """A placing of a mesh as a file lists it. Raises UserError, naming the file and the line, for what is no place."""
    text = read_bytes(path, MOST_BYTES)
    rows = _from_json(path, text) if path.suffix.lower() == ".json" else _from_csv(path, text)
    if not 0 < len(rows) <= MOST_INSTANCES:
        raise UserError(f"{path.name} lists {len(rows):,} places; between 1 and {MOST_INSTANCES:,} can be read.")
    variants = {name: key for key, name in kit.variant_names.items()} | {key: key for key in kit.variant_names}
    spots, own = [], {}
    for number, row in enumerate(rows):
        where = f"{path.name}, place {number + 1}"
        x, y, z, turn, scale = (
            _number(row, name, usual, where) for name, usual in zip(NAMES, (None, 0.0, None, 0.0, 1.0), strict=False)
        )
        if not 1e-3 <= scale <= 1e3 or abs(turn) > FARTHEST:
            raise UserError(f"{where}: a scale lies between 0.001 and 1000, and a turn below {FARTHEST:,.0f} degrees.")
        spots.append(Spot((x, y, z), turn, scale))
        variant, seed = str(row.get("variant") or ""), row.get("seed")
        if variant and variant not in variants:
            raise UserError(f"{where}: there is no variant “{variant[:40]}”; there is {', '.join(variants)[:200]}.")
        if variant or seed not in (None, ""):
            drawn = _number(row, "seed", 0.0, where) if seed not in (None, "") else None
            if drawn is not None and not 0 <= drawn <= 1:
                raise UserError(f"{where}: a seed lies between 0 and 1.")
            own[str(number)] = Own(seed=drawn, variant=variants[variant] if variant else None)
    return Placing("", path.stem[:60] or "List", "list", mesh, len(spots), spots=tuple(spots), own=own)


def _from_csv(path: Path, text: bytes) -> list[Mapping[str, object]]:
    try:
        lines = csv.DictReader(io.StringIO(text.decode("utf-8-sig"), newline=""))
        rows = [{str(name).strip().lower(): cell for name, cell in line.items()} for line in lines]
    except (UnicodeDecodeError, csv.Error) as error:
        raise UserError(f"{path.name} is no table of text: {error}.") from None
    return list(rows)


def _from_json(path: Path, text: bytes) -> list[Mapping[str, object]]:
    try:
        found = msgspec.json.decode(text, type=list[dict[str, object]])
    except (msgspec.DecodeError, RecursionError) as error:
        raise UserError(f"{path.name} is no list of places: {error}.") from None
    return list(found)


def _number(row: Mapping[str, object], name: str, usual: float | None, where: str) -> float:
    given = row.get(name)
    if given in (None, ""):
        if usual is None:
            raise UserError(f"{where} has no {name}; a list names x and z, and may name y, turn and scale.")
        return usual
    try:
        found = float(given)  # type: ignore[arg-type]
    except (TypeError, ValueError):
        raise UserError(f"{where}: {name} is “{str(given)[:40]}”, which is no number.") from None
    if not math.isfinite(found) or abs(found) > FARTHEST:
        raise UserError(f"{where}: {name} lies outside of {FARTHEST:,.0f}.")
    return found
