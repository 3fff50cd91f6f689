"""One memory budget for everything open projects keep. All of it can be made again, so what was used longest ago goes first."""

from __future__ import annotations

import sys
from collections.abc import Iterable
from dataclasses import dataclass
from threading import Lock
from typing import Any, Protocol
from weakref import WeakSet

import numpy as np

from ruvelt.core.planes.cache import BoundedCache

#: Share of the budget that the cache of chunks keeps, whatever else is there: strokes read from it all the time.
CACHE_SHARE = 0.2
#: Share that is left for what strokes, fills, exports and the making of a sheet take while they last.
WORK_SHARE = 0.3
#: Bytes of a texel of a sheet once everything about it has been worked out: place, normal, face, owner, grid.
TEXEL_BYTES = 56
#: The same of a vertex: place, normal, face, order, grid, triangles and fans.
VERTEX_BYTES = 150


@dataclass(frozen=True)
class Kept:
    """Something kept: its name in its owner, bytes, and when it was used last. `pinned`: in use just now."""

    name: str
    size: int
    used: float
    pinned: bool = False


class Owner(Protocol):
    """Keeps things that can be made again."""

    def kept(self) -> list[Kept]: ...

    def let_go(self, name: str) -> None: ...


class Memory:
    """The budget. `limit`: bytes for what owners keep and for the cache together."""

    def __init__(self, limit: int, cache: BoundedCache) -> None:
        self.limit, self._cache = limit, cache
        self._owners: WeakSet[Owner] = WeakSet()
        self._lock = Lock()

    def add(self, owner: Owner) -> None:
        self._owners.add(owner)

    def remove(self, owner: Owner) -> None:
        self._owners.discard(owner)

    def fit(self, wanted: int = 0) -> int:
        """Let go of things until all that is kept, and `wanted` bytes to come, fit; the cache gets the rest. Returns the bytes kept."""
        room = int(self.limit * (1 - CACHE_SHARE - WORK_SHARE)) - wanted
        with self._lock:
            everything = [(kept, owner) for owner in list(self._owners) for kept in owner.kept()]
            held = sum(kept.size for kept, _ in everything)
            for kept, owner in sorted(everything, key=lambda pair: pair[0].used):
                if held <= room:
                    break
                if not kept.pinned:
                    owner.let_go(kept.name)
                    held -= kept.size
            self._cache.resize(max(int(self.limit * CACHE_SHARE), int(self.limit * (1 - WORK_SHARE)) - held - wanted))
            return held


def held_bytes(things: Iterable[Any]) -> int:
    """Bytes of the arrays and byte strings that can be reached from things of this program, each counted once."""
    seen: set[int] = set()
    total = 0
    waiting = list(things)
    while waiting:
        thing = waiting.pop()
        if id(thing) in seen:
            continue
        seen.add(id(thing))
        if isinstance(thing, np.ndarray):
            if isinstance(thing.base, np.ndarray):
                waiting.append(thing.base)
            else:
                total += thing.nbytes
        elif isinstance(thing, bytes | bytearray):
            total += len(thing)
        elif isinstance(thing, dict):
            if len(thing) > 1000:
                total += sys.getsizeof(thing)
            else:
                waiting.extend(thing.values())
        elif isinstance(thing, list | tuple):
            if len(thing) < 1000:
                waiting.extend(thing)
        elif type(thing).__module__.startswith("ruvelt."):
            waiting.extend(getattr(thing, "__dict__", {}).values())
    return total
