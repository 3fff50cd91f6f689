"""Masks: one with curvature, noise, levels and blur against SciPy and NumPy, a slider's change, and strokes among many of them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter

from ruvelt.bench.fixtures import BenchScene
from ruvelt.bench.strokes import batches, painted_scene, typical
from ruvelt.bench.timing import Row, at_most, faster, goes_of, median, turn_about
from ruvelt.core.samples.chunks import CHUNK
from ruvelt.core.stack.document import MeshMap, base_plane_id
from ruvelt.core.stack.masks import Mask

SIGMA = 0.005
OCTAVES = 4


def worn(size: float, low: float = 0.2) -> Mask:
    """Edges broken up by noise, sharpened, then softened."""
    steps = [
        {"kind": "curvature", "id": "a"},
        {"kind": "noise", "id": "b", "combine": "multiply", "size": size, "octaves": OCTAVES},
        {"kind": "levels", "id": "c", "in_low": low, "in_high": 0.7},
        {"kind": "blur", "id": "d", "radius": SIGMA},
    ]
    return Mask.model_validate({"sources": steps})


def _with_curvature(scene: BenchScene) -> None:
    sheet = scene.document.sheets[0].model_copy(update={"mesh_maps": (MeshMap(id="curvature"),)})
    scene.document = scene.document.model_copy(update={"sheets": (sheet,)})
    bumps = 32768 + 20000 * np.sin(scene.samples.positions * 25).prod(axis=1)
    codes = np.stack([bumps.astype(np.uint16), np.full(len(bumps), 65535, np.uint16)])
    scene.put(base_plane_id("s", "curvature"), [codes[:, c * CHUNK : (c + 1) * CHUNK].copy() for c in range(scene.samples.chunk_count)])


def _hash(x: NDArray[np.uint32], y: NDArray[np.uint32], z: NDArray[np.uint32]) -> NDArray[np.uint32]:
    h = x * np.uint32(0x8DA6B343) + y * np.uint32(0xD8163841) + z * np.uint32(0xCB1AB31F)
    h = (h ^ (h >> np.uint32(16))) * np.uint32(0x85EBCA6B)
    h = (h ^ (h >> np.uint32(13))) * np.uint32(0xC2B2AE35)
    return h ^ (h >> np.uint32(16))


def _numpy_noise(p: NDArray[np.float32]) -> NDArray[np.float32]:
    """Gradient noise at (n, 3) places, as NumPy programs write it: one pass over all samples for each corner."""
    base = np.floor(p)
    d = p - base
    ease = d * d * d * (d * (d * 6 - 15) + 10)
    cell = base.astype(np.int32).view(np.uint32)
    total = np.zeros(len(p), np.float32)
    for corner in np.ndindex(2, 2, 2):
        h = _hash(*(cell[:, k] + np.uint32(corner[k]) for k in range(3)))
        slope = [((h >> np.uint32(10 * k)) & np.uint32(1023)).astype(np.float32) / np.float32(511.5) - 1 for k in range(3)]
        weight = np.prod([ease[:, k] if corner[k] else 1 - ease[:, k] for k in range(3)], axis=0)
        total += weight * sum(slope[k] * (d[:, k] - corner[k]) for k in range(3))
    return total


def mask_rows(side: int) -> list[Row]:
    scene = painted_scene(side, 1, 0)
    _with_curvature(scene)
    samples = scene.samples
    sizes = iter(np.linspace(0.05, 0.06, 100))

    def ours() -> None:
        mask, evaluator = worn(float(next(sizes))), scene.evaluator()
        evaluator.masks.prepare({"l0": mask})
        scene.workers.map(lambda c: evaluator.mask_chunk(mask, "l0", c), range(samples.chunk_count))

    curvature = samples.to_image(np.concatenate([scene.lookup.values(base_plane_id("s", "curvature"), c)[0] for c in range(samples.chunk_count)]))
    covered = samples.to_image(samples.covered)
    places = samples.to_image(samples.positions)[covered] / np.float32(0.05 * samples.model.diagonal)

    def theirs() -> None:
        edges = np.clip(((curvature / np.float32(65535) - 0.5) * 2 - 0.1) / 0.35, 0, 1).astype(np.float32)
        total = sum(_numpy_noise(places * 2**o) * 0.5**o for o in range(OCTAVES))
        noise = np.zeros_like(edges)
        noise[covered] = np.clip(0.5 + total, 0, 1)
        levelled = np.clip((edges * noise - 0.2) / 0.5, 0, 1)
        gaussian_filter(levelled, SIGMA * samples.model.diagonal / samples.spacing)

    made, other = median(ours, 3), min(goes_of(theirs, 2))
    rows = [faster(f"mask of curvature, noise, levels and blur, {side}²", made * 1e3, other * 1e3, "SciPy and NumPy, blur of the flat picture", 5)]
    lows = iter(np.linspace(0.1, 0.3, 100))

    def slide() -> None:
        mask, evaluator = worn(0.05, float(next(lows))), scene.evaluator()
        evaluator.masks.prepare({"l0": mask})

    rows.append(at_most("for orientation: one slider of it moved", median(slide, 5) * 1e3, 150, "150 ms", 3))
    scene.workers.close()
    return rows


def strokes_among_masks(side: int) -> list[Row]:
    """Batches in front of, and behind, 20 layers with such masks, against the same without masks."""
    bare, scene = painted_scene(side, 20, 0), painted_scene(side, 20, 0)
    batches(bare, "l0")
    _with_curvature(scene)
    sheet = scene.document.sheets[0]
    layers = tuple(x.model_copy(update={"mask": worn(0.05 + 0.002 * i)}) for i, x in enumerate(sheet.layers))
    scene.document = scene.document.model_copy(update={"sheets": (sheet.model_copy(update={"layers": layers}),)})
    rows = []
    for place, layer in (("front", "l0"), ("back", "l19")):
        batches(scene, layer)
        many, without = turn_about(5, lambda layer=layer: typical(scene, layer), lambda: typical(bare, "l0"))
        rows.append(at_most(f"stroke batch among 20 such masks, target at the {place}", many * 1e3, without * 1e3, "no masks", 1.3))
    rows.append(at_most("memory of the cache while doing so", scene.cache.held / 2**20, scene.cache.limit / 2**20, "setting", 1, "MiB"))
    bare.workers.close()
    scene.workers.close()
    return rows
