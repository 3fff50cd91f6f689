"""A stroke's batch from request body to encoded patches: against SciPy and NumPy, and against itself with more layers."""

from __future__ import annotations

import json
import time
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ruvelt.bench.fixtures import BenchScene
from ruvelt.bench.timing import Row, at_most, faster, median, turn_about
from ruvelt.core.brush.path import ViewPath
from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.target import Paint, Target, resolve_target
from ruvelt.core.mesh.rays import RayCaster
from ruvelt.core.output.display import LiveDisplay
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.stack.camera import Camera
from ruvelt.core.stack.document import PaintLayer
from ruvelt.core.stack.kinds.sources.painted import PaintedSource
from ruvelt.core.stack.masks import Mask
from ruvelt.core.stack.plane_ids import mask_plane_id, plane_id
from ruvelt.core.stroke.live import LiveStroke
from ruvelt.studio.strokes import StrokeAnswer, StrokeMessage, path_points
from ruvelt.web.binary import parts
from ruvelt.web.stroke_answer import stroke_answer

#: Radius of 5 % of the model's width.
BRUSH = Brush(size=0.1, size_unit="object", hardness=0.5, flow=0.5, spacing=0.12)
DABS = 8
BATCHES_A_ROW = 6
CAMERA = Camera(eye=(0, 0, 6), target=(0, 0, 0), width=1280, height=800)


@dataclass(frozen=True)
class Load:
    """One batch: where the hand was in the view, and the same as a request body."""

    view: list[tuple[float, float]]
    body: bytes


def stroke_rows(rows: int) -> list[list[Load]]:
    """Strokes to and fro over the sphere's near side; each row is one stroke in batches of eight dabs."""
    px = float(1 / CAMERA.pixel_size(np.array([[0.0, 0.0, 1.0]]))[0])
    step = DABS * BRUSH.spacing * BRUSH.size * 2 * px
    found = []
    for row in range(rows):
        y, left = CAMERA.height / 2 + (row - rows / 2) * 0.15 * px, CAMERA.width / 2 - step * BATCHES_A_ROW / 2
        loads = []
        for b in range(BATCHES_A_ROW):
            view = [(left + step * (b + k / 4), y) for k in range(1, 5)]
            points = [{"x": x, "y": y, "pressure": 1.0, "time": 0.1 * b} for x, y in view]
            loads.append(Load(view, json.dumps({"stroke": "bench", "points": points}).encode()))
        found.append(loads)
    return found


def painted_scene(side: int, layers: int, masked: int) -> BenchScene:
    """Layers with pixels everywhere, the last `masked` of them with painted masks."""
    stack = tuple(
        PaintLayer(id=f"l{i}", name=f"l{i}", strength=0.6, mask=Mask(sources=(PaintedSource(id="m"),)) if i >= layers - masked else None)
        for i in range(layers)
    )
    scene = BenchScene(side, stack)
    random = np.random.default_rng(2)
    colours = [random.integers(0, 65536, (4, CHUNK), np.uint16) for _ in range(4)]
    masks = [random.integers(0, 65536, (2, CHUNK), np.uint16) for _ in range(4)]
    for i in range(layers):
        scene.put(plane_id("s", f"l{i}", "base_color"), [colours[(i + c) % 4] for c in range(scene.samples.chunk_count)])
        if i >= layers - masked:
            scene.put(mask_plane_id("s", f"l{i}", "m"), [masks[(i + c) % 4] for c in range(scene.samples.chunk_count)])
    _ = scene.samples.grid, scene.samples.screen_gutter
    return scene


RED = Paint(values={"base_color": (0.8, 0.3, 0.1)})


def batches(scene: BenchScene, target: str, rows: int = 4, paint: Paint = RED, brush: Brush = BRUSH, apart: bool = False) -> list[float]:
    """Seconds of each batch of eight dabs, from the request's body to the answer's bytes; the first of each row lays a row's beginning.

    apart : each row is a stroke of its own, for what the hand drags along; else all are one, so that few batches come to untouched chunks
    """
    aim = Target(sheet="s", layer=target, channels=("base_color",))
    display, caster = scene.display, RayCaster(scene.model)
    resolved = resolve_target(scene.document, aim, paint)

    def begun() -> tuple[LiveStroke, LiveDisplay]:
        live = LiveStroke(resolved, display.evaluator, scene.lookup, paint=paint, brush=brush, workers=scene.workers)
        return live, LiveDisplay(display, live, ("colour", "data", "normal"))

    live, follow = begun()
    times = []
    for row in stroke_rows(rows):
        if apart:
            live, follow = begun()
        path = ViewPath(brush, CAMERA, caster, scene.samples, live.drags)
        for load in row:
            start = time.perf_counter()
            message = StrokeMessage.model_validate_json(load.body)
            dabs = path.extend(path_points(message.points))
            patches = follow.update(live.dabs(dabs))
            b"".join(parts(*stroke_answer(StrokeAnswer(patches, len(dabs), 0, 0.0), 0)))
            times.append(time.perf_counter() - start)
    return times


def typical(scene: BenchScene, target: str, rows: int = 4, paint: Paint = RED, brush: Brush = BRUSH, apart: bool = False) -> float:
    """Seconds of the middle one of such batches."""
    return float(np.median(batches(scene, target, rows, paint, brush, apart)))


