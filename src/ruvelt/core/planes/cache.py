"""A bounded, thread-safe cache of arrays, least recently used out first."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Hashable
from threading import Lock
from typing import Any

DEFAULT_BYTES = 2 << 30


class BoundedCache:
    """Holds values with a stamp; a value whose stamp is not the one asked for does not count. `limit`: bytes."""

    def __init__(self, limit: int = DEFAULT_BYTES) -> None:
        self.limit = limit
        self.held = 0
        self._items: OrderedDict[Hashable, tuple[Hashable, Any, int]] = OrderedDict()
        self._lock = Lock()

    def get(self, key: Hashable, version: Hashable = None) -> Any | None:
        with self._lock:
            item = self._items.get(key)
            if item is None or item[0] != version:
                return None
            self._items.move_to_end(key)
            return item[1]

    def put(self, key: Hashable, value: Any, size: int, version: Hashable = None) -> None:
        """Keep a value of `size` bytes, letting go of the oldest until everything fits the limit."""
        with self._lock:
            old = self._items.pop(key, None)
            if old is not None:
                self.held -= old[2]
            if size > self.limit:
                return
            self._items[key] = (version, value, size)
            self.held += size
            self._shrink()

    def resize(self, limit: int) -> None:
        """Another limit; what does not fit it any more goes, the oldest first."""
        with self._lock:
            self.limit = limit
            self._shrink()

    def _shrink(self) -> None:
        while self.held > self.limit:
            _, (_, _, freed) = self._items.popitem(last=False)
            self.held -= freed

    def clear(self) -> None:
        with self._lock:
            self._items.clear()
            self.held = 0
