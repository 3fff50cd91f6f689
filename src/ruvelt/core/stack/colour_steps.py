"""Adjustments of colours as the kernel takes them: one array of numbers and tables."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.color.oklab import oklab
from ruvelt.core.planes.plane import U16
from ruvelt.core.stack import _colour_kernels as kernels
from ruvelt.core.stack.picked_range import PickedRange

if TYPE_CHECKING:
    from ruvelt.core.stack.kinds.adjustment import Adjust

F32 = NDArray[np.float32]


@dataclass(frozen=True)
class ColourStep:
    """An adjustment of colours: its settings, the components it changes, its ranges, and whether what no range has is changed too."""

    adjust: Adjust
    components: tuple[str, ...] = ("r", "g", "b")
    ranges: tuple[PickedRange, ...] = ()
    rest: bool = False


#: Packed steps are large, and a slider that moves makes many.
@lru_cache(maxsize=24)
def packed(step: ColourStep) -> F32:
    """The array that kernels read; its layout is that of `_colour_kernels`."""
    stages = [step.adjust.stage(), *(r.adjust.stage() for r in step.ranges)]
    head = np.zeros(kernels.HEAD + kernels.SET * len(stages), np.float32)
    head[kernels.SETS] = len(stages)
    head[kernels.COMPONENTS : kernels.COMPONENTS + 3] = [c in step.components for c in "rgb"]
    head[kernels.RANGED], head[kernels.REST] = bool(step.ranges), step.rest
    tables: list[F32] = []
    places: dict[int, int] = {}
    size = len(head)
    for k, stage in enumerate(stages):
        at = kernels.HEAD + kernels.SET * k
        head[at] = stage.code
        head[at + kernels.NUMBERS : at + kernels.NUMBERS + len(stage.numbers)] = stage.numbers
        for c, table in enumerate(stage.tables):
            if id(table) not in places:
                places[id(table)] = size
                tables.append(table)
                size += len(table)
            head[at + kernels.TABLE_AT + c] = places[id(table)]
    for k, of in enumerate(step.ranges):
        at = kernels.HEAD + kernels.SET * (k + 1)
        head[at + kernels.COLOUR : at + kernels.COLOUR + 3] = oklab(np.array(of.colour))
        head[at + kernels.TOLERANCE], head[at + kernels.SOFTNESS], head[at + kernels.INVERTED] = of.tolerance, of.softness, of.invert
    made: F32 = np.empty(size, np.float32)
    np.concatenate([head, *tables], out=made)
    return made


@lru_cache(maxsize=6)
def cube(steps: tuple[tuple[ColourStep, float], ...]) -> F32:
    """(NODES³ · 3,) float32 encoded colours: what steps at their strengths, one on the other, make of colours of a lattice."""
    places = np.arange(kernels.NODES, dtype=np.float32) / kernels.CELLS
    values: F32 = np.stack([axis.ravel() for axis in np.meshgrid(places, places, places, indexing="ij")]).astype(np.float32)
    for step, strength in steps:
        kernels.adjust_nodes(packed(step), strength, values)
    made: F32 = np.ascontiguousarray(values.T).ravel()
    return made


def shares(step: ColourStep, range_id: str, values_u16: U16) -> U16:
    """(n,) uint16 share that a range has of (3, n) encoded colours, once ranges share what several have; "": what all of them have."""
    out = np.empty(values_u16.shape[1], np.uint16)
    which = next((i for i, r in enumerate(step.ranges) if r.id == range_id), -1)
    kernels.range_weights(packed(step), which, np.ascontiguousarray(values_u16), out)
    return out
