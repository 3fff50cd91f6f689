"""Hand tools: each tool's batch against the plain brush's and against SciPy, larger sheets, vertices, and many strokes in a row."""

from __future__ import annotations

import resource
import time
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ruvelt.bench.fixtures import BenchScene, sphere
from ruvelt.bench.strokes import BRUSH, CAMERA, DABS, RED, NumpyStack, batches, painted_scene, stroke_rows, typical
from ruvelt.bench.timing import Row, at_most, best, faster, turn_about
from ruvelt.core.brush.confine import Confine
from ruvelt.core.brush.path import Point, ViewPath
from ruvelt.core.brush.settings import Brush, Grain, Mixing
from ruvelt.core.brush.target import CloneFrom, Paint, SmearSettings, Target, Tone, resolve_target
from ruvelt.core.mesh.facts import Material
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.rays import RayCaster
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.planes.plane import MemoryChunks
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.samples.vertices import VertexSamples
from ruvelt.core.stack.document import Document, PaintLayer, Sheet
from ruvelt.core.stack.evaluate import SheetEvaluator
from ruvelt.core.stack.faces import FaceIndex
from ruvelt.core.stack.lookup import StoredPlanes
from ruvelt.core.stroke.live import LiveStroke
from ruvelt.core.workers import Workers

TWO = RED.model_copy(update={"second": {"base_color": (0.1, 0.3, 0.8)}})
#: A short way over the sphere: its source lies off it by little, as on a prop.
CLONE = Paint(tool="clone", clone=CloneFrom(anchor=(0, 0, 1), source=(0.06, 0.05, 0.995)))
SOFTEN, SMEAR = Paint(tool="soften"), Paint(tool="smear", reads="layer")
PUSH = Paint(tool="smear", reads="layer", smear=SmearSettings(mode="push"))
#: A smear that fades and takes up paint, so that all its work is done.
HALF = BRUSH.model_copy(update={"strength": 0.7})


def tools(side: int) -> list[Row]:
    """Each tool's batch with 20 layers against the plain brush's, turn about."""
    scene = painted_scene(side, 20, 10)
    kinds: dict[str, tuple[Paint, Brush, float]] = {
        "erase": (Paint(erase=True), BRUSH, 1.5),
        "clone": (Paint(tool="clone", clone=CloneFrom(anchor=(0, 0, 1), source=(0.06, 0.05, 0.995))), BRUSH, 1.5),
        "tone": (Paint(tool="tone", tone=Tone(change="darken")), BRUSH, 1.5),
        "tone of the layer alone": (Paint(tool="tone", reads="layer", tone=Tone(change="hue")), BRUSH, 1.5),
        "a picture tip with grain": (RED, BRUSH.model_copy(update={"tips": ("chalk",), "grain": Grain(picture="grit")}), 2.5),
        "two colours mixed": (TWO, BRUSH.model_copy(update={"mix": Mixing(mode="across")}), 1.5),
        "confined to ridges": (RED.model_copy(update={"confine": Confine(relief=0.2)}), BRUSH, 1.5),
        "a blend mode": (RED.model_copy(update={"blend": "multiply"}), BRUSH, 1.5),
        "soften": (Paint(tool="soften"), BRUSH, 2.0),
        "soften of the layer alone": (Paint(tool="soften", reads="layer"), BRUSH, 2.0),
        "smear": (SMEAR, HALF, 2.5),
        "push": (PUSH, BRUSH, 2.5),
    }
    batches(scene, "l10")
    rows = []
    for name, (paint, brush, most) in kinds.items():
        batches(scene, "l10", paint=paint, brush=brush)
        # Smear dragged on from row to row would tear paint across the model: its rows are strokes of their own, and the brush's with them.
        apart = paint.tool == "smear"

        def ours_once(paint: Paint = paint, brush: Brush = brush, apart: bool = apart) -> float:
            return typical(scene, "l10", paint=paint, brush=brush, apart=apart)

        ours, plain = turn_about(8, ours_once, lambda apart=apart: typical(scene, "l10", apart=apart))
        rows.append(at_most(f"batch of {name}, 20 layers", ours * 1e3, plain * 1e3, "the plain brush", most))
    scene.workers.close()
    return rows


