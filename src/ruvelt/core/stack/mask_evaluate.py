"""Evaluation of masks: steps that look at one sample run over batches of a chunk, blurs and growth over the whole sheet at once."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Hashable, Mapping, Sequence
from threading import RLock
from typing import Protocol
from weakref import proxy

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.planes.addresses import address_of
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.planes.plane import U16
from ruvelt.core.planes.versions import version_of
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.samples.blocks import Runs
from ruvelt.core.samples.collar import Joined
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.stack._blend_kernels import BATCH, mask_runs
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.faces import FaceIndex
from ruvelt.core.stack.kinds.shapers.blur import BlurShaper
from ruvelt.core.stack.kinds.sources.painted import PaintedSource
from ruvelt.core.stack.kinds.step import Host, PointShaper, Source, SpreadingShaper, Step, UnknownStep
from ruvelt.core.stack.lookup import PlaneLookup
from ruvelt.core.stack.masks import Mask
from ruvelt.core.stack.plane_ids import mask_plane_id
from ruvelt.core.stack.shaping import table
from ruvelt.core.workers import Workers

COMBINES = {"replace": 0, "multiply": 1, "add": 2, "subtract": 3, "max": 4, "min": 5}
#: Stands where a source has its combine mode.
TABLE_STEP = -1
#: A whole chunk as runs of one batch each.
WHOLE = (np.arange(0, CHUNK, BATCH, dtype=np.int32), np.full(CHUNK // BATCH, BATCH, np.int32))

_COMMON = ("id", "on", "strength", "combine", "invert", "kind")


class Evaluation(Host, Protocol):
    """The evaluation that masks are part of."""

    def beyond(self, reach: float) -> tuple[MaskEvaluator, Joined] | None:
        """Masks at points of other sheets within `reach` object units of this one's border, and its samples with those points."""


def settings_of(step: Step) -> Hashable:
    """What a source's own values depend on: all it says but how it is laid on the others."""
    return (step.kind, *(getattr(step, name) for name in type(step).model_fields if name not in _COMMON))


