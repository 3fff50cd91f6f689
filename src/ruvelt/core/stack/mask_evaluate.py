"""Evaluation of masks: steps that look at one sample run over batches of a chunk, blurs and growth over the whole sheet at once."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Hashable, Mapping, Sequence
from threading import RLock
from typing import Protocol
from weakref import proxy

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.planes.plane import U16
from ruvelt.core.planes.stamps import stamp_of
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.samples.blocks import Runs
from ruvelt.core.samples.collar import Joined
from ruvelt.core.samples.lattice import surface_blur
from ruvelt.core.samples.spread import surface_grow
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.stack._blend_kernels import BATCH, mask_runs
from ruvelt.core.stack.channels import Channel, encode
from ruvelt.core.stack.document import FillLayer, PaintLayer, Sheet, mask_plane_id, plane_id
from ruvelt.core.stack.faces import FaceIndex
from ruvelt.core.stack.laid import lightness
from ruvelt.core.stack.lookup import PlaneLookup
from ruvelt.core.stack.masks import (
    SPREADING,
    BlurShaper,
    ColourRangeSource,
    CurvatureSource,
    FacesSource,
    FacingSource,
    GradientSource,
    GrowShaper,
    IdColourSource,
    ImageSource,
    LayerSource,
    Mask,
    NoiseSource,
    OcclusionSource,
    PaintedSource,
    PositionSource,
    Shaper,
    Source,
    SpotsSource,
    ThicknessSource,
)
from ruvelt.core.stack.measures import Measures
from ruvelt.core.stack.shaping import PointShaper, table
from ruvelt.core.workers import Workers

COMBINES = {"replace": 0, "multiply": 1, "add": 2, "subtract": 3, "max": 4, "min": 5}
#: Stands where a source has its combine mode.
TABLE_STEP = -1
Step = Source | Shaper
#: A whole chunk as runs of one batch each.
WHOLE = (np.arange(0, CHUNK, BATCH, dtype=np.int32), np.full(CHUNK // BATCH, BATCH, np.int32))

#: The mesh map that each kind of source reads.
NEEDS = {"id_colour": "id", "curvature": "curvature", "occlusion": "occlusion", "thickness": "thickness"}
#: Kinds whose values cost enough to be kept beside the mask they end in.
_KEPT = ("noise", "spots", "image", "colour_range", "id_colour", "layer")
_COMMON = ("id", "on", "strength", "combine", "invert", "kind")


class Host(Protocol):
    """What masks ask of the evaluation they are part of."""

    sheet: Sheet
    samples: SurfaceSamples
    measures: Measures

    def channel(self, channel_id: str) -> Channel | None: ...

    def composite(self, channel_id: str, chunk: int) -> U16: ...

    def stamp(self, channel_id: str, chunk: int) -> int: ...

    def beneath(self, layer_id: str, channel_id: str, chunk: int) -> U16: ...

    def beneath_stamp(self, layer_id: str, channel_id: str, chunk: int) -> int: ...

    def elsewhere(self, channel_id: str) -> int:
        """The version of a mesh map on all sheets."""

    def beyond(self, reach: float) -> tuple[MaskEvaluator, Joined] | None:
        """Masks at points of other sheets within `reach` object units of this one's border, and its samples with those points."""


def settings_of(step: Step) -> Hashable:
    """What a source's own values depend on: all it says but how it is laid on the others."""
    return (step.kind, *(getattr(step, name) for name in type(step).model_fields if name not in _COMMON))


