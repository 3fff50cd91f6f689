"""Folders for work in progress, in the system's temporary place; what a killed process left there goes when the next one is made."""

from __future__ import annotations

import fcntl
import os
import shutil
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

PREFIX = "ruvelt-work-"
LOCK = "held"
#: A folder without a lock may be one that is being made this moment (seconds).
FRESH = 60.0


@contextmanager
def scratch_folder() -> Iterator[Path]:
    """An empty folder that is gone afterwards. A lock in it ends with its process, however that ends."""
    place = Path(tempfile.gettempdir())
    for left in place.glob(PREFIX + "*"):
        if _abandoned(left):
            shutil.rmtree(left, ignore_errors=True)
    with tempfile.TemporaryDirectory(prefix=PREFIX, ignore_cleanup_errors=True) as name, open(Path(name) / LOCK, "wb") as held:
        fcntl.flock(held, fcntl.LOCK_EX)
        yield Path(name)


def _abandoned(folder: Path) -> bool:
    try:
        if folder.is_symlink() or folder.stat().st_uid != os.getuid():
            return False
        with open(folder / LOCK, "rb") as held:
            fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except FileNotFoundError:
        return folder.exists() and time.time() - folder.stat().st_mtime > FRESH
    except OSError:
        return False
    return True
