"""Draw patterns, blurs and tools on a box and a sphere with the real engine, for docs/artists/masks/forms.png. Usage: form_sheet.py [PNG]"""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from pattern_sheet import SHOWN, TEXEL
from ruvelt.core.brush.confine import Confine
from ruvelt.core.brush.path import Point, ViewPath
from ruvelt.core.brush.settings import Brush, Mirror
from ruvelt.core.brush.target import Paint, SmearSettings, Target, Tone, resolve_target
from ruvelt.core.mesh.facts import Material
from ruvelt.core.mesh.model import Model, TextureCoords
from ruvelt.core.mesh.rays import RayCaster
from ruvelt.core.mesh.sheets import plan_sheets
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.planes.plane import MemoryChunks, Plane
from ruvelt.core.samples.lattice import surface_blur
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.spread import surface_grow
from ruvelt.core.stack.camera import Camera
from ruvelt.core.stack.document import ChannelUse, Document, FillLayer, PaintLayer, Sheet
from ruvelt.core.stack.evaluate import SheetEvaluator
from ruvelt.core.stack.faces import FaceIndex
from ruvelt.core.stack.fields import Noise, Spots, Weave
from ruvelt.core.stack.lookup import StoredPlanes
from ruvelt.core.stack.measures import Measures
from ruvelt.core.stroke.live import LiveStroke

OUT = Path(__file__).parent.parent / "docs" / "artists" / "masks" / "forms.png"
SIDE, SHOW, ACROSS, GAP = 1024, 200, 3, 30
PAPER, INK, RUST = (0.86, 0.84, 0.80), (0.13, 0.2, 0.3), (0.66, 0.27, 0.12)
VIEW = Camera(eye=(2.8, 2.2, 3.9), target=(0, -0.05, 0), fov_deg=30, width=2 * SHOW, height=2 * SHOW)
F32 = NDArray[np.float32]


def _model(name: str, points: NDArray[np.float64], faces: list[list[int]], uvs: NDArray[np.float64]) -> Model:
    corners = np.concatenate([np.array(f, np.int32) for f in faces])
    starts = np.concatenate([[0], np.cumsum([len(f) for f in faces])]).astype(np.int32)
    return Model(
        name=name,
        positions=points.astype(np.float32),
        face_starts=starts,
        corner_vertex=corners,
        parts=(name,),
        face_part=np.zeros(len(faces), np.int32),
        materials=(Material(name),),
        face_material=np.zeros(len(faces), np.int32),
        uv_layouts=(TextureCoords("UV", uvs.astype(np.float32), np.arange(len(corners), dtype=np.int32)),),
    )