class MaskEvaluator:
    """Masks of one sheet of one document."""

    def __init__(self, host: Host, faces: FaceIndex, planes: PlaneLookup, cache: BoundedCache, workers: Workers) -> None:
        # A cycle would keep a sheet's samples, a gigabyte at 4096², until the collector's next whole round.
        self._host: Host = proxy(host)
        self._faces, self._planes, self._cache, self._workers = faces, planes, cache, workers
        self._locks: dict[str, RLock] = defaultdict(RLock)
        self._everywhere: dict[Hashable, int] = {}

    # -- which steps count ------------------------------------------------------------------------------------------------------

    def active(self, mask: Mask) -> list[Step]:
        """Steps that say something: on, and not waiting for a map, a picture, a layer or a colour."""
        return [s for s in mask.sources if s.on and s.strength > 0 and self.speaks(s)]

    def speaks(self, step: Step) -> bool:
        """Whether a step has all it reads."""
        if step.kind in NEEDS and not any(m.id == NEEDS[step.kind] for m in self._host.sheet.mesh_maps):
            return False
        match step:
            case IdColourSource():
                return bool(step.colours)
            case ColourRangeSource():
                return bool(step.colours) and self._host.channel(step.channel) is not None
            case ImageSource():
                return self._host.measures.has_picture(step)
            case LayerSource():
                return self._reads(step) is not None
            case _:
                return True

    def _reads(self, step: LayerSource) -> object | None:
        """What of another layer a source reads; None when there is no such thing."""
        layer = self._host.sheet.find(step.layer) if step.layer is not None else None
        if layer is None:
            return None
        if step.part == "mask":
            return layer.mask
        if self._host.channel(step.part) is None:
            return None
        if isinstance(layer, PaintLayer):
            return plane_id(self._host.sheet.id, layer.id, step.part)
        use = layer.channels.get(step.part)
        return use if isinstance(layer, FillLayer) and use is not None and (use.value is not None or use.content is not None) else None

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
                parts += [self._host.elsewhere(f"map:{m}") for m in sorted({NEEDS[s.kind] for s in steps if s.kind in NEEDS})]
            self._everywhere[key] = stamp_of(parts)
        return self._everywhere[key]

    def _input(self, step: Step, layer_id: str, chunk: int) -> Hashable:
        host = self._host
        match step:
            case PaintedSource():
                return self._planes.key(mask_plane_id(host.sheet.id, layer_id, step.id), chunk)
            case FacesSource():
                return self._faces.version
            case CurvatureSource() if step.radius > 0:
                return (self._map_version("map:curvature"), host.elsewhere("map:curvature"))
            case IdColourSource() | CurvatureSource() | OcclusionSource() | ThicknessSource():
                return host.stamp(f"map:{NEEDS[step.kind]}", chunk)
            case LayerSource():
                read = self._reads(step)
                if isinstance(read, Mask):
                    return (read, self.inputs(read, step.layer or "", chunk))
                return self._planes.key(read, chunk) if isinstance(read, str) else read  # type: ignore[return-value]
            case ColourRangeSource():
                return host.beneath_stamp(layer_id, step.channel, chunk)
            case _:
                return None

    def _map_version(self, channel: str) -> int:
        if channel not in self._everywhere:
            self._everywhere[channel] = stamp_of([self._host.stamp(channel, c) for c in range(self._host.samples.chunk_count)])
        return self._everywhere[channel]

    # -- values -----------------------------------------------------------------------------------------------------------------

    def chunk(self, mask: Mask, layer_id: str, chunk: int) -> U16 | float:
        """(65536,) uint16 mask of a layer over a chunk (65535 reveals), or one number 0–1 where it is the same everywhere."""
        stamp = hash((mask, self.inputs(mask, layer_id, chunk)))
        where = ("mask", self._host.samples.serial, self._host.sheet.id, layer_id, chunk)
        found = self._cache.get(where, stamp)
        if found is None:
            found = self._evaluate(mask, layer_id, chunk)
            self._cache.put(where, found, getattr(found, "nbytes", 64), stamp)
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
        rest = [s for s in steps[first:] if not isinstance(s, SPREADING)]
        self._run_steps(rest, mask.invert, layer_id, chunk, runs, painted, start, out)

    def _run_steps(
        self, steps: Sequence[Step], invert: bool, layer_id: str, chunk: int, runs: Runs, painted: Mapping[str, U16], start: U16 | None, out: U16
    ) -> None:
        keep: list[NDArray[np.generic]] = []
        values, covers, bases, combines, inverts = [], [], [], [], []
        for step in steps:
            value = cover = 0
            base, combine, invert_one = 0.0, TABLE_STEP, False
            if not isinstance(step, Shaper):
                combine, invert_one = COMBINES[step.combine], step.invert
            if isinstance(step, PaintedSource):
                base = step.base
                plane = mask_plane_id(self._host.sheet.id, layer_id, step.id)
                codes = painted.get(plane)
                if codes is None and self._planes.key(plane, chunk) is not None:
                    codes = self._planes.values(plane, chunk)
                if codes is not None:
                    keep.append(codes)
                    value, cover = codes.ctypes.data, codes.ctypes.data + 2 * CHUNK
            elif isinstance(step, PointShaper):
                keep.append(table(step))
                value = keep[-1].ctypes.data
            else:
                assert not isinstance(step, Shaper)
                keep.append(np.ascontiguousarray(self._source(step, layer_id, chunk)))
                value = keep[-1].ctypes.data
            values.append(value)
            covers.append(cover)
            bases.append(base)
            combines.append(combine)
            inverts.append(invert_one)
        mask_runs(
            start.ctypes.data if start is not None else 0,
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
        stamp = hash((tuple(steps[:end]), self._all_inputs(steps[:end], layer_id)))
        # A thread that comes second waits for the first; what it waits for depends on other layers only, never on this one.
        with self._locks[layer_id]:
            found: U16 | None = self._cache.get(where, stamp)
            if found is not None:
                return found
            reach = sum(_reach(s) for s in steps[:end]) * host.samples.model.diagonal
            over = host.beyond(reach) if _cross(steps[:end]) else None
            made: U16 = self._spread_over(steps, layer_id, end, over)[0]
            self._cache.put(where, made, made.nbytes, stamp)
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

    def _spread(self, step: Step, samples: SurfaceSamples, codes: U16) -> U16:
        way = samples.model.diagonal
        if isinstance(step, BlurShaper):
            found: U16 = surface_blur(samples, codes[None], step.radius * way, self._workers)[0]
        else:
            assert isinstance(step, GrowShaper)
            found = surface_grow(samples, codes, step.amount * way, self._workers)
        if step.strength < 1:
            found = np.rint(codes + (found.astype(np.float32) - codes) * np.float32(step.strength)).astype(np.uint16)
        return found

    # -- sources ----------------------------------------------------------------------------------------------------------------

    def _source(self, step: Source, layer_id: str, chunk: int) -> U16:
        """(65536,) uint16 values of a source that speaks."""
        if step.kind not in _KEPT:
            return self._make(step, layer_id, chunk)
        where = ("source", self._host.samples.serial, self._host.sheet.id, layer_id, step.id, chunk)
        stamp = hash((settings_of(step), self._input(step, layer_id, chunk)))
        found: U16 | None = self._cache.get(where, stamp)
        if found is None:
            found = self._make(step, layer_id, chunk)
            self._cache.put(where, found, found.nbytes, stamp)
        return found

    def _make(self, step: Source, layer_id: str, chunk: int) -> U16:
        host, measures = self._host, self._host.measures
        match step:
            case FacesSource():
                return self._faces_chunk(step, chunk)
            case CurvatureSource():
                fold = {"edges": 2, "recesses": 3, "both": 4}[step.which]
                codes = self._wide_curvature(step.radius, chunk) if step.radius > 0 else host.composite("map:curvature", chunk)[0]
                return measures.ramp(codes, fold, step)
            case OcclusionSource():
                return measures.ramp(host.composite("map:occlusion", chunk)[0], 1, step)
            case ThicknessSource():
                return measures.ramp(host.composite("map:thickness", chunk)[0], 0, step)
            case IdColourSource():
                return measures.near(host.composite("map:id", chunk), step.colours, step.tolerance, 0.01)
            case ColourRangeSource():
                return measures.near(host.beneath(layer_id, step.channel, chunk), step.colours, step.tolerance, step.softness)
            case LayerSource():
                return self._other_layer(step, chunk)
            case ImageSource():
                picture = measures.picture(step, chunk)
                assert picture is not None
                return picture[3] if step.reads == "alpha" else lightness(picture)
            case PositionSource():
                return measures.position(step, chunk)
            case GradientSource():
                return measures.gradient(step, chunk)
            case FacingSource():
                return measures.facing(step, chunk)
            case NoiseSource():
                return measures.noise(step, chunk)
            case SpotsSource():
                return measures.spots(step, chunk)
            case PaintedSource():
                raise AssertionError("painted sources are read where they lie")

    def _map_codes(self, channel: str) -> U16:
        return np.concatenate([self._host.composite(channel, c)[0] for c in range(self._host.samples.chunk_count)])

    def _wide_curvature(self, radius: float, chunk: int) -> U16:
        samples = self._host.samples
        where, stamp = (
            ("wide-curvature", samples.serial, self._host.sheet.id, radius),
            hash((self._map_version("map:curvature"), self._host.elsewhere("map:curvature"))),
        )
        with self._locks["curvature"]:
            found: U16 | None = self._cache.get(where, stamp)
            if found is None:
                codes = self._map_codes("map:curvature")
                blur = BlurShaper(id="wide", radius=radius)
                over = self._host.beyond(_reach(blur) * samples.model.diagonal)
                if over is None:
                    found = self._spread(blur, samples, codes)
                else:
                    beyond = over[0]._map_codes("map:curvature")
                    found = over[1].part(self._spread(blur, over[1], over[1].gather(codes, beyond)), codes, beyond)[0]
                self._cache.put(where, found, found.nbytes, stamp)
        part: U16 = found[chunk * CHUNK : (chunk + 1) * CHUNK]
        return part

    def _other_layer(self, step: LayerSource, chunk: int) -> U16:
        host, read = self._host, self._reads(step)
        if isinstance(read, Mask):
            found = self.chunk(read, step.layer or "", chunk)
            return np.full(CHUNK, round(found * 65535), np.uint16) if isinstance(found, float) else found
        channel = host.channel(step.part)
        assert channel is not None
        if isinstance(read, str):
            painted = self._planes.key(read, chunk) is not None
            codes = self._planes.values(read, chunk) if painted else np.zeros((channel.components + 1, CHUNK), np.uint16)
        else:
            use = host.sheet.find(step.layer or "").channels[step.part]  # type: ignore[union-attr]
            content = host.measures.content(use.content, channel, chunk) if use.content is not None else None
            if content is None:
                value = encode(channel, use.value if use.value is not None else channel.start)
                content = np.empty((channel.components + 1, CHUNK), np.uint16)
                content[:-1], content[-1] = value[:, None], 65535 if use.value is not None else 0
            codes = content
        if step.measure == "coverage":
            cover: U16 = codes[-1]
            return cover
        light = lightness(codes) if channel.components == 3 else codes[0]
        covered: U16 = np.rint(light * (codes[-1] / np.float32(65535))).astype(np.uint16)
        return covered

    def _faces_chunk(self, source: FacesSource, chunk: int) -> U16:
        samples = self._host.samples
        where = ("faces", samples.serial, self._faces.version, source.picks, chunk)
        found: U16 | None = self._cache.get(where)
        if found is None:
            shares = samples.share_of_faces(self._faces.mark(source.picks))
            for c in range(samples.chunk_count):
                codes = np.rint(shares[c * CHUNK : (c + 1) * CHUNK] * 65535).astype(np.uint16)
                self._cache.put((*where[:-1], c), codes, codes.nbytes)
                if c == chunk:
                    found = codes
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
    return max((i + 1 for i, s in enumerate(steps) if isinstance(s, SPREADING)), default=0)


def _reach(step: Step) -> float:
    """How far a step reads from each sample, a share of the diagonal."""
    if isinstance(step, BlurShaper):
        # Three standard deviations hold all that shows.
        return 3 * step.radius
    return abs(step.amount) if isinstance(step, GrowShaper) else 0.0


def _cross(steps: list[Step]) -> bool:
    """Whether steps say something over the border of their sheet too: what reads its own paint, layers or layout does not."""
    return not any(
        isinstance(s, PaintedSource | LayerSource | ColourRangeSource) or (isinstance(s, ImageSource) and s.projection.way == "uv") for s in steps
    )
