"""The project on disk: steps, undo over restarts, versions, shared blobs, full disks, migrations."""

from __future__ import annotations

import sqlite3
from pathlib import Path
from threading import Barrier, Thread

import numpy as np
import pytest
from alembic.config import Config
from alembic.script import ScriptDirectory
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import Engine, inspect, text

import ruvelt.store
from ruvelt.core.errors import InputError, NotFound, StorageError
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.planes.plane import empty_chunk
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.stack.document import Document, PaintLayer, Sheet
from ruvelt.core.stack.edits import AddLayer, RemoveLayer, SetLayer
from ruvelt.core.workers import SERIAL
from ruvelt.store.database import connect, migrate
from ruvelt.store.project_store import ProjectStore
from ruvelt.store.schema import HEAD, Base
from ruvelt.store.upkeep import drop_unused_blobs
from tests.conftest import Clock

DOCUMENT = Document(sheets=(Sheet(id="s", name="S", plan=0, resolution=256, layers=(PaintLayer(id="p", name="P"),)),))
MODEL = b"a model would be here" * 100
PLANE = "s/p/base_color"


def make(folder: Path, clock: Clock | None = None) -> ProjectStore:
    folder.mkdir(parents=True, exist_ok=True)
    return ProjectStore.create(folder, "abcdefabcdef", "Lantern", MODEL, "auto", DOCUMENT, BoundedCache(64 << 20), clock or Clock())


def reopen(store: ProjectStore) -> ProjectStore:
    store.close()
    return ProjectStore(store.folder, BoundedCache(64 << 20), Clock())


def chunk(seed: int) -> np.ndarray:
    return np.random.default_rng(seed).integers(0, 65536, (4, CHUNK), np.uint16)


def stroke(store: ProjectStore, seed: int, index: int = 0, plane: str = PLANE) -> str:
    key = store.blobs.put(chunk(seed))
    store.commit(f"Stroke {seed}", changes={plane: {index: key}}, components={plane: 4}, script={"stroke": seed})
    return key


def pixels(store: ProjectStore) -> dict[tuple[str, int], bytes]:
    return {(p, c): store.blobs.get(k).tobytes() for p, plane in store.planes.items() for c, k in plane.chunks.items()}


def test_everything_is_there_after_a_restart(tmp_path: Path) -> None:
    store = make(tmp_path)
    stroke(store, 1)
    stroke(store, 2, 5)
    store.commit("Rename", edit=SetLayer(sheet="s", layer="p", values={"name": "Soot"}))
    before = pixels(store)
    again = reopen(store)
    assert pixels(again) == before
    assert again.document.sheets[0].layers[0].name == "Soot"
    assert again.blobs.get_bytes(again.model_hash) == MODEL
    assert (again.head, again.revision, again.name, again.uid) == (3, 4, "Lantern", "abcdefabcdef")
    assert np.array_equal(again.blobs.get(again.planes[PLANE].chunks[0]), chunk(1))


def test_undo_reaches_back_across_restarts_byte_for_byte(tmp_path: Path) -> None:
    store = make(tmp_path)
    states = [(pixels(store), store.document)]
    for i in range(4):
        stroke(store, i, i % 2)
        states.append((pixels(store), store.document))
    store.commit("Add", edit=AddLayer(sheet="s", layer=PaintLayer(id="q", name="Q")))
    states.append((pixels(store), store.document))
    for wanted in reversed(states[:-1]):
        store = reopen(store)
        store.undo()
        assert (pixels(store), store.document) == wanted
    with pytest.raises(InputError, match="nothing left to undo"):
        store.undo()
    for wanted in states[1:]:
        store = reopen(store)
        store.redo()
        assert (pixels(store), store.document) == wanted
    with pytest.raises(InputError, match="nothing to redo"):
        store.redo()


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(moves=st.lists(st.sampled_from(["stroke", "undo", "redo", "edit", "reopen"]), max_size=14))
def test_any_order_of_steps_agrees_with_a_plain_list(tmp_path_factory: pytest.TempPathFactory, moves: list[str]) -> None:
    """Against a model that keeps whole states in a list."""
    store = make(tmp_path_factory.mktemp("any"))
    states, at, count = [(pixels(store), store.document)], 0, 0
    for move in moves:
        count += 1
        if move == "stroke":
            stroke(store, count, count % 3)
        elif move == "edit":
            store.commit("Rename", edit=SetLayer(sheet="s", layer="p", values={"name": f"N{count}"}))
        elif move == "undo" and at > 0:
            store.undo()
            at -= 1
        elif move == "redo" and at < len(states) - 1:
            store.redo()
            at += 1
        elif move == "reopen":
            store = reopen(store)
        if move in ("stroke", "edit"):
            states = [*states[: at + 1], (pixels(store), store.document)]
            at += 1
        assert (pixels(store), store.document) == states[at]
        assert store.head == at
    store.close()


def test_a_step_after_undo_forgets_what_was_undone(tmp_path: Path) -> None:
    store = make(tmp_path)
    stroke(store, 1)
    stroke(store, 2)
    store.undo()
    stroke(store, 3)
    assert [(h.seq, h.label, h.undone) for h in store.history()] == [(2, "Stroke 3", False), (1, "Stroke 1", False)]
    assert store.label_of(3) is None


def test_equal_chunks_are_stored_once_and_unused_ones_go(tmp_path: Path) -> None:
    store = make(tmp_path)
    key = stroke(store, 1)
    assert stroke(store, 1, 7) == key
    stroke(store, 2)
    store.undo()
    store.undo()
    stroke(store, 3)

    def blobs() -> int:
        with store.engine.connect() as connection:
            return int(connection.execute(text("SELECT count(*) FROM blob")).scalar() or 0)

    assert blobs() == 4
    assert drop_unused_blobs(store) == 1
    assert blobs() == 3
    assert len(pixels(store)) == 1


