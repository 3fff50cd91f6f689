"""Edges of paint that a mesh is too coarse for."""

from __future__ import annotations

import numpy as np
import pytest

from ruvelt.core.inspect.stairs import stairs
from tests.core.test_vertex_paint import plane_of

N = 61


def edge(degrees: float, soft: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A plate of 60 × 60 squares whose paint goes from nothing to all across a line through its middle, over `soft` squares."""
    model = plane_of(N)
    across = np.array([np.cos(np.radians(degrees)), np.sin(np.radians(degrees))])
    # Between two rows of vertices.
    far = (model.positions[:, :2].astype(np.float64) @ across - 0.5 * 2 / (N - 1)) / (2 / (N - 1))
    return model.positions, model.triangles, np.rint(np.clip(far / max(soft, 1e-6) + 0.5, 0, 1) * 65535).astype(np.uint16)[None]


@pytest.mark.parametrize("degrees", [17.0, 30.0, 60.0, 100.0])
def test_a_hard_slanted_edge_is_found_all_along(degrees: float) -> None:
    positions, triangles, values = edge(degrees, 0)
    found = stairs(positions, triangles, values)
    assert len(found) >= (N - 1) / 2
    rows = positions[triangles[found]].mean(axis=1)
    across = rows[:, 0] * np.cos(np.radians(degrees)) + rows[:, 1] * np.sin(np.radians(degrees))
    assert np.abs(across).max() < 4 / (N - 1)
    # All of it: no stretch of the line is left out.
    along = np.sort(rows[:, 1] * np.cos(np.radians(degrees)) - rows[:, 0] * np.sin(np.radians(degrees)))
    assert np.diff(along).max() < 16 / (N - 1)


@pytest.mark.parametrize("degrees", [0.0, 90.0, 17.0, 45.0])
def test_soft_edges_and_such_along_the_mesh_are_none(degrees: float) -> None:
    assert not len(stairs(*edge(degrees, 6)))
    if degrees % 90 == 0:
        assert not len(stairs(*edge(degrees, 0)))
    assert not len(stairs(np.zeros((0, 3), np.float32), np.zeros((0, 3), np.int32), np.zeros((1, 0), np.uint16)))
