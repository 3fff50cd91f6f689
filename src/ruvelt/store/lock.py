"""One writer a folder: a lock that ends with its process, however that ends, and says who holds it."""

from __future__ import annotations

import errno
import fcntl
import json
import os
import shutil
import time
from pathlib import Path

from ruvelt.core.errors import Locked, StorageError

FILE = "writer.lock"
#: An unfinished folder without a lock file may be one that is being made this moment; older ones were left by a crash (seconds).
FRESH = 60.0


class FolderLock:
    """An exclusive lock on a folder, held until `release`. `who`: what its holder is called in other people's errors.

    It is a `flock` on a file inside: the kernel lets go of it when the process ends, also after kill -9, and two openings in one
    process exclude each other as well. Raises Locked when another holds it, StorageError when the folder cannot be written.
    """

    def __init__(self, folder: Path, who: str) -> None:
        self._path = folder / FILE
        try:
            self._file = os.open(self._path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o644)
        except OSError as error:
            raise StorageError(f"The folder '{folder.name}' cannot be written ({error.strerror}). Check the data folder and its disk.") from None
        try:
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            os.close(self._file)
            if error.errno not in (errno.EWOULDBLOCK, errno.EACCES):
                raise StorageError(f"The folder '{folder.name}' cannot be locked ({error.strerror}). Keep the data folder on a local disk.") from None
            raise Locked(_held_by(self._path)) from None
        if not self.in_place:
            # The folder went away between the opening and the lock.
            os.close(self._file)
            raise Locked("This project is being removed. Reload the list.")
        os.ftruncate(self._file, 0)
        os.pwrite(self._file, json.dumps({"pid": os.getpid(), "who": who}).encode(), 0)

    @property
    def in_place(self) -> bool:
        """Whether the folder is still where it was when the lock was taken."""
        try:
            there, mine = os.stat(self._path), os.fstat(self._file)
        except OSError:
            return False
        return (there.st_dev, there.st_ino) == (mine.st_dev, mine.st_ino)

    def moved(self, folder: Path) -> None:
        """The holder itself has renamed the folder."""
        self._path = folder / FILE

    def release(self) -> None:
        if self._file >= 0:
            os.close(self._file)
            self._file = -1


def _held_by(path: Path) -> str:
    try:
        holder = json.loads(path.read_text("utf-8"))
        who = f"{holder['who']} (process {int(holder['pid'])})"
    except (OSError, ValueError, KeyError, TypeError):
        who = "another Ruvelt"
    return f"This project is open in {who}. Work on it there, or stop that first, then try again."


def sweep(*folders: Path, pattern: str = "*.part") -> None:
    """Remove unfinished folders inside the given ones that belong to nobody any more."""
    for folder in folders:
        try:
            left = [path for path in folder.glob(pattern) if path.is_dir()]
        except OSError:
            continue
        for path in left:
            if is_abandoned(path):
                shutil.rmtree(path, ignore_errors=True)


def is_abandoned(folder: Path) -> bool:
    """Whether an unfinished folder belongs to nobody any more and may be removed."""
    if not (folder / FILE).is_file():
        try:
            return time.time() - folder.stat().st_mtime > FRESH
        except OSError:
            return False
    try:
        FolderLock(folder, "a sweep").release()
    except (Locked, StorageError):
        return False
    return True
