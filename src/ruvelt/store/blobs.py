"""Content-addressed blobs: chunks and the model, compressed, read through the bounded cache."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from hashlib import blake2b
from threading import Lock, local

import numpy as np
import zstandard
from sqlalchemy import Connection, Engine, select
from sqlalchemy.dialects.sqlite import insert

from ruvelt.core.errors import StorageError
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.planes.plane import U16, chunk_key
from ruvelt.core.samples.chunks import CHUNK
from ruvelt.core.workers import Workers
from ruvelt.store.database import transaction
from ruvelt.store.schema import BlobRow

#: Level 1: a stroke waits for it. Planar 16-bit paint shrinks 3 to 20 times.
LEVEL = 1
#: Chunks of one transaction of `store_ahead`.
AHEAD = 8
_codec = local()


def _compressor() -> zstandard.ZstdCompressor:
    if not hasattr(_codec, "compressor"):
        _codec.compressor = zstandard.ZstdCompressor(level=LEVEL)
    found: zstandard.ZstdCompressor = _codec.compressor
    return found


def _decompressor() -> zstandard.ZstdDecompressor:
    if not hasattr(_codec, "decompressor"):
        _codec.decompressor = zstandard.ZstdDecompressor()
    found: zstandard.ZstdDecompressor = _codec.decompressor
    return found


def unpack(shape: int, data: bytes) -> U16:
    """(shape, 65536) uint16, read only, of a chunk's compressed bytes."""
    return _decode(shape, data)


def _decode(shape: int, data: bytes) -> U16:
    values = np.frombuffer(_decompressor().decompress(data), np.uint16)
    return values.reshape(shape, CHUNK)


class BlobStore:
    """A ChunkStore on one database. `put` keeps a chunk pending; `flush` writes what is pending inside the caller's transaction."""

    def __init__(self, engine: Engine, cache: BoundedCache) -> None:
        self._engine, self._cache = engine, cache
        self._pending: dict[str, tuple[int, bytes]] = {}
        self._flushed: list[str] = []
        self._lock = Lock()

    def get(self, key: str) -> U16:
        """(components, 65536) uint16, read only. Raises StorageError when the blob is not there."""
        found: U16 | None = self._cache.get(("blob", key))
        if found is None:
            pending = self._pending.get(key)
            if pending is None:
                with self._engine.connect() as connection:
                    row = connection.execute(select(BlobRow.shape, BlobRow.data).where(BlobRow.hash == key)).first()
                if row is None:
                    raise StorageError("A piece of the painting is missing from the project file. Restore it from a backup.")
                pending = (row[0], row[1])
            found = _decode(*pending)
            self._cache.put(("blob", key), found, found.nbytes)
        return found

    def put(self, values: U16) -> str:
        key = chunk_key(values)
        kept = np.ascontiguousarray(values)
        compressed = _compressor().compress(kept.data)
        with self._lock:
            self._pending[key] = (len(values), compressed)
        self._cache.put(("blob", key), kept, kept.nbytes)
        return key

    def packed(self, values: U16) -> tuple[str, bytes]:
        """Key and compressed bytes of a chunk, kept nowhere yet; hand them to `store_ahead`."""
        return chunk_key(values), _compressor().compress(np.ascontiguousarray(values).data)

    def store_ahead(self, chunks: Mapping[str, tuple[int, bytes]]) -> None:
        """Write chunks (key → components, bytes) that a later commit will refer to, a few at a time, so that no stroke waits long.

        A crash before that commit leaves blobs that nothing refers to; opening the project drops them.
        """
        rows = [{"hash": k, "shape": s, "data": d} for k, (s, d) in chunks.items()]
        for first in range(0, len(rows), AHEAD):
            with transaction(self._engine) as connection:
                connection.execute(insert(BlobRow).on_conflict_do_nothing(), rows[first : first + AHEAD])

    def put_bytes(self, content: bytes) -> str:
        key = blake2b(content, digest_size=16).hexdigest()
        with self._lock:
            self._pending[key] = (0, zstandard.ZstdCompressor(level=6).compress(content))
        return key

    def get_bytes(self, key: str) -> bytes:
        pending = self._pending.get(key)
        if pending is not None:
            return _decompressor().decompress(pending[1])
        with self._engine.connect() as connection:
            data = connection.execute(select(BlobRow.data).where(BlobRow.hash == key)).scalar()
        if data is None:
            raise StorageError("The model is missing from the project file. Restore it from a backup.")
        return _decompressor().decompress(data)

    def flush(self, connection: Connection) -> None:
        """Write pending blobs; call `settled` once the transaction is through."""
        with self._lock:
            rows = [{"hash": k, "shape": s, "data": d} for k, (s, d) in self._pending.items()]
            self._flushed = list(self._pending)
        if rows:
            connection.execute(insert(BlobRow).on_conflict_do_nothing(), rows)

    def settled(self) -> None:
        """Let go of what the last flush wrote; what was put since (a bake goes on beside strokes) stays pending."""
        with self._lock:
            for key in self._flushed:
                self._pending.pop(key, None)
            self._flushed = []

    def prefetch(self, keys: Iterable[str], workers: Workers) -> None:
        """Bring chunks into the cache, many a query, decompressed side by side; stops filling at half the cache's limit."""
        missing = [k for k in dict.fromkeys(keys) if self._cache.get(("blob", k)) is None and k not in self._pending]
        packs = [missing[i : i + 64] for i in range(0, len(missing), 64)]

        def load(pack: list[str]) -> None:
            if self._cache.held > self._cache.limit // 2:
                return
            with self._engine.connect() as connection:
                rows = connection.execute(select(BlobRow.hash, BlobRow.shape, BlobRow.data).where(BlobRow.hash.in_(pack))).all()
            for key, shape, data in rows:
                values = _decode(shape, data)
                self._cache.put(("blob", key), values, values.nbytes)

        workers.map(load, packs)
