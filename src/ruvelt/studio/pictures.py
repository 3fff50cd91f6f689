"""Keeping finished display tiles for the next opening, without making anyone wait for it."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from threading import BoundedSemaphore

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.store.pictures import PictureStore, Sources

#: Groups of tiles waiting to be written; more are not kept this time, so that memory stays bounded.
WAITING = 24


class Pictures:
    """A picture store and the one thread that writes to it."""

    def __init__(self, store: PictureStore) -> None:
        self.store = store
        self._writer: ThreadPoolExecutor | None = None
        self._room = BoundedSemaphore(WAITING)
        self._last: Future[None] | None = None

    def recall(self, scope: str, samples: SheetSamples) -> None:
        """Give samples what is known of their gutter, so that stamps need no layout of the sheet."""
        sources = self.store.sources(scope)
        if sources is not None:
            samples.gutter_sources = sources

    def keep(self, scope: str, tiles: list[tuple[str, int, int, NDArray[np.uint8]]]) -> None:
        """Write tiles as (texture, chunk, stamp, tile) some time soon."""
        if not self._room.acquire(blocking=False):
            return

        def write() -> None:
            try:
                self.store.put(scope, tiles)
            finally:
                self._room.release()

        self.later(write)

    def keep_sources(self, scope: str, sources: Sources) -> None:
        self.later(lambda: self.store.put_sources(scope, sources))

    def later(self, work: Callable[[], None]) -> None:
        """Do something after everything handed in before."""
        if self._writer is None:
            self._writer = ThreadPoolExecutor(1, thread_name_prefix="pictures")
        self._last = self._writer.submit(work)

    def settle(self) -> None:
        """Wait until everything handed in is written."""
        if self._last is not None:
            self._last.result()

    def close(self) -> None:
        if self._writer is not None:
            self._writer.shutdown(wait=True)
            self._writer = None
        self.store.close()
