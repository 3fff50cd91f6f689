"""Loops over marked blocks of a chunk."""

# mypy: disable-error-code="no-untyped-def"
import numba

from ruvelt.core.kernels import kernel
from ruvelt.core.samples.address import CHUNK, block_start, in_block

i32, i64, u8 = numba.int32, numba.int64, numba.uint8


@kernel(i64(u8[::1], numba.boolean, i32[::1], i32[::1]))
def block_runs(blocks, is_sheet, starts, counts):
    """Marked blocks of a chunk as runs of neighbouring samples, none longer than 1024; returns how many."""
    n = 0
    if not is_sheet:
        t = 0
        while t < 256:
            if blocks[t]:
                first = t
                while t < 256 and blocks[t] and t - first < 4:
                    t += 1
                starts[n], counts[n] = first * 256, (t - first) * 256
                n += 1
            else:
                t += 1
        return n
    for row in range(16):
        full = True
        for t in range(16):
            full = full and blocks[row * 16 + t] != 0
        if full:
            for quarter in range(4):
                starts[n], counts[n] = row * 4096 + quarter * 1024, 1024
                n += 1
            continue
        for y in range(16):
            t = 0
            while t < 16:
                if blocks[row * 16 + t]:
                    first = t
                    while t < 16 and blocks[row * 16 + t]:
                        t += 1
                    starts[n], counts[n] = row * 4096 + y * 256 + first * 16, (t - first) * 16
                    n += 1
                else:
                    t += 1
    return n


@kernel(i64(i32[::1], i32[::1], numba.boolean, i32, i32[::1]), late=True)
def block_slots(blocks, face, is_sheet, chunk, out):
    """Covered samples of blocks (n,) of a chunk, as slots; returns how many."""
    n = 0
    for at in range(len(blocks)):
        for i in range(256):
            local = block_start(blocks[at], is_sheet) + in_block(i, is_sheet)
            if face[chunk * CHUNK + local] >= 0:
                out[n] = chunk * CHUNK + local
                n += 1
    return n
