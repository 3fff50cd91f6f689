"""Bakes against the rays and array kernels they cannot do without, and strokes beside a bake."""

from __future__ import annotations

import subprocess
import sys
import threading
from collections.abc import Callable
from typing import Any

import numpy as np

from ruvelt.bench.strokes import batches, painted_scene
from ruvelt.bench.timing import Row, at_most, best
from ruvelt.core.bake._bake_kernels import hemisphere_rays
from ruvelt.core.bake.baker import FADE, RAYS_A_BLOCK, Baker, sky_table
from ruvelt.core.bake.grain import evened
from ruvelt.core.bake.point_arrays import RayRoom, RayStarts
from ruvelt.core.bake.points import PointMaker
from ruvelt.core.bake.settings import BakeSettings
from ruvelt.core.bake.source import BIAS, BakeSource
from ruvelt.core.errors import Cancelled
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.readers import read_mesh
from ruvelt.core.mesh.sheets import plan_sheets
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.samples.curvature import on_triangles
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.workers import Workers
from ruvelt.demo.lantern import MTL, high_obj, low_obj

RAYS = 64


class Lantern:
    """The demo's lantern on one sheet, with its high mesh and two threads."""

    def __init__(self, side: int) -> None:
        self.workers = Workers(2)
        self.low = _read(low_obj())
        self.high = _read(high_obj())
        self.samples = SheetSamples(self.low, plan_sheets(self.low)[0], side, self.workers)
        self.model_source, self.high_source = BakeSource(self.low), BakeSource(self.low, (self.high,))
        self.model_source.prepare(BakeSettings())
        self.high_source.prepare(BakeSettings())
        self.chunks = [c for c in range(self.samples.chunk_count) if self.samples.covered[c * CHUNK : (c + 1) * CHUNK].any()]

    def seconds(self, source: BakeSource, *maps: str, goes: int = 2, **settings: object) -> float:
        baker = Baker(self.samples, source, BakeSettings.model_validate({"rays": RAYS, "match_parts": False, "grain": 0, **settings}), self.workers)
        return best(lambda: baker.bake(maps), goes)


def _read(data: bytes) -> Model:
    return read_mesh(data, "lantern.obj", {"storm_lantern.mtl": MTL.encode()})


def _hemispheres(scene: Lantern, inward: bool) -> list[tuple[Any, Any, Any]]:
    """The very rays of an occlusion (or thickness) bake of the model, in its blocks."""
    source, table, maker = scene.model_source, sky_table(RAYS, 0), PointMaker(scene.samples)
    blocks: list[tuple[Any, Any, Any]] = []
    for chunk in scene.chunks:
        points = maker.chunk(chunk)
        place = np.ascontiguousarray((points.position - source.centre) * source.scale, np.float32)
        sign = np.float32(-1 if inward else 1)
        normal, outside = np.ascontiguousarray(points.normal * sign), np.ascontiguousarray(points.geometric * sign)
        key = (chunk * CHUNK + points.local).astype(np.int64)
        step = RAYS_A_BLOCK // RAYS
        for a in range(0, len(place), step):
            b = min(a + step, len(place))
            rays = RayRoom.of((b - a) * RAYS)
            hemisphere_rays(RayStarts(place, normal, outside, key), table, 0x5BD1E995 if inward else 0, BIAS, 40.0, FADE, a, b, rays)
            blocks.append(rays)
    return blocks


def _raw(scene: Lantern, blocks: list[tuple[Any, Any, Any]], query: str, limited: bool) -> float:
    whole = scene.model_source.whole

    def run(block: tuple[np.ndarray, ...]) -> None:
        origin, direction, limit = block
        whole.run(origin, direction, **({"dists": limit.copy()} if limited else {}), query=query)

    return best(lambda: scene.workers.map(run, blocks), 2)


def against_embree(side: int) -> list[Row]:
    """Each map's bake against its rays alone on the same threads; maps without rays against their bare array kernel."""
    scene = Lantern(side)
    sky = _hemispheres(scene, False)
    alone = _raw(scene, sky, "OCCLUDED", True)
    ours = scene.seconds(scene.model_source, "occlusion")
    rays = sum(len(block[0]) for block in sky)
    name, rate = f"occlusion, {rays / 1e6:.0f} M rays over {side}²", alone / ours
    inward = _raw(scene, _hemispheres(scene, True), "DISTANCE", False)
    rows = [
        Row(name, rays / ours / 1e6, rays / alone / 1e6, "raw Embree, same rays", round(rate, 2), "M/s", "at least 0.95 of the rate", rate >= 0.95),
        _filter(scene, ours),
        at_most("thickness bake", scene.seconds(scene.model_source, "thickness") * 1e3, inward * 1e3, "its rays alone", 2),
        at_most("bent normal bake", scene.seconds(scene.model_source, "bent_normal") * 1e3, alone * 1e3, "its rays alone", 2),
    ]
    shot = _projection_rays(scene)
    for name in ("normal", "height"):
        rows.append(at_most(f"{name} bake, high to low", scene.seconds(scene.high_source, name) * 1e3, shot * 1e3, "its rays alone", 2))
    maker = PointMaker(scene.samples)
    bare = best(lambda: scene.workers.map(maker.chunk, scene.chunks), 3)
    for name in ("position", "facing", "object_normal", "id"):
        rows.append(at_most(f"{name} bake", scene.seconds(scene.model_source, name, goes=3) * 1e3, bare * 1e3, "its points' kernel", 2))
    curvature = scene.seconds(scene.model_source, "curvature")
    rows.append(at_most("curvature bake", curvature * 1e3, (_neighbours(scene) + bare) * 1e3, "its neighbours' and points' kernels", 2))
    scene.workers.close()
    return rows


