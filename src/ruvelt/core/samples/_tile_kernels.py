"""Loops over marked tiles of a chunk."""

# mypy: disable-error-code="no-untyped-def"
import numba

from ruvelt.core.kernels import kernel

i32, i64, u8 = numba.int32, numba.int64, numba.uint8
CHUNK = 65536


@kernel(i64(u8[::1], numba.boolean, i32[::1], i32[::1]))
def tile_runs(tiles, square, starts, counts):
    """Marked tiles of a chunk as runs of neighbouring samples, none longer than a block of 1024; returns how many."""
    n = 0
    if not square:
        t = 0
        while t < 256:
            if tiles[t]:
                first = t
                while t < 256 and tiles[t] and t - first < 4:
                    t += 1
                starts[n], counts[n] = first * 256, (t - first) * 256
                n += 1
            else:
                t += 1
        return n
    for row in range(16):
        full = True
        for t in range(16):
            full = full and tiles[row * 16 + t] != 0
        if full:
            for quarter in range(4):
                starts[n], counts[n] = row * 4096 + quarter * 1024, 1024
                n += 1
            continue
        for y in range(16):
            t = 0
            while t < 16:
                if tiles[row * 16 + t]:
                    first = t
                    while t < 16 and tiles[row * 16 + t]:
                        t += 1
                    starts[n], counts[n] = row * 4096 + y * 256 + first * 16, (t - first) * 16
                    n += 1
                else:
                    t += 1
    return n


@kernel(i64(i32[::1], i32[::1], numba.boolean, i32, i32[::1]), late=True)
def tile_slots(tiles, face, square, chunk, out):
    """Covered samples of tiles (n,) of a chunk, as slots; returns how many."""
    n = 0
    for at in range(len(tiles)):
        for i in range(256):
            local = tiles[at] * 256 + i
            if square:
                local = ((tiles[at] >> 4) * 16 + (i >> 4)) * 256 + (tiles[at] & 15) * 16 + (i & 15)
            if face[chunk * CHUNK + local] >= 0:
                out[n] = chunk * CHUNK + local
                n += 1
    return n
