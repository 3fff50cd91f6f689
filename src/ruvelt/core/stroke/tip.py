"""A brush's tip and grain as kernels take them, made when the first dab says how fine they have to be."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush import dab
from ruvelt.core.brush._rich_kernels import BY_FLOW, LEVEL, PAST
from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.sweeps import Sweeps, unswept
from ruvelt.core.brush.tip_arrays import NO_GRAIN, GrainSettings, SweptPictures, TipPictures
from ruvelt.core.brush.tips import Quads, load_grain, load_tips, quads, reach_of
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.stack.evaluate import SheetEvaluator

_BUILDS = {"flow": BY_FLOW, "past": PAST, "level": LEVEL}
F32 = NDArray[np.float32]


class StrokeTip:
    """Raises NotFound for a grain that is not there; for a tip when the first dab comes. swept : whether the tip's pictures are swept"""

    def __init__(self, brush: Brush, evaluator: SheetEvaluator, swept: bool) -> None:
        self._brush, self._evaluator, self._swept = brush, evaluator, swept
        self._samples: SurfaceSamples = evaluator.samples
        self._tips: Quads | None = None
        self._sweeps: Sweeps | None = None
        #: How far its dabs reach, in radii.
        self.reach = 1.0
        grain = brush.grain.picture
        self._grain = quads(load_grain(grain, evaluator.picture), wraps=True) if grain is not None else NO_GRAIN.picture

    def ready(self, first: F32, flat: bool) -> TipPictures:
        """Pictures of the brush's tips and its grain."""
        if self._tips is None:
            # As fine as the first dab needs them, so that batches make no difference.
            across = 2 * float(first[dab.RADIUS]) / (1.0 if flat else self._samples.spacing)
            tips = self._brush.tips
            self._tips = np.zeros((1, 1, 1), np.uint64)
            if tips:
                pictures = load_tips(tips, across, self._evaluator.picture)
                self._tips, self.reach = quads(pictures, wraps=False), reach_of(pictures)
                if self._brush.swept and self._swept:
                    self._sweeps = Sweeps(pictures[0], self._brush.roundness)
        return TipPictures(self._tips, self._grain_settings(flat), self.reach, _BUILDS[self._brush.build])

    def _grain_settings(self, flat: bool) -> GrainSettings:
        samples, grain = self._samples, self._brush.grain
        # Along the stroke a grain lies still on the sheet or model by its distance, in texels or object units.
        size = grain.size * samples.model.diagonal / (samples.spacing if flat else 1.0)
        return GrainSettings(self._grain, grain.depth, size, grain.fixed == "surface") if grain.picture is not None else NO_GRAIN

    def parts(self, dabs: F32) -> Iterator[tuple[slice, SweptPictures]]:
        """Dabs in the order in which they are laid, cut where they need other tables of a swept picture; a part's are there until the next."""
        if self._sweeps is None:
            yield slice(None), unswept(dabs)
        else:
            yield from self._sweeps.parts(dabs)
