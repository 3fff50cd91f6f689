"""Draw the pictures of docs/artists/tools, each tool at work on the buoy by a script, and keep the scripts. Usage: tool_pictures.py"""

from __future__ import annotations

import json
import tempfile
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from ruvelt.core.brush.script import parse_script
from ruvelt.core.output.preview import render
from ruvelt.core.stack.camera import Camera
from ruvelt.demo import buoy
from ruvelt.demo.buoy import HIGH, RADIUS
from ruvelt.demo.paint_buoy import CREAM, LIGHT, RED, RUST, SEA, SHADE, aim, around, brush, flood, paint, shape, stroke
from ruvelt.studio.replay import replay
from ruvelt.studio.session import Session
from ruvelt.studio.studio import Studio

OUT = Path(__file__).parent.parent / "docs" / "artists" / "tools"
SCRIPTS = Path(__file__).parent.parent / "docs" / "developers" / "scripts"
VIEW = Camera(eye=(0.9, 1.25, 3.0), target=(0.0, 0.72, 0.0), fov_deg=26, width=560, height=360)
Steps = list[dict[str, Any]]


def at(radius: float, y: float, angle: float) -> list[float]:
    return [float(np.sin(angle) * radius), y, float(np.cos(angle) * radius)]


def along(y: float, start: float, end: float, count: int = 24, wave: float = 0.0) -> list[list[float]]:
    return [at(RADIUS, y + wave * float(np.sin(6 * a)), float(a)) for a in np.linspace(start, end, count)]


def wide(y: float, *, from_left: float = -0.55, to_right: float = 1.15, **more: Any) -> dict[str, Any]:
    return stroke(along(y, from_left, to_right, **more))


SECOND = {"second": {"base_color": SEA}}
STRIPES: Steps = [
    paint({"base_color": CREAM}),
    brush(0.06, hardness=0.9, build="level"),
    around(RADIUS, 0.66),
    around(RADIUS, 0.78),
    around(0.62, 0.96),
]
#: Steps that show each tool; the float is red and a paint layer is the target.
TOOLS: dict[str, Steps] = {
    "brush": [
        paint({"base_color": CREAM}),
        brush(0.05, hardness=0.9),
        stroke(along(0.81, -0.5, 1.1, wave=0.02), [round(float(np.sin(np.pi * t)), 3) for t in np.linspace(0, 1, 24)]),
        brush(0.09, hardness=0.0, flow=0.4),
        wide(0.71, wave=0.02),
        brush(0.05, flow=0.5, spray=14, jitter_place=1.0, jitter_size=0.8, hardness=0.6, spacing=0.5),
        wide(0.61),
    ],
    "tips": [
        paint({"base_color": CREAM}, **SECOND),
        brush(0.12, tips=["sponge"], flip="random", jitter_angle=1.0, spacing=0.4),
        wide(0.82),
        brush(0.11, tips=["flat-bristle"], follow=True, angle=90, spacing=0.04, mix={"mode": "across"}),
        wide(0.70, wave=0.02),
        brush(0.08, hardness=0.8, mix={"mode": "along", "length": 5}, grain={"picture": "canvas", "size": 0.04}),
        wide(0.60),
    ],
    "lines": [
        paint({"base_color": CREAM, "height": 0.5, "metallic": 0.2}),
        brush(0.03, tips=["rivet"]),
        shape("curve", along(0.82, -0.5, 1.1, 5), row={"count": 26}),
        brush(0.05, tips=["stitch"]),
        shape("curve", [at(RADIUS, 0.66 + 0.05 * k, a) for k, a in ((0, -0.5), (1, 0.0), (-1, 0.5), (0.5, 1.1))], row={"spacing": 1.05}),
        brush(0.02, hardness=0.85, build="level", spacing=0.05),
        around(0.66, 0.958),
    ],
    "stamp": [
        paint({"base_color": CREAM, "height": 0.4}),
        *(
            step
            for tip, angle, r in (("hexagon", -0.35, 0.10), ("screw", 0.0, 0.07), ("leaf", 0.33, 0.11), ("splatter", 0.75, 0.12))
            for step in (brush(0.1, tips=[tip]), shape("stamp", [at(RADIUS, 0.72, angle), at(RADIUS, 0.72 + 0.3 * r, angle + r / RADIUS)], bend=True))
        ),
    ],
    "erase": [*STRIPES, paint({}, erase=True), brush(0.12, tips=["chalk"], strength=0.9), wide(0.72, wave=0.06)],
    "soften": [*STRIPES, paint({}, tool="soften", reads="layer", reach=0.8), brush(0.30, hardness=0.6), wide(0.72, from_left=0.3)],
    "smear": [
        *STRIPES,
        paint({}, tool="smear", reads="layer", smear={"wetness": 0.1}),
        brush(0.09, hardness=0.3, strength=0.85),
        *(stroke([at(RADIUS, 0.83 - 0.2 * t, a + 0.08 * t) for t in np.linspace(0, 1, 8)]) for a in np.arange(-0.45, 1.1, 0.22)),
    ],
    "clone": [
        paint({"base_color": CREAM}),
        brush(0.1, tips=["splatter"]),
        shape("stamp", [at(RADIUS, 0.72, -0.2), at(RADIUS, 0.72, -0.05)], bend=True),
        {"do": "paint", "paint": {"tool": "clone", "clone": {"source": at(RADIUS, 0.72, -0.2), "anchor": at(RADIUS, 0.72, 0.55)}}},
        brush(0.32, hardness=0.9),
        stroke([at(RADIUS, 0.72, 0.55)]),
    ],
    "tone": [
        *STRIPES,
        paint({}, tool="tone", tone={"change": "darken", "amount": 0.8}),
        brush(0.16, hardness=0.2),
        stroke([at(RADIUS, y, -0.3) for y in (0.56, 0.7, 0.88)]),
        paint({}, tool="tone", tone={"change": "desaturate", "amount": 1.0}),
        stroke([at(RADIUS, y, 0.1) for y in (0.56, 0.7, 0.88)]),
        paint({}, tool="tone", tone={"change": "hue", "amount": 1.0, "degrees": 150}),
        stroke([at(RADIUS, y, 0.5) for y in (0.56, 0.7, 0.88)]),
        paint({}, tool="tone", tone={"change": "lighten", "amount": 0.8, "range": "highlights"}),
        stroke([at(RADIUS, y, 0.9) for y in (0.56, 0.7, 0.88)]),
    ],
    "fill": [
        paint({"base_color": CREAM}, **SECOND),
        {"do": "flood", "part": "Float", "gradient": {"start": (-0.6, 0.4, 0.5), "end": (0.6, 0.9, 0.5)}},
        paint({"base_color": RUST}, blend="multiply"),
        flood("Tower", 0.8),
        paint({"base_color": (0.2, 0.2, 0.2)}),
        flood("Fender"),
    ],
    "confine": [
        paint({"base_color": CREAM, "height": 0.4}),
        brush(0.03, tips=["rivet"]),
        around(RADIUS, 0.80, row={"count": 60}),
        around(RADIUS, 0.64, row={"count": 60}),
        paint({"base_color": SHADE}, confine={"relief": -0.12, "softness": 0.8}, blend="multiply"),
        flood(strength=0.9),
        paint({"base_color": LIGHT}, confine={"relief": 0.35, "softness": 0.6}),
        flood(strength=0.9),
        paint({"base_color": SEA}, confine={"raised": 0.7, "softness": 0.3}),
        brush(0.2),
        wide(0.64),
    ],
    "mirror": [
        paint({"base_color": CREAM}),
        brush(0.035, hardness=0.9, mirror={"around": 12, "axis": "y"}),
        stroke([at(RADIUS, HIGH - 0.22 * t, 0.12 + 0.25 * float(np.sin(3 * t))) for t in np.linspace(0, 1, 16)]),
        stroke([at(0.74 - 0.4 * t, 0.943 + 0.04 * t, 0.12 + 0.3 * t) for t in np.linspace(0, 1, 12)]),
    ],
}  # fmt: skip


