"""What a list needs to know and show of a project, read without opening it: no lock, no migration, nothing written."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import zstandard
from sqlalchemy import create_engine, text

from ruvelt.core.errors import StorageError
from ruvelt.store.database import reading
from ruvelt.store.project_store import FILE, read_document


@dataclass(frozen=True)
class Summary:
    """A project as a list shows it. `trouble`: why it cannot be opened, None when nothing is known against it."""

    uid: str
    name: str
    created_at: float
    updated_at: float
    revision: int
    sheets: int
    layers: int
    trouble: str | None = None


def stored_model(folder: Path) -> bytes:
    """The model that a project began with, as `Model.from_bytes` reads it. Raises StorageError when it cannot be read."""
    engine = create_engine(f"sqlite:///{folder / FILE}", connect_args={"timeout": 5})
    try:
        with reading(engine) as connection:
            connection.execute(text("PRAGMA query_only = ON"))
            packed = connection.execute(text("SELECT data FROM blob JOIN project ON blob.hash = project.model")).scalar()
        if packed is None:
            raise StorageError("The model is missing from the project file. Restore it from a backup.")
        return zstandard.ZstdDecompressor().decompress(packed)
    except zstandard.ZstdError:
        raise StorageError("The model in the project file is damaged. Restore it from a backup.") from None
    finally:
        engine.dispose()


def summary(folder: Path) -> Summary:
    """Never raises for what a project's file holds: a file that cannot be read is told as trouble."""
    engine = create_engine(f"sqlite:///{folder / FILE}", connect_args={"timeout": 5})
    name, created, updated, revision = folder.name, 0.0, 0.0, 0
    try:
        updated = (folder / FILE).stat().st_mtime
        with reading(engine) as connection:
            connection.execute(text("PRAGMA query_only = ON"))
            row = connection.execute(text("SELECT name, created_at, updated_at, revision, document FROM project")).one_or_none()
        if row is None:
            raise StorageError("The project file is empty. Restore it from a backup.")
        name, created, updated, revision = str(row.name), float(row.created_at), float(row.updated_at), int(row.revision)
        document = read_document(row.document)
    except (StorageError, OSError, ValueError, TypeError) as error:
        trouble = str(error) if isinstance(error, StorageError) else "The project file is damaged. Restore it from a backup."
        return Summary(folder.name, name, created, updated, revision, 0, 0, trouble)
    finally:
        engine.dispose()
    layers = sum(1 for sheet in document.sheets for _ in sheet.walk())
    return Summary(folder.name, name, created, updated, revision, len(document.sheets), layers)