class MaskEvaluator:
    """Masks of one sheet of one document."""

    def __init__(self, host: Evaluation, faces: FaceIndex, planes: PlaneLookup, cache: BoundedCache, workers: Workers) -> None:
        # A cycle would keep a sheet's samples, a gigabyte at 4096², until the collector's next whole round.
        self._host: Evaluation = proxy(host)
        self._faces, self._planes, self._cache, self._workers = faces, planes, cache, workers
        self._locks: dict[str, RLock] = defaultdict(RLock)
        self._everywhere: dict[Hashable, int] = {}

    @property
    def host(self) -> Host:
        return self._host

    @property
    def planes(self) -> PlaneLookup:
        return self._planes

    @property
    def faces(self) -> FaceIndex:
        return self._faces

    # -- which steps count ------------------------------------------------------------------------------------------------------

    def active(self, mask: Mask) -> list[Step]:
        """Steps that say something: on, and not waiting for a map, a picture, a layer or a colour."""
        return [s for s in mask.sources if s.on and s.strength > 0 and self.speaks(s)]

    def speaks(self, step: Step) -> bool:
        """Whether a step has all it reads."""
        if isinstance(step, UnknownStep) or (step.needs is not None and not any(m.id == step.needs for m in self._host.sheet.mesh_maps)):
            return False
        return not isinstance(step, Source) or step.speaks(self)

    # -- versions ---------------------------------------------------------------------------------------------------------------

    def inputs(self, mask: Mask, layer_id: str, chunk: int) -> tuple[Hashable, ...]:
        """Versions of all that a mask is made from in a chunk, besides its own settings."""
        steps = self.active(mask)
        spread = _after_spreads(steps)
        parts: list[Hashable] = [s.id for s in steps]
        if spread:
            parts.append(self._all_inputs(steps[:spread], layer_id))
        return (*parts, *(self._input(s, layer_id, chunk) for s in steps[spread:]))

    def _all_inputs(self, steps: list[Step], layer_id: str) -> int:
        key = (layer_id, *(s.id for s in steps))
        if key not in self._everywhere:
            every = range(self._host.samples.chunk_count)
            parts = [self._input(s, layer_id, c) for s in steps for c in every]
            if _cross(steps):
                parts += [self._host.elsewhere(f"map:{m}") for m in sorted({s.needs for s in steps if s.needs is not None})]
            self._everywhere[key] = version_of(parts)
        return self._everywhere[key]

    def _input(self, step: Step, layer_id: str, chunk: int) -> Hashable:
        return step.version(self, layer_id, chunk) if isinstance(step, Source) else None

    def map_version(self, channel: str) -> int:
        if channel not in self._everywhere:
            self._everywhere[channel] = version_of([self._host.version(channel, c) for c in range(self._host.samples.chunk_count)])
        return self._everywhere[channel]

    # -- values -----------------------------------------------------------------------------------------------------------------

    def chunk(self, mask: Mask, layer_id: str, chunk: int) -> U16 | float:
        """(65536,) uint16 mask of a layer over a chunk (65535 reveals), or one number 0–1 where it is the same everywhere."""
        version = hash((mask, self.inputs(mask, layer_id, chunk)))
        where = ("mask", self._host.samples.serial, self._host.sheet.id, layer_id, chunk)
        found = self._cache.get(where, version)
        if found is None:
            found = self._evaluate(mask, layer_id, chunk)
            self._cache.put(where, found, getattr(found, "nbytes", 64), version)
        result: U16 | float = found
        return result

    def _evaluate(self, mask: Mask, layer_id: str, chunk: int) -> U16 | float:
        steps = self.active(mask)
        only = steps[0] if len(steps) == 1 else None
        if not steps:
            return 0.0 if mask.invert else 1.0
        if isinstance(only, PaintedSource) and self._planes.key(mask_plane_id(self._host.sheet.id, layer_id, only.id), chunk) is None:
            value = 1.0 - only.base if only.invert else only.base
            value = 1.0 + (value - 1.0) * only.strength
            return 1.0 - value if mask.invert else value
        out = np.empty(CHUNK, np.uint16)
        self.run(mask, layer_id, chunk, WHOLE, {}, out)
        return float(out[0]) / 65535 if (out == out[0]).all() else out

    def step_chunk(self, step: Source, layer_id: str, chunk: int) -> U16:
        """(65536,) uint16: one source alone, as it looks by itself."""
        out = np.empty(CHUNK, np.uint16)
        if not self.speaks(step):
            out[:] = 0
            return out
        alone: Step = step.model_copy(update={"on": True, "strength": 1.0, "combine": "replace"})
        self._run_steps([alone], False, layer_id, chunk, WHOLE, {}, None, out)
        return out

    def run(self, mask: Mask, layer_id: str, chunk: int, runs: Runs, painted: Mapping[str, U16], out: U16) -> None:
        """Evaluate a mask over runs of a chunk into `out`.

        painted : planes of a stroke in progress, by id. Blurs and growth above what is being painted wait until the stroke has ended.
        """
        steps = self.active(mask)
        wet = [i for i, s in enumerate(steps) if isinstance(s, PaintedSource) and mask_plane_id(self._host.sheet.id, layer_id, s.id) in painted]
        first = _after_spreads(steps[: wet[0]] if wet else steps)
        start = self._whole(steps, layer_id, first)[chunk * CHUNK : (chunk + 1) * CHUNK] if first else None
        rest = [s for s in steps[first:] if not isinstance(s, SpreadingShaper)]
        self._run_steps(rest, mask.invert, layer_id, chunk, runs, painted, start, out)

    def _run_steps(
        self, steps: Sequence[Step], invert: bool, layer_id: str, chunk: int, runs: Runs, painted: Mapping[str, U16], start: U16 | None, out: U16
    ) -> None:
        keep: list[NDArray[np.generic]] = []
        values, covers, bases, combines, inverts = [], [], [], [], []
        for step in steps:
            value = cover = 0
            base, combine, invert_one = 0.0, TABLE_STEP, False
            if isinstance(step, Source):
                combine, invert_one = COMBINES[step.combine], step.invert
            if isinstance(step, PaintedSource):
                base = step.base
                plane = mask_plane_id(self._host.sheet.id, layer_id, step.id)
                values_u16 = painted.get(plane)
                if values_u16 is None and self._planes.key(plane, chunk) is not None:
                    values_u16 = self._planes.values(plane, chunk)
                if values_u16 is not None:
                    keep.append(values_u16)
                    value = address_of(values_u16)
                    cover = value + 2 * CHUNK
            elif isinstance(step, PointShaper):
                keep.append(table(step))
                value = address_of(keep[-1])
            else:
                assert isinstance(step, Source)
                keep.append(np.ascontiguousarray(self._source(step, layer_id, chunk)))
                value = address_of(keep[-1])
            values.append(value)
            covers.append(cover)
            bases.append(base)
            combines.append(combine)
            inverts.append(invert_one)
        mask_runs(
            address_of(start),
            np.array(values, np.int64),
            np.array(covers, np.int64),
            np.array(bases, np.float32),
            np.array(combines, np.int32),
            np.array([s.strength for s in steps], np.float32),
            np.array(inverts, np.bool_),
            invert,
            runs[0],
            runs[1],
            out,
        )

    def _whole(self, steps: list[Step], layer_id: str, end: int) -> U16:
        """(slots,) uint16: steps up to `end`, the last of which reads neighbours, over the whole sheet."""
        host = self._host
        where = ("mask-spread", host.samples.serial, host.sheet.id, layer_id, end)
        version = hash((tuple(steps[:end]), self._all_inputs(steps[:end], layer_id)))
        # A thread that comes second waits for the first; what it waits for depends on other layers only, never on this one.
        with self._locks[layer_id]:
            found: U16 | None = self._cache.get(where, version)
            if found is not None:
                return found
            reach = sum(s.reach for s in steps[:end] if isinstance(s, SpreadingShaper)) * host.samples.model.diagonal
            over = host.beyond(reach) if _cross(steps[:end]) else None
            made: U16 = self._spread_over(steps, layer_id, end, over)[0]
            self._cache.put(where, made, made.nbytes, version)
            return made

    def _spread_over(self, steps: list[Step], layer_id: str, end: int, over: tuple[MaskEvaluator, Joined] | None) -> tuple[U16, U16 | None]:
        """(slots,) uint16 of steps up to `end`, the last of which reads neighbours; with `over` on this sheet and over its border."""
        first = _after_spreads(steps[: end - 1])
        before: tuple[U16 | None, U16 | None] = (None, None)
        if first:
            before = (self._whole(steps, layer_id, first), None) if over is None else self._spread_over(steps, layer_id, first, over)
        between, last = steps[first : end - 1], steps[end - 1]
        under = self._filled(between, layer_id, before[0])
        if over is None:
            return self._spread(last, self._host.samples, under), None
        masks, joined = over
        beyond = masks._filled(between, layer_id, before[1])
        return joined.part(self._spread(last, joined, joined.gather(under, beyond)), under, beyond)

    def _filled(self, steps: list[Step], layer_id: str, start: U16 | None) -> U16:
        """(slots,) uint16: steps that look at one sample each, over what came before."""
        out = np.empty(self._host.samples.slot_count, np.uint16)

        def fill(chunk: int) -> None:
            part = slice(chunk * CHUNK, (chunk + 1) * CHUNK)
            self._run_steps(steps, False, layer_id, chunk, WHOLE, {}, None if start is None else start[part], out[part])

        self._workers.map(fill, range(self._host.samples.chunk_count))
        return out

    def _spread(self, step: Step, samples: SurfaceSamples, values_u16: U16) -> U16:
        assert isinstance(step, SpreadingShaper)
        found = step.spread(samples, values_u16, self._workers)
        if step.strength < 1:
            found = np.rint(values_u16 + (found.astype(np.float32) - values_u16) * np.float32(step.strength)).astype(np.uint16)
        return found

    # -- sources ----------------------------------------------------------------------------------------------------------------

    def _source(self, step: Source, layer_id: str, chunk: int) -> U16:
        """(65536,) uint16 values of a source that speaks."""
        if not step.kept:
            return step.values(self, layer_id, chunk)
        where = ("source", self._host.samples.serial, self._host.sheet.id, layer_id, step.id, chunk)
        version = hash((settings_of(step), self._input(step, layer_id, chunk)))
        found: U16 | None = self._cache.get(where, version)
        if found is None:
            found = step.values(self, layer_id, chunk)
            self._cache.put(where, found, found.nbytes, version)
        return found

    def _map_values(self, channel: str) -> U16:
        return np.concatenate([self._host.composite(channel, c)[0] for c in range(self._host.samples.chunk_count)])

    def wide_map(self, channel: str, radius: float, chunk: int) -> U16:
        samples = self._host.samples
        where, version = (
            ("wide-map", channel, samples.serial, self._host.sheet.id, radius),
            hash((self.map_version(channel), self._host.elsewhere(channel))),
        )
        with self._locks[channel]:
            found: U16 | None = self._cache.get(where, version)
            if found is None:
                values_u16 = self._map_values(channel)
                blur = BlurShaper(id="wide", radius=radius)
                over = self._host.beyond(blur.reach * samples.model.diagonal)
                if over is None:
                    found = self._spread(blur, samples, values_u16)
                else:
                    beyond = over[0]._map_values(channel)
                    found = over[1].part(self._spread(blur, over[1], over[1].gather(values_u16, beyond)), values_u16, beyond)[0]
                self._cache.put(where, found, found.nbytes, version)
        part: U16 = found[chunk * CHUNK : (chunk + 1) * CHUNK]
        return part

    def picked(self, picks: tuple[FacePick, ...], chunk: int) -> U16:
        samples = self._host.samples
        where = ("faces", samples.serial, self._faces.version, picks, chunk)
        found: U16 | None = self._cache.get(where)
        if found is None:
            shares = samples.share_of_faces(self._faces.mark(picks))
            for c in range(samples.chunk_count):
                values_u16 = np.rint(shares[c * CHUNK : (c + 1) * CHUNK] * 65535).astype(np.uint16)
                self._cache.put((*where[:-1], c), values_u16, values_u16.nbytes)
                if c == chunk:
                    found = values_u16
        assert found is not None
        return found

    def prepare(self, masks: Mapping[str, Mask]) -> None:
        """Do what covers the whole sheet first, on all threads; chunks that come side by side would do it on one."""
        for layer_id, mask in masks.items():
            steps = self.active(mask)
            if end := _after_spreads(steps):
                self._whole(steps, layer_id, end)


def _after_spreads(steps: list[Step]) -> int:
    """How many steps there are up to the last one that reads neighbours."""
    return max((i + 1 for i, s in enumerate(steps) if isinstance(s, SpreadingShaper)), default=0)


def _cross(steps: list[Step]) -> bool:
    """Whether steps say something over the border of their sheet too."""
    return not any(isinstance(s, Source) and not s.crosses for s in steps)
