"""Where push takes its picture from, against a k-d tree of SciPy and plain NumPy; and that it fetches what lies in chunks it did not touch."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.spatial import cKDTree

from ruvelt.core.brush.path import Point, SurfacePath
from ruvelt.core.brush.push import SheetPush
from ruvelt.core.brush.settings import Brush, Grain, Mirror
from ruvelt.core.brush.target import Paint, SmearSettings
from ruvelt.core.brush.tip_arrays import NO_TIP
from ruvelt.core.workers import Workers
from tests.core.scene import Scene, paint_layer, target, whole
from tests.core.test_grain import SIZE, picture
from tests.core.test_reading_tools import painted
from tests.meshes import globe

PUSH = Paint(tool="smear", reads="layer", smear=SmearSettings(mode="push"))


def traced(scene: Scene, dabs: np.ndarray, copies: int, depth: float = 0.0) -> tuple[np.ndarray, np.ndarray]:
    """(samples, 3) where what is at each sample lay, and which samples move: dab after dab backwards, in double precision."""
    samples = scene.samples
    slots = np.flatnonzero(samples.covered)
    begun, normal = samples.positions[slots].astype(np.float64), samples.normals[slots].astype(np.float64)
    point = begun.copy()
    centre = dabs[:, :3].astype(np.float64)
    drag = centre - np.concatenate([centre[:copies], centre[:-copies]])
    for d in range(len(dabs) - 1, -1, -1):
        t = np.clip((1 - ((point - centre[d]) ** 2).sum(axis=1) / float(dabs[d, 3]) ** 2) / (1 - float(dabs[d, 14]) ** 2), 0, 1)
        weight = t * t * (3 - 2 * t) * np.clip(normal @ dabs[d, 4:7].astype(np.float64) / 0.25, 0, 1) * dabs[d, 16]
        if depth > 0:
            size, share = SIZE * samples.model.diagonal, normal**4
            sides = np.array([picture("clouds", point[:, u], point[:, v], size) for u, v in ((1, 2), (0, 2), (0, 1))])
            weight = weight * (1 - depth * (1 - (share.T * sides).sum(axis=0) / share.sum(axis=1)))
        point -= weight[:, None] * drag[d]
    return point, np.linalg.norm(point - begun, axis=1) > 1e-6


@pytest.mark.parametrize("size", [0.25, 0.06], ids=["wide", "narrow"])
@pytest.mark.parametrize("threads", [1, 2])
@pytest.mark.parametrize("mirror", [Mirror(), Mirror(x=True)], ids=["alone", "mirrored"])
def test_one_batch_takes_its_picture_from_where_a_tree_finds_it(size: float, threads: int, mirror: Mirror) -> None:
    scene = Scene(globe(48, 24), (paint_layer(),), side=512, workers=Workers(threads))
    samples = scene.samples
    brush = Brush(size=size, size_unit="object", hardness=0.4, spacing=0.1, strength=0.9, mirror=mirror)
    points = [Point((float(np.sin(a)), 0.1 * float(np.cos(2 * a)), float(np.cos(a)))) for a in np.linspace(0.2, 0.2 + size, 5)]
    dabs = whole(SurfacePath(brush, samples), points)
    push = SheetPush(samples, scene.workers)
    coverage, dirty = np.zeros(samples.slot_count, np.float32), np.zeros((samples.chunk_count, 256), np.uint8)
    copies = 2 if mirror.x else 1
    push.drag(dabs, np.arange(len(dabs)) % copies, copies, False, NO_TIP, np.zeros(0, np.uint8), coverage, dirty)
    wanted, moves = traced(scene, dabs, 2 if mirror.x else 1)
    slots = np.flatnonzero(samples.covered)
    assert 100 < moves.sum() < len(slots) / 2
    # Nothing else moves by more than a curve between nodes is off.
    assert np.hypot(*push.shift[slots[~moves]].T).max() < 0.45
    moved = slots[moves]
    local = moved & 65535
    x, y = (moved >> 16) % 2 * 256 + (local & 255) + push.shift[moved, 0], (moved >> 16) // 2 * 256 + (local >> 8) + push.shift[moved, 1]
    column, row = np.rint(x).astype(int), np.rint(y).astype(int)
    found = ((row >> 8) * 2 + (column >> 8)) * 65536 + ((row & 255) << 8) + (column & 255)
    assert samples.covered[found].mean() > 0.999
    _, nearest = cKDTree(samples.positions[slots].astype(np.float64)).query(wanted[moves])
    apart = np.linalg.norm(samples.positions[found] - samples.positions[slots[nearest]], axis=1) / samples.spacing
    # Between nodes a way may be off by a quarter of a texel, and so by one texel once it is rounded.
    assert np.percentile(apart, 99) < 2.1
    assert (apart < 1e-6).mean() > 0.8
    # All that moved is told to be drawn anew, and fully by its source once that lies a texel away.
    far = np.hypot(*push.shift[moved].T)
    assert (far > 0).mean() > 0.98
    assert dirty[moved[far > 0] >> 16, ((local >> 12) << 4 | (local & 255) >> 4)[far > 0]].all()
    assert (coverage[moved[far >= 1]] == 1).all()


def test_a_grain_holds_back_what_is_dragged_over_its_gaps() -> None:
    scene = Scene(globe(48, 24), (paint_layer(),), side=512)
    samples = scene.samples
    brush = Brush(size=0.3, size_unit="object", hardness=0.4, spacing=0.1, strength=0.9, grain=Grain(picture="clouds", size=SIZE, depth=0.9))
    points = [Point((float(np.sin(a)), 0.1, float(np.cos(a)))) for a in np.linspace(0.2, 0.5, 5)]
    live = scene.live(target("base_color"), PUSH, brush=brush)
    dabs = whole(SurfacePath(brush, samples), points)
    live.dabs(dabs)
    wanted, moves = traced(scene, dabs, 1, depth=0.9)
    smooth, _ = traced(scene, dabs, 1)
    slots = np.flatnonzero(samples.covered)
    # What comes from over the seam comes from the sheet's other side.
    moves &= np.hypot(*live._dragging.push.shift[slots].T) < 100
    direction, shift = (wanted - samples.positions[slots])[moves], live._dragging.push.shift[slots[moves]]
    # It drags by less, and unevenly.
    smooth_way = np.linalg.norm((smooth - samples.positions[slots])[moves], axis=1)
    assert 0.2 < np.linalg.norm(direction, axis=1).sum() / smooth_way.sum() < 0.8
    # Texels there are turned and sized alike, so that ways in space and on the sheet go by one matrix.
    fit, *_ = np.linalg.lstsq(direction, shift, rcond=None)
    assert np.corrcoef((direction @ fit).ravel(), shift.ravel())[0, 1] > 0.98


def test_what_lies_in_a_hidden_chunk_is_dragged_out_of_it() -> None:
    """Only the right half of the sheet may change; its first texels take their picture from the left half, which no tile of the stroke is in."""
    model = globe(48, 24)
    side = 512
    blank = Scene(model, (paint_layer(),), side=side)
    right = (np.arange(blank.samples.slot_count) >> 16) % 2 == 1
    scene = painted(np.where(right, 0.2, 0.8), model, side)
    samples = scene.samples
    on_left = np.unique(samples.face[samples.covered & ~right])
    hidden = np.zeros(model.face_count, bool)
    hidden[on_left] = True
    # The meridian at which the halves of the sheet meet, on the equator.
    border = samples.positions[1 * 65536 + (255 << 8)]
    beyond = samples.positions[1 * 65536 + (255 << 8) + 40]
    assert np.linalg.norm(beyond - border) < 0.6
    brush = Brush(size=0.3, size_unit="object", hardness=0.8, spacing=0.05)
    live = scene.live(target("roughness"), PUSH, hidden=hidden, brush=brush)
    live.dabs(whole(SurfacePath(brush, samples), [Point(tuple(float(v) for v in border)), Point(tuple(float(v) for v in beyond))]))
    assert {chunk % 2 for chunks in live.changes.values() for chunk in chunks} == {1}
    scene.keep(live)
    at = samples.positions[1 * 65536 + (255 << 8) + 30].astype(float)
    assert scene.value("roughness", *at)[0] == pytest.approx(0.8 * 65535, abs=2)
    assert scene.image("roughness")[:, :200].max() == pytest.approx(0.8 * 65535, abs=2)
