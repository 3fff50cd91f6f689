"""Noise and spots against programs written anew from the papers, place by place, and how noise hangs together against closed forms."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.testing import assert_allclose

from ruvelt.core.stack import _field_kernels as kernels
from ruvelt.core.stack.fields import Spots
from ruvelt.core.stack.measures import Measures
from ruvelt.core.stack.noise import BASES, lattices
from tests.core.scene import Scene, paint_layer
from tests.core.test_masks import mask, places, values
from tests.meshes import globe


def reference_hash(x: np.ndarray, y: np.ndarray, z: np.ndarray, seed: int) -> np.ndarray:
    """The lattice's random bits, written anew on 64-bit integers."""
    m = 0xFFFFFFFF
    h = (x.astype(np.int64) * 0x8DA6B343 + y.astype(np.int64) * 0xD8163841 + z.astype(np.int64) * 0xCB1AB31F + seed) & m
    h = ((h ^ (h >> 16)) * 0x85EBCA6B) & m
    h = ((h ^ (h >> 13)) * 0xC2B2AE35) & m
    return h ^ (h >> 16)


def reference_gradient(p: np.ndarray, seed: int) -> np.ndarray:
    """Gradient noise at (n, 3) places, corner by corner."""
    base = np.floor(p)
    d = p - base
    ease = d**3 * (d * (d * 6 - 15) + 10)
    total = np.zeros(len(p))
    for corner in np.ndindex(2, 2, 2):
        at = base + corner
        h = reference_hash(at[:, 0], at[:, 1], at[:, 2], seed)
        slope = np.stack([(h & 1023), (h >> 10) & 1023, (h >> 20) & 1023], axis=1) / 511.5 - 1
        weight = np.prod(np.where(corner, ease, 1 - ease), axis=1)
        total += weight * (slope * (d - corner)).sum(axis=1)
    return 1.35 * total


def test_gradient_noise_is_what_an_independent_program_makes() -> None:
    """Corner by corner in each octave's own lattice, faded by what a texel spans of it, and stretched over the quantiles of the same."""
    scene = Scene(globe(), (paint_layer(),))
    of = {"kind": "noise", "octaves": 2, "size": 0.1, "roughness": 0.5, "contrast": 0, "balance": 0.5, "seed": 7, "stretch": (1, 3, 1)}
    got = values(scene, mask(of))
    turns, shifts, _ = lattices(2, 7)
    scale = 1 / (0.1 * scene.model.diagonal * np.array([1, 3, 1]))
    p, n = places(scene) * scale, scene.samples.normals[scene.samples.covered] * scale
    areas = scene.samples.sample_areas(np.flatnonzero(scene.samples.covered).astype(np.int32))
    spans = 0.5 * areas * ((scale**2).sum() - (n**2).sum(axis=1))
    first = np.exp(-0.55 * spans) * reference_gradient(p @ turns[0].T + shifts[0], 7)
    second = np.exp(-0.55 * 4 * spans) * reference_gradient(p @ turns[1].T + shifts[1], (7 + 0x9E3779B9) & 0xFFFFFFFF)
    noise = (first + 0.5 * second) / 1.5
    far = np.random.default_rng(3).random((40_000, 3)) * 300
    spread = (reference_gradient(far, 1) + 0.5 * reference_gradient(far * 2 + 9.7, 2)) / 1.5
    low, middle, high = np.quantile(spread, (0.01, 0.5, 0.99))
    reach = np.where(noise > middle, high - middle, middle - low)
    expected = 0.5 * (noise - middle) / reach / np.tan(1.35 * np.pi / 4) + 0.5
    assert_allclose(got, np.clip(expected, 0, 1), atol=0.02)
    assert np.corrcoef(got, expected)[0, 1] > 0.9999
    assert got.std() > 0.1


def drawn(basis: str, at: np.ndarray, seed: int) -> np.ndarray:
    """(n,) one octave of the product's noise at (n, 3) places in cells, at points."""
    out, loose, left = np.empty((3, len(at)), np.float32)
    one, flat, covered = np.ones(3, np.float32), np.zeros(at.shape, np.float32), np.ones(len(at), bool)
    kernels.noise_values(at.astype(np.float32), flat, covered, BASES[basis], 0.5, one, lattices(1, seed), np.zeros_like(left), left, out, loose)
    return out


def reference_points(cells: np.ndarray, seed: int) -> np.ndarray:
    """The place strewn in each of (n, 3) cells."""
    h = reference_hash(cells[:, 0], cells[:, 1], cells[:, 2], seed)
    return cells + np.stack([h & 1023, (h >> 10) & 1023, (h >> 20) & 1023], axis=1) / 1023


def around(p: np.ndarray) -> list[np.ndarray]:
    """(n, 3) each of the 27 cells about (n, 3) places."""
    return [np.floor(p) + np.array(step) - 1 for step in np.ndindex(3, 3, 3)]


