"""Writes the JSON Schemas of kits, recipes, output plans and packages here: `python docs/make_schemas.py`."""

from pathlib import Path

import msgspec

from even_palette.core.kit.output_plan import plan_schema
from even_palette.core.kit.recipe_file import recipe_schema
from even_palette.core.kit.store import kit_schema
from even_palette.core.ship.package import package_schema


def main() -> None:
    schemas = {
        "kit": kit_schema(), "recipe": recipe_schema(), "plan": plan_schema(), "package": package_schema(),
    }  # fmt: skip
    for name, schema in schemas.items():
        text = msgspec.json.format(msgspec.json.encode(schema), indent=2) + b"\n"
        (Path(__file__).parent / f"{name}.schema.json").write_bytes(text)


if __name__ == "__main__":
    main()
