"""The carved tern: a sculpted bird on a post, without UVs. Y is up, it looks along +Z; about two units long."""

from __future__ import annotations

import numpy as np

from ruvelt.demo.carved import F64, ball, cone, ellipsoid, joined, quads_of

#: Cells of the sculpted surface.
CELL = 0.0125
EYE, EYE_RADIUS = (0.098, 0.70, 0.545), 0.028
BILL_TIP, BILL_ROOT = (0.0, 0.655, 0.94), (0.0, 0.675, 0.60)
TOP_OF_POST, POST_RADIUS = -0.10, 0.20


def _mirrored(p: F64) -> F64:
    """The right half stands for both."""
    q = p.copy()
    q[..., 0] = np.abs(q[..., 0])
    return q


def _turned(pitch: float, yaw: float) -> F64:
    cx, sx, cy, sy = np.cos(pitch), np.sin(pitch), np.cos(yaw), np.sin(yaw)
    found: F64 = np.array([[cy, 0, sy], [0, 1, 0], [-sy, 0, cy]]) @ np.array([[1, 0, 0], [0, cx, -sx], [0, sx, cx]])
    return found


WING, WING_RADII, WING_TURN = (0.165, 0.405, -0.18), (0.055, 0.150, 0.62), _turned(-0.20, -0.16)


def wing(p: F64) -> F64:
    """One folded wing, of the right half."""
    return ellipsoid(p, WING, WING_RADII, WING_TURN)


def feathers(p: F64) -> F64:
    """0–1: how deep the rows of scallops are cut into a wing; they lie like roof tiles towards the tail."""
    q = (p - np.array(WING)) @ WING_TURN
    along, up = -q[..., 2] / 0.115 + 4.2, q[..., 1] / 0.062
    row = np.floor(up)
    place = along + 0.5 * (row % 2) + 0.55 * (up - row - 0.5) ** 2
    edge = np.abs(place - np.round(place))
    cut = np.exp(-((edge / 0.085) ** 2))
    between = np.exp(-(((up - np.round(up)) / 0.10) ** 2))
    inside = np.clip((np.abs(wing(p)) < 0.05) * 1.0, 0, 1)
    return np.maximum(cut, 0.8 * between) * inside  # type: ignore[no-any-return]


def bird(points: F64) -> F64:
    """About the distance to the bird."""
    p = _mirrored(points)
    body = joined(
        ellipsoid(p, (0, 0.36, -0.02), (0.205, 0.195, 0.46), _turned(-0.24, 0)), cone(p, (0, 0.30, 0.14), (0, 0.34, -0.62), 0.175, 0.045), 0.12
    )
    body = joined(body, cone(p, (0, 0.46, 0.28), (0, 0.655, 0.47), 0.135, 0.120), 0.10)
    body = joined(body, ball(p, (0, 0.675, 0.50), 0.128), 0.05)
    body = joined(body, cone(p, BILL_ROOT, BILL_TIP, 0.048, 0.008), 0.035)
    # The mouth runs along the bill, and a ring round the eye.
    mouth = np.exp(-(((p[..., 1] - 0.671 + 0.055 * np.clip(p[..., 2] - 0.6, 0, 1)) / 0.0065) ** 2)) * (p[..., 2] > 0.585)
    body = body + 0.008 * mouth
    body = joined(body, wing(p) + 0.010 * feathers(p), 0.022)
    body = joined(body, cone(p, (0.055, 0.33, -0.52), (0.16, 0.30, -1.08), 0.050, 0.010), 0.05)
    eye = np.linalg.norm(p - np.array(EYE), axis=-1)
    body = body + 0.010 * np.exp(-(((eye - EYE_RADIUS - 0.006) / 0.009) ** 2))
    body = joined(body, eye - EYE_RADIUS, 0.004)
    legs = joined(
        cone(p, (0.075, 0.22, -0.02), (0.08, -0.06, 0.03), 0.034, 0.022), cone(p, (0.08, -0.075, 0.03), (0.10, -0.085, 0.12), 0.024, 0.012), 0.02
    )
    return joined(body, legs, 0.03)


def post(p: F64) -> F64:
    """A weathered post with shallow cracks down its sides."""
    angle = np.arctan2(p[..., 0], p[..., 2])
    across = np.hypot(p[..., 0], p[..., 2])
    cracks = np.exp(-(((np.sin(7 * angle + 1.3 * np.sin(9 * p[..., 1]))) / 0.22) ** 2))
    side = across - POST_RADIUS - 0.012 * np.sin(3 * angle + 2 * p[..., 1]) + 0.012 * cracks
    down = np.abs(p[..., 1] - (TOP_OF_POST - 0.21)) - 0.21
    outside = np.linalg.norm(np.maximum(np.stack([side, down], axis=-1) + 0.03, 0), axis=-1)
    return np.minimum(np.maximum(side, down) + 0.03, 0) + outside - 0.03  # type: ignore[no-any-return]


def tern(p: F64) -> F64:
    return joined(bird(p), post(p), 0.012)


def mesh(cell: float = CELL) -> tuple[F64, np.ndarray]:
    """(v, 3) vertices and (q, 4) quads."""
    return quads_of(tern, (-0.34, -0.56, -1.20), (0.34, 0.90, 1.02), cell)


def ply(cell: float = CELL) -> bytes:
    """The tern as a binary PLY."""
    places, quads = mesh(cell)
    head = f"ply\nformat binary_little_endian 1.0\ncomment carved tern\nelement vertex {len(places)}\n"
    head += "".join(f"property float {axis}\n" for axis in "xyz")
    head += f"element face {len(quads)}\nproperty list uchar int vertex_indices\nend_header\n"
    faces = np.zeros(len(quads), [("count", "u1"), ("corners", "<i4", 4)])
    faces["count"], faces["corners"] = 4, quads
    return head.encode() + places.astype("<f4").tobytes() + faces.tobytes()
