"""The last good state of a project whose document cannot be read, brought back as a copy. The original is never touched."""

from __future__ import annotations

from pathlib import Path

from pydantic import ValidationError
from sqlalchemy import text

from ruvelt.core.errors import InputError, RuveltError
from ruvelt.core.stack.document import Document
from ruvelt.core.stack.edits import EDIT, apply_edit
from ruvelt.store.copies import copy_file
from ruvelt.store.database import connect, migrate, reading, transaction
from ruvelt.store.lock import FolderLock
from ruvelt.store.project_store import FILE


def recover(source: Path, folder: Path, uid: str, name: str, who: str) -> int:
    """Copy the project in `source` into the new, empty `folder`, set back to the newest step whose document can be read.

    It begins from the document that was whole when the project was last opened and applies the steps after it for as long as they can be
    read; without one it takes the newest named version that can. Pixels follow. Returns the step. Raises InputError when nothing can be read.
    """
    lock = FolderLock(source, who)
    engine = connect(source / FILE)
    try:
        migrate(engine)
        copy_file(engine, folder)
    finally:
        engine.dispose()
        lock.release()
    copy = connect(folder / FILE)
    try:
        found = _last_good(copy)
        if found is None:
            raise InputError("Nothing in this project can be read, not even a named version. Restore it from a backup.")
        head, document, version = found
        with transaction(copy) as connection:
            stored = int(connection.execute(text("SELECT head FROM project")).scalar() or 0)
            if version is not None:
                connection.execute(text("DELETE FROM plane_chunk"))
                columns = "plane, chunk, components, hash"
                connection.execute(
                    text(f"INSERT INTO plane_chunk ({columns}) SELECT {columns} FROM version_chunk WHERE version = :v"), {"v": version}
                )
                connection.execute(text("DELETE FROM history"))
            else:
                for seq in range(stored, head, -1):
                    _take_back(connection, seq)
                connection.execute(text("DELETE FROM history WHERE seq > :head"), {"head": head})
            state = {"uid": uid, "name": name, "head": head, "document": document.to_stored()}
            connection.execute(
                text("UPDATE project SET uid = :uid, name = :name, head = :head, document = :document, undo_floor = min(undo_floor, :head)"), state
            )
    finally:
        copy.dispose()
    return head


def _last_good(engine) -> tuple[int, Document, int | None] | None:  # type: ignore[no-untyped-def]
    """Step, document and, where it is one, number of the version of the newest state that can be read."""
    with reading(engine) as connection:
        stored = int(connection.execute(text("SELECT head FROM project")).scalar() or 0)
        good = connection.execute(text("SELECT head, document FROM good_state")).first()
        steps = connection.execute(text("SELECT seq, edit FROM history ORDER BY seq")).all()
        versions = connection.execute(text("SELECT id, document FROM version ORDER BY id DESC")).all()
    if good is not None and good.head <= stored:
        try:
            document, head = Document.from_stored(good.document), int(good.head)
        except ValidationError:
            pass
        else:
            for seq, edit in ((s, e) for s, e in steps if good.head < s <= stored):
                try:
                    if edit is not None:
                        document, _ = apply_edit(document, EDIT.validate_json(edit))
                        Document.from_stored(document.to_stored())
                except (ValidationError, RuveltError):
                    break
                head = seq
            return head, document, None
    for number, content in versions:
        try:
            return 0, Document.from_stored(content), int(number)
        except ValidationError:
            continue
    return None


def _take_back(connection, seq: int) -> None:  # type: ignore[no-untyped-def]
    """Put every chunk that a step changed back to what it was before."""
    for row in connection.execute(text("SELECT plane, chunk, components, before FROM history_chunk WHERE seq = :seq"), {"seq": seq}).all():
        where = {"plane": row.plane, "chunk": row.chunk}
        connection.execute(text("DELETE FROM plane_chunk WHERE plane = :plane AND chunk = :chunk"), where)
        if row.before is not None:
            connection.execute(
                text("INSERT INTO plane_chunk (plane, chunk, components, hash) VALUES (:plane, :chunk, :components, :hash)"),
                {**where, "components": row.components, "hash": row.before},
            )
