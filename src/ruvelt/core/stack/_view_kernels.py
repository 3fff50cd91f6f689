"""Rays of a view's pixels, and the surface's side that is seen."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.kernels import kernel

f64 = numba.float64


@kernel(numba.void(f64[:, ::1], f64[:, ::1], f64, f64, f64, f64[:, ::1], f64[:, ::1]))
def view_rays(points, view, middle_x, middle_y, slope, origins, directions):
    """Rays of (n, 2) pixels. view : (4, 3) eye, right, up, forward; slope : object units a pixel at depth 1."""
    for i in range(len(points)):
        a, b = (points[i, 0] - middle_x) * slope, (middle_y - points[i, 1]) * slope
        size = np.sqrt(1 + a * a + b * b)
        for k in range(3):
            origins[i, k] = view[0, k]
            directions[i, k] = (view[3, k] + a * view[1, k] + b * view[2, k]) / size


@kernel(numba.void(f64[:, ::1], f64[:, ::1], f64, f64[:, ::1], f64[:, ::1], f64[::1]))
def turn_to_eye(directions, view, slope, position, normal, pixel):
    """A face seen from behind is painted as seen: turn `normal` against its ray, or make it the ray's where there is none.

    pixel : (n,) object units that a pixel spans at each position
    """
    for i in range(len(directions)):
        size = normal[i, 0] * normal[i, 0] + normal[i, 1] * normal[i, 1] + normal[i, 2] * normal[i, 2]
        along = normal[i, 0] * directions[i, 0] + normal[i, 1] * directions[i, 1] + normal[i, 2] * directions[i, 2]
        depth = 0.0
        for k in range(3):
            if size == 0:
                normal[i, k] = -directions[i, k]
            elif along > 0:
                normal[i, k] = -normal[i, k]
            depth += (position[i, k] - view[0, k]) * view[3, k]
        pixel[i] = max(depth, 1e-12) * slope
