"""A stroke (or flood) in progress: coverage, the planes it changes, and the composites that follow, all on touched samples only."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush import dab
from ruvelt.core.brush._dab_kernels import ball_dabs, disc_dabs, flood_coverage, join_twins, paint_runs, toward_runs
from ruvelt.core.brush._rich_kernels import BY_FLOW, LEVEL, PAST, confined, mixed_codes, rich_balls, rich_discs
from ruvelt.core.brush.confine import Confinement
from ruvelt.core.brush.gradient import Gradient, gradient_share
from ruvelt.core.brush.push import PUSH_SPACING, push_of
from ruvelt.core.brush.reading import Reader
from ruvelt.core.brush.settings import Brush, Mirror
from ruvelt.core.brush.smear import MIX_SPACING, Smear
from ruvelt.core.brush.sweeps import Sweeps, unswept
from ruvelt.core.brush.target import Cell, Paint, ResolvedTarget
from ruvelt.core.brush.tip_arrays import NO_GRAIN, NO_TIP, GrainSettings, SweptPictures, TipPictures
from ruvelt.core.brush.tips import Fours, fours, load_grain, load_tips, reach_of
from ruvelt.core.color.encoding import AS_CODES, AS_LIGHT
from ruvelt.core.planes.addresses import Addresses, address_of
from ruvelt.core.planes.plane import U16, empty_chunk
from ruvelt.core.samples.address import BLOCKS, CHUNK, block_of, chunk_of, column_of, row_of, slot_at
from ruvelt.core.samples.blocks import Runs, blocks_of, runs_of
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.evaluate import MASK_PREFIX, Fold, Overlay, Resolved, SheetEvaluator, State, execute
from ruvelt.core.stack.faces import FaceIndex
from ruvelt.core.stack.lookup import PlaneLookup
from ruvelt.core.stack.references import stroke_is_local
from ruvelt.core.workers import SERIAL, Workers

#: Samples met by a batch's dabs from which threads share the work.
SLABS_FROM = 300_000
#: The same for dabs that are weighed sample by sample.
RICH_SLABS_FROM = 150_000
#: Most that coverage of mirrored twins may span; past it, many of them on a large sheet, they add up where they meet.
TWINS_BYTES = 4 << 30
_BUILDS = {"flow": BY_FLOW, "past": PAST, "level": LEVEL}
F32 = NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Touched:
    """What one batch changed: the blocks of each chunk, (256,) uint8, and the same as runs of samples."""

    blocks: dict[int, NDArray[np.uint8]]
    runs: dict[int, Runs]


@dataclass(eq=False)
class _Steps:
    """One channel of one chunk: the state under the target, the steps that lead to it, and the target with all above.

    `quick` is `rest` with most of what lies above folded into one step: right to a code or so, whatever the number of layers.
    """

    under: State
    below: Resolved
    rest: Resolved
    fold: Fold | None
    quick: Resolved


class LiveStroke:
    """Applies dabs to a target. Nothing it does is visible to others until its `changes` are stored.

    The planes as they were when the stroke began stay the base of every batch, so that repeated dabs never round twice.
    """

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
        self._planes, self._erase, self._workers = planes, paint.erase, workers
        self._paint, self._brush = paint, brush
        smears = paint.tool == "smear" and not paint.erase
        self._push = push_of(samples, workers) if smears and paint.smear.mode == "push" else None
        self._smear = Smear(samples, workers, len(target.cells), paint.smear.wetness) if smears and paint.smear.mode == "mix" else None
        self._coverage = np.zeros(samples.slot_count, np.float32)
        self._reader = Reader(evaluator, planes, paint, self._push, self._smear, self._coverage, workers) if paint.looks else None
        self._confinement = Confinement(paint.confine, evaluator, target.layer.id, evaluator.cache, workers) if paint.confine.by_sample else None
        self._confined: dict[int, F32] = {}
        #: The share of each sample that a fill covers; none for strokes.
        self._shares = np.zeros(0, np.float32)
        self._addresses = Addresses()
        #: What the stroke remembers of its dabs' colours at each sample.
        self._marks = np.zeros((samples.slot_count if brush.colours_vary else 0, 4 if brush.colours_turn else 1), np.float32)
        #: Coverage and marks of each mirrored twin, (copies, slots …).
        self._twins: tuple[F32, F32] | None = None
        self._mixed: dict[tuple[str, int], U16] = {}
        self._tips: Fours | None = None
        self._sweeps: Sweeps | None = None
        #: How far its dabs reach, in radii.
        self._reach = 1.0
        grain = brush.grain.picture
        self._grain = fours(load_grain(grain, evaluator.picture), wraps=True) if grain is not None else NO_GRAIN.picture
        on_surface = grain is not None and brush.grain.fixed == "surface"
        #: What the grain leaves of paint at each sample, as far as it was asked, for it is the same for every dab.
        self._textures = np.zeros(samples.slot_count if on_surface else 0, np.float32)
        self._home: int | None = None
        self._allowed = np.zeros(0, np.uint8)
        if hidden is not None and hidden.any():
            self._allowed = (~samples.slots_of_faces(hidden)).astype(np.uint8)
        #: Changed planes: plane id → chunk → values.
        self.changes: dict[str, dict[int, U16]] = {cell.plane: {} for cell in target.cells}
        #: Changed composites: (channel id, chunk) → (components, 65536) uint16.
        self.composites: dict[tuple[str, int], U16] = {}
        self._bases: dict[tuple[str, int], U16 | None] = {}
        self._masks: dict[int, U16] = {}
        self._resolved: dict[tuple[str, int], _Steps | None] = {}
        self._folds = True
        self._unsettled: dict[tuple[str, int], NDArray[np.bool_]] = {}
        #: Whether nothing changes but what lies under the brush; else composites are to be made anew once the stroke has ended.
        self.local = stroke_is_local(target.sheet, target.layer.id, target.cells[0].source)
        self._programs = {c: evaluator.program(c, target.layer.id) for c in target.channels}

    # -- what raises coverage ---------------------------------------------------------------------------------------------------

    @property
    def drags(self) -> float | None:
        """Most spacing of dabs of a tool that drags what it meets from one to the next, whose paths are not swept; None for other tools."""
        if self._smear is not None:
            return MIX_SPACING
        return PUSH_SPACING if self._push is not None else None

    def dabs(self, dabs: F32, mirror: Mirror | None = None) -> Touched:
        """Lay (n, WIDTH) dabs of one kind.

        Dabs in space come mirrored already; those of the flat sheet are mirrored here, over the surface.
        """
        dirty = np.zeros((self.samples.chunk_count, BLOCKS), np.uint8)
        if len(dabs):
            if self._reader is not None:
                self._reader.begin(*self._in_space(dabs[0]), mirror)
            if self._paint.confine.part and self._home is None:
                self._stay_on_part(dabs[0])
            flat = dab.is_flat(dab.kind_of(dabs))
            copies = 1 if mirror is None else 2 ** sum((mirror.x, mirror.y, mirror.z)) * mirror.around
            copy = np.arange(len(dabs)) % copies
            if flat and mirror is not None:
                dabs, copy = self._mirrored_discs(dabs, mirror)
            if self._push is not None or self._smear is not None:
                self._drag(dabs, copy, copies, flat, dirty)
            elif copies == 1 or copies * self._coverage.nbytes > TWINS_BYTES:
                self._raise(dabs, flat, self._coverage, self._marks, dirty)
            else:
                self._raise_twins(dabs, copy, copies, flat, dirty)
        return self._update(dirty)

    def _raise(self, dabs: F32, flat: bool, coverage: F32, marks: F32, dirty: NDArray[np.uint8]) -> None:
        """Raise (slots,) coverage by dabs, and note their colours."""
        if dab.is_rich(dab.kind_of(dabs)):
            self._rich(np.array(dabs, np.float32, order="C"), flat, coverage, marks, dirty)
        elif not flat:
            self._ball(np.ascontiguousarray(dabs, np.float32), coverage, dirty)
        else:
            assert isinstance(self.samples, SheetSamples)
            disc_dabs(np.ascontiguousarray(dabs, np.float32), self.samples.side, self.samples.owner, self._allowed, coverage, dirty)

    def _raise_twins(self, dabs: F32, copy: NDArray[np.int64], copies: int, flat: bool, dirty: NDArray[np.uint8]) -> None:
        """The same for mirrored strokes: each by itself, and where they meet the strongest, as if one had passed there once."""
        if self._twins is None:
            # Of what no twin comes to no memory is taken.
            self._twins = np.zeros((copies, len(self._coverage)), np.float32), np.zeros((copies, *self._marks.shape), np.float32)
        coverage, marks = self._twins
        for k in range(copies):
            mine = dabs[copy == k]
            if len(mine):
                self._raise(mine, flat, coverage[k], marks[k], dirty)
        join_twins(np.flatnonzero(dirty.view(np.bool_)).astype(np.int32), self.samples.is_sheet, coverage, marks, self._coverage, self._marks)

    def _drag(self, dabs: F32, copy: NDArray[np.int64], copies: int, flat: bool, dirty: NDArray[np.uint8]) -> None:
        """Smear: push what is there, or carry paint along."""
        if not len(dabs):
            return
        tip = self._ready_tip(dabs[0], flat) if dab.is_rich(dab.kind_of(dabs)) else NO_TIP
        settings = (flat, tip, self._allowed)
        if self._push is not None:
            self._push.drag(dabs, copy, copies, *settings, self._coverage, dirty)
            return
        assert self._smear is not None
        assert self._reader is not None
        reader, cells, confinement = self._reader, self.target.cells, self._confinement

        def pictures(chunks: NDArray[np.int64]) -> NDArray[np.int64]:
            return np.stack([reader.pictures(cell, chunks) for cell in cells])

        def confined(chunks: NDArray[np.int64]) -> NDArray[np.int64]:
            assert confinement is not None
            places = np.zeros(self.samples.chunk_count, np.int64)
            for chunk in chunks:
                places[chunk] = address_of(confinement.weights(int(chunk)))
            return places

        limits = confined if confinement is not None else None
        self._smear.lay(dabs, copy, copies, *settings, pictures, limits, self._coverage, dirty)

    def _stay_on_part(self, first: F32) -> None:
        """From now on only the part under a dab takes paint."""
        centre, radius = self._in_space(first)
        slot = int(self.samples.grid.nearest(np.asarray(centre, np.float64)[None], max(radius, 8 * self.samples.spacing))[0])
        if slot < 0:
            return
        model = self.samples.model
        self._home = int(model.face_part[self.samples.face[slot]])
        mine = self.samples.slots_of_faces(model.face_part == self._home).astype(np.uint8)
        self._allowed = mine if not len(self._allowed) else self._allowed & mine

    def _ready_tip(self, first: F32, flat: bool) -> TipPictures:
        """Pictures of the brush's tips and its grain."""
        if self._tips is None:
            # As fine as the first dab needs them, so that batches make no difference.
            across = 2 * float(first[dab.RADIUS]) / (1.0 if flat else self.samples.spacing)
            tips = self._brush.tips
            self._tips = np.zeros((1, 1, 1), np.uint64)
            if tips:
                pictures = load_tips(tips, across, self.evaluator.picture)
                self._tips, self._reach = fours(pictures, wraps=False), reach_of(pictures)
                if self._brush.swept and self.drags is None:
                    self._sweeps = Sweeps(pictures[0], self._brush.roundness)
        return TipPictures(self._tips, self._grain_settings(flat), self._reach, _BUILDS[self._brush.build])

    def _grain_settings(self, flat: bool) -> GrainSettings:
        samples, grain = self.samples, self._brush.grain
        # Along the stroke a grain lies still on the sheet or model by its distance, in texels or object units.
        size = grain.size * samples.model.diagonal / (samples.spacing if flat else 1.0)
        return GrainSettings(self._grain, grain.depth, size, grain.fixed == "surface") if grain.picture is not None else NO_GRAIN

    def _rich(self, dabs: F32, flat: bool, coverage: F32, marks: F32, dirty: NDArray[np.uint8]) -> None:
        samples, tip = self.samples, self._ready_tip(dabs[0], flat)
        parts = [(slice(None), unswept(dabs))] if self._sweeps is None else self._sweeps.parts(dabs)
        for part, swept in parts:
            some = dabs[part]
            if flat:
                assert isinstance(samples, SheetSamples)
                rich_discs(some, samples.side, samples.owner, self._allowed, tip, swept, coverage, marks, dirty)
                continue
            edges = self._slabs(some, self._reach, RICH_SLABS_FROM)

            def lay(slab: int, some: F32 = some, swept: SweptPictures = swept, edges: list[int] = edges) -> None:
                ends = edges[slab], edges[slab + 1] - 1
                rich_balls(some, samples.arrays, self._allowed, *ends, tip, swept, coverage, marks, dirty, self._textures)

            self._workers.map(lay, range(len(edges) - 1))

    def restart(self) -> NDArray[np.uint8]:
        """Take back all that was laid, to lay it anew: a line, row or stamp that is still being shaped. Gives the (chunks, 256) blocks it covered."""
        dirty = np.zeros((self.samples.chunk_count, BLOCKS), np.uint8)
        for chunk in {chunk for chunks in self.changes.values() for chunk in chunks}:
            part = slice(chunk * CHUNK, (chunk + 1) * CHUNK)
            dirty[chunk] = blocks_of(self._coverage[part] > 0, self.samples.is_sheet)
            self._coverage[part] = 0
            if len(self._marks):
                self._marks[part] = 0
            if self._twins is not None:
                self._twins[0][:, part] = 0
                self._twins[1][:, part] = 0
        for dragging in (self._push, self._smear):
            if dragging is not None:
                dragging.restart()
        return dirty

    def lay_again(
        self,
        dabs: F32,
        mirror: Mirror | None,
        slots: NDArray[np.int32] | None = None,
        weights: F32 | None = None,
        also: NDArray[np.uint8] | None = None,
    ) -> Touched:
        """Lay a whole path in place of what was laid before; `slots` with `weights`: samples it fills beside its dabs.

        also : (chunks, 256) blocks to make anew beside those, where a stroke that this one stands in for had been
        """
        old = self.restart()
        if also is not None:
            old |= also
        if slots is not None and weights is not None:
            self._coverage[slots] = np.maximum(self._coverage[slots], weights * np.float32(self._brush.strength) * self._may(slots))
            old[chunk_of(slots), block_of(slots, self.samples.is_sheet)] = 1
        new = self.dabs(dabs, mirror)
        for chunk, laid in new.blocks.items():
            old[chunk] &= 1 - laid
        rest = self._update(old)
        none = np.zeros(BLOCKS, np.uint8)
        blocks = {c: new.blocks.get(c, none) | rest.blocks.get(c, none) for c in {*new.blocks, *rest.blocks}}
        return Touched(blocks, {c: runs_of(t, self.samples.is_sheet) for c, t in blocks.items()})

    def _may(self, slots: NDArray[np.int32]) -> F32:
        """(n,) 1 for samples that may be touched, else 0."""
        return np.ones(len(slots), np.float32) if not len(self._allowed) else self._allowed[slots].astype(np.float32)

    def _in_space(self, one: NDArray[np.float32]) -> tuple[NDArray[np.float32], float]:
        """Centre and radius of a dab in object space."""
        if not dab.is_flat(int(one[dab.KIND])):
            return one[: dab.RADIUS], float(one[dab.RADIUS])
        samples = self.samples
        assert isinstance(samples, SheetSamples)
        x, y = np.clip(one[: dab.Z].astype(int), 0, samples.side - 1)
        return samples.positions[samples.texel_to_slot(int(x), int(y))], float(one[dab.RADIUS]) * samples.spacing

    def _ball(self, dabs: NDArray[np.float32], coverage: F32, dirty: NDArray[np.uint8]) -> None:
        edges = self._slabs(dabs)

        def lay(slab: int) -> None:
            ball_dabs(dabs, self.samples.arrays, self._allowed, edges[slab], edges[slab + 1] - 1, coverage, dirty)

        self._workers.map(lay, range(len(edges) - 1))

    def _slabs(self, dabs: F32, reach: float = 1.0, least: int = SLABS_FROM) -> list[int]:
        """Layers of the grid that each thread takes, so that no sample is raised by two and the order of dabs is kept."""
        grid = self.samples.grid
        whole = [0, int(grid.dims[2])]
        # A batch of few samples is done sooner than a thread is woken.
        met = float(np.square(dabs[:, dab.RADIUS].astype(np.float64)).sum()) * np.pi / self.samples.spacing**2
        if self._workers.threads == 1 or not met > least:
            return whole
        along, deep = np.abs(dabs[:, dab.SWEEP + 2]), reach * dabs[:, dab.RADIUS]
        low = float((dabs[:, dab.Z] - deep - along).min() - grid.low[2]) / grid.cell
        high = float((dabs[:, dab.Z] + deep + along).max() - grid.low[2]) / grid.cell
        if not np.isfinite(low + high):
            return whole
        first, last = (int(np.clip(np.floor(v), 0, grid.dims[2] - 1)) for v in (low - 1, high + 1))
        return [int(e) for e in np.linspace(first, last + 1, min(2 * self._workers.threads, last - first + 1) + 1)]

    def _mirrored_discs(self, dabs: NDArray[np.float32], mirror: Mirror) -> tuple[NDArray[np.float32], NDArray[np.int64]]:
        """Discs, then discs around the texels nearest to their mirrored and turned surface points, none where there is no such point.

        With them (n,) which of the mirrored ones each is.
        """
        copy, copies = np.zeros(len(dabs), np.int64), 1
        for axis, on in enumerate((mirror.x, mirror.y, mirror.z)):
            if on and len(dabs):
                flip = np.eye(3)
                flip[axis, axis] = -1
                twin, kept = self._moved_discs(dabs, flip)
                # A mirrored tip turns the other way round.
                twin[:, [dab.LONG + 1, dab.SHORT, dab.FLIP]] *= -1
                dabs, copy = np.concatenate([dabs, twin]), np.concatenate([copy, copy[kept] + copies])
            copies *= 2 if on else 1
        turned = [self._moved_discs(dabs, turn) for turn in mirror.turns()] if len(dabs) else []
        return (
            np.concatenate([dabs, *(moved for moved, _ in turned)]),
            np.concatenate([copy, *(copy[kept] + copies * (i + 1) for i, (_, kept) in enumerate(turned))]),
        )

    def _moved_discs(self, dabs: NDArray[np.float32], move: NDArray[np.float64]) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
        """Discs around the samples nearest to where a (3, 3) matrix takes the surface points of discs, swept along the twin's own way.

        With them (n,) which discs have such a twin.
        """
        twin = dabs.copy()
        places, way = slice(dab.X, dab.Z), slice(dab.SWEEP, dab.SWEEP + 2)
        twin[:, places], good = self._moved_texels(dabs[:, places], move)
        swept = dabs[:, way].any(axis=1)
        before, there = self._moved_texels(dabs[swept, places] - dabs[swept, way], move)
        ways = twin[swept, places] - before
        # Over a seam the twin's texels jump, and each is a disc by itself.
        near = there & (np.hypot(*ways.T) <= 2 * dabs[swept, dab.RADIUS])
        twin[swept, way] = np.where(near[:, None], ways, 0)
        return twin[good], good

    def _moved_texels(self, places: NDArray[np.float32], move: NDArray[np.float64]) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
        """(n, 2) middles of the texels nearest to where a matrix takes the surface points of texels, and (n,) whether there are any."""
        samples = self.samples
        assert isinstance(samples, SheetSamples)
        x, y = (np.clip(v.astype(int), 0, samples.side - 1) for v in places.T)
        slot = slot_at(x, y, samples.chunks_across)
        twin = samples.grid.nearest(samples.positions[slot].astype(np.float64) @ move.T, 4 * samples.spacing)
        column, row = column_of(twin, samples.chunks_across), row_of(twin, samples.chunks_across)
        return np.stack([column + 0.5, row + 0.5], axis=1).astype(np.float32), (samples.owner[slot] >= 0) & (twin >= 0)

    def flood(self, picks: Iterable[FacePick] | None, strength: float, faces: FaceIndex, gradient: Gradient | None = None) -> Touched:
        """Cover picked faces of the sheet (all of it for None) at a strength; hidden faces stay as they are.

        With a gradient, values go from the first to the second along it.
        """
        samples = self.samples
        # A flood is one batch: the exact way is the shortest.
        self._folds = False
        shares = np.ones(samples.slot_count, np.float32) if picks is None else samples.share_of_faces(faces.mark(picks))
        if len(self._allowed):
            shares *= self._allowed
        self._shares = shares
        dirty = np.zeros((samples.chunk_count, BLOCKS), np.uint8)
        owner = samples.owner if isinstance(samples, SheetSamples) else samples.face

        def cover(chunk: int) -> None:
            flood_coverage(owner, chunk * CHUNK, (chunk + 1) * CHUNK, strength, shares, self._coverage, dirty, samples.is_sheet)

        self._workers.map(cover, range(samples.chunk_count))
        if gradient is not None:
            self._marks = np.zeros((samples.slot_count, 1), np.float32)
            self._marks[:, 0] = gradient_share(gradient, samples.positions, samples.spacing)
        return self._update(dirty)

    # -- what follows from coverage ---------------------------------------------------------------------------------------------

    def _update(self, dirty: NDArray[np.uint8]) -> Touched:
        chunks = [int(c) for c in np.flatnonzero(dirty.any(axis=1))]
        # Waking threads for less than this costs more than they save.
        work = int(np.count_nonzero(dirty)) * len(self.target.cells)
        runs = {c: runs_of(dirty[c], self.samples.is_sheet) for c in chunks}
        workers = self._workers if work > 400 else SERIAL
        if self._reader is not None:
            self._reader.prepare(self.target.cells, {c: dirty[c] for c in chunks})
        workers.map(lambda c: self._update_chunk(c, dirty[c], runs[c]), chunks)
        return Touched({c: dirty[c] for c in chunks}, runs)

    def _update_chunk(self, chunk: int, blocks: NDArray[np.uint8], runs: Runs) -> None:
        coverage = self._coverage[chunk * CHUNK : (chunk + 1) * CHUNK]
        # What smear lays is confined as it is laid, for the brush meets it again.
        if self._confinement is not None and self._smear is None:
            coverage = self._confine(chunk, runs, coverage)
        if self._paint.cover > 1:
            coverage = np.minimum(coverage * np.float32(self._paint.cover), np.float32(1))
        shares = self._shares[chunk * CHUNK : (chunk + 1) * CHUNK]
        for cell in self.target.cells:
            base, out = self._working(cell.plane, cell.components, chunk)
            address = 0 if base is None else self._addresses.of((cell.plane, chunk), base)
            values = 0
            if self._reader is not None:
                read = self._reader.values(cell, chunk)
                if self._reader.own(cell):
                    toward_runs(runs[0], runs[1], address, coverage, read, cell.components - 1, *self._mixing(cell), out)
                    continue
                values = address_of(read)
            elif len(self._marks):
                mixed = self._mix(cell, chunk, runs)
                values = address_of(mixed)
            paint_runs(runs[0], runs[1], address, coverage, shares, cell.codes, values, self._erase, cell.components - 1, *self._mixing(cell), out)
        self._update_mask(chunk, runs)
        for channel in self._programs:
            steps = self._steps(channel, chunk)
            if steps is None:
                continue
            missing = blocks.astype(bool) & ~steps.under.blocks
            if missing.any():
                execute(steps.below, runs_of(missing.astype(np.uint8), self.samples.is_sheet), save=steps.under)
                steps.under.blocks |= missing
            if steps.fold is not None:
                missing = blocks.astype(bool) & ~steps.fold.blocks
                if missing.any():
                    steps.fold.fill(runs_of(missing.astype(np.uint8), self.samples.is_sheet))
                    steps.fold.blocks |= missing
                self._unsettled[channel, chunk] |= blocks.astype(bool)
            out = self.composites[channel, chunk]
            execute(steps.quick, runs, state=steps.under, out=out, address=self._addresses.of((channel, chunk, "out"), out))

    def _mixing(self, cell: Cell) -> tuple[F32, NDArray[np.uint16]]:
        """How a cell's codes are mixed: colours as light where the project blends so."""
        linear = cell.channel is not None and self.evaluator.linear(cell.channel)
        return (AS_LIGHT if linear else AS_CODES).tables

    def _confine(self, chunk: int, runs: Runs, coverage: F32) -> F32:
        """Coverage of a chunk as far as the confinement lets it through."""
        assert self._confinement is not None
        if chunk not in self._confined:
            self._confined[chunk] = np.zeros(CHUNK, np.float32)
        confined(runs[0], runs[1], coverage, self._confinement.weights(chunk), self._confined[chunk])
        return self._confined[chunk]

    def _mix(self, cell: Cell, chunk: int, runs: Runs) -> U16:
        """Codes that a stroke of many colours lays in a chunk."""
        channel = self.evaluator.channel(cell.channel) if self._marks.shape[1] == 4 and cell.channel is not None else None
        turns = channel is not None and channel.kind == "colour"
        if (cell.plane, chunk) not in self._mixed:
            self._mixed[cell.plane, chunk] = np.empty((cell.components - 1, CHUNK), np.uint16)
        out = self._mixed[cell.plane, chunk]
        mixed_codes(runs[0], runs[1], chunk, self._marks, cell.codes, cell.second, turns, *self._mixing(cell), out)
        return out

    def settle(self) -> Touched:
        """Bring composites made by folded steps to the exact values; says which blocks changed by that."""
        dirty = np.zeros((self.samples.chunk_count, BLOCKS), np.uint8)

        def exactly(where: tuple[str, int]) -> None:
            steps, values = self._resolved[where], self.composites[where]
            assert steps is not None
            before = values.copy()
            execute(steps.rest, runs_of(self._unsettled[where].astype(np.uint8), self.samples.is_sheet), state=steps.under, out=values)
            np.maximum(dirty[where[1]], blocks_of((before != values).any(axis=0), self.samples.is_sheet), out=dirty[where[1]])

        self._workers.map(exactly, [w for w, blocks in self._unsettled.items() if blocks.any()])
        self._unsettled = {w: np.zeros(BLOCKS, bool) for w in self._unsettled}
        chunks = [int(c) for c in np.flatnonzero(dirty.any(axis=1))]
        return Touched({c: dirty[c] for c in chunks}, {c: runs_of(dirty[c], self.samples.is_sheet) for c in chunks})

    def _steps(self, channel: str, chunk: int) -> _Steps | None:
        """What is below the target in a chunk and what goes on top of it, worked out at the first touch."""
        if (channel, chunk) not in self._resolved:
            program = self._programs[channel]
            at = program.index_of(self.target.layer.id)
            found = None
            if at is not None:
                evaluator, overlay = self.evaluator, Overlay()
                if chunk in self._masks:
                    overlay.masks[self.target.layer.id] = self._masks[chunk]
                else:
                    overlay.planes.update((cell.plane, self.changes[cell.plane][chunk]) for cell in self.target.cells)
                end = len(program.ops)
                rest = evaluator.resolve(program, chunk, at, end, overlay)
                fold = evaluator.fold(program, at, chunk) if self._folds else None
                quick = rest if fold is None else evaluator.resolve(program, chunk, at, end, overlay, fold)
                found = _Steps(evaluator.state_before(program, at, chunk), evaluator.resolve(program, chunk, 1, at), rest, fold, quick)
                if fold is not None:
                    self._unsettled[channel, chunk] = np.zeros(BLOCKS, bool)
                # What the reader has asked for is not asked for again: finding a composite's version costs as much as a small batch.
                before = self._reader.composite(channel, chunk) if self._reader is not None else evaluator.composite(channel, chunk)
                self.composites[channel, chunk] = before.copy()
            self._resolved[channel, chunk] = found
        return self._resolved[channel, chunk]

    def _working(self, plane: str, components: int, chunk: int) -> tuple[U16 | None, U16]:
        """The chunk as it was before the stroke, and the copy the stroke writes."""
        written = self.changes[plane]
        if chunk not in written:
            exists = self._planes.key(plane, chunk) is not None
            base = self._planes.values(plane, chunk) if exists else None
            self._bases[plane, chunk] = base
            written[chunk] = empty_chunk(components) if base is None else base.copy()
        return self._bases[plane, chunk], written[chunk]

    def _update_mask(self, chunk: int, runs: Runs) -> None:
        layer = self.target.layer
        if self.target.cells[0].source is None or layer.mask is None:
            return
        if chunk not in self._masks:
            before = self.evaluator.mask_chunk(layer.mask, layer.id, chunk)
            self._masks[chunk] = np.full(CHUNK, round(before * 65535), np.uint16) if isinstance(before, float) else before.copy()
        painted = {cell.plane: self.changes[cell.plane][chunk] for cell in self.target.cells}
        self.evaluator.masks.run(layer.mask, layer.id, chunk, runs, painted, self._masks[chunk])
        self.composites[MASK_PREFIX + layer.id, chunk] = self._masks[chunk][None]