def tools_against_scipy(side: int) -> list[Row]:
    """Soften, clone, smear and push of one batch against the same with SciPy's k-d tree and NumPy, from dabs to encoded patches."""
    scene = painted_scene(side, 2, 1)
    samples = scene.samples
    slots = samples.grid.slot
    positions = samples.positions[slots].astype(np.float64)
    tree = cKDTree(positions)
    stack = NumpyStack(scene)
    colour, alpha = (stack.plane[:3, slots] / 65535).T.copy(), stack.plane[3, slots] / 65535
    caster = RayCaster(scene.model)
    load = stroke_rows(1)[0][2]
    ends = np.array(load.view)
    share = np.linspace(0, 1, DABS)[:, None]
    radius = BRUSH.size / 2 * samples.model.width

    def centres() -> NDArray[np.float64]:
        found: NDArray[np.float64] = caster.cast(*CAMERA.rays(ends[0] * (1 - share) + ends[-1] * share)).position
        return found

    def reached() -> list[NDArray[np.int64]]:
        return [np.asarray(tree.query_ball_point(c, radius), np.int64) for c in centres()]

    def show(near: NDArray[np.int64], values: NDArray[np.float64]) -> None:
        stack.show(slots[near], values.T, alpha[near])

    def clone() -> None:
        near = np.unique(np.concatenate(reached()))
        _, source = tree.query(positions[near] + np.array([0.06, 0.05, -0.005]), workers=2)
        show(near, colour[source])

    def soften() -> None:
        near = np.unique(np.concatenate(reached()))
        around = tree.query_ball_point(positions[near], radius * 0.35, workers=2)
        means = np.empty((len(near), 3))
        for n, (at, them) in enumerate(zip(near, around, strict=True)):
            w = 1 - ((positions[them] - positions[at]) ** 2).sum(axis=1) / (radius * 0.35) ** 2
            means[n] = (colour[them] * w[:, None]).sum(axis=0) / w.sum()
        show(near, means)

    def smear() -> None:
        """A brush that carries a picture: laid on what is near, and taken up from it."""
        before, every, now = None, reached(), colour.copy()
        for c, near in zip(centres(), every, strict=True):
            d = np.linalg.norm(positions[near] - c, axis=1) / radius
            t = np.clip((d - 0.5) / 0.5, 0, 1)
            w = 0.3 * (1 - t * t * (3 - 2 * t))[:, None]
            place = positions[near] - c
            if before is not None:
                _, nearest = cKDTree(before[0]).query(place, workers=2)
                carried, there = before[1][nearest], now[near]
                now[near] = there + w * (carried - there)
                before = place, carried + 0.04 * (there - carried) - 0.25 * w * (carried - there)
            else:
                before = place, now[near]
        near = np.unique(np.concatenate(every))
        show(near, now[near])

    def push() -> None:
        before, every, moved = None, reached(), colour.copy()
        for c, near in zip(centres(), every, strict=True):
            if before is not None:
                d = np.linalg.norm(positions[near] - c, axis=1) / radius
                t = np.clip((d - 0.5) / 0.5, 0, 1)
                w = 1 - t * t * (3 - 2 * t)
                _, source = tree.query(positions[near] - w[:, None] * (c - before), workers=2)
                moved[near] = moved[source]
            before = c
        near = np.unique(np.concatenate(every))
        show(near, moved[near])

    rows = []
    works: tuple[tuple[str, Paint, Callable[[], None], int], ...] = (
        ("clone", CLONE, clone, 3),
        ("soften", SOFTEN, soften, 1),
        ("smear", SMEAR, smear, 3),
        ("push", PUSH, push, 3),
    )
    for name, paint, theirs, goes in works:
        ours, slow = turn_about(
            goes,
            lambda paint=paint: min(typical(scene, "l1", paint=paint, apart=paint.tool == "smear") for _ in range(3)),
            lambda theirs=theirs: best(theirs, 2),
        )
        rows.append(faster(f"batch of {name}, {side}²", ours * 1e3, slow * 1e3, "cKDTree and NumPy", 10))
    scene.workers.close()
    return rows


