"""Killed at any moment: the project opens with everything that was acknowledged, and nothing half done."""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.stack.edits import SetLayer
from ruvelt.store.project_store import ProjectStore
from ruvelt.store.upkeep import checkpoint, drop_unused_blobs, give_back, trim_undo
from tests.conftest import Clock
from tests.store.test_project_store import PLANE, make, pixels
from tests.store.test_upkeep import dab

#: Kills of an everyday run; `make soak` asks for 200.
KILLS = int(os.environ.get("RUVELT_KILLS", "5"))
WRITER = """
import sys
from pathlib import Path
sys.path.insert(0, sys.argv[3])
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.store.project_store import ProjectStore
from tests.store.test_kill import drive
store = ProjectStore(Path(sys.argv[1]), BoundedCache(), lambda: 0.0)
print("ready", flush=True)
for number in drive(store, int(sys.argv[2])):
    print(number, flush=True)
"""


def drive(store: ProjectStore, seed: int, steps: int = 10_000) -> Iterator[int]:
    """Do one thing after the other, the same for the same seed: strokes, edits, undo and redo, versions, and looking after the file."""
    chance = random.Random(seed)
    for number in range(1, steps + 1):
        what = chance.choices(["stroke", "edit", "undo", "redo", "version", "upkeep", "trim"], [12, 2, 3, 2, 1, 2, 1])[0]
        if what == "stroke":
            changes = {}
            for c in range(chance.randint(1, 3)):
                before = store.key(PLANE, c)
                values = np.full((4, 65536), 20_000 + c, np.uint16) if before is None else store.blobs.get(before)
                changes[c] = store.blobs.put(dab(values, number * 10 + c), before)
            store.commit(f"Stroke {number}", changes={PLANE: changes}, components={PLANE: 4}, script={"n": number})
        elif what == "edit":
            store.commit("Rename", edit=SetLayer(sheet="s", layer="p", values={"name": f"Layer {number}"}))
        elif what == "undo" and store.head > store.undo_floor:
            store.undo()
        elif what == "redo" and store.label_of(store.head + 1) is not None:
            store.redo()
        elif what == "version":
            store.add_version(f"Version {number}")
        elif what == "upkeep":
            drop_unused_blobs(store)
            give_back(store)
            checkpoint(store)
        elif what == "trim":
            store.keep_undo(4)
            trim_undo(store)
        yield number


def state(store: ProjectStore) -> tuple[object, ...]:
    """Everything that was acknowledged: the document, the pixels, what undo and versions reach."""
    return store.document, store.head, store.undo_steps, pixels(store), [v.name for v in store.versions()], [h.label for h in store.history()]


@pytest.mark.parametrize("seed", range(KILLS))
def test_kill_in_the_middle_of_writing(tmp_path: Path, seed: int) -> None:
    make(tmp_path / "killed").close()
    command = [sys.executable, "-c", WRITER, str(tmp_path / "killed"), str(seed), str(Path(__file__).parents[2])]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    assert process.stdout.readline() == "ready\n"
    time.sleep(random.Random(seed).uniform(0.02, 0.5))
    process.send_signal(signal.SIGKILL)
    told = process.stdout.read().split()
    process.wait()
    acknowledged = int(told[-1]) if told else 0

    store = ProjectStore(tmp_path / "killed", BoundedCache(), Clock())
    with store.engine.connect() as connection:
        assert connection.exec_driver_sql("PRAGMA integrity_check").scalar() == "ok"
        assert connection.exec_driver_sql("PRAGMA foreign_key_check").all() == []
    found = state(store)
    # The same steps in peace: the file holds those that were acknowledged, or one more that was through when the kill came.
    peaceful = make(tmp_path / "peaceful")
    steps = drive(peaceful, seed)
    for _ in range(acknowledged):
        next(steps)
    wanted = [state(peaceful)]
    next(steps)
    wanted.append(state(peaceful))
    assert found in wanted
    while store.head > store.undo_floor:
        store.undo()
    store.close()
    peaceful.close()