def test_versions_keep_their_pixels_whatever_comes_after(tmp_path: Path) -> None:
    store = make(tmp_path)
    stroke(store, 1)
    version = store.add_version("Before the varnish")
    kept = pixels(store)
    stroke(store, 2)
    store.commit("Remove", edit=RemoveLayer(sheet="s", layer="p"))
    drop_unused_blobs(store)
    store = reopen(store)
    name, document, planes = store.version_state(version.id)
    assert name == "Before the varnish"
    assert document == DOCUMENT
    assert {(p, c): store.blobs.get(k).tobytes() for p, plane in planes.items() for c, k in plane.chunks.items()} == kept
    assert [v.name for v in store.versions()] == ["Before the varnish"]
    with pytest.raises(NotFound):
        store.version_state(99)


def test_a_full_disk_says_so_and_changes_nothing(tmp_path: Path) -> None:
    store = make(tmp_path)
    stroke(store, 1)
    before, revision = pixels(store), store.revision
    with store.engine.connect() as connection:
        pages = connection.execute(text("PRAGMA page_count")).scalar()
        connection.execute(text(f"PRAGMA max_page_count = {pages}"))
    with pytest.raises(StorageError, match="disk is full"):
        stroke(store, 2)
    assert (pixels(store), store.revision, store.head) == (before, revision, 1)
    assert store.document == DOCUMENT
    again = reopen(store)
    assert pixels(again) == before


def test_a_failed_edit_changes_nothing(tmp_path: Path) -> None:
    store = make(tmp_path)
    with pytest.raises(NotFound):
        store.commit("Remove", edit=RemoveLayer(sheet="s", layer="gone"))
    assert (store.head, store.revision) == (0, 1)


def test_prefetch_fills_the_cache_from_many_rows(tmp_path: Path) -> None:
    store = make(tmp_path)
    keys = [store.blobs.put(chunk(i)) for i in range(150)]
    store.commit("Many", changes={PLANE: dict(enumerate(keys))}, components={PLANE: 4})
    cache = BoundedCache(512 << 20)
    store.close()
    again = ProjectStore(store.folder, cache, Clock())
    again.blobs.prefetch(keys, SERIAL)
    assert cache.held >= 150 * 4 * CHUNK * 2
    again.engine.dispose()
    assert np.array_equal(again.blobs.get(keys[149]), chunk(149))


def test_missing_pieces_and_projects_get_words(tmp_path: Path) -> None:
    store = make(tmp_path)
    with pytest.raises(StorageError, match="missing from the project file"):
        store.blobs.get("0" * 32)
    with pytest.raises(NotFound):
        ProjectStore(tmp_path / "nowhere", BoundedCache(), Clock())
    (tmp_path / "bad").mkdir()
    (tmp_path / "bad" / "project.sqlite").write_bytes(b"not a database at all, but long enough to look like one" * 50)
    with pytest.raises(StorageError, match="damaged or not a project"):
        ProjectStore(tmp_path / "bad", BoundedCache(), Clock())


def test_head_is_alembics_head_and_makes_the_models_tables(tmp_path: Path) -> None:
    config = Config()
    config.set_main_option("script_location", str(Path(ruvelt.store.__file__).parent / "migrations"))
    assert ScriptDirectory.from_config(config).get_current_head() == HEAD
    store = make(tmp_path)
    found = inspect(store.engine)
    for table in Base.metadata.tables.values():
        assert {c["name"] for c in found.get_columns(table.name)} == set(table.columns.keys())


def test_a_newer_database_is_left_alone(tmp_path: Path) -> None:
    store = make(tmp_path)
    store.close()
    with sqlite3.connect(tmp_path / "project.sqlite") as connection:
        connection.execute("UPDATE alembic_version SET version_num = '9999'")
    with pytest.raises(InputError, match="newer Ruvelt"):
        ProjectStore(tmp_path, BoundedCache(), Clock())


def test_layers_that_cannot_be_read_get_words(tmp_path: Path) -> None:
    make(tmp_path).close()
    with sqlite3.connect(tmp_path / "project.sqlite") as connection:
        connection.execute("UPDATE project SET document = '{\"strange\": 1}'")
    with pytest.raises(StorageError, match="layers cannot be read"):
        ProjectStore(tmp_path, BoundedCache(), Clock())


def test_the_database_waits_for_the_disk(tmp_path: Path) -> None:
    with make(tmp_path).engine.connect() as connection:
        assert connection.execute(text("PRAGMA journal_mode")).scalar() == "wal"
        assert connection.execute(text("PRAGMA synchronous")).scalar() == 2
    assert empty_chunk(2).shape == (2, CHUNK)


def test_many_projects_are_made_at_once(tmp_path: Path) -> None:
    """Two imports side by side, or a demo behind an import: the library that makes the schema knows one at a time."""
    engines = [connect(tmp_path / f"{i}.sqlite") for i in range(12)]
    start, wrong = Barrier(len(engines)), []

    def make(engine: Engine) -> None:
        start.wait()
        try:
            migrate(engine)
        except Exception as error:
            wrong.append(error)

    threads = [Thread(target=make, args=(engine,)) for engine in engines]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert wrong == []
    for engine in engines:
        assert {"project", "history"} <= set(inspect(engine).get_table_names())
        engine.dispose()
