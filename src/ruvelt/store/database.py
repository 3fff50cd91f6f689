"""One SQLite database a project: opening, migrating, and turning its failures into words."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from threading import Lock
from typing import Any

from sqlalchemy import Connection, Engine, create_engine, event, text
from sqlalchemy.exc import DatabaseError, OperationalError

from ruvelt.core.errors import InputError, StorageError
from ruvelt.store.schema import HEAD


def connect(path: Path) -> Engine:
    """An engine on a database file in WAL mode; a commit has reached the disk when it returns."""
    engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": 15, "check_same_thread": False})

    @event.listens_for(engine, "connect")
    def _pragmas(connection: Any, record: Any) -> None:
        cursor = connection.cursor()
        # Space is given back only by a database that was told so before its first table.
        for pragma in (
            "auto_vacuum=INCREMENTAL",
            "journal_mode=WAL",
            "synchronous=FULL",
            "foreign_keys=ON",
            "mmap_size=268435456",
            "cache_size=-8000",
        ):
            cursor.execute(f"PRAGMA {pragma}")
        cursor.close()

    return engine


_migrating = Lock()


def migrate(engine: Engine) -> None:
    """Bring a database to the newest schema; a database made by a newer Ruvelt is left alone and refused."""
    with _in_words(), engine.connect() as connection:
        tables = connection.execute(text("SELECT name FROM sqlite_master WHERE name = 'alembic_version'")).scalar()
        current = connection.execute(text("SELECT version_num FROM alembic_version")).scalar() if tables else None
    if current == HEAD:
        return
    if current is not None and current > HEAD:
        raise InputError("This project was saved by a newer Ruvelt. Update Ruvelt to open it.")
    # Imported where it is used: most starts have nothing to migrate.
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    # Alembic keeps what it works on in the process, not in the thread: two projects made at once would each take the other's.
    with _migrating, transaction(engine) as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


@contextmanager
def transaction(engine: Engine) -> Iterator[Connection]:
    """All or nothing. Raises StorageError when the disk is full or the file cannot be written; nothing is changed then."""
    with _in_words(), engine.begin() as connection:
        yield connection


@contextmanager
def reading(engine: Engine) -> Iterator[Connection]:
    """A connection for questions. Raises StorageError when the file cannot be read."""
    with _in_words(), engine.connect() as connection:
        yield connection


@contextmanager
def _in_words() -> Iterator[None]:
    """The database's own errors as StorageError."""
    try:
        yield
    except OperationalError as error:
        if "full" in str(error.orig):
            raise StorageError("The disk is full, so this step was not stored. Free some space and repeat it; all earlier work is safe.") from None
        if "readonly" in str(error.orig) or "read-only" in str(error.orig):
            raise StorageError(
                "The project file cannot be written to: its folder or disk is read-only. Make it writable and repeat this step."
            ) from None
        raise StorageError(f"The project file cannot be reached ({error.orig}). Nothing was changed; check its disk and try again.") from None
    except DatabaseError as error:
        raise StorageError(f"The project file is damaged or not a project ({error.orig}). Restore it from a backup.") from None
