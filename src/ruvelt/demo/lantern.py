"""The storm lantern: a low mesh to paint and a high mesh to bake from, made by script."""

from __future__ import annotations

import numpy as np

from ruvelt.demo.shapes import Shape, cap, placed, to_obj, tube, wall

ENAMEL, FITTINGS = "Enamel", "Fittings"
MTL = "newmtl Enamel\nKd 0.014 0.075 0.072\nPr 0.25\nPm 0\nnewmtl Fittings\nKd 0.57 0.34 0.08\nPr 0.3\nPm 1\n"
_UP = np.eye(3)


def _spline(points: list[tuple[float, float]], steps: int) -> np.ndarray:
    """Catmull–Rom through (x, y) points, (n, 2)."""
    p = np.array([points[0], *points, points[-1]])
    out = []
    for i in range(1, len(p) - 2):
        for t in np.linspace(0, 1, steps, endpoint=False):
            a, b, c, d = p[i - 1 : i + 3]
            out.append(0.5 * (2 * b + (c - a) * t + (2 * a - 5 * b + 4 * c - d) * t**2 + (3 * b - a - 3 * c + d) * t**3))
    return np.array([*out, points[-1]])


def tube_path(steps: int = 3) -> np.ndarray:
    """(n, 3) centre line of the right side tube."""
    flat = _spline(
        [(0.40, 0.36), (0.50, 0.43), (0.60, 0.60), (0.645, 0.80), (0.645, 1.08), (0.645, 1.36), (0.59, 1.54), (0.46, 1.63), (0.27, 1.655)], steps
    )
    return np.column_stack([flat, np.zeros(len(flat))])


def bail_path(steps: int) -> np.ndarray:
    """(n, 3) centre line of the carrying handle, leaned back."""
    angle = np.linspace(-0.12 * np.pi, 1.12 * np.pi, steps)
    v, lean = np.sin(angle) * 0.72 + 0.27, 0.36
    return np.column_stack([np.cos(angle) * 0.715, 1.32 + v * np.cos(lean), -v * np.sin(lean)])


def _ring(radius: float, y: float, steps: int) -> np.ndarray:
    a = np.linspace(0, 2 * np.pi, steps, endpoint=False)
    return np.column_stack([np.sin(a) * radius, np.full(steps, y), np.cos(a) * radius])


def build(detail: int = 1) -> Shape:
    """The lantern at a level of detail: 1 is the mesh to paint (about 11 000 triangles), 4 the one to bake from."""
    s, n, around = Shape(), 48 * detail, 12 * detail
    fine = detail > 1

    def band(part: str, material: str, profile: list[tuple[float, float]], segments: int = n, group: str = "") -> None:
        s.add(part, material, *wall(_fine(profile), segments), group=group)

    def disc(part: str, material: str, profile: list[tuple[float, float]], segments: int = n, group: str = "") -> None:
        s.add(part, material, *cap(_fine(profile), segments), group=group)

    def _fine(profile: list[tuple[float, float]]) -> list[tuple[float, float]]:
        return [tuple(p) for p in _spline(profile, 3)] if fine else profile  # type: ignore[misc]

    # Tank, with its two rolled beads.
    beads = [(0.585, 0.03), (0.615, 0.045), (0.632, 0.08), (0.642, 0.105), (0.632, 0.13), (0.62, 0.15), (0.62, 0.24), (0.62, 0.33)]
    beads += [(0.622, 0.37), (0.634, 0.385), (0.642, 0.405), (0.634, 0.425), (0.615, 0.445)]
    band("Tank", ENAMEL, beads, group="tank_wall")
    disc("Tank", ENAMEL, [(0.615, 0.445), (0.585, 0.475), (0.52, 0.50), (0.40, 0.53), (0.28, 0.555), (0.22, 0.565)], group="tank_shoulder")
    disc("Tank", ENAMEL, [(0.585, 0.03), (0.54, 0.018), (0.40, 0.022), (0.2, 0.022), (0.0, 0.022)], group="tank_bottom")
    # Side tubes.
    for name, sign in (("Right tube", 1), ("Left tube", -1)):
        path = tube_path(3 * detail) * [sign, 1, 1]
        s.add(name, ENAMEL, *tube(path if sign > 0 else path[::-1], 0.06, around), group=name.lower().replace(" ", "_"))
    # Chimney with its vents' collar.
    chimney = [
        (0.30, 1.405),
        (0.365, 1.41),
        (0.388, 1.425),
        (0.388, 1.45),
        (0.365, 1.475),
        (0.31, 1.495),
        (0.292, 1.51),
        (0.292, 1.57),
        (0.292, 1.64),
    ]
    band("Chimney", ENAMEL, [*chimney, (0.292, 1.70), (0.30, 1.735)], group="chimney")
    # Burner.
    burner = [(0.215, 0.56), (0.215, 0.60), (0.208, 0.61), (0.208, 0.66), (0.215, 0.67), (0.215, 0.70)]
    band("Burner", FITTINGS, burner, group="burner_wall")
    disc("Burner", FITTINGS, [(0.372, 0.705), (0.38, 0.722), (0.36, 0.738), (0.25, 0.736), (0.18, 0.745), (0.12, 0.80), (0.07, 0.845), (0.0, 0.85)])
    disc("Burner", FITTINGS, [(0.372, 0.705), (0.30, 0.699), (0.215, 0.70)], group="burner_under")
    # Globe of glass.
    belly = [(0.445 * np.sqrt(max(1 - ((y - 1.06) / 0.47) ** 2, 0)), y) for y in np.linspace(0.742, 1.42, 9)]
    band("Globe", FITTINGS, belly, group="globe")
    # Hood, its cap and finial.
    disc("Hood", FITTINGS, [(0.478, 1.742), (0.487, 1.758), (0.468, 1.778), (0.34, 1.845), (0.22, 1.902), (0.18, 1.918)], group="hood_top")
    disc("Hood", FITTINGS, [(0.478, 1.742), (0.44, 1.752), (0.36, 1.757), (0.30, 1.735)], group="hood_under")
    band("Hood", FITTINGS, [(0.18, 1.918), (0.188, 1.93), (0.18, 1.945), (0.165, 1.95), (0.165, 1.975)], group="hood_collar")
    disc("Hood", FITTINGS, [(0.165, 1.975), (0.152, 2.0), (0.118, 2.032), (0.07, 2.052), (0.028, 2.06)], group="hood_dome")
    ball = [(0.028, 2.06), (0.024, 2.066), (0.036, 2.08), (0.041, 2.097), (0.036, 2.114), (0.02, 2.128)]
    band("Finial", FITTINGS, ball, 20 * detail, group="finial")
    disc("Finial", FITTINGS, [(0.02, 2.128), (0.0, 2.133)], 20 * detail, group="finial")
    _small_parts(s, detail)
    return s


