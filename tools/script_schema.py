"""Write the JSON schema of stroke scripts to docs/developers/, or check that it is current."""

from __future__ import annotations

import json
import sys
from pathlib import Path

from ruvelt.core.brush.script import StrokeScript

PATH = Path(__file__).parent.parent / "docs" / "developers" / "stroke-script.schema.json"

if __name__ == "__main__":
    text = json.dumps(StrokeScript.model_json_schema(), indent=1, sort_keys=True) + "\n"
    if "--check" in sys.argv:
        if not PATH.is_file() or PATH.read_text() != text:
            sys.exit(f"{PATH.name} is out of date: run 'make types'")
    else:
        PATH.write_text(text)
