"""Threads for kernels. Kernels release the interpreter lock, so plain threads run them side by side."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from threading import get_native_id, local
from typing import TypeVar

T = TypeVar("T")
R = TypeVar("R")


class Workers:
    """A pool handed to whatever computes; `Workers(1)` runs everything in the caller's thread.

    `behind`: its threads give way to all others, so that long work does not slow a stroke.
    """

    def __init__(self, threads: int | None = None, *, behind: bool = False) -> None:
        self._behind = behind
        self.threads = max(1, threads if threads is not None else min(8, os.cpu_count() or 1))
        self._inside = local()
        self._pool = ThreadPoolExecutor(self.threads, initializer=self._enter) if self.threads > 1 or behind else None

    def _enter(self) -> None:
        self._inside.yes = True
        if self._behind and hasattr(os, "setpriority"):
            # On Linux a niceness belongs to a thread.
            os.setpriority(os.PRIO_PROCESS, get_native_id(), 10)

    def map(self, function: Callable[[T], R], items: Iterable[T]) -> list[R]:
        """Results in the order of `items`; the first error is raised. Asked from inside a worker it runs there, or all would wait for all."""
        work = list(items)
        if self._pool is None or (len(work) < 2 and not self._behind) or getattr(self._inside, "yes", False):
            return [function(item) for item in work]
        return list(self._pool.map(function, work))

    def close(self) -> None:
        if self._pool is not None:
            self._pool.shutdown(wait=True)


SERIAL = Workers(1)
