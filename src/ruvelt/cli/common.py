"""What all commands share: --data, --json, and how they tell what they did."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from functools import wraps
from pathlib import Path
from typing import Any

import click

from ruvelt.core.errors import RuveltError
from ruvelt.studio.studio import Studio

DEFAULT_DATA = Path.home() / ".local" / "share" / "ruvelt"


def common(command: Callable[..., Any]) -> Callable[..., Any]:
    """--data and --json for a command that gets an open studio and returns what it has to tell."""

    @click.option("--data", type=click.Path(path_type=Path, file_okay=False), default=DEFAULT_DATA, help="Folder that holds the projects.")
    @click.option("--json", "as_json", is_flag=True, help="Answer in JSON.")
    @wraps(command)
    def run(data: Path, as_json: bool, **options: Any) -> None:
        try:
            here = Studio(data, who=f"the command 'ruvelt {command.__name__.rstrip('_')}'")
            try:
                told = command(here, **options)
            finally:
                here.close()
        except RuveltError as error:
            fail(str(error), as_json)
        except OSError as error:
            fail(f"{error.filename or data}: {error.strerror}.", as_json)
        else:
            # A command may say with what the process ends, for pipelines.
            code = told.pop("exit_code", 0)
            click.echo(json.dumps(told, ensure_ascii=False) if as_json else as_text(told))
            if code:
                sys.exit(code)

    return run


def fail(message: str, as_json: bool) -> None:
    click.echo(json.dumps({"error": message}, ensure_ascii=False) if as_json else f"ruvelt: {message}", err=not as_json)
    sys.exit(2)


def as_text(told: dict[str, Any]) -> str:
    lines = []
    for key, value in told.items():
        if isinstance(value, list):
            lines.append(f"{key}:")
            lines += ["  " + ("  ".join(f"{k} {v}" for k, v in item.items()) if isinstance(item, dict) else str(item)) for item in value]
        else:
            lines.append(f"{key}: {value}")
    return "\n".join(lines)
