"""Draw strokes on a plain plate with the real engine, for docs/artists/tools/strokes.png. Usage: stroke_sheet.py [PNG]"""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np

from ruvelt.core.brush.path import Point, SurfacePath
from ruvelt.core.brush.settings import Brush, Grain, PressureCurve
from ruvelt.core.brush.target import Paint, SmearSettings, Target, resolve_target
from ruvelt.core.mesh.facts import Material
from ruvelt.core.mesh.model import Model, TextureCoords
from ruvelt.core.mesh.sheets import plan_sheets
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.planes.plane import MemoryChunks, Plane
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.stack.document import ChannelUse, Document, FillLayer, PaintLayer, Sheet
from ruvelt.core.stack.evaluate import SheetEvaluator
from ruvelt.core.stack.faces import FaceIndex
from ruvelt.core.stack.lookup import StoredPlanes
from ruvelt.core.stroke.live import LiveStroke

OUT = Path(__file__).parent.parent / "docs" / "artists" / "tools" / "strokes.png"
SIDE = 1024
INK, RED, ROOM = (0.13, 0.2, 0.3), (0.62, 0.2, 0.14), (0.87, 0.85, 0.81)
Place = tuple[float, float]


def plate() -> Model:
    points = np.array([[-1, -1, 0], [1, -1, 0], [1, 1, 0], [-1, 1, 0]], np.float32)
    loop = np.arange(4, dtype=np.int32)
    return Model(
        name="Plate",
        positions=points,
        face_starts=np.array([0, 4], np.int32),
        corner_vertex=loop,
        parts=("Plate",),
        face_part=np.zeros(1, np.int32),
        materials=(Material("Plate"),),
        face_material=np.zeros(1, np.int32),
        uv_layouts=(TextureCoords("UV", ((points[:, :2] + 1) / 2).astype(np.float32), loop),),
    )


class Plate:
    """A sheet of paper in memory; places are shares of its side, y down."""

    def __init__(self) -> None:
        model = plate()
        self.samples, self.faces = SheetSamples(model, plan_sheets(model)[0], SIDE), FaceIndex(model)
        layers = (PaintLayer(id="p", name="Ink"), FillLayer(id="f", name="Paper", channels={"base_color": ChannelUse(value=ROOM)}))
        self.document = Document(sheets=(Sheet(id="s", name="Plate", plan=0, resolution=SIDE, layers=layers),))
        self.store, self.planes, self.cache = MemoryChunks(), dict[str, Plane](), BoundedCache(512 << 20)

    @property
    def evaluator(self) -> SheetEvaluator:
        lookup = StoredPlanes(self.planes, self.store)
        return SheetEvaluator(self.document, self.document.sheets[0], self.samples, self.faces, lookup, self.cache)

    def stroke(
        self,
        places: list[Place],
        paint: Paint | None = None,
        pressure: Callable[[float], float] = lambda t: 1.0,
        step: float = 1 / 60,
        **brush: object,
    ) -> None:
        size = float(brush.pop("size", 24.0)) / SIDE  # type: ignore[arg-type]
        how = Brush.model_validate({"size": size, "size_unit": "object", **brush})
        paint = paint or Paint(values={"base_color": INK})
        lookup = StoredPlanes(self.planes, self.store)
        resolved = resolve_target(self.document, Target(sheet="s", layer="p", channels=("base_color",)), paint)
        live = LiveStroke(resolved, self.evaluator, lookup, paint=paint, brush=how)
        path = SurfacePath(how, self.samples, live.drags)
        last = max(len(places) - 1, 1)
        points = [Point((2 * x - 1, 1 - 2 * y, 0.0), pressure(i / last), 1 + i * step) for i, (x, y) in enumerate(places)]
        live.dabs(np.concatenate([path.extend(points), path.finish()]))
        for name, chunks in live.changes.items():
            known = self.planes.get(name) or Plane(4)
            self.planes[name] = known.with_chunks({c: self.store.put(v) for c, v in chunks.items()})

    def picture(self) -> np.ndarray:
        """(SIDE, SIDE, 3) uint8, blue first."""
        made = [self.evaluator.composite("base_color", c) for c in range(self.samples.chunk_count)]
        image = self.samples.to_image(np.concatenate(made, axis=1).T)
        return np.ascontiguousarray(np.rint(image[..., ::-1] / 257).astype(np.uint8))


def wave(x: float, y: float, long: float = 0.2, high: float = 0.03, count: int = 40) -> list[Place]:
    t = np.linspace(0, 1, count)
    return [(x + long * v, y + high * float(np.sin(2 * np.pi * v))) for v in t]


def line(x: float, y: float, long: float = 0.2, rise: float = -0.02) -> list[Place]:
    return [(x, y), (x + long / 2, y + rise / 2), (x + long, y + rise)]


def ring(x: float, y: float, r: float, count: int = 9) -> list[Place]:
    return [(x + r * float(np.cos(a)), y + r * float(np.sin(a))) for a in np.linspace(0, 2 * np.pi, count + 1)]


