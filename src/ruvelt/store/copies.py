"""Whole project files copied as they stand, while they are in use."""

from __future__ import annotations

from pathlib import Path

from sqlalchemy import Engine, text

from ruvelt.store.database import connect, reading, transaction
from ruvelt.store.project_store import FILE


def copy_file(engine: Engine, folder: Path) -> None:
    """Copy an open project's file, with nothing half-written in it, into an empty folder."""
    with reading(engine) as connection:
        connection.execute(text("VACUUM INTO :path"), {"path": str(folder / FILE)})


def copy_project(source: Path, folder: Path, uid: str, name: str) -> None:
    """Copy the project in `source` into the empty `folder`, under an id and a name of its own."""
    engine = connect(source / FILE)
    try:
        copy_file(engine, folder)
    finally:
        engine.dispose()
    copy = connect(folder / FILE)
    try:
        with transaction(copy) as connection:
            connection.execute(text("UPDATE project SET uid = :uid, name = :name"), {"uid": uid, "name": name})
    finally:
        copy.dispose()
