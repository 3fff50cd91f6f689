"""Masks: one with curvature, noise, levels and blur against SciPy and NumPy, a slider's change, and strokes among many of them."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter
from scipy.sparse import coo_matrix, diags

from ruvelt.bench.fixtures import BenchScene
from ruvelt.bench.strokes import batches, painted_scene, typical
from ruvelt.bench.timing import Row, at_most, faster, goes_of, median, turn_about
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.samples.lattice import surface_blur
from ruvelt.core.stack.document import MeshMap
from ruvelt.core.stack.fields import Noise, Spots, Weave
from ruvelt.core.stack.masks import Mask
from ruvelt.core.stack.plane_ids import base_plane_id

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
    values_u16 = np.stack([bumps.astype(np.uint16), np.full(len(bumps), 65535, np.uint16)])
    scene.put(base_plane_id("s", "curvature"), [values_u16[:, c * CHUNK : (c + 1) * CHUNK].copy() for c in range(scene.samples.chunk_count)])


def _hash(x: NDArray[np.uint32], y: NDArray[np.uint32], z: NDArray[np.uint32]) -> NDArray[np.uint32]:
    h = x * np.uint32(0x8DA6B343) + y * np.uint32(0xD8163841) + z * np.uint32(0xCB1AB31F)
    h = (h ^ (h >> np.uint32(16))) * np.uint32(0x85EBCA6B)
    h = (h ^ (h >> np.uint32(13))) * np.uint32(0xC2B2AE35)
    mixed: NDArray[np.uint32] = h ^ (h >> np.uint32(16))
    return mixed


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
        mask, evaluator = worn(float(next(sizes))), scene.evaluator
        evaluator.masks.prepare({"l0": mask})
        scene.workers.map(lambda c: evaluator.mask_chunk(mask, "l0", c), range(samples.chunk_count))

    curvature = samples.to_image(np.concatenate([scene.lookup.values(base_plane_id("s", "curvature"), c)[0] for c in range(samples.chunk_count)]))
    covered = samples.to_image(samples.covered)
    places = np.asarray(samples.to_image(samples.positions)[covered], np.float32) / np.float32(0.05 * samples.model.diagonal)

    def theirs() -> None:
        edges = np.clip(((np.asarray(curvature, np.float32) / np.float32(65535) - 0.5) * 2 - 0.1) / 0.35, 0, 1).astype(np.float32)
        total = sum(_numpy_noise(places * 2**o) * 0.5**o for o in range(OCTAVES))
        noise = np.zeros_like(edges)
        noise[covered] = np.clip(0.5 + total, 0, 1)
        levelled = np.clip((edges * noise - 0.2) / 0.5, 0, 1)
        gaussian_filter(levelled, SIGMA * samples.model.diagonal / samples.spacing)

    made, other = median(ours, 3), min(goes_of(theirs, 2))
    rows = [faster(f"mask of curvature, noise, levels and blur, {side}²", made * 1e3, other * 1e3, "SciPy and NumPy, blur of the flat picture", 5)]
    lows = iter(np.linspace(0.1, 0.3, 100))

    def slide() -> None:
        mask, evaluator = worn(0.05, float(next(lows))), scene.evaluator
        evaluator.masks.prepare({"l0": mask})

    rows.append(at_most("for orientation: one slider of it moved", median(slide, 5) * 1e3, 150, "150 ms", 3))
    scene.workers.close()
    return rows


#: Deviation of the wide blur, share of the diagonal, and steps of diffusion that are timed, of the thousands it takes.
WIDE, TIMED = 0.05, 10


def _diffusion(scene: BenchScene) -> Callable[[], object]:
    """Steps of diffusion over neighbouring texels by SciPy's sparse matrix, as long as they are stable."""
    samples = scene.samples
    there = samples.to_image(samples.covered).ravel()
    side, index = int(np.sqrt(len(there))), np.arange(len(there)).reshape(-1, int(np.sqrt(len(there))))
    pairs = [np.stack([index[:, :-1].ravel(), index[:, 1:].ravel()]), np.stack([index[:-1].ravel(), index[1:].ravel()])]
    one, other = np.concatenate([p[:, there[p[0]] & there[p[1]]] for p in pairs], axis=1)
    links = coo_matrix((np.full(2 * len(one), 0.25, np.float32), (np.concatenate([one, other]), np.concatenate([other, one]))), (side**2,) * 2)
    rest = 1 - np.asarray(links.sum(axis=1)).ravel()
    step = (links + diags(rest)).tocsr().astype(np.float32)
    values = np.random.default_rng(1).random(side**2, np.float32)

    def steps() -> None:
        nonlocal values
        for _ in range(TIMED):
            values = step @ values

    return steps


def wide_rows(side: int) -> list[Row]:
    """A blur of a twentieth of the model, and a fill of four patterns."""
    scene = painted_scene(side, 1, 0)
    samples = scene.samples
    sigma = WIDE * samples.model.diagonal
    values_u16 = np.random.default_rng(2).integers(0, 65536, (1, samples.slot_count), np.uint16)
    ours = median(lambda: surface_blur(samples, values_u16, sigma, scene.workers), 3)
    # A step of a quarter each way spreads by half a texel² along an axis.
    needed = (sigma / samples.spacing) ** 2 / 0.5
    theirs = median(_diffusion(scene), 3) * needed / TIMED
    rows = [faster(f"blur of 5 % of the model, {side}²", ours * 1e3, theirs * 1e3, f"SciPy, {needed:.0f} steps of diffusion", 10)]
    seeds = iter(range(10_000))

    def four() -> None:
        measures = scene.evaluator.measures
        seed = next(seeds)
        kinds = (Noise(seed=seed), Spots(seed=seed), Weave(form="checks", share=0.3 + seed * 1e-4), Weave(form="rings", share=0.3 + seed * 1e-4))
        for of in kinds:
            scene.workers.map(lambda c, of=of: measures.pattern(of, c), range(samples.chunk_count))

    covered = samples.to_image(samples.covered)
    places = samples.to_image(samples.positions)[covered] / np.float32(0.05 * samples.model.diagonal)
    noise = min(goes_of(lambda: sum(_numpy_noise(places * 2**o) * 0.5**o for o in range(OCTAVES)), 2))
    rows.append(faster(f"noise, spots, checks and rings, {side}²", median(four, 3) * 1e3, noise * 1e3, "NumPy, the noise alone, at points", 3))
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
