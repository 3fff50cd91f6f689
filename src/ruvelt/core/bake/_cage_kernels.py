"""Which way rays leave the low mesh: the loop over points."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core._value_kernels import unit
from ruvelt.core.bake.point_arrays import CAGE
from ruvelt.core.kernels import inline, kernel

f32, i32 = numba.float32, numba.int32
#: Distances grow by no more than this towards slanted rays.
LEAST_COSINE = np.float32(0.25)


@inline
def _to_segment(x, y, z, ends, e):
    """Distance of a place to a segment."""
    ax, ay, az = ends[e, 0, 0], ends[e, 0, 1], ends[e, 0, 2]
    dx, dy, dz = ends[e, 1, 0] - ax, ends[e, 1, 1] - ay, ends[e, 1, 2] - az
    size = dx * dx + dy * dy + dz * dz
    s = ((x - ax) * dx + (y - ay) * dy + (z - az) * dz) / size if size > 0 else np.float32(0)
    s = min(max(s, np.float32(0)), np.float32(1))
    qx, qy, qz = x - ax - s * dx, y - ay - s * dy, z - az - s * dz
    return np.sqrt(qx * qx + qy * qy + qz * qz)


@kernel(numba.void(i32[::1], f32[:, ::1], f32[:, ::1], f32[:, ::1], CAGE, f32[::1], f32[:, ::1], f32[::1]), late=True)
def cage_directions(triangle, bary, position, geometric, cage, straight, direction, stretch):
    """Unit directions that rays leave by, and how much longer a distance along them is than along the face.

    At hard edges the averaged corner normals, so that nothing gapes; `blend` away from those that meet in a corner, that corner's share is its split
    one. What a corner adds depends on it and on the place alone, so that directions are the same on both sides of every edge.

    straight : (n,) how far each is turned to the face's own normal, 0–1
    """
    averaged, split, place, star, edge, ends, blend = cage
    zero, one, two, three = np.float32(0), np.float32(1), np.float32(2), np.float32(3)
    for i in range(len(triangle)):
        t = triangle[i]
        x = y = z = zero
        for k in range(3):
            p = place[t, k]
            far = np.float32(np.inf)
            for e in range(star[p], star[p + 1]):
                far = min(far, _to_segment(position[i, 0], position[i, 1], position[i, 2], ends, edge[e]))
            s = min(far / blend, one) if blend > zero else one
            # A smooth step, so that neither end of the blend shows as a line.
            s = s * s * (three - two * s)
            w = bary[i, k]
            x += w * (averaged[t, k, 0] + s * (split[t, k, 0] - averaged[t, k, 0]))
            y += w * (averaged[t, k, 1] + s * (split[t, k, 1] - averaged[t, k, 1]))
            z += w * (averaged[t, k, 2] + s * (split[t, k, 2] - averaged[t, k, 2]))
        x, y, z = unit(x, y, z)
        gx, gy, gz = geometric[i, 0], geometric[i, 1], geometric[i, 2]
        m = straight[i]
        if m > zero:
            x, y, z = unit(x + m * (gx - x), y + m * (gy - y), z + m * (gz - z))
        if x == zero and y == zero and z == zero:
            x, y, z = gx, gy, gz
        direction[i, 0], direction[i, 1], direction[i, 2] = x, y, z
        stretch[i] = one / max(x * gx + y * gy + z * gz, LEAST_COSINE)
