"""The loops of curvature: points spread over triangles, and their means by distance along the surface."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core._value_kernels import hashed, unit
from ruvelt.core.kernels import kernel
from ruvelt.core.samples._cell_kernels import cell_at

f32, i32, i64 = numba.float32, numba.int32, numba.int64


@kernel(
    numba.void(f32[:, ::1], f32[:, ::1], f32, f32[::1], numba.float64, i32[::1], i32[::1], f32[:, ::1], f32[:, ::1], f32[::1], f32[::1]), late=True
)
def mean_curvature(position, normal, radius, low, cell, dims, start, xyz, normals, areas, out):
    """Mean curvature at places from the normals around them inside `radius`, positive where the surface bulges.

    For a neighbour x away with normal n′, a = n′ · x and b = −n · x say how far each lies under the other's plane, and c = n · n′. Unfolded over the
    edge where the two planes meet, the way between them is g² = |x|² + 2 a b / (1 + c). The result is Σ w 2 (a + b) / (1 + c) over Σ w g²,
    with w = area · (1 − g² / radius²): 1/r on spheres, 1/2r on cylinders, and along a sharp edge a value that falls steadily with
    distance on both faces, for the sum of weights stays that of the unfolded plane.

    xyz, normals : (3, n) neighbours sorted by cell; areas : (n,) what each stands for
    """
    r_sq, two, one = radius * radius, np.float32(2), np.float32(1)
    for at in range(len(position)):
        px, py, pz = position[at, 0], position[at, 1], position[at, 2]
        nx, ny, nz = normal[at, 0], normal[at, 1], normal[at, 2]
        x0 = cell_at((px - radius - low[0]) / cell, dims[0])
        x1 = cell_at((px + radius - low[0]) / cell, dims[0])
        y0 = cell_at((py - radius - low[1]) / cell, dims[1])
        y1 = cell_at((py + radius - low[1]) / cell, dims[1])
        z0 = cell_at((pz - radius - low[2]) / cell, dims[2])
        z1 = cell_at((pz + radius - low[2]) / cell, dims[2])
        total, weight = np.float32(0), np.float32(0)
        for z in range(z0, z1 + 1):
            for y in range(y0, y1 + 1):
                row = (z * dims[1] + y) * dims[0]
                for j in range(start[row + x0], start[row + x1 + 1]):
                    dx, dy, dz = xyz[0, j] - px, xyz[1, j] - py, xyz[2, j] - pz
                    d_sq = dx * dx + dy * dy + dz * dz
                    mx, my, mz = normals[0, j], normals[1, j], normals[2, j]
                    c = mx * nx + my * ny + mz * nz
                    # The other side of a thin wall is no neighbour over the surface.
                    if d_sq >= r_sq or c <= np.float32(-0.3):
                        continue
                    a, b = mx * dx + my * dy + mz * dz, -(nx * dx + ny * dy + nz * dz)
                    g_sq = d_sq + max(two * a * b / (one + c), np.float32(0))
                    if g_sq < r_sq:
                        w = areas[j] * (one - g_sq / r_sq)
                        total += w * two * (a + b) / (one + c)
                        weight += w * g_sq
        out[at] = total / weight if weight > 0 else np.float32(0)


@kernel(numba.void(f32[:, :, ::1], f32[:, :, ::1], i64[::1], numba.float64[::1], f32[:, ::1], f32[:, ::1], f32[::1]), late=True)
def spread_points(corners, normals, start, area, position, normal, share):
    """Points start[t] … start[t + 1] spread over each triangle t, with interpolated unit normals and the area each stands for."""
    for t in range(len(corners)):
        count = start[t + 1] - start[t]
        # Shifted for each triangle: the same few places in like triangles would line up.
        h = hashed(np.uint32(t))
        du, dv = h / 4294967296.0, hashed(h ^ np.uint32(0x9E3779B9)) / 4294967296.0
        for k in range(count):
            i = start[t] + k
            # The plastic number's recurrence: 1/ρ and 1/ρ², ρ³ = ρ + 1.
            u, v = (du + (k + 1) * 0.7548776662466927) % 1.0, (dv + (k + 1) * 0.5698402909980532) % 1.0
            if u + v > 1.0:
                u, v = 1.0 - u, 1.0 - v
            if count == 1:
                u = v = 1.0 / 3.0
            w = 1.0 - u - v
            for a in range(3):
                position[i, a] = w * corners[t, 0, a] + u * corners[t, 1, a] + v * corners[t, 2, a]
                normal[i, a] = w * normals[t, 0, a] + u * normals[t, 1, a] + v * normals[t, 2, a]
            normal[i, 0], normal[i, 1], normal[i, 2] = unit(normal[i, 0], normal[i, 1], normal[i, 2])
            share[i] = area[t] / count
