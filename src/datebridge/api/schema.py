"""Writes the OpenAPI schema, from which the front end's client is generated: ``python -m … FILE``."""

from __future__ import annotations

import json
import sys
from pathlib import Path

from datebridge.api.app import schema


def text() -> str:
    return json.dumps(schema(), indent=1) + "\n"


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(text(), "utf-8")
