"""The buoy's shading, laid by hand tools alone: washes, contact shadows, edge lights, panel lines, rivets and a sponge."""

from __future__ import annotations

from typing import Any

import numpy as np

from ruvelt.demo.buoy import HIGH, LOW, RADIUS, tower_radius
from ruvelt.demo.paint_lantern import LETTERS, Steps, brush, fill, layer, stroke

RED, DEEP, SUN, CREAM = (0.70, 0.16, 0.11), (0.36, 0.07, 0.10), (0.93, 0.40, 0.20), (0.93, 0.88, 0.76)
RUBBER, STEEL, LAMP, SEA, FOAM = (0.15, 0.16, 0.18), (0.42, 0.46, 0.47), (0.98, 0.83, 0.45), (0.12, 0.29, 0.30), (0.62, 0.73, 0.70)
SHADE, LIGHT, RUST = (0.13, 0.10, 0.20), (1.0, 0.95, 0.82), (0.48, 0.24, 0.12)
PARTS = ("Float", "Fender", "Tower", "Lamp", "Mooring eyes", "Hatch", "Ladder")


def _ring(radius: float, y: float, count: int = 24, start: float = 0.0, end: float = 2 * np.pi) -> list[list[float]]:
    """Points around the axis, without the last where it closes."""
    a = np.linspace(start, end, count, endpoint=end - start < 2 * np.pi)
    return np.column_stack([np.sin(a) * radius, np.full(len(a), y), np.cos(a) * radius]).round(5).tolist()  # type: ignore[no-any-return]


