"""Timing that a noisy machine disturbs little: the best of several goes."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import asdict, dataclass
from typing import Any


@dataclass(frozen=True)
class Row:
    """One figure. `ours` and `baseline` in `unit`; `ratio` as the goal states it; `goal` for orientation."""

    name: str
    ours: float
    baseline: float
    baseline_name: str
    ratio: float
    unit: str
    goal: str
    met: bool

    def as_json(self) -> dict[str, Any]:
        return asdict(self)


def goes_of(work: Callable[[], object], goes: int) -> list[float]:
    """Seconds of each go."""
    times = []
    for _ in range(goes):
        start = time.perf_counter()
        work()
        times.append(time.perf_counter() - start)
    return times


def best(work: Callable[[], object], goes: int = 5) -> float:
    """Seconds of the fastest of some goes."""
    return min(goes_of(work, goes))


def turn_about(goes: int, *works: Callable[[], float]) -> list[float]:
    """The best of what each work tells, done in turn so that a slow spell of the machine meets all."""
    return [min(times) for times in zip(*([work() for work in works] for _ in range(goes)), strict=True)]


def median(work: Callable[[], object], goes: int = 9) -> float:
    """Seconds of the middle one of some goes, after one that warms up."""
    work()
    return statistics.median(goes_of(work, goes))


def faster(name: str, ours: float, baseline: float, baseline_name: str, least: float, unit: str = "ms") -> Row:
    """A figure where ours should take at most 1/least of the baseline's time."""
    ratio = baseline / ours
    return Row(name, ours, baseline, baseline_name, round(ratio, 2), unit, f"at least {least:g}x as fast", ratio >= least)


def at_most(name: str, ours: float, baseline: float, baseline_name: str, most: float, unit: str = "ms") -> Row:
    """A figure where ours should take at most `most` times the baseline."""
    ratio = ours / baseline
    return Row(name, ours, baseline, baseline_name, round(ratio, 2), unit, f"at most {most:g}x", ratio <= most)
