"""The normal channel: relief from height, in object units, over a supplied normal map."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.lazy import lazy
from ruvelt.core.mesh.topology import islands
from ruvelt.core.output._pixel_kernels import SheetFaces, normal_runs
from ruvelt.core.planes.addresses import address_of
from ruvelt.core.planes.plane import U16
from ruvelt.core.samples.address import BLOCK_SIDE, BLOCKS, CHUNK_SIDE
from ruvelt.core.samples.blocks import Runs
from ruvelt.core.samples.sheet import SheetSamples


def height_gradients(samples: SheetSamples) -> NDArray[np.float32]:
    """(t, 6) float32: object-space surface gradient for a height slope of 1 per texel to the right (0–2) and 1 per texel up (3–5).

    For a position P(u, v): ∇h = (hu (G Pu − F Pv) + hv (E Pv − F Pu)) / (EG − F²), the gradient on a parametrised surface
    (do Carmo, Differential Geometry of Curves and Surfaces, 2-5), so that the look does not depend on the resolution.
    """
    p = samples.triangle_positions.astype(np.float64)
    uv = samples.uv.astype(np.float64) * [1, -1]
    e1, e2 = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
    a, b = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    det = a[:, 0] * b[:, 1] - b[:, 0] * a[:, 1]
    ok = np.isfinite(det) & (np.abs(det) > 1e-12)
    inv = np.where(ok, 1 / np.where(ok, det, 1), 0)[:, None]
    pu = (e1 * b[:, 1:] - e2 * a[:, 1:]) * inv
    pv = (e2 * a[:, :1] - e1 * b[:, :1]) * inv
    e, f, g = (pu * pu).sum(axis=1), (pu * pv).sum(axis=1), (pv * pv).sum(axis=1)
    metric = e * g - f * f
    good = ok & (metric > 1e-12 * np.maximum(e, g) ** 2)
    inv_metric = np.where(good, 1 / np.where(good, metric, 1), 0)[:, None]
    along_u = (g[:, None] * pu - f[:, None] * pv) * inv_metric
    along_v = (e[:, None] * pv - f[:, None] * pu) * inv_metric
    return np.ascontiguousarray(np.nan_to_num(np.concatenate([along_u, along_v], axis=1)), np.float32)


class NormalField:
    """Everything about a sheet's surface that turning height into normals needs, worked out once."""

    def __init__(self, samples: SheetSamples) -> None:
        self.samples = samples

    @lazy
    def _gradients(self) -> NDArray[np.float32]:
        return height_gradients(self.samples)

    @lazy
    def _islands(self) -> NDArray[np.int32]:
        model = self.samples.model
        return np.ascontiguousarray(islands(model, model.uv_layouts[0])[model.triangle_face[self.samples.triangles]])

    def neighbours(self, chunk: int) -> list[int]:
        """The chunk and those beside it."""
        n = self.samples.chunks_across
        x, y = chunk % n, chunk // n
        beside = [(x, y), (x - 1, y), (x + 1, y), (x, y - 1), (x, y + 1)]
        return [v * n + u for u, v in beside if 0 <= u < n and 0 <= v < n]

    def reached(self, blocks: dict[int, NDArray[np.uint8]]) -> dict[int, NDArray[np.uint8]]:
        """Marked blocks and those whose normals change with their heights."""
        return _grown(blocks, self.samples.chunks_across)

    def run(self, chunk: int, runs: Runs, heights: dict[int, U16], units: float, supplied: U16 | None, out: U16) -> None:
        """Write tangent-space normals of runs of a chunk to `out` (3, 65536) uint16, n · 0.5 + 0.5, Y up.

        heights : composites of the height channel for `neighbours(chunk)`; units : object units that height 1 stands for
        supplied : (4, 65536) uint16 normal map, straight alpha, or None
        """
        samples = self.samples
        addresses = np.zeros(samples.chunk_count, np.int64)
        for c, values_u16 in heights.items():
            addresses[c] = address_of(values_u16)
        varied = any((values_u16 != values_u16.flat[0]).any() for values_u16 in heights.values())
        faces = SheetFaces(samples.owner, self._islands, samples.uv, self._gradients, samples.triangle_normals, samples.triangle_tangents)
        normal_runs(runs, chunk, samples.side, addresses, units / 32767 if varied else 0.0, address_of(supplied), faces, out)


def _grown(blocks: dict[int, NDArray[np.uint8]], across: int) -> dict[int, NDArray[np.uint8]]:
    """Marked blocks and their four neighbours, over chunk borders: slopes reach one texel further than height."""
    n = CHUNK_SIDE // BLOCK_SIDE
    found: dict[int, NDArray[np.uint8]] = {}

    def marks_of(chunk: int) -> NDArray[np.uint8]:
        return found.setdefault(chunk, np.zeros(BLOCKS, np.uint8)).reshape(n, n)

    for chunk, marks in blocks.items():
        m = marks.reshape(n, n)
        own = marks_of(chunk)
        own |= m
        own[1:] |= m[:-1]
        own[:-1] |= m[1:]
        own[:, 1:] |= m[:, :-1]
        own[:, :-1] |= m[:, 1:]
        x, y = chunk % across, chunk // across
        if y > 0 and m[0].any():
            marks_of(chunk - across)[-1] |= m[0]
        if y < across - 1 and m[-1].any():
            marks_of(chunk + across)[0] |= m[-1]
        if x > 0 and m[:, 0].any():
            marks_of(chunk - 1)[:, -1] |= m[:, 0]
        if x < across - 1 and m[:, -1].any():
            marks_of(chunk + 1)[:, 0] |= m[:, -1]
    return found
