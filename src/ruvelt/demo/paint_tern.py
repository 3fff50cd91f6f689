"""The tern's paint job: broad strokes on the model as it is, then washes, bands and the eye at a finer level."""

from __future__ import annotations

from typing import Any

import numpy as np

from ruvelt.demo.carved import F64, onto
from ruvelt.demo.paint_buoy import aim, flood, paint, shape
from ruvelt.demo.paint_lantern import Steps, brush, fill, layer, stroke
from ruvelt.demo.tern import BILL_ROOT, BILL_TIP, EYE, EYE_RADIUS, POST_RADIUS, TOP_OF_POST, WING, WING_TURN, tern

BREAST, MANTLE, CAP, CORAL, WOOD, MOSS = (
    (0.92, 0.91, 0.87),
    (0.56, 0.61, 0.66),
    (0.055, 0.06, 0.075),
    (0.74, 0.17, 0.09),
    (0.42, 0.33, 0.24),
    (0.30, 0.34, 0.20),
)
SHADE, LIGHT, PRIMARY, BLACK = (0.25, 0.24, 0.31), (1.0, 0.98, 0.92), (0.20, 0.22, 0.26), (0.012, 0.01, 0.012)
SWATCHES = (BREAST, MANTLE, CAP, CORAL, WOOD, MOSS, SHADE, LIGHT, PRIMARY, BLACK)
WHERE = "Vertices"
BOTH = {"x": True}


def _laid(points: Any) -> list[list[float]]:
    """Points moved onto the bird."""
    found: list[list[float]] = onto(tern, np.asarray(points, np.float64)).round(5).tolist()
    return found


def _wing(points: Any) -> list[list[float]]:
    """Points in a wing's own frame (out, up, towards the head), moved onto its outer side."""
    q: F64 = np.asarray(points, np.float64)
    return _laid(q @ WING_TURN.T + np.array(WING))


def _line(a: tuple[float, float, float], b: tuple[float, float, float], count: int = 14) -> F64:
    found: F64 = np.linspace(a, b, count)
    return found


def _ring(radius: float, y: float, count: int = 26) -> list[list[float]]:
    a = np.linspace(0, 2 * np.pi, count)
    return _laid(np.column_stack([np.sin(a) * radius, np.full(count, y), np.cos(a) * radius]))


