"""One project's part of the cache that all share."""

from __future__ import annotations

from typing import Any

from ruvelt.core.planes.cache import BoundedCache


class ScopedCache(BoundedCache):
    """The shared cache as one project sees it: its keys never meet another project's."""

    def __init__(self, shared: BoundedCache, scope: str) -> None:
        self._shared, self._scope = shared, scope

    @property
    def limit(self) -> int:  # type: ignore[override]
        return self._shared.limit

    @property
    def held(self) -> int:  # type: ignore[override]
        return self._shared.held

    def get(self, key: Any, version: Any = None) -> Any | None:
        return self._shared.get((self._scope, key), version)

    def put(self, key: Any, value: Any, size: int, version: Any = None) -> None:
        self._shared.put((self._scope, key), value, size, version)
