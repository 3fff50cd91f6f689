"""A project on disk: document, planes, history and named versions. Every change is one transaction."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from sqlalchemy import Connection, delete, insert, select, text, update
from sqlalchemy.dialects.sqlite import insert as upsert

from ruvelt.core.errors import Conflict, InputError, NotFound, RuveltError, StorageError
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.planes.plane import Plane
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.document import Document
from ruvelt.core.stack.edits import EDIT, AnyEdit, apply_edit
from ruvelt.core.stack.plane_ids import MODEL_PLANE
from ruvelt.core.stack.wholeness import check_document
from ruvelt.store.blobs import BlobStore
from ruvelt.store.database import connect, migrate, reading, transaction
from ruvelt.store.lock import FolderLock
from ruvelt.store.schema import GoodStateRow, HistoryChunkRow, HistoryRow, PlaneChunkRow, ProjectRow, VersionChunkRow, VersionRow

FILE = "project.sqlite"

#: plane → chunk → key of the new values, or None to remove the chunk
Changes = Mapping[str, Mapping[int, str | None]]


@dataclass(frozen=True)
class HistoryEntry:
    """One step as told to people. `kept`: whether undo can still reach it."""

    seq: int
    label: str
    created_at: float
    undone: bool
    stroke: bool
    kept: bool


@dataclass(frozen=True)
class Version:
    id: int
    name: str
    created_at: float


class Overtaken(Conflict):
    """The stored head is not the one a change was made on."""


def read_document(text: str) -> Document:
    """A stored document. Raises StorageError when it is none."""
    try:
        return Document.from_stored(text)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(p) for p in first["loc"][:4])
        raise StorageError(f"The project's layers cannot be read ({where}: {first['msg']}).") from None


def can_be_read_back(document: Document, content: str) -> bool:
    """Whether a document's stored text gives the same document."""
    try:
        return Document.from_stored(content) == document
    except ValidationError:
        return False


CLOSED = "This project was closed or removed. Open it again from the list; everything that was answered as stored is safe."
MOVED = "The project's folder was moved or removed while it was open, so this step was not stored. Put the data folder back and restart Ruvelt."
OVERTAKEN = "The project was changed by another program, so this step was not taken. It has been read again; look at it and repeat the step."


