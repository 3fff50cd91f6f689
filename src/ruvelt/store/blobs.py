"""Content-addressed blobs: chunks and the model, compressed, read through the bounded cache."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from hashlib import blake2b
from threading import Lock, local

import numpy as np
import zstandard
from sqlalchemy import Connection, Engine, select, text
from sqlalchemy.dialects.sqlite import insert

from ruvelt.core.errors import StorageError
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.planes.plane import U16, chunk_key
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.workers import Workers
from ruvelt.store.database import reading, transaction
from ruvelt.store.schema import BlobRow

#: Level 1: a stroke waits for it. Planar 16-bit paint shrinks 3 to 20 times.
LEVEL = 1
#: Chunks of one transaction of `store_ahead`.
AHEAD = 8
#: Differences on top of one another, at most: each costs a sixth of a millisecond to read.
DEEPEST = 24
#: A difference smaller than this share of the raw values is taken at once; a larger one only if it is that much smaller than the whole chunk.
SMALL, WORTH = 0.1, 0.7
#: Chunks whose depth is remembered.
DEPTHS_KEPT = 100_000
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
    """(shape, 65536) uint16, read only, of a whole chunk's compressed bytes."""
    return np.frombuffer(_decompressor().decompress(data), np.uint16).reshape(shape, CHUNK)


@dataclass(frozen=True)
class _Stored:
    """A blob as its row holds it: `shape` components (0: plain bytes), and the chunk it is a difference to."""

    shape: int
    data: bytes
    base: str | None = None
    depth: int = 0

    def row(self, key: str) -> dict[str, object]:
        return {"hash": key, "shape": self.shape, "data": self.data, "base": self.base, "depth": self.depth}


def _split(difference: U16) -> bytes:
    """All low bytes, then all high ones: small differences shrink a tenth better so."""
    return np.ascontiguousarray(difference.reshape(-1).view(np.uint8).reshape(-1, 2).T).tobytes()


def _joined(stored: _Stored) -> U16:
    """(components, 65536) uint16 of a stored difference."""
    halves = np.frombuffer(_decompressor().decompress(stored.data), np.uint8).reshape(2, -1)
    return np.ascontiguousarray(halves.T).view(np.uint16).reshape(stored.shape, CHUNK)


#: A blob and every blob it is a difference to, down to a whole one.
_CHAINS = """
    WITH RECURSIVE chain(hash) AS (
        SELECT value FROM json_each(:keys) UNION SELECT blob.base FROM blob JOIN chain ON blob.hash = chain.hash WHERE blob.base IS NOT NULL
    ) SELECT blob.hash, blob.shape, blob.data, blob.base, blob.depth FROM blob JOIN chain ON blob.hash = chain.hash
"""


