"""Long work with progress and cancel: imports, exports, repaints."""

from __future__ import annotations

import logging
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from threading import BoundedSemaphore, Event, Lock, Thread
from typing import Any, Literal

from ruvelt.core.errors import Cancelled, NotFound, RuveltError

_log = logging.getLogger("ruvelt.jobs")
#: Finished jobs are remembered for whoever still asks.
KEEP = 200
#: Jobs that run side by side; the others wait for their turn, so that a hundred take no more memory than these.
SIDE_BY_SIDE = 3
#: Seconds between two looks of a waiting job at whether it was stopped.
LOOK = 0.1


@dataclass
class Job:
    """One piece of long work. `progress` is called from inside it and raises Cancelled once someone has asked to stop."""

    id: str
    kind: str
    title: str
    state: Literal["running", "done", "failed", "cancelled"] = "running"
    done: int = 0
    planned: int = 0
    message: str = ""
    result: dict[str, Any] = field(default_factory=dict)
    error: str | None = None
    _stop: Event = field(default_factory=Event)

    def progress(self, done: int, planned: int, message: str) -> None:
        if self._stop.is_set():
            raise Cancelled("Stopped.")
        self.done, self.planned, self.message = done, planned, message

    def cancel(self) -> None:
        self._stop.set()


class Jobs:
    def __init__(self) -> None:
        self._jobs: dict[str, Job] = {}
        self._lock = Lock()
        self._turns = BoundedSemaphore(SIDE_BY_SIDE)

    def start(self, kind: str, title: str, work: Callable[[Job], dict[str, Any]]) -> Job:
        """Run `work(job)` in a thread of its own; what it returns becomes the job's result."""
        job = Job(uuid.uuid4().hex[:12], kind, title)
        with self._lock:
            self._jobs[job.id] = job
            for old in [j for j in self._jobs.values() if j.state != "running"][: max(0, len(self._jobs) - KEEP)]:
                del self._jobs[old.id]

        def run() -> None:
            try:
                with self._turn(job):
                    job.result = work(job)
                job.state = "done"
            except Cancelled:
                job.state = "cancelled"
            except RuveltError as error:
                job.error, job.state = str(error), "failed"
            except MemoryError:
                job.error, job.state = "There was not enough memory for this. Close other projects or use a smaller size.", "failed"
            except OSError as error:
                job.error, job.state = f"A file could not be written ({error.strerror}). Check the disk and try again.", "failed"
            except Exception:
                _log.exception("job %s failed", kind)
                job.error, job.state = "Something went wrong inside Ruvelt; the details are in its log. Your project is unchanged.", "failed"

        Thread(target=run, name=f"ruvelt-job-{kind}", daemon=True).start()
        return job

    @contextmanager
    def _turn(self, job: Job) -> Iterator[None]:
        """A turn among the jobs that run side by side; a job that is stopped while it waits raises Cancelled."""
        while not self._turns.acquire(timeout=LOOK):
            job.progress(0, job.planned, "Waiting for its turn")
        try:
            yield
        finally:
            self._turns.release()

    def get(self, job_id: str) -> Job:
        found = self._jobs.get(job_id)
        if found is None:
            raise NotFound("There is no such job any more.")
        return found

    def running(self, kind: str) -> list[Job]:
        """Jobs of a kind that are under way, oldest first."""
        with self._lock:
            return [job for job in self._jobs.values() if job.kind == kind and job.state == "running"]
