"""Numbering of samples against arrays laid out by hand."""

from __future__ import annotations

import numba
import numpy as np
import pytest
from numpy.testing import assert_array_equal

from ruvelt.core.kernels import kernel
from ruvelt.core.samples import address


def sheet(side: int) -> np.ndarray:
    """(side, side) slots, top row first, by cutting rows of chunks."""
    n = side // 256
    return np.arange(side * side).reshape(n, n, 256, 256).swapaxes(1, 2).reshape(side, side)


@pytest.mark.parametrize("side", [256, 768])
def test_texels_and_slots(side: int) -> None:
    slots, (y, x) = sheet(side), np.mgrid[:side, :side]
    assert_array_equal(address.slot_at(x, y, side // 256), slots)
    assert_array_equal(address.column_of(slots, side // 256), x)
    assert_array_equal(address.row_of(slots, side // 256), y)
    assert_array_equal(address.chunk_of(slots), slots // address.CHUNK)
    assert_array_equal(address.local_of(slots), slots % address.CHUNK)


def test_blocks_of_a_sheet() -> None:
    chunk = np.arange(address.CHUNK).reshape(256, 256)
    for number in (0, 1, 15, 16, 137, 255):
        rows, columns = slice(number // 16 * 16, number // 16 * 16 + 16), slice(number % 16 * 16, number % 16 * 16 + 16)
        mine = chunk[rows, columns].ravel()
        assert_array_equal(address.block_of(mine, True), number)
        assert_array_equal(address.block_start(number, True) + address.in_block(np.arange(address.BLOCK), True), mine)
        assert_array_equal(address.packed_at(mine, True), number * address.BLOCK + np.arange(address.BLOCK))
        assert address.first_slot(3 * address.BLOCKS + number, True) == 3 * address.CHUNK + mine[0]


def test_blocks_of_vertices_follow_each_other() -> None:
    slots = np.arange(2 * address.CHUNK)
    assert_array_equal(address.block_of(slots, False), slots % address.CHUNK // 256)
    assert_array_equal(address.packed_at(slots, False), slots)
    assert_array_equal(address.first_slot(np.arange(512), False), np.arange(512) * 256)


def test_kernels_number_them_alike() -> None:
    @kernel(numba.void(numba.int64[::1], numba.int64, numba.boolean, numba.int64[:, ::1]))
    def numbered(slots, across, is_sheet, out):  # type: ignore[no-untyped-def]
        for i in range(len(slots)):
            s = slots[i]
            out[0, i], out[1, i] = address.column_of(s, across), address.row_of(s, across)
            out[2, i], out[3, i] = address.block_of(s, is_sheet), address.packed_at(s, is_sheet)
            out[4, i] = address.slot_at(out[0, i], out[1, i], across)

    slots = np.random.default_rng(1).integers(0, 9 * address.CHUNK, 5000)
    for is_sheet in (True, False):
        out = np.empty((5, len(slots)), np.int64)
        numbered(slots, 3, is_sheet, out)
        wanted = address.column_of(slots, 3), address.row_of(slots, 3), address.block_of(slots, is_sheet), address.packed_at(slots, is_sheet), slots
        assert_array_equal(out, np.array(wanted))
