"""A contact sheet of bakes beside their truths, each with its error. Usage: bake_sheet.py OUT.png

Plain shapes tell what a demo hides: look at it at 300 %. Truths are formulas; nothing of the bake is in them. The cube's curvature is told along
edges, not at corners, where three faces meet. From left to right: baked, truth, eight times the difference.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT))

from tests.core.test_bake import baked, cylinder, sheet_of, smooth_globe  # noqa: E402
from tests.core.test_bake_truth import cube, facing, ridge, ring  # noqa: E402

from ruvelt.core.mesh.model import Model  # noqa: E402
from ruvelt.core.samples.sheet import SheetSamples  # noqa: E402

SIDE, SHOWN = 512, 320
Truth = Callable[[SheetSamples], np.ndarray]


def on_sheet(samples: SheetSamples, values: np.ndarray) -> np.ndarray:
    """(SHOWN, SHOWN, 3) uint8 BGR of (slots, 1 or 3) values 0–1; what is not covered stays black."""
    shown = np.where(samples.covered[:, None], values, 0)
    image = np.asarray(samples.to_image(np.ascontiguousarray(np.broadcast_to(shown, (len(shown), 3)), np.float32)))
    return np.rint(cv2.resize(image[..., ::-1], (SHOWN, SHOWN), interpolation=cv2.INTER_AREA) * 255).clip(0, 255).astype(np.uint8)


def edge_truth(share: float) -> Truth:
    def truth(samples: SheetSamples) -> np.ndarray:
        radius = share * samples.model.diagonal
        p = np.sort(np.abs(samples.positions), axis=1)
        return np.asarray(0.5 + 0.5 * radius * ridge(1 - p[:, 1], radius))[:, None]

    return truth


def face_truth(samples: SheetSamples) -> np.ndarray:
    return facing(samples.triangle_positions.mean(axis=1)[samples.owner].astype(np.float64)) * 0.5 + 0.5


def even(value: float) -> Truth:
    return lambda samples: np.full((samples.slot_count, 1), value)


def cases() -> list[tuple[str, Model, tuple[Model, ...], str, dict[str, object], Truth]]:
    """Title, low, high, map, settings, truth."""
    sharp, smooth = cube(smooth=False), cube(smooth=True)
    larger = Model(**{**sharp.__dict__, "positions": sharp.positions * np.float32(1.01)})
    ball, pipe = smooth_globe(1.0), cylinder(0.5)
    reach = 0.02 * sharp.diagonal
    wide = {"front": 0.05, "back": 0.05}
    return [
        ("averaged cube, object normal", smooth, (sharp,), "object_normal", wide, face_truth),
        ("cube, curvature", sharp, (), "curvature", {"curvature_radius": 0.03}, edge_truth(0.03)),
        ("ball, curvature", ball, (), "curvature", {"curvature_radius": 0.03}, even(0.5 + 0.5 * 0.03 * ball.diagonal)),
        ("cylinder, curvature", pipe, (), "curvature", {"curvature_radius": 0.03}, even(0.5 + 0.5 * 0.03 * pipe.diagonal)),
        ("cube 0.01 larger, height", sharp, (larger,), "height", {}, even(0.5 + 0.5 * 0.01 / reach)),
        ("ring, coarse under round, height", ring(24), (ring(240),), "height", {}, even(0.5)),
        ("ball under a coarse smooth one, occlusion", ball, (smooth_globe(1.0, 16, 8),), "occlusion", {"match_parts": False, **wide}, even(1.0)),
        ("ball from itself, normal", ball, (ball,), "normal", {}, lambda s: np.tile([0.5, 0.5, 1.0], (s.slot_count, 1))),
    ]


def main() -> None:
    rows = []
    for title, low, high, name, settings, truth in cases():
        samples = sheet_of(low, SIDE)
        found = baked(samples, name, high=high, **settings)[name]
        wanted = np.clip(truth(samples), 0, 1)
        off = np.abs(found - wanted)[samples.covered]
        told = f"{title}: mean {off.mean():.4f}, 99.9 % under {np.quantile(off, 0.999):.4f}, most {off.max():.4f}"
        print(told)
        difference = np.where(samples.covered[:, None], np.abs(found - wanted) * 8, 0)
        row = np.hstack([on_sheet(samples, found), on_sheet(samples, wanted), on_sheet(samples, np.clip(difference, 0, 1))])
        strip = np.full((24, row.shape[1], 3), 40, np.uint8)
        cv2.putText(strip, told, (8, 16), cv2.FONT_HERSHEY_SIMPLEX, 0.42, (230, 230, 230), 1, cv2.LINE_AA)
        rows += [strip, row]
    cv2.imwrite(sys.argv[1], np.vstack(rows))


if __name__ == "__main__":
    main()
