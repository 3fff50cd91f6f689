"""Loops from height on vertices to how far normals lean."""

# mypy: disable-error-code="no-untyped-def"
from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from ruvelt.core.kernels import kernel, u16_at
from ruvelt.core.samples.address import CHUNK, chunk_of, local_of
from ruvelt.core.samples.arrays import RUNS

f32, i32, i64, u16 = numba.float32, numba.int32, numba.int64, numba.uint16
#: Codes of a lean of 0 and of 1: 128 and 255 in eight bits, so that no lean is exactly none.
LEAN_ZERO, LEAN_ONE = 128 * 257, 127 * 257


class VertexFans(NamedTuple):
    """positions, normals : (slots, 3) float32; triangles : (t, 3) int32 slots; starts : (slots + 1,) int32 into rows : (3 t,) int32 triangles"""

    positions: NDArray[np.float32]
    normals: NDArray[np.float32]
    triangles: NDArray[np.int32]
    starts: NDArray[np.int32]
    rows: NDArray[np.int32]


FANS = numba.types.NamedTuple((f32[:, ::1], f32[:, ::1], i32[:, ::1], i32[::1], i32[::1]), VertexFans)


@kernel(numba.void(RUNS, i32, i64[::1], f32, FANS, u16[:, ::1]), late=True)
def leaning_runs(runs, chunk, heights, scale, fans, out):
    """How far normals lean where height rises: normal with relief less the normal without, both unit, object space.

    The slope at a vertex is that of its triangles, weighted by their areas; on a triangle, for heights h and edges e across from the corners,
    ∇h = Σ h (n × e) / 2A (Botsch et al., Polygon Mesh Processing, 2010, eq. 3.9).
    heights : (chunks,) addresses of height composites, of this chunk and those beside it; scale : object units per code
    out : (3, 65536) uint16, 128 · 257 for none and 127 · 257 for 1
    """
    starts, counts = runs
    positions, normals, triangles, first, rows = fans
    zero = np.float32(0)
    for r in range(len(starts)):
        for local in range(starts[r], starts[r] + counts[r]):
            slot = chunk * CHUNK + local
            gx, gy, gz, area = zero, zero, zero, zero
            if scale != 0:
                here = np.float32(u16_at(heights[chunk], CHUNK)[local])
                for k in range(first[slot], first[slot + 1]):
                    a, b, c = triangles[rows[k], 0], triangles[rows[k], 1], triangles[rows[k], 2]
                    ax, ay, az = positions[a, 0], positions[a, 1], positions[a, 2]
                    ux, uy, uz = positions[b, 0] - ax, positions[b, 1] - ay, positions[b, 2] - az
                    vx, vy, vz = positions[c, 0] - ax, positions[c, 1] - ay, positions[c, 2] - az
                    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
                    size = np.sqrt(nx * nx + ny * ny + nz * nz)
                    if size <= np.float32(1e-30):
                        continue
                    area += size
                    nx, ny, nz = nx / size, ny / size, nz / size
                    ha = np.float32(u16_at(heights[chunk_of(a)], CHUNK)[local_of(a)]) - here
                    hb = np.float32(u16_at(heights[chunk_of(b)], CHUNK)[local_of(b)]) - here
                    hc = np.float32(u16_at(heights[chunk_of(c)], CHUNK)[local_of(c)]) - here
                    # Edges across from the corners a, b and c are v - u, -v and u.
                    ex = ha * (vx - ux) - hb * vx + hc * ux
                    ey = ha * (vy - uy) - hb * vy + hc * uy
                    ez = ha * (vz - uz) - hb * vz + hc * uz
                    gx += ny * ez - nz * ey
                    gy += nz * ex - nx * ez
                    gz += nx * ey - ny * ex
            dx, dy, dz = zero, zero, zero
            if area > 0:
                x, y, z = normals[slot, 0], normals[slot, 1], normals[slot, 2]
                f = scale / area
                gx, gy, gz = gx * f, gy * f, gz * f
                along = gx * x + gy * y + gz * z
                lx, ly, lz = x - (gx - along * x), y - (gy - along * y), z - (gz - along * z)
                length = max(np.sqrt(lx * lx + ly * ly + lz * lz), np.float32(1e-20))
                dx, dy, dz = lx / length - x, ly / length - y, lz / length - z
            # Half a turn is 2 at most; a lean of more than 1 is past any that paint should make, and is held there.
            out[0, local] = np.uint16(min(max(dx, np.float32(-1)), np.float32(1)) * np.float32(LEAN_ONE) + np.float32(LEAN_ZERO + 0.5))
            out[1, local] = np.uint16(min(max(dy, np.float32(-1)), np.float32(1)) * np.float32(LEAN_ONE) + np.float32(LEAN_ZERO + 0.5))
            out[2, local] = np.uint16(min(max(dz, np.float32(-1)), np.float32(1)) * np.float32(LEAN_ONE) + np.float32(LEAN_ZERO + 0.5))
