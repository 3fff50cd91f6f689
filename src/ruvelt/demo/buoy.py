"""The mooring buoy: one mesh, one sheet, made to be shaded by hand."""

from __future__ import annotations

import numpy as np

from ruvelt.demo.shapes import Shape, cap, placed, to_obj, tube, wall

HULL = "Hull"
MTL = "newmtl Hull\nKd 0.55 0.12 0.08\nPr 0.5\nPm 0\n"

#: Radius of the float's wall and the heights between which it runs straight.
RADIUS, LOW, HIGH = 0.80, 0.30, 0.86
#: The tower: (radius, height) of its foot and its head.
FOOT, HEAD = (0.30, 1.06), (0.15, 1.86)


def tower_radius(y: float) -> float:
    return FOOT[0] + (HEAD[0] - FOOT[0]) * (y - FOOT[1]) / (HEAD[1] - FOOT[1])


def build() -> Shape:
    """About 7 000 triangles in seven parts."""
    s, n = Shape(), 64
    keel = [(0.0, 0.0), (0.30, 0.015), (0.55, 0.07), (0.70, 0.16), (0.775, 0.24), (RADIUS, LOW)]
    s.add("Float", HULL, *cap(keel[::-1], n), group="keel")
    s.add("Float", HULL, *wall([(RADIUS, LOW), (RADIUS, 0.44), (RADIUS, 0.58), (RADIUS, 0.72), (RADIUS, HIGH)], n), group="float_wall")
    s.add(
        "Float",
        HULL,
        *cap([(RADIUS, HIGH), (0.785, 0.905), (0.745, 0.94), (0.68, 0.955), (0.50, 0.975), (0.36, 0.985), (0.31, 0.99)], n),
        group="deck",
    )
    a = np.linspace(0, 2 * np.pi, 72, endpoint=False)
    ring = np.column_stack([np.sin(a) * (RADIUS + 0.03), np.full(72, 0.50), np.cos(a) * (RADIUS + 0.03)])
    s.add("Fender", HULL, *tube(ring, 0.075, 14, closed=True), group="fender")
    s.add("Tower", HULL, *wall([(0.36, 0.985), (0.36, 1.03), (0.345, 1.05), FOOT], n // 2), group="tower_foot")
    s.add("Tower", HULL, *wall([FOOT, (tower_radius(1.3), 1.3), (tower_radius(1.58), 1.58), HEAD], n // 2), group="tower_wall")
    s.add("Tower", HULL, *wall([HEAD, (0.20, 1.875), (0.215, 1.895), (0.20, 1.915)], n // 2), group="tower_head")
    s.add("Tower", HULL, *cap([(0.20, 1.915), (0.15, 1.92), (0.09, 1.92)], n // 2), group="tower_top")
    s.add("Lamp", HULL, *wall([(0.09, 1.92), (0.115, 1.95), (0.12, 2.02), (0.11, 2.08)], n // 2), group="lamp")
    s.add("Lamp", HULL, *cap([(0.14, 2.075), (0.15, 2.095), (0.10, 2.14), (0.04, 2.165), (0.0, 2.17)], n // 2), group="lamp_hood")
    s.add("Lamp", HULL, *cap([(0.14, 2.075), (0.12, 2.078), (0.11, 2.08)], n // 2), group="lamp_under")
    _fittings(s)
    return s


def _fittings(s: Shape) -> None:
    a = np.linspace(0, 2 * np.pi, 28, endpoint=False)
    for k in range(2):
        turn = np.pi * k
        eye = np.column_stack([np.cos(a) * 0.10, np.sin(a) * 0.10, np.zeros_like(a)])
        out = np.array([[np.cos(turn), 0, -np.sin(turn)], [0, 1, 0], [np.sin(turn), 0, np.cos(turn)]])
        s.add(
            "Mooring eyes",
            HULL,
            *tube(placed(eye, out, (0.56 * np.cos(turn), 1.045, -0.56 * np.sin(turn))), 0.028, 10, closed=True),
            group=f"eye_{k + 1}",
        )
    for profile, make in (([(0.115, 0.0), (0.115, 0.03), (0.105, 0.042)], wall), ([(0.105, 0.042), (0.06, 0.047), (0.0, 0.047)], cap)):
        points, uv = make(profile, 28)
        s.add("Hatch", HULL, placed(points, np.eye(3), (0.0, 0.958, 0.53)), uv, group="hatch")
    bars = [np.array([[x, y, 0.0] for y in np.linspace(0.985, 1.93, 12)]) for x in (-0.16, 0.16)]
    for k, bar in enumerate(bars):
        bar[:, 2] = -np.interp(bar[:, 1], [0.985, 1.93], [0.40, 0.23])
        s.add("Ladder", HULL, *tube(bar, 0.017, 8), group=f"rail_{k + 1}")
    for y in np.linspace(1.12, 1.80, 5):
        z = -float(np.interp(y, [0.985, 1.93], [0.40, 0.23]))
        s.add("Ladder", HULL, *tube(np.array([[x, y, z] for x in np.linspace(-0.16, 0.16, 5)]), 0.014, 8), group="rung")


def obj() -> bytes:
    return to_obj(build(), "mooring_buoy.mtl").encode()
