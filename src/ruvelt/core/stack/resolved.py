"""Steps of a program as kernel arguments, run over runs of a chunk; the states and lines that are kept between them."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.color.encoding import DECODE_U16, linear_to_srgb_float
from ruvelt.core.planes.addresses import address_of
from ruvelt.core.planes.plane import U16
from ruvelt.core.samples.address import BLOCKS, CHUNK
from ruvelt.core.samples.blocks import Runs
from ruvelt.core.stack._blend_kernels import POP, PUSH, evaluate_runs, fold_runs
from ruvelt.core.stack.program import Program
from ruvelt.core.stack.step_arrays import StepArrays

_NO_STATE = np.zeros((1, 1, 0), np.float32)


@dataclass
class Overlay:
    """Planes and masks of one chunk that a stroke in progress has replaced."""

    planes: dict[str, U16] = field(default_factory=dict)
    masks: dict[str, U16] = field(default_factory=dict)


@dataclass
class State:
    """Where evaluation stood before some step: (levels, components + 1, 65536) float32, alpha last, valid on marked blocks only."""

    values: NDArray[np.float32]
    level: int
    blocks: NDArray[np.bool_]


def state_at(program: Program, step: int) -> State:
    """Room for the state before a step; none of its blocks are valid yet."""
    level = sum((op.kind == PUSH) - (op.kind == POP) for op in program.ops[1:step])
    return State(np.empty((level + 1, program.channel.components + 1, CHUNK), np.float32), level, np.zeros(BLOCKS, bool))


def codes_of(program: Program, values: NDArray[np.float32]) -> U16:
    """(components + 1, n) uint16 of one level of a state, in working space, alpha last."""
    shares = values.astype(np.float64)
    if program.linear:
        shares[:-1] = linear_to_srgb_float(shares[:-1])
    codes: U16 = np.rint(np.clip(shares, 0, 1) * 65535).astype(np.uint16)
    return codes


@dataclass
class Fold:
    """Steps `first` … `last` of a program as one line a sample, (2, components, 65536) float32, valid on marked blocks only."""

    first: int
    last: int
    steps: Resolved
    values: NDArray[np.float32]
    blocks: NDArray[np.bool_]

    def fill(self, runs: Runs) -> None:
        s = self.steps
        program = s.program
        fold_runs(s.arrays, program.linear, DECODE_U16, runs, self.values)


@dataclass
class Resolved:
    """Steps of a program as kernel arguments for one chunk; `keep` holds the arrays whose addresses they carry."""

    program: Program
    arrays: StepArrays
    keep: list[NDArray[Any]]


def execute(
    steps: Resolved, runs: Runs, *, state: State | None = None, out: U16 | None = None, save: State | None = None, address: int | None = None
) -> None:
    """Run resolved steps over runs of their chunk, from `state` when given, into codes `out` or into the state `save`.

    address : of `out`, where the caller knows it
    """
    if address is None:
        address = address_of(out)
    program = steps.program
    evaluate_runs(
        steps.arrays,
        program.channel.components,
        program.levels,
        program.linear,
        DECODE_U16,
        runs,
        state.level if state is not None else 0,
        state.values if state is not None else _NO_STATE,
        save is not None,
        save.values if save is not None else _NO_STATE,
        address,
    )