def paint(values: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {"do": "paint", "paint": {"values": {k: v if isinstance(v, tuple) else (v,) for k, v in values.items()}, **more}}


def aim(name: str, *channels: str) -> dict[str, Any]:
    return {"do": "target", "layer": name, "channels": channels}


def flood(part: str | None = None, strength: float = 1.0, **more: Any) -> dict[str, Any]:
    return {"do": "flood", "strength": strength, **({"part": part} if part else {}), **more}


def shape(kind: str, points: list[list[float]], **more: Any) -> dict[str, Any]:
    return {"do": "stroke", "shape": {"kind": kind, "surface": points, **more}}


def around(radius: float, y: float, **more: Any) -> dict[str, Any]:
    """A closed curve about the axis."""
    return shape("curve", _ring(radius, y), closed=True, **more)


def _base() -> Steps:
    steps: Steps = [layer("fill", "Undercoat", HULL_SHEET, "undercoat", channels=fill(base_color=RED, roughness=0.55))]
    steps += [layer("paint", "Blocking in", HULL_SHEET, "block"), aim("block", "base_color", "roughness", "metallic")]
    for part, colour, roughness, metallic in (
        ("Fender", RUBBER, 0.8, 0.0),
        ("Lamp", LAMP, 0.25, 0.0),
        ("Mooring eyes", STEEL, 0.45, 0.7),
        ("Ladder", CREAM, 0.55, 0.0),
        ("Hatch", CREAM, 0.5, 0.0),
    ):
        steps += [paint({"base_color": colour, "roughness": roughness, "metallic": metallic}), flood(part)]
    # From the sea up into the sun, over the float and the tower.
    steps += [layer("paint", "Sea to sun", HULL_SHEET, "sun", blend="soft-light", strength=0.85), aim("sun", "base_color")]
    gradient = {"start": (0.0, 0.05, 0.0), "end": (0.0, 1.9, 0.0)}
    steps += [paint({"base_color": (0.12, 0.10, 0.28)}, second={"base_color": (1.0, 0.9, 0.62)}), flood(gradient=gradient)]
    return steps


def _bands() -> Steps:
    """Cream bands by level lines, and the number on the front."""
    steps: Steps = [layer("paint", "Bands and number", HULL_SHEET, "bands"), aim("bands", "base_color", "roughness")]
    steps += [paint({"base_color": CREAM, "roughness": 0.5}), brush(0.05, hardness=0.94, build="level", spacing=0.05)]
    steps += [around(tower_radius(y), y) for y in (1.27, 1.31, 1.35, 1.62, 1.66, 1.70)]
    steps += [
        brush(0.022, hardness=0.9, build="level", spacing=0.06),
        around(RADIUS, 0.862),
        brush(0.011, hardness=0.85, build="level", spacing=0.06),
    ]
    at, height, y0 = -0.36, 0.095, 0.705
    for letter in "TERN POINT":
        advance, lines = LETTERS[letter]
        for line in lines:
            p = np.array(line)
            angle = (at + p[:, 0] * height) / RADIUS
            points = np.column_stack([np.sin(angle) * RADIUS, y0 + p[:, 1] * height, np.cos(angle) * RADIUS]).round(5).tolist()
            steps.append(shape("line", points))
        at += advance * height + 0.032
    return steps


def _relief() -> Steps:
    """Panel lines carved, rivets raised, a bead around the deck."""
    steps: Steps = [layer("paint", "Panel lines", HULL_SHEET, "panels", channels={"height": {"blend": "height-add"}}), aim("panels", "height")]
    steps += [paint({"height": -0.35}), brush(0.012, hardness=0.3, build="level", spacing=0.1)]
    steps += [around(RADIUS, 0.60), around(RADIUS, 0.40)]
    seams = brush(0.012, hardness=0.3, build="level", spacing=0.1, mirror={"around": 6, "axis": "y"})
    steps += [seams, shape("line", [[*_at(RADIUS, LOW + 0.02, 0.52)], [*_at(RADIUS, HIGH - 0.03, 0.52)]])]
    steps += [layer("paint", "Rivets", HULL_SHEET, "rivets"), aim("rivets", "height", "metallic", "roughness")]
    steps += [paint({"height": 0.4, "metallic": 0.3, "roughness": 0.4}), brush(0.018, tips=["rivet"])]
    steps += [around(RADIUS, y, row={"count": 72}) for y in (0.63, 0.37)]
    steps += [around(0.72, 0.945, row={"count": 48}), around(0.352, 1.04, row={"count": 32})]
    steps += [brush(0.016, tips=["hexagon"], mirror={"around": 6, "axis": "y"})]
    steps += [
        shape("line", [[*_at(RADIUS, y0, a)], [*_at(RADIUS, y1, a)]], row={"count": c})
        for y0, y1, c, a in ((0.66, 0.82, 5, 0.56), (0.66, 0.82, 5, 0.48))
    ]
    return steps


def _at(radius: float, y: float, angle: float) -> tuple[float, float, float]:
    return (round(float(np.sin(angle) * radius), 5), y, round(float(np.cos(angle) * radius), 5))


def _shading() -> Steps:
    random = np.random.default_rng(71)
    steps: Steps = [layer("paint", "Sponge", HULL_SHEET, "sponge", strength=0.6), aim("sponge", "base_color")]
    # Variation: a sponge that jitters in hue and value, over what is red.
    keep = {"colours": [RED], "tolerance": 0.34, "colour_softness": 0.1}
    steps += [paint({"base_color": (0.78, 0.24, 0.14)}, second={"base_color": (0.56, 0.10, 0.12)}, confine=keep)]
    steps += [
        brush(
            0.22,
            tips=["sponge", "chalk"],
            flip="random",
            jitter_angle=1.0,
            jitter_place=0.3,
            jitter_value=0.25,
            jitter_hue=0.05,
            spacing=0.35,
            flow=0.5,
            mix={"mode": "random"},
            seed=5,
        )
    ]
    steps += [stroke(_ring(RADIUS, y, 40)) for y in (0.36, 0.64, 0.76)]
    steps += [
        stroke(_ring(0.6, 0.955, 30)),
        stroke(_ring(tower_radius(1.45), 1.45, 24)),
        stroke(_ring(tower_radius(1.16), 1.16, 24)),
        stroke(_ring(0.62, 0.12, 30)),
    ]
    # Contacts: soft dark washes multiplied in, round every join.
    steps += [layer("paint", "Contact shadows", HULL_SHEET, "contact", blend="multiply", strength=0.8), aim("contact", "base_color")]
    steps += [paint({"base_color": SHADE}), brush(0.13, hardness=0.0, flow=0.18, strength=0.75, spacing=0.15)]
    steps += [around(RADIUS, 0.585), around(RADIUS, 0.415), around(0.38, 0.985), around(0.32, 1.05), around(0.14, 1.92)]
    steps += [brush(0.10, hardness=0.0, flow=0.2, strength=0.8), around(tower_radius(1.845), 1.845), around(0.11, 2.06)]
    hatch = [[0.135 * np.sin(a), 0.965, 0.53 + 0.135 * np.cos(a)] for a in np.linspace(0, 2 * np.pi, 20, endpoint=False)]
    steps += [brush(0.06, hardness=0.0, flow=0.3, strength=0.8), shape("curve", hatch, closed=True)]
    for side in (-1, 1):
        steps.append(shape("line", [[side * 0.47, 0.972, 0.0], [side * 0.65, 0.958, 0.0]]))
    # And whatever the mesh itself folds in.
    deep = {"relief": -0.62, "softness": 0.12}
    steps += [paint({"base_color": SHADE}, confine=deep), flood(strength=0.55)]
    # Edge lights: what stands out, towards the light.
    steps += [layer("paint", "Edge lights", HULL_SHEET, "edges", blend="screen", strength=0.7), aim("edges", "base_color")]
    steps += [paint({"base_color": (0.5, 0.42, 0.30)}, confine={"relief": 0.85, "softness": 0.11}), flood(strength=0.8)]
    steps += [
        paint({"base_color": LIGHT}, confine={"relief": 0.72, "softness": 0.11}),
        brush(0.09, tips=["chalk"], flow=0.5, strength=0.5, grain={"picture": "grit", "size": 0.03}),
    ]
    steps += [around(0.785, 0.905), around(0.205, 1.895), around(0.145, 2.095), around(0.355, 1.04)]
    # Washes run down from the deck, then dragged out with smear.
    steps += [layer("paint", "Runs", HULL_SHEET, "runs", blend="multiply", strength=0.7), aim("runs", "base_color", "roughness")]
    steps += [
        paint({"base_color": RUST, "roughness": 0.8}),
        brush(0.05, hardness=0.2, flow=0.3, strength=0.6, pressure_size={"on": True, "low": 0.2, "gamma": 1.0}),
    ]
    for _ in range(16):
        a, length = random.uniform(0, 2 * np.pi), random.uniform(0.06, 0.2)
        steps.append(
            stroke(
                [list(_at(RADIUS, HIGH - 0.01 - length * t, a)) for t in np.linspace(0, 1, 6)], [round(1 - 0.8 * t, 2) for t in np.linspace(0, 1, 6)]
            )
        )
    steps += [paint({"base_color": RUST}, tool="smear", reads="layer"), brush(0.07, hardness=0.3, strength=0.9)]
    for _ in range(10):
        a = random.uniform(0, 2 * np.pi)
        steps.append(stroke([list(_at(RADIUS, 0.80 - 0.10 * t, a + 0.02 * t)) for t in np.linspace(0, 1, 5)]))
    return steps


def _waterline() -> Steps:
    """Weed and foam below, splashes above, dry-brushed raised detail, and a softened rim."""
    steps: Steps = [layer("paint", "Waterline", HULL_SHEET, "water", strength=0.9), aim("water", "base_color", "roughness")]
    steps += [paint({"base_color": SEA, "roughness": 0.75}, second={"base_color": (0.20, 0.34, 0.22), "roughness": (0.85,)})]
    steps += [
        brush(
            0.24,
            tips=["sponge"],
            flip="random",
            jitter_angle=1.0,
            jitter_place=0.25,
            flow=0.6,
            strength=0.85,
            spacing=0.3,
            mix={"mode": "along", "length": 3},
            seed=9,
        )
    ]
    steps += [stroke(_ring(RADIUS, LOW, 40)), stroke(_ring(0.74, 0.2, 36)), stroke(_ring(0.56, 0.08, 30)), stroke(_ring(0.3, 0.02, 20))]
    steps += [
        paint({"base_color": FOAM, "roughness": 0.6}),
        brush(0.05, tips=["splatter"], spray=3, jitter_place=1.0, jitter_size=0.7, jitter_angle=1.0, flow=0.5, strength=0.6, spacing=0.8, seed=3),
    ]
    steps += [stroke(_ring(RADIUS, LOW + 0.07, 48)), stroke(_ring(RADIUS, LOW + 0.045, 48))]
    steps += [paint({}, tool="soften", reads="layer"), brush(0.12, flow=0.4, strength=0.7), stroke(_ring(RADIUS, LOW + 0.03, 36))]
    steps += [layer("paint", "Dry brush", HULL_SHEET, "dry", strength=0.75), aim("dry", "base_color")]
    steps += [
        paint({"base_color": LIGHT}, confine={"raised": 0.75, "softness": 0.3}),
        brush(0.14, tips=["flat-bristle"], follow=True, flow=0.6, strength=0.8),
    ]
    steps += [stroke(_ring(RADIUS, y, 40)) for y in (0.63, 0.37)] + [stroke(_ring(0.72, 0.945, 36)), stroke(_ring(0.352, 1.04, 24))]
    # A little warmth where the sun falls, coolness away from it.
    steps += [layer("paint", "Light and shade", HULL_SHEET, "light", blend="soft-light", strength=0.8), aim("light", "base_color")]
    steps += [paint({"base_color": LIGHT}), brush(0.5, hardness=0.0, flow=0.12, strength=0.5)]
    steps += [stroke([list(_at(RADIUS, y, 0.5)) for y in (0.45, 0.6, 0.8)]), stroke([list(_at(tower_radius(y), y, 0.5)) for y in (1.15, 1.4, 1.7)])]
    steps += [
        paint({"base_color": (0.10, 0.12, 0.32)}),
        stroke([list(_at(RADIUS, y, 3.6)) for y in (0.4, 0.6, 0.8)]),
        stroke([list(_at(tower_radius(y), y, 3.7)) for y in (1.15, 1.4, 1.7)]),
    ]
    return steps


HULL_SHEET = "Hull"


def buoy_script() -> dict[str, Any]:
    return {"format": "ruvelt-strokes", "version": 1, "steps": [*_base(), *_bands(), *_relief(), *_shading(), *_waterline()]}
