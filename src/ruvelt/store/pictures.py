"""Finished display tiles beside a project, so that opening reads pictures instead of evaluating layers.

Everything here can be made anew: a file that is damaged, cannot be written or is missing costs time, never work.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from contextlib import suppress
from pathlib import Path

import numpy as np
import zstandard
from numpy.typing import NDArray
from sqlalchemy import Engine, LargeBinary, create_engine, event, select
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.exc import DatabaseError
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from ruvelt.core.samples.address import CHUNK
from ruvelt.core.workers import Workers

FILE = "pictures.db"
PACK = 32
Tile = NDArray[np.uint8]
Sources = Mapping[int, tuple[int, ...]]


class _Base(DeclarativeBase):
    pass


class PictureRow(_Base):
    """A tile, or for texture "gutter" the JSON of what each chunk's gutter repeats. `scope`: model, sheet and resolution."""

    __tablename__ = "picture"
    scope: Mapped[str] = mapped_column(primary_key=True)
    texture: Mapped[str] = mapped_column(primary_key=True)
    chunk: Mapped[int] = mapped_column(primary_key=True)
    version: Mapped[int] = mapped_column("stamp")
    data: Mapped[bytes] = mapped_column(LargeBinary)


class PictureStore:
    """Tiles by (texture, chunk) and stamp; a tile whose stamp is not the one asked for does not count."""

    def __init__(self, folder: Path) -> None:
        self._path = folder / FILE
        self._engine: Engine | None = None

    def _connect(self) -> Engine:
        if self._engine is None:
            engine = create_engine(f"sqlite:///{self._path}", connect_args={"timeout": 5, "check_same_thread": False})
            event.listen(engine, "connect", lambda connection, _: connection.execute("PRAGMA synchronous=OFF"))
            try:
                _Base.metadata.create_all(engine)
            except DatabaseError:
                self._path.unlink(missing_ok=True)
                _Base.metadata.create_all(engine)
            self._engine = engine
        return self._engine

    def get(self, scope: str, wanted: Mapping[tuple[str, int], int], workers: Workers) -> dict[tuple[str, int], Tile]:
        """Kept tiles, (65536, 4) uint8 and read only, of those asked for as (texture, chunk) → stamp."""
        found: dict[tuple[str, int], Tile] = {}
        if not self._path.is_file():
            return found
        by_texture: dict[str, list[int]] = {}
        for texture, chunk in wanted:
            by_texture.setdefault(texture, []).append(chunk)
        packs = [(t, chunks[i : i + PACK]) for t, chunks in by_texture.items() for i in range(0, len(chunks), PACK)]

        def load(pack: tuple[str, list[int]]) -> None:
            texture, chunks = pack
            where = (PictureRow.scope == scope) & (PictureRow.texture == texture) & PictureRow.chunk.in_(chunks)
            with self._connect().connect() as connection:
                rows = connection.execute(select(PictureRow.chunk, PictureRow.version, PictureRow.data).where(where)).all()
            unpack = zstandard.ZstdDecompressor()
            for chunk, version, data in rows:
                if version == wanted[texture, chunk]:
                    tile = np.frombuffer(unpack.decompress(data), np.uint8)
                    if tile.size == CHUNK * 4:
                        found[texture, chunk] = tile.reshape(CHUNK, 4)

        with suppress(DatabaseError, zstandard.ZstdError):
            self._connect()
            workers.map(load, packs)
        return found

    def put(self, scope: str, tiles: Iterable[tuple[str, int, int, Tile]]) -> None:
        """Keep tiles as (texture, chunk, stamp, tile)."""
        pack = zstandard.ZstdCompressor(level=1, write_checksum=True)
        self._write(scope, [(texture, chunk, version, pack.compress(np.ascontiguousarray(tile).data)) for texture, chunk, version, tile in tiles])

    def _write(self, scope: str, rows: list[tuple[str, int, int, bytes]]) -> None:
        values = [{"scope": scope, "texture": t, "chunk": c, "stamp": s, "data": d} for t, c, s, d in rows]
        if not values:
            return
        new = insert(PictureRow)
        with suppress(DatabaseError), self._connect().begin() as connection:
            connection.execute(
                new.on_conflict_do_update(["scope", "texture", "chunk"], set_={"stamp": new.excluded.stamp, "data": new.excluded.data}), values
            )

    def names(self, scope: str) -> dict[tuple[str, int], int]:
        """(texture, chunk) → stamp of every kept tile."""
        if not self._path.is_file():
            return {}
        where = (PictureRow.scope == scope) & (PictureRow.texture != "gutter")
        with suppress(DatabaseError), self._connect().connect() as connection:
            rows = connection.execute(select(PictureRow.texture, PictureRow.chunk, PictureRow.version).where(where)).all()
            return {(t, c): s for t, c, s in rows}
        return {}

    def sources(self, scope: str) -> Sources | None:
        """For each chunk the other chunks its gutter repeats, where it is known."""
        if not self._path.is_file():
            return None
        where = (PictureRow.scope == scope) & (PictureRow.texture == "gutter")
        with suppress(DatabaseError, ValueError), self._connect().connect() as connection:
            data = connection.execute(select(PictureRow.data).where(where)).scalar()
            return None if data is None else {int(c): tuple(s) for c, s in json.loads(data).items()}
        return None

    def put_sources(self, scope: str, sources: Sources) -> None:
        self._write(scope, [("gutter", 0, 0, json.dumps(sources).encode())])

    def forget(self, keep: Iterable[str]) -> None:
        """Drop tiles of every scope but the ones named."""
        if self._path.is_file():
            with suppress(DatabaseError), self._connect().begin() as connection:
                connection.execute(PictureRow.__table__.delete().where(PictureRow.scope.not_in(list(keep))))  # type: ignore[attr-defined]

    def close(self) -> None:
        if self._engine is not None:
            self._engine.dispose()
            self._engine = None
