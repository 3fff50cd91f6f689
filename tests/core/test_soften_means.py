"""What soften lays, against weighted means over all samples with NumPy; and that neither batches nor threads make a difference."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from numpy.testing import assert_array_equal

from ruvelt.core.brush._cluster_kernels import LISTED
from ruvelt.core.brush.clusters import clusters_of
from ruvelt.core.brush.parts import Part
from ruvelt.core.brush.path import Point, SurfacePath
from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.softening import Softener
from ruvelt.core.brush.target import Paint
from ruvelt.core.mesh.model import Model
from ruvelt.core.samples.address import BLOCKS, CHUNK
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.stack.plane_ids import plane_id
from ruvelt.core.workers import Workers
from tests.core.scene import Scene, paint_layer, target
from tests.core.test_strokes import dab
from tests.core.test_surface_only import stacked
from tests.meshes import globe, model_of, square, tube, two_walls

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
    return np.flatnonzero(live.coverage.values == 1)


@pytest.mark.parametrize("reach", [0.03, 0.06, 0.15, 0.7])
def test_means_are_those_over_all_samples(reach: float) -> None:
    """From each texel's own, over nodes at every second and fourth, to more clusters than are listed at once."""
    scene = uneven(512)
    before, samples = held(scene), scene.samples
    brush, press = dab(2 * reach, PLACE, hardness=1.0)
    full = softened(scene, Paint(tool="soften", reads="layer", reach=0.5), brush, press)
    assert len(full) > 90
    assert (reach / samples.spacing >= 6) == (reach > 0.03)
    near = np.linalg.norm(clusters_of(samples, reach).middle.T - PLACE, axis=1) < reach
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


def softened_everywhere(model: Model, values_u16: np.ndarray, spacings: float, side: int = 256) -> tuple[SheetSamples, np.ndarray, float]:
    """(slots,) 0–1 of a (slots,) picture softened all over within so many spacings; with the samples and that radius."""
    scene = Scene(model, (paint_layer(),), side=side)
    samples = scene.samples
    assert isinstance(samples, SheetSamples)
    pictures = [np.ascontiguousarray(values_u16[c * CHUNK : (c + 1) * CHUNK][None]) for c in range(samples.chunk_count)]
    places = np.array([p.ctypes.data for p in pictures], np.int64)
    soft = Softener(samples, Workers(1), spacings * samples.spacing, lambda chunks: places)
    outs = [np.zeros((1, CHUNK), np.uint16) for _ in pictures]
    cell = scene.live(target("roughness"), Paint(values={"roughness": (1.0,)})).target.cells[0]
    soft.make([Part(cell, c, np.arange(BLOCKS, dtype=np.int32), out) for c, out in enumerate(outs)], 1, False)
    return samples, np.concatenate([out[0] for out in outs]) / 65535, spacings * samples.spacing


def turned(model: Model, seed: int) -> Model:
    direction = np.linalg.qr(np.random.default_rng(seed).standard_normal((3, 3)))[0]
    direction *= np.sign(np.linalg.det(direction))
    return replace(model, positions=(model.positions @ direction.T).astype(np.float32))


