"""The benchmarks measure what they say: ratios the right way round, and a table and JSON of every row."""

from __future__ import annotations

import json
import time

import numpy as np
import pytest

from ruvelt.bench.run import table
from ruvelt.bench.strokes import BATCHES_A_ROW, batches, painted_scene
from ruvelt.bench.timing import at_most, best, faster


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
