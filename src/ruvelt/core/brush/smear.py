"""Smear: each sample keeps where its picture came from, so that however long the drag, it is read once and never blurs."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush._near_kernels import smear_reach, smear_take, smear_trace
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.workers import Workers

F32 = NDArray[np.float32]
#: Samples that are worth a thread.
SHARE = 2500


class Smear:
    """What one stroke has dragged so far.

    shift : (slots, 3) float32 from each sample to its source, object space (on the flat sheet texels)
    source : (slots,) int32 the sample there plus one, 0 where nothing was dragged; fresh : (slots,) uint8 what changed since it was last read
    """

    def __init__(self, samples: SurfaceSamples, workers: Workers) -> None:
        self._samples, self._workers = samples, workers
        self.flat = False
        self.shift = np.zeros((samples.slot_count, 3), np.float32)
        self.source = np.zeros(samples.slot_count, np.int32)
        self.fresh = np.zeros(samples.slot_count, np.uint8)
        self._before: F32 | None = None
        self._list = np.empty(samples.slot_count, np.int32)

    def restart(self) -> None:
        self.shift[:], self.source[:], self.fresh[:] = 0, 0, 0
        self._before = None

    def drag(self, dabs: F32, copies: int, flat: bool, allowed: NDArray[np.uint8], coverage: F32, dirty: NDArray[np.uint8]) -> None:
        """Lay ball dabs (n, 18); `copies`: how many mirrored ones belong to each stop, one after the other."""
        self.flat = flat
        centres = dabs[:, :3]
        before = self._before if self._before is not None else centres[:copies]
        drags = np.ascontiguousarray(centres - np.concatenate([before, centres[:-copies]]), np.float32)
        self._before = centres[-copies:].copy()
        samples, grid = self._samples, self._samples.grid
        side = samples.side if isinstance(samples, SheetSamples) else 0
        balls = np.array(dabs, np.float32, order="C")
        space = (grid.low, grid.cell, grid.dims, grid.start, grid.slot, grid.xyz)
        count = int(smear_reach(balls, flat, samples.face, side, *space, allowed, samples.spacing, self.fresh, self._list))
        slots = self._list[:count]
        parts = int(np.clip(count // SHARE, 1, self._workers.threads))
        edges = np.linspace(0, count, parts + 1).astype(int)
        traced: list[tuple[NDArray[np.int32], F32, NDArray[np.int32]]] = [
            (np.ascontiguousarray(slots[a:b]), np.empty((b - a, 3), np.float32), np.empty(b - a, np.int32)) for a, b in pairwise(edges)
        ]

        def trace(part: tuple[NDArray[np.int32], F32, NDArray[np.int32]]) -> None:
            smear_trace(
                part[0], balls, drags, flat, samples.positions, samples.normals, samples.face, side, *space, self.shift, self.source, part[1], part[2]
            )

        self._workers.map(trace, traced)
        for mine, moved, found in traced:
            smear_take(mine, moved, found, 1.0 if flat else samples.spacing, samples.square, self.shift, self.source, coverage, dirty)