def broad_script() -> dict[str, Any]:
    """On the model as it is: an undercoat, and each colour where it belongs with large brushes."""
    steps: Steps = [layer("fill", "Undercoat", WHERE, "undercoat", channels=fill(base_color=BREAST, roughness=0.72))]
    steps += [layer("paint", "Broad colours", WHERE, "broad"), aim("broad", "base_color", "roughness")]
    steps += [paint({"base_color": WOOD, "roughness": 0.9}), brush(0.11, hardness=0.7, flow=1.0, spacing=0.12)]
    steps += [stroke(_ring(POST_RADIUS, y)) for y in np.arange(TOP_OF_POST - 0.40, TOP_OF_POST - 0.02, 0.07).round(3)]
    steps += [stroke(_ring(r, TOP_OF_POST)) for r in (0.04, 0.13)]
    # The mantle, back to tail, then the wings from shoulder to tip.
    steps += [paint({"base_color": MANTLE, "roughness": 0.68}), brush(0.085, hardness=0.45, flow=0.9, mirror=BOTH)]
    steps += [stroke(_laid(_line((x, 0.62, 0.24), (x, 0.42, -0.62)))) for x in (0.0, 0.05, 0.10)]
    steps += [stroke(_wing(_line((0.07, y, 0.50), (0.07, 0.6 * y, -0.60), 18))) for y in (0.10, 0.03, -0.04, -0.10)]
    steps += [stroke(_wing(_line((-0.07, y, 0.30), (-0.07, 0.6 * y, -0.60), 18))) for y in (0.10, 0.0, -0.08)]
    steps += [brush(0.035, hardness=0.5, flow=0.9, mirror=BOTH), stroke(_laid(_line((0.07, 0.36, -0.55), (0.16, 0.31, -1.07))))]
    # Legs and bill in coral; the cap from the bill back over the nape, down to the eye.
    steps += [paint({"base_color": CORAL, "roughness": 0.5}), brush(0.040, hardness=0.75, flow=1.0, mirror=BOTH)]
    steps += [stroke(_laid(_line((0.078, 0.115, 0.0), (0.08, -0.04, 0.03), 10)))]
    steps += [brush(0.021, hardness=0.8, flow=1.0, mirror=BOTH)]
    for aside in (-0.018, 0.0, 0.018):
        steps.append(stroke(_laid(_line((0.08 + aside, -0.058, 0.0), (0.10 + 0.6 * aside, -0.07, 0.135), 10))))
    steps += [brush(0.046, hardness=0.8, flow=1.0, mirror=BOTH)]
    for side in ((0.03, 0.0), (0.0, 0.04), (0.0, -0.04)):
        away = np.array([side[0], side[1], 0.0])
        steps.append(stroke(_laid(np.linspace(np.array(BILL_ROOT) + away + [0, 0, 0.045], np.array(BILL_TIP) + 0.2 * away, 14))))
    steps += [paint({"base_color": CAP, "roughness": 0.6}), brush(0.040, hardness=0.8, flow=1.0, mirror=BOTH)]
    for out, up in ((0.0, 0.9), (0.06, 0.88), (0.11, 0.83), (0.14, 0.775), (0.16, 0.735)):
        steps.append(stroke(_laid(_line((out, up, 0.60 - 0.35 * out), (0.75 * out, up - 0.10, 0.30), 12))))
    return {"format": "ruvelt-strokes", "version": 1, "steps": steps}


def _plumage() -> Steps:
    """Dark tips to the folded wings, pale edges, and the fine bands between the rows."""
    steps: Steps = [layer("paint", "Plumage bands", WHERE, "plumage"), aim("plumage", "base_color", "roughness")]
    steps += [paint({"base_color": PRIMARY, "roughness": 0.6}), brush(0.030, hardness=0.5, flow=0.7, mirror=BOTH)]
    steps += [
        stroke(_wing(_line((0.07, y, -0.36), (0.05, 0.5 * y, -0.62), 12)), [round(0.4 + 0.05 * i, 2) for i in range(12)]) for y in (0.05, 0.0, -0.05)
    ]
    steps += [brush(0.007, hardness=0.75, flow=0.9, mirror=BOTH)]
    for k in range(9):
        z = 0.34 - 0.105 * k
        y = np.linspace(0.115, -0.125, 16) * (1 - 0.35 * (k / 9) ** 2)
        steps.append(stroke(_wing(np.column_stack([np.full(16, 0.075), y, z - 0.10 * np.sin((y / 0.24 + 0.5) * np.pi)]))))
    steps += [paint({"base_color": LIGHT, "roughness": 0.7}), brush(0.008, hardness=0.7, flow=0.8, strength=0.85, mirror=BOTH)]
    steps += [stroke(_wing(_line((0.06, -0.135, 0.34), (0.05, -0.085, -0.48), 20)))]
    # A pale collar under the cap, and a breath of warmth on the breast.
    steps += [layer("paint", "Breast", WHERE, "breast", blend="soft-light", strength=0.8), aim("breast", "base_color")]
    steps += [paint({"base_color": (0.85, 0.62, 0.45)}), brush(0.15, hardness=0.0, flow=0.2, strength=0.5, mirror=BOTH)]
    steps += [stroke(_laid(_line((0.05, 0.42, 0.45), (0.08, 0.18, 0.10), 10))), stroke(_laid(_line((0.16, 0.40, 0.30), (0.16, 0.25, 0.0), 10)))]
    return steps