def script(name: str, steps: Steps) -> dict[str, Any]:
    begin = [
        {"do": "add-layer", "kind": "paint", "name": name.capitalize(), "sheet": "Hull"},
        aim(name.capitalize(), "base_color", "height", "metallic"),
    ]
    return {"format": "ruvelt-strokes", "version": 1, "steps": [*begin, *steps]}


def _lines(played: dict[str, Any]) -> str:
    """A step a line."""
    steps = ",\n  ".join(json.dumps(step) for step in played["steps"])
    return f'{{"format": "{played["format"]}", "version": {played["version"]}, "steps": [\n  {steps}\n]}}\n'


def picture(session: Session, played: dict[str, Any]) -> np.ndarray:
    head = session.store.head
    replay(session, parse_script(played))
    shown = render(session.model, [session.display("hull")], session.caster(), VIEW)
    while session.store.head > head:
        session.undo()
    return shown


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        here = Studio(Path(folder))
        session = here.session(here.create(buoy.obj(), "buoy.obj", resolution=2048, companions={"mooring_buoy.mtl": buoy.MTL.encode()}))
        ground = {"base_color": {"value": RED}, "roughness": {"value": (0.5,)}}
        replay(
            session,
            parse_script(
                {"format": "ruvelt-strokes", "version": 1, "steps": [{"do": "add-layer", "kind": "fill", "name": "Red", "channels": ground}]}
            ),
        )
        for name, steps in TOOLS.items():
            played = script(name, steps)
            (SCRIPTS / f"{name}.json").write_text(_lines(played))
            cv2.imwrite(str(OUT / f"{name}.png"), cv2.cvtColor(picture(session, played), cv2.COLOR_RGB2BGR), [cv2.IMWRITE_PNG_COMPRESSION, 9])
            print(name)
        here.close()


if __name__ == "__main__":
    main()