def _filter(scene: Lantern, without: float) -> Row:
    """The grain's filter as a share of the whole bake, by itself: between two whole bakes it would drown in what else the machine does."""
    baker = Baker(scene.samples, scene.model_source, BakeSettings(rays=RAYS), scene.workers)
    answers = baker.measure(["occlusion"], lambda done, planned, what: None, lambda name, chunk, values_u16: None)
    assert answers is not None
    alone = best(lambda: evened(answers, 0.5, RAYS, scene.workers), 3)
    share = alone / (alone + without)
    return Row(
        "grain filter of that bake", alone * 1e3, (alone + without) * 1e3, "the whole bake", round(share, 3), "ms", "at most 0.1", share <= 0.1
    )


def memory() -> list[Row]:
    """Peak of a process that bakes 2048² texels from 1.3 million triangles, beyond what the program itself takes."""
    done = subprocess.run([sys.executable, "-m", "ruvelt.bench.bake_memory"], capture_output=True, text=True, check=True)
    taken = float(done.stdout.split()[-1])
    return [
        Row("memory of a 2048² bake from 1.3 M", taken, 1.3 * 1024, "the limit", round(taken / (1.3 * 1024), 2), "MiB", "at most 1", taken <= 1331)
    ]


def _projection_rays(scene: Lantern) -> float:
    """The rays of a high-to-low bake alone: from outside along the cage, hits with their places."""
    source, maker = scene.high_source, PointMaker(scene.samples)
    settings, blocks = BakeSettings(), []
    for chunk in scene.chunks:
        points = maker.chunk(chunk)
        leaving = source.cage(settings).leaving(points, settings, scene.low.diagonal)
        start = (points.position + leaving.direction * leaving.reach[:, :1] - source.centre) * source.scale
        limit = leaving.reach.sum(axis=1) * source.scale
        blocks.append((np.ascontiguousarray(start, np.float32), np.ascontiguousarray(-leaving.direction), np.ascontiguousarray(limit, np.float32)))

    def run(block: tuple[np.ndarray, ...]) -> None:
        start, direction, limit = block
        source.whole.run(start, direction, dists=limit.copy(), query="INTERSECT", output=True)

    return best(lambda: scene.workers.map(run, blocks), 3)


def _neighbours(scene: Lantern) -> float:
    """The comparison with neighbours alone."""
    samples, source = scene.samples, scene.model_source
    radius = 0.01 * scene.low.diagonal
    around = on_triangles(source.corners, source.normals, radius)
    slots = np.flatnonzero(samples.covered)
    step = CHUNK // 4

    def compare(first: int) -> None:
        mine = slots[first : first + step]
        around.curvature(samples.positions[mine], samples.normals[mine], radius)

    return best(lambda: scene.workers.map(compare, range(0, len(slots), step)), 2)


def noise(side: int) -> list[Row]:
    """Error of 64 rays against 4096, bare beside what as many random rays would have (the binomial's own), and with its grain evened out."""
    scene = Lantern(side)

    def baked(rays: int, grain: float) -> np.ndarray:
        baker = Baker(scene.samples, scene.model_source, BakeSettings(rays=rays, grain=grain), scene.workers)
        found: dict[int, np.ndarray] = {}
        baker.bake(["occlusion"], arrived=lambda name, chunk, values_u16: found.update({chunk: values_u16}))
        return np.concatenate([found[c][0][found[c][1] > 0] / 65535 for c in sorted(found)])

    many, few, even = baked(4096, 0), baked(64, 0), baked(64, 0.5)
    bare, left = (float(np.sqrt(np.mean((v - many) ** 2))) for v in (few, even))
    random = float(np.sqrt(np.mean(many * (1 - many) / 64)))
    scene.workers.close()
    return [
        at_most("occlusion noise of 64 bare rays (RMS against 4096)", bare * 100, random * 100, "64 random rays", 0.6, "%"),
        # Texels of the goal are no wider than what stands on the model; of 256² they are.
        at_most(f"for orientation: the same, grain evened out, {side}²", left * 100, 0.5, "half a per cent", 1, "%"),
    ]


def strokes_beside_a_bake(side: int) -> list[Row]:
    """Batches of a stroke while two threads bake at lower priority, against the same without."""
    scene = painted_scene(side, 2, 1)
    batches(scene, "l1")
    alone = batches(scene, "l1", 8)
    stop = threading.Event()
    beside = _while_baking(scene.model, scene.samples, stop, lambda: batches(scene, "l1", 8))
    scene.workers.close()
    middle = float(np.median(alone))
    return [
        at_most("stroke batch while a bake runs", float(np.median(beside)) * 1e3, middle * 1e3, "without", 3),
        at_most("slowest of those batches", max(beside) * 1e3, max(alone) * 1e3, "slowest without", 3),
    ]


def _while_baking(model: Model, samples: SheetSamples, stop: threading.Event, work: Callable[[], list[float]]) -> list[float]:
    behind = Workers(2, behind=True)
    baker = Baker(samples, BakeSource(model), BakeSettings(rays=64), behind)
    started = threading.Event()

    def told(done: int, planned: int, what: str) -> None:
        if done > 0:
            started.set()
        if stop.is_set():
            raise Cancelled("Stopped.")

    def bake() -> None:
        try:
            while not stop.is_set():
                baker.bake(["occlusion"], told)
        except Cancelled:
            pass

    thread = threading.Thread(target=bake)
    thread.start()
    started.wait(60)
    try:
        return work()
    finally:
        stop.set()
        thread.join()
        behind.close()
