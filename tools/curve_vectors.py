"""Write what the server makes of some strokes, for the front end's curve to be compared with. With --check only tell whether it is up to date."""

from __future__ import annotations

import json
import sys
from pathlib import Path

import numpy as np

from ruvelt.core.brush.curve import Curve

OUT = Path(__file__).parent.parent / "frontend" / "src" / "tools" / "curve.vectors.json"


def strokes() -> list[tuple[str, float, np.ndarray]]:
    """Name, unit and (n, 4) samples: x, y, pressure, time."""
    angle, random = np.linspace(0, 6, 11), np.random.default_rng(3)
    circle = np.stack([100 * np.cos(angle), 100 * np.sin(angle), 0.5 + 0.5 * np.sin(3 * angle), 1 + angle / 20], 1)
    leg = np.arange(0, 30, 2.0)
    corner = np.concatenate([np.stack([leg, 0 * leg], 1), np.stack([0 * leg + 30, leg], 1)])
    corner = np.concatenate([corner, np.ones((len(corner), 1)), 1 + np.arange(len(corner))[:, None] / 60], 1)
    shaky = np.stack([np.rint(np.arange(40) * 1.3), np.rint(10 * np.sin(np.arange(40) / 9)), np.full(40, 0.7), 1 + np.arange(40) / 120], 1)
    wild = np.concatenate([random.uniform(-200, 200, (20, 2)), random.random((20, 1)), 1 + np.arange(20)[:, None] / 60], 1)
    still = np.repeat(circle, 2, axis=0)
    timeless = np.concatenate([wild[:, :3], np.zeros((20, 1))], 1)
    return [
        ("a fast circle", 1.0, circle),
        ("a slow corner", 1.0, corner),
        ("a shaking hand", 1.0, shaky),
        ("a wild hand", 2.5, wild),
        ("one that rests", 1.0, still),
        ("without times", 1.0, timeless),
        ("a dot", 1.0, circle[:1]),
        ("two samples", 1.0, circle[:2]),
    ]


def content() -> str:
    made = []
    for name, unit, samples in strokes():
        samples = np.round(samples, 6)
        of = np.zeros((len(samples), 5))
        of[:, :2], of[:, 3:] = samples[:, :2], samples[:, 2:]
        points = Curve(unit).extend(of, True)
        made.append({"name": name, "unit": unit, "samples": samples.tolist(), "points": np.round(points[:, [0, 1, 3]], 9).tolist()})
    return json.dumps(made) + "\n"


if __name__ == "__main__":
    if "--check" in sys.argv:
        sys.exit(0 if OUT.is_file() and OUT.read_text() == content() else f"{OUT} is out of date: run tools/curve_vectors.py")
    OUT.write_text(content())