class ProjectStore:
    """The open database of one project, with its document and plane tables in memory.

    It holds the project's lock from its making to `close`: one writer a project. In this process the session's lock keeps threads apart.
    `who`: what this writer is called in the errors of others. Raises Locked when another process has the project open.
    """

    def __init__(self, folder: Path, cache: BoundedCache, clock: Callable[[], float], who: str = "another Ruvelt") -> None:
        path = folder / FILE
        if not path.is_file():
            raise NotFound("There is no such project. Choose one from the list.")
        self.folder, self._clock, self._closed, self._good_head = folder, clock, False, 0
        self._lock = FolderLock(folder, who)
        self.engine = connect(path)
        try:
            migrate(self.engine)
            self.blobs = BlobStore(self.engine, cache)
            self.reload()
            self._place = path.stat().st_ino
            self._mark_good()
        except (RuveltError, OSError):
            self.close()
            raise

    def reload(self) -> None:
        """Read document, planes and numbers from the database. Raises StorageError when they cannot be read."""
        with reading(self.engine) as connection:
            row = connection.execute(select(ProjectRow)).one_or_none()
            if row is None:
                raise StorageError("The project file is empty. Restore it from a backup.")
            chunks = connection.execute(select(PlaneChunkRow)).all()
        self.uid, self.name, self.created_at, self.updated_at = row.uid, row.name, row.created_at, row.updated_at
        self.revision, self.head, self.model_hash, self.sheet_rule = row.revision, row.head, row.model, row.sheet_rule
        self.undo_steps, self.undo_floor = row.undo_steps, row.undo_floor
        self.document = read_document(row.document)
        self.planes = self._read_planes(chunks)

    def _mark_good(self) -> None:
        """Keep the document that has just been read whole: recovery begins from it."""
        with suppress(StorageError), transaction(self.engine) as connection:
            self._write_good(connection, self.head, self.document)

    def _write_good(self, connection: Connection, head: int, document: Document) -> None:
        state = {"head": head, "document": document.to_stored()}
        connection.execute(upsert(GoodStateRow).values(id=1, **state).on_conflict_do_update(index_elements=["id"], set_=state))
        self._good_head = head

    @staticmethod
    def _read_planes(rows: Any) -> dict[str, Plane]:
        tables: dict[str, tuple[int, dict[int, str]]] = {}
        for row in rows:
            tables.setdefault(row.plane, (row.components, {}))[1][row.chunk] = row.hash
        return {plane: Plane(components, chunks) for plane, (components, chunks) in tables.items()}

    @staticmethod
    def create(
        folder: Path,
        uid: str,
        name: str,
        model: bytes,
        sheet_rule: str,
        document: Document,
        cache: BoundedCache,
        clock: Callable[[], float],
        who: str = "another Ruvelt",
        planes: Mapping[str, bytes] | None = None,
    ) -> ProjectStore:
        """Make the database of a new project in an existing, empty folder, and open it. `planes`: content kept where planes are, packed already."""
        engine = connect(folder / FILE)
        try:
            migrate(engine)
            blobs = BlobStore(engine, cache)
            key = blobs.put_bytes(model)
            rows = [{"plane": p, "chunk": 0, "components": 0, "after": blobs.put_bytes(data, level=1)} for p, data in (planes or {}).items()]
            now = clock()
            with transaction(engine) as connection:
                blobs.flush(connection)
                connection.execute(
                    insert(ProjectRow).values(
                        id=1,
                        uid=uid,
                        name=name,
                        created_at=now,
                        updated_at=now,
                        revision=1,
                        head=0,
                        model=key,
                        sheet_rule=sheet_rule,
                        document=document.to_stored(),
                    )
                )
                ProjectStore._write_chunks(connection, rows, "after")
        finally:
            engine.dispose()
        return ProjectStore(folder, cache, clock, who)

    def close(self) -> None:
        """Let go of the file and the lock; changes are refused from now on."""
        self._closed = True
        self.engine.dispose()
        self._lock.release()

    # -- changes ----------------------------------------------------------------------------------------------------------------

    @contextmanager
    def _writing(self) -> Iterator[Connection]:
        """A transaction of this project's writer.

        Raises Conflict when the store was closed, StorageError when its folder is gone: a file without a name takes writes that nobody
        will ever read.
        """
        if self._closed:
            raise Conflict(CLOSED)
        self._check_place()
        with transaction(self.engine) as connection:
            yield connection
        self._check_place()

    def _check_place(self) -> None:
        try:
            here = (self.folder / FILE).stat().st_ino
        except OSError:
            here = -1
        if here != self._place or not self._lock.in_place:
            raise StorageError(MOVED)

    def _advance(self, connection: Connection, **values: object) -> None:
        """Count a change, if the stored revision and head are those this store last saw. Raises Conflict, and so rolls back, when not."""
        seen = (ProjectRow.revision == self.revision) & (ProjectRow.head == self.head)
        statement = update(ProjectRow).where(seen).values(revision=self.revision + 1, updated_at=self._clock(), **values)
        if connection.execute(statement).rowcount != 1:
            raise Overtaken(OVERTAKEN)

    def commit(self, label: str, *, edit: AnyEdit | None = None, changes: Changes | None = None, components: Mapping[str, int] | None = None,
               script: Mapping[str, Any] | None = None, plans: int | None = None) -> None:  # fmt: skip
        """Store one step: an edit of the document and changed chunks together, then show it. What was undone before is forgotten.

        components : plane → components, for planes that are new; plans : how many sheet plans the model has, where the edit may name them.
        Raises InputError when the edited document would not be whole or could not be read back, Conflict when the stored head moved.
        """
        document, inverse = (self.document, None) if edit is None else apply_edit(self.document, edit)
        content = document.to_stored()
        if edit is not None:
            check_document(document, plans)
            if not can_be_read_back(document, content):
                raise InputError("This change could not be stored so that it can be read again, so it was not taken. Undo it and try another value.")
        seq = self.head + 1
        known = {**{p: plane.components for p, plane in self.planes.items()}, **(components or {})}
        rows = [
            {"seq": seq, "plane": p, "chunk": c, "components": known[p], "before": self.key(p, c), "after": key}
            for p, chunks in (changes or {}).items()
            for c, key in chunks.items()
        ]
        with self._step() as connection:
            # The compare-and-set comes first: nothing is deleted that this store has not seen.
            self._advance(connection, document=content, head=seq)
            self.blobs.flush(connection)
            connection.execute(delete(HistoryRow).where(HistoryRow.seq >= seq))
            connection.execute(
                insert(HistoryRow).values(
                    seq=seq,
                    label=label,
                    created_at=self._clock(),
                    edit=None if edit is None else edit.model_dump_json(),
                    inverse=None if inverse is None else inverse.model_dump_json(),
                    script=None if script is None else json.dumps(script),
                )
            )
            if rows:
                connection.execute(insert(HistoryChunkRow), rows)
            self._write_chunks(connection, rows, "after")
        self._settle(document, seq, rows, "after")

    def set_hidden_parts(self, parts: tuple[int, ...], picks: tuple[FacePick, ...] = (), shown: tuple[FacePick, ...] = ()) -> None:
        """What is hidden is remembered but is no step of history."""
        self._set_aside(self.document.model_copy(update={"hidden_parts": parts, "hidden_picks": picks, "shown_picks": shown}))

    def set_showing(self, document: Document) -> None:
        """The same document with another of its variants showing; no step of history either."""
        self._set_aside(document)

    def _set_aside(self, document: Document) -> None:
        with self._step() as connection:
            self._advance(connection, document=document.to_stored())
        self._settle(document, self.head, [], "after")

    def undo(self) -> str:
        """Take the newest step back; returns its label. Raises InputError when there is none."""
        if self.head == 0:
            raise InputError("There is nothing left to undo.")
        if self.head <= self.undo_floor:
            raise InputError(f"Undo keeps the last {self.undo_steps} steps of this project, and they are all undone.")
        return self._move(self.head, "before", self.head - 1)

    def redo(self) -> str:
        """Do the step again that was undone last."""
        if self.label_of(self.head + 1) is None:
            raise InputError("There is nothing to redo.")
        return self._move(self.head + 1, "after", self.head + 1)

    def _move(self, seq: int, side: str, head: int) -> str:
        with reading(self.engine) as connection:
            entry = connection.execute(select(HistoryRow).where(HistoryRow.seq == seq)).one_or_none()
            if entry is None:
                raise StorageError(f"Step {seq} is missing from the project's history. Go back to a named version instead.")
            found = connection.execute(select(HistoryChunkRow).where(HistoryChunkRow.seq == seq)).all()
        rows = [{"plane": r.plane, "chunk": r.chunk, "components": r.components, "before": r.before, "after": r.after} for r in found]
        edit = entry.inverse if side == "before" else entry.edit
        document = self.document
        if edit is not None:
            document, _ = apply_edit(document, EDIT.validate_json(edit))
        with self._step() as connection:
            self._advance(connection, document=document.to_stored(), head=head)
            self._write_chunks(connection, rows, side)
            if head < self._good_head:
                self._write_good(connection, head, document)
        self._settle(document, head, rows, side)
        label: str = entry.label
        return label

    @contextmanager
    def _step(self) -> Iterator[Connection]:
        """A transaction that moves the project on. When another writer has moved it, everything is read again before the error goes on."""
        try:
            with self._writing() as connection:
                yield connection
        except Overtaken:
            self.reload()
            raise

    @staticmethod
    def _write_chunks(connection: Connection, rows: list[dict[str, Any]], side: str) -> None:
        gone = [{"p": r["plane"], "c": r["chunk"]} for r in rows if r[side] is None]
        kept = [{"plane": r["plane"], "chunk": r["chunk"], "components": r["components"], "hash": r[side]} for r in rows if r[side] is not None]
        if gone:
            connection.execute(text("DELETE FROM plane_chunk WHERE plane = :p AND chunk = :c"), gone)
        if kept:
            statement = upsert(PlaneChunkRow)
            same = {"hash": statement.excluded.hash, "components": statement.excluded.components}
            connection.execute(statement.on_conflict_do_update(index_elements=["plane", "chunk"], set_=same), kept)

    def _settle(self, document: Document, head: int, rows: list[dict[str, Any]], side: str) -> None:
        """Take over in memory what the database has taken."""
        self.blobs.settled(row[side] for row in rows if row[side] is not None)
        self.document, self.head, self.revision, self.updated_at = document, head, self.revision + 1, self._clock()
        by_plane: dict[str, dict[int, str | None]] = {}
        for row in rows:
            by_plane.setdefault(row["plane"], {})[row["chunk"]] = row[side]
            self.planes.setdefault(row["plane"], Plane(row["components"]))
        for plane, chunks in by_plane.items():
            self.planes[plane] = self.planes[plane].with_chunks(chunks)

    @property
    def model_key(self) -> str:
        """The content key of the model as it is now: another UV layout is a step of history like any other."""
        return self.key(MODEL_PLANE, 0) or self.model_hash

    def key(self, plane: str, chunk: int) -> str | None:
        """The content key of a plane's chunk as it is now."""
        found = self.planes.get(plane)
        return None if found is None else found.chunks.get(chunk)

    def rename(self, name: str) -> None:
        with self._step() as connection:
            self._advance(connection, name=name)
        self.name, self.revision = name, self.revision + 1

    def keep_undo(self, steps: int) -> None:
        """How many steps undo keeps from now on, 0 for all; what is beyond is let go of while nobody waits (store/upkeep.py)."""
        with self._step() as connection:
            self._advance(connection, undo_steps=steps)
        self.undo_steps, self.revision = steps, self.revision + 1

    # -- history and versions ---------------------------------------------------------------------------------------------------

    def history(self, limit: int = 200) -> list[HistoryEntry]:
        """The newest steps first, those undone among them."""
        with reading(self.engine) as connection:
            rows = connection.execute(
                select(HistoryRow.seq, HistoryRow.label, HistoryRow.created_at, HistoryRow.script.is_not(None))
                .order_by(HistoryRow.seq.desc())
                .limit(limit)
            ).all()
        return [HistoryEntry(seq, label, at, seq > self.head, bool(stroke), seq > self.undo_floor) for seq, label, at, stroke in rows]

    def label_of(self, seq: int) -> str | None:
        """What a step of history is called, None when there is no such step."""
        with reading(self.engine) as connection:
            return connection.execute(select(HistoryRow.label).where(HistoryRow.seq == seq)).scalar()

    def scripts(self) -> list[tuple[int, dict[str, Any] | None, dict[str, dict[int, str | None]]]]:
        """Every step that holds and touched pixels, oldest first: its number, its script, and plane → chunk → key after."""
        with reading(self.engine) as connection:
            entries = connection.execute(select(HistoryRow.seq, HistoryRow.script).where(HistoryRow.seq <= self.head).order_by(HistoryRow.seq)).all()
            chunks = connection.execute(select(HistoryChunkRow).where(HistoryChunkRow.seq <= self.head)).all()
        after: dict[int, dict[str, dict[int, str | None]]] = {}
        for row in chunks:
            after.setdefault(row.seq, {}).setdefault(row.plane, {})[row.chunk] = row.after
        return [(seq, None if script is None else json.loads(script), after.get(seq, {})) for seq, script in entries if script or seq in after]

    def steps(self, since: int) -> list[tuple[str | None, dict[str, Any] | None]]:
        """Edit (JSON) and script of every step after `since` that holds, oldest first."""
        with reading(self.engine) as connection:
            rows = connection.execute(
                select(HistoryRow.edit, HistoryRow.script).where(HistoryRow.seq > since, HistoryRow.seq <= self.head).order_by(HistoryRow.seq)
            ).all()
        return [(edit, None if script is None else json.loads(script)) for edit, script in rows]

    def add_version(self, name: str) -> Version:
        now = self._clock()
        with self._writing() as connection:
            number = connection.execute(insert(VersionRow).values(name=name, created_at=now, document=self.document.to_stored())).inserted_primary_key
            assert number is not None
            rows = [
                {"version": number[0], "plane": p, "chunk": c, "components": plane.components, "hash": key}
                for p, plane in self.planes.items()
                for c, key in plane.chunks.items()
            ]
            if rows:
                connection.execute(insert(VersionChunkRow), rows)
        return Version(int(number[0]), name, now)

    def versions(self) -> list[Version]:
        with reading(self.engine) as connection:
            rows = connection.execute(select(VersionRow.id, VersionRow.name, VersionRow.created_at).order_by(VersionRow.id.desc())).all()
        return [Version(*row) for row in rows]

    def version_state(self, number: int) -> tuple[str, Document, dict[str, Plane]]:
        """Name, document and planes of a named version. Raises NotFound."""
        with reading(self.engine) as connection:
            row = connection.execute(select(VersionRow).where(VersionRow.id == number)).first()
            if row is None:
                raise NotFound("There is no such version in this project.")
            chunks = connection.execute(select(VersionChunkRow).where(VersionChunkRow.version == number)).all()
        return row.name, Document.from_stored(row.document), self._read_planes(chunks)
