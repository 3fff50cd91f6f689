"""The composites that follow a stroke: its layer laid anew with all above it, over what lay under it when the stroke began."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush.reading import Reader
from ruvelt.core.brush.target import ResolvedTarget
from ruvelt.core.planes.addresses import Addresses
from ruvelt.core.planes.plane import U16
from ruvelt.core.samples.address import BLOCKS, CHUNK
from ruvelt.core.samples.blocks import Runs, blocks_of, runs_of
from ruvelt.core.stack.evaluate import MASK_PREFIX, SheetEvaluator
from ruvelt.core.stack.resolved import Fold, Overlay, Resolved, State, execute
from ruvelt.core.stroke.touched import Touched
from ruvelt.core.workers import Workers


@dataclass(eq=False)
class _Steps:
    """One channel of one chunk: the state under the target, the steps that lead to it, and the target with all above.

    `quick` is `rest` with most of what lies above folded into few steps: right to a code or so under layers, to a lattice of colours under
    adjustments, whatever their number.
    """

    under: State
    below: Resolved
    rest: Resolved
    fold: Fold | None
    quick: Resolved


class Composites:
    """by_channel : (channel id, chunk) → (components, 65536) uint16 as they are now. changes : the planes that the stroke changes"""

    def __init__(self, target: ResolvedTarget, evaluator: SheetEvaluator, changes: dict[str, dict[int, U16]], reader: Reader | None) -> None:
        self._target, self._evaluator, self._changes, self._reader = target, evaluator, changes, reader
        self.by_channel: dict[tuple[str, int], U16] = {}
        #: Folded steps are quick and right to a code; a flood, one batch, takes the exact way at once.
        self.folds = True
        self._masks: dict[int, U16] = {}
        self._resolved: dict[tuple[str, int], _Steps | None] = {}
        self._unsettled: dict[tuple[str, int], NDArray[np.bool_]] = {}
        self._addresses = Addresses()
        self._programs = {c: evaluator.program(c, target.layer.id) for c in target.channels}

    def follow(self, chunk: int, blocks: NDArray[np.uint8], runs: Runs) -> None:
        """Bring a chunk's composites up to date in blocks, (256,) uint8, and the same as runs."""
        is_sheet = self._evaluator.samples.is_sheet
        self._update_mask(chunk, runs)
        for channel in self._programs:
            steps = self._steps(channel, chunk)
            if steps is None:
                continue
            missing = blocks.astype(bool) & ~steps.under.blocks
            if missing.any():
                execute(steps.below, runs_of(missing.astype(np.uint8), is_sheet), save=steps.under)
                steps.under.blocks |= missing
            if steps.fold is not None:
                missing = blocks.astype(bool) & ~steps.fold.blocks
                if missing.any():
                    steps.fold.fill(runs_of(missing.astype(np.uint8), is_sheet))
                    steps.fold.blocks |= missing
            if steps.quick is not steps.rest:
                self._unsettled[channel, chunk] |= blocks.astype(bool)
            out = self.by_channel[channel, chunk]
            execute(steps.quick, runs, state=steps.under, out=out, address=self._addresses.of((channel, chunk), out))

    def settle(self, workers: Workers) -> Touched:
        """Bring composites made by folded steps to the exact values; says which blocks changed by that."""
        samples = self._evaluator.samples
        dirty = np.zeros((samples.chunk_count, BLOCKS), np.uint8)

        def exactly(where: tuple[str, int]) -> None:
            steps, values = self._resolved[where], self.by_channel[where]
            assert steps is not None
            before = values.copy()
            execute(steps.rest, runs_of(self._unsettled[where].astype(np.uint8), samples.is_sheet), state=steps.under, out=values)
            np.maximum(dirty[where[1]], blocks_of((before != values).any(axis=0), samples.is_sheet), out=dirty[where[1]])

        workers.map(exactly, [w for w, blocks in self._unsettled.items() if blocks.any()])
        self._unsettled = {w: np.zeros(BLOCKS, bool) for w in self._unsettled}
        return Touched.of(dirty, samples.is_sheet)

    def _steps(self, channel: str, chunk: int) -> _Steps | None:
        """What is below the target in a chunk and what goes on top of it, worked out at the first touch."""
        if (channel, chunk) not in self._resolved:
            program = self._programs[channel]
            at = program.index_of(self._target.layer.id)
            found = None
            if at is not None:
                evaluator, overlay = self._evaluator, Overlay()
                if chunk in self._masks:
                    overlay.masks[self._target.layer.id] = self._masks[chunk]
                else:
                    overlay.planes.update((cell.plane, self._changes[cell.plane][chunk]) for cell in self._target.cells)
                end = len(program.ops)
                rest = evaluator.resolve(program, chunk, at, end, overlay)
                fold = evaluator.fold(program, at, chunk) if self.folds else None
                cubes = evaluator.cubes_in(program, at) if self.folds else {}
                quick = evaluator.resolve(program, chunk, at, end, overlay, fold, cubes) if fold is not None or cubes else rest
                found = _Steps(evaluator.state_before(program, at, chunk), evaluator.resolve(program, chunk, 1, at), rest, fold, quick)
                if quick is not rest:
                    self._unsettled[channel, chunk] = np.zeros(BLOCKS, bool)
                # What the reader has asked for is not asked for again: finding a composite's version costs as much as a small batch.
                before = self._reader.composite(channel, chunk) if self._reader is not None else evaluator.composite(channel, chunk)
                self.by_channel[channel, chunk] = before.copy()
            self._resolved[channel, chunk] = found
        return self._resolved[channel, chunk]

    def _update_mask(self, chunk: int, runs: Runs) -> None:
        layer = self._target.layer
        if self._target.cells[0].source is None or layer.mask is None:
            return
        if chunk not in self._masks:
            before = self._evaluator.mask_chunk(layer.mask, layer.id, chunk)
            self._masks[chunk] = np.full(CHUNK, round(before * 65535), np.uint16) if isinstance(before, float) else before.copy()
        painted = {cell.plane: self._changes[cell.plane][chunk] for cell in self._target.cells}
        self._evaluator.masks.run(layer.mask, layer.id, chunk, runs, painted, self._masks[chunk])
        self.by_channel[MASK_PREFIX + layer.id, chunk] = self._masks[chunk][None]
