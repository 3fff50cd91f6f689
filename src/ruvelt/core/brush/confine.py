"""Confinement: what a stroke or fill may change, as a weight on every sample. What is outside takes nothing at all."""

from __future__ import annotations

from typing import Annotated, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.planes.plane import U16
from ruvelt.core.samples.address import CHUNK, CHUNK_SIDE
from ruvelt.core.samples.curvature import curvature_of
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.stack.basics import Colour, FacePick, Frozen, Share
from ruvelt.core.stack.evaluate import CATCH_PREFIX, SheetEvaluator
from ruvelt.core.workers import Workers

#: Measure that a dry brush at its full amount asks for.
SHARPEST = 0.5
#: Width of a step without softness.
HARDEST = 0.02
#: Forms as large as this share of the diagonal count as ridges and recesses, as in a bake.
FORM = 0.01
#: Id colours closer than this (OKLab) are one.
ID_TOLERANCE = 0.02

Signed = Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]


class Confine(Frozen):
    """Each part that is set limits further.

    relief : from recesses only (−1) over everything (0) to ridges only (1), softer or harder, by the curvature of the mesh or the baked one;
    half way what is flat is still let through and what is bent the other way no more
    raised : only what stands out: ridges, and what the height channel raises; a dry brush, which never touches what is flat
    picks : only these faces; part : only the part on which the stroke begins
    colours : only where the base colour looks like one of these; distances in OKLab. What counts is what lies beneath the target's layer, which
    strokes do not change, however often they are repeated; or what shows; that always where nothing lies beneath
    ids : only where the baked id map has one of these colours
    caught : only what a range of an adjustment catches, as "LAYER:RANGE"; where that is gone it limits nothing
    """

    relief: Signed = 0.0
    softness: Share = 0.5
    relief_from: Literal["mesh", "bake"] = "mesh"
    raised: Share = 0.0
    picks: Annotated[tuple[FacePick, ...], Field(max_length=10_000)] = ()
    part: bool = False
    colours: Annotated[tuple[Colour, ...], Field(max_length=8)] = ()
    ids: Annotated[tuple[Colour, ...], Field(max_length=32)] = ()
    colours_from: Literal["beneath", "shows"] = "beneath"
    tolerance: Share = 0.08
    colour_softness: Share = 0.08
    caught: Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9_-]{0,39}:[a-z0-9][a-z0-9_-]{0,39}$")] | None = None

    @property
    def by_sample(self) -> bool:
        """Whether samples differ in what they take."""
        return self.relief != 0 or self.raised > 0 or bool(self.picks or self.colours or self.ids or self.caught)


def passing(measure: NDArray[np.float32], amount: float, softness: float) -> NDArray[np.float32]:
    """Weight of a measure −1 … 1: 1 everywhere at an amount of 0, from the measure 0 on at one half, and only at 1 at 1; a smooth step below.

    The step is as wide as the softness, so that a soft one reaches from what is bent most to what is flat. Roots, with the measure's sign, are
    compared: most of a surface is bent by little, and differences between those would lie in a hundredth of the way.
    """
    full, wide = np.float32(2 * amount - 1), np.float32(softness + HARDEST)
    root = np.sign(measure) * np.sqrt(np.abs(measure))
    t = np.clip(1 + (root - full) / wide, 0, 1)
    weights: NDArray[np.float32] = (t * t * (3 - 2 * t)).astype(np.float32)
    return weights


def standing_out(measure: NDArray[np.float32], amount: float, softness: float) -> NDArray[np.float32]:
    """Weight of a measure −1 … 1 for a dry brush: 1 from half the amount on, 0 below that · (1 − softness), a smooth step between."""
    full = amount * SHARPEST
    low = full * (1 - softness)
    t = np.clip((measure - low) / max(full - low, 1e-6), 0, 1)
    weights: NDArray[np.float32] = (t * t * (3 - 2 * t)).astype(np.float32)
    return weights