class NumpyStack:
    """Two layers, the upper one masked, laid over each other and encoded to 8 bits with NumPy, on the samples that changed."""

    def __init__(self, scene: BenchScene) -> None:
        def whole(plane: str) -> NDArray[np.uint16]:
            return np.concatenate([scene.store.get(k) for _, k in sorted(scene.planes[plane].chunks.items())], axis=1)

        self.plane = whole(plane_id("s", "l1", "base_color"))
        self._over, self._mask = whole(plane_id("s", "l0", "base_color")), whole(mask_plane_id("s", "l1", "m"))
        self._display = np.zeros((scene.samples.slot_count, 4), np.uint8)
        self._gutter, self._slots = scene.samples.screen_gutter, scene.samples.slot_count

    def show(self, s: NDArray[np.int32], painted: NDArray[np.float64], alpha: NDArray[np.float64]) -> None:
        """s : (n,) slots; painted : (3, n) colours of the upper layer there, 0–1; alpha : (n,)"""
        over, mask, gutter, display = self._over, self._mask, self._gutter, self._display
        shown = np.full((3, len(s)), 0.5)
        shown += (painted - shown) * (alpha * 0.6 * (mask[0, s] / 65535) * (mask[1, s] / 65535))
        shown += (over[:3, s] / 65535 - shown) * (over[3, s] / 65535 * 0.6)
        display[s, :3] = np.rint(shown.T * 255)
        # The same answer: rectangles of what changed in each chunk, with the gutter that repeats it.
        mark = np.zeros(self._slots, bool)
        mark[s] = True
        repeats = mark[gutter.src]
        display[gutter.dst[repeats]] = display[gutter.src[repeats]]
        changed = np.concatenate([s, gutter.dst[repeats]])
        for chunk in np.unique(changed >> 16):
            local = changed[changed >> 16 == chunk] & 65535
            x, y = local & 255, local >> 8
            square = display[chunk * CHUNK : (chunk + 1) * CHUNK].reshape(256, 256, 4)
            square[y.min() : y.max() + 1, x.min() : x.max() + 1].tobytes()


def against_scipy(side: int) -> Row:
    """The same batch with a ball query of SciPy's k-d tree, NumPy for weights, blending and 8-bit encoding of what changed."""
    scene = painted_scene(side, 2, 1)
    samples = scene.samples
    slots = samples.grid.slot
    positions, normals = samples.positions[slots], samples.normals[slots]
    tree = cKDTree(positions)
    stack = NumpyStack(scene)
    plane, coverage = stack.plane, np.zeros(samples.slot_count, np.float32)
    radius = BRUSH.size / 2 * samples.model.width
    caster = RayCaster(scene.model)
    load = stroke_rows(1)[0][2]

    def batch() -> None:
        touched = []
        ends = np.array([[p["x"], p["y"]] for p in json.loads(load.body)["points"]])
        share = np.linspace(0, 1, DABS)[:, None]
        hits = caster.cast(*CAMERA.rays(ends[0] * (1 - share) + ends[-1] * share))
        for centre in hits.position:
            near = np.asarray(tree.query_ball_point(centre, radius, workers=2), np.int64)
            if not len(near):
                continue
            d = np.linalg.norm(positions[near] - centre, axis=1) / radius
            t = np.clip((d - 0.5) / 0.5, 0, 1)
            weight = (1 - t * t * (3 - 2 * t)) * np.clip(normals[near] @ centre / 0.25, 0, 1)
            s = slots[near]
            coverage[s] += (1 - coverage[s]) * 0.5 * weight
            touched.append(s)
        s = np.unique(np.concatenate(touched))
        c = coverage[s]
        under = plane[3, s] / 65535
        alpha = c + under * (1 - c)
        painted = (c * np.array([[0.8], [0.3], [0.1]]) + (1 - c) * under * (plane[:3, s] / 65535)) / np.maximum(alpha, 1e-6)
        stack.show(s, painted, alpha)

    ours, theirs = turn_about(5, lambda: typical(scene, "l1"), lambda: median(batch, 3))
    return faster(f"stroke batch, {DABS} dabs, {side}²", ours * 1e3, theirs * 1e3, "cKDTree and NumPy", 10)


def more_layers(side: int) -> list[Row]:
    """The same batches with 40 layers, 20 of them masked, for targets in front, in the middle and at the back.

    The stroke goes twice over the same ground: the first time what lies under the target is gathered, told as a row of its own.
    """
    plain, many = painted_scene(side, 2, 1), painted_scene(side, 40, 20)
    batches(plain, "l1")
    rows = []
    for place, layer in (("back", "l39"), ("middle", "l20"), ("front", "l0")):
        fresh = typical(many, layer)
        again, few = turn_about(5, lambda layer=layer: typical(many, layer), lambda: typical(plain, "l1"))
        rows.append(at_most(f"stroke batch, 40 layers, target at the {place}", again * 1e3, few * 1e3, "2 layers", 1.3))
        rows.append(at_most(f"for orientation: on ground new to the {place}", fresh * 1e3, few * 1e3, "2 layers", 3))
    return rows