class BlobStore:
    """A ChunkStore on one database. `put` keeps a chunk pending; `flush` writes what is pending inside the caller's transaction."""

    def __init__(self, engine: Engine, cache: BoundedCache) -> None:
        self._engine, self._cache = engine, cache
        self._pending: dict[str, _Stored] = {}
        self._flushed: list[str] = []
        #: Blobs in the database that a commit to come will refer to.
        self._ahead: set[str] = set()
        #: How deep chunks lie that were read or written here.
        self._depths: dict[str, int] = {}
        self._lock = Lock()

    def get(self, key: str) -> U16:
        """(components, 65536) uint16, read only. Raises StorageError when the blob is not there."""
        found: U16 | None = self._cache.get(("blob", key))
        if found is None:
            found = self._decoded(key, self._read([key]))
            self._keep(key, found)
        return found

    def _keep(self, key: str, values: U16) -> None:
        self._cache.put(("blob", key), values, values.nbytes)

    def _read(self, keys: Iterable[str]) -> dict[str, _Stored]:
        """Rows of blobs and of all they are differences to."""
        with reading(self._engine) as connection:
            rows = connection.execute(text(_CHAINS), {"keys": json.dumps(list(keys))}).all()
        found = {r.hash: _Stored(r.shape, r.data, r.base, r.depth) for r in rows}
        with self._lock:
            self._depths.update((k, s.depth) for k, s in found.items())
        return found

    def _decoded(self, key: str, rows: Mapping[str, _Stored]) -> U16:
        """A chunk from its row and those below it, beginning at the nearest that is in the cache."""
        differences: list[_Stored] = []
        at: str | None = key
        whole: U16 | None = None
        while whole is None:
            assert at is not None
            stored = self._pending.get(at) or rows.get(at)
            if stored is None:
                # A pending chunk may lie on stored ones that nobody asked for yet.
                rows = {**rows, **self._read([at])}
                stored = rows.get(at)
            if stored is None:
                raise StorageError("A piece of the painting is missing from the project file. Restore it from a backup.")
            if stored.base is None:
                whole = unpack(stored.shape, stored.data)
            else:
                differences.append(stored)
                at = stored.base
                whole = self._cache.get(("blob", at))
        if not differences:
            return whole
        values = whole.copy()
        for stored in differences:
            values += _joined(stored)
        values.flags.writeable = False
        return values

    def put(self, values: U16, base: str | None = None) -> str:
        """Keep a chunk pending; returns its key. `base`: the stored chunk it replaces, to which it may be kept as a difference."""
        key = chunk_key(values)
        kept = np.ascontiguousarray(values)
        self._keep(key, kept)
        if self._is_stored(key):
            return key
        # A chunk that is not stored yet is below no other, so no difference can close a circle.
        stored = self._packed(kept, base)
        with self._lock:
            self._depths[key] = self._pending.setdefault(key, stored).depth
            while len(self._depths) > DEPTHS_KEPT:
                del self._depths[next(iter(self._depths))]
        return key

    def _is_stored(self, key: str) -> bool:
        """Whether a chunk is pending or in the database already; if so a commit to come may refer to it."""
        with self._lock:
            if key in self._pending:
                return True
        with reading(self._engine) as connection:
            if connection.execute(select(BlobRow.shape).where(BlobRow.hash == key)).first() is None:
                return False
        with self._lock:
            self._ahead.add(key)
        return True

    def _packed(self, values: U16, base: str | None) -> _Stored:
        """A chunk as its row will hold it: the difference to another where that pays and the chain does not become too long to read."""
        difference: _Stored | None = None
        if base is not None:
            below, depth = self.get(base), self._depth(base) + 1
            if depth <= DEEPEST and below.shape == values.shape:
                difference = _Stored(len(values), _compressor().compress(_split(values - below)), base, depth)
                if len(difference.data) < values.nbytes * SMALL:
                    return difference
        whole = _Stored(len(values), _compressor().compress(values.data))
        return difference if difference is not None and len(difference.data) < len(whole.data) * WORTH else whole

    def _depth(self, key: str) -> int:
        with self._lock:
            known = self._depths.get(key)
        if known is None:
            self._read([key])
            known = self._depths.get(key, 0)
        return known

    def packed(self, values: U16) -> tuple[str, bytes]:
        """Key and compressed bytes of a chunk, kept nowhere yet; hand them to `store_ahead`."""
        return chunk_key(values), _compressor().compress(np.ascontiguousarray(values).data)

    def store_ahead(self, chunks: Mapping[str, tuple[int, bytes]]) -> None:
        """Write chunks (key → components, bytes) that a later commit will refer to, a few at a time, so that no stroke waits long.

        A crash before that commit leaves blobs that nothing refers to; opening the project drops them.
        """
        rows = [_Stored(shape, data).row(key) for key, (shape, data) in chunks.items()]
        with self._lock:
            self._ahead |= set(chunks)
        for first in range(0, len(rows), AHEAD):
            with transaction(self._engine) as connection:
                connection.execute(insert(BlobRow).on_conflict_do_nothing(), rows[first : first + AHEAD])

    def put_bytes(self, content: bytes, level: int = 6) -> str:
        key = blake2b(content, digest_size=16).hexdigest()
        with self._lock:
            self._pending[key] = _Stored(0, zstandard.ZstdCompressor(level=level).compress(content))
        return key

    def get_bytes(self, key: str) -> bytes:
        pending = self._pending.get(key)
        if pending is not None:
            return _decompressor().decompress(pending.data)
        with reading(self._engine) as connection:
            data = connection.execute(select(BlobRow.data).where(BlobRow.hash == key)).scalar()
        if data is None:
            raise StorageError("The model is missing from the project file. Restore it from a backup.")
        return _decompressor().decompress(data)

    def flush(self, connection: Connection) -> None:
        """Write pending blobs; call `settled` once the transaction is through."""
        with self._lock:
            rows = [stored.row(key) for key, stored in self._pending.items()]
            self._flushed = list(self._pending)
        if rows:
            connection.execute(insert(BlobRow).on_conflict_do_nothing(), rows)

    def settled(self, referred: Iterable[str] = ()) -> None:
        """Let go of what the last flush wrote; what was put since (a bake goes on beside strokes) stays pending.

        referred : keys that the commit refers to, which need no watching any more
        """
        with self._lock:
            for key in self._flushed:
                self._pending.pop(key, None)
            self._flushed = []
            self._ahead.difference_update(referred)

    @property
    def busy(self) -> bool:
        """Whether there are blobs, pending or in the database, that a commit to come will refer to."""
        with self._lock:
            return bool(self._pending or self._ahead)

    def forget_ahead(self, keys: Iterable[str]) -> None:
        """What was stored ahead will not be referred to after all."""
        with self._lock:
            self._ahead.difference_update(keys)

    def prefetch(self, keys: Iterable[str], workers: Workers) -> None:
        """Bring chunks into the cache, many a query, decompressed side by side; stops filling at half the cache's limit."""
        missing = [k for k in dict.fromkeys(keys) if self._cache.get(("blob", k)) is None and k not in self._pending]
        packs = [missing[i : i + 64] for i in range(0, len(missing), 64)]

        def load(pack: list[str]) -> None:
            if self._cache.held > self._cache.limit // 2:
                return
            rows = self._read(pack)
            for key in pack:
                if key in rows:
                    self._keep(key, self._decoded(key, rows))

        workers.map(load, packs)
