"""The benchmarks measure what they say: ratios the right way round, and a table and JSON of every row."""

from __future__ import annotations

import json
import time

import numpy as np
import pytest

from ruvelt.bench.levels import numpy_step, torus
from ruvelt.bench.run import table
from ruvelt.bench.strokes import BATCHES_A_ROW, batches, painted_scene
from ruvelt.bench.timing import at_most, best, faster
from ruvelt.core.mesh.subdivide import Subdivision


def test_ratios_and_goals() -> None:
    row = faster("blend", 10.0, 150.0, "NumPy", 12)
    assert (row.ratio, row.met) == (15.0, True)
    assert not faster("blend", 10.0, 110.0, "NumPy", 12).met
    row = at_most("stroke", 12.0, 10.0, "2 layers", 1.3)
    assert (row.ratio, row.met) == (1.2, True)
    assert not at_most("stroke", 14.0, 10.0, "2 layers", 1.3).met


def test_the_fastest_go_counts(monkeypatch: pytest.MonkeyPatch) -> None:
    ticks = iter([0.0, 0.02, 1.0, 1.005, 2.0, 2.01])
    monkeypatch.setattr(time, "perf_counter", lambda: next(ticks))
    assert best(lambda: None, 3) == pytest.approx(0.005)


def test_the_table_tells_every_row() -> None:
    rows = [faster("blend", 10.0, 150.0, "NumPy", 12).as_json(), at_most("open", 30.0, 10.0, "reading", 2).as_json()]
    text = table({"rows": rows})
    assert "ok blend" in text
    assert "-- open" in text
    assert json.loads(json.dumps(rows))[1]["ratio"] == 3.0


@pytest.mark.parametrize("layer", ["l0", "l3"])
def test_bench_batches_really_paint(layer: str) -> None:
    scene = painted_scene(256, 4, 2)
    before = {c: scene.evaluator.composite("base_color", c).copy() for c in range(scene.samples.chunk_count)}
    times = batches(scene, layer, 1)
    assert len(times) == BATCHES_A_ROW
    assert all(t > 0 for t in times)
    assert np.array_equal(before[0], scene.evaluator.composite("base_color", 0))
    scene.workers.close()


def test_the_plain_subdivision_of_the_bench_is_ours() -> None:
    model = torus(12, 8)
    places, quads = model.positions.astype(np.float64), model.corner_vertex.reshape(-1, 4).astype(np.int64)
    made = Subdivision(model)
    for level in (1, 2):
        places, quads = numpy_step(places, quads)
        fine = made.model(level)
        np.testing.assert_allclose(np.sort(fine.positions, axis=0), np.sort(places, axis=0), atol=1e-5)
        assert fine.face_count == len(quads)
