"""What a running studio does while nobody waits: closes idle projects, keeps their files small."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable
from contextlib import suppress
from threading import Event, Thread

from ruvelt.core.errors import RuveltError
from ruvelt.store.upkeep import checkpoint, drop_unused_blobs, give_back, trim_undo
from ruvelt.studio.memory import Memory
from ruvelt.studio.pool import IDLE_KEPT, Opened, SessionPool

_log = logging.getLogger("ruvelt.housekeeping")
#: A project that nobody used for this long has its file looked after (seconds).
QUIET = 3.0
#: One that nobody used for this long is closed, so that other programs may open it (seconds).
LONG_IDLE = 300.0
#: Seconds between two looks.
EVERY = 2.0


class Housekeeping:
    """Looks after the projects of a pool, in a thread of its own once `start` is called. `clock`: seconds, monotonic."""

    def __init__(self, pool: SessionPool, clock: Callable[[], float] = time.monotonic, memory: Memory | None = None) -> None:
        self._pool, self._clock, self._memory = pool, clock, memory
        self._kept: dict[str, int] = {}
        self._stop = Event()
        self._thread: Thread | None = None

    def start(self) -> None:
        self._thread = Thread(target=self._run, name="ruvelt-housekeeping", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        self._stop.set()
        if self._thread is not None:
            self._thread.join(10)

    def _run(self) -> None:
        while not self._stop.wait(EVERY):
            try:
                self.tidy()
            except Exception:
                # Nobody waits for it and nothing depends on it; the next look may fare better.
                _log.exception("housekeeping failed")

    def tidy(self) -> None:
        """One look at everything that is idle."""
        for uid, idle in self._pool.idle(self._clock()):
            if idle >= LONG_IDLE:
                self._pool.close(uid)
            elif idle >= QUIET:
                self._look_after(uid)
        self._pool.close_idle(IDLE_KEPT)
        if self._memory is not None and self._memory.fit() > self._memory.limit:
            # Models alone take more than there is: those that nobody looks at go with their projects.
            self._pool.close_idle(0)

    def _look_after(self, uid: str) -> None:
        with self._pool.lend_idle(uid) as opened:
            if opened is None or self._kept.get(uid) == opened.session.revision:
                return
            with suppress(RuveltError):
                keep_small(opened, lambda: self._pool.is_wanted(uid) or self._stop.is_set())
                self._kept[uid] = opened.session.revision


def keep_small(opened: Opened, wanted: Callable[[], bool] = lambda: False) -> None:
    """Make a project's file as small as it can be, in slices that end when somebody wants the project."""
    session = opened.session
    steps: tuple[Callable[[], bool], ...] = (
        lambda: trim_undo(session.store),
        lambda: drop_unused_blobs(session.store) > 0,
        lambda: give_back(session.store),
        lambda: checkpoint(session.store),
    )
    for step in steps:
        more = True
        while more and not wanted():
            with session.lock:
                more = step()
