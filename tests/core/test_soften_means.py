"""What soften lays, against weighted means over all samples with NumPy; and that neither batches nor threads make a difference."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.testing import assert_array_equal

from ruvelt.core.brush._clump_kernels import LISTED
from ruvelt.core.brush.clumps import clumps_of
from ruvelt.core.brush.path import Point, SurfacePath
from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.target import Paint
from ruvelt.core.stack.document import plane_id
from ruvelt.core.workers import Workers
from tests.core.scene import Scene, paint_layer, target
from tests.core.test_strokes import dab
from tests.meshes import globe

PLACE = (0.6, 0.0, 0.8)


def uneven(side: int, threads: int = 1) -> Scene:
    """A globe with three waves of colour and of coverage."""
    scene = Scene(globe(), (paint_layer(),), side=side, workers=Workers(threads))
    p = scene.samples.positions
    colour = [0.5 + 0.4 * np.sin(5 * p[:, 0] + 3 * p[:, 1]), 0.5 + 0.4 * np.cos(7 * p[:, 1]), (p[:, 2] > 0.8).astype(float)]
    cover = 0.7 + 0.3 * np.cos(6 * p[:, 0])
    scene.put_plane(plane_id("s", "p", "base_color"), np.rint(np.clip([*colour, cover], 0, 1) * 65535).astype(np.uint16))
    return scene


def held(scene: Scene) -> np.ndarray:
    """(4, slots) codes of the layer."""
    return np.concatenate([scene.lookup.values(plane_id("s", "p", "base_color"), c) for c in range(scene.samples.chunk_count)], axis=1)


def softened(scene: Scene, paint: Paint, brush: Brush, press: list, pieces: int = 1) -> np.ndarray:  # type: ignore[type-arg]
    live = scene.live(target("base_color"), paint, brush=brush)
    path = SurfacePath(brush, scene.samples)
    dabs = np.concatenate([path.extend(press), path.finish()])
    for part in np.array_split(dabs, pieces):
        live.dabs(part)
    scene.keep(live)
    return np.flatnonzero(live._coverage == 1)


@pytest.mark.parametrize("reach", [0.03, 0.06, 0.15, 0.7])
def test_means_are_those_over_all_samples(reach: float) -> None:
    """From each texel's own, over nodes at every second and fourth, to more clumps than are listed at once."""
    scene = uneven(512)
    before, samples = held(scene), scene.samples
    brush, press = dab(2 * reach, PLACE, hardness=1.0)
    full = softened(scene, Paint(tool="soften", reads="layer", reach=0.5), brush, press)
    assert len(full) > 90
    assert (reach / samples.spacing >= 6) == (reach > 0.03)
    near = np.linalg.norm(clumps_of(samples, reach).middle.T - PLACE, axis=1) < reach
    assert (near.sum() > LISTED) == (reach > 0.6)
    after, slots = held(scene), np.flatnonzero(samples.covered)
    place, area, normal = samples.positions[slots].astype(np.float64), samples.sample_areas(slots.astype(np.int32)), samples.normals[slots]
    alpha = before[3, slots] / 65535
    off = []
    for s in np.random.default_rng(3).choice(full, 80, replace=False):
        weight = np.maximum(1 - np.square(place - samples.positions[s]).sum(axis=1) / reach**2, 0) * area * (normal @ samples.normals[s] > 0)
        cover = (weight * alpha).sum() / weight.sum()
        colour = (weight * alpha * before[:3, slots] / 65535).sum(axis=1) / weight.sum() / cover
        off.append([*(after[:3, s] / 65535 - colour), after[3, s] / 65535 - cover])
    off = np.abs(off).max(axis=0)
    # Waves, and a hard edge, whose ramp bends most between nodes.
    assert off[[0, 1, 3]].max() < 0.008
    assert off[2] < (1e-4 if reach == 0.03 else 0.05)


@pytest.mark.parametrize("reach", [0.03, 0.06, 0.15])
@pytest.mark.parametrize("reads", ["layer", "all"])
def test_batches_and_threads_make_no_difference(reach: float, reads: str) -> None:
    paint = Paint(tool="soften", reads=reads, reach=0.5)
    stroke = [Point((x, 0.0, float(np.sqrt(1 - x * x)))) for x in (-0.5, -0.2, 0.1, 0.4, 0.6)]
    kept = []
    for threads, pieces in ((1, 1), (1, 7), (2, 1)):
        scene = uneven(512, threads)
        softened(scene, paint, dab(2 * reach, hardness=0.5, spacing=0.2)[0], stroke, pieces)
        kept.append(held(scene))
    assert (kept[0] != held(uneven(512))).any()
    assert_array_equal(kept[0], kept[1])
    assert_array_equal(kept[0], kept[2])
