"""Measures from a supplied tangent-space normal map, where there is no high mesh (N2.3)."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.bake.points import PointMaker
from ruvelt.core.planes.plane import U16
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.samples.curvature import curvature_of
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.workers import Workers

F32 = NDArray[np.float32]
#: Maps that a normal map tells something about.
FROM_NORMAL = ("curvature", "occlusion", "object_normal")
#: Radii at which hollows are looked for, times the curvature radius: fine cracks and broad recesses.
SCALES = (1.0, 2.5, 6.0)


def turned_normals(samples: SheetSamples, values_u16: Callable[[int], U16 | None], workers: Workers) -> F32:
    """(slots, 3) float32 unit normals, object space: the normal map laid into each texel's MikkTSpace frame.

    codes : (3 or 4, 65536) uint16 of a chunk, or None where there is no map; there the surface's own normal holds.
    """
    out = np.zeros((samples.slot_count, 3), np.float32)
    maker = PointMaker(samples)

    def turn(chunk: int) -> None:
        points = maker.chunk(chunk)
        if not len(points.local):
            return
        found = values_u16(chunk)
        normal = points.normal
        if found is not None:
            t = found[:3, points.local].T.astype(np.float32) / np.float32(32767.5) - 1
            assert points.tangent is not None
            assert points.frame is not None
            # As interpolated, with nothing brought to unit length before (Mikkelsen 2008).
            upright, tangent = points.normal * points.frame[:, :1], points.tangent[:, :3] * points.frame[:, 1:2]
            bitangent = np.cross(upright, tangent) * points.tangent[:, 3:]
            normal = tangent * t[:, :1] + bitangent * t[:, 1:2] + upright * t[:, 2:]
            normal = normal / np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), np.float32(1e-6))
        out[chunk * CHUNK + points.local] = normal

    workers.map(turn, range(samples.chunk_count))
    return out


def hollows(samples: SheetSamples, normal: F32, radius: float, workers: Workers) -> F32:
    """(slots,) float32 in 0–1, an occlusion-like measure: 1 on flats and edges, darker the more a place lies in a hollow.

    One plus the mean over several radii ρ of the negative part of mean curvature times ρ; a bowl of radius ρ is black at that scale.
    """
    deep = np.zeros(samples.slot_count, np.float32)
    for scale in SCALES:
        size = radius * scale
        deep += np.minimum(curvature_of(samples, samples.positions, normal, size, workers) * np.float32(size), 0)
    return np.asarray(np.clip(1 + deep / np.float32(len(SCALES)) * 2, 0, 1), np.float32)