class Confinement:
    """The weights of one stroke, chunk by chunk. What it reads is as it was before the stroke."""

    def __init__(self, confine: Confine, evaluator: SheetEvaluator, layer_id: str, cache: BoundedCache, workers: Workers) -> None:
        """`layer_id` : the layer that is painted on."""
        beneath = confine.colours_from == "beneath" and evaluator.has_beneath(layer_id, "base_color")
        self._beneath = layer_id if beneath else None
        self._confine, self._evaluator, self._cache, self._workers = confine, evaluator, cache, workers
        self._marked = evaluator.samples.share_of_faces(evaluator.faces.mark(confine.picks)) if confine.picks else None
        self._made: dict[int, U16] = {}
        self._ids: dict[int, NDArray[np.float32]] = {}

    def prepare(self) -> None:
        """Work out what all chunks read, with all threads: asked for first by one of them, it would be one's alone."""
        if (self._confine.relief != 0 or self._confine.raised > 0) and not self._baked:
            mesh_bend(self._evaluator, self._cache, self._workers)

    @property
    def _baked(self) -> bool:
        """Whether curvature comes from the map."""
        return self._confine.relief_from == "bake" and any(m.id == "curvature" for m in self._evaluator.sheet.mesh_maps)

    def weights(self, chunk: int) -> U16:
        """(65536,) uint16, 65535 where everything passes."""
        if chunk not in self._made:
            self._made[chunk] = np.rint(self._weigh(chunk) * 65535).astype(np.uint16)
        return self._made[chunk]

    def _weigh(self, chunk: int) -> NDArray[np.float32]:
        confine, evaluator = self._confine, self._evaluator
        weights = np.ones(CHUNK, np.float32)
        if self._marked is not None:
            weights *= self._marked[chunk * CHUNK : (chunk + 1) * CHUNK]
        if confine.colours:
            beneath = self._beneath
            look = evaluator.composite("base_color", chunk) if beneath is None else evaluator.beneath(beneath, "base_color", chunk)
            near = evaluator.measures.near(look, confine.colours, confine.tolerance, confine.colour_softness)
            weights *= near.astype(np.float32) / np.float32(65535)
        if confine.caught is not None and evaluator.channel(CATCH_PREFIX + confine.caught) is not None:
            weights *= evaluator.composite(CATCH_PREFIX + confine.caught, chunk)[0].astype(np.float32) / np.float32(65535)
        if confine.ids and any(m.id == "id" for m in evaluator.sheet.mesh_maps):
            weights *= self._near_ids(chunk)
        if confine.relief != 0:
            bend = self._bend(chunk) * np.float32(np.sign(confine.relief))
            weights *= passing(bend, abs(confine.relief), confine.softness)
        if confine.raised > 0:
            stands = self._bend(chunk)
            if evaluator.channel("height") is not None:
                height = evaluator.composite("height", chunk)[0].astype(np.float32) / np.float32(32767.5) - 1
                stands = np.maximum(stands, height)
            weights *= standing_out(stands, confine.raised, confine.softness)
        return weights

    def _near_ids(self, chunk: int) -> NDArray[np.float32]:
        """(65536,) float32 weight of the chosen id colours: on a sheet the mean of a texel's neighbourhood, for ids themselves have stairs."""
        samples = self._evaluator.samples
        if not isinstance(samples, SheetSamples):
            return self._chosen(chunk)
        across, column, row = samples.chunks_across, chunk % samples.chunks_across, chunk // samples.chunks_across
        # With a rim of one texel from the chunks around it.
        wide, there = np.zeros((2, CHUNK_SIDE + 2, CHUNK_SIDE + 2), np.float32)
        for dy in (-1, 0, 1):
            for dx in (-1, 0, 1):
                if not (0 <= column + dx < across and 0 <= row + dy < across):
                    continue
                other = (row + dy) * across + column + dx
                to, of = _strip(dy), _strip(dx)
                covered = samples.covered[other * CHUNK : (other + 1) * CHUNK].reshape(CHUNK_SIDE, CHUNK_SIDE)
                there[to[0], of[0]] = covered[to[1], of[1]]
                wide[to[0], of[0]] = self._chosen(other).reshape(CHUNK_SIDE, CHUNK_SIDE)[to[1], of[1]]
        kernel = np.array([0.25, 0.5, 0.25], np.float32)
        sums, shares = (cv2.sepFilter2D(v, cv2.CV_32F, kernel, kernel)[1:-1, 1:-1] for v in (wide * there, there))
        found: NDArray[np.float32] = (sums / np.maximum(shares, 1e-6)).ravel().astype(np.float32)
        return found

    def _chosen(self, chunk: int) -> NDArray[np.float32]:
        if chunk not in self._ids:
            evaluator = self._evaluator
            near = evaluator.measures.near(evaluator.composite("map:id", chunk), self._confine.ids, ID_TOLERANCE, 0.0)
            self._ids[chunk] = near.astype(np.float32) / np.float32(65535)
        return self._ids[chunk]

    def _bend(self, chunk: int) -> NDArray[np.float32]:
        """(65536,) float32 curvature, −1 … 1, positive on ridges: the baked one where it is asked for and there, else the mesh's own."""
        evaluator = self._evaluator
        if self._baked:
            baked: NDArray[np.float32] = evaluator.composite("map:curvature", chunk)[0].astype(np.float32) / np.float32(32767.5) - 1
            return baked
        part: NDArray[np.float32] = mesh_bend(evaluator, self._cache, self._workers)[chunk * CHUNK : (chunk + 1) * CHUNK]
        return part


def _strip(step: int) -> tuple[slice, slice]:
    """Where a neighbouring chunk's rows or columns come to lie around a chunk with a rim of one, and which they are."""
    if step == 0:
        return slice(1, CHUNK_SIDE + 1), slice(0, CHUNK_SIDE)
    return (slice(0, 1), slice(-1, None)) if step < 0 else (slice(CHUNK_SIDE + 1, None), slice(0, 1))


def mesh_bend(evaluator: SheetEvaluator, cache: BoundedCache, workers: Workers) -> NDArray[np.float32]:
    """(slots,) float32 curvature of the mesh itself at every sample, −1 … 1; worked out once for a layout."""
    samples = evaluator.samples
    where = ("bend", samples.serial)
    found: NDArray[np.float32] | None = cache.get(where)
    if found is None:
        radius = FORM * samples.model.diagonal
        found = np.clip(curvature_of(samples, samples.positions, samples.normals, radius, workers) * np.float32(radius), -1, 1)
        cache.put(where, found, found.nbytes)
    return found