@pytest.mark.parametrize("spacings", [4.0, 9.0, 13.0, 17.0, 24.0, 45.0])
def test_the_kernel_is_as_wide_as_its_formula_both_ways(spacings: float) -> None:
    """Deviations of what single texels become, along and across, against 1 − d²/r² over the same texels."""
    for seed in (None, 1):
        model = square() if seed is None else turned(square(), seed)
        found = []
        for lit in (128 * 256 + 131, 101 * 256 + 120, 143 * 256 + 140, 120 * 256 + 126):
            values_u16 = np.zeros(256 * 256, np.uint16)
            values_u16[lit] = 65535
            samples, got, radius = softened_everywhere(model, values_u16, spacings)
            y, x = (np.arange(256 * 256) // 256 - lit // 256), (np.arange(256 * 256) % 256 - lit % 256)
            exact = np.maximum(1 - (x**2 + y**2) * (samples.spacing / radius) ** 2, 0)
            assert got.sum() == pytest.approx(1, abs=0.01)
            found.append([np.sqrt((got * d**2).sum() / got.sum() / ((exact * d**2).sum() / exact.sum())) for d in (x, y)])
        # Single texels lie up to half a cluster beside what stands for them; pictures do so evenly.
        assert np.abs(np.mean(found, axis=0) - 1).max() < 0.025
        assert np.abs(np.array(found) - 1).max() < 0.06


@pytest.mark.parametrize("seed", range(8))
def test_the_edge_of_a_box_is_soft_both_ways_however_it_is_turned(seed: int) -> None:
    corner = model_of(
        [[-1, 0, 0], [0, 0, 0], [0, 1, 0], [-1, 1, 0], [0, 0, 0], [0, 0, -1], [0, 1, -1], [0, 1, 0]],
        [[0, 1, 2, 3], [4, 5, 6, 7]],
        [[0.02, 0.02], [0.48, 0.02], [0.48, 0.48], [0.02, 0.48], [0.52, 0.02], [0.98, 0.02], [0.98, 0.48], [0.52, 0.48]],
    )
    samples, _, _ = softened_everywhere(corner, np.zeros(256 * 256, np.uint16), 4.0)
    values_u16 = np.where(samples.covered & (samples.face == 0), 65535, 0).astype(np.uint16)
    for spacings in (5.0, 14.0):
        turned_samples, got, radius = softened_everywhere(turned(corner, seed), values_u16, spacings)
        p = samples.positions
        inner = samples.covered & (p[:, 1] > 0.3) & (p[:, 1] < 0.7)
        far = np.where(samples.face == 0, -p[:, 0], -p[:, 2])
        for low in np.linspace(0, 0.7 * radius, 5):
            band = inner & (far >= low) & (far < low + turned_samples.spacing)
            bright, dark = got[band & (samples.face == 0)].mean(), got[band & (samples.face == 1)].mean()
            assert bright + dark == pytest.approx(1, abs=0.02)
            assert dark > 0.01
        assert got[inner & (far < turned_samples.spacing)].mean() == pytest.approx(0.5, abs=0.02)


def test_nothing_is_softened_through_air_or_a_wall() -> None:
    for make in (stacked, two_walls):
        for gap in (0.0005, 0.005, 0.02, 0.05, 0.1):
            model = make(gap)
            plain, _, _ = softened_everywhere(model, np.zeros(256 * 256, np.uint16), 4.0)
            upper = plain.covered & (plain.face == 0)
            _, got, _ = softened_everywhere(model, np.where(upper, 65535, 0).astype(np.uint16), 16.0)
            assert got[upper].min() == 1
            assert got[plain.covered & ~upper].max() == 0


@pytest.mark.parametrize("spacings", [6.0, 20.0])
def test_means_on_a_cylinder_are_those_of_its_formula(spacings: float) -> None:
    """A wave around it fades by the mean of its cosine over 1 − d²/r², d through space: summed over the unrolled surface."""
    samples, _, _ = softened_everywhere(tube(1.0, 6.0, 96), np.zeros(512 * 512, np.uint16), 4.0, 512)
    p = samples.positions
    _, got, radius = softened_everywhere(tube(1.0, 6.0, 96), np.rint((0.5 + 0.4 * p[:, 0]) * 65535).clip(0, 65535).astype(np.uint16), spacings, 512)
    around, along = np.meshgrid(np.linspace(-radius, radius, 801) * 1.1, np.linspace(-radius, radius, 801))
    weight = np.maximum(1 - ((2 * np.sin(around / 2)) ** 2 + along**2) / radius**2, 0)
    inside = samples.covered & (np.abs(p[:, 1]) < 2)
    left = np.polyfit(p[inside, 0], got[inside], 1)[0] / 0.4
    assert left == pytest.approx((weight * np.cos(around)).sum() / weight.sum(), abs=0.004)
