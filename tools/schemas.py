"""Write the schemas of what `--json` prints into docs/schemas, from the types of the answers."""

from __future__ import annotations

import json
from pathlib import Path

from embrix.cli.schemas import ANSWERS, schema_of

TARGET = Path(__file__).resolve().parent.parent / "docs" / "schemas"


def main() -> None:
    for command in ANSWERS:
        path = TARGET / f"{command}.schema.json"
        path.write_text(json.dumps(schema_of(command), indent=2) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
