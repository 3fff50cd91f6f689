"""Planes: what one layer holds for one channel, or one painted mask source, chunk by chunk; a chunk never touched does not exist."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from hashlib import blake2b
from types import MappingProxyType
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.samples.address import CHUNK

U16 = NDArray[np.uint16]


@dataclass(frozen=True)
class Plane:
    """Sparse planar storage. A chunk is (components, 65536) uint16; the last component is alpha (coverage), straight.

    `components`: 4 for colour (R, G, B sRGB-encoded, A), 2 for data (value, coverage).
    `chunks`: chunk index to the key under which a ChunkStore holds the values. Copy on write: planes share keys, never arrays to write.
    """

    components: int
    chunks: Mapping[int, str] = field(default_factory=lambda: MappingProxyType({}))

    def with_chunks(self, changed: Mapping[int, str | None]) -> Plane:
        """A plane with some chunks replaced; None removes a chunk."""
        merged = {k: v for k, v in {**self.chunks, **changed}.items() if v is not None}
        return Plane(self.components, MappingProxyType(merged))


class ChunkStore(Protocol):
    """Where chunk values live, by content key."""

    def get(self, key: str) -> U16: ...

    def put(self, values: U16) -> str: ...


def chunk_key(values: U16) -> str:
    """The content key of a chunk: BLAKE2b-128 of its shape and bytes, as hex."""
    digest = blake2b(digest_size=16)
    digest.update(repr(values.shape).encode())
    digest.update(np.ascontiguousarray(values).data)
    return digest.hexdigest()


class MemoryChunks:
    """A ChunkStore in memory, for notebooks and tests."""

    def __init__(self) -> None:
        self._chunks: dict[str, U16] = {}

    def get(self, key: str) -> U16:
        return self._chunks[key]

    def put(self, values: U16) -> str:
        key = chunk_key(values)
        if key not in self._chunks:
            kept = np.ascontiguousarray(values).copy()
            kept.flags.writeable = False
            self._chunks[key] = kept
        return key


def empty_chunk(components: int) -> U16:
    return np.zeros((components, CHUNK), np.uint16)
