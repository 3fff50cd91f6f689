"""What keeps a project's file small: blobs nobody refers to, undo that is no longer wanted, space given back. Done while nobody waits."""

from __future__ import annotations

import shutil
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import text

from ruvelt.store.database import reading, transaction
from ruvelt.store.pictures import FILE as PICTURES
from ruvelt.store.project_store import FILE, ProjectStore

#: Pages given back a transaction, so that a stroke that arrives meanwhile waits a few milliseconds at most.
PAGES = 512
#: A file is rebuilt only where this many times its size is free.
ROOM = 2.5

_DROP = """
    DELETE FROM blob WHERE hash NOT IN (
        WITH RECURSIVE used(hash) AS (
            SELECT hash FROM plane_chunk
            UNION SELECT before FROM history_chunk WHERE before IS NOT NULL
            UNION SELECT after FROM history_chunk WHERE after IS NOT NULL
            UNION SELECT hash FROM version_chunk
            UNION SELECT model FROM project
            UNION SELECT blob.base FROM blob JOIN used ON blob.hash = used.hash WHERE blob.base IS NOT NULL
        ) SELECT hash FROM used
    )
"""


@dataclass(frozen=True)
class FileSizes:
    """Bytes of a project on disk: `project` its database, `undo` what only history refers to in it, `pictures` what can be made anew."""

    project: int
    undo: int
    pictures: int


def drop_unused_blobs(store: ProjectStore) -> int:
    """Delete blobs that nothing refers to any more; returns how many. Does nothing while a commit to come may refer to some."""
    if store.blobs.busy:
        return 0
    with transaction(store.engine) as connection:
        return int(connection.execute(text(_DROP)).rowcount)


def trim_undo(store: ProjectStore) -> bool:
    """Let go of the pixels of steps that undo no longer keeps; their strokes stay on record. Never leaves more to do."""
    floor = store.head - store.undo_steps
    if store.undo_steps == 0 or floor <= store.undo_floor:
        return False
    with transaction(store.engine) as connection:
        connection.execute(text("UPDATE history_chunk SET before = NULL, after = NULL WHERE seq <= :floor"), {"floor": floor})
        connection.execute(text("UPDATE history SET inverse = NULL WHERE seq <= :floor"), {"floor": floor})
        connection.execute(text("UPDATE project SET undo_floor = :floor"), {"floor": floor})
    store.undo_floor = floor
    return False


def give_back(store: ProjectStore) -> bool:
    """Return some free pages of the file to the disk; says whether there are more.

    A file from before space was given back is rebuilt once, if the disk has room for it.
    """
    with reading(store.engine) as connection:
        able = connection.execute(text("PRAGMA auto_vacuum")).scalar()
        free = int(connection.execute(text("PRAGMA freelist_count")).scalar() or 0)
        pages = int(connection.execute(text("PRAGMA page_count")).scalar() or 0)
    if not able:
        if free * 4 >= pages and shutil.disk_usage(store.folder).free > (store.folder / FILE).stat().st_size * ROOM:
            _outside_transactions(store, "PRAGMA auto_vacuum=INCREMENTAL", "VACUUM")
        return False
    if free:
        _outside_transactions(store, f"PRAGMA incremental_vacuum({PAGES})")
    return free > PAGES


def _outside_transactions(store: ProjectStore, *statements: str) -> None:
    """Statements that SQLite takes only outside of transactions, each stepped to its end (one step frees one page)."""
    with reading(store.engine) as connection:
        raw = connection.connection.driver_connection
        assert raw is not None
        for statement in statements:
            raw.executescript(statement)


def checkpoint(store: ProjectStore) -> bool:
    """Bring the write-ahead log into the file and empty it; there is never more to do."""
    with reading(store.engine) as connection:
        connection.execute(text("PRAGMA wal_checkpoint(TRUNCATE)")).all()
    return False


def file_sizes(store: ProjectStore) -> FileSizes:
    """How much disk a project takes."""
    only_undo = """
        SELECT coalesce(sum(length(data)), 0) FROM blob WHERE hash NOT IN (
            WITH RECURSIVE used(hash) AS (
                SELECT hash FROM plane_chunk UNION SELECT hash FROM version_chunk UNION SELECT model FROM project
                UNION SELECT blob.base FROM blob JOIN used ON blob.hash = used.hash WHERE blob.base IS NOT NULL
            ) SELECT hash FROM used
        )
    """
    with reading(store.engine) as connection:
        undo = int(connection.execute(text(only_undo)).scalar() or 0)
    return FileSizes(_size(store.folder, FILE), undo, _size(store.folder, PICTURES))


def _size(folder: Path, name: str) -> int:
    return sum(path.stat().st_size for path in (folder / name, folder / f"{name}-wal") if path.is_file())
