"""Levels of vertex paint against the same in plain NumPy, and trips to a sheet against a nearest-neighbour search."""

from __future__ import annotations

import time

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ruvelt.bench.fixtures import sphere
from ruvelt.bench.timing import Row, best, faster
from ruvelt.core.mesh.facts import Material
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.sheets import plan_sheets
from ruvelt.core.mesh.subdivide import Subdivision
from ruvelt.core.samples.resample import Resampling
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.vertices import VertexSamples
from ruvelt.core.workers import Workers

F64 = NDArray[np.float64]
I64 = NDArray[np.int64]


def torus(around: int, across: int) -> Model:
    """A closed mesh of quads."""
    u, v = np.meshgrid(np.arange(around), np.arange(across), indexing="ij")
    a, b = 2 * np.pi * u.ravel() / around, 2 * np.pi * v.ravel() / across
    places = np.stack([(1 + 0.4 * np.cos(b)) * np.cos(a), 0.4 * np.sin(b), (1 + 0.4 * np.cos(b)) * np.sin(a)], axis=1)
    right, up = (u + 1) % around, (v + 1) % across
    quads = np.stack([u * across + v, u * across + up, right * across + up, right * across + v], axis=-1).reshape(-1)
    count = around * across
    none = np.zeros(count, np.int32)
    starts = np.arange(0, 4 * count + 1, 4, dtype=np.int32)
    return Model("Torus", places.astype(np.float32), starts, quads.astype(np.int32), ("Torus",), none, (Material("Clay"),), none)


def numpy_step(places: F64, quads: I64) -> tuple[F64, I64]:
    """One Catmull-Clark step of closed quads with NumPy alone."""
    v, f = len(places), len(quads)
    middle = places[quads].mean(axis=1)
    a, b = quads.ravel(), np.roll(quads, -1, axis=1).ravel()
    keys, edge = np.unique(np.minimum(a, b) * v + np.maximum(a, b), return_inverse=True)
    low, high = keys // v, keys % v
    face = np.repeat(np.arange(f), 4)
    halves = (places[low] + places[high]) / 2
    met = np.stack([np.bincount(edge, middle[face, k], len(keys)) for k in range(3)], axis=1)
    on_edge = halves / 2 + met / 4
    n = np.bincount(low, minlength=v) + np.bincount(high, minlength=v)
    around = np.stack([np.bincount(a, middle[face, k], v) for k in range(3)], axis=1)
    ring = np.stack([np.bincount(low, halves[:, k], v) + np.bincount(high, halves[:, k], v) for k in range(3)], axis=1)
    moved = (around / n[:, None] + 2 * ring / n[:, None] + (n - 3)[:, None] * places) / n[:, None]
    before = np.roll(edge.reshape(f, 4), 1, axis=1).ravel()
    fine = np.stack([a, v + edge, v + len(keys) + face, v + before], axis=1)
    return np.concatenate([moved, on_edge, middle]), fine


def levels(small: bool) -> list[Row]:
    """Four smooth levels over a torus, made anew each time."""
    model = torus(40, 20) if small else torus(160, 80)
    first = model.positions.astype(np.float64), model.corner_vertex.reshape(-1, 4).astype(np.int64)
    if not np.allclose(Subdivision(model).model(1).positions[: len(first[0])], numpy_step(*first)[0][: len(first[0])], atol=1e-5):
        raise AssertionError("the two ways do not make the same level")

    def plain() -> None:
        places, quads = first
        for _ in range(4):
            places, quads = numpy_step(places, quads)

    ours, theirs = best(lambda: Subdivision(model).model(4), 3), best(plain, 3)
    faces = model.face_count * 256
    return [faster(f"four smooth levels to {faces / 1e6:.1f} M faces", ours * 1e3, theirs * 1e3, "NumPy", 2)]


def trips(side: int) -> list[Row]:
    """A channel of vertices at the texels of a sheet, and back, against the nearest of each found by a tree."""
    workers = Workers(2)
    base = sphere(spread=1.0)
    texels = SheetSamples(base, plan_sheets(base)[0], side, workers)
    lifted = Subdivision(base, smooth=False)
    level = next(n for n in range(1, 6) if lifted.size(n)[1] * 2 > min(1_600_000, side * side // 10))
    points = VertexSamples(lifted.model(level))
    plane = np.full((2, points.slot_count), 30000, np.uint16)
    back = np.full((2, texels.slot_count), 30000, np.uint16)
    _ = points.grid, texels.grid, points.triangles

    def by_tree(old: VertexSamples | SheetSamples, new: VertexSamples | SheetSamples, values: NDArray[np.uint16]) -> float:
        start = time.perf_counter()
        there, wanted = np.flatnonzero(old.covered), np.flatnonzero(new.covered)
        far, near = cKDTree(old.positions[there]).query(new.positions[wanted], k=3)
        weight = 1 / np.maximum(far, 1e-9)
        _ = (values[0, there][near] * weight).sum(axis=1) / weight.sum(axis=1)
        return time.perf_counter() - start

    rows = []
    for name, old, new, values in (("vertices to", points, texels, plane), ("vertices from", texels, points, back)):
        start = time.perf_counter()
        Resampling(old, new, lifted, workers).values(values)
        ours = time.perf_counter() - start
        what = f"{points.covered_count / 1e6:.1f} M {name} {side}²"
        rows.append(faster(what, ours * 1e3, by_tree(old, new, values) * 1e3, "cKDTree and NumPy", 10))
    workers.close()
    return rows
