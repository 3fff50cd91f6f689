"""Tables of one project's database. Alembic (store/migrations) makes and changes them; HEAD is the newest migration."""

from __future__ import annotations

from sqlalchemy import ForeignKey, Index, LargeBinary, Text, text
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

HEAD = "0002"


class Base(DeclarativeBase):
    pass


class ProjectRow(Base):
    """The one row about the project itself. `revision` counts every change; `head` is the newest history entry that holds.

    `undo_steps`: how many steps undo keeps, 0 for all; `undo_floor`: the oldest head that undo can reach.
    """

    __tablename__ = "project"
    id: Mapped[int] = mapped_column(primary_key=True)
    uid: Mapped[str]
    name: Mapped[str]
    created_at: Mapped[float]
    updated_at: Mapped[float]
    revision: Mapped[int]
    head: Mapped[int]
    model: Mapped[str]
    sheet_rule: Mapped[str]
    document: Mapped[str] = mapped_column(Text)
    undo_steps: Mapped[int] = mapped_column(server_default="0")
    undo_floor: Mapped[int] = mapped_column(server_default="0")


class GoodStateRow(Base):
    """The document as it stood when the project was last opened whole, and its step of history. Recovery begins here."""

    __tablename__ = "good_state"
    id: Mapped[int] = mapped_column(primary_key=True)
    head: Mapped[int]
    document: Mapped[str] = mapped_column(Text)


class BlobRow(Base):
    """Content by its hash, compressed with Zstandard. `shape`: components of a chunk, 0 for plain bytes.

    With a `base` the data is the chunk less that chunk (uint16, wrapped); `depth` counts differences down to a whole chunk.
    """

    __tablename__ = "blob"
    hash: Mapped[str] = mapped_column(primary_key=True)
    shape: Mapped[int]
    data: Mapped[bytes] = mapped_column(LargeBinary)
    base: Mapped[str | None] = mapped_column(ForeignKey("blob.hash"))
    depth: Mapped[int] = mapped_column(server_default="0")
    __table_args__ = (Index("blob_base", "base", sqlite_where=text("base IS NOT NULL")),)


class PlaneChunkRow(Base):
    """The planes as they are now."""

    __tablename__ = "plane_chunk"
    plane: Mapped[str] = mapped_column(primary_key=True)
    chunk: Mapped[int] = mapped_column(primary_key=True)
    components: Mapped[int]
    hash: Mapped[str] = mapped_column(ForeignKey("blob.hash"))


class HistoryRow(Base):
    """One step of history: a document edit, a stroke, or both; `script` keeps the hand (a recorded stroke, flood or copy)."""

    __tablename__ = "history"
    seq: Mapped[int] = mapped_column(primary_key=True)
    label: Mapped[str]
    created_at: Mapped[float]
    edit: Mapped[str | None] = mapped_column(Text)
    inverse: Mapped[str | None] = mapped_column(Text)
    script: Mapped[str | None] = mapped_column(Text)


class HistoryChunkRow(Base):
    """What a step did to one chunk: the hashes before and after, NULL where it does not exist."""

    __tablename__ = "history_chunk"
    seq: Mapped[int] = mapped_column(ForeignKey("history.seq", ondelete="CASCADE"), primary_key=True)
    plane: Mapped[str] = mapped_column(primary_key=True)
    chunk: Mapped[int] = mapped_column(primary_key=True)
    components: Mapped[int]
    before: Mapped[str | None]
    after: Mapped[str | None]


class VersionRow(Base):
    """A named version: the document and every plane as they were."""

    __tablename__ = "version"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    created_at: Mapped[float]
    document: Mapped[str] = mapped_column(Text)


class VersionChunkRow(Base):
    __tablename__ = "version_chunk"
    version: Mapped[int] = mapped_column(ForeignKey("version.id", ondelete="CASCADE"), primary_key=True)
    plane: Mapped[str] = mapped_column(primary_key=True)
    chunk: Mapped[int] = mapped_column(primary_key=True)
    components: Mapped[int]
    hash: Mapped[str]
