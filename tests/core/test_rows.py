"""Equal rows and hanging faces, against NumPy and SciPy."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_array_equal
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from ruvelt.core.mesh.rows import equal_rows
from ruvelt.core.mesh.topology import connected_pieces, islands
from tests.meshes import globe, model_of, split_square, tube


@settings(max_examples=60, deadline=None)
@given(
    count=st.integers(0, 400),
    width=st.integers(1, 5),
    different=st.integers(1, 30),
    dtype=st.sampled_from(["float32", "int32", "int64", "uint32"]),
    seed=st.integers(0, 1000),
)
def test_equal_rows_are_those_of_numpy(count: int, width: int, different: int, dtype: str, seed: int) -> None:
    rows = np.random.default_rng(seed).integers(0, different, (count, width)).astype(dtype)
    number, first = equal_rows(rows)
    assert (number.dtype, first.dtype) == (np.int32, np.int32)
    _, index, inverse = np.unique(rows, axis=0, return_index=True, return_inverse=True) if count else (None, np.zeros(0, int), np.zeros(0, int))
    rank = np.argsort(np.argsort(index))
    assert_array_equal(number, rank[np.asarray(inverse).ravel()])
    assert_array_equal(first, np.sort(index))


def test_bits_count_not_values() -> None:
    number, _ = equal_rows(np.array([[0.0], [-0.0], [np.nan], [np.nan]], np.float32))
    assert_array_equal(number, [0, 1, 2, 2])


def test_rows_that_hash_alike_in_the_low_bits_stay_apart() -> None:
    rows = (np.arange(100_000, dtype=np.int64) << 32).reshape(-1, 1)
    number, first = equal_rows(np.concatenate([rows, rows]))
    assert_array_equal(number, np.tile(np.arange(100_000), 2))
    assert_array_equal(first, np.arange(100_000))


@pytest.mark.parametrize("model", [globe(24, 12), split_square(), tube(1, 2, 16)], ids=["globe", "split", "tube"])
def test_pieces_and_islands_are_scipys_components(model) -> None:  # type: ignore[no-untyped-def]
    layout = model.uv_layouts[0]
    corner_face = np.repeat(np.arange(model.face_count), np.diff(model.face_starts))
    uv = layout.uvs[layout.corner_uv]
    places = np.concatenate([model.positions[model.corner_vertex], uv], axis=1)
    for found, keys in ((connected_pieces(model), places[:, :3]), (islands(model, layout), places)):
        _, node = np.unique(keys, axis=0, return_inverse=True)
        node = node.ravel()
        size = model.face_count + node.max() + 1
        graph = coo_matrix((np.ones(len(node)), (corner_face, node + model.face_count)), shape=(size, size))
        _, labels = connected_components(graph, directed=False)
        _, first, inverse = np.unique(labels[: model.face_count], return_index=True, return_inverse=True)
        assert_array_equal(found, np.argsort(np.argsort(first))[inverse])


def test_welded_numbers_follow_the_bytes_of_places() -> None:
    """Stored seams name welded vertices, so their numbers must never change: the order of the places' bytes, as they always were."""
    rng = np.random.default_rng(3)
    positions = np.round(rng.normal(0, 50, (300, 3)), 0).astype(np.float32)
    positions[::7] = positions[0]
    positions[5] = [-0.0, 0.0, -0.0]
    positions[6] = [0.0, -0.0, 0.0]
    model = model_of(positions, [[i, i + 1, i + 2] for i in range(298)])
    rows = np.ascontiguousarray(positions + np.float32(0)).view(np.dtype((np.void, 12))).ravel()
    _, inverse = np.unique(rows, return_inverse=True)
    assert_array_equal(model.welded, inverse)
    assert model.welded.dtype == np.int32
