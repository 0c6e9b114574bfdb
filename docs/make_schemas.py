"""Writes the JSON Schemas of kits, recipes in files and packages beside this file: `python docs/make_schemas.py`."""

from pathlib import Path

import msgspec

from even_palette.core.kit.recipe_file import recipe_schema
from even_palette.core.kit.store import kit_schema
from even_palette.core.ship.package import package_schema


def main() -> None:
    for name, schema in (("kit", kit_schema()), ("recipe", recipe_schema()), ("package", package_schema())):
        text = msgspec.json.format(msgspec.json.encode(schema), indent=2) + b"\n"
        (Path(__file__).parent / f"{name}.schema.json").write_bytes(text)


if __name__ == "__main__":
    main()
