"""Tools that drag what they meet from dab to dab: paint that is pushed, or carried along."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush import dab
from ruvelt.core.brush.confine import Confinement
from ruvelt.core.brush.push import PUSH_SPACING, push_of
from ruvelt.core.brush.reading import Reader
from ruvelt.core.brush.smear import MIX_SPACING, Smear
from ruvelt.core.brush.target import Cell, Paint
from ruvelt.core.brush.tip_arrays import NO_TIP
from ruvelt.core.planes.addresses import address_of
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.stroke.coverage import Coverage
from ruvelt.core.workers import Workers

F32 = NDArray[np.float32]
I64 = NDArray[np.int64]


class Dragging:
    """push, smear : the one that a stroke needs, if any"""

    def __init__(self, samples: SurfaceSamples, cells: tuple[Cell, ...], paint: Paint, workers: Workers) -> None:
        self._samples, self._cells = samples, cells
        smears = paint.tool == "smear" and not paint.erase
        self.push = push_of(samples, workers) if smears and paint.smear.mode == "push" else None
        self.smear = Smear(samples, workers, len(cells), paint.smear.wetness) if smears and paint.smear.mode == "mix" else None

    @property
    def spacing(self) -> float | None:
        """Most spacing of dabs of a tool that drags, whose paths are not swept; None for other tools."""
        if self.smear is not None:
            return MIX_SPACING
        return PUSH_SPACING if self.push is not None else None

    def lay(
        self,
        dabs: F32,
        copy: I64,
        copies: int,
        coverage: Coverage,
        reader: Reader,
        confinement: Confinement | None,
        dirty: NDArray[np.uint8],
    ) -> None:
        flat = dab.is_flat(dab.kind_of(dabs))
        tip = coverage.tip.ready(dabs[0], flat) if dab.is_rich(dab.kind_of(dabs)) else NO_TIP
        settings = (flat, tip, coverage.allowed)
        if self.push is not None:
            self.push.drag(dabs, copy, copies, *settings, coverage.values, dirty)
            return
        assert self.smear is not None
        cells, count = self._cells, self._samples.chunk_count

        def pictures(chunks: I64) -> I64:
            return np.stack([reader.pictures(cell, chunks) for cell in cells])

        def confined(chunks: I64) -> I64:
            assert confinement is not None
            places = np.zeros(count, np.int64)
            for chunk in chunks:
                places[chunk] = address_of(confinement.weights(int(chunk)))
            return places

        limits = confined if confinement is not None else None
        self.smear.lay(dabs, copy, copies, *settings, pictures, limits, coverage.values, dirty)

    def restart(self) -> None:
        for tool in (self.push, self.smear):
            if tool is not None:
                tool.restart()
