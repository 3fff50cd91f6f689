"""Tables of running sums, packed as kernels of swept pictures read them."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.kernels import kernel

f32, u16, u64 = numba.float32, numba.uint16, numba.uint64


@kernel(numba.void(f32[:, ::1], f32, u16[:, ::1], u64[:, ::1]), late=True)
def packed_sums(turned, share, sums, out):
    """out (h, w + 1) : sums of each row of `turned` (h, w) up to each column's edge, times `share` as 0–1, four side by side as of tips.quads.

    sums : (h, w + 1), room to work in
    """
    height, width = turned.shape
    for y in range(height):
        total = np.float32(0)
        sums[y, 0] = 0
        for x in range(width):
            total += turned[y, x]
            sums[y, x + 1] = np.uint16(min(total * share, np.float32(1)) * np.float32(65535) + np.float32(0.5))
    for y in range(height):
        under = min(y + 1, height - 1)
        for x in range(width + 1):
            right = min(x + 1, width)
            left = np.uint64(sums[y, x]) | np.uint64(sums[y, right]) << np.uint64(16)
            out[y, x] = left | np.uint64(sums[under, x]) << np.uint64(32) | np.uint64(sums[under, right]) << np.uint64(48)
