"""Planes by id over any chunk store."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Protocol

from ruvelt.core.planes.plane import U16, ChunkStore, Plane


class PlaneLookup(Protocol):
    """How evaluation reaches pixels: a content key without loading anything, and the values."""

    def key(self, plane: str, chunk: int) -> str | None: ...

    def values(self, plane: str, chunk: int) -> U16: ...


class StoredPlanes:
    """A PlaneLookup over named planes and the store that holds their chunks."""

    def __init__(self, planes: Mapping[str, Plane], store: ChunkStore) -> None:
        self.planes, self._store = planes, store

    def key(self, plane: str, chunk: int) -> str | None:
        found = self.planes.get(plane)
        return None if found is None else found.chunks.get(chunk)

    def values(self, plane: str, chunk: int) -> U16:
        return self._store.get(self.planes[plane].chunks[chunk])
