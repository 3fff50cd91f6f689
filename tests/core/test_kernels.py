"""What kernels work in: rooms of their own, views at addresses, and no arrays that are counted unless they say so."""

# mypy: disable-error-code="no-untyped-def"
from pathlib import Path

import numba
import numpy as np
import pytest
from numba.core.errors import NumbaError

from ruvelt.core import kernels
from ruvelt.core.kernels import f32_scratch, i64_scratch, kernel, sources_of, stamp_of, u8_at, u16_at, u64_at

SIDE = 5


def test_a_room_holds_what_is_put_there_and_ends_with_the_kernel() -> None:
    def outer(a, b, out):
        table, sums = f32_scratch((SIDE, 3)), i64_scratch(SIDE)
        for i in range(SIDE):
            sums[i] = 0
            for j in range(3):
                table[i, j] = a[i] * b[j]
        for i in range(SIDE):
            for j in range(3):
                out[j, i] = table[i, j]
                sums[i] += np.int64(table[i, j])
        return sums[SIDE - 1]

    run = numba.njit("int64(float32[::1], float32[::1], float32[:, ::1])", _nrt=False, nogil=True)(outer)
    a, b, out = np.arange(1, 6, dtype=np.float32), np.array([1, 10, 100], np.float32), np.zeros((3, 5), np.float32)
    for _ in range(2):
        assert run(a, b, out) == 555
        assert out.tolist() == np.outer(b, a).tolist()


def test_views_read_and_write_what_lies_at_an_address() -> None:
    def copy(address, count, out):
        wide, values_u16, small = u64_at(address, count // 4), u16_at(address, count), u8_at(address, 2 * count)
        for i in range(count):
            out[i] = values_u16[i]
        values_u16[0] = 7
        return wide[1], small[2]

    run = numba.njit("UniTuple(uint64, 2)(int64, int64, uint16[::1])", _nrt=False)(copy)
    values = np.arange(8, dtype=np.uint16) * 257 + 3
    before, out = values.copy(), np.zeros(8, np.uint16)
    second, third = run(values.ctypes.data, 8, out)
    assert out.tolist() == before.tolist()
    assert values[0] == 7
    assert second == before.view(np.uint64)[1]
    assert third == before.view(np.uint8)[2]


def test_a_kernel_that_makes_arrays_has_to_say_so() -> None:
    def refused(out):
        held = np.ones(len(out), np.float32)
        for i in range(len(out)):
            out[i] = held[i]

    # Another function, for what was compiled once is read from the cache by its name.
    def allowed(out):
        held = np.ones(len(out), np.float32)
        for i in range(len(out)):
            out[i] = held[i]

    with pytest.raises(NumbaError):
        kernel(numba.void(numba.float32[::1]))(refused)(np.zeros(3, np.float32))
    out = np.zeros(3, np.float32)
    kernel(numba.void(numba.float32[::1]), allocates=True)(allowed)(out)
    assert out.tolist() == [1, 1, 1]


def test_kept_kernels_go_by_all_files_they_are_compiled_from(tmp_path: Path) -> None:
    package = tmp_path / "ruvelt"
    package.mkdir()
    (package / "a.py").write_text("from ruvelt.b import x\n")
    (package / "b.py").write_text("from ruvelt import c\nimport os\n")
    (package / "c.py").write_text("y = 1\n")
    (package / "d.py").write_text("y = 1\n")
    before = stamp_of(package / "a.py", tmp_path)
    (package / "d.py").write_text("y = 2\n")
    assert stamp_of(package / "a.py", tmp_path) == before
    (package / "c.py").write_text("y = 2\n")
    assert stamp_of(package / "a.py", tmp_path) != before
    core = Path(kernels.__file__).parent
    assert {core / "stack" / "_colour_kernels.py", core / "color" / "_oklch_kernels.py"} <= sources_of(core / "stack" / "_blend_kernels.py")
