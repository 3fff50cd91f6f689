"""Opening a large project, and the first stroke after a start."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from ruvelt.bench.fixtures import sphere
from ruvelt.bench.timing import Row, at_most, best, goes_of
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.stack.document import Document, PaintLayer, Sheet
from ruvelt.core.stack.plane_ids import plane_id
from ruvelt.core.workers import Workers
from ruvelt.store.pictures import FILE
from ruvelt.store.project_store import ProjectStore
from ruvelt.studio.session import Session
from ruvelt.studio.tiles import drawn_tiles

UID = "benchbench00"
CACHE = 2 << 30


def make_project(folder: Path, side: int, layers: int) -> None:
    """A project whose layers all have paint over the middle half of the sheet, soft as strokes are."""
    chunks = (side // 256) ** 2
    document = Document(
        sheets=(Sheet(id="s", name="S", plan=0, resolution=side, layers=tuple(PaintLayer(id=f"l{i}", name=f"l{i}") for i in range(layers))),)
    )
    store = ProjectStore.create(folder, UID, "Bench", sphere().to_bytes(), "auto", document, BoundedCache(1 << 20), time.time)
    y, x = np.mgrid[0:256, 0:256]
    random = np.random.default_rng(4)
    changes: dict[str, dict[int, str | None]] = {}
    for i in range(layers):
        keys: dict[int, str | None] = {}
        for c in range(chunks):
            if (c + i) % 2:
                continue
            cx, cy, r = random.uniform(0, 256, 3)
            soft = np.clip(1.4 - np.hypot(x - cx, y - cy) / (60 + r / 2), 0, 1)
            values = np.empty((4, CHUNK), np.uint16)
            values[:3] = random.integers(0, 65536, 3)[:, None]
            values[3] = (soft * 65535).astype(np.uint16).ravel()
            keys[c] = store.blobs.put(values)
        changes[plane_id("s", f"l{i}", "base_color")] = keys
    store.commit("Fill", changes=changes, components=dict.fromkeys(changes, 4))
    store.close()


def open_to_picture(side: int, layers: int) -> list[Row]:
    """From a closed file to every tile of the base colour, against reading and decompressing the chunks it shows.

    Once as an artist comes back to it, with the pictures kept from the last time, and once with nothing but the project file.
    """
    rows = []
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        make_project(folder, side, layers)
        workers = Workers(2)

        def read() -> None:
            store = ProjectStore(folder, BoundedCache(64 << 30), time.time)
            keys = [k for plane in store.planes.values() for k in plane.chunks.values()]
            store.blobs.prefetch(keys, workers)
            store.close()

        held = []

        def picture() -> None:
            session = Session(folder, BoundedCache(CACHE), workers, time.time)
            for tile in drawn_tiles(session, "s", [("colour", c) for c in range((side // 256) ** 2)]):
                tile.tobytes()
            held.append(session.cache.held)
            closing.append(session)

        def bare() -> None:
            (folder / FILE).unlink(missing_ok=True)
            picture()

        closing: list[Session] = []
        theirs = best(read, 3)
        first, back = [], []
        for _ in range(3):
            first += goes_of(bare, 1)
            closing.pop().close()
            back += goes_of(picture, 1)
            closing.pop().close()
        rows.append(at_most(f"open {layers} layers of {side}² to a first picture", min(back) * 1e3, theirs * 1e3, "reading its chunks", 2))
        rows.append(at_most("for orientation: the same with no pictures kept", min(first) * 1e3, theirs * 1e3, "reading its chunks", 5))
        rows.append(at_most("memory of the cache while doing so", max(held) / 2**20, CACHE / 2**20, "setting", 1, "MiB"))
    return rows


FIRST = """
import json, sys, time
from pathlib import Path
start = time.perf_counter()
from ruvelt.bench.strokes import batches, painted_scene
import ruvelt.web.app
ready = time.perf_counter() - start
scene = painted_scene(int(sys.argv[1]), 2, 1)
print(json.dumps({"ready": ready, "strokes": [sum(batches(scene, "l1", 2)) for _ in range(4)]}))
"""


def first_stroke(side: int) -> list[Row]:
    """A fresh process: how soon it is ready, and whether its first stroke is as quick as later ones."""
    starts = [
        json.loads(subprocess.run([sys.executable, "-c", FIRST, str(side)], capture_output=True, text=True, check=True).stdout) for _ in range(3)
    ]
    first, later = min(told["strokes"][0] for told in starts), min(float(np.median(told["strokes"][1:])) for told in starts)
    return [
        at_most("first stroke after a start, 12 batches", first * 1e3, later * 1e3, "later ones", 3),
        at_most("warm start, kernels from their cache", min(told["ready"] for told in starts) * 1e3, 3000.0, "about 3 s", 1),
    ]
