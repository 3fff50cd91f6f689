"""What noise comes to: lattices that no plane of a model lies along, and levels told from how noise is spread.

Each octave has a lattice of its own, turned by a fixed rotation and shifted by the seed: so nothing lines up with the axes along which models
are built, and noise is alike on every plane. Levels come from the quantiles of the very noise, so that balance is the share that is bright.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache
from itertools import product

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.planes.plane import U16
from ruvelt.core.stack import _field_kernels as kernels
from ruvelt.core.stack.fields import Noise
from ruvelt.core.stack.shaping import contrast_gain

F32 = NDArray[np.float32]
BASES = {"gradient": kernels.GRADIENT, "value": kernels.VALUE, "cellular": kernels.CELLULAR, "ridged": kernels.RIDGED}
#: Places at which noise is looked at to tell how it is spread.
LOOKS = 16384
#: Share of the surface that lies past either end of the range at the contrast that noise begins with.
CLIPPED = 0.01
#: Cells of so many samples or fewer are looked at in parts of each sample: what a basis keeps of itself is told in the mean only.
NEAR_TEXEL = {"gradient": 4.0, "value": 4.0, "cellular": 6.0, "ridged": 12.0}
#: Shifts of lattices, cells.
FAR = 512.0


@lru_cache(maxsize=64)
def lattices(octaves: int, seed: int) -> tuple[F32, F32, NDArray[np.uint32]]:
    """(octaves, 3, 3) turns, each twice as fine as the one before, (octaves, 3) shifts in cells, and (octaves,) seeds."""
    # A turn by the golden angle about (2, 3, 5): its powers bring no axis back near another.
    axis = np.array([2.0, 3.0, 5.0]) / np.sqrt(38)
    angle = np.pi * (3 - np.sqrt(5))
    cross = np.array([[0, -axis[2], axis[1]], [axis[2], 0, -axis[0]], [-axis[1], axis[0], 0]])
    turn = np.eye(3) + np.sin(angle) * cross + (1 - np.cos(angle)) * cross @ cross
    turns, now = [], np.eye(3)
    for o in range(octaves):
        now = turn @ now
        turns.append(now * 2.0**o)
    shifts = np.random.Generator(np.random.PCG64([seed, 17])).random((8, 3))[:octaves] * FAR
    seeds = (seed + np.arange(octaves, dtype=np.uint64) * 0x9E3779B9) & 0xFFFFFFFF
    return np.array(turns, np.float32), shifts.astype(np.float32), seeds.astype(np.uint32)


def sides_of(of: Noise, samples: float) -> int:
    """Parts along a side of a sample's square at which noise is looked at, whose largest cells are so many samples wide."""
    # Of rough noise the finer octaves count as well.
    finer = 2.0 ** (min(of.octaves - 1, 2) * max(2 * of.roughness - 1, 0))
    return int(np.clip(np.ceil(np.sqrt(finer * NEAR_TEXEL[of.basis] / max(samples, 1e-6))), 1, 3))


def parts_of(positions: F32, normals: F32, spacing: F32, sides: int) -> Iterator[F32]:
    """(n, 3) middles of the sides² parts of each sample's square, which lies along the surface. spacing : (n,) its side"""
    first = np.where(np.abs(normals[:, :1]) < 0.9, *np.eye(3, dtype=np.float32)[:2])
    first = first - normals * np.einsum("ij,ij->i", first, normals)[:, None]
    first /= np.maximum(np.linalg.norm(first, axis=1, keepdims=True), np.float32(1e-6))
    second = np.cross(normals, first)
    at = ((np.arange(sides) + 0.5) / sides - 0.5).astype(np.float32)
    first, second = spacing[:, None] * first, spacing[:, None] * second
    for u, v in product(at, at):
        yield positions + u * first + v * second


def _places() -> tuple[F32, F32, NDArray[np.bool_]]:
    places = np.random.Generator(np.random.PCG64(5)).random((LOOKS, 3)).astype(np.float32) * np.float32(200)
    return places, np.zeros((LOOKS, 3), np.float32), np.ones(LOOKS, bool)


@lru_cache(maxsize=64)
def _spread(basis: str, octaves: int, roughness: float) -> F32:
    """(LOOKS,) float32 noise at places far apart, in rising order."""
    values = np.empty(LOOKS, np.float32)
    kernels.noise_values(
        *_places(),
        BASES[basis],
        roughness,
        np.ones(3, np.float32),
        lattices(octaves, 1),
        np.zeros_like(values),
        np.empty_like(values),
        values,
        np.empty_like(values),
    )
    return np.sort(values)


@lru_cache(maxsize=256)
def _levels(basis: str, octaves: int, roughness: float, balance: float) -> tuple[float, ...]:
    """Where noise begins, has its middle and ends, and where `balance` of it lies above."""
    return tuple(float(v) for v in np.quantile(_spread(basis, octaves, roughness), (CLIPPED, 0.5, 1 - CLIPPED, 1 - balance)))


def noise_values(of: Noise, values: F32, loose: F32) -> U16:
    """(n,) uint16 from noise as it is: its range is stretched by the contrast about the place that leaves `balance` of it bright.

    Either half by itself, for bases lean to one side. loose : (n,) variance of what goes on inside each sample, whose mean is told: so that
    fine noise of much contrast fades to its mean, too, and not to black or white
    """
    low, centre, high, middle = _levels(of.basis, of.octaves, of.roughness, of.balance)
    gain = 0.5 * contrast_gain(of.contrast) / contrast_gain(Noise().contrast)
    up, down = (np.float32(gain / max(float(reach), 1e-6)) for reach in (high - centre, centre - low))
    off = values - np.float32(middle)
    shown = np.clip(np.where(off > 0, off * up, off * down) + np.float32(0.5), 0, 1)
    # Less than a hundredth of the range is not seen.
    wide = np.flatnonzero(loose > np.square(np.float32(0.01) / max(up, down))) if gain > 0 else ()
    if len(wide):
        x, sigma = off[wide], np.sqrt(loose[wide])
        bottom, top = np.float32(-0.5) / down, np.float32(0.5) / up
        below, middle_up, above = (_above(x - knee, sigma) for knee in (bottom, np.float32(0), top))
        shown[wide] = np.clip(down * (below - middle_up) + up * (middle_up - above), 0, 1)
    out: U16 = np.rint(shown * 65535).astype(np.uint16)
    return out


def _above(x: F32, sigma: F32) -> F32:
    """Mean of max(0, x + sigma z) over the normal distribution of z."""
    # Loading it costs a start more than all noise of a session.
    from scipy.special import ndtr

    t = x / sigma
    found: F32 = (x * ndtr(t) + sigma * np.exp(np.float32(-0.5) * t * t) * np.float32(1 / np.sqrt(2 * np.pi))).astype(np.float32)
    return found


@lru_cache(maxsize=64)
def spots_mean(cover: float, variation: float, hardness: float) -> float:
    """Mean of spots over space."""
    out = np.empty(LOOKS, np.uint16)
    places, _, covered = _places()
    kernels.spots_chunk(places, np.zeros_like(places), covered, 1.0, cover, variation, hardness, 1, np.zeros(LOOKS, np.float32), 0.0, out)
    return float(out.mean()) / 65535
