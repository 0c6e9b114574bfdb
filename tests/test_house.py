"""The house stays one in which a newcomer finds things: no file is long."""

from pathlib import Path

import pytest

import even_palette

PLACE = Path(even_palette.__file__).parent


@pytest.mark.parametrize(("part", "most"), [("app", 400), ("core", 350)])
def test_no_file_is_long(part: str, most: int) -> None:
    lengths = {path: len(path.read_text().splitlines()) for path in (PLACE / part).rglob("*.py")}
    assert lengths
    assert [(path.name, length) for path, length in lengths.items() if length > most] == []
