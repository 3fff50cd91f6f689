"""Shapers that look at one value at a time, as tables over all 16-bit codes."""

from __future__ import annotations

from functools import lru_cache
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.stack.fields import Levels

F64 = NDArray[np.float64]


def levels(x: F64, of: Levels) -> F64:
    """out_low + (out_high − out_low) · clip((x − in_low) / (in_high − in_low))^(1 / gamma)."""
    t = np.clip((x - of.in_low) / max(of.in_high - of.in_low, 1e-5), 0, 1)
    return np.asarray(of.out_low + (of.out_high - of.out_low) * t ** (1 / of.gamma))


def contrast_gain(contrast: float) -> float:
    """Slope for a contrast of −1 … 1: 0, 1 at 0, and a hard edge."""
    return float(np.tan((min(contrast, 0.995) + 1) * np.pi / 4))


def curve(x: F64, points: tuple[tuple[float, float], ...]) -> F64:
    """Monotone cubic through the points (F. Fritsch and J. Butland, 1984), level outside them."""
    # Loading it costs a start more than all curves of a session.
    from scipy.interpolate import PchipInterpolator

    xs, ys = np.array(points, np.float64).T
    return np.asarray(np.clip(PchipInterpolator(xs, ys)(np.clip(x, xs[0], xs[-1])), 0, 1))


def steps(x: F64, count: int, softness: float) -> F64:
    """`count` even values 0 … 1; with softness each edge becomes a smooth step that takes that share of the way to the next."""
    place = np.clip(x, 0, 1) * count
    level = np.minimum(np.floor(place), count - 1)
    if softness > 0:
        t = np.clip((place - level - (1 - softness)) / softness, 0, 1)
        level = level + t * t * (3 - 2 * t) * (level < count - 1)
    return np.asarray(level / (count - 1))


class Shaped(Protocol):
    """A kind that looks at one value at a time; frozen, so that its table can be kept."""

    def shaped(self, x: F64) -> F64: ...


class Componentwise(Shaped, Protocol):
    def component(self, x: F64, k: int) -> F64: ...


@lru_cache(maxsize=64)
def table(shaper: Shaped) -> NDArray[np.float32]:
    """(65536,) float32: a shaper at every code."""
    x = np.arange(65536) / 65535
    made: NDArray[np.float32] = shaper.shaped(x).astype(np.float32)
    made.flags.writeable = False
    return made


@lru_cache(maxsize=64)
def component_tables(adjust: Componentwise) -> tuple[NDArray[np.float32], ...]:
    """Tables of red, green and blue; the same one three times where they do not differ."""
    x = np.arange(65536) / 65535
    made = [adjust.component(x, k).astype(np.float32) for k in range(3)]
    return tuple(next(m for m in made if np.array_equal(m, one)) for one in made)


def changes_nothing(of: NDArray[np.float32]) -> bool:
    """Whether a table gives every code back."""
    return bool((np.abs(of * np.float32(65535) - np.arange(65536, dtype=np.float32)) < 0.5).all())
