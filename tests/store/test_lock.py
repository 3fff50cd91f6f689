"""One writer a project: in a process, between processes, and after a kill."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
from pathlib import Path

import pytest

from ruvelt.core.errors import Conflict, Locked, StorageError
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.store.lock import FolderLock, sweep
from ruvelt.store.project_store import ProjectStore
from tests.conftest import Clock
from tests.store.test_project_store import PLANE, chunk, make, pixels, reopen, stroke

HOLD = """
import sys, time
from pathlib import Path
from ruvelt.store.lock import FolderLock
lock = FolderLock(Path(sys.argv[1]), "the holder of the test")
print("held", flush=True)
time.sleep(600)
"""


def hold(folder: Path) -> subprocess.Popen[str]:
    process = subprocess.Popen([sys.executable, "-c", HOLD, str(folder)], stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    assert process.stdout.readline() == "held\n"
    return process


def test_another_process_is_named_and_a_killed_one_holds_nothing(tmp_path: Path) -> None:
    make(tmp_path).close()
    holder = hold(tmp_path)
    try:
        with pytest.raises(Locked, match=rf"open in the holder of the test \(process {holder.pid}\).*stop that first"):
            ProjectStore(tmp_path, BoundedCache(), Clock())
    finally:
        holder.send_signal(signal.SIGKILL)
        holder.wait()
    ProjectStore(tmp_path, BoundedCache(), Clock()).close()


def test_two_stores_of_one_project_exclude_each_other_in_one_process_too(tmp_path: Path) -> None:
    first = make(tmp_path)
    with pytest.raises(Locked):
        ProjectStore(tmp_path, BoundedCache(), Clock())
    first.close()
    second = ProjectStore(tmp_path, BoundedCache(), Clock())
    with pytest.raises(Conflict, match="was closed"):
        stroke(first, 1)
    stroke(second, 1)
    assert second.head == 1
    second.close()


def test_a_commit_on_another_head_is_refused_and_deletes_nothing(tmp_path: Path) -> None:
    """Whatever moved the head: a commit made on an older one may not take the newer steps away."""
    store = make(tmp_path)
    stroke(store, 1)
    store.close()
    behind = reopen(store)
    behind._lock.release()  # as if there were no lock at all
    ahead = reopen(store)
    for seed in (2, 3, 4):
        stroke(ahead, seed)
    kept = pixels(ahead)
    key = behind.blobs.put(chunk(99))
    behind._lock = ahead._lock
    with pytest.raises(Conflict, match="changed by another program"):
        behind.commit("Bake", changes={PLANE: {0: key}}, components={PLANE: 4})
    with ahead.engine.connect() as connection:
        steps = connection.exec_driver_sql("SELECT label FROM history ORDER BY seq").scalars().all()
    assert steps == ["Stroke 1", "Stroke 2", "Stroke 3", "Stroke 4"]
    assert (behind.head, pixels(behind)) == (4, kept), "it has read what is stored"
    behind.commit("Bake", changes={PLANE: {0: key}}, components={PLANE: 4})
    assert behind.head == 5
    for _ in range(5):
        behind.undo()
    ahead.close()


def test_a_folder_that_is_gone_takes_no_stroke(tmp_path: Path) -> None:
    """A file without a name takes writes that nobody will ever read, so they are no storing."""
    folder = tmp_path / "project"
    store = make(folder)
    stroke(store, 1)
    folder.rename(tmp_path / "elsewhere")
    with pytest.raises(StorageError, match="moved or removed"):
        stroke(store, 2)
    assert store.head == 1
    (tmp_path / "elsewhere").rename(folder)
    stroke(store, 3)
    assert [h.label for h in reopen(store).history()] == ["Stroke 3", "Stroke 1"]


def test_sweeping_leaves_what_somebody_makes_or_made_just_now(tmp_path: Path) -> None:
    for name in ("held", "left", "new", "old"):
        (tmp_path / f"{name}.part").mkdir()
    lock = FolderLock(tmp_path / "held.part", "a test")
    FolderLock(tmp_path / "left.part", "a test").release()
    os.utime(tmp_path / "old.part", (0, 0))
    sweep(tmp_path, tmp_path / "nowhere")
    assert sorted(p.name for p in tmp_path.iterdir()) == ["held.part", "new.part"]
    lock.release()
    sweep(tmp_path)
    assert sorted(p.name for p in tmp_path.iterdir()) == ["new.part"]