def draw(on: Plate) -> list[tuple[str, Place]]:
    """All strokes; what each is and where."""
    told: list[tuple[str, Place]] = []

    def column(i: int) -> float:
        return 0.04 + 0.245 * i

    def tell(what: str, x: float, y: float) -> None:
        told.append((what, (x, y)))

    rows = tuple(0.06 + 0.107 * i for i in range(9))
    for i, (what, hard) in enumerate((("hard", 1.0), ("hardness 0.9", 0.9), ("hardness 0.5", 0.5), ("soft", 0.0))):
        on.stroke(wave(column(i), rows[0]), hardness=hard)
        tell(what, column(i), rows[0])
    for i, angle in enumerate((0.0, 45.0, 90.0)):
        on.stroke(line(column(i), rows[1]), roundness=0.25, angle=angle, hardness=0.8, size=44)
        tell(f"flat at {angle:.0f}°", column(i), rows[1])
    on.stroke(wave(column(3), rows[1]), roundness=0.25, follow=True, hardness=0.8, size=40)
    tell("flat, following", column(3), rows[1])
    for i, size in enumerate((3.0, 1.5, 0.8, 0.4)):
        on.stroke(wave(column(i), rows[2]), size=size, hardness=1.0, flow=1.0)
        tell(f"{size:g} texels wide", column(i), rows[2])
    taper = PressureCurve(on=True, low=0.0)
    on.stroke(wave(column(0), rows[3]), pressure=lambda t: float(np.sin(np.pi * t)), pressure_size=taper, hardness=0.9)
    tell("pressure to size", column(0), rows[3])
    on.stroke(wave(column(1), rows[3]), pressure=lambda t: t, pressure_flow=taper, flow=0.5)
    tell("pressure to flow", column(1), rows[3])
    on.stroke(wave(column(2), rows[3]), flow=0.05)
    tell("flow 5 %", column(2), rows[3])
    on.stroke(wave(column(3), rows[3]), spacing=1.1, hardness=1.0)
    tell("spacing 110 %", column(3), rows[3])
    on.stroke(wave(column(0), rows[4]), jitter_place=1.0, spacing=0.4, size=14, hardness=0.8)
    tell("scattered", column(0), rows[4])
    on.stroke(wave(column(1), rows[4]), tips=("bristle",), size=36, spacing=0.05)
    tell("picture tip", column(1), rows[4])
    on.stroke(wave(column(2), rows[4]), grain=Grain(picture="grit", size=0.05, depth=1.0), size=36)
    tell("grain", column(2), rows[4])
    on.stroke(wave(column(3), rows[4]), jitter_size=0.6, jitter_angle=1.0, roundness=0.4, spacing=0.6, size=20)
    tell("size and angle by chance", column(3), rows[4])
    on.stroke(ring(column(0) + 0.1, rows[5], 0.042), hardness=1.0, size=8)
    tell("circle of nine samples", column(0), rows[5])
    on.stroke(
        [(column(1) + 0.1 + 0.09 * float(np.sin(t)), rows[5] + 0.036 * float(np.sin(2 * t))) for t in np.linspace(0, 2 * np.pi, 15)],
        hardness=1.0,
        size=8,
    )
    tell("eight of fifteen", column(1), rows[5])
    on.stroke([(column(2) + 0.02 * i, rows[5] + 0.034 * (-1) ** i) for i in range(10)], step=0.0, hardness=1.0, size=6)
    tell("zigzag", column(2), rows[5])
    on.stroke(
        [(column(3), rows[5] - 0.03), (column(3) + 0.1, rows[5] - 0.03), (column(3) + 0.1, rows[5] + 0.04), (column(3) + 0.2, rows[5] + 0.04)],
        step=0.0,
        hardness=1.0,
        size=8,
    )
    tell("corners", column(3), rows[5])
    smears = [(f"smear {s:.0%}", SmearSettings(wetness=0.0), s) for s in (0.25, 0.5, 0.75, 1.0)]
    smears += [("smear, half wet", SmearSettings(wetness=0.5), 1.0), ("smear, wet", SmearSettings(wetness=1.0), 1.0)]
    smears += [("push 50%", SmearSettings(mode="push"), 0.5), ("push 100%", SmearSettings(mode="push"), 1.0)]
    for i, (what, how, strength) in enumerate(smears):
        x, y = column(i % 4), rows[6 + i // 4]
        on.stroke([(x + 0.04, y - 0.022), (x + 0.04, y + 0.022)], hardness=1.0, flow=1.0, size=40)
        on.stroke([(x + 0.12, y - 0.03), (x + 0.12, y + 0.03)], hardness=1.0, flow=1.0, size=3, paint=Paint(values={"base_color": RED}))
        on.stroke([(x + 0.04, y), (x + 0.2, y)], paint=Paint(tool="smear", smear=how), size=30, strength=strength, hardness=0.5, step=0.0)
        tell(what, x, y)
    for i, (what, settings) in enumerate(
        (
            ("short", {"hardness": 1.0}),
            ("a click", {"hardness": 1.0}),
            ("flow 100 %", {"hardness": 1.0, "flow": 1.0}),
            ("large and soft", {"hardness": 0.0, "size": 90}),
        )
    ):
        places = [(column(i) + 0.05, rows[8])] if what == "a click" else [(column(i) + 0.05, rows[8]), (column(i) + 0.12, rows[8] - 0.01)]
        on.stroke(places, **{"size": 50, **settings})
        tell(what, column(i), rows[8])
    return told


def main() -> None:
    on = Plate()
    told = draw(on)
    image = on.picture()
    for what, (x, y) in told:
        at = (int(x * SIDE), int((y + 0.05) * SIDE))
        cv2.putText(image, what, at, cv2.FONT_HERSHEY_SIMPLEX, 0.42, (96, 92, 88), 1, cv2.LINE_AA)
    out = Path(sys.argv[1]) if len(sys.argv) > 1 else OUT
    cv2.imwrite(str(out), image)


if __name__ == "__main__":
    main()
