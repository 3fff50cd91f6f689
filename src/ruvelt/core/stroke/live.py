"""A stroke (or flood) in progress: coverage, the planes it changes, and the composites that follow, all on touched samples only."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush import dab
from ruvelt.core.brush.confine import Confinement
from ruvelt.core.brush.gradient import Gradient
from ruvelt.core.brush.reading import Reader
from ruvelt.core.brush.settings import Brush, Mirror
from ruvelt.core.brush.target import Paint, ResolvedTarget
from ruvelt.core.planes.plane import U16
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.evaluate import SheetEvaluator
from ruvelt.core.stack.faces import FaceIndex
from ruvelt.core.stack.lookup import PlaneLookup
from ruvelt.core.stack.references import stroke_is_local
from ruvelt.core.stroke.composites import Composites
from ruvelt.core.stroke.coverage import Coverage
from ruvelt.core.stroke.dragging import Dragging
from ruvelt.core.stroke.planes import PaintedPlanes
from ruvelt.core.stroke.tip import StrokeTip
from ruvelt.core.stroke.touched import Touched
from ruvelt.core.workers import SERIAL, Workers

F32 = NDArray[np.float32]


class LiveStroke:
    """Applies dabs to a target. Nothing it does is visible to others until its `changes` are stored."""

    def __init__(
        self,
        target: ResolvedTarget,
        evaluator: SheetEvaluator,
        planes: PlaneLookup,
        *,
        paint: Paint = Paint(),  # noqa: B008 -- frozen
        brush: Brush = Brush(),  # noqa: B008 -- frozen
        hidden: NDArray[np.bool_] | None = None,
        workers: Workers = SERIAL,
    ) -> None:
        """`hidden`: (faces,) bool marks faces that no stroke may touch. Raises NotFound for a tip or grain that is not there."""
        samples = evaluator.samples
        self.target, self.evaluator, self.samples = target, evaluator, samples
        self._paint, self._workers = paint, workers
        self._dragging = Dragging(samples, target.cells, paint, workers)
        self.coverage = Coverage(brush, StrokeTip(brush, evaluator, self.drags is None), samples, hidden, workers)
        self._reader = (
            Reader(evaluator, planes, paint, self._dragging.push, self._dragging.smear, self.coverage.values, workers) if paint.looks else None
        )
        self._confinement = Confinement(paint.confine, evaluator, target.layer.id, evaluator.cache, workers) if paint.confine.by_sample else None
        # What smear lays is confined as it is laid, for the brush meets it again.
        later = self._confinement if self._dragging.smear is None else None
        self._planes = PaintedPlanes(target, paint, self.coverage, evaluator, planes, self._reader, later)
        self._composites = Composites(target, evaluator, self._planes.changes, self._reader)
        #: Whether nothing changes but what lies under the brush; else composites are to be made anew once the stroke has ended.
        self.local = stroke_is_local(target.sheet, target.layer.id, target.cells[0].source)

    @property
    def changes(self) -> dict[str, dict[int, U16]]:
        """Changed planes: plane id → chunk → values."""
        return self._planes.changes

    @property
    def composites(self) -> dict[tuple[str, int], U16]:
        """Changed composites: (channel id, chunk) → (components, 65536) uint16."""
        return self._composites.by_channel

    @property
    def drags(self) -> float | None:
        """Most spacing of dabs of a tool that drags what it meets, whose paths are not swept; None for other tools."""
        return self._dragging.spacing

    def dabs(self, dabs: F32, mirror: Mirror | None = None) -> Touched:
        """Lay (n, WIDTH) dabs of one kind.

        Dabs in space come mirrored already; those of the flat sheet are mirrored here, over the surface.
        """
        dirty = self.coverage.unmarked()
        if len(dabs):
            if self._reader is not None:
                self._reader.begin(*self.coverage.in_space(dabs[0]), mirror)
            if self._paint.confine.part:
                self.coverage.stay_on_part(dabs[0])
            flat = dab.is_flat(dab.kind_of(dabs))
            dabs, copy, copies = self.coverage.with_twins(dabs, mirror)
            if self.drags is None:
                self.coverage.lay(dabs, copy, copies, flat, dirty)
            elif len(dabs):
                assert self._reader is not None
                self._dragging.lay(dabs, copy, copies, self.coverage, self._reader, self._confinement, dirty)
        return self._update(dirty)

    def restart(self) -> NDArray[np.uint8]:
        """Take back all that was laid, to lay it anew: a line, row or stamp that is still being shaped. Gives the (chunks, 256) blocks it covered."""
        dirty = self.coverage.restart(self._planes.chunks)
        self._dragging.restart()
        return dirty

    def lay_again(self, dabs: F32, mirror: Mirror | None, slots: NDArray[np.int32] | None = None, weights: F32 | None = None,
                  also: NDArray[np.uint8] | None = None) -> Touched:  # fmt: skip
        """Lay a whole path in place of what was laid before; `slots` with `weights`: samples it fills beside its dabs.

        also : (chunks, 256) blocks to make anew beside those, where a stroke that this one stands in for had been
        """
        old = self.restart()
        if also is not None:
            old |= also
        if slots is not None and weights is not None:
            self.coverage.fill(slots, weights, old)
        new = self.dabs(dabs, mirror)
        everything = old.copy()
        for chunk, laid in new.blocks.items():
            everything[chunk] |= laid
            old[chunk] &= 1 - laid
        self._update(old)
        return Touched.of(everything, self.samples.is_sheet)

    def flood(self, picks: Iterable[FacePick] | None, strength: float, faces: FaceIndex, gradient: Gradient | None = None) -> Touched:
        """Cover picked faces of the sheet (all of it for None) at a strength; hidden faces stay as they are.

        With a gradient, values go from the first to the second along it.
        """
        self._composites.folds = False
        return self._update(self.coverage.flood(picks, strength, faces, gradient))

    def settle(self) -> Touched:
        """Bring composites to the exact values, once no batch waits for them any more; says which blocks changed by that."""
        return self._composites.settle(self._workers)

    def _update(self, dirty: NDArray[np.uint8]) -> Touched:
        touched = Touched.of(dirty, self.samples.is_sheet)
        # Waking threads for less than this costs more than they save.
        work = int(np.count_nonzero(dirty)) * len(self.target.cells)
        workers = self._workers if work > 400 else SERIAL
        if self._reader is not None:
            self._reader.prepare(self.target.cells, touched.blocks)

        if self._confinement is not None:
            self._confinement.prepare()

        def follow(chunk: int) -> None:
            self._planes.paint(chunk, touched.runs[chunk])
            self._composites.follow(chunk, touched.blocks[chunk], touched.runs[chunk])

        workers.map(follow, list(touched.blocks))
        return touched
