"""Killed at any moment: the database opens with every acknowledged stroke, and nothing half done."""

from __future__ import annotations

import random
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest

from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.samples.chunks import CHUNK
from ruvelt.store.project_store import ProjectStore
from tests.conftest import Clock
from tests.store.test_project_store import PLANE, make

WRITER = """
import sys
from pathlib import Path
import numpy as np
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.store.project_store import ProjectStore
store = ProjectStore(Path(sys.argv[1]), BoundedCache(), lambda: 0.0)
print("ready", flush=True)
for i in range(store.head + 1, 100_000):
    values = np.full((4, 65536), i % 65536, np.uint16)
    values[:, ::7] = np.random.default_rng(i).integers(0, 65536, (4, 65536), np.uint16)[:, ::7]
    key = store.blobs.put(values)
    other = store.blobs.put(values[::-1].copy())
    store.commit(f"Stroke {i}", changes={"s/p/base_color": {0: key, 1: other}}, components={"s/p/base_color": 4}, script={"n": i})
    print(i, flush=True)
"""


@pytest.mark.parametrize("round_number", range(5))
def test_kill_in_the_middle_of_writing(tmp_path: Path, round_number: int) -> None:
    make(tmp_path).close()
    process = subprocess.Popen([sys.executable, "-c", WRITER, str(tmp_path)], stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    assert process.stdout.readline() == "ready\n"
    time.sleep(random.Random(round_number).uniform(0.02, 0.4))
    process.send_signal(signal.SIGKILL)
    told = process.stdout.read().split()
    process.wait()
    acknowledged = int(told[-1]) if told else 0

    store = ProjectStore(tmp_path, BoundedCache(), Clock())
    assert store.head in (acknowledged, acknowledged + 1)
    with store.engine.connect() as connection:
        assert connection.exec_driver_sql("PRAGMA integrity_check").scalar() == "ok"
        assert connection.exec_driver_sql("PRAGMA foreign_key_check").all() == []
    if store.head:
        plane = store.planes[PLANE]
        first, second = store.blobs.get(plane.chunks[0]), store.blobs.get(plane.chunks[1])
        assert first[0, 1] == store.head % 65536
        assert np.array_equal(first[::-1], second)
        store.undo()
        store.redo()
        assert np.array_equal(store.blobs.get(store.planes[PLANE].chunks[0]), first)
    assert first.shape == (4, CHUNK) if store.head else True
    store.close()
