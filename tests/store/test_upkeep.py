"""A project's file stays small: differences, what nobody refers to, undo that is no longer kept, space given back."""

from __future__ import annotations

import sqlite3
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import text

from ruvelt.core.errors import InputError
from ruvelt.core.samples.address import CHUNK
from ruvelt.store.blobs import DEEPEST
from ruvelt.store.project_store import ProjectStore
from ruvelt.store.upkeep import checkpoint, drop_unused_blobs, file_sizes, give_back, trim_undo
from tests.store.test_project_store import PLANE, chunk, make, pixels, reopen


def dab(values: np.ndarray, seed: int) -> np.ndarray:
    """The chunk with a soft round dab somewhere: what a stroke changes of it."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:256, 0:256]
    cx, cy = rng.uniform(40, 216, 2)
    share = np.clip(1 - np.hypot(x - cx, y - cy) / 30, 0, 1).ravel() * 0.4
    paint = rng.uniform(0, 65535, (4, 1))
    return np.rint(values * (1 - share) + paint * share).astype(np.uint16)


def paint(store: ProjectStore, seed: int) -> np.ndarray:
    before = store.key(PLANE, 0)
    values = dab(store.blobs.get(before) if before else chunk(0) // 8 + 20_000, seed)
    key = store.blobs.put(values, before)
    store.commit(f"Stroke {seed}", changes={PLANE: {0: key}}, components={PLANE: 4}, script={"n": seed})
    return values


def rows(store: ProjectStore) -> list[tuple[int, int]]:
    with store.engine.connect() as connection:
        return [(d, n) for d, n in connection.execute(text("SELECT depth, length(data) FROM blob WHERE shape = 4 ORDER BY rowid"))]


def test_strokes_are_kept_as_differences_with_whole_chunks_between(tmp_path: Path) -> None:
    store = make(tmp_path)
    states = [paint(store, i) for i in range(2 * DEEPEST + 4)]
    depths = [d for d, _ in rows(store)]
    assert depths == [i % (DEEPEST + 1) for i in range(len(states))]
    whole = [n for d, n in rows(store) if d == 0]
    differences = [n for d, n in rows(store) if d > 0]
    assert np.mean(differences) < np.mean(whole) / 8
    store = reopen(store)
    for values in reversed(states):
        assert np.array_equal(store.blobs.get(str(store.key(PLANE, 0))), values)
        store = reopen(store)
        store.undo()


def test_what_differs_everywhere_is_kept_whole(tmp_path: Path) -> None:
    store = make(tmp_path)
    for seed in (1, 2, 3):
        key = store.blobs.put(chunk(seed), store.key(PLANE, 0))
        store.commit("Noise", changes={PLANE: {0: key}}, components={PLANE: 4})
    assert [d for d, _ in rows(store)] == [0, 0, 0]


@settings(max_examples=20, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(moves=st.lists(st.sampled_from(["paint", "same", "undo", "redo", "sweep", "reopen", "version", "trim"]), min_size=4, max_size=24))
def test_no_order_of_steps_and_sweeps_loses_a_pixel(tmp_path_factory: pytest.TempPathFactory, moves: list[str]) -> None:
    """Against states kept in memory; "same" paints back to what an earlier state held, so that differences could close circles."""
    store = make(tmp_path_factory.mktemp("any"))
    first = chunk(0) // 8 + 20_000
    states: list[np.ndarray | None] = [None]
    seen: list[np.ndarray] = [first]
    at, floor, seed = 0, 0, 0
    for move in moves:
        seed += 1
        if move in ("paint", "same"):
            now = states[at]
            values = dab(first if now is None else now, seed) if move == "paint" else seen[seed % len(seen)]
            key = store.blobs.put(values, store.key(PLANE, 0))
            store.commit("S", changes={PLANE: {0: key}}, components={PLANE: 4})
            states = [*states[: at + 1], values]
            seen.append(values)
            at += 1
        elif move == "undo" and at > floor:
            store.undo()
            at -= 1
        elif move == "redo" and at < len(states) - 1:
            store.redo()
            at += 1
        elif move == "sweep":
            drop_unused_blobs(store)
            give_back(store)
        elif move == "version":
            store.add_version("V")
        elif move == "trim":
            store.keep_undo(2)
            trim_undo(store)
            floor = store.undo_floor
        elif move == "reopen":
            store = reopen(store)
        store.blobs._cache.clear()
        wanted = states[at]
        assert (store.key(PLANE, 0) is None) == (wanted is None)
        if wanted is not None:
            assert np.array_equal(store.blobs.get(str(store.key(PLANE, 0))), wanted)
    with store.engine.connect() as connection:
        assert connection.exec_driver_sql("PRAGMA foreign_key_check").all() == []
    store.close()


def test_undo_that_is_not_kept_gives_its_space_back(tmp_path: Path) -> None:
    store = make(tmp_path)
    for i in range(40):
        paint(store, i)
    kept = pixels(store)
    checkpoint(store)
    before = file_sizes(store)
    assert 0 < before.undo < before.project
    store.keep_undo(5)
    trim_undo(store)
    assert drop_unused_blobs(store) > 20
    while give_back(store):
        pass
    checkpoint(store)
    after = file_sizes(store)
    assert after.project < before.project * 0.6
    assert after.undo < before.undo * 0.6
    for _ in range(5):
        store.undo()
    with pytest.raises(InputError, match="keeps the last 5 steps"):
        store.undo()
    for _ in range(5):
        store.redo()
    assert pixels(reopen(store)) == kept


def test_strokes_beyond_undo_stay_on_record(tmp_path: Path) -> None:
    store = make(tmp_path)
    for i in range(10):
        paint(store, i)
    store.keep_undo(3)
    trim_undo(store)
    assert [h.kept for h in reversed(store.history())] == [False] * 7 + [True] * 3
    assert [script for _, script, _ in store.scripts()] == [{"n": i} for i in range(10)]


def test_replaced_history_is_swept_and_a_commit_to_come_is_not(tmp_path: Path) -> None:
    store = make(tmp_path)
    for i in range(4):
        paint(store, i)
    for _ in range(3):
        store.undo()
    paint(store, 99)
    coming = store.blobs.put(chunk(5))
    assert drop_unused_blobs(store) == 0, "a commit to come may refer to any blob"
    store.commit("Next", changes={PLANE: {1: coming}})
    assert drop_unused_blobs(store) == 3
    assert store.blobs.get(coming).shape == (4, CHUNK)


def test_a_file_from_before_space_was_given_back_is_rebuilt_once(tmp_path: Path) -> None:
    store = make(tmp_path)
    for i in range(30):
        paint(store, i)
    kept = pixels(store)
    store.close()
    with sqlite3.connect(tmp_path / "project.sqlite") as old:
        old.execute("PRAGMA journal_mode=DELETE")
        old.execute("PRAGMA auto_vacuum=NONE")
        old.execute("VACUUM")
        assert old.execute("PRAGMA auto_vacuum").fetchone() == (0,)
    store = ProjectStore(tmp_path, store.blobs._cache, lambda: 0.0)
    store.keep_undo(2)
    trim_undo(store)
    drop_unused_blobs(store)
    before = file_sizes(store).project
    give_back(store)
    checkpoint(store)
    assert file_sizes(store).project < before * 0.7
    with store.engine.connect() as connection:
        assert connection.execute(text("PRAGMA auto_vacuum")).scalar() == 2
    assert pixels(store) == kept
    store.close()


def test_a_project_of_the_first_schema_is_migrated_whole(tmp_path: Path) -> None:
    """The tables as the first version made them, with a stroke in them."""
    store = make(tmp_path)
    values = paint(store, 1)
    key = store.key(PLANE, 0)
    store.close()
    with sqlite3.connect(tmp_path / "project.sqlite") as old:
        for statement in (
            "DROP TABLE good_state",
            "DROP INDEX blob_base",
            "ALTER TABLE blob DROP COLUMN depth",
            "CREATE TABLE blob_old (hash VARCHAR PRIMARY KEY, shape INTEGER NOT NULL, data BLOB NOT NULL)",
            "INSERT INTO blob_old SELECT hash, shape, data FROM blob",
            "PRAGMA foreign_keys=OFF",
            "DROP TABLE blob",
            "ALTER TABLE blob_old RENAME TO blob",
            "ALTER TABLE project DROP COLUMN undo_steps",
            "ALTER TABLE project DROP COLUMN undo_floor",
            "UPDATE alembic_version SET version_num = '0001'",
        ):
            old.execute(statement)
    store = reopen(store)
    assert (store.key(PLANE, 0), store.undo_steps, store.undo_floor) == (key, 0, 0)
    assert np.array_equal(store.blobs.get(str(key)), values)
    paint(store, 2)
    assert [d for d, _ in rows(store)] == [0, 1]
    store.close()
