"""Coverage of whole strokes against a k-d tree of SciPy and plain NumPy, written without looking at the kernels."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.testing import assert_allclose
from scipy.spatial import cKDTree

from ruvelt.core.brush.dab import SWEEP
from ruvelt.core.brush.path import Point, SurfacePath
from ruvelt.core.brush.settings import Brush, Mirror, PressureCurve
from ruvelt.core.brush.target import Paint
from ruvelt.core.stack.plane_ids import plane_id
from ruvelt.core.workers import Workers
from tests.core.scene import Scene, paint_layer, target, whole
from tests.meshes import globe

WHITE = Paint(values={"base_color": (1.0, 1.0, 1.0)})


#: Places along a swept dab at which the integral below is taken.
STEPS = 48


def expected(scene: Scene, dabs: np.ndarray) -> np.ndarray:
    """Coverage by dab after dab: c += max(cap - c, 0) · share · facing, the share of a dab by itself its flow times the falloff, of a
    swept one what flow by length comes to: 1 − (1 − flow)^(∫ falloff / 0.24 radii)."""
    samples = scene.samples
    slots = np.flatnonzero(samples.covered)
    tree = cKDTree(samples.positions[slots].astype(np.float64))
    coverage = np.zeros(samples.slot_count)
    for dab in dabs.astype(np.float64):
        centre, normal, u, v, direction = dab[0:3], dab[4:7], dab[7:10], dab[10:13], dab[SWEEP : SWEEP + 3]
        radius = dab[3]
        near = slots[tree.query_ball_point(centre - direction / 2, radius + np.linalg.norm(direction) / 2)]
        axes = np.stack([u / radius, v / (radius * dab[13]), normal / radius])

        def weight(middle: np.ndarray, near: np.ndarray = near, axes: np.ndarray = axes, hardness: float = dab[14]) -> np.ndarray:
            d = (((samples.positions[near].astype(np.float64) - middle) @ axes.T) ** 2).sum(axis=1)
            p = np.clip((1 - d) / (1 - hardness**2), 0, 1)
            return p * p * (3 - 2 * p)

        length = np.linalg.norm(axes @ direction)
        if length > 0:
            total = sum(weight(centre - direction * (i + 0.5) / STEPS) for i in range(STEPS)) * length / STEPS
            share = 1 - (1 - dab[15]) ** (total / 0.24)
        else:
            share = dab[15] * weight(centre)
        if dab[17]:
            share = share * np.clip(samples.normals[near].astype(np.float64) @ normal / 0.25, 0, 1)
        coverage[near] += np.maximum(dab[16] - coverage[near], 0) * share
    return coverage


@pytest.mark.parametrize(
    "brush",
    [
        Brush(size=0.2, size_unit="object", hardness=0.4, flow=0.5),
        Brush(size=0.3, size_unit="object", hardness=0.0, flow=0.2, strength=0.6, spacing=0.05),
        Brush(size=0.25, size_unit="object", roundness=0.3, angle=35, hardness=0.7, pressure_size=PressureCurve()),
        Brush(size=0.2, size_unit="object", jitter_place=0.6, jitter_size=0.5, jitter_angle=1, jitter_strength=0.5, seed=5),
        Brush(size=0.15, size_unit="object", mirror=Mirror(x=True, z=True), facing=False),
    ],
    ids=["plain", "soft and weak", "oval", "by chance", "mirrored"],
)
def test_a_stroke_covers_what_a_tree_finds(brush: Brush) -> None:
    scene = Scene(globe(48, 24), (paint_layer(),), side=512, workers=Workers(2))
    path = SurfacePath(brush, scene.samples)
    points = [Point((float(np.sin(a)), 0.2 * float(np.sin(3 * a)), float(np.cos(a))), 0.3 + 0.1 * i) for i, a in enumerate(np.linspace(0, 1.2, 7))]
    dabs = whole(path, points)
    assert len(dabs) > 10
    live = scene.live(target("base_color"), WHITE)
    for first in range(0, len(dabs), 9):
        live.dabs(dabs[first : first + 9])
    alpha = np.zeros(scene.samples.slot_count)
    for chunk, values in live.changes[plane_id("s", "p", "base_color")].items():
        alpha[chunk * 65536 : (chunk + 1) * 65536] = values[3] / 65535
    # The grid keeps normals in eight bits, so facing near the horizon differs by a little.
    assert_allclose(alpha, expected(scene, dabs), atol=0.02)
    assert np.abs(alpha - expected(scene, dabs)).mean() < 1e-3
    scene.workers.close()
