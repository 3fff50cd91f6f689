"""Open projects, one live session each. What is in use is never closed; what is idle may be."""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from threading import Lock

from ruvelt.core.errors import RuveltError
from ruvelt.studio.bakes import BakeDesk
from ruvelt.studio.session import Session
from ruvelt.studio.strokes import StrokeDesk

#: Idle projects that stay open, so that coming back to one costs nothing.
IDLE_KEPT = 8


@dataclass(frozen=True)
class Opened:
    """An open project and its two desks."""

    session: Session
    strokes: StrokeDesk
    bakes: BakeDesk


@dataclass
class _Slot:
    """A project's place in the pool. `gate` is held while it opens or closes; `users` counts who has borrowed it, `used` says when last."""

    gate: Lock = field(default_factory=Lock)
    opened: Opened | None = None
    users: int = 0
    used: float = 0.0


class SessionPool:
    """Lends open projects. A borrowed one stays open until the last borrower is done and no stroke runs on it."""

    def __init__(self, open_project: Callable[[str], Opened], clock: Callable[[], float] = time.monotonic) -> None:
        self._open_project, self._clock = open_project, clock
        self._slots: OrderedDict[str, _Slot] = OrderedDict()
        self._lock = Lock()

    @contextmanager
    def lend(self, uid: str) -> Iterator[Opened]:
        """The open project, opened if it is not. Raises what opening raises."""
        slot = self._borrow(uid)
        try:
            with slot.gate:
                if slot.opened is None:
                    slot.opened = self._open_project(uid)
                opened = slot.opened
            yield opened
        finally:
            self._give_back(uid, slot)

    @contextmanager
    def lend_if_open(self, uid: str) -> Iterator[Opened | None]:
        """The project if it is open just now; opens nothing and waits for nothing."""
        with self._lock:
            slot = self._slots.get(uid)
            if slot is None or slot.opened is None:
                slot = None
            else:
                slot.users += 1
        if slot is None:
            yield None
            return
        try:
            yield slot.opened
        finally:
            self._give_back(uid, slot)

    @contextmanager
    def lend_idle(self, uid: str) -> Iterator[Opened | None]:
        """The project if nobody else uses it and no stroke runs on it."""
        with self._lock:
            slot = self._slots.get(uid)
            if slot is None or slot.users or slot.opened is None or slot.opened.strokes.busy:
                slot = None
            else:
                slot.users += 1
        try:
            yield None if slot is None else slot.opened
        finally:
            if slot is not None:
                # To look after a project is not to use it.
                self._give_back(uid, slot, slot.used)

    def is_wanted(self, uid: str) -> bool:
        """Whether somebody else wants a project that was lent as idle."""
        with self._lock:
            slot = self._slots.get(uid)
            return slot is None or slot.users > 1

    def idle(self, now: float) -> list[tuple[str, float]]:
        """Open projects that nobody uses and for how many seconds, the one used longest ago first."""
        with self._lock:
            return [(uid, now - slot.used) for uid, slot in self._slots.items() if slot.opened is not None and not slot.users]

    def _borrow(self, uid: str) -> _Slot:
        with self._lock:
            slot = self._slots.setdefault(uid, _Slot())
            slot.users += 1
            self._slots.move_to_end(uid)
            return slot

    def _give_back(self, uid: str, slot: _Slot, used: float | None = None) -> None:
        with self._lock:
            slot.users -= 1
            slot.used = self._clock() if used is None else used
            if slot.users == 0 and slot.opened is None and self._slots.get(uid) is slot:
                del self._slots[uid]

    def open_now(self) -> list[str]:
        """Ids of open projects, the one used longest ago first."""
        with self._lock:
            return [uid for uid, slot in self._slots.items() if slot.opened is not None]

    def close(self, uid: str, last: bool = False, force: bool = False) -> bool:
        """Close a project unless someone uses it; says whether it is closed now. An abandoned stroke is stored first.

        last : it is about to be removed, so nothing of it needs to be kept; force : the studio closes, whoever uses it
        """
        with self._lock:
            slot = self._slots.get(uid)
            if slot is None:
                return True
            used = slot.users > 0 or (slot.opened is not None and slot.opened.strokes.busy)
            if (used and not force) or not slot.gate.acquire(blocking=False):
                return False
            # Whoever asks for it from now on waits at the gate and opens it anew.
            opened, slot.opened = slot.opened, None
        try:
            if opened is not None:
                with suppress(RuveltError):
                    opened.strokes.settle()
                opened.session.close(last)
        finally:
            slot.gate.release()
            with self._lock:
                if slot.users == 0 and slot.opened is None and self._slots.get(uid) is slot:
                    del self._slots[uid]
        return True

    def close_idle(self, keep: int = IDLE_KEPT) -> None:
        """Close what was idle longest, but for the last few."""
        open_now = self.open_now()
        for uid in open_now[: max(0, len(open_now) - keep)]:
            self.close(uid)
