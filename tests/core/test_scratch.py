"""Work folders: gone after use, swept after a kill, and never taken from one who still holds theirs."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import tempfile
from pathlib import Path

import pytest

from ruvelt.core.scratch import PREFIX, scratch_folder

HOLD = """
import time
from ruvelt.core.scratch import scratch_folder
with scratch_folder() as folder:
    (folder / "map").write_bytes(b"x" * 9999)
    print(folder, flush=True)
    time.sleep(600)
"""


@pytest.fixture
def place(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    return tmp_path


def test_what_a_killed_process_left_goes_and_what_a_living_one_holds_stays(place: Path) -> None:
    env = {**os.environ, "TMPDIR": str(place)}
    held = [subprocess.Popen([sys.executable, "-c", HOLD], stdout=subprocess.PIPE, env=env, text=True) for _ in range(2)]
    try:
        folders = [Path(child.stdout.readline().strip()) for child in held if child.stdout is not None]
        assert all(folder.parent == place and (folder / "map").is_file() for folder in folders)
        held[0].send_signal(signal.SIGKILL)
        held[0].wait()
        with scratch_folder() as mine, scratch_folder() as beside:
            assert sorted(place.iterdir()) == sorted([mine, beside, folders[1]])
            assert (folders[1] / "map").is_file()
        assert sorted(place.iterdir()) == [folders[1]]
    finally:
        for child in held:
            child.kill()
            child.wait()


def test_a_folder_made_this_moment_is_left_and_an_old_one_without_a_lock_goes(place: Path) -> None:
    fresh, old = place / (PREFIX + "a"), place / (PREFIX + "b")
    fresh.mkdir()
    old.mkdir()
    os.utime(old, (1, 1))
    with scratch_folder():
        assert fresh.is_dir()
        assert not old.exists()


def test_work_that_fails_leaves_nothing(place: Path) -> None:
    def work() -> None:
        with scratch_folder() as folder:
            (folder / "x").write_text("x")
            raise KeyError

    with pytest.raises(KeyError):
        work()
    assert not list(place.iterdir())