def _small_parts(s: Shape, detail: int) -> None:
    lean = np.array([[1, 0, 0], [0, np.cos(0.2), -np.sin(0.2)], [0, np.sin(0.2), np.cos(0.2)]])
    for profile, make in (
        ([(0.112, 0.0), (0.112, 0.02), (0.09, 0.03), (0.09, 0.075), (0.082, 0.088)], wall),
        ([(0.082, 0.088), (0.06, 0.094), (0.0, 0.096)], cap),
    ):
        points, uv = make(profile, 28 * detail)
        s.add("Filler cap", FITTINGS, placed(points, lean, (0.33, 0.495, 0.24)), uv, group="filler_cap")
    # The wick wheel stands on its side.
    axis = np.array([np.sin(0.26), 0.0, np.cos(0.26)])
    across = np.array([axis[2], 0, -axis[0]])
    side = np.column_stack([across, axis, np.cross(across, axis)])
    for profile, make in (
        ([(0.014, 0.20), (0.014, 0.355)], wall),
        ([(0.068, 0.358), (0.074, 0.364), (0.074, 0.392), (0.068, 0.398)], wall),
        ([(0.068, 0.398), (0.03, 0.404), (0.0, 0.405)], cap),
        ([(0.068, 0.358), (0.03, 0.356), (0.014, 0.355)], cap),
    ):
        points, uv = make(profile, 24 * detail)
        s.add("Wick wheel", FITTINGS, placed(points, side, (0, 0.635, 0)), uv, group="wick_wheel")
    # Wire cage: two hoops and four uprights bowed over the globe.
    for height, r in ((0.90, 0.475), (1.22, 0.478)):
        s.add("Cage", FITTINGS, *tube(_ring(r, height, 36 * detail), 0.0125, 6 * detail, closed=True), group="cage_hoop")
    y = np.linspace(0.725, 1.43, 12 * detail)
    bow = 0.487 * np.sqrt(np.clip(1 - ((y - 1.06) / 0.53) ** 2, 0.05, 1))
    for k in range(4):
        a = np.pi / 4 + k * np.pi / 2
        path = np.column_stack([np.sin(a) * bow, y, np.cos(a) * bow])
        s.add("Cage", FITTINGS, *tube(path, 0.0125, 6 * detail), group="cage_upright")
    # Carrying handle and its grip.
    s.add("Bail", FITTINGS, *tube(bail_path(40 * detail), 0.0165, 8 * detail), group="bail")
    grip = bail_path(161)[68:93:4]
    swell = 0.048 + 0.006 * np.sin(np.linspace(0, np.pi, len(grip)))
    swell[[0, -1]] = 0.026
    s.add("Grip", FITTINGS, *tube(grip, swell, 16 * detail), group="grip")


def low_obj() -> bytes:
    return to_obj(build(1), "storm_lantern.mtl", smooth=True).encode()


def high_obj() -> bytes:
    return to_obj(build(3), "storm_lantern.mtl").encode()