def reference_value(p: np.ndarray, seed: int) -> np.ndarray:
    base = np.floor(p)
    d = p - base
    ease = d**3 * (d * (d * 6 - 15) + 10)
    total = np.zeros(len(p))
    for corner in np.ndindex(2, 2, 2):
        at = base + corner
        total += np.prod(np.where(corner, ease, 1 - ease), axis=1) * (reference_hash(at[:, 0], at[:, 1], at[:, 2], seed) / 2**31 - 1)
    return total


def reference_cellular(p: np.ndarray, seed: int) -> np.ndarray:
    nearest = np.min([np.linalg.norm(reference_points(cells, seed) - p, axis=1) for cells in around(p)], axis=0)
    return 1 - 2 * np.minimum(nearest, 1)


def reference_ridged(p: np.ndarray, seed: int) -> np.ndarray:
    return 1 - 2 * np.minimum(np.abs(reference_gradient(p, seed)), 1)


REFERENCES = {"gradient": reference_gradient, "value": reference_value, "cellular": reference_cellular, "ridged": reference_ridged}


@pytest.mark.parametrize("basis", REFERENCES)
@pytest.mark.parametrize("seed", [0, 7, 2**31 - 1])
def test_each_basis_is_what_its_paper_says(basis: str, seed: int) -> None:
    at = (np.random.default_rng(4).random((20_000, 3)) - 0.5) * 40
    turns, shifts, seeds = lattices(1, seed)
    # Where the lattice is far away its places are float32: cells of a thousand to 1 in 16,000.
    assert_allclose(drawn(basis, at, seed), REFERENCES[basis](at @ turns[0].T.astype(float) + shifts[0], int(seeds[0])), atol=2e-3)


def test_spots_are_balls_about_strewn_places() -> None:
    """Of a share of cells, each of a size of its own, with an edge as soft as asked for, far wider than a texel."""
    scene = Scene(globe(), (paint_layer(),))
    of = Spots(size=0.3, cover=0.6, variation=0.5, hardness=0.2, seed=9)
    covered = scene.samples.covered
    got = np.concatenate([Measures(scene.samples, lambda key: None, scene.cache).spots(of, c) for c in range(scene.samples.chunk_count)])
    p = places(scene) / (0.3 * scene.model.diagonal)
    best = np.zeros(len(p))
    for cells in around(p):
        more = reference_hash(cells[:, 0], cells[:, 1], cells[:, 2], 9 ^ 0x5BD1E995)
        radius = 0.5 * (1 - 0.5 * (more >> 16) / 65535)
        x = np.linalg.norm(reference_points(cells, 9) - p, axis=1) / radius
        t = np.clip((x - 0.6) / 0.8 + 0.5, 0, 1)
        best = np.maximum(best, np.where((more & 65535) / 65535 < 0.6, 1 - t * t * (3 - 2 * t), 0))
    assert_allclose(got[covered] / 65535, best, atol=0.004)
    assert 0.02 < (best > 0.5).mean() < 0.9


def hangs_together(lag: np.ndarray, slope: bool) -> np.ndarray:
    """Mean over a cell of Σ f(x) f(x + lag) over lattice places; f : what one place gives, its ease, or with `slope` that times the offset."""
    x = (np.arange(2000) + 0.5) / 2000

    def given(d: np.ndarray) -> np.ndarray:
        t = np.clip(1 - np.abs(d), 0, 1)
        return t**3 * (t * (t * 6 - 15) + 10) * (d if slope else 1)

    nodes = np.arange(-2, 4)
    return np.array([sum((given(x - n) * given(x + far - n)).mean() for n in nodes) for far in np.ravel(lag)]).reshape(np.shape(lag))


@pytest.mark.parametrize("basis", ["gradient", "value"])
def test_its_spectrum_is_that_of_the_basis(basis: str) -> None:
    """The power spectrum of a plane turned back into how alike places so far apart are (Wiener–Khinchin), against the integral over a cell."""
    side, cell, seeds = 256, 4.0, 12
    y, x = np.mgrid[:side, :side] / cell
    at = np.stack([x.ravel(), y.ravel(), np.zeros(side**2)], axis=1)
    power = np.zeros((side * 2, side * 2))
    for seed in range(seeds):
        power += np.abs(np.fft.fft2(drawn(basis, at, seed).reshape(side, side), power.shape)) ** 2
    lags = np.arange(8)
    pairs = (side - lags)[:, None] * (side - lags) * seeds
    found = np.fft.ifft2(power).real[:8, :8] / pairs
    turn = lattices(1, 0)[0][0].astype(float)
    lag = np.stack(np.broadcast_arrays(lags[None, :, None] / cell * turn[:, 0] + lags[:, None, None] / cell * turn[:, 1]), axis=0)[0]
    plain = hangs_together(lag, False)
    if basis == "value":
        wanted = plain.prod(axis=-1) / 3
    else:
        sloped = hangs_together(lag, True)
        wanted = 1.35**2 / 3 * sum(sloped[..., k] * np.delete(plain, k, axis=-1).prod(axis=-1) for k in range(3))
    assert_allclose(found, wanted, atol=0.03 * wanted[0, 0])
    assert found[0, 0] == pytest.approx(kernels.SPREAD[BASES[basis]], rel=0.05)
