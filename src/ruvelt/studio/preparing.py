"""Kernels compiled behind a server that is already open."""

from __future__ import annotations

import os
import subprocess
import sys
from threading import Thread

from ruvelt.core import kernels


class Preparing:
    """`done` of `planned` kernels are there; while some are missing, the first use of what needs them takes longer."""

    def __init__(self) -> None:
        self.done = self.planned = 0
        self._process: subprocess.Popen[str] | None = None

    @property
    def running(self) -> bool:
        return self._process is not None and self._process.poll() is None

    def start(self) -> None:
        """Compile what is missing in a process of its own, which gives way to all others. Nothing where all is there."""
        if not kernels.missing() or self.running:
            return
        self.planned = kernels.missing()
        command = [sys.executable, "-m", "ruvelt.core.warming", "--tell"]
        self._process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
        if hasattr(os, "setpriority"):
            os.setpriority(os.PRIO_PROCESS, self._process.pid, 10)
        Thread(target=self._follow, name="ruvelt-preparing", daemon=True).start()

    def _follow(self) -> None:
        assert self._process is not None
        assert self._process.stdout is not None
        for line in self._process.stdout:
            done, planned = (int(word) for word in line.split())
            self.done, self.planned = done, planned
        self._process.wait()

    def stop(self) -> None:
        if self.running and self._process is not None:
            self._process.terminate()
            self._process.wait()
