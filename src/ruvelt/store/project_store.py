"""A project on disk: document, planes, history and named versions. Every change is one transaction."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from sqlalchemy import CompoundSelect, delete, insert, select, text, union, update
from sqlalchemy.dialects.sqlite import insert as upsert

from ruvelt.core.errors import InputError, NotFound, StorageError
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.planes.plane import Plane
from ruvelt.core.stack.document import MODEL_PLANE, Document
from ruvelt.core.stack.edits import EDIT, AnyEdit, apply_edit
from ruvelt.store.blobs import BlobStore
from ruvelt.store.database import connect, migrate, transaction
from ruvelt.store.schema import BlobRow, HistoryChunkRow, HistoryRow, PlaneChunkRow, ProjectRow, VersionChunkRow, VersionRow

FILE = "project.sqlite"

#: plane → chunk → key of the new values, or None to remove the chunk
Changes = Mapping[str, Mapping[int, str | None]]


@dataclass(frozen=True)
class HistoryEntry:
    """One step as told to people."""

    seq: int
    label: str
    created_at: float
    undone: bool
    stroke: bool


@dataclass(frozen=True)
class Version:
    id: int
    name: str
    created_at: float


class ProjectStore:
    """The open database of one project, with its document and plane tables in memory. One writer; the caller holds the lock."""

    def __init__(self, folder: Path, cache: BoundedCache, clock: Callable[[], float]) -> None:
        path = folder / FILE
        if not path.is_file():
            raise NotFound("There is no such project. Choose one from the list.")
        self.folder, self._clock = folder, clock
        self.engine = connect(path)
        migrate(self.engine)
        self.blobs = BlobStore(self.engine, cache)
        with transaction(self.engine) as connection:
            row = connection.execute(select(ProjectRow)).one()
            self.uid, self.name, self.created_at, self.updated_at = row.uid, row.name, row.created_at, row.updated_at
            self.revision, self.head, self.model_hash, self.sheet_rule = row.revision, row.head, row.model, row.sheet_rule
            try:
                self.document = Document.model_validate_json(row.document)
            except ValidationError:
                raise StorageError("The project's layers cannot be read; another version of Ruvelt may have written them.") from None
            self.planes = self._read_planes(connection.execute(select(PlaneChunkRow)).all())

    @staticmethod
    def _read_planes(rows: Any) -> dict[str, Plane]:
        tables: dict[str, tuple[int, dict[int, str]]] = {}
        for row in rows:
            tables.setdefault(row.plane, (row.components, {}))[1][row.chunk] = row.hash
        return {plane: Plane(components, chunks) for plane, (components, chunks) in tables.items()}

    @staticmethod
    def create(
        folder: Path, uid: str, name: str, model: bytes, sheet_rule: str, document: Document, cache: BoundedCache, clock: Callable[[], float]
    ) -> ProjectStore:
        """Make the database of a new project in an existing, empty folder."""
        engine = connect(folder / FILE)
        try:
            migrate(engine)
            blobs = BlobStore(engine, cache)
            key = blobs.put_bytes(model)
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
                        document=document.model_dump_json(),
                    )
                )
        finally:
            engine.dispose()
        return ProjectStore(folder, cache, clock)

    def close(self) -> None:
        self.engine.dispose()

    # -- changes ----------------------------------------------------------------------------------------------------------------

    def commit(self, label: str, *, edit: AnyEdit | None = None, changes: Changes | None = None, components: Mapping[str, int] | None = None,
               script: Mapping[str, Any] | None = None) -> None:  # fmt: skip
        """Store one step: an edit of the document and changed chunks together, then show it. What was undone before is forgotten.

        components : plane → components, for planes that are new.
        """
        document, inverse = (self.document, None) if edit is None else apply_edit(self.document, edit)
        seq = self.head + 1
        known = {**{p: plane.components for p, plane in self.planes.items()}, **(components or {})}
        rows = [
            {"seq": seq, "plane": p, "chunk": c, "components": known[p], "before": self._key(p, c), "after": key}
            for p, chunks in (changes or {}).items()
            for c, key in chunks.items()
        ]
        with transaction(self.engine) as connection:
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
            self._write_state(connection, document, seq, rows, "after")
        self._settle(document, seq, rows, "after")

    def set_hidden_parts(self, parts: tuple[int, ...]) -> None:
        """Which parts are hidden is remembered but is no step of history."""
        document = self.document.model_copy(update={"hidden_parts": parts})
        with transaction(self.engine) as connection:
            self._write_state(connection, document, self.head, [], "after")
        self._settle(document, self.head, [], "after")

    def undo(self) -> str:
        """Take the newest step back; returns its label. Raises InputError when there is none."""
        if self.head == 0:
            raise InputError("There is nothing left to undo.")
        return self._move(self.head, "before", self.head - 1)

    def redo(self) -> str:
        """Do the step again that was undone last."""
        with self.engine.connect() as connection:
            if connection.execute(select(HistoryRow.seq).where(HistoryRow.seq == self.head + 1)).scalar() is None:
                raise InputError("There is nothing to redo.")
        return self._move(self.head + 1, "after", self.head + 1)

    def _move(self, seq: int, side: str, head: int) -> str:
        with self.engine.connect() as connection:
            entry = connection.execute(select(HistoryRow).where(HistoryRow.seq == seq)).one()
            found = connection.execute(select(HistoryChunkRow).where(HistoryChunkRow.seq == seq)).all()
        rows = [{"plane": r.plane, "chunk": r.chunk, "components": r.components, "before": r.before, "after": r.after} for r in found]
        edit = entry.inverse if side == "before" else entry.edit
        document = self.document
        if edit is not None:
            document, _ = apply_edit(document, EDIT.validate_json(edit))
        with transaction(self.engine) as connection:
            self._write_state(connection, document, head, rows, side)
        self._settle(document, head, rows, side)
        label: str = entry.label
        return label

    def _write_state(self, connection: Any, document: Document, head: int, rows: list[dict[str, Any]], side: str) -> None:
        gone = [{"p": r["plane"], "c": r["chunk"]} for r in rows if r[side] is None]
        kept = [{"plane": r["plane"], "chunk": r["chunk"], "components": r["components"], "hash": r[side]} for r in rows if r[side] is not None]
        if gone:
            connection.execute(text("DELETE FROM plane_chunk WHERE plane = :p AND chunk = :c"), gone)
        if kept:
            statement = upsert(PlaneChunkRow)
            same = {"hash": statement.excluded.hash, "components": statement.excluded.components}
            connection.execute(statement.on_conflict_do_update(index_elements=["plane", "chunk"], set_=same), kept)
        connection.execute(
            update(ProjectRow).values(document=document.model_dump_json(), head=head, revision=self.revision + 1, updated_at=self._clock())
        )

    def _settle(self, document: Document, head: int, rows: list[dict[str, Any]], side: str) -> None:
        """Take over in memory what the database has taken."""
        self.blobs.settled()
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
        return self._key(MODEL_PLANE, 0) or self.model_hash

    def _key(self, plane: str, chunk: int) -> str | None:
        found = self.planes.get(plane)
        return None if found is None else found.chunks.get(chunk)

    def rename(self, name: str) -> None:
        with transaction(self.engine) as connection:
            connection.execute(update(ProjectRow).values(name=name, revision=self.revision + 1))
        self.name, self.revision = name, self.revision + 1

    # -- history and versions ---------------------------------------------------------------------------------------------------

    def history(self, limit: int = 200) -> list[HistoryEntry]:
        """The newest steps first, those undone among them."""
        with self.engine.connect() as connection:
            rows = connection.execute(
                select(HistoryRow.seq, HistoryRow.label, HistoryRow.created_at, HistoryRow.script.is_not(None))
                .order_by(HistoryRow.seq.desc())
                .limit(limit)
            ).all()
        return [HistoryEntry(seq, label, at, seq > self.head, bool(stroke)) for seq, label, at, stroke in rows]

    def label_of(self, seq: int) -> str | None:
        """What a step of history is called, None when there is no such step."""
        with self.engine.connect() as connection:
            return connection.execute(select(HistoryRow.label).where(HistoryRow.seq == seq)).scalar()

    def scripts(self) -> list[tuple[int, dict[str, Any] | None, dict[str, dict[int, str | None]]]]:
        """Every step that holds and touched pixels, oldest first: its number, its script, and plane → chunk → key after."""
        with self.engine.connect() as connection:
            entries = connection.execute(select(HistoryRow.seq, HistoryRow.script).where(HistoryRow.seq <= self.head).order_by(HistoryRow.seq)).all()
            chunks = connection.execute(select(HistoryChunkRow).where(HistoryChunkRow.seq <= self.head)).all()
        after: dict[int, dict[str, dict[int, str | None]]] = {}
        for row in chunks:
            after.setdefault(row.seq, {}).setdefault(row.plane, {})[row.chunk] = row.after
        return [(seq, None if script is None else json.loads(script), after.get(seq, {})) for seq, script in entries if script or seq in after]

    def steps(self, since: int) -> list[tuple[str | None, dict[str, Any] | None]]:
        """Edit (JSON) and script of every step after `since` that holds, oldest first."""
        with self.engine.connect() as connection:
            rows = connection.execute(
                select(HistoryRow.edit, HistoryRow.script).where(HistoryRow.seq > since, HistoryRow.seq <= self.head).order_by(HistoryRow.seq)
            ).all()
        return [(edit, None if script is None else json.loads(script)) for edit, script in rows]

    def add_version(self, name: str) -> Version:
        now = self._clock()
        with transaction(self.engine) as connection:
            number = connection.execute(
                insert(VersionRow).values(name=name, created_at=now, document=self.document.model_dump_json())
            ).inserted_primary_key
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
        with self.engine.connect() as connection:
            rows = connection.execute(select(VersionRow.id, VersionRow.name, VersionRow.created_at).order_by(VersionRow.id.desc())).all()
        return [Version(*row) for row in rows]

    def version_state(self, number: int) -> tuple[str, Document, dict[str, Plane]]:
        """Name, document and planes of a named version. Raises NotFound."""
        with self.engine.connect() as connection:
            row = connection.execute(select(VersionRow).where(VersionRow.id == number)).first()
            if row is None:
                raise NotFound("There is no such version in this project.")
            chunks = connection.execute(select(VersionChunkRow).where(VersionChunkRow.version == number)).all()
        return row.name, Document.model_validate_json(row.document), self._read_planes(chunks)

    def drop_unused_blobs(self) -> int:
        """Delete blobs that nothing refers to any more; returns how many."""
        used: CompoundSelect[Any] = union(
            select(PlaneChunkRow.hash),
            select(HistoryChunkRow.before).where(HistoryChunkRow.before.is_not(None)),
            select(HistoryChunkRow.after).where(HistoryChunkRow.after.is_not(None)),
            select(VersionChunkRow.hash),
            select(ProjectRow.model),
        )
        with transaction(self.engine) as connection:
            return int(connection.execute(delete(BlobRow).where(BlobRow.hash.not_in(used))).rowcount)