def _eye() -> Steps:
    """Glossy black with a dragged catch light, and two fine rings round it."""
    steps: Steps = [layer("paint", "Eye", WHERE, "eye"), aim("eye", "base_color", "roughness")]
    out = np.array([0.9, 0.1, 0.35]) / np.linalg.norm([0.9, 0.1, 0.35])
    top = np.array(EYE) + EYE_RADIUS * out
    steps += [paint({"base_color": BLACK, "roughness": 0.05}), brush(2.15 * EYE_RADIUS / 2.0, hardness=0.9, flow=1.0, mirror=BOTH)]
    steps += [stroke(_laid([top])), stroke(_laid([np.array(EYE) + 0.7 * EYE_RADIUS * out]))]
    light = np.array(EYE) + EYE_RADIUS * np.array([0.62, 0.66, 0.42])
    steps += [paint({"base_color": LIGHT, "roughness": 0.05}), brush(0.01, hardness=0.8, mirror=BOTH)]
    steps += [shape("stamp", _laid(np.stack([light, light + np.array([0.0, 0.0075, 0.002])])))]
    side, up = np.cross(out, [0, 1, 0]), np.cross(np.cross(out, [0, 1, 0]), out)
    a = np.linspace(0, 2 * np.pi, 22, endpoint=False)
    for radius, colour, width in ((1.30, LIGHT, 0.0016), (1.55, CAP, 0.0016)):
        around = np.array(EYE) + EYE_RADIUS * radius * (np.cos(a)[:, None] * side + np.sin(a)[:, None] * up)
        steps += [paint({"base_color": colour, "roughness": 0.5}), brush(width, hardness=0.8, flow=1.0, build="level", spacing=0.1, mirror=BOTH)]
        steps += [shape("curve", _laid(around), closed=True)]
    return steps


def fine_script(broad: str) -> dict[str, Any]:
    """At a level of some 400,000 vertices. `broad`: id of the layer of broad colours."""
    steps: Steps = _plumage()
    # Washes settle in what is carved, and the ridges catch the light.
    steps += [layer("paint", "Recess wash", WHERE, "recess", blend="multiply", strength=0.85), aim("recess", "base_color")]
    steps += [paint({"base_color": SHADE}, confine={"relief": -0.45, "softness": 0.2}), flood(strength=0.7)]
    steps += [layer("paint", "Ridge wash", WHERE, "ridge", blend="screen", strength=0.6), aim("ridge", "base_color")]
    steps += [paint({"base_color": (0.42, 0.40, 0.36)}, confine={"relief": 0.5, "softness": 0.2}), flood(strength=0.8)]
    # Moss low on the post, sponged; salt where the feet stand.
    steps += [layer("paint", "Weather", WHERE, "weather"), aim("weather", "base_color", "roughness")]
    steps += [
        paint({"base_color": MOSS, "roughness": 0.95}),
        brush(0.10, tips=["sponge"], flip="random", jitter_angle=1.0, jitter_place=0.25, flow=0.6, strength=0.8, spacing=0.3, seed=4),
    ]
    steps += [stroke(_ring(POST_RADIUS, TOP_OF_POST - 0.40)), stroke(_ring(POST_RADIUS, TOP_OF_POST - 0.33))]
    steps += [
        paint({"base_color": LIGHT, "roughness": 0.9}, confine={"raised": 0.7, "softness": 0.3}),
        brush(0.07, tips=["chalk"], flow=0.5, strength=0.6),
    ]
    steps += [stroke(_ring(POST_RADIUS - 0.01, TOP_OF_POST - 0.02)), stroke(_ring(0.1, TOP_OF_POST))]
    # The cap's edge is drawn out softly over the nape.
    steps += [aim(broad, "base_color"), paint({}, tool="soften", reads="layer"), brush(0.035, flow=0.5, strength=0.8, mirror=BOTH)]
    steps += [stroke(_laid(_line((0.13, 0.70, 0.42), (0.10, 0.62, 0.30), 10))), stroke(_laid(_line((0.10, 0.62, 0.30), (0.0, 0.64, 0.25), 8)))]
    return {"format": "ruvelt-strokes", "version": 1, "steps": steps + _eye()}