def larger_sheet(side: int) -> list[Row]:
    """The same batch with four times the texels."""
    small, large = painted_scene(side, 20, 10), painted_scene(2 * side, 20, 10)
    for scene in (small, large):
        batches(scene, "l10")
    ours, theirs = turn_about(5, lambda: typical(large, "l10"), lambda: typical(small, "l10"))
    small.workers.close()
    large.workers.close()
    return [at_most(f"batch at {2 * side}², 20 layers", ours * 1e3, theirs * 1e3, f"{side}²", 4.5)]


def _globe(count: int) -> Model:
    """A sphere of about `count` vertices without UVs."""
    rings = int(np.sqrt(count / 2))
    model = sphere(2 * rings, rings)
    return Model(
        "Globe", model.positions, model.face_starts, model.corner_vertex, ("Globe",), model.face_part, (Material("Paint"),), model.face_material
    )


def vertices(side: int) -> list[Row]:
    """Vertices against a sheet of as many samples: dabs to composites, on one layer."""
    workers = Workers(2)
    # Over 0.63 of its width and height a sheet of 2048² holds 1.6 million texels.
    scene = BenchScene(side, (PaintLayer(id="l0", name="l0"),), sphere(spread=0.63))
    globe = VertexSamples(_globe(scene.samples.covered_count))
    document = Document(sheets=(Sheet(id="s", name="S", plan=0, resolution=side, layers=(PaintLayer(id="l0", name="l0"),)),))
    caster = RayCaster(scene.model)

    def strokes(samples: SurfaceSamples, evaluator: SheetEvaluator) -> list[float]:
        aim = resolve_target(document, Target(sheet="s", layer="l0", channels=("base_color",)), RED)
        live = LiveStroke(aim, evaluator, StoredPlanes({}, MemoryChunks()), paint=RED, workers=workers)
        times = []
        for row in stroke_rows(4):
            path = ViewPath(BRUSH, CAMERA, caster, samples)
            for load in row:
                dabs = path.extend([Point(v) for v in load.view])
                start = time.perf_counter()
                live.dabs(dabs)
                times.append(time.perf_counter() - start)
        return times

    cache = BoundedCache(1 << 30)
    on_vertices = SheetEvaluator(
        document, document.sheets[0], globe, FaceIndex(globe.model), StoredPlanes({}, MemoryChunks()), cache, workers=workers
    )
    on_texels = scene.evaluator
    for samples, evaluator in ((globe, on_vertices), (scene.samples, on_texels)):
        strokes(samples, evaluator)
    ours, theirs = turn_about(5, lambda: float(np.median(strokes(globe, on_vertices))), lambda: float(np.median(strokes(scene.samples, on_texels))))
    workers.close()
    return [at_most(f"batch on {globe.covered_count / 1e6:.1f} M vertices", ours * 1e3, theirs * 1e3, "texels of a sheet, as many", 1.2)]


def many_strokes(side: int, count: int = 200) -> list[Row]:
    """Strokes in a row: the last twenty against the first, and what memory grew by."""
    scene = painted_scene(side, 4, 2)
    batches(scene, "l1", 1)
    held = []
    times = []
    for _ in range(count):
        times.append(float(np.median(batches(scene, "l1", 1))))
        held.append(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
    scene.workers.close()
    return [
        at_most(f"the last 20 of {count} strokes", float(np.median(times[-20:])) * 1e3, float(np.median(times[:20])) * 1e3, "the first 20", 1.2),
        at_most(f"memory after {count} strokes", held[-1], held[count // 10], "after a tenth of them", 1.05, "MiB"),
    ]
