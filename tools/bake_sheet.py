"""A contact sheet of bakes beside their truths, each with its error. Usage: bake_sheet.py OUT.png

Plain shapes tell what a demo hides: look at it at 300 %. Truths are formulas; nothing of the bake is in them. The cube's curvature is told along
edges, not at corners, where three faces meet. From left to right: baked, truth, eight times the difference.
"""

from __future__ import annotations

import dataclasses
import sys
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT))

from tests.core.test_bake import baked, cylinder, joined, smooth_globe  # noqa: E402
from tests.core.test_bake_truth import cube, facing, ridge, ring  # noqa: E402
from tests.core.test_cage import bolt, pipe  # noqa: E402
from tests.meshes import model_of  # noqa: E402

from ruvelt.core.mesh.model import Model  # noqa: E402
from ruvelt.core.mesh.sheets import plan_sheets  # noqa: E402
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


def rounded(radius: float, cells: int = 120) -> Model:
    """The cube of two units with round edges."""
    fine = cube(smooth=False, cells=cells)
    inner = np.clip(fine.positions, radius - 1, 1 - radius)
    out = fine.positions - inner
    out /= np.linalg.norm(out, axis=1, keepdims=True)
    places = (inner + radius * out).astype(np.float32)
    return dataclasses.replace(fine, positions=places, file_normals=out[fine.corner_vertex].astype(np.float32))


def rounded_truth(radius: float) -> Truth:
    """Rays straight along a face meet a round edge at their own place on it: its normal leans by how far that lies in the edge."""

    def truth(samples: SheetSamples) -> np.ndarray:
        face = facing(samples.triangle_positions.mean(axis=1)[samples.owner].astype(np.float64))
        into = samples.positions - np.clip(samples.positions, radius - 1, 1 - radius)
        aside = np.where(face == 0, into, 0) / radius
        up = np.sqrt(np.maximum(1 - (aside**2).sum(axis=1, keepdims=True), 0))
        return np.asarray(aside + face * up) * 0.5 + 0.5

    return truth


def bolted_truth(radius: float, high: float, centre: tuple[float, float], reach: float) -> Truth:
    def truth(samples: SheetSamples) -> np.ndarray:
        on = (samples.positions[:, 0] > 1 - 1e-6) & (np.linalg.norm(samples.positions[:, 1:] - centre, axis=1) < radius)
        return np.where(on, 0.5 + 0.5 * high / reach, 0.5)[:, None]

    return truth


def grooved() -> Model:
    """A round pipe with a groove a tenth below its cap."""
    a = np.linspace(0, 2 * np.pi, 240, endpoint=False)
    profile = [(1.0, -1.0), (1.0, 0.86), (0.96, 0.86), (0.96, 0.90), (1.0, 0.90), (1.0, 1.0)]
    rings = np.concatenate([np.stack([r * np.sin(a), 0 * a + y, r * np.cos(a)], axis=1) for r, y in profile])
    n = len(a)
    faces = [[j * n + i, j * n + (i + 1) % n, (j + 1) * n + (i + 1) % n, (j + 1) * n + i] for j in range(len(profile) - 1) for i in range(n)]
    return model_of(rings, [*faces, list(range(n))[::-1], [(len(profile) - 1) * n + i for i in range(n)]])


def where_it_met(samples: SheetSamples) -> np.ndarray:
    low, high = samples.model.bounds
    return np.asarray((samples.positions - low) / (high - low))[:, 1:2]


def two_sheets() -> Model:
    model = cube(smooth=False)
    return dataclasses.replace(model, materials=(*model.materials, *model.materials), face_material=np.array([0, 0, 0, 1, 1, 1], np.int32))


def cases() -> list[tuple[str, Model, tuple[Model, ...], str, dict[str, object], Truth]]:
    """Title, low, high, map, settings, truth."""
    sharp, smooth = cube(smooth=False), cube(smooth=True)
    larger = Model(**{**sharp.__dict__, "positions": sharp.positions * np.float32(1.01)})
    ball, rod = smooth_globe(1.0), cylinder(0.5)
    reach = 0.02 * sharp.diagonal
    slab = dataclasses.replace(sharp, positions=(sharp.positions * [1, 0.025, 1]).astype(np.float32))
    wide = {"front": 0.05, "back": 0.05}
    return [
        ("averaged cube, object normal", smooth, (sharp,), "object_normal", wide, face_truth),
        ("cube, curvature", sharp, (), "curvature", {"curvature_radius": 0.03}, edge_truth(0.03)),
        ("ball, curvature", ball, (), "curvature", {"curvature_radius": 0.03}, even(0.5 + 0.5 * 0.03 * ball.diagonal)),
        ("cylinder, curvature", rod, (), "curvature", {"curvature_radius": 0.03}, even(0.5 + 0.5 * 0.03 * rod.diagonal)),
        ("cube 0.01 larger, height", sharp, (larger,), "height", {}, even(0.5 + 0.5 * 0.01 / reach)),
        ("ring, coarse under round, height", ring(24), (ring(240),), "height", {}, even(0.5)),
        ("ball under a coarse smooth one, occlusion", ball, (smooth_globe(1.0, 16, 8),), "occlusion", {"match_parts": False, **wide}, even(1.0)),
        ("box with round edges, object normal", sharp, (rounded(0.1),), "object_normal", {"cage": "split", **wide}, rounded_truth(0.1)),
        (
            "bolt by an edge of the box, height",
            sharp,
            (joined(sharp, bolt(0.1, 0.02, (0.84, 0.1)), names=("Box", "Bolt")),),
            "height",
            {"match_parts": False, "cage_blend": 0.015},
            bolted_truth(0.1, 0.02, (0.84, 0.1), reach),
        ),
        ("12 sides under a round pipe with a groove, height met", pipe(12), (grooved(),), "position", {"match_parts": False, **wide}, where_it_met),
        ("plate of 0.05, thickness", slab, (), "thickness", {"thickness_reach": 0.05}, even(0.05 / (0.05 * slab.diagonal))),
        ("box in two sheets, curvature on the first", two_sheets(), (), "curvature", {"curvature_radius": 0.03}, edge_truth(0.03)),
        ("ball from itself, normal", ball, (ball,), "normal", {}, lambda s: np.tile([0.5, 0.5, 1.0], (s.slot_count, 1))),
    ]


def main() -> None:
    rows = []
    for title, low, high, name, settings, truth in cases():
        samples = SheetSamples(low, plan_sheets(low)[0], SIDE)
        wanted = np.clip(truth(samples), 0, 1)
        found = baked(samples, name, high=high, **settings)[name]
        if wanted.shape[1] < found.shape[1]:
            found = found[:, 1:2]  # Of positions the height alone.
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