def box() -> Model:
    """Six squares of their own places in the UVs, three by two."""
    points = np.array([[x, y, z] for x in (-0.8, 0.8) for y in (-0.8, 0.8) for z in (-0.8, 0.8)])
    faces = [[1, 5, 7, 3], [4, 0, 2, 6], [5, 4, 6, 7], [0, 1, 3, 2], [3, 7, 6, 2], [0, 4, 5, 1]]
    square = np.array([[0.02, 0.02], [0.98, 0.02], [0.98, 0.98], [0.02, 0.98]])
    uvs = np.concatenate([(square + np.array([i % 3, i // 3])) / 3 for i in range(6)])
    return _model("Box", points, faces, uvs)


def sphere(segments: int = 96, rings: int = 48) -> Model:
    turn, tilt = np.meshgrid(np.linspace(0, 2 * np.pi, segments + 1), np.linspace(0.02, np.pi - 0.02, rings + 1))
    # Rounded as files are, so that both sides of the seam lie at one place.
    points = np.stack([np.sin(tilt) * np.sin(turn), np.cos(tilt), np.sin(tilt) * np.cos(turn)], -1).reshape(-1, 3).round(6)
    wide = segments + 1
    faces = [[r * wide + s, (r + 1) * wide + s, (r + 1) * wide + s + 1, r * wide + s + 1] for r in range(rings) for s in range(segments)]
    u, v = np.meshgrid(np.linspace(0.01, 0.99, wide), np.linspace(0.99, 0.01, rings + 1))
    flat = np.stack([u, v], -1).reshape(-1, 2)
    return _model("Sphere", points, faces, np.concatenate([flat[f] for f in faces]))


class Form:
    """One model in memory, seen from one side."""

    def __init__(self, model: Model) -> None:
        self.samples, self.faces, self.caster = SheetSamples(model, plan_sheets(model)[0], SIDE), FaceIndex(model), RayCaster(model)
        self.measures = Measures(self.samples, lambda key: None, BoundedCache(64 << 20))
        y, x = np.mgrid[0 : 2 * SHOW, 0 : 2 * SHOW] + 0.5
        hits = self.caster.cast(*VIEW.rays(np.stack([x.ravel(), y.ravel()], 1)))
        self.there = hits.triangle >= 0
        self.slot = self.samples.grid.nearest(hits.position, 4 * self.samples.spacing)
        self.shade = 0.62 + 0.38 * np.clip(hits.normal @ np.array([0.35, 0.8, 0.49]), 0, 1)
        self.fresh()

    def fresh(self) -> None:
        layers = (PaintLayer(id="p", name="Ink"), FillLayer(id="f", name="Paper", channels={"base_color": ChannelUse(value=PAPER)}))
        self.document = Document(sheets=(Sheet(id="s", name="Form", plan=0, resolution=SIDE, layers=layers),))
        self.store, self.planes, self.cache = MemoryChunks(), dict[str, Plane](), BoundedCache(512 << 20)

    @property
    def evaluator(self) -> SheetEvaluator:
        lookup = StoredPlanes(self.planes, self.store)
        return SheetEvaluator(self.document, self.document.sheets[0], self.samples, self.faces, lookup, self.cache)

    def keep(self, live: LiveStroke) -> None:
        for name, chunks in live.changes.items():
            keys = {c: self.store.put(v) for c, v in chunks.items()}
            self.planes[name] = self.planes.get(name, Plane(live.target.cells[0].components)).with_chunks(keys)

    def live(self, paint: Paint, brush: Brush) -> LiveStroke:
        target = resolve_target(self.document, Target(sheet="s", layer="p", channels=("base_color",)), paint)
        return LiveStroke(target, self.evaluator, StoredPlanes(self.planes, self.store), paint=paint, brush=brush)

    def stroke(self, places: list[tuple[float, float]], paint: Paint | None = None, **more: object) -> None:
        """Through places of the picture, shares of its side."""
        brush = Brush.model_validate({"size": 40, "hardness": 0.6, **more})
        live = self.live(paint or Paint(values={"base_color": INK}), brush)
        path = ViewPath(brush, VIEW, self.caster, self.samples, live.drags)
        points = [Point((x * 2 * SHOW, y * 2 * SHOW), 1.0, 1 + i / 10) for i, (x, y) in enumerate(places)]
        live.dabs(path.extend(points), brush.mirror)
        live.dabs(path.finish(), brush.mirror)
        self.keep(live)

    def flood(self, paint: Paint) -> None:
        live = self.live(paint, Brush())
        live.flood(None, 1.0, self.faces)
        self.keep(live)

    def values_u16(self, of: object) -> NDArray[np.uint16]:
        return np.concatenate([self.measures.pattern(of, c) for c in range(self.samples.chunk_count)])  # type: ignore[arg-type]

    def seen(self, values: F32) -> NDArray[np.uint8]:
        """(SHOW, SHOW, 3) picture of (slots, 3) values 0–1."""
        picture = np.full((4 * SHOW * SHOW, 3), 222, np.float32)
        picture[self.there] = (values[self.slot] * self.shade[:, None])[self.there] * 255
        return cv2.resize(picture.reshape(2 * SHOW, 2 * SHOW, 3), (SHOW, SHOW), interpolation=cv2.INTER_AREA).astype(np.uint8)

    def painted(self) -> NDArray[np.uint8]:
        evaluator = self.evaluator
        return self.seen(np.concatenate([evaluator.composite("base_color", c).T for c in range(self.samples.chunk_count)]) / np.float32(65535))


WAVE = [(0.24, 0.62), (0.38, 0.48), (0.5, 0.6), (0.62, 0.5), (0.76, 0.62)]
ACROSS_EDGES = [(0.3, 0.7), (0.5, 0.3), (0.68, 0.72)]


def _values(make: Callable[[Form], NDArray[np.uint16]]) -> Callable[[Form], NDArray[np.uint8]]:
    return lambda form: form.seen(np.repeat(make(form)[:, None], 3, axis=1) / np.float32(65535))


def _drops(form: Form) -> NDArray[np.uint16]:
    return form.values_u16(Spots(size=0.08, hardness=1.0))


def _tool(paint: Paint, ink: tuple[float, float, float] = INK, **brush: object) -> Callable[[Form], NDArray[np.uint8]]:
    def draw(form: Form) -> NDArray[np.uint8]:
        form.fresh()
        for x in (0.34, 0.5, 0.66):
            form.stroke([(x, 0.3), (x - 0.02, 0.5), (x, 0.74)], Paint(values={"base_color": ink}), size=22, hardness=0.9, flow=1.0)
        form.stroke(WAVE, paint, **{"size": 60, **brush})
        return form.painted()

    return draw


def _strokes(*strokes: dict[str, object], places: list[tuple[float, float]] = WAVE) -> Callable[[Form], NDArray[np.uint8]]:
    def draw(form: Form) -> NDArray[np.uint8]:
        form.fresh()
        for brush in strokes:
            form.stroke(places, **brush)  # type: ignore[arg-type]
        return form.painted()

    return draw


def _confined(confine: Confine) -> Callable[[Form], NDArray[np.uint8]]:
    def draw(form: Form) -> NDArray[np.uint8]:
        form.fresh()
        form.flood(Paint(values={"base_color": RUST}, confine=confine))
        return form.painted()

    return draw


def _pattern(of: Noise | Spots | Weave, texels: float | None) -> Callable[[Form], NDArray[np.uint8]]:
    """A pattern, of so many texels where that is given, for a form's are not the plate's."""

    def make(form: Form) -> NDArray[np.uint16]:
        texel = form.samples.spacing / form.samples.model.diagonal
        return form.values_u16(of if texels is None else of.model_copy(update={"size": texels * texel}))

    return _values(make)


SMEAR = Paint(tool="smear", reads="layer")
DRAWN: list[tuple[str, Callable[[Form], NDArray[np.uint8]]]] = [
    (what, _pattern(of, of.size / TEXEL if "texels" in what else None)) for what, of in SHOWN
]
DRAWN += [
    (f"blur of {n} texels", _values(lambda form, n=n: surface_blur(form.samples, _drops(form)[None], n * form.samples.spacing)[0]))
    for n in (0.5, 1, 2, 6)
]
DRAWN += [
    ("grown by 3 texels", _values(lambda form: surface_grow(form.samples, _drops(form), 3 * form.samples.spacing))),
    ("hard stroke", _strokes({"hardness": 1.0, "flow": 1.0}, places=ACROSS_EDGES)),
    ("picture tip", _strokes({"tips": ("bristle",), "size": 70, "flow": 0.5}, places=ACROSS_EDGES)),
    ("mirrored at low flow", _strokes({"flow": 0.15, "size": 70, "mirror": Mirror(x=True, z=True)})),
    ("soften", _tool(Paint(tool="soften"), strength=1.0, flow=1.0)),
    ("smear", _tool(SMEAR, strength=0.9, flow=0.9)),
    ("push", _tool(Paint(tool="smear", reads="layer", smear=SmearSettings(mode="push")), strength=0.9, flow=0.9)),
    ("tone: hue by 120 degrees", _tool(Paint(tool="tone", tone=Tone(change="hue", degrees=120)), RUST, hardness=0.0)),
    ("confined: ridges", _confined(Confine(relief=0.8, softness=0.2))),
    ("confined: ridges, soft", _confined(Confine(relief=0.8, softness=1.0))),
]


def main() -> None:
    forms = [Form(box()), Form(sphere())]
    wide, rows = len(forms) * SHOW + 14, -(-len(DRAWN) // ACROSS)
    sheet = np.full((rows * (SHOW + GAP) + 10, ACROSS * wide + 10, 3), 222, np.uint8)
    for i, (what, draw) in enumerate(DRAWN):
        x, y = 10 + i % ACROSS * wide, 10 + i // ACROSS * (SHOW + GAP)
        for k, form in enumerate(forms):
            sheet[y : y + SHOW, x + k * SHOW : x + (k + 1) * SHOW] = draw(form)
        cv2.putText(sheet, what, (x, y + SHOW + 16), cv2.FONT_HERSHEY_SIMPLEX, 0.42, (92, 92, 92), 1, cv2.LINE_AA)
    cv2.imwrite(sys.argv[1] if len(sys.argv) > 1 else str(OUT), sheet[..., ::-1])


if __name__ == "__main__":
    main()
